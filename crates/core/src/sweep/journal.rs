//! The record of a run as it happens; afterwards it is the log.
//!
//! JSON Lines. Every line carries in `prev` the hash (BLAKE3, hex) of the line before it, and in
//! `sum` the hash of itself up to there, so that an altered, lost or added line shows.

use std::borrow::Cow;
use std::fs::File;
use std::io::{self, Write};
use std::os::unix::fs::MetadataExt as _;
use std::path::{Path, PathBuf};

use jiff::Timestamp;
use serde::de::DeserializeOwned;
use serde::{Deserialize, Serialize, Serializer};

use crate::decide::{EntryKind, ManifestItem};
use crate::json::write_json;
use crate::rulebook::Removal;
use crate::sweep::{Outcome, StateError, StateFolder};
use crate::target::{TargetPath, WrittenPath};

/// The format's name in the first line.
pub(super) const FORMAT: &str = "jolly-broom/log";
pub(super) const VERSION: u32 = 2;

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

/// One line of a journal, without its hashes.
#[derive(Clone, Debug, PartialEq, Eq, Serialize, Deserialize)]
#[serde(tag = "line", rename_all = "lowercase")]
pub(super) enum Record {
    /// The first: which run this is.
    Start {
        format: String,
        version: u32,
        run: String,
        started: Timestamp,
        target: String,
        /// What tells the computer from others; version 1 did without.
        #[serde(default)]
        identity: String,
        device: u64,
        inode: u64,
        layout: String,
        label: String,
        free: u64,
        items: u64,
        bytes: u64,
        /// Whether the scan was stopped before its end.
        #[serde(default)]
        partial: bool,
        /// The digest of the list that it carries out.
        #[serde(default)]
        manifest: String,
        /// The rehearsal that came before.
        #[serde(default, skip_serializing_if = "Option::is_none")]
        rehearsal: Option<String>,
    },
    /// What is about to be touched, a folder at a time. It is on the disk before the first touch.
    Intend {
        #[serde(flatten)]
        folder: WrittenPath,
        rule: String,
        account: Option<String>,
        by: Removal,
        /// The number of the first in the manifest, from 0; the others follow it. Version 1 had it
        /// with each item.
        #[serde(default)]
        first: Option<u64>,
        /// The device that they lie on; version 1 had it with each item.
        #[serde(default)]
        device: Option<u64>,
        items: Vec<Intent>,
    },
    /// What became of intended items, by their numbers.
    Done { items: Vec<Done> },
    /// The last: how the run ended.
    Finish {
        state: String,
        ended: Timestamp,
        free: u64,
        /// How many items stayed; not told where nobody counted.
        #[serde(default, skip_serializing_if = "Option::is_none")]
        stayed: Option<u64>,
    },
}

/// One intended item.
#[derive(Clone, Debug, PartialEq, Eq, Serialize, Deserialize)]
pub(super) struct Intent {
    #[serde(default)]
    pub n: u64,
    #[serde(default = "file")]
    pub kind: String,
    #[serde(flatten)]
    pub name: WrittenPath,
    #[serde(default)]
    pub bytes: u64,
    #[serde(default)]
    pub device: u64,
    pub inode: u64,
    #[serde(default)]
    pub size: u64,
    pub changed: (i64, u32),
}

/// What became of one item, or of several that follow each other.
#[derive(Clone, Debug, PartialEq, Eq, Serialize, Deserialize)]
pub(super) struct Done {
    pub n: u64,
    /// How many from `n` on.
    #[serde(default = "one", skip_serializing_if = "is_one")]
    pub many: u64,
    pub outcome: Outcome,
    /// What came back of each; none where it is what was intended.
    #[serde(default, skip_serializing_if = "Option::is_none")]
    pub bytes: Option<u64>,
    #[serde(default, skip_serializing_if = "String::is_empty")]
    pub reason: String,
}

fn file() -> String {
    "file".to_owned()
}

fn one() -> u64 {
    1
}

#[expect(clippy::trivially_copy_pass_by_ref, reason = "the serialiser asks so")]
fn is_one(many: &u64) -> bool {
    *many == 1
}

#[expect(clippy::trivially_copy_pass_by_ref, reason = "the serialiser asks so")]
fn is_nothing(bytes: &u64) -> bool {
    *bytes == 0
}

