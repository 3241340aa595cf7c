//! Reading formats of others with packages of others: of no file more than a part, and whatever breaks in there breaks that
//! one file alone.

use std::cell::Cell;
use std::io::{self, Read, Seek, SeekFrom};
use std::panic::{AssertUnwindSafe, catch_unwind};
use std::sync::atomic::{AtomicU64, Ordering};

use crate::cancel::CancelToken;

/// What is read of one file at most: tags with pictures are some megabytes long.
const MOST: u64 = 32 << 20;

thread_local! {
    static IS_CAUGHT: Cell<bool> = const { Cell::new(false) };
}

/// Whether a panic of this thread is caught right now, and nothing but one file that can't be read.
pub fn is_panic_caught() -> bool {
    IS_CAUGHT.get()
}

/// What a package makes of a file; nothing where it panics.
pub(super) fn caught<T>(parse: impl FnOnce() -> Option<T>) -> Option<T> {
    IS_CAUGHT.set(true);
    let parsed = catch_unwind(AssertUnwindSafe(parse));
    IS_CAUGHT.set(false);
    parsed.ok().flatten()
}

/// A file of which only so much is read, and nothing any more once that is to stop.
pub(super) struct Limited<'a, R> {
    from: R,
    left: u64,
    cancel: &'a CancelToken,
    read: &'a AtomicU64,
}

impl<'a, R> Limited<'a, R> {
    /// `read` counts what is read.
    pub(super) fn new(from: R, cancel: &'a CancelToken, read: &'a AtomicU64) -> Self {
        Self {
            from,
            left: MOST,
            cancel,
            read,
        }
    }
}

impl<R: Read> Read for Limited<'_, R> {
    fn read(&mut self, buffer: &mut [u8]) -> io::Result<usize> {
        if self.left == 0 || self.cancel.is_cancelled() {
            return Err(io::Error::other("enough was read of it"));
        }
        let most = usize::try_from(self.left).map_or(buffer.len(), |left| left.min(buffer.len()));
        let got = self.from.read(buffer.get_mut(..most).unwrap_or_default())?;
        self.left -= got as u64;
        self.read.fetch_add(got as u64, Ordering::Relaxed);
        Ok(got)
    }
}

impl<R: Seek> Seek for Limited<'_, R> {
    fn seek(&mut self, to: SeekFrom) -> io::Result<u64> {
        self.from.seek(to)
    }
}
