//! Why something isn't packed or unpacked.

use std::io;

use crate::state::{JournalError, LockError};

/// Why something isn't packed or unpacked; what was there before is there still.
#[derive(Debug, thiserror::Error)]
#[expect(missing_docs, reason = "the message names the fields")]
pub enum PackError {
    #[error("{path} can't be {verb}")]
    Disk {
        path: String,
        verb: &'static str,
        source: io::Error,
    },
    #[error("{path} stays as it is: {why}")]
    MayNot { path: String, why: &'static str },
    #[error("{path} is open in {program}")]
    InUse { path: String, program: String },
    #[error("{path} is there already")]
    Exists { path: String },
    #[error("{path} changed meanwhile")]
    Changed { path: String },
    #[error("the archive doesn't hold what lies there: {path}")]
    Differs { path: String },
    #[error("{path} would shrink from {whole} to {packed} bytes, which is not worth it")]
    NoGain {
        path: String,
        whole: u64,
        packed: u64,
    },
    #[error("it takes {needs} bytes, and {free} are free there")]
    NoRoom { needs: u64, free: u64 },
    #[error("{path} is no archive that can be unpacked: {why}")]
    NoArchive { path: String, why: String },
    #[error("it was stopped")]
    Stopped,
    #[error(transparent)]
    Lock(#[from] LockError),
    #[error("its record can't be kept")]
    Journal(#[from] JournalError),
}
