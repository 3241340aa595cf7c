//! What a name alone says, wherever it lies.

use std::sync::LazyLock;

use crate::rule::guard::families;
use crate::rule::guard::families::{COPY_WORDS, FAMILIES, FOLDERS, Family, PAIRS, Says};
use crate::rule::guard::lists::asks_for_references;
use crate::rule::{Detect, Guard, Rule};

/// A name of a family, as it is looked for: at the beginning of a word.
#[derive(Clone, Copy)]
struct Known {
    name: &'static [u8],
    says: Says,
    guard: Guard,
}

/// The families, by the first two letters of their names: most words of most names are passed by with one
/// look.
struct Families {
    by_start: Vec<Vec<Known>>,
    /// One bit for each entry of `by_start` that holds anything.
    likely: [u64; 1024],
}

/// Where names that begin with these two letters stand.
fn start_of(one: u8, two: u8) -> usize {
    usize::from(one) << 8 | usize::from(two)
}

/// Whether a letter is a part of a word; whatever isn't ASCII is.
fn is_of_word(byte: u8) -> bool {
    byte.is_ascii_alphanumeric() || !byte.is_ascii()
}

static FILES: LazyLock<Families> = LazyLock::new(|| Families::of(FAMILIES.iter()));

static IN_FOLDERS: LazyLock<Families> = LazyLock::new(|| {
    let endings = FAMILIES.iter().filter(|family| family.says == Says::Ending);
    Families::of(FOLDERS.iter().chain(endings))
});

impl Families {
    fn of(families: impl Iterator<Item = &'static Family>) -> Self {
        let mut by_start: Vec<Vec<Known>> = vec![Vec::new(); 1 << 16];
        let mut likely = [0_u64; 1024];
        let names = families.flat_map(|family| {
            let names = family.names.iter();
            names.map(|name| (family.says, family.guard, name.as_bytes()))
        });
        for (says, guard, name) in names {
            let [one, two, ..] = *name else { continue };
            let start = start_of(one, two);
            by_start[start].push(Known { name, says, guard });
            likely[start / 64] |= 1 << (start % 64);
        }
        Self { by_start, likely }
    }

    fn starting(&self, word: &[u8]) -> &[Known] {
        let [one, two, ..] = *word else { return &[] };
        let start = start_of(one, two);
        if self.likely[start / 64] & (1 << (start % 64)) == 0 {
            return &[];
        }
        &self.by_start[start]
    }

    /// The guards of the families that a name is of, in the order of its words.
    fn find(&self, small: &[u8], counts: &dyn Fn(&Known) -> bool) -> Option<Guard> {
        let mut is_start = true;
        let mut before = 0_u8;
        let mut at = 0;
        while let Some(byte) = small.get(at) {
            if !is_of_word(*byte) {
                before = *byte;
                at += 1;
                continue;
            }
            let rest = small.get(at..).unwrap_or_default();
            let is_it = |known: &&Known| {
                rest.strip_prefix(known.name).is_some_and(|after| {
                    let ends = after.first().is_none_or(|byte| !is_of_word(*byte));
                    ends && counts(known)
                        && match known.says {
                            Says::Anywhere => true,
                            Says::Start => is_start,
                            Says::Alone => is_start && words(after).all(is_copy_word),
                            Says::Hidden => {
                                is_start && before == b'.' && words(after).all(is_copy_word)
                            }
                            Says::Ending => before == b'.',
                        }
                })
            };
            if let Some(known) = self.starting(rest).iter().find(is_it) {
                return Some(known.guard);
            }
            let end = rest.iter().position(|byte| !is_of_word(*byte));
            let end = end.unwrap_or(rest.len());
            is_start = is_start && is_copy_word(rest.get(..end).unwrap_or_default());
            before = 0;
            at += end;
        }
        None
    }
}

fn words(name: &[u8]) -> impl Iterator<Item = &[u8]> {
    name.split(|byte| !is_of_word(*byte))
        .filter(|word| !word.is_empty())
}

/// Whether a word is one that a copy bears: of the list, or a number.
fn is_copy_word(word: &[u8]) -> bool {
    word.iter().all(u8::is_ascii_digit) || COPY_WORDS.iter().any(|known| known.as_bytes() == word)
}

