//! Where the rules look on one target: places resolved to folders.

use std::collections::HashSet;
use std::io;
use std::ops::ControlFlow;

use jolly_disk::Kind;

use crate::rulebook::{RuleNumber, RuleSet, pattern};
use crate::target::{Target, TargetPath};

/// One folder that one rule looks in, for one account or for the system.
#[derive(Clone, Debug, PartialEq, Eq)]
pub struct Search {
    /// The rule.
    pub rule: RuleNumber,
    /// The account's position in the target; none for the system.
    pub account: Option<usize>,
    /// The folder; it itself never goes.
    pub root: TargetPath,
}

/// A folder that a rule names and that can't be looked in.
#[derive(Debug)]
pub struct Unresolved {
    /// The folder.
    pub path: TargetPath,
    /// What the kernel said.
    pub error: io::Error,
}

/// Resolves every rule's `in` on a target, in the order in which rules own things. Folders that
/// don't exist are left out; folders that can't be opened are told.
pub fn resolve(target: &Target, rules: &RuleSet) -> (Vec<Search>, Vec<Unresolved>) {
    let mut searches: Vec<Search> = Vec::new();
    let mut unresolved: Vec<Unresolved> = Vec::new();
    let mut told = HashSet::new();
    for (number, rule) in rules.iter() {
        let mut of_rule: Vec<Search> = Vec::new();
        for within in &rule.rule.within {
            for (account, base) in target.places.of(within.place) {
                let mut note = |path: TargetPath, error: io::Error| {
                    let is_absent = error.kind() == io::ErrorKind::NotFound;
                    if !is_absent && told.insert(path.clone()) {
                        unresolved.push(Unresolved { path, error });
                    }
                };
                for root in unfold(target, base, &within.below, &mut note) {
                    let search = Search {
                        rule: number,
                        account,
                        root,
                    };
                    if !of_rule.contains(&search) {
                        of_rule.push(search);
                    }
                }
            }
        }
        of_rule.sort_by_key(|search| search.account);
        searches.extend(of_rule);
    }
    (searches, unresolved)
}

/// Follows the parts below a place; a part that is a pattern unfolds to every folder it matches.
fn unfold(
    target: &Target,
    base: &TargetPath,
    parts: &[String],
    note: &mut dyn FnMut(TargetPath, io::Error),
) -> Vec<TargetPath> {
    let mut paths = vec![base.clone()];
    for part in parts {
        let mut next = Vec::new();
        for path in &paths {
            if pattern::is_pattern(part) {
                match folders_matching(target, path, part) {
                    Ok(names) => next.extend(names),
                    Err(error) => note(path.clone(), error),
                }
            } else {
                next.extend(path.join(part.as_bytes()).ok());
            }
        }
        paths = next;
    }
    paths.retain(
        |path| match target.disk().open_folder(target.root(), path.as_bytes()) {
            Ok(_) => true,
            Err(error) => {
                note(path.clone(), error);
                false
            }
        },
    );
    paths
}

fn folders_matching(target: &Target, path: &TargetPath, part: &str) -> io::Result<Vec<TargetPath>> {
    use std::os::unix::ffi::OsStrExt as _;
    let disk = target.disk();
    let folder = disk.open_folder(target.root(), path.as_bytes())?;
    let matcher = pattern::compile(part)
        .map_err(io::Error::other)?
        .compile_matcher();
    let mut found = Vec::new();
    disk.list(&folder, &mut |entry| {
        let name = entry.name.to_bytes();
        if matcher.is_match(std::path::Path::new(std::ffi::OsStr::from_bytes(name))) {
            let kind = entry
                .kind
                .or_else(|| disk.stat(&folder, entry.name).ok().map(|is| is.kind));
            if kind == Some(Kind::Folder) {
                found.extend(path.join(name).ok());
            }
        }
        ControlFlow::Continue(())
    })?;
    found.sort();
    Ok(found)
}
