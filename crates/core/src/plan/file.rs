//! The plan that a sweep carries out: a manifest as JSON Lines, sealed. A long one is carried out from where it lies: of
//! two million items a few thousand are in memory.

pub(super) mod line;

use std::io::{self, BufRead as _, Write};

use serde::{Deserialize, Serialize};

use crate::format::RandomAccess;
use crate::format::write_json;
use crate::plan::file::line::{FolderLine, add_line};
use crate::plan::header::Header;
use crate::plan::items::columns::Columns;
use crate::plan::items::stored::Blocks;
use crate::plan::{Items, Manifest};

const FORMAT: (&str, u32) = ("jolly-broom/plan", 1);

/// A longer line, in bytes, is none of a plan.
const LONGEST_LINE: u64 = 16 << 20;

/// How much of a plan is read.
#[derive(Clone, Copy, Debug)]
pub struct MostRead {
    /// A longer plan is refused, in bytes: 4 GiB are some 10 million items.
    pub bytes: u64,
    /// So many items are kept in memory; those of a longer plan are read where they lie, block by block.
    pub in_memory: usize,
}

impl Default for MostRead {
    fn default() -> Self {
        Self {
            bytes: 4 << 30,
            in_memory: 1 << 19,
        }
    }
}

/// Why a plan can't be used.
#[derive(Debug, thiserror::Error)]
#[expect(missing_docs, reason = "the message names the fields")]
pub enum PlanError {
    #[error("cannot read the plan")]
    Unreadable { source: io::Error },
    #[error("line {line} of the plan is not a plan's line: {message}")]
    Malformed { line: usize, message: String },
    #[error("the plan was altered after it was made, or is not whole")]
    Altered,
}

#[derive(Serialize, Deserialize)]
#[serde(deny_unknown_fields)]
struct Seal {
    seal: String,
}

/// Lines of a plan, which are hashed as they pass.
struct Sealing<'a> {
    out: &'a mut dyn Write,
    hasher: blake3::Hasher,
    line: Vec<u8>,
}

impl Sealing<'_> {
    /// Hands a line over in one piece: it is written by its letters.
    fn write_line(&mut self, value: &impl Serialize) -> io::Result<()> {
        self.line.clear();
        write_json(&mut self.line, value)?;
        self.line.push(b'\n');
        self.hasher.update(&self.line);
        self.out.write_all(&self.line)
    }
}

/// Writes a manifest as a plan, and a seal over it.
///
/// # Errors
/// What the writer says.
pub fn write_plan(manifest: &Manifest, out: &mut dyn Write) -> io::Result<()> {
    let mut sealing = Sealing {
        out,
        hasher: blake3::Hasher::new(),
        line: Vec::new(),
    };
    sealing.write_line(&Header::of(manifest, FORMAT))?;
    let mut items = manifest.items.iter().peekable();
    while let Some(first) = items.next() {
        sealing.write_line(&FolderLine::beginning(&first, &mut items))?;
    }
    let seal = sealing.hasher.finalize().to_hex().to_string();
    sealing.write_line(&Seal { seal })
}

/// Reads a plan through, and refuses one that is altered or cut short. The items of a long one stay where they are until
/// they are asked for; if it changes meanwhile, that ends a run before the next of them.
///
/// # Errors
/// When it can't be read, a line is none of a plan, or its seal doesn't fit.
pub fn read_plan(plan: impl Into<RandomAccess>, most: MostRead) -> Result<Manifest, PlanError> {
    let plan = plan.into();
    let mut reader = io::BufReader::new(plan.reader(most.bytes));
    let mut hasher = blake3::Hasher::new();
    let mut header: Option<Header> = None;
    let mut items = Blocks::default();
    let mut kept = Some(Columns::default());
    let mut is_sealed = false;
    let mut text = Vec::new();
    let mut at = 0_u64;
    for line in 1.. {
        text.clear();
        let read = io::Read::take(&mut reader, LONGEST_LINE)
            .read_until(b'\n', &mut text)
            .map_err(|source| PlanError::Unreadable { source })?;
        if read == 0 {
            break;
        }
        let malformed = |message: String| PlanError::Malformed { line, message };
        if is_sealed {
            return Err(PlanError::Altered);
        }
        if let Ok(seal) = serde_json::from_slice::<Seal>(&text) {
            is_sealed = seal.seal == hasher.finalize().to_hex().to_string()
                && text == format!("{{\"seal\":\"{}\"}}\n", seal.seal).into_bytes();
            if !is_sealed {
                return Err(PlanError::Altered);
            }
            continue;
        }
        hasher.update(&text);
        if header.is_none() {
            header = Some(header_of(&text).map_err(malformed)?);
        } else {
            let mut its = Columns::default();
            let into = kept.as_mut().unwrap_or(&mut its);
            let before = into.len();
            add_line(&text, into).map_err(malformed)?;
            items.note_line((at, &text), into.len() - before);
            kept = kept.filter(|kept| kept.len() <= most.in_memory);
        }
        at = at.saturating_add(text.len() as u64);
    }
    drop(reader);
    match header {
        Some(header) if is_sealed => Ok(header.into_manifest(match kept {
            Some(kept) => kept.into(),
            None => Items::stored(items.end(plan)),
        })),
        _ => Err(PlanError::Altered),
    }
}

fn header_of(text: &[u8]) -> Result<Header, String> {
    let read: Header = serde_json::from_slice(text).map_err(|error| error.to_string())?;
    if !read.is_of(FORMAT) {
        return Err("it is a plan of another version, or none".to_owned());
    }
    Ok(read)
}
