//! Bringing back what a run set aside.

pub(crate) mod empty;

use std::collections::BTreeMap;
use std::io;
use std::path::PathBuf;

use jiff::Timestamp;

use crate::cancel::CancelToken;
use crate::computer::{Target, TargetPath};
use crate::dustpan::{
    Line, Pan, PanItem, PutBack, RestoreOutcome, Stoppable, each_entry, read_frame,
};
use crate::error_chain::error_chain;
use crate::run::restore::empty::{Resumed, resume};
use crate::state::{JournalError, LockError, RunId, StateError, StateFolder, TargetLock, lock};

/// How it is known that a computer is the one it was.
#[derive(Clone, Copy, Debug, Default, PartialEq, Eq)]
pub enum SameComputer {
    /// By what it tells of itself; its path alone is not enough.
    #[default]
    MustBeKnown,
    /// A person has said so.
    IsSaid,
}

/// What a restore is asked for.
#[derive(Clone, Copy)]
pub struct RestoreOrder<'a> {
    /// Where the dustpan's record is.
    pub state: &'a StateFolder,
    /// The dustpan.
    pub pan: &'a Pan,
    /// Where its things come back.
    pub target: &'a Target,
    /// When.
    pub when: Timestamp,
    /// How it is known that these things are this computer's.
    pub same: SameComputer,
}

/// What a restore did.
#[derive(Clone, Debug, Default)]
pub struct RestoreSummary {
    /// What became of each thing, in the order of the dustpan.
    pub items: Vec<(PanItem, RestoreOutcome)>,
    /// Whether it was stopped before its end.
    pub is_stopped: bool,
    /// Why it could not be noted in the dustpan's record, when it couldn't.
    pub not_noted: Option<String>,
}

/// Why nothing was brought back.
#[derive(Debug, thiserror::Error)]
#[expect(missing_docs, reason = "the message names the fields")]
pub enum RestoreError {
    #[error("the run set these things aside from {label}, and this is {opened}")]
    OtherTarget { label: String, opened: String },
    #[error("nothing but the path {} tells which computer this is: another disk may be there now", path.display())]
    KnownByPath { path: PathBuf },
    #[error("the dustpan of {run} was emptied on {}", when.strftime("%Y-%m-%d"))]
    Emptied { run: RunId, when: Timestamp },
    #[error("the dustpan {} is not here", path.display())]
    NotHere { path: PathBuf },
    #[error("nothing of that path is in the dustpan of {run}")]
    NothingThere { run: RunId },
    #[error("{needs} bytes would come back, and only {free} are free")]
    NoRoom { needs: u64, free: u64 },
    #[error("a sweep of this target is under way")]
    UnderWay { source: Box<LockError> },
    #[error("the dustpan can't be used")]
    Doubted {
        #[from]
        source: StateError,
    },
    #[error("the dustpan's record can't be continued")]
    Record {
        #[from]
        source: JournalError,
    },
}

/// Brings back what a run set aside and `wanted` names. What is there already is never touched.
///
/// # Safety argument
/// Every name is made beneath the target's root through an open folder, following no link; a file
/// gets its final name only when it is whole and its hash is right, by a rename that replaces
/// nothing.
///
/// # Errors
/// When nothing can be brought back at all; what goes wrong with one thing is told with it.
pub fn restore(
    order: &RestoreOrder<'_>,
    wanted: &dyn Fn(&PanItem) -> bool,
    cancel: &CancelToken,
    sink: &dyn Fn(u64, u64),
) -> Result<RestoreSummary, RestoreError> {
    let _lock = may_begin(order)?;
    let mut restoring = Restoring::choose(order, wanted, cancel, sink)?;
    let mut record = resume(order.state, &**order.target.disk(), order.pan)?;
    for frame in frames_of(order.pan, &restoring.chosen) {
        if cancel.is_cancelled() {
            break;
        }
        restoring.bring_back(frame);
    }
    Ok(restoring.finish(&mut record))
}

