//! One sweep, from the lock to the last line of its log.

use std::collections::BTreeMap;
use std::io;

use crate::cancel::CancelToken;
use crate::computer::{AccountName, Target, TargetPath};
use crate::decide::Spared;
use crate::dustpan::Dustpan;
use crate::error_chain::error_chain;
use crate::host::{InUse, RunningProgram, boot};
use crate::pile::Sum;
use crate::plan::{ConfirmedManifest, Manifest, Outcome, OutcomeSums, Stayed, TargetMark};
use crate::rule::{Class, RuleNumber, RuleSet, Search};
use crate::run::check::{Checker, Shared};
use crate::run::log::record::{FORMAT, Record, VERSION};
use crate::run::pipeline::recorder;
use crate::run::rehearse::{LetGo, predict};
use crate::run::tally::Tally;
use crate::run::workers::batch::Batches;
use crate::run::workers::unit::look_at_units;
use crate::run::{Comparison, Large, Pause, Predictions, Rehearsed, Went, pipeline};
use crate::state::{Journal, JournalError, LockError, RunId, StateFolder, lock};
use jiff::Timestamp;

/// What a sweep stands on: the open target and the rules in force, against which every item is
/// held once more.
pub struct RunContext<'a> {
    /// The open target.
    pub target: &'a Target,
    /// The rules in force.
    pub rules: &'a RuleSet,
    /// Where they look on this target.
    pub searches: &'a [Search],
    /// This program's own files on the target.
    pub own: &'a [TargetPath],
    /// What was excluded since the list was made; a list that was just made knows already.
    pub excluded: &'a [Spared],
    /// Rules that were turned off since.
    pub rules_off: &'a [RuleNumber],
}

/// What a real sweep needs beside the context.
pub struct Real<'a> {
    /// The run's id.
    pub run: &'a RunId,
    /// Where this program keeps what it knows.
    pub state: &'a StateFolder,
    /// The record that every touch goes through.
    pub journal: &'a mut Journal,
    /// Where items that are set aside go.
    pub dustpan: Option<&'a mut Dustpan>,
    /// When it starts; the edge knows the clock.
    pub started: Timestamp,
    /// Holds it for a while.
    pub pause: Pause,
    /// What a rehearsal of the same list predicted.
    pub predictions: Option<&'a Predictions>,
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
    /// What became of each class so far.
    pub classes: BTreeMap<Class, ClassProgress>,
    /// What had its turn last; empty where that isn't news.
    pub last: String,
}

/// What became of a class so far. Bytes are those that came back; for what stayed, those that didn't.
#[derive(Clone, Copy, Debug, Default, PartialEq, Eq)]
pub struct ClassProgress {
    /// What went for good.
    pub removed: Sum,
    /// What was set aside.
    pub aside: Sum,
    /// What shares the bytes of another file by now.
    pub shared: Sum,
    /// What stayed.
    pub stayed: Sum,
}

impl ClassProgress {
    /// What came back.
    pub fn freed(&self) -> u64 {
        [self.removed, self.aside, self.shared]
            .iter()
            .fold(0, |all, sum| all.saturating_add(sum.bytes))
    }
}

