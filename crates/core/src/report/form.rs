//! Which forms a report has, and writing it in one.

use std::fs::File;
use std::io::{self, BufWriter, Write};
use std::path::{Path, PathBuf};

use crate::report::{object, table};
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
    #[error("{} has no ending that says what to write", file.display())]
    Form { file: PathBuf },
    #[error(transparent)]
    Log(#[from] LogError),
    #[error("cannot write {}", file.display())]
    Write { file: PathBuf, source: io::Error },
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

/// Writes what a run did to the file that `open` opens, in the form that its extension asks for. The
/// file is opened only when the run could be read.
///
/// # Errors
/// When the form isn't known, the log can't be read or was altered, or the file can't be written.
pub fn write_report(
    state: &StateFolder,
    run: &RunId,
    file: &Path,
    open: &dyn Fn(&Path) -> io::Result<File>,
) -> Result<(), ReportError> {
    let Some(form) = Form::of(file) else {
        let file = file.to_owned();
        return Err(ReportError::Form { file });
    };
    let log = verify_log(state, run)?;
    let items = read_items(state, run)?;
    let write = || {
        let mut out = BufWriter::new(open(file)?);
        match form {
            Form::Table => table::write(&items, &mut out).map_err(io::Error::from)?,
            Form::Object => object::write(&log, &items, &mut out)?,
        }
        out.flush()
    };
    write().map_err(|source| ReportError::Write {
        file: file.to_owned(),
        source,
    })
}
