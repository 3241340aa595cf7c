//! Where the rules look on one target: places resolved to folders.

mod points;

use std::collections::{BTreeMap, HashSet};
use std::io;
use std::num::NonZeroUsize;
use std::sync::Arc;
use std::thread::{self, Builder};

use jolly_disk::Kind;

use crate::cancel::CancelToken;
use crate::computer::{Target, TargetPath, find_noting, is_pattern, listed_points};
use crate::rule::search::points::Points;
use crate::rule::{CompiledRule, ListFormat, RuleNumber, RuleSet};

/// Files of a folder by name, each with another file that stays for it.
pub type Twins = BTreeMap<Box<[u8]>, Twin>;

/// The file that stays for one that goes.
#[derive(Clone, Debug, PartialEq, Eq)]
pub struct Twin {
    /// Where it lies.
    pub stays: TargetPath,
    /// How both were when they were read, where it shows the same and has other contents; else it has the same contents.
    pub as_read: Option<AsRead>,
}

/// The length in bytes and the last modification (seconds since 1970) of two files, as they were when they were read.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub struct AsRead {
    /// Of the one that goes.
    pub goes: (u64, i64),
    /// Of the one that stays.
    pub stays: (u64, i64),
}

/// One folder that one rule looks in, for one account or for the system.
#[derive(Clone, Debug)]
pub struct Search {
    /// The rule.
    pub rule: RuleNumber,
    /// The account's position in the target; none for the system.
    pub account: Option<usize>,
    /// The folder; it itself never goes.
    pub root: TargetPath,
    /// Of a survey: its rule as it takes one thing in this folder alone.
    pub(crate) naming: Option<Arc<CompiledRule>>,
    /// Of copies and versions: what stays for each.
    pub(crate) twins: Option<Arc<Twins>>,
    /// Of restore points: those that may go, by name.
    pub(crate) points: Option<Arc<Points>>,
}

impl PartialEq for Search {
    fn eq(&self, other: &Self) -> bool {
        let named = |search: &Self| {
            let naming = search.naming.as_ref();
            naming.map(|rule| rule.rule.take.clone())
        };
        (self.rule, self.account, &self.root) == (other.rule, other.account, &other.root)
            && named(self) == named(other)
            && self.twins == other.twins
            && self.points == other.points
    }
}

impl Eq for Search {}

/// A folder that a rule names and that can't be looked in.
#[derive(Debug)]
pub struct Unresolved {
    /// The folder.
    pub path: TargetPath,
    /// What of it can't be known, where that isn't what lies in it.
    pub what: Option<&'static str>,
    /// What the kernel said.
    pub error: io::Error,
}

/// Resolves every rule's `in` on a target, in the order in which rules own things. Folders that
/// don't exist are left out; folders that can't be opened are told.
pub fn resolve(target: &Target, rules: &RuleSet) -> (Vec<Search>, Vec<Unresolved>) {
    let all: Vec<(RuleNumber, &CompiledRule)> = rules.iter().collect();
    // Of many accounts each rule asks in each: several threads look, each for some of the rules.
    let is_much = all.len().saturating_mul(target.accounts.len()) > MUCH;
    let threads = thread::available_parallelism().map_or(1, NonZeroUsize::get);
    let share = all.len().div_ceil(if is_much { threads } else { 1 }).max(1);
    let (mut searches, mut unresolved) = (Vec::new(), Vec::new());
    thread::scope(|scope| {
        let mut rest = Vec::new();
        for some in all.chunks(share).skip(1) {
            let look = move || searches_of(target, some);
            // Where threads are short, it is looked up here.
            let begun = Builder::new().spawn_scoped(scope, look);
            rest.push((some, begun.ok()));
        }
        let mut take = |(found, missed): (Vec<Search>, Vec<Unresolved>)| {
            searches.extend(found);
            unresolved.extend(missed);
        };
        take(searches_of(
            target,
            all.get(..share.min(all.len())).unwrap_or_default(),
        ));
        for (some, begun) in rest {
            let found = begun.and_then(|begun| begun.join().ok());
            take(found.unwrap_or_else(|| searches_of(target, some)));
        }
    });
    let mut told = HashSet::new();
    unresolved.retain(|one: &Unresolved| told.insert(one.path.clone()));
    let is_of_points = |search: &Search| {
        let rule = &rules.rule(search.rule).rule;
        rule.entries == Some(ListFormat::Snapshots)
    };
    let (of_points, mut searches): (Vec<_>, Vec<_>) = searches.into_iter().partition(is_of_points);
    if !of_points.is_empty() {
        match listed_points(target, &CancelToken::default()) {
            Ok(points) => searches.extend(points::searches(&points, rules, &of_points)),
            Err(error) => unresolved.push(Unresolved {
                path: TargetPath::root(),
                what: Some("restore points"),
                error,
            }),
        }
    }
    (searches, unresolved)
}

