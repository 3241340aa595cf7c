//! Reading back what was packed.

use std::io;
use std::path::Path;

use crate::cancel::CancelToken;
use crate::dustpan::Frame;
use crate::dustpan::entry::{Body, each_entry};
use crate::dustpan::frames::read_frame;
use crate::state::StateFolder;

/// All is to stop in the middle of something.
pub(crate) fn stopped() -> io::Error {
    io::Error::other("all is to stop")
}

/// A reader that ends when all is to stop.
pub(crate) struct Stoppable<'a, R> {
    pub read: R,
    pub stop: &'a CancelToken,
}

impl<R: io::Read> io::Read for Stoppable<'_, R> {
    fn read(&mut self, bytes: &mut [u8]) -> io::Result<usize> {
        if self.stop.is_cancelled() {
            return Err(stopped());
        }
        self.read.read(bytes)
    }
}

/// Reads a frame as it lies there, to its end and thereby against its checksum, and compares every
/// entry with what was packed.
pub(crate) fn read_back(path: &Path, frame: &Frame, stop: &CancelToken) -> io::Result<()> {
    let differs = || io::Error::new(io::ErrorKind::InvalidData, "it differs");
    let mut wanted = frame.items.iter();
    let archive = StateFolder::open_file(path).map_err(io::Error::other)?;
    let archive = archive.ok_or(io::ErrorKind::NotFound)?;
    let read = read_frame(archive, frame.at)?;
    each_entry(Stoppable { read, stop }, &mut |entry, _| {
        let packed = wanted.next().ok_or_else(differs)?;
        let path = crate::computer::TargetPath::try_from(&packed.path).unwrap_or_default();
        let size = match entry.body {
            Body::File(size) | Body::Sparse { size, .. } => size,
            Body::Folder | Body::Link(_) => 0,
        };
        let is_same = entry.path == path.as_bytes() && size == packed.size;
        if is_same { Ok(()) } else { Err(differs()) }
    })?;
    wanted.next().map_or(Ok(()), |_| Err(differs()))
}
