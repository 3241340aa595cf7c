//! One sweep, from the lock to the last line of its log.

use std::collections::{BTreeMap, HashMap, HashSet};
use std::io;
use std::ops::ControlFlow;

use jiff::Timestamp;
use jolly_disk::Folder;

use crate::decide::{ConfirmedManifest, EntryKind, Manifest, ManifestItem, TargetMark};
use crate::rulebook::{Class, Removal, RuleSet, Search};
use crate::scan::{CancelToken, Sum};
use crate::story::whole_story;
use crate::sweep::batch::{BATCH, carry_out, intend, record, will_be_empty};
use crate::sweep::check::{Checker, Verdict};
use crate::sweep::journal::{FORMAT, Record, VERSION};
use crate::sweep::{Dustpan, Journal, JournalError, Outcome, OutcomeSums, Stayed};
use crate::target::{Target, TargetPath};

/// What a sweep stands on: the open target and the rules in force, against which every item is
/// held once more.
pub struct Ground<'a> {
    /// The open target.
    pub target: &'a Target,
    /// The rules in force.
    pub rules: &'a RuleSet,
    /// Where they look on this target.
    pub searches: &'a [Search],
    /// This program's own files on the target.
    pub own: &'a [TargetPath],
}

/// Whether a sweep touches anything.
pub enum Mode<'a> {
    /// Every check, nothing removed, nothing written.
    Rehearsal,
    /// The real thing.
    Real {
        /// The run's id.
        run: &'a str,
        /// The record that every touch goes through.
        journal: &'a mut Journal,
        /// Where items that are set aside go.
        dustpan: Option<&'a mut Dustpan>,
        /// When it starts; the edge knows the clock.
        started: Timestamp,
    },
}

/// What a sweep tells while it goes.
#[derive(Clone, Debug, PartialEq, Eq)]
pub struct SweepEvent {
    /// How many items have an outcome.
    pub done: u64,
    /// How many there are.
    pub of: u64,
    /// How many, and bytes, by outcome so far.
    pub outcomes: OutcomeSums,
    /// What came back so far, by class.
    pub freed: BTreeMap<Class, u64>,
}

/// How a sweep went.
#[derive(Clone, Debug)]
pub struct RunSummary {
    /// How many, and bytes, by outcome. Bytes are those that came back; for what stayed, those
    /// that didn't.
    pub outcomes: OutcomeSums,
    /// What went, by class and account.
    pub went: BTreeMap<(Class, Option<String>), Sum>,
    /// What stayed and why.
    pub stayed: Vec<Stayed>,
    /// Free space before.
    pub free_before: u64,
    /// Free space after.
    pub free_after: u64,
    /// Free space that the manifest promised.
    pub free_predicted: u64,
    /// Whether it was stopped before its end.
    pub is_stopped: bool,
    /// Why it broke off, when it did.
    pub broke_off: Option<String>,
}

impl RunSummary {
    /// Whether any item stayed.
    pub fn has_stayed(&self) -> bool {
        self.outcomes.keys().any(|outcome| outcome.stays())
    }

    /// Items and bytes that had an outcome.
    pub fn sum(&self, outcome: Outcome) -> Sum {
        self.outcomes.get(&outcome).copied().unwrap_or_default()
    }
}

/// Why a sweep could not even start, or could not keep its record.
#[derive(Debug, thiserror::Error)]
#[expect(missing_docs, reason = "the message names the fields")]
pub enum SweepError {
    #[error("the list was made for {planned}, and this is {opened}")]
    OtherTarget { planned: String, opened: String },
    #[error("another sweep of this target is under way")]
    Locked,
    #[error("cannot lock the target")]
    Lock { source: io::Error },
    #[error("cannot measure the volume")]
    Measure { source: io::Error },
    #[error("the run was not recorded, so nothing was removed")]
    Journal {
        #[from]
        source: JournalError,
    },
}

