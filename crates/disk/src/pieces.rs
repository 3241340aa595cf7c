//! Where a file holds bytes, and where it has holes.

use std::fs::File;
use std::io;
use std::num::NonZeroU64;

use rustix::fs::{SeekFrom, seek};
use rustix::io::Errno;

/// Bytes of a file that follow each other without a hole.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub struct Piece {
    /// Where they begin.
    pub at: u64,
    /// How many there are.
    pub len: u64,
}

/// Most pieces that are told of one file; holes behind them count as bytes.
const MOST: usize = 1 << 18;

/// The pieces of a file up to `size`, in order; one of all of it where the file system doesn't tell
/// (lseek(2): `SEEK_DATA`, `SEEK_HOLE`).
///
/// # Errors
/// What the kernel says.
pub fn pieces(file: &File, size: u64) -> io::Result<Vec<Piece>> {
    let mut found: Vec<Piece> = Vec::new();
    let mut at = 0;
    while at < size {
        let begins = match seek(file, SeekFrom::Data(at)) {
            Ok(begins) => begins,
            Err(Errno::NXIO) => break,
            Err(Errno::INVAL | Errno::NOTSUP) => return Ok(vec![Piece { at: 0, len: size }]),
            Err(error) => return Err(error.into()),
        };
        if begins >= size {
            break;
        }
        let ends = seek(file, SeekFrom::Hole(begins))?.min(size);
        let Some(len) = ends.checked_sub(begins).and_then(NonZeroU64::new) else {
            break;
        };
        let is_many = found.len() >= MOST;
        match found.last_mut() {
            // However large the hole between: what is too much is told as bytes.
            Some(last) if is_many => last.len = ends - last.at,
            _ => found.push(Piece {
                at: begins,
                len: len.get(),
            }),
        }
        at = ends;
    }
    seek(file, SeekFrom::Start(0))?;
    Ok(found)
}

#[cfg(test)]
mod tests {
    use super::*;
    use std::os::unix::fs::FileExt as _;

    #[test]
    fn bytes_are_told_and_holes_are_not() {
        let file = tempfile::tempfile().unwrap();
        file.set_len(15 << 40).unwrap();
        assert_eq!(pieces(&file, 15 << 40).unwrap(), []);
        for at in [1 << 20, 9 << 40] {
            file.write_all_at(&[7; 4096], at).unwrap();
        }
        let found = pieces(&file, 15 << 40).unwrap();
        let sum: u64 = found.iter().map(|piece| piece.len).sum();
        assert!((8192..1 << 20).contains(&sum), "{found:?}");
        assert!(
            found
                .iter()
                .any(|piece| piece.at <= 9 << 40 && 9 << 40 < piece.at + piece.len)
        );
    }
}
