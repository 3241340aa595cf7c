//! What folders and files held at the last look, to tell what grew.

use std::collections::HashMap;

use jiff::Timestamp;

use crate::computer::TargetPath;
use crate::survey::space::{Part, Space};
use crate::walk::FolderNumber;

/// What folders and files held at an earlier look; the smallest weren't noted.
#[derive(Clone, Debug, PartialEq, Eq)]
pub struct SpaceBefore {
    /// When that was.
    pub when: Timestamp,
    /// What each held, in bytes of the disk.
    pub held: HashMap<TargetPath, u64>,
    /// What was smaller than this was not noted.
    pub least: u64,
}

/// A part most of whose growth is one thing in it is told by that one: so many percent.
const MOSTLY: u64 = 80;

impl Space {
    /// By how much a part grew since the last look; none where there was none, where it is smaller, or so small then and now
    /// that nobody noted it.
    pub fn grew(&self, part: Part) -> Option<u64> {
        let before = self.before.as_ref()?;
        let now = self.held(part).bytes;
        let then = before.held.get(&self.path(part)).copied();
        // What wasn't noted was smaller than the least, so it grew by this at least.
        let then = then.unwrap_or(before.least);
        now.checked_sub(then).filter(|grew| *grew > 0)
    }

    /// What grew most since the last look, the most first: the deepest folder or file that most of it is in.
    pub fn grown(&self, most: usize) -> Vec<Part> {
        let mut found: Vec<(u64, Part)> = Vec::new();
        let mut waiting = vec![Part::Folder(FolderNumber::ROOT)];
        let Some(before) = &self.before else {
            return Vec::new();
        };
        while let Some(part) = waiting.pop() {
            let Some(grew) = self.grew(part) else {
                continue;
            };
            let Part::Folder(folder) = part else {
                found.push((grew, part));
                continue;
            };
            let below = self.parts(folder, before.least.max(1));
            let below: Vec<(u64, Part)> = below
                .into_iter()
                .filter_map(|part| Some((self.grew(part)?, part)))
                .collect();
            let told: u64 = below.iter().map(|(grew, _)| *grew).sum();
            // What many small things in it grew by is its own.
            if told.saturating_mul(100) < grew.saturating_mul(MOSTLY) {
                found.push((grew - told.min(grew), part));
            }
            waiting.extend(below.into_iter().map(|(_, part)| part));
        }
        found.sort_by_cached_key(|(grew, part)| (std::cmp::Reverse(*grew), self.path(*part)));
        found.truncate(most);
        found.into_iter().map(|(_, part)| part).collect()
    }
}
