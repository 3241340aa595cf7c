//! Settling a run that broke off, by looking.

pub(crate) mod left_over;
mod lists;

use std::collections::{BTreeMap, BTreeSet, HashMap};
use std::io;
use std::path::PathBuf;

use jiff::Timestamp;
use jolly_disk::FileKey;

use crate::computer::{Target, TargetPath};
use crate::dustpan::{Line, Pan};
use crate::plan::Outcome;
use crate::rule::Removal;
use crate::run::log::record::{Done, Record};
use crate::run::packing::settle_packing;
use crate::run::recover::lists::{Beside, ListsNow, clear_up_beside};
use crate::run::restore::empty;
use crate::run::workers::quarantine;
use crate::run::workers::quarantine::ReturnedTo;
use crate::run::{LogEntry, LogState, LogSummary, SameComputer, log};
use crate::state::{Journal, JournalError, LockError, LogError, RunId, StateFolder, lock};

/// Why a run can't be settled.
#[derive(Debug, thiserror::Error)]
#[expect(missing_docs, reason = "the message names the fields")]
pub enum RecoverError {
    #[error("the log can't be used")]
    Log {
        #[from]
        source: LogError,
    },
    #[error("the run's target {target} is not the one that is there now")]
    OtherTarget { target: String },
    #[error("nothing but the path {} tells which computer this is: another disk may be there now", path.display())]
    KnownByPath { path: PathBuf },
    #[error("the run {run} may still be under way")]
    UnderWay { run: RunId, source: Box<LockError> },
    #[error("cannot go on with the log {}", path.display())]
    Reopen { path: PathBuf, source: io::Error },
    #[error("the settling was not recorded")]
    Journal {
        #[from]
        source: JournalError,
    },
}

/// Whether a run was on this computer: what lies at the same place may be another disk, on which everything of
/// that run seems gone.
fn is_same(run: &LogSummary, target: &Target, same: SameComputer) -> Result<(), RecoverError> {
    let identity = target.identity();
    if run.identity != identity.as_str() {
        return Err(RecoverError::OtherTarget {
            target: run.target.clone(),
        });
    }
    if identity.is_by_path() && same == SameComputer::MustBeKnown {
        let path = target.root_path().to_owned();
        return Err(RecoverError::KnownByPath { path });
    }
    Ok(())
}

/// Settles the open intents of an interrupted run on its target and ends its log. A run that
/// isn't interrupted is left as it is.
///
/// # Errors
/// When the log can't be read or written, or the target is another one.
pub fn recover(
    state: &StateFolder,
    run: &RunId,
    (target, same): (&Target, SameComputer),
    ended: Timestamp,
) -> Result<LogSummary, RecoverError> {
    let path = log::find(state, run)?;
    let contents = log::read(&path)?;
    if contents.summary.state != LogState::Interrupted {
        return Ok(contents.summary);
    }
    is_same(&contents.summary, target, same)?;
    // A run that is under way looks as if it had broken off; only it has the lock.
    let _lock = lock(target, state).map_err(|source| RecoverError::UnderWay {
        run: contents.summary.run.clone(),
        source: Box::new(source),
    })?;
    let contents = log::read(&path)?;
    let reopen = |source| RecoverError::Reopen {
        path: path.clone(),
        source,
    };
    let file = StateFolder::reopen(&path).map_err(JournalError::from)?;
    // A line that was cut off while it was written says nothing and would break the chain.
    file.set_len(contents.good_until).map_err(reopen)?;
    let mut journal = Journal::resume(path.clone(), file, contents.last_hash.clone());
    let after = Aftermath::look(state, target, &contents);
    let open = contents.entries.iter();
    let open: Vec<&LogEntry> = open.filter(|entry| entry.outcome.is_none()).collect();
    let packed = after.packed();
    let settled = |entry: &&LogEntry| after.settle(entry, packed.contains_key(&entry.path));
    let items: Vec<Done> = open.iter().map(settled).collect();
    // Only what is there as it was: where something else is, the dustpan may hold the only copy.
    let stayed = open.iter().zip(&items);
    let stayed: Vec<u64> = stayed
        .filter(|(_, done)| done.outcome == Outcome::Refused)
        .filter_map(|(entry, _)| packed.get(&entry.path).copied())
        .collect();
    for some in items.chunks(1024) {
        journal.write(&Record::Done {
            items: some.to_vec(),
        })?;
    }
    let free = target.measure().map_or(0, |volume| volume.free);
    journal.write(&Record::Finish {
        state: "recovered".to_owned(),
        ended,
        free,
        stayed: None,
    })?;
    journal.sync()?;
    if let Some(pan) = after.pan.as_ref().filter(|_| !stayed.is_empty()) {
        // Without the note they are offered, and found to be there still.
        drop(note_stayed(state, target, pan, stayed));
    }
    Ok(log::read(&path)?.summary)
}

/// Notes in the record of a dustpan what is in it and yet stayed where it was.
fn note_stayed(
    state: &StateFolder,
    target: &Target,
    pan: &Pan,
    items: Vec<u64>,
) -> Result<(), JournalError> {
    let mut record = empty::resume(state, &**target.disk(), pan)?;
    record.journal.write(&Line::Stayed { items })?;
    record.journal.sync()
}