/// From so many questions, of each rule for each account, on it is worth several threads.
const MUCH: usize = 2000;

/// Where some rules look, and what could not be looked at.
fn searches_of(
    target: &Target,
    rules: &[(RuleNumber, &CompiledRule)],
) -> (Vec<Search>, Vec<Unresolved>) {
    let mut searches: Vec<Search> = Vec::new();
    let mut unresolved: Vec<Unresolved> = Vec::new();
    for (number, rule) in rules {
        let mut of_rule: Vec<Search> = Vec::new();
        let mut known: HashSet<(Option<usize>, TargetPath)> = HashSet::new();
        for within in &rule.rule.within {
            for (account, base) in target.places.of(within.place) {
                let mut note = |path: TargetPath, error: io::Error| {
                    if error.kind() != io::ErrorKind::NotFound {
                        let what = None;
                        unresolved.push(Unresolved { path, what, error });
                    }
                };
                for root in unfold(target, base, &within.below, &mut note) {
                    let search = Search {
                        rule: *number,
                        account,
                        root,
                        naming: None,
                        twins: None,
                        points: None,
                    };
                    if known.insert((account, search.root.clone())) {
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
    let parts: Vec<&str> = parts.iter().map(String::as_str).collect();
    let (disk, root) = (&**target.disk(), target.root());
    let found = find_noting(
        disk,
        root,
        base,
        &parts,
        target.layout,
        &mut |path, error| {
            note(path.clone(), error);
        },
    );
    // A link where a rule names a folder is told; links that a pattern happens to match are not.
    let is_named = parts.last().is_none_or(|part| !is_pattern(part));
    // What a pattern finds has to lie on the volume that it looks in: a snapshot's folders are called as the
    // first ones are.
    let first = parts.iter().position(|part| is_pattern(part));
    let device = |path: &TargetPath| {
        let folder = disk.open_folder(root, path.as_bytes()).ok()?;
        Some(disk.stat_folder(&folder).ok()?.key.device)
    };
    let named = first.map(|first| {
        let named = parts.get(..first).unwrap_or_default();
        let written = named.iter().fold(base.clone(), |path, part| {
            path.join(part.as_bytes()).unwrap_or(path)
        });
        device(&written)
    });
    let is_there = |path: &TargetPath| {
        named
            .flatten()
            .is_none_or(|named| device(path).is_none_or(|own| own == named))
    };
    let mut paths: Vec<TargetPath> = found
        .into_iter()
        .filter(|(_, kind)| *kind == Kind::Folder || (*kind == Kind::Link && is_named))
        .map(|(path, _)| path)
        .filter(|path| {
            let is_there = is_there(path);
            if !is_there {
                note(path.clone(), io::ErrorKind::CrossesDevices.into());
            }
            is_there
        })
        .collect();
    paths.retain(|path| match disk.open_folder(root, path.as_bytes()) {
        Ok(_) => true,
        Err(error) => {
            note(path.clone(), error);
            false
        }
    });
    paths
}
