//! Whether an archive holds exactly what lies there.

use std::collections::HashMap;
use std::io::{self, Read};

use jolly_disk::Stat;

use crate::cancel::CancelToken;
use crate::dustpan::{
    Body, PIECE, SourceRead, Stoppable, each_entry, hash_bytes, open_source, write_entry,
};
use crate::packing::PackError;
use crate::packing::tree::TreeRoot;

/// What of a tree is compared.
#[derive(Clone, Copy, PartialEq, Eq)]
pub(crate) enum Compared {
    /// All of it.
    Whole,
    /// What is left of one that is being removed: what went out of a folder moved its times.
    Rest,
}

/// What a comparison came to.
#[derive(Default)]
pub(crate) struct ArchiveComparison {
    /// How each thing was that is the same in both, by its path below the topmost thing.
    pub same: HashMap<Vec<u8>, Stat>,
    /// How many things of the archive aren't there at all.
    pub missing: u64,
    /// The first that is there and differs.
    pub differs: Option<String>,
}

impl ArchiveComparison {
    /// Whether all that the archive holds is there as it holds it.
    ///
    /// # Errors
    /// When something is missing or differs.
    pub(crate) fn whole(self) -> Result<HashMap<Vec<u8>, Stat>, PackError> {
        match self.differs {
            None if self.missing == 0 => Ok(self.same),
            None => Err(PackError::Differs {
                path: format!("{} things of it are not there", self.missing),
            }),
            Some(path) => Err(PackError::Differs { path }),
        }
    }
}

/// Compares what an archive holds below a name with what lies at a place.
///
/// # Errors
/// As of [`compare_all`].
pub(crate) fn compare(
    place: TreeRoot<'_>,
    (archive, top): (impl Read, &[u8]),
    compared: Compared,
    cancel: &CancelToken,
) -> Result<ArchiveComparison, PackError> {
    let all = compare_all(&[(place, top)], archive, compared, cancel)?;
    Ok(all.into_iter().next().unwrap_or_default())
}

/// Compares what an archive holds below several names with what lies at as many places: kinds, owners, modes, times,
/// attributes, and every byte. Only last access doesn't count, which reading moves.
///
/// # Errors
/// When the archive can't be read, or all is to stop; what can't be read at a place differs.
pub(crate) fn compare_all(
    places: &[(TreeRoot<'_>, &[u8])],
    archive: impl Read,
    compared: Compared,
    cancel: &CancelToken,
) -> Result<Vec<ArchiveComparison>, PackError> {
    let mut all: Vec<ArchiveComparison> = Vec::new();
    all.resize_with(places.len(), ArchiveComparison::default);
    let mut buffer = vec![0; PIECE];
    let read = Stoppable {
        read: archive,
        stop: cancel,
    };
    let read_through = each_entry(read, &mut |entry, bytes| {
        let mut named = places
            .iter()
            .zip(&mut all)
            .filter_map(|((place, top), found)| {
                Some((place, found, below_top(&entry.path, top)?.to_vec()))
            });
        let Some((place, found, below)) = named.next() else {
            return Ok(());
        };
        let differs = |found: &mut ArchiveComparison| {
            found.differs.get_or_insert_with(|| place.shown(&below));
        };
        let looked = place.open_parent(&below).ok();
        let looked = looked.and_then(|(folder, name)| {
            let stat = place.disk.stat(&folder, &name).ok()?;
            Some((folder, name, stat))
        });
        let Some((folder, name, stat)) = looked else {
            found.missing += 1;
            return Ok(());
        };
        let Ok((mut now, source)) = open_source(place.disk, (&folder, &name), &stat, &entry.path)
        else {
            differs(found);
            return Ok(());
        };
        now.metadata.accessed = entry.metadata.accessed;
        if compared == Compared::Rest && now.body == Body::Folder {
            now.metadata.modified = entry.metadata.modified;
        }
        if now != entry {
            differs(found);
            return Ok(());
        }
        let packed = hash_bytes(&entry, bytes, cancel)?;
        let (read, there) = write_entry(&mut io::sink(), (&now, source), &mut buffer, cancel)?;
        if matches!(read, SourceRead::Whole) && there == packed {
            found.same.insert(below, stat);
        } else {
            differs(found);
        }
        Ok(())
    });
    match read_through {
        _ if cancel.is_cancelled() => Err(PackError::Stopped),
        Err(source) => Err(PackError::Disk {
            path: "the archive".to_owned(),
            verb: "read back",
            source,
        }),
        Ok(()) => Ok(all),
    }
}

/// What of an entry's path lies below a name; empty for that itself.
pub(super) fn below_top<'a>(path: &'a [u8], top: &[u8]) -> Option<&'a [u8]> {
    match path.strip_prefix(top)? {
        [] => Some(b""),
        rest => rest.strip_prefix(b"/"),
    }
}
