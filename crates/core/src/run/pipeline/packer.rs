//! Packing what is set aside ahead of the touching: one thread packs a batch into a frame, another
//! brings the frame before to the disk and reads it back, while the one before that is touched.

use std::collections::HashMap;
use std::sync::mpsc::{Receiver, Sender, TryRecvError, channel};
use std::thread::Scope;

use jolly_disk::Stat;

use crate::cancel::CancelToken;
use crate::dustpan::{Dustpan, Frame, Verifier, Writer};
use crate::plan::item_outcome::ItemOutcome;
use crate::plan::{ManifestItem, Outcome, StayReason};
use crate::rule::Removal;
use crate::run::Pause;
use crate::run::check::list::OpenList;
use crate::run::check::{Checker, Shared};
use crate::run::pipeline::recorder::Batch;
use crate::run::pipeline::safety_copier::SafetyCopier;
use crate::state::RunId;

/// What the dustpan has of an item.
#[derive(Clone, Copy)]
pub(crate) enum Kept {
    /// Its bytes: how it looked when they were read, and its number in the dustpan.
    Item(Stat, u64),
    /// Copies of what is dearest in its profile, or of its whole hive; the item itself just goes.
    Copies,
}

/// What was stored for each item of a batch that is set aside, or that only goes once copies were made, by its position.
pub(crate) type Stored = HashMap<usize, Result<Kept, ItemOutcome>>;

enum Proof {
    Frame(Option<Frame>, Stored),
    Stayed(Vec<u64>),
}

/// The ordering end of the packing threads.
///
/// # Invariants
/// Batches come back in the order in which they were ordered, and only when what they hold is safely
/// in the dustpan.
pub(crate) struct Packer {
    orders: Sender<Batch>,
    proofs: Sender<Proof>,
    packed: Receiver<Stored>,
}

impl Packer {
    /// Begins the threads.
    pub(crate) fn begin<'scope>(
        scope: &'scope Scope<'scope, '_>,
        shared: &'scope Shared<'_>,
        (dustpan, run): (&'scope mut Dustpan, &'scope RunId),
        (stop, pause): (&'scope CancelToken, &'scope Pause),
    ) -> Self {
        let (orders, ordered) = channel::<Batch>();
        let (proofs, to_prove) = channel();
        let (tell, packed) = channel();
        let (mut writer, mut verifier) = dustpan.halves();
        let prove = proofs.clone();
        scope.spawn(move || {
            let mut copies = SafetyCopier::of(shared.context.target, run);
            for batch in ordered {
                let mut stored = store(shared, (&mut writer, &mut copies), &batch, stop, pause);
                let closed = if stop.is_cancelled() {
                    // Something may be in it that is not whole, and nothing of it will be touched.
                    stored.clear();
                    writer.abandon().map(|()| None)
                } else {
                    writer.close()
                };
                let (frame, stored) = match closed {
                    Ok(frame) => (frame, stored),
                    Err(error) => (None, spoilt(stored, &error.to_string())),
                };
                if prove.send(Proof::Frame(frame, stored)).is_err() {
                    return;
                }
            }
        });
        scope.spawn(move || prove_all(&mut verifier, (&to_prove, &tell), stop));
        Self {
            orders,
            proofs,
            packed,
        }
    }

    /// Has a batch packed; [`Self::packed`] gives it.
    pub(crate) fn pack(&self, batch: Batch) {
        // A thread that has ended packs nothing, and what was not packed stays.
        let _ended = self.orders.send(batch).is_err();
    }

    /// What was stored of the oldest batch not asked for yet; waits for it if that may be.
    pub(crate) fn packed(&self, may_wait: bool) -> Option<Stored> {
        if may_wait {
            return Some(self.packed.recv().unwrap_or_default());
        }
        match self.packed.try_recv() {
            Ok(stored) => Some(stored),
            Err(TryRecvError::Empty) => None,
            // A thread that has ended packs nothing, and what was not packed stays.
            Err(TryRecvError::Disconnected) => Some(Stored::default()),
        }
    }

    /// Notes which things stayed where they were, although they were packed.
    pub(crate) fn note_stayed(&self, stayed: Vec<u64>) {
        if !stayed.is_empty() {
            // Without the note they are offered, and found to be there still.
            drop(self.proofs.send(Proof::Stayed(stayed)));
        }
    }

    /// Notes that what was packed ahead was never touched, and ends the threads.
    pub(crate) fn end(self) {
        for stored in self.packed.try_iter() {
            self.note_stayed(stayed(&stored, &|_| None));
        }
        // The prover notes what it has no listener for any more, and both end when nobody orders.
        drop(self.packed);
    }
}