/// A restore that is under way.
struct Restoring<'a> {
    order: &'a RestoreOrder<'a>,
    put_back: PutBack<'a>,
    cancel: &'a CancelToken,
    sink: &'a dyn Fn(u64, u64),
    /// What is to come back, by its number in the dustpan, with what became of it.
    chosen: BTreeMap<usize, Option<RestoreOutcome>>,
    done: u64,
}

impl<'a> Restoring<'a> {
    /// What is wanted of a dustpan, if it has room.
    fn choose(
        order: &'a RestoreOrder<'a>,
        wanted: &dyn Fn(&PanItem) -> bool,
        cancel: &'a CancelToken,
        sink: &'a dyn Fn(u64, u64),
    ) -> Result<Self, RestoreError> {
        let RestoreOrder { pan, target, .. } = *order;
        let chosen: BTreeMap<usize, Option<RestoreOutcome>> = (0..)
            .zip(&pan.items)
            .filter(|(_, item)| item.has_left && wanted(item))
            .map(|(at, _)| (at, None))
            .collect();
        if chosen.is_empty() {
            let run = pan.run.clone();
            return Err(RestoreError::NothingThere { run });
        }
        has_room(target, chosen.keys().filter_map(|at| pan.items.get(*at)))?;
        Ok(Self {
            order,
            put_back: PutBack::new(target, &pan.run, cancel),
            cancel,
            sink,
            chosen,
            done: 0,
        })
    }

    fn step(&mut self) {
        self.done += 1;
        (self.sink)(self.done, self.chosen.len() as u64);
    }

    /// Reads one frame, and puts back what was chosen of it; what can't be read is damaged.
    fn bring_back(&mut self, frame: usize) {
        let read = self.read_frame(frame);
        for (at, outcome) in self.put_back.put_entries() {
            self.chosen.insert(at, Some(outcome));
            self.step();
        }
        if read.is_err() && !self.cancel.is_cancelled() {
            let items = &self.order.pan.items;
            let is_here = |at: usize| items.get(at).is_some_and(|item| item.frame == frame);
            let rest = self.chosen.iter_mut();
            rest.filter(|(at, back)| is_here(**at) && back.is_none())
                .for_each(|(_, back)| *back = Some(RestoreOutcome::Damaged));
        }
    }

    /// Reads one frame, and puts back what was chosen of it.
    ///
    /// # Errors
    /// When it can't be read to its end: the dustpan is damaged, or all is to stop.
    fn read_frame(&mut self, frame: usize) -> io::Result<()> {
        let (pan, cancel) = (self.order.pan, self.cancel);
        let mut next = pan.items.partition_point(|item| item.frame < frame);
        let begins = pan.frames.get(frame).copied().unwrap_or(0);
        let archive = pan.open_archive().map_err(io::Error::other)?;
        let archive = archive.ok_or(io::ErrorKind::NotFound)?;
        let read = read_frame(archive, begins)?;
        each_entry(Stoppable { read, stop: cancel }, &mut |entry, bytes| {
            let at = next;
            next += 1;
            let Some(item) = pan.items.get(at).filter(|item| item.frame == frame) else {
                return Err(io::Error::from(io::ErrorKind::InvalidData));
            };
            if cancel.is_cancelled() {
                return Err(io::Error::from(io::ErrorKind::Interrupted));
            }
            let back = match (self.chosen.contains_key(&at), item.list) {
                // A folder that was made on the way to something wanted is made as it was.
                (false, _) => {
                    self.put_back.note_folder_metadata(&entry, item, at);
                    return Ok(());
                }
                // All entries of a list go back at once.
                (true, Some(list)) => {
                    (self.put_back).gather_entry((&entry, list), item, at, bytes)?
                }
                (true, None) => Some(self.put_back.put(&entry, item, at, bytes)?),
            };
            if back.is_some() {
                self.chosen.insert(at, back);
                self.step();
            }
            Ok(())
        })
    }

