//! The bytes of an entry: which part of its file each belongs to, and their way into one.

use std::fs::File;
use std::io::{self, Read};
use std::os::unix::fs::FileExt as _;

use jolly_disk::Piece;

use crate::cancel::CancelToken;
use crate::dustpan::entry::{ArchiveEntry, Body};
use crate::dustpan::sparse::read_map;

/// How much is written at once; a piece of zeros in a file with holes stays a hole.
pub(crate) const PIECE: usize = 64 * 1024;

/// The pieces that an entry's bytes belong to, and the map that told them, as it was written.
pub(crate) fn pieces_of(
    entry: &ArchiveEntry,
    bytes: &mut dyn Read,
) -> io::Result<(Vec<Piece>, Vec<u8>)> {
    match entry.body {
        Body::Sparse { size, stored } => read_map(bytes, (size, stored)),
        Body::File(len) => Ok((vec![Piece { at: 0, len }], Vec::new())),
        Body::Folder | Body::Link(_) => Ok((Vec::new(), Vec::new())),
    }
}

/// Reads an entry's bytes bit by bit, and says where each belongs; outside what went wrong with reading, inside
/// what `each` says.
pub(crate) fn each_piece(
    pieces: &[Piece],
    bytes: &mut dyn Read,
    cancel: &CancelToken,
    each: &mut dyn FnMut(u64, &[u8]) -> io::Result<()>,
) -> io::Result<io::Result<()>> {
    let mut buffer = vec![0; PIECE];
    for piece in pieces {
        let (mut at, end) = (piece.at, piece.at + piece.len);
        while at < end {
            if cancel.is_cancelled() {
                return Err(io::Error::other("all is to stop"));
            }
            let most = usize::try_from(end - at).unwrap_or(PIECE).min(PIECE);
            let some = buffer.get_mut(..most).unwrap_or_default();
            bytes.read_exact(some)?;
            if let Err(error) = each(at, some) {
                return Ok(Err(error));
            }
            at += most as u64;
        }
    }
    Ok(Ok(()))
}

/// Writes an entry's bytes and gives its hash; outside what went wrong with reading, inside with writing.
pub(crate) fn write_bytes(
    file: &File,
    (entry, has_holes): (&ArchiveEntry, bool),
    bytes: &mut dyn Read,
    cancel: &CancelToken,
) -> io::Result<io::Result<String>> {
    let (pieces, map) = pieces_of(entry, bytes)?;
    let mut hasher = entry.hasher();
    hasher.update(&map);
    let written = each_piece(&pieces, bytes, cancel, &mut |at, some| {
        hasher.update(some);
        // What the disk didn't tell as a hole becomes one again.
        let is_hole = has_holes && some.iter().all(|byte| *byte == 0);
        if is_hole {
            Ok(())
        } else {
            file.write_all_at(some, at)
        }
    })?;
    let settled = written.and_then(|()| file.set_len(entry.body.size()));
    Ok(settled.map(|()| hasher.finalize().to_hex().to_string()))
}

/// The hash of an entry and its bytes, as they stand in an archive.
///
/// # Errors
/// When they can't be read, or all is to stop.
pub(crate) fn hash_bytes(
    entry: &ArchiveEntry,
    bytes: &mut dyn Read,
    cancel: &CancelToken,
) -> io::Result<String> {
    let (pieces, map) = pieces_of(entry, bytes)?;
    let mut hasher = entry.hasher();
    hasher.update(&map);
    each_piece(&pieces, bytes, cancel, &mut |_, some| {
        hasher.update(some);
        Ok(())
    })??;
    Ok(hasher.finalize().to_hex().to_string())
}

/// Hands on the contents of a file's entry, holes as zeros; whether it is a file at all.
///
/// # Errors
/// When they can't be read, or all is to stop.
pub(crate) fn contents(
    entry: &ArchiveEntry,
    bytes: &mut dyn Read,
    cancel: &CancelToken,
    each: &mut dyn FnMut(&[u8]),
) -> io::Result<bool> {
    if matches!(entry.body, Body::Folder | Body::Link(_)) {
        return Ok(false);
    }
    let zeros = vec![0; PIECE];
    let hole = |mut many: u64, each: &mut dyn FnMut(&[u8])| {
        while many > 0 {
            let some = usize::try_from(many).unwrap_or(PIECE).min(PIECE);
            each(zeros.get(..some).unwrap_or_default());
            many -= some as u64;
        }
    };
    let (pieces, _) = pieces_of(entry, bytes)?;
    let mut at = 0;
    each_piece(&pieces, bytes, cancel, &mut |from, some| {
        hole(from.saturating_sub(at), each);
        each(some);
        at = from + some.len() as u64;
        Ok(())
    })??;
    hole(entry.body.size().saturating_sub(at), each);
    Ok(true)
}
