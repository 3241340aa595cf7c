//! Where an entry's bytes come from.

use jolly_disk::{Metadata, Piece, Stat};

use crate::format::RandomAccess;

/// What a look tells of it; without attributes.
pub(super) fn metadata_of(stat: &Stat) -> Metadata {
    Metadata {
        user: stat.user,
        group: stat.group,
        mode: stat.mode,
        accessed: stat.accessed,
        modified: stat.modified,
        attributes: Vec::new(),
    }
}

/// Where an entry's bytes come from.
pub(super) struct Source {
    pub(super) held: RandomAccess,
    /// What stands before them.
    pub(super) map: Vec<u8>,
    pub(super) pieces: Vec<Piece>,
}

impl Source {
    pub(super) fn whole(held: RandomAccess, size: u64) -> Self {
        Self {
            held,
            map: Vec::new(),
            pieces: vec![Piece { at: 0, len: size }],
        }
    }
}
