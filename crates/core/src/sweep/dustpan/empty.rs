//! Emptying dustpans: by hand, or once their date is past. The record stays, and says so.

use std::ffi::CString;
use std::fs::OpenOptions;
use std::io;
use std::os::unix::ffi::OsStrExt as _;
use std::path::PathBuf;

use jiff::Timestamp;
use jolly_disk::Disk;

use super::record::{Line, Pan};
use crate::sweep::{Journal, JournalError, LogError, StateError, StateFolder};

/// Why a dustpan can't be emptied.
#[derive(Debug, thiserror::Error)]
#[expect(missing_docs, reason = "the message names the fields")]
pub enum EmptyError {
    #[error("its record can't be used")]
    Log {
        #[from]
        source: LogError,
    },
    #[error("cannot list the dustpans")]
    State {
        #[from]
        source: StateError,
    },
    #[error("cannot remove {}", path.display())]
    Remove { path: PathBuf, source: io::Error },
    #[error("its record can't be continued")]
    Journal {
        #[from]
        source: JournalError,
    },
}

/// A dustpan that was emptied.
#[derive(Clone, Debug, PartialEq, Eq)]
pub struct Emptied {
    /// The run that had filled it.
    pub run: String,
    /// What its archive took.
    pub freed: u64,
}

/// Goes on with the record of a dustpan.
pub(in crate::sweep) fn resume(state: &StateFolder, pan: &Pan) -> Result<Journal, JournalError> {
    let path = state.dustpan_record(&pan.run);
    let (hash, good_until) = pan.tail.clone();
    let reopened = OpenOptions::new()
        .append(true)
        .open(&path)
        .and_then(|file| {
            // A line that was cut off while it was written says nothing and would break the chain.
            file.set_len(good_until)?;
            Ok(file)
        });
    match reopened {
        Ok(file) => Ok(Journal::resume(path, file, hash)),
        Err(source) => Err(JournalError::Write { path, source }),
    }
}

/// Empties the dustpan of a run; what was in it can't be brought back any more.
///
/// # Errors
/// When it can't be; then it is as it was.
pub fn empty(
    state: &StateFolder,
    disk: &dyn Disk,
    pan: &Pan,
    when: Timestamp,
) -> Result<Emptied, EmptyError> {
    let mut record = resume(state, pan)?;
    let freed = pan.packed();
    let path = &pan.archive;
    let remove = || {
        let folder = path.parent().ok_or(io::ErrorKind::InvalidInput)?;
        let name = path.file_name().ok_or(io::ErrorKind::InvalidInput)?;
        let name = CString::new(name.as_bytes())?;
        disk.unlink(&disk.open_root(folder)?, &name)
    };
    match remove() {
        Ok(()) => {}
        Err(error) if error.kind() == io::ErrorKind::NotFound => {}
        Err(source) => {
            let path = path.clone();
            return Err(EmptyError::Remove { path, source });
        }
    }
    record.write(&Line::Emptied { when, freed })?;
    record.sync()?;
    Ok(Emptied {
        run: pan.run.clone(),
        freed,
    })
}

/// Empties every dustpan whose date is past. One that lies on a volume that isn't here now waits
/// until it is.
///
/// # Errors
/// When their folder can't be read; a dustpan that can't be emptied stays.
pub fn empty_expired(
    state: &StateFolder,
    disk: &dyn Disk,
    now: Timestamp,
) -> Result<Vec<Emptied>, EmptyError> {
    let pans = Pan::all(state)?.into_iter().flatten();
    let is_due = |pan: &Pan| pan.until <= now && pan.archive.is_file();
    Ok(pans
        .filter(is_due)
        .filter_map(|pan| empty(state, disk, &pan, now).ok())
        .collect())
}
