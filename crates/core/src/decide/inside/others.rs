//! What lies in a pile's folders and is not of the pile, and why.

use std::ops::ControlFlow;

use crate::cancel::CancelToken;
use crate::computer::TargetPath;
use crate::pile::{Question, Scan, explain};
use crate::rule::{RuleNumber, Verdict};

/// The most that is told of one folder.
const MOST: usize = 200;

/// The most names that are read of one folder to find them.
const MOST_READ: usize = 20_000;

/// One thing that is not of the pile.
#[derive(Clone, Debug, PartialEq, Eq)]
pub struct Other {
    /// Its name.
    pub name: Vec<u8>,
    /// What the rules say of it.
    pub verdict: Verdict,
    /// The rule that has it or would have it.
    pub rule: Option<RuleNumber>,
    /// Why, in words.
    pub reason: String,
}

/// What lies in a folder and is not of the pile.
#[derive(Clone, Debug, Default, PartialEq, Eq)]
pub struct Others {
    /// Each of them, by name.
    pub all: Vec<Other>,
    /// Whether there may be more.
    pub has_more: bool,
}

/// Looks for what lies directly in a folder of the target and is not `known`, which is the names
/// of what the pile has there, sorted. What can't be read is not there.
pub fn others(scan: &Scan, folder: &TargetPath, known: &[Vec<u8>], cancel: &CancelToken) -> Others {
    let disk = scan.target.disk();
    let mut names: Vec<Vec<u8>> = Vec::new();
    let mut found = Others::default();
    if let Ok(opened) = disk.open_folder(scan.target.root(), folder.as_bytes()) {
        let mut read = 0;
        let listed = disk.list(&opened, &mut |entry| {
            read += 1;
            let name = entry.name.to_bytes();
            let is_new = known
                .binary_search_by(|other| other.as_slice().cmp(name))
                .is_err();
            if is_new {
                names.push(name.to_vec());
            }
            found.has_more = names.len() > MOST || read > MOST_READ;
            if found.has_more || cancel.is_cancelled() {
                ControlFlow::Break(())
            } else {
                ControlFlow::Continue(())
            }
        });
        // What a failed listing told is true all the same.
        found.has_more |= listed.is_err();
    }
    names.sort();
    names.truncate(MOST);
    for name in names {
        let Ok(path) = folder.join(&name) else {
            continue;
        };
        if cancel.is_cancelled() {
            break;
        }
        let question = Question {
            target: &scan.target,
            rules: &scan.rules,
            searches: &scan.searches,
            guards: &scan.guards,
            now: scan.now,
        };
        let said = explain(&question, &path);
        found.all.push(Other {
            name,
            verdict: said.verdict,
            rule: said.rule,
            reason: said.reason,
        });
    }
    found
}
