//! Files that outlast a visit and that a technician may edit by hand: exclusions, how the shop
//! starts, the own rulebook of a computer. All are TOML 1.0.

use std::fs;
use std::io::{self, Write as _};
use std::os::unix::ffi::OsStrExt as _;
use std::path::{Path, PathBuf};

use jolly_disk::{Distrust, make_trusted_folder, read_trusted};
use toml_edit::{ArrayOfTables, DocumentMut, InlineTable, Item};

use crate::format::{DocumentError, Printable, Problem};

/// The most that such a file may hold, in bytes; a longer one isn't one.
pub const MOST_BYTES: u64 = 4 * 1024 * 1024;

/// Why such a file can't be read or written.
#[derive(Debug, thiserror::Error)]
#[expect(missing_docs, reason = "the message names the fields")]
pub enum KeptError {
    #[error("cannot {verb} {}", Printable(path.as_os_str().as_bytes()))]
    Disk {
        verb: &'static str,
        path: PathBuf,
        source: io::Error,
    },
    #[error("a file that decides something can't be trusted")]
    Doubted { source: Distrust },
    #[error(transparent)]
    Document(#[from] DocumentError),
}

impl From<Distrust> for KeptError {
    fn from(error: Distrust) -> Self {
        match error {
            Distrust::Disk { verb, path, source } => Self::Disk { verb, path, source },
            source => Self::Doubted { source },
        }
    }
}

/// The name of a file as it is shown.
pub fn shown_name(path: &Path) -> String {
    Printable(path.as_os_str().as_bytes()).to_string()
}

/// Reads such a file; nothing when it is not there.
///
/// # Errors
/// When it is there and can't be read, isn't this person's or the administrator's own, is too long or is
/// not UTF-8.
pub fn read_text(path: &Path) -> Result<Option<String>, KeptError> {
    let Some(bytes) = read_trusted(path, MOST_BYTES)? else {
        return Ok(None);
    };
    let refuse = |text: String, at: usize, message: &str, help: &str| DocumentError {
        file: shown_name(path),
        problems: vec![Problem {
            message: message.to_owned(),
            span: at..text.len().min(at + 1),
            label: "here".to_owned(),
            help: help.to_owned(),
        }],
        text,
    };
    match String::from_utf8(bytes) {
        Ok(text) => Ok(Some(text)),
        Err(error) => {
            let at = error.utf8_error().valid_up_to();
            let text = String::from_utf8_lossy(error.as_bytes()).into_owned();
            let help =
                "save the file as UTF-8; a path that isn't UTF-8 is written as `path-base64`";
            Err(refuse(text, at, "the file is not UTF-8 text", help).into())
        }
    }
}

/// Writes such a file, whole or not at all; folders above it are made, for nobody else.
///
/// # Errors
/// When it can't be written; then the one before stays.
pub fn write_whole(path: &Path, text: &str) -> Result<(), KeptError> {
    let refuse = |source| KeptError::Disk {
        verb: "write",
        path: path.to_owned(),
        source,
    };
    // A link to a file that is kept elsewhere stays a link.
    let real = fs::canonicalize(path).unwrap_or_else(|_| path.to_owned());
    let folder = real.parent().unwrap_or(Path::new("."));
    make_trusted_folder(folder)?;
    let mut file = tempfile::NamedTempFile::new_in(folder).map_err(refuse)?;
    file.write_all(text.as_bytes()).map_err(refuse)?;
    file.as_file().sync_all().map_err(refuse)?;
    file.persist(&real)
        .map_err(|error| refuse(error.error))
        .map(drop)
}

/// The tables of a document that are written under one name, made when there are none; nothing
/// when something else has that name.
pub(crate) fn tables_of<'a>(
    document: &'a mut DocumentMut,
    name: &str,
) -> Option<&'a mut ArrayOfTables> {
    let list = document.entry(name);
    let list = list.or_insert_with(|| Item::ArrayOfTables(ArrayOfTables::new()));
    if let Item::Value(written) = list {
        // `name = [{…}]` is the same, said in one line.
        let tables = written.as_array()?.iter();
        let tables = tables.filter_map(|one| one.as_inline_table().cloned());
        *list = Item::ArrayOfTables(tables.map(InlineTable::into_table).collect());
    }
    list.as_array_of_tables_mut()
}