/// Carries a confirmed manifest out, or rehearses it.
///
/// # Errors
/// When it can't start. Once it has touched anything it always returns a summary.
pub fn sweep(
    ground: &Ground<'_>,
    confirmed: &ConfirmedManifest,
    mut mode: Mode<'_>,
    cancel: &CancelToken,
    clock: &dyn Fn() -> Timestamp,
    sink: &dyn Fn(SweepEvent),
) -> Result<RunSummary, SweepError> {
    let manifest = confirmed.manifest();
    let opened = same_target(ground.target, manifest)?;
    let free = |target: &Target| match target.measure() {
        Ok(volume) => Ok(volume.free),
        Err(source) => Err(SweepError::Measure { source }),
    };
    // Held until the sweep returns.
    let _lock = match mode {
        Mode::Rehearsal => None,
        Mode::Real { .. } => Some(lock(ground.target)?),
    };
    let free_before = free(ground.target)?;
    if let Mode::Real {
        run,
        journal,
        started,
        ..
    } = &mut mode
    {
        journal.write(&Record::Start {
            format: FORMAT.to_owned(),
            version: VERSION,
            run: (*run).to_owned(),
            started: *started,
            target: opened.root,
            device: opened.key.device,
            inode: opened.key.inode,
            layout: opened.layout.name().to_owned(),
            label: opened.label,
            free: free_before,
            items: manifest.items.len() as u64,
            bytes: manifest.takes.bytes,
            partial: manifest.is_partial,
        })?;
        journal.sync()?;
    }
    let mut tally = Tally::new(ground, manifest, sink);
    let broke_off = run_batches(ground, manifest, &mut mode, cancel, clock, &mut tally);
    let is_stopped = cancel.is_cancelled() && tally.done < manifest.items.len() as u64;
    let free_after = match mode {
        Mode::Rehearsal => free_before.saturating_add(tally.freed.values().sum()),
        Mode::Real { .. } => free(ground.target).unwrap_or(free_before),
    };
    let mut broke_off = broke_off.err().map(|error| whole_story(&error));
    if let (Mode::Real { journal, .. }, None) = (&mut mode, &broke_off) {
        let state = if is_stopped { "stopped" } else { "finished" }.to_owned();
        let finished = journal
            .write(&Record::Finish {
                state,
                ended: clock(),
                free: free_after,
            })
            .and_then(|()| journal.sync());
        broke_off = finished.err().map(|error| whole_story(&error));
    }
    let promised = manifest.takes.bytes.saturating_add(manifest.folders.bytes);
    Ok(RunSummary {
        outcomes: tally.outcomes,
        went: tally.went,
        stayed: tally.stayed.into_values().collect(),
        free_before,
        free_after,
        free_predicted: free_before.saturating_add(promised),
        is_stopped,
        broke_off,
    })
}

/// The mark of the opened target, which must be the one that the manifest was made for.
fn same_target(target: &Target, manifest: &Manifest) -> Result<TargetMark, SweepError> {
    let opened = TargetMark::of(target);
    if opened.key != manifest.target.key || opened.root != manifest.target.root {
        let planned = manifest.target.root.clone();
        return Err(SweepError::OtherTarget {
            planned,
            opened: opened.root,
        });
    }
    Ok(opened)
}

/// Takes the target for this sweep alone, through a descriptor of its own that ends with it.
fn lock(target: &Target) -> Result<Folder, SweepError> {
    let disk = target.disk();
    let refuse = |source: io::Error| match source.kind() {
        io::ErrorKind::WouldBlock => SweepError::Locked,
        _ => SweepError::Lock { source },
    };
    let folder = disk.open_folder(target.root(), b"").map_err(refuse)?;
    disk.lock(&folder).map_err(refuse)?;
    Ok(folder)
}

fn run_batches(
    ground: &Ground<'_>,
    manifest: &Manifest,
    mode: &mut Mode<'_>,
    cancel: &CancelToken,
    clock: &dyn Fn() -> Timestamp,
    tally: &mut Tally<'_>,
) -> Result<(), JournalError> {
    let mut checker = Checker::new(ground, manifest.now);
    let mut gone = Predicted::default();
    for (number, batch) in manifest.items.chunks(BATCH).enumerate() {
        if cancel.is_cancelled() {
            break;
        }
        let first = number * BATCH;
        checker.begin_batch(clock());
        match mode {
            Mode::Rehearsal => {
                for item in batch {
                    let verdict = predict(ground, &mut checker, item, &mut gone);
                    tally.count(item, &verdict);
                }
            }
            Mode::Real {
                journal, dustpan, ..
            } => {
                intend(journal, first, batch)?;
                let mut go_on = |item: &ManifestItem, verdict: &Verdict| {
                    tally.count(item, verdict);
                    if cancel.is_cancelled() {
                        ControlFlow::Break(())
                    } else {
                        ControlFlow::Continue(())
                    }
                };
                let dustpan = dustpan.as_deref_mut();
                let verdicts = carry_out(&mut checker, dustpan, ground, batch, &mut go_on);
                record(journal, first, &verdicts)?;
            }
        }
    }
    Ok(())
}

