//! What a name alone says, wherever it lies.

use std::collections::HashSet;
use std::sync::LazyLock;

use super::{Guard, lists};
use crate::rulebook::{Detect, Rule};

/// The lists, ready for millions of names: what can't be on one of them is told by its length or
/// its last letter.
struct Names {
    files: HashSet<&'static [u8]>,
    /// The lengths of the names in `files`, one bit each.
    lengths: u64,
    copies: Endings,
    secret: Endings,
    mail: Endings,
}

/// Endings, by their last letter.
struct Endings {
    last: [bool; 256],
    all: Vec<&'static [u8]>,
}

impl Endings {
    fn new<'a>(lists: impl IntoIterator<Item = &'a &'static str>) -> Self {
        let all: Vec<&[u8]> = lists.into_iter().map(|end| end.as_bytes()).collect();
        let mut last = [false; 256];
        for letter in all.iter().filter_map(|end| end.last()) {
            last[usize::from(*letter)] = true;
        }
        Self { last, all }
    }

    /// What is left of a name before one of these endings.
    fn strip<'a>(&self, name: &'a [u8]) -> Option<&'a [u8]> {
        let letter = name.last()?;
        if !self.last[usize::from(*letter)] {
            return None;
        }
        self.all.iter().find_map(|end| name.strip_suffix(*end))
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
    Names {
        lengths: files.iter().fold(0, |bits, name| bits | length(name)),
        files,
        copies: Endings::new(lists::COPY_ENDINGS.iter().chain(lists::UPGRADED)),
        secret: Endings::new(lists::SECRET_ENDINGS),
        mail: Endings::new(lists::MAIL_ENDINGS),
    }
});

/// A length as one bit; all lengths beyond the last share it.
fn length(name: &[u8]) -> u64 {
    1 << name.len().min(63)
}

/// The guard of a file by its name, which is given in small letters.
pub(super) fn names_guard(small: &[u8], rule: &Rule) -> Option<Guard> {
    let names = &*NAMES;
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
    let is_listed = spellings
        .iter()
        .any(|name| names.lengths & length(name) != 0 && names.files.contains(name));
    if is_listed && let Some(guard) = listed(&spellings, rule) {
        return Some(guard);
    }
    let ends = |endings: &Endings| {
        endings.strip(main).is_some() || endings.strip(inner).is_some()
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
