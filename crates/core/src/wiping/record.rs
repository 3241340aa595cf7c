//! The record of something that was written over: JSON Lines, linked as every log is.

use std::path::{Path, PathBuf};
use std::time::{Duration, Instant};

use jiff::Timestamp;
use serde::{Deserialize, Serialize};

use crate::computer::WrittenPath;
use crate::format::Printable;
use crate::host::{VolumeKind, WholeDisk};
use crate::state::{Journal, JournalError, LogError, RunId, StateError, StateFolder, each_line};
use crate::wiping::pass::Passed;
use crate::wiping::{Fill, WipeProgress, Wiping};

const FORMAT: (&str, u32) = ("jolly-broom/wipe", 1);

/// How often the record says how far it is.
const OFTEN: Duration = Duration::from_secs(10);

/// How it ended.
#[derive(Clone, Copy, Debug, Default, PartialEq, Eq, Serialize, Deserialize)]
#[serde(rename_all = "lowercase")]
pub enum WipeState {
    /// It came to its end.
    Finished,
    /// Somebody stopped it.
    Stopped,
    /// The disk was given up.
    Failed,
    /// It broke off, and only what was recorded until then is known.
    #[default]
    Interrupted,
}

impl WipeState {
    /// In a word.
    pub fn name(self) -> &'static str {
        match self {
            Self::Finished => "finished",
            Self::Stopped => "stopped",
            Self::Failed => "failed",
            Self::Interrupted => "interrupted",
        }
    }
}

/// What it came to, in bytes.
#[derive(Clone, Debug, Default, PartialEq, Eq, Serialize, Deserialize)]
pub struct WipeEnd {
    /// How it ended.
    pub state: WipeState,
    /// Written over in the last pass.
    pub written: u64,
    /// Read back, and the same as was written.
    pub verified: u64,
    /// Read back, and something else.
    pub differs: u64,
    /// What the disk refused to write, or to read back.
    pub refused: u64,
    /// Holes of an image, which hold nothing.
    pub holes: u64,
    /// Free, and yet not written over: the file system keeps it for itself.
    pub unreached: u64,
    /// What the disk was told afterwards to be empty, where it was.
    #[serde(default, skip_serializing_if = "Option::is_none")]
    pub trimmed: Option<String>,
    /// Why it didn't come to its end; else empty.
    #[serde(default, skip_serializing_if = "String::is_empty")]
    pub reason: String,
}

impl WipeEnd {
    /// Takes in what a pass wrote and what was read back.
    pub(super) fn of(written: Passed, read: Passed) -> Self {
        Self {
            written: written.done,
            verified: read.done,
            differs: read.differs,
            refused: written.refused.max(read.refused),
            ..Self::default()
        }
    }

    /// Whether all of it was written, read back and found the same.
    pub fn is_proven(&self) -> bool {
        self.state == WipeState::Finished
            && self.verified == self.written
            && self.refused == 0
            && self.differs == 0
    }
}

/// Lines of the record.
#[derive(Serialize, Deserialize)]
#[serde(tag = "line", rename_all = "lowercase")]
enum WipeLine {
    Start {
        format: String,
        version: u32,
        run: RunId,
        started: Timestamp,
        what: String,
        #[serde(flatten)]
        path: WrittenPath,
        model: String,
        serial: Option<String>,
        size: u64,
        fill: String,
        passes: u64,
        told: Vec<String>,
    },
    /// How far it is by now.
    Reached { pass: u64, written: u64, read: u64 },
    Finish {
        ended: Timestamp,
        #[serde(flatten)]
        end: WipeEnd,
    },
}

/// What is about to be written over.
pub(super) struct Subject<'a> {
    /// `disk`, `image` or `free`.
    pub what: &'a str,
    pub path: &'a Path,
    pub model: &'a str,
    pub serial: Option<&'a str>,
    pub size: u64,
    /// What can't be promised.
    pub told: &'a [String],
}

impl<'a> Subject<'a> {
    pub(super) fn of(disk: &'a WholeDisk, told: &'a [String]) -> Self {
        Self {
            what: match disk.kind {
                VolumeKind::Image => "image",
                _ => "disk",
            },
            path: &disk.path,
            model: &disk.model,
            serial: disk.serial.as_deref(),
            size: disk.size,
            told,
        }
    }
}

/// The record while it is written.
pub(super) struct Recorded {
    journal: Journal,
    last: Instant,
    told: Result<(), JournalError>,
}

