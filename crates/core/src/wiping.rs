//! Writing over what is free of a volume, or over a whole disk or image that can be pulled out.
//!
//! What is guaranteed: a disk is opened only after its number and size were typed, and only while nobody else has it; what
//! fills a volume has no name, so that whatever ends this process gives it back; what was written is read back from the disk
//! and compared; the record says how far it came, also when it broke off. What a disk keeps where nobody can write is told.

mod disk;
mod free;
mod pass;
mod passes;
mod pattern;
mod record;

pub use disk::wipe_disk;
pub use free::{VolumeToWipe, volume_to_wipe, wipe_free};
pub use pass::WipeProgress;
pub use pattern::Fill;
pub use record::{WipeEnd, WipeLog, WipeState, list_wipes, read_wipe};

use std::io;
use std::path::PathBuf;

use jiff::Timestamp;

use crate::cancel::CancelToken;
use crate::host::NoWholeDisk;
use crate::run::Pause;
use crate::state::{JournalError, RunId, StateFolder};

/// Why nothing was wiped, or its end couldn't be recorded.
#[derive(Debug, thiserror::Error)]
#[expect(missing_docs, reason = "the message names the fields")]
pub enum WipeError {
    #[error(transparent)]
    NoDisk(#[from] NoWholeDisk),
    #[error("it isn't this one: {} is {word}", path.display())]
    OtherWord { path: PathBuf, word: String },
    #[error("what is free at {} can't be written over: {why}", path.display())]
    MayNot { path: PathBuf, why: &'static str },
    #[error("{} can't be {verb}", path.display())]
    Disk {
        path: PathBuf,
        verb: &'static str,
        source: io::Error,
    },
    #[error(transparent)]
    Journal(#[from] JournalError),
}

/// What wiping stands on.
pub struct Wiping<'a> {
    /// Where the record lies.
    pub state: &'a StateFolder,
    /// The run's id.
    pub run: &'a RunId,
    /// With what it is written over.
    pub fill: Fill,
    /// How often; the last time is read back.
    pub passes: u64,
    /// Ends it.
    pub cancel: &'a CancelToken,
    /// Holds it.
    pub pause: &'a Pause,
    /// Tells the time.
    pub clock: &'a dyn Fn() -> Timestamp,
    /// Hears how far it is.
    pub heard: &'a dyn Fn(WipeProgress),
}