/// Items of one folder that are about to be touched, as they are written.
#[derive(Serialize)]
#[serde(tag = "line", rename = "intend")]
pub(super) struct Intending<'a> {
    #[serde(flatten)]
    folder: WrittenPath,
    rule: &'a str,
    account: Option<&'a str>,
    by: Removal,
    first: u64,
    device: u64,
    #[serde(serialize_with = "one_by_one")]
    items: &'a [ManifestItem],
}

/// Writes items as they come: there are millions.
fn one_by_one<S: Serializer>(items: &[ManifestItem], to: S) -> Result<S::Ok, S::Error> {
    to.collect_seq(items.iter().map(IntendedItem::of))
}

/// One of them: an [`Intent`] that owns nothing, for there are millions.
#[derive(Serialize)]
struct IntendedItem<'a> {
    #[serde(skip_serializing_if = "Option::is_none")]
    kind: Option<&'static str>,
    path: Cow<'a, str>,
    #[serde(skip_serializing_if = "Option::is_none")]
    path_base64: Option<String>,
    #[serde(skip_serializing_if = "is_nothing")]
    bytes: u64,
    inode: u64,
    #[serde(skip_serializing_if = "is_nothing")]
    size: u64,
    changed: (i64, u32),
}

impl<'a> Intending<'a> {
    /// Items of one folder, of which the first has this number in the manifest.
    pub(super) fn new(first: usize, items: &'a [ManifestItem]) -> Option<Self> {
        let item = items.first()?;
        Some(Self {
            folder: WrittenPath::from(&item.path.parent().unwrap_or_default()),
            rule: &item.rule,
            account: item.account.as_deref(),
            by: item.by,
            first: first as u64,
            device: item.identity.key.device,
            items,
        })
    }
}

impl<'a> IntendedItem<'a> {
    fn of(item: &'a ManifestItem) -> Self {
        let identity = &item.identity;
        let (path, path_base64) = if let Ok(name) = std::str::from_utf8(item.path.name()) {
            (Cow::Borrowed(name), None)
        } else {
            let name = TargetPath::new(item.path.name()).unwrap_or_default();
            let written = WrittenPath::from(&name);
            (Cow::Owned(written.path), written.path_base64)
        };
        Self {
            kind: (item.kind == EntryKind::Folder).then_some("folder"),
            path,
            path_base64,
            bytes: item.bytes,
            inode: identity.key.inode,
            size: identity.size,
            changed: (identity.changed.seconds, identity.changed.nanos),
        }
    }
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
    pub fn create(state: &StateFolder, run: &str) -> Result<Self, JournalError> {
        state.make()?;
        Self::begin(state.log(run))
    }

    /// Starts the record of a rehearsal.
    ///
    /// # Errors
    /// When the file can't be made.
    pub fn of_rehearsal(state: &StateFolder, run: &str) -> Result<Self, JournalError> {
        state.make()?;
        Self::begin(state.rehearsal(run))
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
    pub(super) fn resume(path: PathBuf, file: File, previous: String) -> Self {
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
    pub(super) fn write(&mut self, record: &impl Serialize) -> Result<(), JournalError> {
        let sealed = seal(record, &mut self.written, &mut self.previous);
        let written = sealed.map_err(io::Error::from).and_then(|()| {
            if self.written.len() >= BUFFER {
                self.pour()
            } else {
                Ok(())
            }
        });
        self.latch(written)
    }

    fn pour(&mut self) -> io::Result<()> {
        let written = std::mem::take(&mut self.written);
        self.sink.write_all(&written)
    }

    /// Hands every line to the system, which keeps it if this process dies now.
    pub(super) fn hand_over(&mut self) -> Result<(), JournalError> {
        let poured = self.pour();
        self.latch(poured)
    }

    /// Brings every line to the disk.
    pub(super) fn sync(&mut self) -> Result<(), JournalError> {
        let synced = self
            .pour()
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
pub(super) fn hash(line: &[u8]) -> String {
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
pub(super) fn open<T: DeserializeOwned>(line: &str, previous: &str) -> Option<T> {
    let (body, sum) = line.rsplit_once(",\"sum\":\"")?;
    let sum = sum.strip_suffix("\"}")?;
    let (_, link) = body.rsplit_once(",\"prev\":\"")?;
    if hash(body.as_bytes()) != sum || link.strip_suffix('"')? != previous {
        return None;
    }
    serde_json::from_str(line).ok()
}
