//! Where the space is, for other programs: one line a folder or file, down to a thousandth of the whole.

use std::io::{self, Write};

use csv::{Terminator, WriterBuilder};
use jiff::Timestamp;
use serde::Serialize;

use crate::computer::WrittenPath;
use crate::format::write_json;
use crate::report::Form;
use crate::report::cell::cell;
use crate::survey::{Part, Space};
use crate::walk::FolderNumber;

/// What is smaller than one part in so many of the whole has no line of its own.
const SMALLEST: u64 = 1_000;

/// The first row.
const COLUMNS: [&str; 6] = ["path", "kind", "bytes", "files", "changed", "touched"];

/// A line of it.
#[derive(Serialize)]
struct Row {
    #[serde(flatten)]
    path: WrittenPath,
    kind: &'static str,
    bytes: u64,
    files: u64,
    changed: Option<String>,
    touched: Option<String>,
}

/// The parts of a folder that have a line: itself first, and the largest first on each level.
pub fn space_rows(space: &Space, start: FolderNumber) -> Vec<Part> {
    let whole = space.held(Part::Folder(start)).bytes;
    space.rows(start, whole.div_ceil(SMALLEST).max(1))
}

/// Writes them: as a table (RFC 4180), or as one JSON object a line.
///
/// # Errors
/// What the file says.
pub fn write_space(
    space: &Space,
    start: FolderNumber,
    form: Form,
    out: &mut dyn Write,
) -> io::Result<()> {
    let rows = space_rows(space, start);
    let rows = rows.into_iter().map(|part| row(space, part));
    match form {
        Form::Object => {
            for row in rows {
                write_json(&mut *out, &row)?;
                writeln!(out)?;
            }
            Ok(())
        }
        Form::Table => {
            let mut table = WriterBuilder::new()
                .terminator(Terminator::CRLF)
                .from_writer(out);
            table.write_record(COLUMNS)?;
            for row in rows {
                let time = |at: Option<String>| at.unwrap_or_default();
                table.write_record([
                    cell(row.path.path.as_bytes()),
                    row.kind.to_owned(),
                    row.bytes.to_string(),
                    row.files.to_string(),
                    time(row.changed),
                    time(row.touched),
                ])?;
            }
            table.flush()
        }
    }
}

fn row(space: &Space, part: Part) -> Row {
    let held = space.held(part);
    let path = space.path(part);
    let time = |at: i64| Timestamp::from_second(at).ok().map(|at| at.to_string());
    Row {
        path: if path.is_root() {
            WrittenPath {
                path: path.to_string(),
                path_base64: None,
            }
        } else {
            WrittenPath::from(&path)
        },
        kind: match part {
            Part::Folder(_) => "folder",
            Part::File(_) => "file",
        },
        bytes: held.bytes,
        files: held.files,
        changed: time(held.changed),
        touched: held.touched.and_then(time),
    }
}
