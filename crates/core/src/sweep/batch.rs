//! Touching one batch.

use std::ops::Range;
use std::sync::atomic::{AtomicUsize, Ordering};
use std::sync::mpsc::{Sender, channel};
use std::thread;
use std::time::Duration;

use jolly_disk::{Stat, busy_time};

use crate::decide::{EntryKind, ManifestItem};
use crate::rulebook::Removal;
use crate::scan::CancelToken;
use crate::sweep::airlock::Airlock;
use crate::sweep::check::{Checker, Shared, Verdict};
use crate::sweep::packer::Stored;
use crate::sweep::recorder::Batch;
use crate::sweep::remove::Remover;
use crate::sweep::{Outcome, Pause};

/// Items in one batch. A batch costs one wait for the state disk; after a crash, at most four of
/// them are without an outcome.
const MOST_ITEMS: usize = 4096;

/// Bytes that one batch sets aside, unless its first item alone has more: what waits in the dustpan
/// before its originals may go.
pub(super) const MOST_STORED: u64 = 64 << 20;

/// Items that a thread takes at once, unless their folder holds more.
const CHUNK: usize = 64;

/// The most that a thread takes at once.
const MOST_CHUNK: usize = 512;

/// Most threads, where the device is what is waited for.
const MOST_HANDS: usize = 8;

/// Cuts a manifest into batches.
pub(super) fn split(items: &[ManifestItem]) -> Vec<Batch<'_>> {
    let mut batches = Vec::new();
    let mut first = 0;
    while let Some(rest) = items.get(first..).filter(|rest| !rest.is_empty()) {
        let mut stored = 0_u64;
        let fits = |item: &&ManifestItem| {
            let is_stored = item.by == Removal::SetAside;
            stored = stored.saturating_add(if is_stored { item.size } else { 0 });
            stored <= MOST_STORED
        };
        let many = rest.iter().take(MOST_ITEMS).take_while(fits).count().max(1);
        let items = rest.get(..many).unwrap_or(rest);
        batches.push(Batch { first, items });
        first += many;
    }
    batches
}

/// How many threads touch the target: as many as there are processors, more while they mostly wait
/// for the device.
pub(super) struct Hands(usize);

impl Hands {
    pub(super) fn new() -> Self {
        let processors = thread::available_parallelism().map_or(2, std::num::NonZero::get);
        Self(processors.clamp(2, MOST_HANDS))
    }

    /// Takes more when those there are were busy for less than half of the time.
    fn learn(&mut self, busy: Duration, took: Duration) {
        let many = u32::try_from(self.0).unwrap_or(u32::MAX);
        if took > Duration::from_millis(5) && busy * 2 < took * many {
            self.0 = (self.0 * 2).min(MOST_HANDS);
        }
    }
}

/// What steers a batch from outside.
pub(super) struct Reins<'a> {
    pub stop: &'a CancelToken,
    pub pause: &'a Pause,
    /// The moment, for measuring how long threads wait.
    pub clock: &'a dyn Fn() -> jiff::Timestamp,
    /// How things leave folders in which others may change names.
    pub airlock: &'a Airlock<'a>,
}

/// Touches one batch. What a stop kept from being reached has no verdict.
pub(super) fn carry_out(
    shared: &Shared<'_>,
    stored: &Stored,
    batch: Batch<'_>,
    hands: &mut Hands,
    reins: &Reins<'_>,
    tell: &mut dyn FnMut(usize, &ManifestItem, &Verdict),
) -> Vec<Option<Verdict>> {
    let mut verdicts: Vec<Option<Verdict>> = vec![None; batch.items.len()];
    let touch = Touch {
        shared,
        airlock: reins.airlock,
        first: batch.first,
        items: batch.items,
        stored,
        stop: reins.stop,
        pause: reins.pause,
    };
    let (free, bound): (Vec<usize>, Vec<usize>) =
        (0..batch.items.len()).partition(|at| is_free(&batch.items[*at]));
    let chunks = chunks(batch.items, &free);
    let mut settle = |at: usize, verdict: Verdict, verdicts: &mut Vec<Option<Verdict>>| {
        tell(batch.first + at, &batch.items[at], &verdict);
        verdicts[at] = Some(verdict);
    };
    let mut remover = touch.remover();
    if chunks.len() <= 1 {
        for at in free {
            match touch.one(&mut remover, at) {
                Some(verdict) => settle(at, verdict, &mut verdicts),
                None => break,
            }
        }
    } else {
        let began = (reins.clock)();
        let cursor = AtomicUsize::new(0);
        let busy = thread::scope(|scope| {
            let (send, receive) = channel();
            let many = hands.0.min(chunks.len());
            let threads: Vec<_> = (0..many)
                .map(|_| {
                    let (send, touch) = (send.clone(), &touch);
                    let (cursor, chunks, free) = (&cursor, &chunks, &free);
                    scope.spawn(move || {
                        let before = busy_time();
                        touch.all(cursor, chunks, free, &send);
                        busy_time().saturating_sub(before)
                    })
                })
                .collect();
            drop(send);
            for done in receive {
                for (at, verdict) in done {
                    settle(at, verdict, &mut verdicts);
                }
            }
            threads
                .into_iter()
                .map(|thread| thread.join().unwrap_or_default())
                .sum()
        });
        let took = (reins.clock)().duration_since(began);
        hands.learn(busy, Duration::try_from(took).unwrap_or_default());
    }
    for at in bound {
        if let Some(verdict) = touch.bound(&mut remover, at) {
            settle(at, verdict, &mut verdicts);
        }
    }
    verdicts
}

