//! Job sheets as files, for other benches and other programs: JSON.

use std::collections::BTreeMap;
use std::fs;
use std::io::{self, Read as _};
use std::path::Path;

use serde::Serialize;
use serde_json::value::RawValue;

use crate::state::Sheet;

const FORMAT: (&str, u32) = ("jolly-broom/sheet", 1);

/// The most that is read of such a file, in bytes.
const MOST_IMPORTED: u64 = 256 << 20;

/// Why a file gives no job sheet.
#[derive(Debug, thiserror::Error)]
#[expect(missing_docs, reason = "the message names the fields")]
pub enum ImportError {
    #[error(transparent)]
    Read(#[from] io::Error),
    #[error("it is no file")]
    NoFile,
    #[error("it is too long for job sheets")]
    TooLong,
    #[error("it is no job sheet: {0}")]
    NoSheet(String),
    #[error("it was written by another version of this program")]
    OtherVersion,
}

#[derive(Serialize)]
struct Written<'a> {
    format: &'static str,
    version: u32,
    #[serde(flatten)]
    sheet: &'a Sheet,
}

/// A sheet as text: one object.
pub fn export_sheet(sheet: &Sheet) -> serde_json::Value {
    let written = Written {
        format: FORMAT.0,
        version: FORMAT.1,
        sheet,
    };
    // Texts and numbers can always be written.
    serde_json::to_value(&written).unwrap_or_default()
}

/// The sheets of a file, no link followed.
///
/// # Errors
/// When it can't be read, is no file or too long, or what is in it is no job sheet.
pub fn read_sheets(file: &Path) -> Result<Vec<Sheet>, ImportError> {
    // A pipe of that name would be waited for.
    if !fs::symlink_metadata(file)?.is_file() {
        return Err(ImportError::NoFile);
    }
    let mut text = String::new();
    let opened = fs::File::open(file)?;
    let read = opened.take(MOST_IMPORTED + 1).read_to_string(&mut text)?;
    if read as u64 > MOST_IMPORTED {
        return Err(ImportError::TooLong);
    }
    import_sheets(&text)
}

/// The sheets of a text: one object after the other.
///
/// # Errors
/// When one of them is none, or of another version.
pub fn import_sheets(text: &str) -> Result<Vec<Sheet>, ImportError> {
    let no_sheet = |error: serde_json::Error| ImportError::NoSheet(error.to_string());
    // Its parts stay as they are written until the whole is known to be a sheet: there may be many.
    let objects =
        serde_json::Deserializer::from_str(text).into_iter::<BTreeMap<String, &RawValue>>();
    let mut sheets = Vec::new();
    for object in objects {
        let mut parts = object.map_err(no_sheet)?;
        let format = parts.remove("format").map(RawValue::get);
        let format: String = serde_json::from_str(format.unwrap_or("\"\"")).map_err(no_sheet)?;
        if format != FORMAT.0 {
            return Err(ImportError::NoSheet(format!("it says \"{format}\"")));
        }
        let version = parts.remove("version").map(RawValue::get);
        if version != Some(FORMAT.1.to_string().as_str()) {
            return Err(ImportError::OtherVersion);
        }
        let parts = serde_json::to_string(&parts).map_err(no_sheet)?;
        let sheet: Sheet = serde_json::from_str(&parts).map_err(no_sheet)?;
        if sheet.identity.is_empty() || sheet.identity.len() > 4096 {
            return Err(ImportError::NoSheet("it names no computer".to_owned()));
        }
        sheets.push(sheet);
    }
    Ok(sheets)
}
