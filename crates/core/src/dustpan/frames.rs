//! A file of zstd frames, each of which can be read alone (RFC 8878: frames follow each other).

use std::fs::File;
use std::io::{self, BufReader, Read, Seek as _, SeekFrom, Write};
use std::os::unix::fs::MetadataExt as _;
use std::thread;

use zstd::stream::raw::{self, CParameter, Operation as _};
use zstd::stream::zio;

use crate::dustpan::record::Packed;
use crate::host::device_number;

/// Bytes that one batch sets aside, unless its first item alone has more: what waits in the dustpan
/// before its originals may go.
pub(crate) const MOST_STORED: u64 = 64 << 20;

/// Fast, and within a few percent of what slower levels save.
const LEVEL: i32 = 1;

/// What packs; making one costs threads and some ten megabytes, so it is used again for the next frame.
type Encoder = raw::Encoder<'static>;

/// The writing end.
pub(crate) struct Frames {
    file: File,
    open: Option<zio::Writer<File, Encoder>>,
    idle: Option<Encoder>,
}

impl Frames {
    pub(crate) fn new(file: File) -> Self {
        Self {
            file,
            open: None,
            idle: None,
        }
    }

    /// How many bytes the file holds.
    pub(crate) fn len(&self) -> io::Result<u64> {
        Ok(self.file.metadata()?.len())
    }

    /// The device that the file lies on.
    pub(crate) fn device(&self) -> io::Result<u64> {
        Ok(device_number(self.file.metadata()?.dev()))
    }

    /// Drops the open frame, and everything from `at` on.
    pub(crate) fn abandon(&mut self, at: u64) -> io::Result<()> {
        // With what packs: it may be in the middle of something.
        if let Some(open) = self.open.take() {
            drop(open.into_inner());
        }
        self.file.set_len(at)?;
        self.file.seek(SeekFrom::Start(at)).map(drop)
    }

    /// Ends the open frame, if one is; it is not yet on the disk.
    pub(crate) fn end(&mut self) -> io::Result<Option<File>> {
        let Some(mut ended) = self.open.take() else {
            return Ok(None);
        };
        ended.finish()?;
        let (file, mut encoder) = ended.into_inner();
        encoder.reinit()?;
        self.idle = Some(encoder);
        Ok(Some(file))
    }
}

fn encoder() -> io::Result<Encoder> {
    let mut encoder = Encoder::new(LEVEL)?;
    encoder.set_parameter(CParameter::ChecksumFlag(true))?;
    let threads = thread::available_parallelism().map_or(1, std::num::NonZero::get);
    let threads = u32::try_from(threads).unwrap_or(1);
    encoder.set_parameter(CParameter::NbWorkers(threads))?;
    Ok(encoder)
}

impl Write for Frames {
    fn write(&mut self, bytes: &[u8]) -> io::Result<usize> {
        let open = if let Some(open) = self.open.take() {
            open
        } else {
            let encoder = self.idle.take().map_or_else(encoder, Ok)?;
            zio::Writer::new(self.file.try_clone()?, encoder)
        };
        self.open.insert(open).write(bytes)
    }

    fn flush(&mut self) -> io::Result<()> {
        self.open.as_mut().map_or(Ok(()), Write::flush)
    }
}

/// The bytes of the frame that begins there.
pub(crate) fn read_frame(mut file: File, at: u64) -> io::Result<impl Read> {
    file.seek(SeekFrom::Start(at))?;
    let decoder = zstd::Decoder::with_buffer(BufReader::with_capacity(1 << 17, file))?;
    Ok(decoder.single_frame())
}

/// A frame that is written, and not yet proven.
pub(crate) struct Frame {
    pub(crate) file: File,
    pub(crate) at: u64,
    pub(crate) items: Vec<Packed>,
}
