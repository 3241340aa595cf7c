//! Bytes that can be read from any place on.

use std::fs::File;
use std::io::{self, Read};
use std::os::unix::fs::FileExt as _;

/// Bytes, wherever they lie.
#[derive(Debug)]
pub enum RandomAccess {
    /// In an open file.
    File(File),
    /// In memory.
    Memory(Vec<u8>),
}

impl From<File> for RandomAccess {
    fn from(file: File) -> Self {
        Self::File(file)
    }
}

impl From<&[u8]> for RandomAccess {
    fn from(bytes: &[u8]) -> Self {
        Self::Memory(bytes.to_vec())
    }
}

impl RandomAccess {
    /// Reads some bytes from a place on; none behind the last.
    pub(crate) fn read_at(&self, into: &mut [u8], at: u64) -> io::Result<usize> {
        match self {
            Self::File(file) => file.read_at(into, at),
            Self::Memory(bytes) => {
                let from = usize::try_from(at).unwrap_or(usize::MAX);
                bytes.get(from..).unwrap_or_default().read(into)
            }
        }
    }

    /// Its first bytes, one after the other.
    pub(crate) fn reader(&self, most: u64) -> io::Take<impl Read> {
        Reader { bytes: self, at: 0 }.take(most)
    }
}

struct Reader<'a> {
    bytes: &'a RandomAccess,
    at: u64,
}

impl Read for Reader<'_> {
    fn read(&mut self, into: &mut [u8]) -> io::Result<usize> {
        let read = self.bytes.read_at(into, self.at)?;
        self.at = self.at.saturating_add(read as u64);
        Ok(read)
    }
}
