//! Evidence for and against, weighed for all that bears one name.

use std::collections::HashSet;

use jiff::Timestamp;
use jolly_disk::Kind;

use crate::cancel::CancelToken;
use crate::computer::{Layout, Target};
use crate::survey::kept_in::Holds;
use crate::survey::leftovers::candidates::Candidate;
use crate::survey::leftovers::contents::Contents;
use crate::survey::leftovers::vanished::Record;
use crate::survey::leftovers::{Grade, Leftover, LeftoverFolder, contents};
use crate::survey::programs::names::is_common;

const DAY: i64 = 86_400;

/// What changed within so many days may be in use still.
const LATELY: i64 = 60;

/// From so many days on an age speaks for a leftover, and more and more so.
const QUIET: i64 = 120;
const YEAR: i64 = 365;

/// How much each piece of evidence weighs. The order of evidence doesn't matter: weights are added.
mod weight {
    pub(super) const RECORD: i32 = 5;
    pub(super) const NO_PROGRAM: i32 = 1;
    pub(super) const SEVERAL_PLACES: i32 = 1;
    pub(super) const QUIET: i32 = 1;
    pub(super) const YEAR: i32 = 2;
    pub(super) const YEARS: i32 = 3;
    pub(super) const LATELY: i32 = -4;
    pub(super) const DOCUMENTS: i32 = -4;
    pub(super) const KEYS: i32 = -6;
    pub(super) const SAVES: i32 = -3;
    pub(super) const DATABASES: i32 = -1;
    pub(super) const RELATED: i32 = -1;
    /// From here on it is likely.
    pub(super) const LIKELY: i32 = 3;
}

/// Evidence while it is gathered.
#[derive(Default)]
struct Evidence {
    speaks_for: Vec<String>,
    against: Vec<String>,
    weight: i32,
    /// Whether something says that it is none of ours to call likely.
    is_barred: bool,
}

impl Evidence {
    fn add(&mut self, weight: i32, words: impl Into<String>) {
        self.weight += weight;
        if weight > 0 {
            self.speaks_for.push(words.into());
        } else {
            self.against.push(words.into());
        }
    }

    fn bar(&mut self, words: String) {
        self.is_barred = true;
        self.against.push(words);
    }
}

/// Grades all candidates of one name; `record` is what a record says of its program to an account, or of the system.
/// Nothing when nothing can be looked at.
pub(super) fn weigh<'r>(
    target: &Target,
    (all, record): (Vec<Candidate>, &dyn Fn(Option<usize>) -> Option<&'r Record>),
    is_whole: bool,
    now: Timestamp,
    cancel: &CancelToken,
) -> Option<Leftover> {
    let places: HashSet<_> = all.iter().filter_map(|one| one.path.parent()).collect();
    let has_folder = all.iter().any(|one| one.kind == Kind::Folder);
    let name = all
        .iter()
        .map(|one| one.name.clone())
        .min_by_key(|name| (name.len(), name.clone()))?;
    let has_record = all.iter().all(|one| record(one.account).is_some());
    let shared = SharedEvidence {
        is_whole,
        is_in_several: places.len() > 1,
        needs_several: target.layout == Layout::Macos,
    };
    let mut folders = Vec::new();
    let (mut least, mut is_against, mut is_barred) = (i32::MAX, false, false);
    // A file alone says little.
    is_barred |= !has_folder && !has_record;
    for one in all {
        let Some(held) = contents::look(target, (&one.path, one.holds), cancel) else {
            continue;
        };
        let evidence = shared.of((&one, record(one.account)), &held, now);
        least = least.min(evidence.weight);
        is_against |= !evidence.against.is_empty();
        is_barred |= evidence.is_barred;
        folders.push(LeftoverFolder {
            path: one.path,
            account: one.account,
            bytes: held.bytes,
            changed: held.changed,
            speaks_for: evidence.speaks_for,
            against: evidence.against,
        });
    }
    folders.sort_by(|one, other| one.path.cmp(&other.path));
    let grade = if is_barred || least < weight::LIKELY {
        Grade::Unsure
    } else if has_record && !is_against {
        Grade::Sure
    } else {
        Grade::Likely
    };
    (!folders.is_empty()).then_some(Leftover {
        name,
        grade,
        folders,
    })
}

/// What holds for everything of one name.
struct SharedEvidence {
    /// Whether all records of programs could be read.
    is_whole: bool,
    /// Whether several places have something of that name.
    is_in_several: bool,
    /// Whether one place says too little: parts of macos keep theirs there, under names of their own.
    needs_several: bool,
}

impl SharedEvidence {
    /// The evidence of one folder or file; `record` is what a record says of its program.
    fn of(
        &self,
        (one, record): (&Candidate, Option<&Record>),
        held: &Contents,
        now: Timestamp,
    ) -> Evidence {
        let mut evidence = Evidence::default();
        let is_systems = one.is_of_system;
        if let Some(record) = record {
            evidence.add(weight::RECORD, &*record.why);
        }
        if self.is_whole {
            evidence.add(weight::NO_PROGRAM, "no such program is there");
        } else {
            evidence.bar("not all records of programs could be read".to_owned());
        }
        if self.is_in_several {
            let words = "several places have it";
            evidence.add(weight::SEVERAL_PLACES, words);
        }
        // While its program was there, it was rightly young.
        let removed = record.and_then(|record| record.removed);
        let is_of_its_time = removed.is_some_and(|removed| held.changed <= Some(removed));
        if !is_of_its_time {
            age(&mut evidence, held.changed, now);
        }
        // What a record names belongs to no part of the system.
        if let Some(bar) = one
            .bar
            .as_ref()
            .filter(|_| !(is_systems && record.is_some()))
        {
            evidence.bar(bar.clone());
        }
        match (&one.doubt, record) {
            (Some(doubt), Some(_)) => evidence.add(weight::RELATED, doubt),
            (Some(doubt), None) => evidence.bar(doubt.clone()),
            (None, _) => {}
        }
        let is_reversed_domain = one.name.matches('.').count() >= 2;
        if self.needs_several && !self.is_in_several && record.is_none() && !is_reversed_domain {
            evidence.bar("only one place has it".to_owned());
        }
        if is_common(&one.form) {
            evidence.bar("its name is a common word".to_owned());
        }
        for (many, weight, words) in [
            (held.keys, weight::KEYS, "it holds keys or passwords"),
            (
                held.documents,
                weight::DOCUMENTS,
                "it holds what may be documents",
            ),
            (held.saves, weight::SAVES, "it holds saved games"),
            (held.databases, weight::DATABASES, "it holds a database"),
        ] {
            if many > 0 {
                evidence.add(weight, words);
            }
        }
        if held.programs > 0 && one.holds != Holds::Program {
            evidence.bar("it holds program files".to_owned());
        }
        if held.is_partial {
            evidence.bar("not all of it could be looked at".to_owned());
        }
        evidence
    }
}

fn age(evidence: &mut Evidence, changed: Option<i64>, now: Timestamp) {
    let Some(changed) = changed else { return };
    let days = (now.as_second() - changed) / DAY;
    match days {
        days if days < LATELY => evidence.add(
            weight::LATELY,
            format!("it changed {} days ago", days.max(0)),
        ),
        days if days < QUIET => {}
        days if days < YEAR => evidence.add(weight::QUIET, "unchanged for months"),
        days if days < 2 * YEAR => evidence.add(weight::YEAR, "unchanged for a year"),
        days => evidence.add(
            weight::YEARS,
            format!("unchanged for {} years", days / YEAR),
        ),
    }
}
