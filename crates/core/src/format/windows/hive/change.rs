//! A hive made anew with some keys and values more or fewer, and proven to be that.

use crate::format::windows::hive::contents::{Contents, PathHash};
use crate::format::windows::hive::editor::Editor;
use crate::format::windows::hive::tree::{HiveValue, KeyTree};
use crate::format::windows::hive::{Hive, HiveError, Key, Value};

/// One change. Paths are those below the root, their parts between backslashes; letters' case doesn't count.
#[derive(Clone, Debug, PartialEq, Eq)]
pub(crate) enum Change {
    /// A value goes that is as it says.
    RemoveValue {
        /// The path of its key.
        key: String,
        /// What it is.
        value: HiveValue,
    },
    /// A key goes with all below it, which is as it says.
    RemoveKey {
        /// The path of the key that it lies in.
        parent: String,
        /// What it is.
        tree: KeyTree,
    },
    /// A value is as it says from now on, whatever it was.
    SetValue {
        /// The path of its key, which is there.
        key: String,
        /// What it is to be.
        value: HiveValue,
    },
    /// A key comes with all below it, where none of its name is.
    AddKey {
        /// The path of the key that it is to lie in, which is there.
        parent: String,
        /// What it is to be.
        tree: KeyTree,
    },
}

impl Hive {
    /// The key at a path, and what stands for that path.
    fn place(&self, path: &str) -> Option<(Key, PathHash)> {
        let root = self.root()?;
        let start = (root, self.path_hash(root, PathHash::default())?);
        let mut parts = path.split('\\').filter(|part| !part.is_empty());
        parts.try_fold(start, |(key, hash), part| {
            let (_, child) = self.child(key, part)?;
            Some((child, self.path_hash(child, hash)?))
        })
    }

    fn child(&self, key: Key, name: &str) -> Option<(String, Key)> {
        let wanted = name.to_uppercase();
        let mut keys = self.subkeys(key).into_iter();
        keys.find(|(own, _)| own.to_uppercase() == wanted)
    }

    fn value_named(&self, key: Key, name: &str) -> Option<(String, Value)> {
        let wanted = name.to_uppercase();
        let mut values = self.values(key).into_iter();
        values.find(|(own, _)| own.to_uppercase() == wanted)
    }

    /// The value at a place, as exactly as it is there.
    pub(crate) fn value_at(&self, path: &str, name: &str) -> Option<HiveValue> {
        let (key, _) = self.place(path)?;
        let (name, value) = self.value_named(key, name)?;
        self.whole_value(&name, value)
    }

    /// The key at a path with all below it, as exactly as it is there.
    #[cfg(test)]
    pub(crate) fn tree_at(&self, path: &str) -> Option<KeyTree> {
        let (parent, name) = path.rsplit_once('\\').unwrap_or(("", path));
        let (parent, _) = self.place(parent)?;
        let (name, key) = self.child(parent, name)?;
        self.tree(&name, key)
    }

    /// Whether there is a key at a path; the root has none.
    pub(crate) fn has_key(&self, path: &str) -> bool {
        self.place(path).is_some()
    }

    /// Who may do what with the key at a path, as its record says.
    pub(crate) fn security_at(&self, path: &str) -> Option<Vec<u8>> {
        let (key, _) = self.place(path)?;
        self.security(key)
    }
}

/// The bytes of a hive with these changes, each of another key or value; `time` is when they are made, as FILETIME.
///
/// # Errors
/// When the hive isn't sound, something isn't as a change says, or what came out wouldn't be what was meant.
pub(crate) fn changed(hive: Hive, changes: &[Change], time: u64) -> Result<Vec<u8>, HiveError> {
    let before = hive.contents()?;
    let mut editor = Editor::of(hive).ok_or(HiveError::Unsound)?;
    let mut gone = Contents::default();
    for change in changes {
        gone = gone.plus(carry_out(&mut editor, change, time)?);
    }
    let bytes = editor.finish(time).ok_or(HiveError::Unsound)?;
    let new = Hive::read(bytes, &[])?;
    let after = new.contents()?;
    let mut come = Contents::default();
    for change in changes {
        come = come.plus(found(&new, change).ok_or(HiveError::NotAsMeant)?);
    }
    if before.minus(gone).plus(come) != after {
        return Err(HiveError::NotAsMeant);
    }
    Ok(new.bytes)
}

