//! Everything that is kept of one computer beside its job sheet: to be taken along, and let go of.

use std::ffi::CString;
use std::fs;
use std::io::{self, BufRead as _, BufReader};
use std::os::unix::ffi::OsStrExt as _;
use std::path::{Path, PathBuf};

use jolly_disk::Disk;
use serde::Deserialize;

use crate::dustpan::Pan;
use crate::run::{LogState, list_logs};
use crate::state::{LogError, RunId, StateError, StateFolder};

/// Why a computer can't be forgotten.
#[derive(Debug, thiserror::Error)]
#[expect(missing_docs, reason = "the message names the fields")]
pub enum ForgetError {
    #[error(transparent)]
    State(#[from] StateError),
    #[error(transparent)]
    Unread(#[from] LogError),
    #[error("what the run {run} set aside still waits")]
    Waits { run: RunId },
    #[error("the run {run} broke off, and nobody has looked at what it left")]
    Unsettled { run: RunId },
    #[error("cannot remove {}", path.display())]
    Remove { path: PathBuf, source: io::Error },
}

/// The first line of a record, as far as it says whose it is.
#[derive(Deserialize)]
struct Head {
    identity: String,
}

fn is_of(record: &Path, identity: &str) -> bool {
    // Records are read as their own lines say; the longest of these has a few paths.
    let first = StateFolder::open_file(record).ok().flatten().map(|file| {
        let mut line = String::new();
        let read = BufReader::new(io::Read::take(file, 1 << 16)).read_line(&mut line);
        read.map(|_| line)
    });
    let head = first
        .and_then(Result::ok)
        .and_then(|line| serde_json::from_str::<Head>(&line).ok());
    head.is_some_and(|head| head.identity == identity)
}

/// The files of a computer: its logs, rehearsals, records of tools and of dustpans that are empty, its exclusions and its
/// own rulebook.
///
/// # Errors
/// When something of it still waits in a dustpan, or a run of it was never settled: that would be lost.
pub fn files_of(state: &StateFolder, identity: &str) -> Result<Vec<PathBuf>, ForgetError> {
    for log in list_logs(state)?.into_iter().flatten() {
        if log.identity == identity && log.state == LogState::Interrupted {
            return Err(ForgetError::Unsettled { run: log.run });
        }
    }
    for pan in Pan::all(state)? {
        // What can't be read may be this computer's, and hold something.
        let pan = pan?;
        if pan.identity == identity {
            return Err(ForgetError::Waits { run: pan.run });
        }
    }
    let folders = [
        state.logs(),
        state.rehearsal_folder(),
        state.command_folder(),
        state.dustpan_folder(),
    ];
    let mut files = Vec::new();
    for folder in folders {
        let Ok(entries) = fs::read_dir(&folder) else {
            continue;
        };
        let records = entries.flatten().map(|entry| entry.path());
        let records = records.filter(|path| path.extension().is_some_and(|it| it == "jsonl"));
        files.extend(records.filter(|record| is_of(record, identity)));
    }
    let own = [
        state.exclusions(identity),
        state.belongs(identity),
        state.meant_the_same(identity),
        state.rulebook(identity),
    ];
    files.extend(own.into_iter().filter(|file| file.exists()));
    files.sort();
    Ok(files)
}

/// Removes files of the state folder; where it then holds nothing any more, itself.
///
/// # Errors
/// When one can't be removed; those before it are gone.
pub fn forget_files(
    state: &StateFolder,
    files: &[PathBuf],
    is_last: bool,
    disk: &dyn Disk,
) -> Result<(), ForgetError> {
    for path in files {
        remove(path, &|folder, name| disk.unlink(folder, name), disk).map_err(|source| {
            ForgetError::Remove {
                path: path.clone(),
                source,
            }
        })?;
    }
    if is_last {
        empty(state.path(), disk);
    }
    Ok(())
}

fn remove(
    path: &Path,
    with: &dyn Fn(&jolly_disk::Folder, &std::ffi::CStr) -> io::Result<()>,
    disk: &dyn Disk,
) -> io::Result<()> {
    let folder = path.parent().ok_or(io::ErrorKind::InvalidInput)?;
    let name = path.file_name().ok_or(io::ErrorKind::InvalidInput)?;
    with(&disk.open_root(folder)?, &CString::new(name.as_bytes())?)
}

/// Removes what no computer needs any more: the store of job sheets, locks, and the folders, as far as they are empty.
fn empty(state: &Path, disk: &dyn Disk) {
    let Ok(entries) = fs::read_dir(state) else {
        return;
    };
    let unlink = |path: &Path| {
        drop(remove(
            path,
            &|folder, name| disk.unlink(folder, name),
            disk,
        ));
    };
    let close = |path: &Path| {
        drop(remove(
            path,
            &|folder, name| disk.remove_folder(folder, name),
            disk,
        ));
    };
    for path in entries.flatten().map(|entry| entry.path()) {
        let name = path.file_name().unwrap_or_default().as_bytes();
        if name.starts_with(b"sheets.sqlite") {
            unlink(&path);
        } else if name == b"locks" {
            let locks = fs::read_dir(&path).into_iter().flatten().flatten();
            locks.for_each(|lock| unlink(&lock.path()));
        }
        close(&path);
    }
    close(state);
}
