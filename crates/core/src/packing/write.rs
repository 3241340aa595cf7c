//! Writing a tree into an archive: a tar in zstd (RFC 8878) that any tar reads.

use std::fs::File;
use std::io::{self, BufReader, Read, Seek as _, Write};

use zstd::stream::{Decoder, Encoder};

use crate::cancel::CancelToken;
use crate::dustpan::{PIECE, SourceError, SourceRead, open_source, write_end, write_entry};
use crate::packing::PackError;
use crate::packing::tree::{SourceTree, TreeRoot};

/// Slower than what is set aside for a month: what is kept is packed once.
pub(super) const LEVEL: i32 = 9;

/// How many threads pack.
const THREADS: u32 = 2;

/// Writes trees into a file, each below a name of its own; the file is brought to the disk. `wrote` hears how many bytes of
/// files have gone in.
///
/// # Errors
/// When something can't be read or changed meanwhile, or the archive can't be written.
pub(crate) fn write_archive(
    file: &File,
    trees: &[(TreeRoot<'_>, &[u8], &SourceTree)],
    cancel: &CancelToken,
    wrote: &dyn Fn(u64),
) -> Result<(), PackError> {
    let broken = |source: io::Error| {
        if cancel.is_cancelled() {
            return PackError::Stopped;
        }
        PackError::Disk {
            path: "the archive".to_owned(),
            verb: "written",
            source,
        }
    };
    let mut encoder = Encoder::new(file, LEVEL).map_err(broken)?;
    encoder.include_checksum(true).map_err(broken)?;
    encoder.multithread(THREADS).map_err(broken)?;
    let mut buffer = vec![0; PIECE];
    for (place, top, tree) in trees {
        for thing in &tree.things {
            if cancel.is_cancelled() {
                return Err(PackError::Stopped);
            }
            let path = match &thing.below[..] {
                [] => top.to_vec(),
                below => [*top, below].join(&b'/'),
            };
            let (folder, name) = place.open_parent(&thing.below)?;
            let changed = || PackError::Changed {
                path: place.shown(&thing.below),
            };
            let opened = open_source(place.disk, (&folder, &name), &thing.stat, &path);
            let (entry, source) = opened.map_err(|error| match error {
                SourceError::Replaced | SourceError::NoLongerFile => changed(),
                SourceError::Read(error) => place.failed(&thing.below, "read")(error),
            })?;
            let written = write_entry(&mut encoder, (&entry, source), &mut buffer, cancel);
            match written.map_err(broken)?.0 {
                SourceRead::Whole => wrote(entry.body.size()),
                SourceRead::Short => return Err(changed()),
                SourceRead::Failed(error) => {
                    return Err(place.failed(&thing.below, "read")(error));
                }
            }
        }
    }
    write_end(&mut encoder).map_err(broken)?;
    let mut file = encoder.finish().map_err(broken)?;
    file.flush().map_err(broken)?;
    file.sync_all().map_err(broken)
}

/// An archive from its beginning, as it lies on the disk.
///
/// # Errors
/// When it can't be read.
pub(crate) fn read_archive(file: &File) -> io::Result<impl Read + use<>> {
    let mut file = file.try_clone()?;
    file.rewind()?;
    // What is proven is what the device gives, not what is remembered of it.
    let _is_forgotten = rustix::fs::fadvise(&file, 0, None, rustix::fs::Advice::DontNeed).is_ok();
    Decoder::with_buffer(BufReader::with_capacity(PIECE, file))
}
