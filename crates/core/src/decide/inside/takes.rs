//! What goes of each folder.

use std::collections::HashMap;

use crate::decide::{Decisions, EntryId, Inside};
use crate::pile::{Scan, Sum};

impl Inside {
    /// What goes of each folder under these decisions, one row a folder in the tree's order.
    pub fn takes(&self, scan: &Scan, decisions: &Decisions) -> Vec<Sum> {
        let mut takes = vec![Sum::default(); self.folders.len()];
        let Some(goes) = decisions.going(scan, self.pile) else {
            return takes;
        };
        for (sum, folder) in takes.iter_mut().zip(&self.folders) {
            let (first, end) = (folder.first as usize, folder.end as usize);
            let own = self.positions.get(first..end).unwrap_or_default();
            let Some(older) = goes.just_first() else {
                let sums = self.sums.get(first..=end).unwrap_or_default().windows(2);
                for (position, frees) in own.iter().zip(sums) {
                    if let [before, after] = frees
                        && goes.has(*position as usize)
                    {
                        let bytes = after - before;
                        sum.add(Sum { items: 1, bytes });
                    }
                }
                continue;
            };
            let count = own.partition_point(|position| (*position as usize) < older);
            let before = |at: usize| self.sums.get(at).copied().unwrap_or(0);
            sum.items = count as u64;
            sum.bytes = before(first + count).saturating_sub(before(first));
        }
        self.hold_back(scan, decisions, &mut takes);
        for (at, folder) in self.folders.iter().enumerate().rev() {
            let own = takes.get(at).copied().unwrap_or_default();
            let parent = folder
                .parent
                .and_then(|parent| takes.get_mut(parent as usize));
            if let Some(parent) = parent {
                parent.add(own);
            }
        }
        takes
    }

    /// What goes of a folder, out of what [`Inside::takes`] told.
    pub fn takes_of(&self, takes: &[Sum], folder: EntryId) -> Sum {
        takes.get(folder.at()).copied().unwrap_or_default()
    }

    /// Bytes of files whose other names stay don't come back.
    fn hold_back(&self, scan: &Scan, decisions: &Decisions, takes: &mut [Sum]) {
        let pile = scan.pile(self.pile);
        let held = decisions.held_back().iter();
        let own: HashMap<u32, u64> = held
            .filter(|item| scan.arena.pile(**item) == self.pile)
            .filter_map(|item| {
                let position = pile.position(*item, scan.arena.time(*item))?;
                Some((u32::try_from(position).ok()?, scan.arena.frees(*item)))
            })
            .collect();
        if own.is_empty() {
            return;
        }
        for (at, position) in self.positions.iter().enumerate() {
            if let Some(bytes) = own.get(position)
                && let Some(holder) = self.parent(EntryId::new(self.folders.len() + at))
                && let Some(sum) = takes.get_mut(holder.at())
            {
                sum.bytes = sum.bytes.saturating_sub(*bytes);
            }
        }
    }
}