/// Whether an item goes regardless of what became of others: a folder waits for its contents, what
/// describes something for that, and of a file with several names each look counts the names that
/// went before.
fn is_free(item: &ManifestItem) -> bool {
    item.kind != EntryKind::Folder && item.after.is_none() && item.identity.links <= 1
}

/// Cuts positions into what one thread takes at once: whole folders where they are small, since two
/// threads in one folder wait for each other.
fn chunks(items: &[ManifestItem], free: &[usize]) -> Vec<Range<usize>> {
    let mut chunks = Vec::new();
    let mut from = 0;
    let folder = |at: usize| items[free[at]].path.folder_bytes();
    for at in 1..=free.len() {
        let many = at - from;
        let is_end = at == free.len()
            || many >= MOST_CHUNK
            || (many >= CHUNK && folder(at) != folder(at - 1));
        if is_end {
            chunks.push(from..at);
            from = at;
        }
    }
    chunks
}

/// The touching of one batch.
struct Touch<'a> {
    shared: &'a Shared<'a>,
    airlock: &'a Airlock<'a>,
    /// The number of the batch's first item in the manifest.
    first: usize,
    items: &'a [ManifestItem],
    stored: &'a Stored,
    stop: &'a CancelToken,
    pause: &'a Pause,
}

impl Touch<'_> {
    fn remover(&self) -> Remover<'_, '_> {
        Remover {
            checker: Checker::new(self.shared),
            airlock: self.airlock,
        }
    }

    /// Takes chunk after chunk until none is left.
    fn all(
        &self,
        cursor: &AtomicUsize,
        chunks: &[Range<usize>],
        free: &[usize],
        send: &Sender<Vec<(usize, Verdict)>>,
    ) {
        let mut remover = self.remover();
        while let Some(chunk) = chunks.get(cursor.fetch_add(1, Ordering::Relaxed)) {
            let mut done = Vec::with_capacity(chunk.len());
            for at in free.get(chunk.clone()).unwrap_or_default() {
                match self.one(&mut remover, *at) {
                    Some(verdict) => done.push((*at, verdict)),
                    None => break,
                }
            }
            // The other end listens until all have ended.
            drop(send.send(done));
        }
    }

    /// Touches one item, unless all is to stop.
    fn one(&self, remover: &mut Remover<'_, '_>, at: usize) -> Option<Verdict> {
        self.pause.wait(self.stop);
        (!self.stop.is_cancelled()).then(|| self.go(remover, at))
    }

    /// Touches one that had to wait for others. Folders that are empty by now go even when all is
    /// to stop: left behind, each would be too young for the next sweep.
    fn bound(&self, remover: &mut Remover<'_, '_>, at: usize) -> Option<Verdict> {
        if !self.stop.is_cancelled() {
            return self.one(remover, at);
        }
        let is_folder = self.items[at].kind == EntryKind::Folder;
        let verdict = is_folder.then(|| self.go(remover, at))?;
        (!verdict.outcome.stays()).then_some(verdict)
    }

    fn go(&self, remover: &mut Remover<'_, '_>, at: usize) -> Verdict {
        let item = &self.items[at];
        let numbered = (item, self.first + at);
        let name = item.path.to_name();
        match item.by {
            Removal::Remove => match remover.checker.check(item, &name) {
                Ok(stat) => remover.remove(numbered, &name, &stat),
                Err(verdict) => verdict,
            },
            Removal::Overwrite => match remover.checker.check(item, &name) {
                Ok(stat) => remover.overwrite_and_remove(numbered, &name, &stat),
                Err(verdict) => verdict,
            },
            Removal::SetAside => match self.stored.get(&at) {
                None => Verdict::stays(Outcome::Failed, "it never reached the dustpan"),
                Some(Err(verdict)) => verdict.clone(),
                // Time has passed while its bytes were stored: everything is asked again.
                Some(Ok((before, _))) => match remover.checker.check(item, &name) {
                    Ok(stat) if is_same(item, before, &stat) => {
                        let mut verdict = remover.remove(numbered, &name, &stat);
                        if verdict.outcome == Outcome::Removed {
                            verdict.outcome = Outcome::SetAside;
                        }
                        verdict
                    }
                    Ok(_) => Verdict::stays(Outcome::Changed, "it changed while it was stored"),
                    Err(verdict) => verdict,
                },
            },
        }
    }
}

fn is_same(item: &ManifestItem, before: &Stat, after: &Stat) -> bool {
    item.kind == EntryKind::Folder
        || (before.key == after.key
            && before.size == after.size
            && before.modified == after.modified)
}