/// What there is after a run that died, with what it had on the way put back.
struct Aftermath<'a> {
    target: &'a Target,
    run: RunId,
    /// Which folder the target's root was.
    root: (u64, u64),
    /// Where things are that were on their way out.
    held: BTreeMap<u64, ReturnedTo>,
    /// What lies beside lists that were being made anew.
    beside: Beside,
    lists: ListsNow,
    pan: Option<Pan>,
}

impl<'a> Aftermath<'a> {
    fn look(state: &StateFolder, target: &'a Target, contents: &log::Contents) -> Self {
        let (run, entries) = (&contents.summary.run, &contents.entries);
        let beside = clear_up_beside(target, run, entries);
        let parents = entries.iter().filter_map(|entry| entry.path.parent());
        let places: BTreeSet<TargetPath> = parents.collect();
        let held = quarantine::empty(target, run, &mut places.into_iter(), entries);
        // One that can't be read holds nothing that could be promised.
        let pan = Pan::read(state, run).ok().flatten();
        Self {
            target,
            run: run.clone(),
            root: contents.root,
            held,
            beside,
            lists: ListsNow::read(target, entries),
            pan,
        }
    }

    /// What the dustpan holds, by path, with its number in there.
    fn packed(&self) -> HashMap<&TargetPath, u64> {
        self.pan.as_ref().map(Pan::numbers).unwrap_or_default()
    }

    /// What became of an intended item. Only what the dustpan holds leaves to be brought back, whoever took it away.
    fn settle(&self, entry: &LogEntry, is_packed: bool) -> Done {
        if matches!(entry.by, Removal::Pack | Removal::Unpack) {
            return done(entry, settle_packing(self.target, &self.run, entry));
        }
        if entry.intent.entry.is_some() {
            return self.lists.settle(entry, is_packed, &self.beside);
        }
        if let Some(name) = self.beside.get(&entry.path) {
            let reason = format!("something else took its place; what was there may lie in {name}");
            return done(entry, (Outcome::Changed, 0, reason));
        }
        let held = self.held.get(&entry.intent.n);
        settle(self.target, self.root, (entry, held), is_packed)
    }
}

/// Looks what became of an intended item: absent is removed, present and the same is still there.
/// `held` says where it is when it had been on its way out, `is_packed` whether the dustpan holds it:
/// only that leaves to be brought back, whoever took it away.
fn settle(
    target: &Target,
    root: (u64, u64),
    (entry, held): (&LogEntry, Option<&ReturnedTo>),
    is_packed: bool,
) -> Done {
    let disk = target.disk();
    let folder = entry.path.parent().unwrap_or_default();
    let looked = disk
        .open_folder(target.root(), folder.as_bytes())
        .and_then(|folder| disk.stat(&folder, entry.path.as_name()));
    let intent = &entry.intent;
    let (outcome, bytes, reason) = match looked {
        _ if let Some(ReturnedTo::Beside(name)) = held => {
            let reason =
                format!("something else is there now; what was there lies beside it as {name}");
            (Outcome::Changed, 0, reason)
        }
        _ if let Some(ReturnedTo::InQuarantine) = held => {
            let reason =
                "it was on its way out and can't go back; it lies in the quarantine of the run";
            (Outcome::Failed, 0, reason.to_owned())
        }
        Err(error) if error.kind() == io::ErrorKind::NotFound => absent(entry, is_packed),
        Err(error) => (
            Outcome::Failed,
            0,
            format!("it can't be looked at: {error}"),
        ),
        Ok(stat) => {
            // A volume that was mounted anew has another number, and is known by its identity.
            let device = if intent.device == root.0 {
                target.key().device
            } else {
                intent.device
            };
            let inode = intent.inode;
            let key = FileKey { device, inode };
            let changed = (stat.changed.seconds, stat.changed.nanos);
            let is_same = stat.key == key
                && (intent.kind == "folder"
                    || (stat.size == intent.size && (held.is_some() || changed == intent.changed)));
            if is_same {
                (
                    Outcome::Refused,
                    0,
                    "the run broke off before it; it is still there".to_owned(),
                )
            } else if entry.by.keeps_name() && stat.key != key && stat.size == intent.size {
                let reason = "settled afterwards: another file has its name and its length";
                (Outcome::Shared, intent.bytes, reason.to_owned())
            } else {
                (
                    Outcome::Changed,
                    0,
                    "something else is there now".to_owned(),
                )
            }
        }
    };
    done(entry, (outcome, bytes, reason))
}

fn done(entry: &LogEntry, (outcome, bytes, reason): (Outcome, u64, String)) -> Done {
    Done {
        n: entry.intent.n,
        many: 1,
        outcome,
        bytes: Some(bytes),
        reason,
    }
}

/// What became of an item that isn't there any more.
fn absent(entry: &LogEntry, is_packed: bool) -> (Outcome, u64, String) {
    let (outcome, reason) = match entry.by {
        Removal::Remove | Removal::Overwrite => (Outcome::Removed, "it is gone"),
        Removal::SetAside if is_packed => (Outcome::SetAside, "it is gone"),
        Removal::SetAside => {
            let reason = "it went by itself, before it was in the dustpan";
            (Outcome::Gone, reason)
        }
        Removal::Clone | Removal::HardLink | Removal::Pack | Removal::Unpack => {
            (Outcome::Gone, "it went by itself")
        }
    };
    let is_ours = outcome != Outcome::Gone;
    let bytes = if is_ours { entry.intent.bytes } else { 0 };
    (outcome, bytes, format!("settled afterwards: {reason}"))
}
