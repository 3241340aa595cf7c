//! Whether a file's bytes lie where another file's do.

use std::fs::File;

use fiemap::{Fiemap, FiemapExtentFlags};

/// A run of bytes on the volume.
#[derive(Clone, Copy, Debug, PartialEq, Eq, Hash)]
pub struct Extent {
    /// Where it begins in the file.
    pub logical: u64,
    /// Where it lies on the volume.
    pub physical: u64,
    /// How long it is, in bytes.
    pub len: u64,
}

/// Extents that are told of one file at most: of a file in more pieces nothing is said.
const MOST: usize = 1 << 16;

/// Whether another file, or a restore point, has any of a file's bytes where this one has them; also where the file system
/// doesn't say.
pub fn shares_bytes(file: &File) -> bool {
    Fiemap::new(file).any(|extent| {
        extent.map_or(true, |extent| {
            extent.fe_flags.contains(FiemapExtentFlags::SHARED)
        })
    })
}

/// In how many pieces a file lies on its volume: one more than the places where a piece doesn't follow the one before it (the
/// kernel's FIEMAP). None where the file system doesn't say, or hasn't decided yet. Nothing is written for it.
pub fn pieces_on_disk(file: &File) -> Option<u64> {
    let unclear =
        FiemapExtentFlags::UNKNOWN | FiemapExtentFlags::DELALLOC | FiemapExtentFlags::ENCODED;
    let (mut pieces, mut next) = (0, None);
    for (many, extent) in Fiemap::new(file).enumerate() {
        let extent = extent.ok()?;
        if extent.fe_flags.contains(FiemapExtentFlags::DATA_INLINE) {
            return Some(1);
        }
        if extent.fe_flags.intersects(unclear) || many >= MOST {
            return None;
        }
        pieces += u64::from(next != Some(extent.fe_physical));
        next = extent.fe_physical.checked_add(extent.fe_length);
    }
    (pieces > 0).then_some(pieces)
}

/// Where all bytes of a file lie, if other files share every one of its extents (the kernel's FIEMAP, `FIEMAP_EXTENT_SHARED`);
/// none where one of them is the file's own, or where the file system doesn't say. Nothing is written for it.
pub fn shared_extents(file: &File) -> Option<Vec<Extent>> {
    let unclear =
        FiemapExtentFlags::UNKNOWN | FiemapExtentFlags::DELALLOC | FiemapExtentFlags::DATA_INLINE;
    let mut extents = Vec::new();
    for extent in Fiemap::new(file) {
        let extent = extent.ok()?;
        let flags = extent.fe_flags;
        if !flags.contains(FiemapExtentFlags::SHARED)
            || flags.intersects(unclear)
            || extents.len() >= MOST
        {
            return None;
        }
        extents.push(Extent {
            logical: extent.fe_logical,
            physical: extent.fe_physical,
            len: extent.fe_length,
        });
    }
    (!extents.is_empty()).then_some(extents)
}
