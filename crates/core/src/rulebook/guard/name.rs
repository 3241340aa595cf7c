//! What a name alone says, wherever it lies.

use std::collections::HashSet;
use std::sync::LazyLock;

use super::{Guard, lists};
use crate::rulebook::{Detect, Rule};

/// The lists, ready for millions of names: what can't be on one of them is told by its length and
/// its first and last letter.
struct Names {
    files: HashSet<&'static [u8]>,
    /// For every length and first letter of a name in `files` one bit, at [`place`].
    likely: [u64; 64],
    copies: Endings,
    secret: Endings,
    mail: Endings,
    /// Whether a name with these last two letters can have one of those endings.
    ends: [bool; 256],
}

/// Endings, by their last two letters.
struct Endings {
    by_last: Vec<Vec<&'static [u8]>>,
    /// Endings of one letter.
    short: Vec<u8>,
}

/// One number for the last two letters of a name; others may share it.
fn last_two(name: &[u8]) -> Option<usize> {
    let [.., one, two] = name else { return None };
    Some(usize::from(one.wrapping_mul(37) ^ two))
}

impl Endings {
    fn new<'a>(lists: impl IntoIterator<Item = &'a &'static str>) -> Self {
        let mut endings = Self {
            by_last: vec![Vec::new(); 256],
            short: Vec::new(),
        };
        for end in lists {
            match last_two(end.as_bytes()) {
                Some(last) => endings.by_last[last].push(end.as_bytes()),
                None => endings.short.extend(end.as_bytes()),
            }
        }
        endings
    }

    /// What is left of a name before one of these endings.
    fn strip<'a>(&self, name: &'a [u8]) -> Option<&'a [u8]> {
        let (last, rest) = name.split_last()?;
        if self.short.contains(last) {
            return Some(rest);
        }
        let ends = self.by_last.get(last_two(name)?)?;
        ends.iter().find_map(|end| name.strip_suffix(*end))
    }
}

static NAMES: LazyLock<Names> = LazyLock::new(|| {
    let files = [
        lists::SYSTEM_FILES,
        lists::SECRET_FILES,
        lists::SECRET_FOLDERS,
        lists::MAIL_FOLDERS,
    ];
    let files: HashSet<&[u8]> = files
        .into_iter()
        .flatten()
        .map(|name| name.as_bytes())
        .collect();
    let mut likely = [0; 64];
    for name in &files {
        let (word, bit) = place(name);
        likely[word] |= bit;
    }
    let copies = Endings::new(lists::COPY_ENDINGS.iter().chain(lists::UPGRADED));
    let secret = Endings::new(lists::SECRET_ENDINGS);
    let mail = Endings::new(lists::MAIL_ENDINGS);
    let mut ends = [false; 256];
    for endings in [&copies, &secret, &mail] {
        for (ends, listed) in ends.iter_mut().zip(&endings.by_last) {
            *ends |= !listed.is_empty();
        }
    }
    Names {
        files,
        likely,
        copies,
        secret,
        mail,
        ends,
    }
});

/// Where a name of this length and these letters has its bit; others may share it.
fn place(name: &[u8]) -> (usize, u64) {
    let letter = |at: Option<&u8>| usize::from(at.copied().unwrap_or(0)) % 64;
    let bit = (letter(name.first()) + 7 * letter(name.last())) % 64;
    (name.len() % 64, 1 << bit)
}

impl Names {
    /// Whether nothing but the name as it stands needs a look: it has none of the endings, and
    /// isn't written as an editor writes what it keeps beside a file.
    fn is_plain(&self, name: &[u8]) -> bool {
        let [first, .., last] = name else {
            return false;
        };
        let ends = last_two(name).is_none_or(|at| self.ends[at]);
        !ends
            && !matches!(first, b'.' | b'#')
            && *last != b'#'
            && [&self.copies, &self.secret, &self.mail]
                .iter()
                .all(|endings| !endings.short.contains(last))
    }

    fn holds(&self, name: &[u8]) -> bool {
        let (word, bit) = place(name);
        self.likely[word] & bit != 0 && self.files.contains(name)
    }
}

