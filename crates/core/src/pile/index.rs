//! A pile's items by position, each with its folder and what it frees, side by side.

use crate::pile::{Pile, Scan};
use crate::source::FolderId;

/// What is looked up again and again of the items of one pile. The items of a pile lie all over
/// the arena, so that to go through them there costs a look at the memory for each.
#[derive(Clone, Debug, Default)]
pub struct PileIndex {
    folders: Vec<FolderId>,
    frees: Vec<u64>,
}

impl PileIndex {
    /// The index of a pile.
    pub fn of(scan: &Scan, pile: &Pile) -> Self {
        Self {
            folders: pile.items().map(|item| scan.arena.folder(item)).collect(),
            frees: pile.items().map(|item| scan.arena.frees(item)).collect(),
        }
    }

    /// The folder of each item, by position.
    pub fn folders(&self) -> &[FolderId] {
        &self.folders
    }

    /// What each item frees, by position.
    pub fn frees(&self) -> &[u64] {
        &self.frees
    }
}
