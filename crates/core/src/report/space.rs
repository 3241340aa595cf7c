//! Where the space is, for other programs: one line a folder or file, down to a thousandth of the whole.

use std::io::{self, Write};

use csv::{Terminator, WriterBuilder};
use jiff::Timestamp;
use serde::{Deserialize, Serialize};

use crate::computer::{TargetPath, WrittenPath};
use crate::format::write_json;
use crate::report::Form;
use crate::report::form::cell::cell;
use crate::survey::{Part, Space, SpaceBefore};
use crate::walk::FolderNumber;

/// What is smaller than one part in so many of the whole has no line of its own.
const SMALLEST: u64 = 1_000;

/// What the note of a look is, and its version.
const FORMAT: (&str, u32) = ("jolly-broom/space", 1);

/// The first row.
const COLUMNS: [&str; 6] = ["path", "kind", "bytes", "files", "changed", "touched"];

/// The first line of the note of a look.
#[derive(Serialize, Deserialize)]
struct Head {
    format: String,
    version: u32,
    when: Timestamp,
    least: u64,
}

/// What a note has of each folder and file.
#[derive(Serialize, Deserialize)]
struct Noted {
    #[serde(flatten)]
    path: WrittenPath,
    bytes: u64,
}

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

/// What a look at all of a target found, to be held against the next one: JSON Lines, its head first.
///
/// # Errors
/// When something can't be written as JSON.
pub fn note_of_look(space: &Space, when: Timestamp) -> io::Result<String> {
    let start = FolderNumber::ROOT;
    let mut note = Vec::new();
    let head = Head {
        format: FORMAT.0.to_owned(),
        version: FORMAT.1,
        when,
        least: least_of(space, start),
    };
    write_json(&mut note, &head)?;
    note.push(b'\n');
    for part in space_rows(space, start) {
        let noted = Noted {
            path: WrittenPath::from(&space.path(part)),
            bytes: space.held(part).bytes,
        };
        write_json(&mut note, &noted)?;
        note.push(b'\n');
    }
    String::from_utf8(note).map_err(io::Error::other)
}

/// Reads such a note; nothing of what is none, for it only tells what grew.
pub fn read_look(text: &str) -> Option<SpaceBefore> {
    let mut lines = text.lines();
    let head: Head = serde_json::from_str(lines.next()?).ok()?;
    if (head.format.as_str(), head.version) != FORMAT {
        return None;
    }
    let held = lines.map(|line| {
        let noted: Noted = serde_json::from_str(line).ok()?;
        Some((TargetPath::try_from(&noted.path).ok()?, noted.bytes))
    });
    Some(SpaceBefore {
        when: head.when,
        least: head.least,
        held: held.collect::<Option<_>>()?,
    })
}

fn least_of(space: &Space, start: FolderNumber) -> u64 {
    let whole = space.held(Part::Folder(start)).bytes;
    whole.div_ceil(SMALLEST).max(1)
}

/// The parts of a folder that have a line: itself first, and the largest first on each level.
pub fn space_rows(space: &Space, start: FolderNumber) -> Vec<Part> {
    space.rows(start, least_of(space, start))
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