/// The numbers of what was packed and didn't leave.
pub(crate) fn stayed<'v>(
    stored: &Stored,
    verdict: &dyn Fn(usize) -> Option<&'v ItemOutcome>,
) -> Vec<u64> {
    // Of what could not go back to where it was, the dustpan may hold the only copy that is found again.
    let is_gone = |at: usize| {
        verdict(at).is_some_and(|it| {
            let is_elsewhere = matches!(it.reason, Some(StayReason::LiesElsewhere { .. }));
            it.outcome == Outcome::SetAside || is_elsewhere
        })
    };
    let mut stayed: Vec<u64> = stored
        .iter()
        .filter(|(at, _)| !is_gone(**at))
        .filter_map(|(_, stored)| match stored {
            Ok(Kept::Item(_, number)) => Some(*number),
            Ok(Kept::Copies) | Err(_) => None,
        })
        .collect();
    stayed.sort_unstable();
    stayed
}

fn prove_all(
    verifier: &mut Verifier<'_>,
    (proofs, tell): (&Receiver<Proof>, &Sender<Stored>),
    stop: &CancelToken,
) {
    for proof in proofs {
        match proof {
            Proof::Stayed(stayed) => verifier.note_stayed(stayed),
            Proof::Frame(frame, stored) => {
                let proven = frame.map_or(Ok(()), |frame| verifier.prove(frame, stop));
                let stored = match proven {
                    // Copies may be in a frame before.
                    Ok(()) if verifier.is_shut() => spoilt(stored, "the dustpan can't be written"),
                    Ok(()) => stored,
                    // Nothing of it was touched, nor will it be.
                    Err(_) if stop.is_cancelled() => Stored::new(),
                    Err(error) => spoilt(stored, &error.to_string()),
                };
                // Nobody waits any more after a stop: then it never left.
                if let Err(unheard) = tell.send(stored) {
                    verifier.note_stayed(stayed(&unheard.0, &|_| None));
                }
            }
        }
    }
}

/// What becomes of a batch whose frame is not safe.
fn spoilt(stored: Stored, why: &str) -> Stored {
    let spoil = |(at, stored): (usize, Result<_, ItemOutcome>)| {
        let failed = || ItemOutcome::stays(StayReason::DustpanFailed(why.to_owned()));
        (at, stored.and_then(|_: Kept| Err(failed())))
    };
    stored.into_iter().map(spoil).collect()
}

/// Stores an entry of a list; `open` is the list that was opened last.
fn store_entry(
    checker: &mut Checker<'_>,
    writer: &mut Writer<'_>,
    (item, open): (&ManifestItem, &mut Option<OpenList>),
    stop: &CancelToken,
) -> Result<Kept, ItemOutcome> {
    let known = open.take().filter(|list| list.is_of(item));
    let list = match known {
        Some(list) => list,
        None => checker.open_list(item)?,
    };
    let list = open.insert(list);
    checker.check_entry(item, list)?;
    let Some(entry) = item.entry else {
        return Err(ItemOutcome::stays(StayReason::NotWhatWasShown));
    };
    let exported = list.export(entry.entry).map_err(ItemOutcome::stays)?;
    let number = writer.store_entry(item, &list.stat, exported, stop)?;
    Ok(Kept::Item(list.stat, number))
}

/// Stores what a batch sets aside, and what is copied before it may go; a verdict for what can't be stored.
fn store(
    shared: &Shared<'_>,
    (writer, copies): (&mut Writer<'_>, &mut SafetyCopier<'_>),
    batch: &Batch,
    stop: &CancelToken,
    pause: &Pause,
) -> Stored {
    let mut stored = Stored::new();
    let mut checker = Checker::new(shared, None);
    let mut list = None;
    let aside = batch.items.iter().enumerate();
    let is_kept = |item: &ManifestItem| item.by == Removal::SetAside || item.needs_copies();
    for (at, item) in aside.filter(|(_, item)| is_kept(item)) {
        pause.wait(stop);
        if stop.is_cancelled() {
            break;
        }
        if item.needs_copies() {
            let copied = copies.make(writer, item, stop);
            if copied.is_err() || item.by != Removal::SetAside {
                stored.insert(at, copied.map(|()| Kept::Copies));
                continue;
            }
        }
        if item.entry.is_some() {
            let result = store_entry(&mut checker, writer, (item, &mut list), stop);
            stored.insert(at, result);
            continue;
        }
        let name = item.path.as_name();
        let result = checker.check_for_storing(item, name).and_then(|stat| {
            let disk = &**shared.context.target.disk();
            let folder = checker.parent(&item.path)?;
            let number = writer.store((disk, folder), item, &stat, stop)?;
            Ok(Kept::Item(stat, number))
        });
        stored.insert(at, result);
    }
    stored
}
