//! Keeping two sweeps, settlings and restores of one target apart.

use std::fs::{File, OpenOptions, TryLockError};
use std::io;
use std::os::unix::fs::OpenOptionsExt as _;
use std::time::Duration;

use jolly_disk::{Folder, runner};

use crate::computer::Target;
use crate::host::users_locking;
use crate::state::StateFolder;

/// Why a target can't be taken for one run alone.
#[derive(Debug, thiserror::Error)]
#[expect(missing_docs, reason = "the message names the fields")]
pub enum LockError {
    #[error("another sweep of this target is under way")]
    Held,
    #[error("cannot lock the target")]
    Failed { source: io::Error },
}

/// A target that is taken for one run alone; it ends with this.
pub(crate) struct TargetLock {
    _file: File,
    _folder: Option<Folder>,
}

/// How often, and how long apart, a lock that is held is tried again.
const TRIES: u32 = 20;
const APART: Duration = Duration::from_millis(10);

/// Takes the target for one run alone: by a file in the state folder, which nobody else can reach, and on
/// its root for whoever keeps another state folder. A lock that some other user puts on the root keeps
/// nobody away.
pub(crate) fn lock(target: &Target, state: &StateFolder) -> Result<TargetLock, LockError> {
    for _ in 1..TRIES {
        match try_lock(target, state) {
            // A tool that was just being started has all that was open until it is its own program: what was let go of
            // meanwhile is held for that moment.
            Err(LockError::Held) => std::thread::sleep(APART),
            taken => return taken,
        }
    }
    try_lock(target, state)
}

fn try_lock(target: &Target, state: &StateFolder) -> Result<TargetLock, LockError> {
    let refuse = |source: io::Error| match source.kind() {
        io::ErrorKind::WouldBlock => LockError::Held,
        _ => LockError::Failed { source },
    };
    let file = lock_file(target, state).map_err(refuse)?;
    let disk = target.disk();
    let folder = disk.open_folder(target.root(), b"").map_err(refuse)?;
    let is_ours = |user: &Option<u32>| user.is_none_or(|user| user == 0 || user == runner());
    let folder = match disk.lock(&folder) {
        Ok(()) => Some(folder),
        Err(error) if error.kind() == io::ErrorKind::WouldBlock => {
            let users = users_locking(target.key());
            if users.is_empty() || users.iter().any(is_ours) {
                return Err(LockError::Held);
            }
            None
        }
        Err(error) => return Err(refuse(error)),
    };
    Ok(TargetLock {
        _file: file,
        _folder: folder,
    })
}

fn lock_file(target: &Target, state: &StateFolder) -> io::Result<File> {
    StateFolder::make_private(&state.locks()).map_err(io::Error::other)?;
    let name = blake3::hash(target.identity().as_str().as_bytes()).to_hex();
    let path = state.locks().join(name.get(..32).unwrap_or_default());
    let mut options = OpenOptions::new();
    options.write(true).create(true).truncate(false).mode(0o600);
    let file = options.open(path)?;
    match file.try_lock() {
        Ok(()) => Ok(file),
        Err(TryLockError::WouldBlock) => Err(io::ErrorKind::WouldBlock.into()),
        Err(TryLockError::Error(error)) => Err(error),
    }
}
