//! Files of linked lines: the log of a run as it happens, and the record of a dustpan.
//!
//! JSON Lines. Every line carries in `prev` the hash (BLAKE3, hex) of the line before it, and in
//! `sum` the hash of itself up to there, so that an altered, lost or added line shows.

use std::fs::File;
use std::io::{self, BufRead as _, Write};
use std::os::unix::fs::MetadataExt as _;
use std::path::{Path, PathBuf};

use serde::Serialize;
use serde::de::DeserializeOwned;

use crate::format::write_json;
use crate::state::{RunId, StateError, StateFolder};

/// Written bytes that are kept back before they are handed to the disk.
const BUFFER: usize = 1 << 20;

/// Why a journal can't be written; the run stops before its next item.
#[derive(Debug, thiserror::Error)]
#[expect(missing_docs, reason = "the message names the fields")]
pub enum JournalError {
    #[error("cannot make the journal")]
    Create {
        #[from]
        source: StateError,
    },
    #[error("cannot write the journal {}", path.display())]
    Write { path: PathBuf, source: io::Error },
    #[error("the journal failed before, so nothing more is removed")]
    Shut,
}

/// Why a log can't be trusted or read.
#[derive(Debug, thiserror::Error)]
#[expect(missing_docs, reason = "the message names the fields")]
pub enum LogError {
    #[error("there is no run {run} in {}", folder.display())]
    NoSuchRun { run: String, folder: PathBuf },
    #[error("cannot read the log {}", path.display())]
    Unreadable { path: PathBuf, source: io::Error },
    #[error("line {line} of {} was altered, or a line before it is missing", path.display())]
    Altered { path: PathBuf, line: usize },
    #[error("{} holds no run: it ended before it began, and nothing was touched", path.display())]
    NeverBegan { path: PathBuf },
    #[error("{} was written by a version of this program that this one can't read", path.display())]
    OtherVersion { path: PathBuf },
    #[error("{} speaks of another run than its name", path.display())]
    OtherRun { path: PathBuf },
    #[error("cannot read the log {}", path.display())]
    Doubted {
        path: PathBuf,
        source: Box<StateError>,
    },
}

/// Where a journal's bytes go; tests stand in its way.
pub trait Sink: Write + Send {
    /// Brings everything written to the disk.
    ///
    /// # Errors
    /// What the disk says.
    fn sync(&mut self) -> io::Result<()>;
}

impl Sink for File {
    fn sync(&mut self) -> io::Result<()> {
        self.sync_data()?;
        // A record that somebody removed meanwhile would tell nobody anything.
        if self.metadata()?.nlink() == 0 {
            let what = "its file was removed";
            return Err(io::Error::new(io::ErrorKind::NotFound, what));
        }
        Ok(())
    }
}

/// A journal being written.
///
/// # Invariants
/// Once a write or sync has failed, it refuses everything.
pub struct Journal {
    path: PathBuf,
    sink: Box<dyn Sink>,
    /// Lines that the disk hasn't been handed yet.
    written: Vec<u8>,
    previous: String,
    is_shut: bool,
}

impl Journal {
    /// Starts the journal of a run in the state folder.
    ///
    /// # Errors
    /// When the file can't be made; a run of that name must not exist.
    pub fn create(state: &StateFolder, run: &RunId) -> Result<Self, JournalError> {
        state.make()?;
        Self::begin(state.log(run))
    }

    /// Starts the record of a rehearsal.
    ///
    /// # Errors
    /// When the file can't be made.
    pub fn of_rehearsal(state: &StateFolder, run: &RunId) -> Result<Self, JournalError> {
        state.make()?;
        Self::begin(state.rehearsal(run))
    }

    /// Starts the log of a tool of the system.
    ///
    /// # Errors
    /// When the file can't be made.
    pub fn of_command(state: &StateFolder, run: &RunId) -> Result<Self, JournalError> {
        state.make()?;
        Self::begin(state.command(run))
    }

    /// Starts the record of something that is written over.
    ///
    /// # Errors
    /// When the file can't be made.
    pub fn of_wipe(state: &StateFolder, run: &RunId) -> Result<Self, JournalError> {
        state.make()?;
        Self::begin(state.wipe(run))
    }

    fn begin(path: PathBuf) -> Result<Self, JournalError> {
        let file = StateFolder::create(&path)?;
        Ok(Self::new(path, Box::new(file)))
    }

    /// A journal that goes somewhere else.
    pub fn new(path: PathBuf, sink: Box<dyn Sink>) -> Self {
        Self {
            path,
            sink,
            written: Vec::new(),
            previous: String::new(),
            is_shut: false,
        }
    }

    /// Goes on with a journal whose last line has this hash.
    pub(crate) fn resume(path: PathBuf, file: File, previous: String) -> Self {
        Self {
            path,
            sink: Box::new(file),
            written: Vec::new(),
            previous,
            is_shut: false,
        }
    }