    /// Gives the folders that were made what they had, and notes what is back.
    fn finish(mut self, record: &mut Resumed) -> RestoreSummary {
        let mut on_the_way = Vec::new();
        for (at, missing) in self.put_back.finish() {
            match (self.chosen.get_mut(&at), missing) {
                (None, _) => on_the_way.push(at as u64),
                (Some(back), Some(missing)) => {
                    *back = Some(RestoreOutcome::RestoredPartly(missing));
                }
                (Some(_), None) => {}
            }
        }
        let RestoreOrder {
            pan, target, when, ..
        } = *self.order;
        // The record must not say that something is back before its volume has it.
        drop(target.disk().sync_volume(target.root()));
        let is_back =
            |back: &Option<RestoreOutcome>| back.as_ref().is_some_and(RestoreOutcome::is_back);
        let back = self.chosen.iter().filter(|(_, back)| is_back(back));
        let items = back.map(|(at, _)| *at as u64).chain(on_the_way).collect();
        let noted = record.journal.write(&Line::Back { when, items });
        let noted = noted.and_then(|()| record.journal.sync());
        RestoreSummary {
            is_stopped: self.chosen.values().any(Option::is_none),
            items: (self.chosen.into_iter())
                .filter_map(|(at, back)| Some((pan.items.get(at)?.clone(), back?)))
                .collect(),
            not_noted: noted.err().map(|error| error_chain(&error)),
        }
    }
}

/// Whether what comes back has room.
fn has_room<'p>(
    target: &Target,
    items: impl Iterator<Item = &'p PanItem>,
) -> Result<(), RestoreError> {
    let needs = items.map(|item| item.size.min(item.held)).sum();
    let space = target.disk().space(target.root());
    let free = space.map_or(u64::MAX, |space| space.free);
    if needs > free {
        return Err(RestoreError::NoRoom { needs, free });
    }
    Ok(())
}

/// Whether a restore can begin; the lock that keeps sweeps away meanwhile.
fn may_begin(order: &RestoreOrder<'_>) -> Result<TargetLock, RestoreError> {
    let RestoreOrder { pan, target, .. } = *order;
    if let Some(when) = pan.emptied {
        let run = pan.run.clone();
        return Err(RestoreError::Emptied { run, when });
    }
    let identity = target.identity();
    if identity.as_str() != pan.identity {
        return Err(RestoreError::OtherTarget {
            label: format!("{} at {}", pan.label, pan.target),
            opened: format!("{} at {}", target.label, target.root_path().display()),
        });
    }
    if identity.is_by_path() && order.same == SameComputer::MustBeKnown {
        let path = target.root_path().to_owned();
        return Err(RestoreError::KnownByPath { path });
    }
    if pan.open_archive()?.is_none() {
        let path = pan.archive.clone();
        return Err(RestoreError::NotHere { path });
    }
    lock(target, order.state).map_err(|source| RestoreError::UnderWay {
        source: Box::new(source),
    })
}

/// The frames that must be read: those of what was chosen, and of the folders on the way to it.
fn frames_of(pan: &Pan, chosen: &BTreeMap<usize, Option<RestoreOutcome>>) -> Vec<usize> {
    let mut ways: std::collections::HashSet<TargetPath> = std::collections::HashSet::new();
    for path in chosen.keys().filter_map(|at| pan.items.get(*at)) {
        let mut above = path.path.parent();
        while let Some(folder) = above.filter(|folder| !folder.is_root()) {
            above = folder.parent();
            if !ways.insert(folder) {
                break;
            }
        }
    }
    let is_read = |at: usize, item: &PanItem| {
        chosen.contains_key(&at) || (item.is_folder && ways.contains(&item.path))
    };
    let items = pan.items.iter().enumerate();
    let mut frames: Vec<usize> = items
        .filter(|(at, item)| is_read(*at, item))
        .map(|(_, item)| item.frame)
        .collect();
    frames.dedup();
    frames
}
