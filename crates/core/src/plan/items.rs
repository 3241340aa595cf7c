//! The items of a manifest, in columns: there are millions.
//!
//! One takes eighty bytes and its name; the folder that it lies in, its rule, account and unit stand once for all that
//! follow each other in it. An item as a whole is made when it is asked for.

use std::collections::HashMap;
use std::ops::Range;
use std::sync::Arc;

use jolly_disk::{FileKey, Stamp};

use crate::computer::{EntryKind, TargetPath};
use crate::plan::{FileIdentity, ManifestItem};
use crate::rule::Removal;

/// How many names follow each other before where one starts is written down.
const STRIDE: usize = 64;

/// No account, no unit.
const NONE: u32 = u32::MAX;

/// What an item frees, where that isn't said by itself.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
enum Frees {
    Nothing,
    /// All that it holds.
    Held,
    /// What `Items::frees` says.
    Other,
}

#[derive(Clone, Copy, Debug, PartialEq, Eq)]
struct Row {
    inode: u64,
    size: u64,
    held: u64,
    modified: i64,
    changed: i64,
    time: i64,
    modified_nanos: u32,
    changed_nanos: u32,
    links: u32,
    folder: u32,
    account: u32,
    unit: u32,
    rule: u32,
    name_len: u16,
    kind: EntryKind,
    by: Removal,
    frees: Frees,
}

/// A folder in which items lie that follow each other, and the device that they are on.
#[derive(Clone, Debug, PartialEq, Eq)]
struct Holder {
    path: TargetPath,
    device: u64,
}

/// The items of a manifest, in the order in which they go.
#[derive(Clone, Debug, Default)]
pub struct Items {
    rows: Vec<Row>,
    names: Vec<u8>,
    /// Where the names of every 64th row start.
    starts: Vec<u64>,
    folders: Vec<Holder>,
    rules: Vec<Arc<str>>,
    accounts: Vec<Arc<str>>,
    units: Vec<Arc<TargetPath>>,
    /// What must be gone before an item, by its number.
    after: HashMap<usize, TargetPath>,
    frees: HashMap<usize, u64>,
    known: Known,
}

/// Numbers of what was seen before.
#[derive(Clone, Debug, Default)]
struct Known {
    rules: HashMap<Arc<str>, u32>,
    accounts: HashMap<Arc<str>, u32>,
    units: HashMap<Arc<TargetPath>, u32>,
}

/// The number of a thing, which is added when it is new.
fn number_of<T: Clone + Eq + std::hash::Hash>(
    all: &mut Vec<T>,
    known: &mut HashMap<T, u32>,
    one: &T,
) -> u32 {
    if let Some(number) = known.get(one) {
        return *number;
    }
    let number = u32::try_from(all.len()).unwrap_or(NONE);
    all.push(one.clone());
    known.insert(one.clone(), number);
    number
}

/// One item as it lies in the columns.
#[derive(Clone, Copy)]
pub(crate) struct ItemView<'a> {
    items: &'a Items,
    row: &'a Row,
    number: usize,
    name: &'a [u8],
}

impl<'a> ItemView<'a> {
    /// The bytes of its path, in pieces that follow each other.
    pub(crate) fn path_pieces(&self) -> [&'a [u8]; 3] {
        let folder = self
            .folder()
            .map_or(&[][..], |folder| folder.path.as_bytes());
        match (folder.is_empty(), self.name.is_empty()) {
            (true, _) => [&[], &[], self.name],
            (false, true) => [folder, &[], &[]],
            (false, false) => [folder, b"/", self.name],
        }
    }

    fn folder(&self) -> Option<&'a Holder> {
        self.items.folders.get(self.row.folder as usize)
    }

    pub(crate) fn key(&self) -> FileKey {
        FileKey {
            device: self.folder().map_or(0, |folder| folder.device),
            inode: self.row.inode,
        }
    }

    pub(crate) fn by(&self) -> Removal {
        self.row.by
    }

    pub(crate) fn unit(&self) -> Option<&'a Arc<TargetPath>> {
        self.items.units.get(self.row.unit as usize)
    }

    pub(crate) fn bytes(&self) -> u64 {
        match self.row.frees {
            Frees::Nothing => 0,
            Frees::Held => self.row.held,
            Frees::Other => self.items.frees.get(&self.number).copied().unwrap_or(0),
        }
    }

    pub(crate) fn identity(&self) -> FileIdentity {
        let row = self.row;
        FileIdentity {
            key: self.key(),
            // A folder's own blocks say nothing of which it is.
            size: if row.kind == EntryKind::Folder {
                0
            } else {
                row.size
            },
            modified: Stamp {
                seconds: row.modified,
                nanos: row.modified_nanos,
            },
            changed: Stamp {
                seconds: row.changed,
                nanos: row.changed_nanos,
            },
            links: row.links,
        }
    }

    /// The item as a whole.
    pub(crate) fn item(&self) -> ManifestItem {
        let (items, row) = (self.items, self.row);
        let folder = self
            .folder()
            .map(|folder| folder.path.clone())
            .unwrap_or_default();
        let path = match self.name {
            [] => folder,
            name => folder.join(name).unwrap_or_default(),
        };
        ManifestItem {
            rule: items
                .rules
                .get(row.rule as usize)
                .cloned()
                .unwrap_or_default(),
            account: items.accounts.get(row.account as usize).cloned(),
            kind: row.kind,
            path,
            by: row.by,
            bytes: self.bytes(),
            held: row.held,
            size: row.size,
            time: row.time,
            identity: self.identity(),
            after: items.after.get(&self.number).cloned(),
            unit: self.unit().cloned(),
        }
    }
}

