//! Going over a surface: writing it, and reading it back.

use std::io;
use std::time::{Duration, Instant};

use jolly_disk::{Piece, Surface};

use crate::cancel::CancelToken;
use crate::run::Pause;
use crate::wiping::pattern::Pattern;

/// Bytes that are written at once.
pub(super) const PIECE: usize = 1 << 20;

/// Pieces in a row that a disk may refuse before it is given up: it was pulled, or is broken.
const REFUSED: u64 = 64;

/// How long bringing bytes to the disk may take, about: a stop waits for it.
const FLUSH: Duration = Duration::from_millis(400);

/// Bytes that are written before they are brought to the disk.
const SOONEST: u64 = 1 << 20;
const LATEST: u64 = 256 << 20;

/// How far wiping is.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub struct WipeProgress {
    /// Which pass it is, from 1; what the last one writes is read back.
    pub pass: u64,
    /// How many there are.
    pub passes: u64,
    /// How many bytes of it were written.
    pub written: u64,
    /// How many of those were read back.
    pub read: u64,
    /// How many there are to write, about.
    pub of: u64,
}

impl WipeProgress {
    /// How many bytes were gone over in all passes, written or read, and how many there are to go over.
    pub fn gone_over(&self) -> (u64, u64) {
        let before = self.of.saturating_mul(self.pass.saturating_sub(1));
        let done = before
            .saturating_add(self.written)
            .saturating_add(self.read);
        (done, self.of.saturating_mul(self.passes.saturating_add(1)))
    }
}

/// What a pass came to.
#[derive(Clone, Copy, Debug, Default, PartialEq, Eq)]
pub(super) struct Passed {
    /// Bytes that were written, or were read and are what was written.
    pub done: u64,
    /// Bytes that the disk refused.
    pub refused: u64,
    /// Bytes that were read and are others.
    pub differs: u64,
    /// Whether it was stopped, or the disk given up, before its end.
    pub is_cut: bool,
    /// Whether there was no more room.
    pub is_full: bool,
}

impl Passed {
    /// Takes in what the next pieces came to.
    pub(super) fn add(&mut self, more: Self) {
        self.done += more.done;
        self.refused += more.refused;
        self.differs += more.differs;
        self.is_cut |= more.is_cut;
        self.is_full |= more.is_full;
    }
}

/// Goes over pieces of a surface.
pub(super) struct Pass<'a> {
    pub surface: &'a mut dyn Surface,
    pub pattern: &'a mut Pattern,
    pub cancel: &'a CancelToken,
    pub pause: &'a Pause,
    /// Hears how many bytes are done.
    pub heard: &'a mut dyn FnMut(u64),
}

impl Pass<'_> {
    /// Writes all of the pieces; that there is no more room ends it as its end does.
    ///
    /// # Errors
    /// What the disk says when it has to keep what it took.
    pub(super) fn write(&mut self, pieces: &[Piece]) -> io::Result<Passed> {
        let mut passed = Passed::default();
        let mut bytes = vec![0; PIECE];
        let (mut in_a_row, mut waiting, mut most) = (0, 0, SOONEST);
        for (at, len) in parts(pieces) {
            if self.is_to_end(in_a_row) {
                passed.is_cut = true;
                break;
            }
            let some = bytes.get_mut(..len).unwrap_or_default();
            self.pattern.fill(at, some);
            match self.surface.write(at, some) {
                Ok(()) => {
                    passed.done += len as u64;
                    (in_a_row, waiting) = (0, waiting + len as u64);
                }
                Err(error) if is_full(&error) => {
                    passed.is_full = true;
                    break;
                }
                Err(_) => {
                    passed.refused += len as u64;
                    in_a_row += 1;
                }
            }
            if waiting >= most {
                let began = Instant::now();
                self.surface.flush()?;
                let took = began.elapsed();
                most = if took > FLUSH { most / 2 } else { most * 2 };
                (most, waiting) = (most.clamp(SOONEST, LATEST), 0);
            }
            (self.heard)(passed.done + passed.refused);
        }
        self.surface.flush()?;
        Ok(passed)
    }

    /// Reads back what was written to the pieces.
    pub(super) fn verify(&mut self, pieces: &[Piece]) -> Passed {
        let mut passed = Passed::default();
        let (mut bytes, mut wanted) = (vec![0; PIECE], vec![0; PIECE]);
        let mut in_a_row = 0;
        for (at, len) in parts(pieces) {
            if self.is_to_end(in_a_row) {
                passed.is_cut = true;
                break;
            }
            let some = bytes.get_mut(..len).unwrap_or_default();
            let expected = wanted.get_mut(..len).unwrap_or_default();
            self.pattern.fill(at, expected);
            match self.surface.read(at, some) {
                Ok(()) if some == expected => {
                    (passed.done, in_a_row) = (passed.done + len as u64, 0);
                }
                Ok(()) => (passed.differs, in_a_row) = (passed.differs + len as u64, 0),
                Err(_) => {
                    passed.refused += len as u64;
                    in_a_row += 1;
                }
            }
            (self.heard)(passed.done + passed.refused + passed.differs);
        }
        passed
    }

    /// Waits while it is paused; whether it was stopped, or the disk refused too many pieces in a row.
    fn is_to_end(&self, in_a_row: u64) -> bool {
        self.pause.wait(self.cancel);
        self.cancel.is_cancelled() || in_a_row >= REFUSED
    }
}

