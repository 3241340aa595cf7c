//! What the last run on a computer left behind, to be tried again.

use std::collections::{BTreeMap, HashSet};

use jiff::Timestamp;

use crate::computer::TargetPath;
use crate::plan::Outcome;
use crate::run::log::Contents;
use crate::run::{LogState, log};
use crate::state::{LogError, RunId, StateFolder};

/// What a run left behind that may go another time.
#[derive(Clone, Debug)]
pub struct LeftOver {
    /// The run's id.
    pub run: RunId,
    /// When it started.
    pub started: Timestamp,
    /// Where these things lie.
    pub paths: HashSet<TargetPath>,
    /// Why, with how many: the reasons of the log, most first.
    pub reasons: Vec<(Outcome, String, u64)>,
}

/// Whether another try may help: its program may be closed, the administrator may run it.
fn may_go(outcome: Outcome) -> bool {
    match outcome {
        Outcome::InUse | Outcome::Denied | Outcome::Changed | Outcome::Failed => true,
        Outcome::Removed
        | Outcome::SetAside
        | Outcome::Shared
        | Outcome::Packed
        | Outcome::Gone
        | Outcome::Refused => false,
    }
}

fn collect(contents: Contents) -> Option<LeftOver> {
    let mut paths = HashSet::new();
    let mut reasons: BTreeMap<(Outcome, String), u64> = BTreeMap::new();
    let summary = contents.summary;
    for entry in contents.entries {
        let Some((outcome, _, reason)) = entry.outcome else {
            continue;
        };
        // A folder goes with what is in it.
        if may_go(outcome) && entry.intent.kind != "folder" {
            *reasons.entry((outcome, reason)).or_default() += 1;
            paths.insert(entry.path);
        }
    }
    let mut reasons: Vec<(Outcome, String, u64)> = reasons
        .into_iter()
        .map(|((outcome, reason), many)| (outcome, reason, many))
        .collect();
    reasons.sort_by_key(|(_, _, many)| std::cmp::Reverse(*many));
    (!paths.is_empty()).then_some(LeftOver {
        run: summary.run,
        started: summary.started,
        paths,
        reasons,
    })
}

/// What the newest run on a computer left behind, by the computer's identity; nothing when there is
/// none, or when all went.
///
/// # Errors
/// When that log can't be read. Logs of other computers don't matter.
pub fn left_over(state: &StateFolder, identity: &str) -> Result<Option<LeftOver>, LogError> {
    let runs = state.runs().unwrap_or_default();
    for run in runs.iter().rev() {
        let path = state.log(run);
        if log::identity_of(&path).as_deref() != Some(identity) {
            continue;
        }
        // A log of millions need not be read to learn that nothing is left.
        if log::stayed(&path) == Some(0) {
            return Ok(None);
        }
        return Ok(collect(log::read(&path)?));
    }
    Ok(None)
}

/// The runs on a computer that broke off and are not settled yet, oldest first.
pub fn interrupted(state: &StateFolder, identity: &str) -> Vec<RunId> {
    let runs = state.runs().unwrap_or_default();
    let is_broken = |run: &RunId| {
        let path = state.log(run);
        // Those that ended are many, and none of them is read whole to learn that.
        !log::has_ended(&path)
            && log::identity_of(&path).as_deref() == Some(identity)
            && log::read(&path).is_ok_and(|it| it.summary.state == LogState::Interrupted)
    };
    runs.into_iter().filter(is_broken).collect()
}