impl Items {
    /// Room for so many items whose names have so many bytes together.
    pub(crate) fn with_capacity(many: usize, names: usize) -> Self {
        Self {
            rows: Vec::with_capacity(many),
            names: Vec::with_capacity(names),
            starts: Vec::with_capacity(many / STRIDE + 1),
            ..Self::default()
        }
    }

    /// How many there are.
    pub fn len(&self) -> usize {
        self.rows.len()
    }

    /// Whether there are none.
    pub fn is_empty(&self) -> bool {
        self.rows.is_empty()
    }

    /// Adds one at the end.
    pub fn push(&mut self, item: &ManifestItem) {
        let (folder, name) = match (item.path.parent(), u16::try_from(item.path.name().len())) {
            (Some(folder), Ok(len)) if len > 0 => (folder, item.path.name()),
            // The root itself, or a name that no file system has: the whole path stands for the folder.
            _ => (item.path.clone(), &[][..]),
        };
        let number = self.rows.len();
        let identity = &item.identity;
        let device = identity.key.device;
        let is_last = |last: &Holder| last.device == device && last.path == folder;
        if !self.folders.last().is_some_and(is_last) {
            self.folders.push(Holder {
                path: folder,
                device,
            });
        }
        let frees = match item.bytes {
            0 => Frees::Nothing,
            bytes if bytes == item.held => Frees::Held,
            bytes => {
                self.frees.insert(number, bytes);
                Frees::Other
            }
        };
        if let Some(after) = &item.after {
            self.after.insert(number, after.clone());
        }
        if number.is_multiple_of(STRIDE) {
            self.starts.push(self.names.len() as u64);
        }
        self.names.extend_from_slice(name);
        let known = &mut self.known;
        self.rows.push(Row {
            inode: identity.key.inode,
            size: item.size,
            held: item.held,
            modified: identity.modified.seconds,
            changed: identity.changed.seconds,
            time: item.time,
            modified_nanos: identity.modified.nanos,
            changed_nanos: identity.changed.nanos,
            links: identity.links,
            folder: u32::try_from(self.folders.len() - 1).unwrap_or(NONE),
            account: (item.account.as_ref()).map_or(NONE, |account| {
                number_of(&mut self.accounts, &mut known.accounts, account)
            }),
            unit: (item.unit.as_ref()).map_or(NONE, |unit| {
                number_of(&mut self.units, &mut known.units, unit)
            }),
            rule: number_of(&mut self.rules, &mut known.rules, &item.rule),
            name_len: u16::try_from(name.len()).unwrap_or(0),
            kind: item.kind,
            by: item.by,
            frees,
        });
    }

    /// One of them.
    pub fn get(&self, number: usize) -> Option<ManifestItem> {
        Some(self.views(number..number + 1).next()?.item())
    }

    /// All of them.
    pub fn iter(&self) -> ItemsIter<'_> {
        self.range(0..self.len())
    }

    /// Some of them.
    pub fn range(&self, range: Range<usize>) -> ItemsIter<'_> {
        ItemsIter(self.views(range))
    }

    /// Some of them as they lie in the columns.
    pub(crate) fn views(&self, range: Range<usize>) -> Views<'_> {
        let first = range.start.min(self.len());
        let block = first / STRIDE;
        let before = self.rows.get(block * STRIDE..first).unwrap_or_default();
        let skipped: usize = before.iter().map(|row| usize::from(row.name_len)).sum();
        let start = self.starts.get(block).copied().unwrap_or(0);
        Views {
            items: self,
            numbers: first..range.end.min(self.len()),
            at: usize::try_from(start)
                .unwrap_or(usize::MAX)
                .saturating_add(skipped),
        }
    }
}