/// Makes one change; what the hive lost by it.
fn carry_out(editor: &mut Editor, change: &Change, time: u64) -> Result<Contents, HiveError> {
    let there = |it: Option<(Key, PathHash)>| it.ok_or(HiveError::NotThere);
    match change {
        Change::RemoveValue { key, value } => {
            let (key, path) = there(editor.hive().place(key))?;
            let hive = editor.hive();
            let (name, known) = hive
                .value_named(key, &value.name)
                .ok_or(HiveError::NotThere)?;
            if hive.whole_value(&name, known).as_ref() != Some(value) {
                return Err(HiveError::NotThere);
            }
            let sum = hive.contents_of_value(path, known);
            editor.remove_value(key, known).ok_or(HiveError::Unsound)?;
            editor.touch(key, time).ok_or(HiveError::Unsound)?;
            sum.ok_or(HiveError::Unsound)
        }
        Change::RemoveKey { parent, tree } => {
            let (parent, path) = there(editor.hive().place(parent))?;
            let hive = editor.hive();
            let (name, key) = hive.child(parent, &tree.name).ok_or(HiveError::NotThere)?;
            if hive.tree(&name, key).as_ref() != Some(tree) {
                return Err(HiveError::NotThere);
            }
            let sum = hive.contents_of(key, path);
            editor.remove_key(parent, key).ok_or(HiveError::Unsound)?;
            editor.touch(parent, time).ok_or(HiveError::Unsound)?;
            sum.ok_or(HiveError::Unsound)
        }
        Change::SetValue { key, value } => {
            let (key, path) = there(editor.hive().place(key))?;
            set_value(editor, (key, path), value, time)
        }
        Change::AddKey { parent, tree } => {
            let (parent, _) = there(editor.hive().place(parent))?;
            if editor.hive().child(parent, &tree.name).is_some() {
                return Err(HiveError::NotThere);
            }
            editor.add_key(parent, tree).ok_or(HiveError::Full)?;
            editor.touch(parent, time).ok_or(HiveError::Unsound)?;
            Ok(Contents::default())
        }
    }
}

fn set_value(
    editor: &mut Editor,
    (key, path): (Key, PathHash),
    value: &HiveValue,
    time: u64,
) -> Result<Contents, HiveError> {
    let hive = editor.hive();
    let known = hive.value_named(key, &value.name);
    let sum = match &known {
        None => Contents::default(),
        Some((_, known)) => hive
            .contents_of_value(path, *known)
            .ok_or(HiveError::Unsound)?,
    };
    let before = known.and_then(|(name, at)| Some((hive.whole_value(&name, at)?, at)));
    match before {
        Some((before, at))
            if before.name == value.name
                && before.kind == value.kind
                && before.data.len() == value.data.len()
                && editor.overwrite(at, &value.data).is_some() => {}
        before => {
            if let Some((_, at)) = before {
                editor.remove_value(key, at).ok_or(HiveError::Unsound)?;
            } else if sum != Contents::default() {
                // There is one of that name, and what it is can't be said.
                return Err(HiveError::NotThere);
            }
            editor.add_value(key, value).ok_or(HiveError::Full)?;
        }
    }
    editor.touch(key, time).ok_or(HiveError::Unsound)?;
    Ok(sum)
}

/// What the new hive has by a change, if it is what was meant.
fn found(new: &Hive, change: &Change) -> Option<Contents> {
    match change {
        Change::RemoveValue { key, value } => {
            let is_gone = new
                .place(key)
                .is_none_or(|(key, _)| new.value_named(key, &value.name).is_none());
            is_gone.then(Contents::default)
        }
        Change::RemoveKey { parent, tree } => {
            let is_gone = new
                .place(parent)
                .is_none_or(|(parent, _)| new.child(parent, &tree.name).is_none());
            is_gone.then(Contents::default)
        }
        Change::SetValue { key, value } => {
            let (key, path) = new.place(key)?;
            let (name, at) = new.value_named(key, &value.name)?;
            let is_it = new.whole_value(&name, at)? == *value;
            is_it.then(|| new.contents_of_value(path, at))?
        }
        Change::AddKey { parent, tree } => {
            let (parent, path) = new.place(parent)?;
            let (name, key) = new.child(parent, &tree.name)?;
            // The lists are in an order of their own.
            let is_it = in_order(new.tree(&name, key)?) == in_order(tree.clone());
            is_it.then(|| new.contents_of(key, path))?
        }
    }
}

/// A key with all lists below it in one order.
fn in_order(mut tree: KeyTree) -> KeyTree {
    tree.keys = tree.keys.into_iter().map(in_order).collect();
    tree.keys.sort_by(|one, other| one.name.cmp(&other.name));
    tree.values.sort_by(|one, other| one.name.cmp(&other.name));
    tree
}

#[cfg(test)]
mod tests;