/// What a rehearsal has let go so far.
#[derive(Default)]
struct Predicted {
    paths: HashSet<TargetPath>,
    below: HashMap<TargetPath, u64>,
}

impl Predicted {
    fn add(&mut self, path: &TargetPath) {
        self.paths.insert(path.clone());
        if let Some(parent) = path.parent() {
            *self.below.entry(parent).or_default() += 1;
        }
    }

    fn below(&self, folder: &TargetPath) -> u64 {
        self.below.get(folder).copied().unwrap_or(0)
    }
}

/// What the real run would do with an item, were nothing to change until then.
fn predict(
    ground: &Ground<'_>,
    checker: &mut Checker<'_>,
    item: &ManifestItem,
    gone: &mut Predicted,
) -> Verdict {
    let described = item
        .after
        .as_ref()
        .is_some_and(|after| gone.paths.contains(after));
    let asked = ManifestItem {
        after: item.after.clone().filter(|_| !described),
        ..item.clone()
    };
    let stat = match checker.check(&asked) {
        Ok(stat) => stat,
        Err(verdict) => return verdict,
    };
    if item.kind == EntryKind::Folder && !will_be_empty(ground, &item.path, gone.below(&item.path))
    {
        return Verdict::stays(Outcome::Refused, "something that stays is in it");
    }
    gone.add(&item.path);
    let outcome = match item.by {
        Removal::Remove | Removal::Overwrite => Outcome::Removed,
        Removal::SetAside => Outcome::SetAside,
    };
    let bytes = if item.identity.links > 1 {
        item.bytes
    } else {
        own_blocks(item, &stat)
    };
    Verdict {
        outcome,
        bytes,
        reason: String::new(),
    }
}

fn own_blocks(item: &ManifestItem, stat: &jolly_disk::Stat) -> u64 {
    if item.kind == EntryKind::Folder {
        0
    } else {
        stat.allocated
    }
}

/// Items between two pieces of news.
const NEWS_EVERY: u64 = 64;

/// Running counts of a sweep.
struct Tally<'a> {
    ground: &'a Ground<'a>,
    sink: &'a dyn Fn(SweepEvent),
    of: u64,
    done: u64,
    outcomes: OutcomeSums,
    freed: BTreeMap<Class, u64>,
    went: BTreeMap<(Class, Option<String>), Sum>,
    stayed: BTreeMap<(Outcome, String), Stayed>,
}

/// How many different reasons a summary keeps apart; a million files can have as many.
const MOST_REASONS: usize = 200;

impl<'a> Tally<'a> {
    fn new(ground: &'a Ground<'a>, manifest: &Manifest, sink: &'a dyn Fn(SweepEvent)) -> Self {
        Self {
            ground,
            sink,
            of: manifest.items.len() as u64,
            done: 0,
            outcomes: BTreeMap::new(),
            freed: BTreeMap::new(),
            went: BTreeMap::new(),
            stayed: BTreeMap::new(),
        }
    }

    fn count(&mut self, item: &ManifestItem, verdict: &Verdict) {
        self.done += 1;
        let stays = verdict.outcome.stays();
        let bytes = if stays { item.bytes } else { verdict.bytes };
        let sum = Sum { items: 1, bytes };
        self.outcomes.entry(verdict.outcome).or_default().add(sum);
        if stays {
            let mut key = (verdict.outcome, verdict.reason.clone());
            if self.stayed.len() >= MOST_REASONS && !self.stayed.contains_key(&key) {
                "other reasons".clone_into(&mut key.1);
            }
            let reason = key.1.clone();
            let stayed = self.stayed.entry(key).or_insert_with(|| Stayed {
                outcome: verdict.outcome,
                reason,
                sum: Sum::default(),
                example: item.path.to_string(),
            });
            stayed.sum.add(sum);
        } else if verdict.outcome != Outcome::Gone {
            let rule = self.ground.rules.by_id(&item.rule);
            let class = rule.map_or(Class::Ask, |rule| self.ground.rules.rule(rule).rule.class);
            let freed = self.freed.entry(class).or_default();
            *freed = freed.saturating_add(bytes);
            let account = item.account.as_ref().map(ToString::to_string);
            self.went.entry((class, account)).or_default().add(sum);
        }
        if self.done.is_multiple_of(NEWS_EVERY) || self.done == self.of {
            (self.sink)(SweepEvent {
                done: self.done,
                of: self.of,
                outcomes: self.outcomes.clone(),
                freed: self.freed.clone(),
            });
        }
    }
}