/// The guard of a file by its name, which is given in small letters.
pub(super) fn names_guard(small: &[u8], rule: &Rule) -> Option<Guard> {
    let names = &*NAMES;
    if names.is_plain(small) {
        return if names.holds(small) {
            listed(&[small; 3], rule)
        } else {
            is_hive(small).then_some(Guard::System)
        };
    }
    let mut main = small;
    // A copy of a guarded file is as guarded as the file, and so is a copy of the copy.
    while let Some(rest) = names.copies.strip(main) {
        main = rest;
    }
    // An editor's swap file of `x` is called `.x.swp`, its safety copy `#x#`.
    let inner = main.strip_prefix(b".").unwrap_or(main);
    let inner = inner.strip_prefix(b"#").unwrap_or(inner);
    let inner = inner.strip_suffix(b"#").unwrap_or(inner);
    let spellings = [small, main, inner];
    let is_listed = names.holds(small)
        || (main.len() != small.len() && names.holds(main))
        || (inner.len() != main.len() && names.holds(inner));
    if is_listed && let Some(guard) = listed(&spellings, rule) {
        return Some(guard);
    }
    let ends = |endings: &Endings| {
        endings.strip(main).is_some()
            || (inner.len() != main.len() && endings.strip(inner).is_some())
    };
    if is_hive(main) {
        Some(Guard::System)
    } else if ends(&names.secret) {
        Some(Guard::Secret)
    } else if ends(&names.mail) {
        Some(Guard::Mail)
    } else {
        None
    }
}

/// The guard of a name that is on one of the lists.
fn listed(spellings: &[&[u8]; 3], rule: &Rule) -> Option<Guard> {
    let is = |list: &[&str]| {
        let mut known = list.iter().map(|name| name.as_bytes());
        known.any(|known| spellings.contains(&known))
    };
    let [small, ..] = *spellings;
    // What can't be read holds no settings any more; its recogniser has looked.
    let is_checked = rule.detect == Some(Detect::BrokenLauncher) && small.ends_with(b".plist");
    if is(lists::SYSTEM_FILES) {
        Some(Guard::System)
    } else if is(lists::SECRET_FILES) && !is_checked {
        Some(Guard::Secret)
    } else {
        guarded_folder_name(small)
    }
}

/// The guard of a folder and everything in it by its name.
pub(super) fn guarded_folder_name(name: &[u8]) -> Option<Guard> {
    let small = name.to_ascii_lowercase();
    let is_in = |list: &[&str]| list.iter().any(|known| known.as_bytes() == small);
    if is_in(lists::SECRET_FOLDERS) {
        Some(Guard::Secret)
    } else if is_in(lists::MAIL_FOLDERS) {
        Some(Guard::Mail)
    } else {
        None
    }
}

/// Whether it is an account's part of the registry, its logs or its transactions.
fn is_hive(small: &[u8]) -> bool {
    [&b"ntuser.dat"[..], b"usrclass.dat"]
        .iter()
        .any(|hive| small.starts_with(hive))
}

#[cfg(test)]
pub(super) mod tests {
    use super::*;

    /// The same said slowly and simply: every list in turn.
    pub(in crate::rulebook::guard) fn slow_name_guard(name: &[u8], rule: &Rule) -> Option<Guard> {
        let small = name.to_ascii_lowercase();
        let mut main = &small[..];
        let endings = || lists::COPY_ENDINGS.iter().chain(lists::UPGRADED);
        while let Some(rest) = endings().find_map(|end| main.strip_suffix(end.as_bytes())) {
            main = rest;
        }
        let inner = main.strip_prefix(b".").unwrap_or(main);
        let inner = inner.strip_prefix(b"#").unwrap_or(inner);
        let inner = inner.strip_suffix(b"#").unwrap_or(inner);
        let is = |list: &[&str]| {
            let mut known = list.iter().map(|name| name.as_bytes());
            known.any(|known| known == small || known == main || known == inner)
        };
        let ends = |list: &[&str]| {
            let mut ends = list.iter().map(|end| end.as_bytes());
            ends.any(|end| main.ends_with(end) || inner.ends_with(end))
        };
        let is_checked = rule.detect == Some(Detect::BrokenLauncher) && small.ends_with(b".plist");
        if is(lists::SYSTEM_FILES) || is_hive(main) {
            Some(Guard::System)
        } else if (is(lists::SECRET_FILES) && !is_checked) || ends(lists::SECRET_ENDINGS) {
            Some(Guard::Secret)
        } else if ends(lists::MAIL_ENDINGS) {
            Some(Guard::Mail)
        } else {
            guarded_folder_name(name)
        }
    }
}