impl Recorded {
    pub(super) fn begin(work: &Wiping<'_>, subject: &Subject<'_>) -> Result<Self, JournalError> {
        let mut journal = Journal::of_wipe(work.state, work.run)?;
        journal.write(&WipeLine::Start {
            format: FORMAT.0.to_owned(),
            version: FORMAT.1,
            run: work.run.clone(),
            started: (work.clock)(),
            what: subject.what.to_owned(),
            path: WrittenPath::from(subject.path.as_os_str().as_encoded_bytes()),
            model: subject.model.to_owned(),
            serial: subject.serial.map(str::to_owned),
            size: subject.size,
            fill: work.fill.name().to_owned(),
            passes: work.passes,
            told: subject.told.to_vec(),
        })?;
        journal.sync()?;
        Ok(Self {
            journal,
            last: Instant::now(),
            told: Ok(()),
        })
    }

    /// Notes how far it is, every now and then.
    pub(super) fn reached(&mut self, progress: WipeProgress) {
        if self.last.elapsed() < OFTEN || self.told.is_err() {
            return;
        }
        self.last = Instant::now();
        let line = WipeLine::Reached {
            pass: progress.pass,
            written: progress.written,
            read: progress.read,
        };
        self.told = self.journal.write(&line).and_then(|()| self.journal.sync());
    }

    /// Ends it.
    pub(super) fn end(mut self, ended: Timestamp, end: &WipeEnd) -> Result<PathBuf, JournalError> {
        self.told?;
        let end = end.clone();
        self.journal.write(&WipeLine::Finish { ended, end })?;
        self.journal.sync()?;
        Ok(self.journal.path().to_owned())
    }
}

/// Something that was written over.
#[derive(Clone, Debug)]
pub struct WipeLog {
    /// The run.
    pub run: RunId,
    /// When it started.
    pub started: Timestamp,
    /// `disk`, `image` or `free`.
    pub what: String,
    /// The device, the image, or where the volume is mounted, made harmless.
    pub path: String,
    /// What the disk's maker calls it.
    pub model: String,
    /// Its serial number.
    pub serial: Option<String>,
    /// Its size in bytes; of a volume what was free.
    pub size: u64,
    /// With what it was written over.
    pub fill: Fill,
    /// How often.
    pub passes: u64,
    /// What can't be promised, as it was told beforehand.
    pub told: Vec<String>,
    /// When it ended, if it is known to have.
    pub ended: Option<Timestamp>,
    /// What it came to; of one that broke off what was reached of the pass that it was at.
    pub end: WipeEnd,
}

/// Reads the record of something that was written over.
///
/// # Errors
/// When there is none, it was altered, or is of another version.
pub fn read_wipe(state: &StateFolder, run: &RunId) -> Result<WipeLog, LogError> {
    let path = state.wipe(run);
    if !path.exists() {
        return Err(LogError::NoSuchRun {
            run: run.to_string(),
            folder: path.parent().unwrap_or(Path::new("")).to_owned(),
        });
    }
    let mut read: Option<WipeLog> = None;
    let mut is_other = false;
    each_line(&path, &mut |line: WipeLine| {
        match (line, &mut read) {
            (start @ WipeLine::Start { .. }, None) => {
                read = begun(start);
                is_other = read.is_none();
            }
            (WipeLine::Reached { written, read, .. }, Some(log)) => {
                (log.end.written, log.end.verified) = (written, read);
            }
            (WipeLine::Finish { ended, end }, Some(log)) => {
                (log.ended, log.end) = (Some(ended), end);
            }
            _ => is_other = true,
        }
        !is_other
    })?;
    let read = read.filter(|log| !is_other && log.run == *run);
    read.ok_or(LogError::OtherVersion { path })
}

fn begun(line: WipeLine) -> Option<WipeLog> {
    let WipeLine::Start {
        format,
        version,
        run,
        started,
        what,
        path,
        model,
        serial,
        size,
        fill,
        passes,
        told,
    } = line
    else {
        return None;
    };
    ((&*format, version) == FORMAT).then(|| WipeLog {
        run,
        started,
        what,
        path: Printable(path.path.as_bytes()).to_string(),
        model,
        serial,
        size,
        fill: Fill::of(&fill),
        passes,
        told,
        ended: None,
        end: WipeEnd::default(),
    })
}

/// Everything that was written over, the oldest first; what can't be read is told in its place.
///
/// # Errors
/// When the folder can't be listed.
pub fn list_wipes(state: &StateFolder) -> Result<Vec<Result<WipeLog, LogError>>, StateError> {
    let runs = state.stored_wipes()?;
    Ok(runs.iter().map(|run| read_wipe(state, run)).collect())
}
