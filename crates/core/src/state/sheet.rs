//! The job sheet: what is remembered of one computer from visit to visit.

use std::collections::BTreeSet;
use std::fs;
use std::path::{Path, PathBuf};

use jiff::Timestamp;
use jolly_disk::read_trusted;
use serde::{Deserialize, Serialize};

use crate::computer::{Layout, Target, Volume};
use crate::state::{KeptError, StateError, StateFolder, write_whole};

/// Visits that a sheet keeps; older ones are dropped.
const MOST_VISITS: usize = 100;

/// The most that is read of a sheet, in bytes.
const MOST_BYTES: u64 = 1024 * 1024;

/// One sitting with a computer.
#[derive(Clone, Debug, PartialEq, Eq, Serialize, Deserialize)]
#[serde(deny_unknown_fields)]
pub struct Visit {
    /// When.
    pub time: Timestamp,
    /// What its volume held then, in bytes.
    pub used: u64,
    /// What was free, in bytes.
    pub free: u64,
}

/// Everything remembered of one computer.
#[derive(Clone, Debug, PartialEq, Eq, Serialize, Deserialize)]
#[serde(deny_unknown_fields, rename_all = "kebab-case")]
pub struct Sheet {
    /// What it is called.
    pub label: String,
    /// Its family of system.
    pub layout: Layout,
    /// Where it was opened last, when that path is text.
    #[serde(default, skip_serializing_if = "Option::is_none")]
    pub root: Option<PathBuf>,
    /// Rules, by whole id, that are turned off for it.
    #[serde(default)]
    pub rules_off: BTreeSet<String>,
    /// Its visits, oldest first.
    #[serde(default, rename = "visit")]
    pub visits: Vec<Visit>,
}

/// Why a sheet can't be read or kept.
#[derive(Debug, thiserror::Error)]
#[expect(missing_docs, reason = "the message names the fields")]
pub enum SheetError {
    #[error("the job sheet {} can't be read: {message}", path.display())]
    Malformed { path: PathBuf, message: String },
    #[error(transparent)]
    State(#[from] StateError),
    #[error(transparent)]
    Kept(#[from] KeptError),
}

impl Sheet {
    /// A fresh sheet for a target.
    pub fn of(target: &Target) -> Self {
        Self {
            label: target.label.clone(),
            layout: target.layout,
            root: None,
            rules_off: BTreeSet::new(),
            visits: Vec::new(),
        }
    }

    /// The last visit.
    pub fn last_visit(&self) -> Option<&Visit> {
        self.visits.last()
    }

    /// Notes a visit, and where the computer was then.
    pub fn note_visit(&mut self, target: &Target, time: Timestamp, volume: Volume) {
        self.label.clone_from(&target.label);
        let root = target.root_path();
        self.root = root.to_str().map(|_| root.to_owned());
        self.visits.push(Visit {
            time,
            used: volume.used,
            free: volume.free,
        });
        let extra = self.visits.len().saturating_sub(MOST_VISITS);
        self.visits.drain(..extra);
    }

    /// Reads the sheet of a computer; nothing when there is none yet.
    ///
    /// # Errors
    /// When it is there and can't be read, or isn't one.
    pub fn read(state: &StateFolder, identity: &str) -> Result<Option<Self>, SheetError> {
        let path = state.sheet(identity);
        read_file(&path)
    }

    /// Keeps the sheet of a computer, whole or not at all.
    ///
    /// # Errors
    /// When the state folder can't be written.
    pub fn keep(&self, state: &StateFolder, identity: &str) -> Result<(), SheetError> {
        state.make()?;
        let path = state.sheet(identity);
        let text = toml::to_string(self).map_err(|error| SheetError::Malformed {
            path: path.clone(),
            message: error.to_string(),
        })?;
        Ok(write_whole(&path, &text)?)
    }

    /// Every sheet that can be read.
    pub fn all(state: &StateFolder) -> Vec<Self> {
        let Ok(entries) = fs::read_dir(state.sheets()) else {
            return Vec::new();
        };
        let mut sheets: Vec<Self> = entries
            .flatten()
            .filter_map(|entry| read_file(&entry.path()).ok().flatten())
            .collect();
        let last = |sheet: &Self| sheet.last_visit().map(|visit| visit.time);
        sheets.sort_by_key(|sheet| std::cmp::Reverse(last(sheet)));
        sheets
    }
}

fn read_file(path: &Path) -> Result<Option<Sheet>, SheetError> {
    let Some(bytes) = read_trusted(path, MOST_BYTES).map_err(StateError::from)? else {
        return Ok(None);
    };
    let refuse = |message: String| SheetError::Malformed {
        path: path.to_owned(),
        message,
    };
    let text = String::from_utf8(bytes).map_err(|error| refuse(error.to_string()))?;
    let sheet = toml::from_str(&text);
    sheet.map_err(|error| refuse(error.to_string().trim_end().to_owned()))
}
