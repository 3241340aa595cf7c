//! One batch of a manifest, and the touching of what is in it.

use std::ops::{Range, RangeInclusive};
use std::sync::Arc;

use jolly_disk::Stat;

use crate::cancel::CancelToken;
use crate::computer::EntryKind;
use crate::dustpan::MOST_STORED;
use crate::plan::item_outcome::ItemOutcome;
use crate::plan::{FileIdentity, Items, ManifestItem, Outcome, StayReason, Tolerance};
use crate::rule::Removal;
use crate::run::Pause;
use crate::run::check::{Checker, Shared};
use crate::run::pipeline::packer::{Kept, Stored};
use crate::run::pipeline::recorder::Batch;
use crate::run::workers::quarantine::Quarantine;
use crate::run::workers::remove::Remover;
use crate::state::RunId;

/// Items in one batch. A batch costs one wait for the state disk; after a crash, at most four of
/// them are without an outcome.
const MOST_ITEMS: usize = 4096;

/// In how many parts a batch is cut at least, so that each of the most threads finds several.
const PARTS: usize = 32;

/// How many items a thread takes at once, unless their folder holds more.
const CHUNK: RangeInclusive<usize> = 16..=128;

/// How many times that when they lie in one folder.
const ONE_FOLDER: usize = 4;

/// A manifest cut into batches, each made when it is asked for.
pub(crate) struct Batches<'a> {
    items: &'a Items,
    next: usize,
}

impl<'a> Batches<'a> {
    pub(crate) fn of(items: &'a Items) -> Self {
        Self { items, next: 0 }
    }
}

impl Iterator for Batches<'_> {
    type Item = Batch;

    fn next(&mut self) -> Option<Batch> {
        let first = self.next;
        let mut stored = 0_u64;
        let most = MOST_ITEMS.min(self.items.len().saturating_sub(first));
        let mut items: Vec<ManifestItem> = Vec::with_capacity(most);
        for item in self.items.range(first..usize::MAX) {
            let is_stored = item.by == Removal::SetAside;
            stored = stored.saturating_add(if is_stored { item.stored() } else { 0 });
            let is_full = items.len() >= MOST_ITEMS || (stored > MOST_STORED && !items.is_empty());
            // A list is made anew once, so all that goes of it is in one batch.
            let is_of_last = |last: &ManifestItem| {
                item.entry.is_some() && last.entry.is_some() && last.file() == item.file()
            };
            if is_full && !items.last().is_some_and(is_of_last) {
                break;
            }
            items.push(item);
        }
        self.next += items.len();
        (!items.is_empty()).then(|| Batch {
            first,
            items: Arc::new(items),
        })
    }
}

/// A batch whose intents are on the disk.
pub(crate) struct Work {
    pub batch: Batch,
    pub stored: Stored,
    /// Positions of what goes regardless of what became of others.
    free: Vec<usize>,
    /// Positions of what has to wait for others, in order.
    pub bound: Vec<usize>,
    /// Positions of the entries of each list.
    lists: Vec<Vec<usize>>,
}

/// What one thread takes at once.
pub(crate) enum Part {
    /// Some of what is free.
    Free(Range<usize>),
    /// All entries of a list, by its position.
    List(usize),
}

impl Work {
    pub(crate) fn new(batch: Batch, stored: Stored) -> Self {
        let items = || batch.items.iter().enumerate();
        let entries = items().filter(|(_, item)| item.entry.is_some());
        let entries: Vec<(usize, &ManifestItem)> = entries.collect();
        let lists = entries.chunk_by(|(_, one), (_, other)| one.file() == other.file());
        let lists = lists.map(|list| list.iter().map(|(at, _)| *at).collect());
        let lists = lists.collect();
        let others = items().filter(|(_, item)| item.entry.is_none());
        let (free, bound): (Vec<_>, Vec<_>) = others.partition(|(_, item)| is_free(item));
        let positions = |some: Vec<(usize, _)>| some.into_iter().map(|(at, _)| at).collect();
        let (free, bound) = (positions(free), positions(bound));
        Self {
            batch,
            stored,
            free,
            bound,
            lists,
        }
    }

    /// Whether a folder itself has its turn in this batch.
    pub(crate) fn has_folder(&self, path: &[u8]) -> bool {
        let bound = self.bound.iter();
        let mut bound = bound.filter_map(|at| self.batch.items.get(*at));
        bound.any(|item| item.kind == EntryKind::Folder && item.path.as_bytes() == path)
    }

    /// The items that lie in the same folder as one of them, as far as they stand beside it.
    pub(crate) fn in_one_folder(&self, at: usize) -> impl Iterator<Item = &ManifestItem> {
        let items = &self.batch.items;
        let (before, from) = items.split_at_checked(at).unwrap_or((items, &[]));
        let folder = from.first().map(|item| item.path.folder_bytes());
        let is_in_it = move |item: &&ManifestItem| Some(item.path.folder_bytes()) == folder;
        let before = before.iter().rev().take_while(is_in_it);
        before.chain(from.iter().take_while(is_in_it))
    }

    /// The positions of the entries of a list.
    pub(crate) fn list(&self, at: usize) -> &[usize] {
        self.lists.get(at).map(Vec::as_slice).unwrap_or_default()
    }

    /// The positions in a part of what is free.
    pub(crate) fn free(&self, part: Range<usize>) -> &[usize] {
        self.free.get(part).unwrap_or_default()
    }

