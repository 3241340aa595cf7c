//! The journal, written one batch ahead of the touching by a thread of its own, so that nobody
//! waits for the state disk while the target has work.

use std::sync::Arc;
use std::sync::mpsc::{Receiver, Sender, channel};
use std::thread::{Scope, ScopedJoinHandle};

use crate::cancel::CancelToken;
use crate::plan::ManifestItem;
use crate::plan::item_outcome::ItemOutcome;
use crate::run::log::record::{Done, Intending, Record};
use crate::state::{Journal, JournalError};

/// A batch: the number of its first item in the manifest, and its items.
#[derive(Clone)]
pub(crate) struct Batch {
    pub first: usize,
    pub items: Arc<Vec<ManifestItem>>,
}

enum RecorderOrder {
    Intend(Batch),
    Record(Vec<Done>),
}

/// The writing end of a journal's thread.
///
/// # Invariants
/// Orders are carried out in the order in which they are given; after one has failed, nothing is
/// written any more.
pub(crate) struct Recorder<'scope> {
    orders: Sender<RecorderOrder>,
    synced: Receiver<bool>,
    thread: ScopedJoinHandle<'scope, Result<(), JournalError>>,
}

impl<'scope> Recorder<'scope> {
    /// Begins the thread; it sets `halt` when something can't be written.
    pub(crate) fn begin(
        scope: &'scope Scope<'scope, '_>,
        journal: &'scope mut Journal,
        halt: CancelToken,
    ) -> Self {
        let (orders, ordered) = channel();
        let (tell, synced) = channel();
        let thread = scope.spawn(move || {
            let written = write(journal, &ordered, &tell);
            if written.is_err() {
                halt.cancel();
            }
            written
        });
        Self {
            orders,
            synced,
            thread,
        }
    }

    /// Has the intents of a batch written and synced; [`Self::is_on_disk`] tells.
    pub(crate) fn intend(&self, batch: Batch) {
        // A thread that has ended says why when it is joined.
        drop(self.orders.send(RecorderOrder::Intend(batch)));
    }

    /// Whether the oldest batch of intents not asked for yet is on the disk; waits for it if that may be.
    pub(crate) fn is_on_disk(&self, may_wait: bool) -> bool {
        if may_wait {
            self.synced.recv().unwrap_or(false)
        } else {
            self.synced.try_recv().unwrap_or(false)
        }
    }

    /// Has the outcomes of a batch written; they reach the disk with the next intents.
    pub(crate) fn record(&self, outcomes: Vec<Done>) {
        drop(self.orders.send(RecorderOrder::Record(outcomes)));
    }

    /// Waits until everything is written; says what failed.
    pub(crate) fn end(self) -> Result<(), JournalError> {
        drop(self.orders);
        self.thread.join().unwrap_or(Err(JournalError::Shut))
    }
}

fn write(
    journal: &mut Journal,
    orders: &Receiver<RecorderOrder>,
    tell: &Sender<bool>,
) -> Result<(), JournalError> {
    for order in orders {
        match order {
            RecorderOrder::Intend(batch) => {
                intend(journal, &batch)?;
                // Whoever doesn't listen any more has broken off; what was done is written still.
                let _broke_off = tell.send(true).is_err();
            }
            RecorderOrder::Record(outcomes) => record(journal, outcomes)?,
        }
    }
    Ok(())
}

/// Writes what a batch is about to touch, and waits until that is on the disk.
pub(crate) fn intend(journal: &mut Journal, batch: &Batch) -> Result<(), JournalError> {
    let mut first = batch.first;
    for items in batch.items.chunk_by(is_like) {
        if let Some(intending) = Intending::new(first, items) {
            journal.write(&intending)?;
        }
        first += items.len();
    }
    journal.sync()
}

fn is_like(one: &ManifestItem, other: &ManifestItem) -> bool {
    let is_ones = match (&one.account, &other.account) {
        (Some(one), Some(other)) => one.is_same(other),
        (None, None) => true,
        _ => false,
    };
    is_ones
        && one.rule.is_same(&other.rule)
        && one.by == other.by
        && one.identity.key.device == other.identity.key.device
        && one.path.is_root() == other.path.is_root()
        && one.path.folder_bytes() == other.path.folder_bytes()
}

/// Writes what became of items.
pub(crate) fn record(journal: &mut Journal, items: Vec<Done>) -> Result<(), JournalError> {
    if items.is_empty() {
        return Ok(());
    }
    journal.write(&Record::Done { items })?;
    journal.flush()
}

/// What became of the items of a batch, as it is written; those without a verdict were not reached.
pub(crate) fn outcomes(batch: &Batch, verdicts: &[Option<ItemOutcome>]) -> Vec<Done> {
    let mut items: Vec<Done> = Vec::new();
    for (n, verdict) in (batch.first as u64..).zip(verdicts) {
        let Some(verdict) = verdict else { continue };
        let bytes = (!verdict.is_as_listed).then_some(verdict.bytes);
        let words = verdict.words();
        match items.last_mut() {
            Some(last)
                if last.n.checked_add(last.many) == Some(n)
                    && (last.outcome, last.bytes) == (verdict.outcome, bytes)
                    && last.reason == words =>
            {
                last.many += 1;
            }
            _ => items.push(Done {
                n,
                many: 1,
                outcome: verdict.outcome,
                bytes,
                reason: words,
            }),
        }
    }
    items
}