/// Items one after the other, as they lie in the columns.
pub(crate) struct Views<'a> {
    items: &'a Items,
    numbers: Range<usize>,
    /// Where the next name starts.
    at: usize,
}

impl<'a> Iterator for Views<'a> {
    type Item = ItemView<'a>;

    fn next(&mut self) -> Option<ItemView<'a>> {
        let number = self.numbers.next()?;
        let row = self.items.rows.get(number)?;
        let end = self.at.saturating_add(usize::from(row.name_len));
        let name = self.items.names.get(self.at..end).unwrap_or_default();
        self.at = end;
        Some(ItemView {
            items: self.items,
            row,
            number,
            name,
        })
    }

    fn size_hint(&self) -> (usize, Option<usize>) {
        self.numbers.size_hint()
    }
}

/// Items one after the other, each made when it is asked for.
pub struct ItemsIter<'a>(Views<'a>);

impl Iterator for ItemsIter<'_> {
    type Item = ManifestItem;

    fn next(&mut self) -> Option<ManifestItem> {
        self.0.next().map(|view| view.item())
    }

    fn size_hint(&self) -> (usize, Option<usize>) {
        self.0.size_hint()
    }
}

impl<'a> IntoIterator for &'a Items {
    type Item = ManifestItem;
    type IntoIter = ItemsIter<'a>;

    fn into_iter(self) -> ItemsIter<'a> {
        self.iter()
    }
}

impl PartialEq for Items {
    fn eq(&self, other: &Self) -> bool {
        self.len() == other.len() && self.iter().eq(other.iter())
    }
}

impl Eq for Items {}

impl FromIterator<ManifestItem> for Items {
    fn from_iter<T: IntoIterator<Item = ManifestItem>>(items: T) -> Self {
        let mut all = Self::default();
        for item in items {
            all.push(&item);
        }
        all
    }
}

#[cfg(test)]
mod tests {
    use proptest::prelude::*;

    use super::*;

    prop_compose! {
        fn any_item()(
            path in "[ab]{0,2}(/[ab.]{1,3}){0,2}",
            (account, rule, after, unit) in ("[ij]?", "[rs]", "[xy]?", "[uv]?"),
            (bytes, held, size, device) in (0..3_u64, 0..3_u64, 0..(1_u64 << 40), 0..2_u64),
            (time, nanos, links, kind) in (any::<i64>(), 0..1_000_000_000_u32, any::<u32>(), 0..3_u8),
        ) -> ManifestItem {
            let kind = [EntryKind::File, EntryKind::Link, EntryKind::Folder][usize::from(kind)];
            let path_of = |text: &str| TargetPath::new(text).unwrap_or_default();
            let some_path = |text: String| (!text.is_empty()).then(|| path_of(&text));
            let stamp = |seconds| Stamp { seconds, nanos };
            ManifestItem {
                rule: rule.as_str().into(),
                account: (!account.is_empty()).then(|| account.as_str().into()),
                kind,
                path: path_of(&harmless(&path)),
                by: if links.is_multiple_of(2) { Removal::Remove } else { Removal::SetAside },
                bytes,
                held,
                size,
                time,
                identity: FileIdentity {
                    key: FileKey { device, inode: size },
                    size: if kind == EntryKind::Folder { 0 } else { size },
                    modified: stamp(time),
                    changed: stamp(time.wrapping_add(1)),
                    links,
                },
                after: some_path(after),
                unit: some_path(unit).map(Arc::new),
            }
        }
    }

    /// A path of a target: down, and nowhere else.
    fn harmless(text: &str) -> String {
        let parts = text
            .split('/')
            .filter(|part| !matches!(*part, "" | "." | ".."));
        parts.collect::<Vec<_>>().join("/")
    }

    proptest! {
        #[test]
        fn prop_the_columns_give_back_what_was_put_in_from_any_place_on(
            items in proptest::collection::vec(any_item(), 0..200), from in 0..220_usize,
        ) {
            let columns: Items = items.iter().cloned().collect();
            prop_assert_eq!(columns.len(), items.len());
            prop_assert!(columns.iter().eq(items.iter().cloned()));
            let rest = items.get(from.min(items.len())..).unwrap_or_default();
            prop_assert!(columns.range(from..items.len()).eq(rest.iter().cloned()));
            prop_assert_eq!(columns.get(from), items.get(from).cloned());
            for view in columns.views(0..columns.len()) {
                let item = view.item();
                prop_assert_eq!(view.path_pieces().concat(), item.path.as_bytes());
            }
        }
    }
}