/// How a sweep went.
#[derive(Clone, Debug, Default)]
pub struct RunSummary {
    /// How many, and bytes, by outcome. Bytes are those that came back; for what stayed, those
    /// that didn't.
    pub outcomes: OutcomeSums,
    /// What went, by class and account.
    pub went: BTreeMap<(Class, Option<AccountName>), Sum>,
    /// The same by rule and account.
    pub went_by_rule: Vec<Went>,
    /// The biggest things that went, the biggest first.
    pub biggest: Vec<Large>,
    /// What stayed and why.
    pub stayed: Vec<Stayed>,
    /// Free space before.
    pub free_before: u64,
    /// Free space after.
    pub free_after: u64,
    /// Free space that the manifest promised.
    pub free_predicted: u64,
    /// How much of that is the items', without folders' own blocks.
    pub items_promised: u64,
    /// How much of folders' own blocks stayed.
    pub folders_stayed: u64,
    /// Promised bytes of files that have another name still: it could not go.
    pub linked: u64,
    /// What databases gave back beside what their rows promised, in bytes: it shows when they are compacted.
    pub compacted: i64,
    /// What the dustpan takes on the target's own volume.
    pub packed_on_target: u64,
    /// What programs still hold of what went, in bytes: it comes back when they let go.
    pub still_held: (u64, Option<RunningProgram>),
    /// Predicted against actual, when a rehearsal came before.
    pub compared: Option<Comparison>,
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
    #[error("the list was made on another machine, or before this one was started anew")]
    OtherBoot,
    #[error("which files its programs hold open can't be seen: /proc is not mounted")]
    NoProc,
    #[error("the list can't be carried out: {why}")]
    List { why: String },
    #[error(transparent)]
    Locked(#[from] LockError),
    #[error("cannot measure the volume")]
    Measure { source: io::Error },
    #[error("the run was not recorded, so nothing was removed")]
    Journal {
        #[from]
        source: JournalError,
    },
}

/// Carries a confirmed manifest out.
///
/// # Errors
/// When it can't start. Once it has touched anything it always returns a summary.
pub fn sweep(
    context: &RunContext<'_>,
    confirmed: &ConfirmedManifest,
    mut real: Real<'_>,
    cancel: &CancelToken,
    clock: &dyn Fn() -> Timestamp,
    sink: &dyn Fn(SweepEvent),
) -> Result<RunSummary, SweepError> {
    let manifest = confirmed.manifest();
    let opened = same_target(context.target, manifest)?;
    // A disk on the bench is nobody's; the running system's programs would lose what they write.
    if context.target.is_live && !InUse::can_be_read() {
        return Err(SweepError::NoProc);
    }
    // Held until the sweep returns.
    let _lock = lock(context.target, real.state)?;
    let free_before = free(context.target)?;
    let start = Start {
        run: real.run,
        started: real.started,
        rehearsal: real.predictions.and_then(|known| known.rehearsal.as_ref()),
    };
    let journal = &mut *real.journal;
    let first = start.line(context, manifest, opened, free_before);
    whole(manifest)?;
    // It reaches the disk with the first intents, before anything is touched.
    journal.write(&first)?;
    journal.flush()?;
    let mut tally = Tally::new(context, manifest, sink, real.predictions);
    let broke_off = pipeline::run(context, manifest, &mut real, cancel, clock, &mut tally);
    let is_stopped = cancel.is_cancelled() && tally.done < manifest.items.len() as u64;
    let mut broke_off = broke_off.err().map(|error| error_chain(&error));
    broke_off = broke_off.or_else(|| manifest.items.failure().map(str::to_owned));
    let disk = context.target.disk();
    // The journal may lie on another disk: its last line must not be true before the target's own.
    // A volume that can't say so is measured all the same.
    drop(disk.sync_volume(context.target.root()));
    let free_after = free(context.target).unwrap_or(free_before);
    if broke_off.is_none() {
        let state = if is_stopped { "stopped" } else { "finished" }.to_owned();
        let last = Record::Finish {
            state,
            ended: clock(),
            free: free_after,
            stayed: Some(tally.stayed()),
        };
        let finished = real.journal.write(&last);
        let finished = finished.and_then(|()| real.journal.sync());
        broke_off = finished.err().map(|error| error_chain(&error));
    }
    let device = context.target.volume_device();
    let shares = |pan: &&Dustpan| device.is_some() && pan.device() == device;
    let packed = real.dustpan.as_deref().filter(shares);
    let mut summary = tally.into_summary(manifest, (free_before, free_after));
    summary.packed_on_target = packed.map_or(0, Dustpan::packed);
    summary.still_held = still_held(&summary, manifest);
    summary.is_stopped = is_stopped;
    summary.broke_off = broke_off;
    Ok(summary)
}

/// Makes every check of a sweep, removes nothing, and says what would become of each item; written to
/// `record` where one is given.
///
/// # Errors
/// When the target is another one, or the record can't be written.
pub fn rehearse(
    context: &RunContext<'_>,
    confirmed: &ConfirmedManifest,
    record: Option<(&RunId, Timestamp, &mut Journal)>,
    cancel: &CancelToken,
    clock: &dyn Fn() -> Timestamp,
    sink: &dyn Fn(SweepEvent),
) -> Result<Rehearsed, SweepError> {
    let manifest = confirmed.manifest();
    let opened = same_target(context.target, manifest)?;
    let free_before = free(context.target)?;
    let mut tally = Tally::new(context, manifest, sink, None);
    let mut predictions = Predictions::default();
    let mut record = record.map(|(run, started, journal)| {
        predictions.rehearsal = Some(run.clone());
        let rehearsal = None;
        let start = Start {
            run,
            started,
            rehearsal,
        };
        let first = start.line(context, manifest, opened, free_before);
        (first, journal)
    });
    if let Some((first, journal)) = &mut record {
        journal.write(first)?;
    }
    let shared = Shared::new(context, manifest, cancel);
    shared.begin_batch(clock());
    look_at_units(&shared, manifest, cancel);
    let mut gone = LetGo::nothing_of(manifest);
    for batch in Batches::of(&manifest.items) {
        shared.begin_batch(clock());
        let mut checker = Checker::new(&shared, None);
        let mut verdicts = Vec::with_capacity(batch.items.len());
        for (number, item) in (batch.first..).zip(&*batch.items) {
            if cancel.is_cancelled() {
                break;
            }
            let verdict = predict(context, &mut checker, item, &mut gone);
            tally.count(number, item, &verdict);
            predictions.add(&verdict);
            verdicts.push(Some(verdict));
        }
        if let Some((_, journal)) = &mut record {
            recorder::intend(journal, &batch)?;
            recorder::record(journal, recorder::outcomes(&batch, &verdicts))?;
        }
    }
    whole(manifest)?;
    let free_after = free_before.saturating_add(tally.freed());
    if let Some((_, journal)) = &mut record {
        journal.write(&Record::Finish {
            state: "rehearsed".to_owned(),
            ended: clock(),
            free: free_after,
            stayed: None,
        })?;
        journal.sync()?;
    }
    let mut summary = tally.into_summary(manifest, (free_before, free_after));
    summary.is_stopped = cancel.is_cancelled();
    Ok(Rehearsed {
        summary,
        predictions,
    })
}

/// Whether all items could be read so far.
fn whole(manifest: &Manifest) -> Result<(), SweepError> {
    match manifest.items.failure() {
        None => Ok(()),
        Some(why) => Err(SweepError::List {
            why: why.to_owned(),
        }),
    }
}

fn free(target: &Target) -> Result<u64, SweepError> {
    match target.measure() {
        Ok(volume) => Ok(volume.free),
        Err(source) => Err(SweepError::Measure { source }),
    }
}

/// How a record begins.
struct Start<'a> {
    run: &'a RunId,
    started: Timestamp,
    rehearsal: Option<&'a RunId>,
}

