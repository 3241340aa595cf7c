//! Files with holes in the archive, in GNU tar's sparse format 1.0: before the bytes stands a map of them, and
//! of the holes nothing is kept.

use std::fmt::Write as _;
use std::io::{self, Read};

use jolly_disk::Piece;

use crate::dustpan::entry::BLOCK;

/// Most pieces that are read of one file.
const MOST: u64 = 1 << 20;

/// The map of a file's pieces as it is written: how many, then where each begins and how long it is, line by
/// line in digits, filled up to a whole block.
pub(crate) fn map_of(pieces: &[Piece], size: u64) -> Vec<u8> {
    // A hole at the end is told by an empty piece.
    let ends = pieces.last().map_or(0, |last| last.at + last.len);
    let end = (ends < size).then_some(Piece { at: size, len: 0 });
    let mut map = format!("{}\n", pieces.len() + usize::from(end.is_some()));
    for piece in pieces.iter().copied().chain(end) {
        // A string takes everything.
        let _taken = write!(map, "{}\n{}\n", piece.at, piece.len).is_ok();
    }
    let mut map = map.into_bytes();
    map.resize(map.len().next_multiple_of(BLOCK), 0);
    map
}

/// Reads the map that stands before a file's bytes, and gives it as it was written, too.
///
/// # Errors
/// `InvalidData` when it is none, or doesn't fit a file of `size` bytes of which `stored` are here, map included.
pub(crate) fn read_map(
    bytes: &mut dyn Read,
    (size, stored): (u64, u64),
) -> io::Result<(Vec<Piece>, Vec<u8>)> {
    let broken = || {
        io::Error::new(
            io::ErrorKind::InvalidData,
            "the map of a file's holes is broken",
        )
    };
    let mut reader = Lines {
        bytes,
        read: Vec::new(),
        at: 0,
    };
    let count = reader
        .number()?
        .filter(|count| *count <= MOST)
        .ok_or_else(broken)?;
    let mut pieces = Vec::new();
    let (mut ends, mut sum) = (0_u64, 0_u64);
    for _ in 0..count {
        let (Some(at), Some(len)) = (reader.number()?, reader.number()?) else {
            return Err(broken());
        };
        let is_next = at >= ends && at.checked_add(len).is_some_and(|end| end <= size);
        if !is_next {
            return Err(broken());
        }
        (ends, sum) = (at + len, sum + len);
        pieces.push(Piece { at, len });
    }
    let map = reader.read;
    if sum.checked_add(map.len() as u64) != Some(stored) {
        return Err(broken());
    }
    Ok((pieces, map))
}

/// Lines of digits, read block by block.
struct Lines<'a> {
    bytes: &'a mut dyn Read,
    read: Vec<u8>,
    at: usize,
}

impl Lines<'_> {
    /// The next number; nothing when there is none.
    fn number(&mut self) -> io::Result<Option<u64>> {
        let mut number: Option<u64> = None;
        loop {
            if self.at == self.read.len() {
                self.read.resize(self.at + BLOCK, 0);
                let block = self.read.get_mut(self.at..).unwrap_or_default();
                self.bytes.read_exact(block)?;
            }
            let byte = self.read.get(self.at).copied().unwrap_or_default();
            self.at += 1;
            match byte {
                b'\n' => return Ok(number),
                b'0'..=b'9' => {
                    let more = number.unwrap_or(0).checked_mul(10);
                    let more = more.and_then(|it| it.checked_add(u64::from(byte - b'0')));
                    number = match more {
                        None => return Ok(None),
                        more => more,
                    };
                }
                _ => return Ok(None),
            }
        }
    }
}
