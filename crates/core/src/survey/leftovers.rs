//! What programs that are gone left behind: folders that belong to nothing that is there, with the evidence for and
//! against, in words.
//!
//! `candidates` finds them and leaves out what is a present program's, shared, or guarded; `contents` looks at what is in
//! each; `weigh` grades all that bears one name together. Where the inventory isn't whole nothing is sure. It is seen here
//! and decided nowhere: a folder that only looks like a leftover may be somebody's own.

mod candidates;
mod contents;
mod searches;
mod vanished;
mod weigh;

pub use searches::searches_of_leftovers;

use std::collections::BTreeMap;

use jiff::Timestamp;
use serde::Serialize;

use crate::cancel::CancelToken;
use crate::computer::{Target, TargetPath};
use crate::survey::leftovers::candidates::Candidate;
use crate::survey::leftovers::vanished::Vanished;
use crate::survey::{Belongs, Inventory};

/// How sure it is that something was left behind.
#[derive(Clone, Copy, Debug, PartialEq, Eq, PartialOrd, Ord, Serialize)]
#[serde(rename_all = "kebab-case")]
pub enum Grade {
    /// A record says that its program was here and is gone, and nothing speaks against it.
    Sure,
    /// More speaks for it than against it.
    Likely,
    /// It may as well be something else.
    Unsure,
}

/// A folder or file of a program that is gone.
#[derive(Clone, Debug, PartialEq, Eq)]
pub struct LeftoverFolder {
    /// Where it is.
    pub path: TargetPath,
    /// Whose it is, by position in the target's accounts.
    pub account: Option<usize>,
    /// What it holds, in bytes of the disk.
    pub bytes: u64,
    /// When something in it changed last, seconds since 1970.
    pub changed: Option<i64>,
    /// What speaks for a leftover, in words.
    pub speaks_for: Vec<String>,
    /// What speaks against it.
    pub against: Vec<String>,
}

/// What one vanished program left, in all places and accounts.
#[derive(Clone, Debug, PartialEq, Eq)]
pub struct Leftover {
    /// What it was called, as its folders say.
    pub name: String,
    /// How sure that is.
    pub grade: Grade,
    /// Everything of it.
    pub folders: Vec<LeftoverFolder>,
}

impl Leftover {
    /// What it holds in all.
    pub fn bytes(&self) -> u64 {
        let all = self.folders.iter().map(|folder| folder.bytes);
        all.fold(0, u64::saturating_add)
    }
}

/// Looks for what programs that are gone left behind; what is known so far when it is cancelled. The surest come first,
/// and of those the largest.
pub fn leftovers(
    target: &Target,
    (inventory, belongs): (&Inventory, &Belongs),
    now: Timestamp,
    cancel: &CancelToken,
) -> Vec<Leftover> {
    let vanished = Vanished::of(target, inventory, cancel);
    let mut by_name: BTreeMap<String, Vec<Candidate>> = BTreeMap::new();
    for candidate in candidates::find(target, inventory, cancel) {
        let program = belongs.program_of(&candidate.name);
        let form = program.map_or_else(|| candidate.form.clone(), str::to_owned);
        by_name.entry(form).or_default().push(candidate);
    }
    let mut found: Vec<Leftover> = by_name
        .into_iter()
        .take_while(|_| !cancel.is_cancelled())
        .filter_map(|(form, all)| {
            let record = |account| vanished.of_form(&form, account);
            let is_whole = inventory.unread.is_empty();
            weigh::weigh(target, (all, &record), is_whole, now, cancel)
        })
        .collect();
    found.sort_by_cached_key(|one| (one.grade, std::cmp::Reverse(one.bytes()), one.name.clone()));
    found
}