    /// Where it is.
    pub fn path(&self) -> &Path {
        &self.path
    }

    /// Writes one line; it reaches the disk with the next `hand_over` or `sync`.
    pub(crate) fn write(&mut self, record: &impl Serialize) -> Result<(), JournalError> {
        let sealed = seal(record, &mut self.written, &mut self.previous);
        let written = sealed.map_err(io::Error::from).and_then(|()| {
            if self.written.len() >= BUFFER {
                self.flush_buffer()
            } else {
                Ok(())
            }
        });
        self.latch(written)
    }

    fn flush_buffer(&mut self) -> io::Result<()> {
        let written = std::mem::take(&mut self.written);
        self.sink.write_all(&written)
    }

    /// Hands every line to the system, which keeps it if this process dies now.
    pub(crate) fn flush(&mut self) -> Result<(), JournalError> {
        let poured = self.flush_buffer();
        self.latch(poured)
    }

    /// Brings every line to the disk.
    pub(crate) fn sync(&mut self) -> Result<(), JournalError> {
        let synced = self
            .flush_buffer()
            .and_then(|()| self.sink.flush())
            .and_then(|()| self.sink.sync());
        self.latch(synced)
    }

    fn latch(&mut self, result: io::Result<()>) -> Result<(), JournalError> {
        if self.is_shut {
            return Err(JournalError::Shut);
        }
        result.map_err(|source| {
            self.is_shut = true;
            JournalError::Write {
                path: self.path.clone(),
                source,
            }
        })
    }
}

/// The hash that links a line to the next one.
pub(crate) fn hash(line: &[u8]) -> String {
    blake3::hash(line).to_hex().to_string()
}

/// Puts a record as a line at the end of some text, with the hash of the line before it and its own;
/// `previous` becomes the hash of the whole line.
fn seal(
    record: &impl Serialize,
    text: &mut Vec<u8>,
    previous: &mut String,
) -> Result<(), serde_json::Error> {
    let from = text.len();
    if let Err(error) = write_json(&mut *text, record) {
        text.truncate(from);
        return Err(error);
    }
    text.pop();
    text.extend_from_slice(b",\"prev\":\"");
    text.extend_from_slice(previous.as_bytes());
    text.push(b'"');
    let mut hasher = blake3::Hasher::new();
    hasher.update(text.get(from..).unwrap_or_default());
    let own = hasher.finalize().to_hex();
    let end = format!(",\"sum\":\"{own}\"}}");
    hasher.update(end.as_bytes());
    *previous = hasher.finalize().to_hex().to_string();
    text.extend_from_slice(end.as_bytes());
    text.push(b'\n');
    Ok(())
}

/// Reads a line back; nothing when its own hash, or its link to the line before, doesn't fit.
pub(crate) fn open<T: DeserializeOwned>(line: &str, previous: &str) -> Option<T> {
    let (body, sum) = line.rsplit_once(",\"sum\":\"")?;
    let sum = sum.strip_suffix("\"}")?;
    let (_, link) = body.rsplit_once(",\"prev\":\"")?;
    if hash(body.as_bytes()) != sum || link.strip_suffix('"')? != previous {
        return None;
    }
    serde_json::from_str(line).ok()
}

/// Opens a chained file to be read.
pub(crate) fn opened(path: &Path) -> Result<File, LogError> {
    let file = StateFolder::open_file(path).map_err(|source| LogError::Doubted {
        path: path.to_owned(),
        source: Box::new(source),
    })?;
    file.ok_or_else(|| LogError::Unreadable {
        path: path.to_owned(),
        source: io::ErrorKind::NotFound.into(),
    })
}

/// Reads a chained file line by line, checking every line's hash and its link to the line before,
/// until `each` says no; the hash of the last good line, and where that ends.
pub(crate) fn each_line<T: DeserializeOwned>(
    path: &Path,
    each: &mut dyn FnMut(T) -> bool,
) -> Result<(String, u64), LogError> {
    let unreadable = |source| LogError::Unreadable {
        path: path.to_owned(),
        source,
    };
    let mut reader = io::BufReader::new(opened(path)?);
    let mut previous = String::new();
    let mut good_until = 0_u64;
    let mut text = Vec::new();
    for line in 1.. {
        text.clear();
        let read = reader.read_until(b'\n', &mut text).map_err(unreadable)?;
        // A line without its end was being written when the run broke off.
        let Some(body) = text.strip_suffix(b"\n") else {
            break;
        };
        let body = std::str::from_utf8(body).ok();
        let record = body.and_then(|body| open(body, &previous));
        let record = record.ok_or_else(|| LogError::Altered {
            path: path.to_owned(),
            line,
        })?;
        previous = hash(body.unwrap_or_default().as_bytes());
        good_until += read as u64;
        if !each(record) {
            break;
        }
    }
    Ok((previous, good_until))
}