/// Pieces cut into what is written at once.
fn parts(pieces: &[Piece]) -> impl Iterator<Item = (u64, usize)> {
    pieces.iter().flat_map(|piece| {
        let end = piece.at.saturating_add(piece.len);
        (piece.at..end).step_by(PIECE).map(move |at| {
            let len = usize::try_from(end - at).unwrap_or(PIECE).min(PIECE);
            (at, len)
        })
    })
}

/// Whether an error says that there is no more room.
pub(super) fn is_full(error: &io::Error) -> bool {
    matches!(
        error.kind(),
        io::ErrorKind::StorageFull | io::ErrorKind::QuotaExceeded
    )
}

#[cfg(test)]
mod tests {
    use super::*;
    use crate::wiping::Fill;

    /// A disk in memory that refuses some of its bytes, gives others back than it took, or is pulled.
    struct BadDisk {
        bytes: Vec<u8>,
        bad: std::ops::Range<u64>,
        forgets: std::ops::Range<u64>,
        pulled_at: u64,
    }

    impl Surface for BadDisk {
        fn write(&mut self, at: u64, bytes: &[u8]) -> io::Result<()> {
            if self.bad.contains(&at) || at >= self.pulled_at {
                return Err(io::Error::from_raw_os_error(5));
            }
            if !self.forgets.contains(&at) {
                let from = usize::try_from(at).unwrap();
                self.bytes[from..from + bytes.len()].copy_from_slice(bytes);
            }
            Ok(())
        }

        fn read(&mut self, at: u64, bytes: &mut [u8]) -> io::Result<()> {
            if self.bad.contains(&at) {
                return Err(io::Error::from_raw_os_error(5));
            }
            let from = usize::try_from(at).unwrap();
            bytes.copy_from_slice(&self.bytes[from..from + bytes.len()]);
            Ok(())
        }

        fn flush(&mut self) -> io::Result<()> {
            Ok(())
        }
    }

    fn pass(disk: &mut BadDisk, cancel: &CancelToken, stop_at: u64) -> (Passed, Passed) {
        let mut pattern = Pattern::new(Fill::Random).unwrap();
        let len = disk.bytes.len() as u64;
        let stopper = cancel.clone();
        let mut pass = Pass {
            surface: disk,
            pattern: &mut pattern,
            cancel,
            pause: &Pause::default(),
            heard: &mut |done| {
                if done >= stop_at {
                    stopper.cancel();
                }
            },
        };
        let all = [Piece { at: 0, len }];
        let written = pass.write(&all).unwrap();
        (written, pass.verify(&all))
    }

    #[test]
    fn what_a_disk_refuses_or_forgets_is_counted_and_a_pulled_one_is_given_up() {
        const MIB: u64 = 1 << 20;
        let disk = |bad, forgets, pulled_at| BadDisk {
            bytes: vec![7; 100 << 20 | 5],
            bad,
            forgets,
            pulled_at,
        };
        let go = CancelToken::default();
        let all = (100 << 20) + 5;
        let (written, read) = pass(&mut disk(0..0, 0..0, u64::MAX), &go, u64::MAX);
        assert_eq!((written.done, read.done), (all, all));
        let mut bad = disk(3 * MIB..5 * MIB, 9 * MIB..10 * MIB, u64::MAX);
        let (written, read) = pass(&mut bad, &go, u64::MAX);
        assert_eq!((written.refused, written.done), (2 * MIB, all - 2 * MIB));
        assert_eq!((read.refused, read.differs), (2 * MIB, MIB));
        assert!(!written.is_cut && !read.is_cut);
        let (written, _) = pass(&mut disk(0..0, 0..0, 20 * MIB), &go, u64::MAX);
        assert!(written.is_cut && written.done == 20 * MIB && written.refused == 64 * MIB);
        let (written, _) = pass(&mut disk(0..0, 0..0, u64::MAX), &go, 7 * MIB);
        assert!(written.is_cut && written.done == 7 * MIB);
    }
}
