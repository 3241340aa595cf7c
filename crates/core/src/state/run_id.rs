//! The id of a run: it becomes the name of files, so it is held to what a name may be where it is parsed.

use std::fmt;
use std::ops::Deref;
use std::str::FromStr;

use jiff::Timestamp;
use serde::{Deserialize, Serialize};

/// The id of one run, such as `20261129-001745-742-9512`.
///
/// # Invariants
/// At most 100 ASCII letters, digits, `-`, `_` and `.`, and no `.` at the start.
#[derive(Clone, Debug, PartialEq, Eq, Hash, PartialOrd, Ord, Serialize, Deserialize)]
#[serde(try_from = "String", into = "String")]
pub struct RunId(String);

/// A text that can't be a run's id.
#[derive(Clone, Copy, Debug, PartialEq, Eq, thiserror::Error)]
#[error("this is no id of a run")]
pub struct NoRunId;

/// The longest id, in bytes.
const LONGEST: usize = 100;

impl RunId {
    /// The id of a run that starts now, by this process.
    pub fn new(started: Timestamp, process: u32) -> Self {
        Self(format!(
            "{}-{process}",
            started.strftime("%Y%m%d-%H%M%S-%3f")
        ))
    }
}

impl FromStr for RunId {
    type Err = NoRunId;

    fn from_str(text: &str) -> Result<Self, NoRunId> {
        let is_plain = |letter: char| letter.is_ascii_alphanumeric() || "-_.".contains(letter);
        let may_be = !text.is_empty() && text.len() <= LONGEST && !text.starts_with('.');
        if may_be && text.chars().all(is_plain) {
            Ok(Self(text.to_owned()))
        } else {
            Err(NoRunId)
        }
    }
}

impl TryFrom<String> for RunId {
    type Error = NoRunId;

    fn try_from(text: String) -> Result<Self, NoRunId> {
        text.parse()
    }
}

impl From<RunId> for String {
    fn from(run: RunId) -> Self {
        run.0
    }
}

impl Deref for RunId {
    type Target = str;

    fn deref(&self) -> &str {
        &self.0
    }
}

impl fmt::Display for RunId {
    fn fmt(&self, f: &mut fmt::Formatter<'_>) -> fmt::Result {
        f.pad(&self.0)
    }
}