    /// Cuts what is free into what one thread takes at once: whole folders where they are small, since
    /// two threads in one folder wait for each other.
    pub(crate) fn parts(&self) -> Vec<Part> {
        let mut parts: Vec<Part> = (0..self.lists.len()).map(Part::List).collect();
        let mut from = 0;
        let folder = |at: usize| {
            let item = self.free.get(at).and_then(|at| self.batch.items.get(*at));
            item.map(|item| item.path.folder_bytes())
        };
        let enough = (self.free.len() / PARTS).clamp(*CHUNK.start(), *CHUNK.end());
        for at in 1..=self.free.len() {
            let many = at - from;
            let is_end = at == self.free.len()
                || many >= enough * ONE_FOLDER
                || (many >= enough && folder(at) != folder(at - 1));
            if is_end {
                parts.push(Part::Free(from..at));
                from = at;
            }
        }
        parts
    }
}

/// Whether an item goes regardless of what became of others: a folder waits for its contents, what
/// describes something for that, and of a file with several names each look counts the names that
/// went before.
fn is_free(item: &ManifestItem) -> bool {
    item.kind != EntryKind::Folder && item.after.is_none() && item.identity.links <= 1
}

/// What touching an item needs, whichever batch it is of.
pub(crate) struct Touch<'a> {
    pub shared: &'a Shared<'a>,
    /// How things leave folders in which others may change names.
    pub quarantine: &'a Quarantine<'a>,
    pub run: &'a RunId,
    pub stop: &'a CancelToken,
    pub pause: &'a Pause,
    /// Set when what is done can't be recorded any more: then nothing more is done.
    pub halt: CancelToken,
}

impl<'a> Touch<'a> {
    /// Of a batch, by the number of its first item.
    pub(crate) fn remover(&self, batch: usize) -> Remover<'a, 'a> {
        Remover {
            checker: Checker::new(self.shared, Some(batch)),
            quarantine: self.quarantine,
            run: self.run,
            stop: self.stop,
            stays_open: None,
        }
    }

    /// Touches one item, unless all is to stop.
    pub(crate) fn one(
        &self,
        remover: &mut Remover<'_, '_>,
        work: &Work,
        at: usize,
    ) -> Option<ItemOutcome> {
        self.pause.wait(self.stop);
        let is_over = self.stop.is_cancelled() || self.halt.is_cancelled();
        if is_over { None } else { go(remover, work, at) }
    }

    /// Touches all entries of one list, unless all is to stop: they go together.
    pub(crate) fn list(
        &self,
        remover: &mut Remover<'_, '_>,
        work: &Work,
        list: usize,
    ) -> Vec<(usize, ItemOutcome)> {
        self.pause.wait(self.stop);
        if self.stop.is_cancelled() || self.halt.is_cancelled() {
            return Vec::new();
        }
        remover.remove_entries(work, work.list(list))
    }

    /// Touches one that had to wait for others. Folders that are empty by now go even when all is
    /// to stop: left behind, each would be too young for the next sweep.
    pub(crate) fn bound(
        &self,
        remover: &mut Remover<'_, '_>,
        work: &Work,
        at: usize,
    ) -> Option<ItemOutcome> {
        if !self.stop.is_cancelled() || self.halt.is_cancelled() {
            return self.one(remover, work, at);
        }
        let item = work.batch.items.get(at)?;
        let is_folder = item.kind == EntryKind::Folder;
        let verdict = is_folder.then(|| go(remover, work, at))??;
        (!verdict.outcome.stays()).then_some(verdict)
    }
}

fn go(remover: &mut Remover<'_, '_>, work: &Work, at: usize) -> Option<ItemOutcome> {
    let item = work.batch.items.get(at)?;
    let mut outcome = touch(remover, work, (item, at));
    outcome.is_as_listed = outcome.bytes == item.bytes;
    Some(outcome)
}

/// Asks everything once more of one item, and has it go the way that it goes.
fn touch(
    remover: &mut Remover<'_, '_>,
    work: &Work,
    (item, at): (&ManifestItem, usize),
) -> ItemOutcome {
    let stored = match (item.by, work.stored.get(&at)) {
        (Removal::Remove | Removal::Overwrite | Removal::Clone | Removal::HardLink, _) => None,
        // No rule allows it.
        (Removal::Pack | Removal::Unpack, _) => {
            return ItemOutcome::stays(StayReason::WayNotAllowed);
        }
        (Removal::SetAside, Some(Ok(Kept::Item(before, _)))) => Some(before),
        (Removal::SetAside, Some(Err(outcome))) => return outcome.clone(),
        (Removal::SetAside, None | Some(Ok(Kept::Copies))) => {
            return ItemOutcome::stays(StayReason::NeverStored);
        }
    };
    let name = item.path.as_name();
    // Time has passed while its bytes were stored: everything is asked again.
    let looked = remover.checker.check(item, name).and_then(|stat| {
        if item.by.keeps_name() || !remover.take_its_folder(work, (item, at))? {
            return Ok(stat);
        }
        // Where it lies now nobody else can put anything in its place.
        remover.checker.check(item, name)
    });
    let stat = match looked {
        Ok(stat) => stat,
        Err(outcome) => return outcome,
    };
    let is_as_stored =
        |before: &Stat| FileIdentity::of(before).matches(item.kind, &stat, Tolerance::LastChange);
    if !stored.is_none_or(is_as_stored) {
        return ItemOutcome::stays(StayReason::ChangedWhileStored);
    }
    let numbered = (item, work.batch.first + at);
    let mut outcome = match item.by {
        Removal::Overwrite => remover.overwrite_and_remove(numbered, name, &stat),
        Removal::Remove | Removal::SetAside => remover.remove(numbered, name, &stat),
        Removal::Clone | Removal::HardLink => remover.share(numbered, name, &stat),
        Removal::Pack | Removal::Unpack => ItemOutcome::stays(StayReason::WayNotAllowed),
    };
    if stored.is_some() && outcome.outcome == Outcome::Removed {
        outcome.outcome = Outcome::SetAside;
    }
    outcome
}
