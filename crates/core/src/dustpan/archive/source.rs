//! Where an entry's bytes come from, and how they get into an archive.

use std::ffi::CStr;
use std::io::{self, Write};
use std::os::fd::AsFd as _;
use std::os::unix::fs::MetadataExt as _;

use jolly_disk::{Disk, Folder, Kind, Metadata, Piece, Stat, pieces};

use crate::cancel::CancelToken;
use crate::dustpan::entry::{self, ArchiveEntry, Body};
use crate::dustpan::proof::stopped;
use crate::dustpan::sparse;
use crate::format::RandomAccess;

/// How much of a file is read at once.
pub(crate) const PIECE: usize = 256 * 1024;

/// What a look tells of it; without attributes.
pub(crate) fn metadata_of(stat: &Stat) -> Metadata {
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
pub(crate) struct Source {
    held: RandomAccess,
    /// What stands before them.
    map: Vec<u8>,
    pieces: Vec<Piece>,
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

/// Why something can't be taken into an archive.
pub(crate) enum SourceError {
    /// What was looked at was swapped in between.
    Replaced,
    NoLongerFile,
    Read(io::Error),
}

impl From<io::Error> for SourceError {
    fn from(error: io::Error) -> Self {
        Self::Read(error)
    }
}

/// How far an entry's bytes could be read; what is missing stands as zeros.
pub(crate) enum SourceRead {
    Whole,
    /// There were fewer than promised.
    Short,
    Failed(io::Error),
}

/// Opens what a look has shown, and says what stands in an archive for it, under this path.
pub(crate) fn open_source(
    disk: &dyn Disk,
    (folder, name): (&Folder, &CStr),
    stat: &Stat,
    path: &[u8],
) -> Result<(ArchiveEntry, Option<Source>), SourceError> {
    let mut metadata = metadata_of(stat);
    let (body, source) = match stat.kind {
        Kind::Other => return Err(SourceError::NoLongerFile),
        Kind::Folder => {
            let opened = disk.open_folder(folder, name.to_bytes())?;
            metadata.attributes = disk.attributes(opened.as_fd())?;
            (Body::Folder, None)
        }
        Kind::Link => (Body::Link(disk.read_link(folder, name)?), None),
        Kind::File => {
            let file = disk.open_file(folder, name)?;
            let opened = file.metadata()?;
            if opened.ino() != stat.key.inode || opened.len() != stat.size {
                return Err(SourceError::Replaced);
            }
            metadata.attributes = disk.attributes(file.as_fd())?;
            let pieces = (stat.allocated < stat.size).then(|| pieces(&file, stat.size));
            // What is compressed takes less than its length, too, and yet has no holes.
            let stored = |pieces: &[Piece]| pieces.iter().map(|piece| piece.len).sum::<u64>();
            let holed = pieces
                .transpose()?
                .filter(|pieces| stored(pieces) < stat.size);
            let held = RandomAccess::File(file);
            let (body, source) = match holed {
                None => (Body::File(stat.size), Source::whole(held, stat.size)),
                Some(pieces) => {
                    let map = sparse::map_of(&pieces, stat.size);
                    let stored = stored(&pieces) + map.len() as u64;
                    let size = stat.size;
                    (Body::Sparse { size, stored }, Source { held, map, pieces })
                }
            };
            (body, Some(source))
        }
    };
    let entry = ArchiveEntry {
        path: path.to_vec(),
        body,
        metadata,
    };
    Ok((entry, source))
}

/// Writes an entry with its bytes; what went wrong with reading those, if anything did, and the hash of both.
///
/// # Errors
/// When it can't be written, or all is to stop.
pub(crate) fn write_entry(
    out: &mut dyn Write,
    (entry, source): (&ArchiveEntry, Option<Source>),
    buffer: &mut [u8],
    stop: &CancelToken,
) -> io::Result<(SourceRead, String)> {
    entry.write_head(out)?;
    let mut hasher = entry.hasher();
    let mut outcome = SourceRead::Whole;
    if let Some(mut source) = source {
        hasher.update(&source.map);
        out.write_all(&source.map)?;
        let mut stored = source.map.len() as u64;
        for piece in std::mem::take(&mut source.pieces) {
            // Exactly the promised length: a file that grows or shrinks meanwhile must not break
            // the archive for the others.
            let mut at = piece.at;
            let end = piece.at + piece.len;
            while at < end {
                if stop.is_cancelled() {
                    return Err(stopped());
                }
                let most = usize::try_from(end - at).unwrap_or(buffer.len());
                let most = most.min(buffer.len());
                let bytes = buffer.get_mut(..most).unwrap_or_default();
                let read = match (&outcome, source.held.read_at(bytes, at)) {
                    (_, Err(error)) if error.kind() == io::ErrorKind::Interrupted => continue,
                    (SourceRead::Whole, Ok(read)) if read > 0 => read,
                    (known, read) => {
                        if matches!(known, SourceRead::Whole) {
                            outcome = read.map_or_else(SourceRead::Failed, |_| SourceRead::Short);
                        }
                        bytes.fill(0);
                        most
                    }
                };
                let bytes = bytes.get(..read).unwrap_or_default();
                hasher.update(bytes);
                out.write_all(bytes)?;
                at += read as u64;
            }
            stored += piece.len;
        }
        entry::pad(out, stored)?;
    }
    Ok((outcome, hasher.finalize().to_hex().to_string()))
}
