//! What a rehearsal predicts of each item, and how that compares with what became of it.

use std::collections::BTreeMap;
use std::ffi::CString;
use std::io;
use std::os::unix::ffi::OsStrExt as _;

use jolly_disk::Disk;

use crate::plan::item_outcome::ItemOutcome;
use crate::plan::{Manifest, ManifestItem, Outcome};
use crate::run::{RunSummary, log};
use crate::state::{LogError, RunId, StateFolder};

/// How many differences are kept in words; a sweep of a busy computer can have as many as items.
const MOST: usize = 1000;

/// How many rehearsals are kept.
const KEPT: usize = 10;

/// What a rehearsal predicts of every item of one manifest, in its order.
#[derive(Clone, Debug, Default, PartialEq, Eq)]
pub struct Predictions {
    /// The rehearsal's id; none when it was not stored.
    pub rehearsal: Option<RunId>,
    outcomes: Vec<Outcome>,
    /// Why, for those that would stay.
    reasons: BTreeMap<usize, String>,
}

/// A rehearsal that has ended.
#[derive(Clone, Debug)]
pub struct Rehearsed {
    /// What it predicts, in sums.
    pub summary: RunSummary,
    /// What it predicts of each item.
    pub predictions: Predictions,
}

/// One item of which something else became than was predicted.
#[derive(Clone, Debug, PartialEq, Eq)]
pub struct Difference {
    /// Where it is or was, made harmless.
    pub path: String,
    /// What was predicted.
    pub predicted: Outcome,
    /// What became of it.
    pub actual: Outcome,
    /// Why.
    pub why: String,
}

/// Predicted against actual, item by item.
#[derive(Clone, Debug, Default, PartialEq, Eq)]
pub struct Comparison {
    /// Of how many items what was predicted became.
    pub same: u64,
    /// Of how many something else became.
    pub differs: u64,
    /// The first of those.
    pub differences: Vec<Difference>,
}

impl Predictions {
    pub(crate) fn add(&mut self, verdict: &ItemOutcome) {
        if verdict.reason.is_some() {
            let at = self.outcomes.len();
            self.reasons.insert(at, verdict.words());
        }
        self.outcomes.push(verdict.outcome);
    }

    /// The newest stored rehearsal of exactly this manifest.
    ///
    /// # Errors
    /// When the folder of rehearsals, or that one, can't be read.
    pub fn of(state: &StateFolder, manifest: &Manifest) -> Result<Option<Self>, LogError> {
        let runs = state.rehearsals().unwrap_or_default();
        if runs.is_empty() {
            return Ok(None);
        }
        let digest = manifest.digest();
        let is_it =
            |run: &&RunId| log::manifest_of(&state.rehearsal(run)).as_ref() == Some(&digest);
        let Some(run) = runs.iter().rev().find(is_it) else {
            return Ok(None);
        };
        // A rehearsal that was stopped predicts nothing of the rest.
        let mut outcomes: Vec<Option<Outcome>> = vec![None; manifest.items.len()];
        let mut reasons = BTreeMap::new();
        log::each_done(&state.rehearsal(run), &mut |done| {
            let number = |n: u64| usize::try_from(n).unwrap_or(usize::MAX).min(outcomes.len());
            let numbers = number(done.n)..number(done.n.saturating_add(done.many));
            if !done.reason.is_empty() {
                reasons.extend(numbers.clone().map(|number| (number, done.reason.clone())));
            }
            if let Some(predicted) = outcomes.get_mut(numbers) {
                predicted.fill(Some(done.outcome));
            }
        })?;
        let predictions = Self {
            rehearsal: Some(run.clone()),
            outcomes: outcomes.into_iter().map_while(|outcome| outcome).collect(),
            reasons,
        };
        Ok(Some(predictions))
    }
}

/// Throws away all but the newest of the rehearsals that are kept: each is as long as its list, and only
/// a sweep of the same list asks for one.
///
/// # Errors
/// When their folder can't be read, or one can't be removed.
pub fn forget_rehearsals(state: &StateFolder, disk: &dyn Disk) -> io::Result<()> {
    let mut runs = state.rehearsals().map_err(io::Error::other)?;
    runs.truncate(runs.len().saturating_sub(KEPT));
    for run in runs {
        let path = state.rehearsal(&run);
        let folder = path.parent().ok_or(io::ErrorKind::InvalidInput)?;
        let name = path.file_name().ok_or(io::ErrorKind::InvalidInput)?;
        let name = CString::new(name.as_bytes())?;
        disk.unlink(&disk.open_root(folder)?, &name)?;
    }
    Ok(())
}

impl Comparison {
    /// Compares one item, by its number in the manifest.
    pub(crate) fn count(
        &mut self,
        predictions: &Predictions,
        number: usize,
        (item, verdict): (&ManifestItem, &ItemOutcome),
    ) {
        let Some(predicted) = predictions.outcomes.get(number).copied() else {
            return;
        };
        if predicted == verdict.outcome {
            self.same += 1;
            return;
        }
        self.differs += 1;
        if self.differences.len() >= MOST {
            return;
        }
        let before = predictions.reasons.get(&number).map_or("", String::as_str);
        let why = match (predicted.stays(), verdict.outcome.stays()) {
            // Whatever held it has let go.
            (true, false) => format!("no longer so: {before}"),
            (_, true) => verdict.words(),
            (false, false) => "it left in another way".to_owned(),
        };
        self.differences.push(Difference {
            path: item.shown(),
            predicted,
            actual: verdict.outcome,
            why,
        });
    }
}