/// The guard of a file by its name, which is given in small letters.
pub(crate) fn names_guard(small: &[u8], rule: &Rule) -> Option<Guard> {
    if let Some(records) = &rule.records {
        let table = records.table.to_ascii_lowercase();
        let mut also = records
            .also
            .iter()
            .map(|also| also.table.to_ascii_lowercase());
        if is_guarded_table(&table) || also.any(|table| is_guarded_table(&table)) {
            return Some(Guard::Secret);
        }
        // It holds bookmarks beside the visits, and these can go without them.
        let mut free = families::FREE_TABLES.iter();
        let is_free = |(file, of): &(&str, &str)| file.as_bytes() == small && *of == table;
        if records.also.is_empty() && free.any(is_free) {
            return None;
        }
    }
    // Of a person's hive only what points to nothing goes.
    if matches!(small, b"ntuser.dat" | b"usrclass.dat") && asks_for_references(rule) {
        return None;
    }
    // What can't be read holds no settings any more; its recogniser has looked.
    let is_checked = || rule.detect == Some(Detect::BrokenLauncher) && small.ends_with(b".plist");
    let counts =
        |known: &Known| known.says == Says::Ending || known.guard != Guard::Secret || !is_checked();
    FILES
        .find(small, &counts)
        .or_else(|| named_as_folder(small))
}

/// Whether rows of a table are never taken, whatever database it is in.
fn is_guarded_table(table: &str) -> bool {
    families::GUARDED_TABLES
        .iter()
        .any(|part| table.contains(part))
}

/// The guard of a file that is called as a guarded folder is.
fn named_as_folder(small: &[u8]) -> Option<Guard> {
    let name = small.strip_prefix(b".").unwrap_or(small);
    let is_it = |known: &&Known| {
        known.name == name
            && known.says != Says::Ending
            && (known.says == Says::Alone || name.len() < small.len())
    };
    IN_FOLDERS
        .starting(name)
        .iter()
        .find(is_it)
        .map(|known| known.guard)
}

/// The guard of a folder and everything in it by its name.
pub(crate) fn guarded_folder_name(name: &[u8]) -> Option<Guard> {
    IN_FOLDERS.find(&name.to_ascii_lowercase(), &|_| true)
}

/// The guard of a folder that only says with the one above it what it is.
pub(crate) fn guarded_pair(above: &[u8], name: &[u8]) -> Option<Guard> {
    let is = |part: &[u8], known: &str| part.eq_ignore_ascii_case(known.as_bytes());
    let mut pairs = PAIRS.iter();
    let found = pairs.find(|(_, first, second)| is(name, second) && is(above, first))?;
    Some(found.0)
}

/// Whether a folder of that name may be one of the three of a mail folder.
pub(crate) fn may_be_of_maildir(name: &[u8]) -> bool {
    families::MAILDIR.contains(&name)
}

#[cfg(test)]
pub(crate) mod tests {
    use super::*;

    /// The same said slowly and simply: every family in turn.
    pub(crate) fn slow_name_guard(name: &[u8], rule: &Rule) -> Option<Guard> {
        let small = name.to_ascii_lowercase();
        if matches!(&small[..], b"ntuser.dat" | b"usrclass.dat") && asks_for_references(rule) {
            return None;
        }
        let is_checked = rule.detect == Some(Detect::BrokenLauncher) && small.ends_with(b".plist");
        let mut found = Vec::new();
        let mut note = |says: Says, known: &str, guard: Guard| {
            let known = known.as_bytes();
            for at in 0..small.len() {
                let begins = at == 0 || !is_of_word(small[at - 1]);
                let Some(after) = small[at..].strip_prefix(known) else {
                    continue;
                };
                let ends = after.first().is_none_or(|byte| !is_of_word(*byte));
                let is_start = words(&small[..at]).all(is_copy_word);
                let fits = match says {
                    Says::Anywhere => true,
                    Says::Start => is_start,
                    Says::Alone => is_start && words(after).all(is_copy_word),
                    Says::Hidden => false,
                    Says::Ending => at > 0 && small[at - 1] == b'.',
                };
                if begins && ends && fits {
                    found.push(guard);
                }
            }
        };
        for family in FAMILIES {
            for known in family.names {
                if family.says == Says::Ending || family.guard != Guard::Secret || !is_checked {
                    note(family.says, known, family.guard);
                }
            }
        }
        for family in FOLDERS {
            let is_it = |known: &&str| {
                let hidden = small == [b".", known.as_bytes()].concat();
                hidden || (family.says == Says::Alone && small == known.as_bytes())
            };
            if family.names.iter().any(is_it) {
                found.push(family.guard);
            }
        }
        found.first().copied()
    }
}
