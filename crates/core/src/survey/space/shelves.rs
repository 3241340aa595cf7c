//! Shelves: a folder over its width, what lies in it below that in shares of the width, and so on, a row a level.

use crate::survey::space::{Part, Space};
use crate::walk::FolderNumber;

/// One part on its shelf.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub struct Shelf {
    /// What it is.
    pub part: Part,
    /// How many levels it lies below the first.
    pub level: usize,
    /// Where it begins, in the units of the width.
    pub from: u64,
    /// Where it ends.
    pub to: u64,
}

impl Space {
    /// Lays a folder out over a width, so many levels deep; what would be narrower than `least` is left out. The largest stand
    /// first, and edges come from running sums, so that rounding never adds up.
    pub fn shelves(
        &self,
        start: FolderNumber,
        (width, levels): (u64, usize),
        least: u64,
    ) -> Vec<Shelf> {
        let mut shelves = Vec::new();
        let mut waiting = vec![Shelf {
            part: Part::Folder(start),
            level: 0,
            from: 0,
            to: width,
        }];
        while let Some(shelf) = waiting.pop() {
            shelves.push(shelf);
            let Part::Folder(folder) = shelf.part else {
                continue;
            };
            let all = self.held(shelf.part).bytes;
            let wide = shelf.to - shelf.from;
            if shelf.level + 1 >= levels || all == 0 || wide == 0 {
                continue;
            }
            let narrowest = u128::from(least.max(1)) * u128::from(all) / u128::from(wide);
            let mut sum = 0_u64;
            let edge = |sum: u64| {
                let share = u128::from(sum.min(all)) * u128::from(wide) / u128::from(all);
                shelf.from + u64::try_from(share).unwrap_or(wide)
            };
            let mut below = Vec::new();
            for part in self.parts(folder, u64::try_from(narrowest).unwrap_or(u64::MAX)) {
                let from = edge(sum);
                sum = sum.saturating_add(self.held(part).bytes);
                let to = edge(sum);
                if to - from >= least {
                    let level = shelf.level + 1;
                    below.push(Shelf {
                        part,
                        level,
                        from,
                        to,
                    });
                }
            }
            below.reverse();
            waiting.extend(below);
        }
        shelves
    }
}
