//! Emptying dustpans. It is done by hand alone, also once their date is past: no clock decides that
//! the only copy of something goes. The record stays, and says so.

use std::ffi::CString;
use std::fs::{File, TryLockError};
use std::io;
use std::os::unix::ffi::OsStrExt as _;
use std::path::PathBuf;

use jiff::Timestamp;
use jolly_disk::{Disk, Folder};

use crate::dustpan::{Line, Pan};
use crate::state::{Journal, JournalError, LogError, RunId, StateError, StateFolder};

/// Why a dustpan can't be emptied.
#[derive(Debug, thiserror::Error)]
#[expect(missing_docs, reason = "the message names the fields")]
pub enum EmptyError {
    #[error("its record can't be used")]
    Log {
        #[from]
        source: LogError,
    },
    #[error("the dustpan can't be used")]
    State {
        #[from]
        source: StateError,
    },
    #[error("it is being filled by a run that is under way")]
    BeingFilled,
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
    pub run: RunId,
    /// What its archive took.
    pub freed: u64,
}

/// The record of a dustpan that is gone on with, and the folder of dustpans, taken for this alone:
/// two who wrote one record at once would break its chain.
pub(crate) struct Resumed {
    pub journal: Journal,
    _lock: Folder,
}

/// Goes on with the record of a dustpan.
pub(crate) fn resume(
    state: &StateFolder,
    disk: &dyn Disk,
    pan: &Pan,
) -> Result<Resumed, JournalError> {
    let path = state.dustpan_record(&pan.run);
    let write = |source| JournalError::Write {
        path: path.clone(),
        source,
    };
    let lock = disk.open_root(&state.dustpan_folder()).map_err(write)?;
    disk.lock(&lock).map_err(write)?;
    // Others may have gone on with it since it was read.
    let fresh = Pan::read(state, &pan.run).ok().flatten();
    let (hash, good_until) = fresh.map_or_else(|| pan.tail.clone(), |fresh| fresh.tail);
    let file = StateFolder::reopen(&path)?;
    // A line that was cut off while it was written says nothing and would break the chain.
    file.set_len(good_until).map_err(write)?;
    Ok(Resumed {
        journal: Journal::resume(path.clone(), file, hash),
        _lock: lock,
    })
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
    let path = &pan.archive;
    // What a run packs is the only copy of what it removes: nobody takes that away meanwhile.
    let archive = pan.open_archive()?;
    let is_being_filled =
        |archive: &File| matches!(archive.try_lock(), Err(TryLockError::WouldBlock));
    if archive.as_ref().is_some_and(is_being_filled) {
        return Err(EmptyError::BeingFilled);
    }
    let mut record = resume(state, disk, pan)?;
    let freed = pan.packed();
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
    record.journal.write(&Line::Emptied { when, freed })?;
    record.journal.sync()?;
    Ok(Emptied {
        run: pan.run.clone(),
        freed,
    })
}
