//! When programs were used last, as the lists of documents opened last say.

use std::collections::HashMap;

use crate::format::xbel::applications::applications;
use crate::survey::programs::names::normal;
use crate::survey::programs::{Gathering, below, read_at};

/// A longer list is not read.
const MOST_BYTES: u64 = 16 << 20;

/// Notes the last use of programs that such lists name. A list that can't be read says nothing of any program's absence.
pub(super) fn gather(gathering: &mut Gathering<'_>) {
    let target = gathering.target;
    let mut known: HashMap<String, usize> = HashMap::new();
    for (at, program) in gathering.programs.iter().enumerate() {
        for (name, _) in &program.names {
            known.entry(name.clone()).or_insert(at);
        }
    }
    for account in &target.accounts {
        let path = below(&account.home, b".local/share/recently-used.xbel");
        let list = read_at(target, &path, MOST_BYTES).ok();
        let Some(text) = list.and_then(|bytes| String::from_utf8(bytes).ok()) else {
            continue;
        };
        for used in applications(&text) {
            let mut names = [&used.name, &used.file]
                .map(|name| normal(name))
                .into_iter();
            let at = names.find_map(|name| known.get(&name).copied());
            if let Some(program) = at.and_then(|at| gathering.programs.get_mut(at)) {
                program.used(Some(used.when));
            }
        }
    }
}
