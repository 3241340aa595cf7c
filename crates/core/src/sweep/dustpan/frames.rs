//! A file of zstd frames, each of which can be read alone (RFC 8878: frames follow each other).

use std::fs::File;
use std::io::{self, BufReader, Read, Seek as _, SeekFrom, Write};
use std::os::unix::fs::MetadataExt as _;
use std::path::Path;
use std::thread;

use crate::target::device_number;

/// Fast, and within a few percent of what slower levels save.
const LEVEL: i32 = 1;

/// The writing end.
pub(super) struct Frames {
    file: File,
    open: Option<zstd::Encoder<'static, File>>,
}

impl Frames {
    pub(super) fn new(file: File) -> Self {
        Self { file, open: None }
    }

    /// How many bytes the file holds.
    pub(super) fn len(&self) -> io::Result<u64> {
        Ok(self.file.metadata()?.len())
    }

    /// The device that the file lies on.
    pub(super) fn device(&self) -> io::Result<u64> {
        Ok(device_number(self.file.metadata()?.dev()))
    }

    /// Ends the open frame, if one is; it is not yet on the disk.
    pub(super) fn end(&mut self) -> io::Result<Option<File>> {
        self.open.take().map(zstd::Encoder::finish).transpose()
    }
}

impl Write for Frames {
    fn write(&mut self, bytes: &[u8]) -> io::Result<usize> {
        let encoder = if let Some(encoder) = self.open.take() {
            encoder
        } else {
            let mut encoder = zstd::Encoder::new(self.file.try_clone()?, LEVEL)?;
            encoder.include_checksum(true)?;
            let threads = thread::available_parallelism().map_or(1, std::num::NonZero::get);
            encoder.multithread(u32::try_from(threads).unwrap_or(1))?;
            encoder
        };
        self.open.insert(encoder).write(bytes)
    }

    fn flush(&mut self) -> io::Result<()> {
        self.open.as_mut().map_or(Ok(()), Write::flush)
    }
}

/// The bytes of the frame that begins there.
pub(in crate::sweep) fn read_frame(path: &Path, at: u64) -> io::Result<impl Read> {
    let mut file = File::open(path)?;
    file.seek(SeekFrom::Start(at))?;
    let decoder = zstd::Decoder::with_buffer(BufReader::with_capacity(1 << 17, file))?;
    Ok(decoder.single_frame())
}
