//! In which order the entries of each folder stand.

use std::cmp::Reverse;

use crate::cancel::CancelToken;
use crate::decide::{EntryId, Inside};
use crate::pile::Scan;

/// How the entries of a folder are ordered.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub enum InsideOrder {
    /// What frees most first.
    Biggest,
    /// What has not been touched for longest first.
    Oldest,
    /// By name.
    Name,
}

impl InsideOrder {
    /// The next one.
    #[must_use]
    pub fn next(self) -> Self {
        match self {
            Self::Biggest => Self::Oldest,
            Self::Oldest => Self::Name,
            Self::Name => Self::Biggest,
        }
    }

    /// In words.
    pub fn words(self) -> &'static str {
        match self {
            Self::Biggest => "biggest first",
            Self::Oldest => "oldest first",
            Self::Name => "by name",
        }
    }
}

/// The entries of every folder of a pile in one order.
#[derive(Clone, Debug)]
pub struct Arrangement {
    /// Which.
    pub order: InsideOrder,
    /// Where the entries of each folder begin in `entries`; one more at the end.
    starts: Vec<u32>,
    entries: Vec<EntryId>,
}

impl Arrangement {
    /// The entries of a folder.
    pub fn of(&self, folder: EntryId) -> &[EntryId] {
        let at = |at: usize| self.starts.get(at).map(|start| *start as usize);
        match (at(folder.at()), at(folder.at() + 1)) {
            (Some(first), Some(end)) => self.entries.get(first..end).unwrap_or_default(),
            _ => &[],
        }
    }
}

impl Inside {
    /// Orders the entries of every folder; nothing comes back when it is cancelled.
    pub fn arrange(
        &self,
        scan: &Scan,
        order: InsideOrder,
        cancel: &CancelToken,
    ) -> Option<Arrangement> {
        let mut below: Vec<Vec<EntryId>> = vec![Vec::new(); self.folders.len()];
        for (at, folder) in self.folders.iter().enumerate() {
            let parent = folder.parent.map(|parent| parent as usize);
            if let Some(all) = parent.and_then(|parent| below.get_mut(parent)) {
                all.push(EntryId::new(at));
            }
        }
        let count = self.folders.len() + self.positions.len();
        let mut arrangement = Arrangement {
            order,
            starts: Vec::with_capacity(self.folders.len() + 1),
            entries: Vec::with_capacity(count),
        };
        for (folder, mut own) in self.folders.iter().zip(below) {
            if cancel.is_cancelled() {
                return None;
            }
            let start = arrangement.entries.len();
            arrangement
                .starts
                .push(u32::try_from(start).unwrap_or(u32::MAX));
            let items = (folder.first..folder.end)
                .filter(|at| !self.is_hidden(*at))
                .map(|at| EntryId::new(self.folders.len() + at as usize));
            own.extend(items);
            match order {
                InsideOrder::Biggest => own.sort_by_cached_key(|id| {
                    let found = self.found(scan, *id);
                    (Reverse(found.bytes), Reverse(found.items), *id)
                }),
                InsideOrder::Oldest => {
                    own.sort_by_cached_key(|id| (Reverse(self.age(scan, *id)), *id));
                }
                InsideOrder::Name => own.sort_by_cached_key(|id| self.name(scan, *id)),
            }
            arrangement.entries.extend(own);
        }
        let end = u32::try_from(arrangement.entries.len()).unwrap_or(u32::MAX);
        arrangement.starts.push(end);
        Some(arrangement)
    }

    fn is_hidden(&self, at: u32) -> bool {
        let position = self.positions.get(at as usize);
        position.is_some_and(|position| self.hidden.binary_search(position).is_ok())
    }

    /// The first entry, in the order of the screen from the one after `from` on and around, whose
    /// name holds the text in small or capital letters; with the folders that lead to it.
    pub fn find(
        &self,
        scan: &Scan,
        arrangement: &Arrangement,
        from: Option<EntryId>,
        text: &str,
        cancel: &CancelToken,
    ) -> Option<EntryId> {
        let wanted = text.to_lowercase();
        let mut first = None;
        let mut is_past = from.is_none();
        let mut waiting: Vec<EntryId> = arrangement.of(self.top()).iter().rev().copied().collect();
        while let Some(id) = waiting.pop() {
            if cancel.is_cancelled() {
                return None;
            }
            let name = self.shown_name(scan, id).to_lowercase();
            if name.contains(&wanted) {
                if is_past {
                    return Some(id);
                }
                first = first.or(Some(id));
            }
            is_past |= Some(id) == from;
            if self.is_folder(id) {
                waiting.extend(arrangement.of(id).iter().rev());
            }
        }
        first
    }
}
