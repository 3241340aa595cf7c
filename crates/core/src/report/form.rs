//! Which forms a report has, and writing it in one.

pub(in crate::report) mod cell;
mod object;
mod table;

use std::io::{self, Write};
use std::path::Path;

use crate::run::{read_items, verify_log};
use crate::state::{LogError, RunId, StateFolder};

/// What a report is written as.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub enum Form {
    /// A table for spreadsheets, one row an item: comma-separated values (RFC 4180).
    Table,
    /// Everything, for programs: one JSON object.
    Object,
}

/// Why a report was not written.
#[derive(Debug, thiserror::Error)]
#[expect(missing_docs, reason = "the message names the fields")]
pub enum ReportError {
    #[error(transparent)]
    Log(#[from] LogError),
    #[error(transparent)]
    Write(#[from] io::Error),
}

impl Form {
    /// What a file's extension asks for.
    pub fn of(file: &Path) -> Option<Self> {
        let extension = file.extension()?.to_str()?;
        match extension.to_ascii_lowercase().as_str() {
            "csv" => Some(Self::Table),
            "json" => Some(Self::Object),
            _ => None,
        }
    }
}

/// Writes what a run did. Nothing is written when the run can't be read.
///
/// # Errors
/// When the log can't be read or was altered, or the file can't be written.
pub fn write_report(
    state: &StateFolder,
    run: &RunId,
    form: Form,
    out: &mut dyn Write,
) -> Result<(), ReportError> {
    let log = verify_log(state, run)?;
    let items = read_items(state, run)?;
    match form {
        Form::Table => table::write(&items, out).map_err(io::Error::from)?,
        Form::Object => object::write(&log, &items, out)?,
    }
    Ok(())
}