impl Start<'_> {
    fn line(
        &self,
        context: &RunContext<'_>,
        manifest: &Manifest,
        opened: TargetMark,
        free: u64,
    ) -> Record {
        Record::Start {
            format: FORMAT.to_owned(),
            version: VERSION,
            run: self.run.clone(),
            started: self.started,
            target: opened.root,
            identity: context.target.identity().as_str().to_owned(),
            device: opened.key.device,
            inode: opened.key.inode,
            layout: opened.layout.name().to_owned(),
            label: opened.label,
            free,
            items: manifest.items.len() as u64,
            bytes: manifest.takes.bytes,
            partial: manifest.is_partial,
            manifest: manifest.digest(),
            rehearsal: self.rehearsal.cloned(),
        }
    }
}

/// What programs hold of what went: they opened it in the moment before, and its bytes come back when
/// they let go.
fn still_held(summary: &RunSummary, manifest: &Manifest) -> (u64, Option<RunningProgram>) {
    let came_back = summary.free_after.saturating_sub(summary.free_before);
    let went: u64 = summary.went.values().map(|sum| sum.bytes).sum();
    // Asked only when something is missing: it costs a look at all that programs hold.
    if came_back >= went {
        return (0, None);
    }
    let in_use = InUse::read();
    let mut held = (0_u64, None);
    manifest.items.each_view(&mut |_, item| {
        if item.bytes() > 0
            && let Some(program) = in_use.deleted(item.key())
        {
            held.0 = held.0.saturating_add(item.bytes());
            held.1.get_or_insert_with(|| program.clone());
        }
    });
    held
}

/// The mark of the opened target, which must be the one that the manifest was made for.
fn same_target(target: &Target, manifest: &Manifest) -> Result<TargetMark, SweepError> {
    let opened = TargetMark::of(target);
    if !opened.is_same(&manifest.target) {
        let planned = manifest.target.root.clone();
        return Err(SweepError::OtherTarget {
            planned,
            opened: opened.root,
        });
    }
    if manifest.boot != boot() {
        return Err(SweepError::OtherBoot);
    }
    Ok(opened)
}
