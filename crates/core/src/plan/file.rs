//! The plan that a sweep carries out: a manifest as JSON Lines, sealed.
//!
//! A line holds items that follow each other in one folder, each as a short list; so an item takes some ninety bytes.

use std::io::{self, BufRead, Read, Write};
use std::sync::Arc;

use jolly_disk::{FileKey, Stamp};
use serde::{Deserialize, Serialize};

use crate::computer::{EntryKind, TargetPath, WrittenPath};
use crate::format::write_json;
use crate::plan::header::Header;
use crate::plan::{FileIdentity, Items, Manifest, ManifestItem};
use crate::rule::Removal;

const FORMAT: (&str, u32) = ("jolly-broom/plan", 1);

/// Items in one line at most.
const MOST_IN_LINE: usize = 512;

/// A longer line, in bytes, is none of a plan.
const LONGEST_LINE: u64 = 16 << 20;

/// The most that is read of a plan, in bytes; the default is 4 GiB, some 10 million items.
#[derive(Clone, Copy, Debug)]
pub struct MostRead(pub u64);

impl Default for MostRead {
    fn default() -> Self {
        Self(4 << 30)
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

/// Items that follow each other in one folder.
#[derive(Serialize, Deserialize)]
struct FolderLine {
    /// The folder.
    #[serde(flatten)]
    folder: WrittenPath,
    rule: Arc<str>,
    #[serde(default, skip_serializing_if = "Option::is_none")]
    account: Option<Arc<str>>,
    by: Removal,
    device: u64,
    /// What goes whole or stays, and that they are a part of.
    #[serde(default, skip_serializing_if = "Option::is_none")]
    unit: Option<WrittenPath>,
    items: Vec<PlanItem>,
}

/// One item: name, inode, what it holds, length, last modification and last change; and what few have.
#[derive(Serialize, Deserialize)]
#[serde(untagged)]
enum PlanItem {
    Plain(Numbers),
    Other(Numbers, Box<Rest>),
}

type Numbers = (String, u64, u64, u64, (i64, u32), (i64, u32));

/// What of an item doesn't go without saying.
#[derive(Default, PartialEq, Eq, Serialize, Deserialize)]
#[serde(deny_unknown_fields)]
struct Rest {
    /// The name's exact bytes, where it isn't text.
    #[serde(default, skip_serializing_if = "Option::is_none")]
    name_base64: Option<String>,
    /// "link" or "folder".
    #[serde(default, skip_serializing_if = "Option::is_none")]
    kind: Option<String>,
    /// What it frees, if not all that it holds.
    #[serde(default, skip_serializing_if = "Option::is_none")]
    bytes: Option<u64>,
    /// How many names it has, if not one.
    #[serde(default, skip_serializing_if = "Option::is_none")]
    links: Option<u32>,
    /// What its age counts from, if not the later of modification and change.
    #[serde(default, skip_serializing_if = "Option::is_none")]
    time: Option<i64>,
    /// What must be gone before it.
    #[serde(default, skip_serializing_if = "Option::is_none")]
    after: Option<WrittenPath>,
}

#[derive(Serialize, Deserialize)]
#[serde(deny_unknown_fields)]
struct Seal {
    seal: String,
}

/// Hashes what passes.
struct Sealing<'a> {
    out: &'a mut dyn Write,
    hasher: blake3::Hasher,
}

impl Write for Sealing<'_> {
    fn write(&mut self, bytes: &[u8]) -> io::Result<usize> {
        let written = self.out.write(bytes)?;
        self.hasher.update(bytes.get(..written).unwrap_or_default());
        Ok(written)
    }

    fn flush(&mut self) -> io::Result<()> {
        self.out.flush()
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
    };
    write_line(&mut sealing, &Header::of(manifest, FORMAT))?;
    let mut items = manifest.items.iter().peekable();
    while let Some(first) = items.next() {
        let folder = folder_of(&first);
        let mut line = FolderLine {
            folder: WrittenPath::from(&folder),
            rule: Arc::clone(&first.rule),
            account: first.account.clone(),
            by: first.by,
            device: first.identity.key.device,
            unit: first.unit.as_deref().map(WrittenPath::from),
            items: vec![PlanItem::from(&first)],
        };
        let is_like = |item: &ManifestItem| {
            item.rule == first.rule
                && item.account == first.account
                && item.by == first.by
                && item.identity.key.device == first.identity.key.device
                && item.unit == first.unit
                && folder_of(item) == folder
        };
        while line.items.len() < MOST_IN_LINE
            && let Some(item) = items.next_if(is_like)
        {
            line.items.push(PlanItem::from(&item));
        }
        write_line(&mut sealing, &line)?;
    }
    let seal = sealing.hasher.finalize().to_hex().to_string();
    write_line(out, &Seal { seal })
}

fn folder_of(item: &ManifestItem) -> TargetPath {
    item.path.parent().unwrap_or_default()
}

fn write_line(out: &mut dyn Write, value: &impl Serialize) -> io::Result<()> {
    write_json(&mut *out, value)?;
    out.write_all(b"\n")
}

/// Reads a plan back, and refuses one that is altered or cut short.
///
/// # Errors
/// When it can't be read, a line is none of a plan, or its seal doesn't fit.
pub fn read_plan(plan: impl Read, most: MostRead) -> Result<Manifest, PlanError> {
    let mut reader = io::BufReader::new(plan.take(most.0));
    let mut hasher = blake3::Hasher::new();
    let mut header: Option<Header> = None;
    let mut items = Items::default();
    let mut is_sealed = false;
    let mut text = Vec::new();
    for line in 1.. {
        text.clear();
        let read = (&mut reader)
            .take(LONGEST_LINE)
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
            add_line(&text, &mut items).map_err(malformed)?;
        }
    }
    match header {
        Some(header) if is_sealed => Ok(header.into_manifest(items)),
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

/// Adds the items of one line.
fn add_line(text: &[u8], items: &mut Items) -> Result<(), String> {
    let line: FolderLine = serde_json::from_slice(text).map_err(|error| error.to_string())?;
    let path =
        |written: &WrittenPath| TargetPath::try_from(written).map_err(|error| error.to_string());
    let folder = path(&line.folder)?;
    let unit = line.unit.as_ref().map(path).transpose()?.map(Arc::new);
    for item in line.items {
        let ((name, inode, held, size, modified, changed), rest) = match item {
            PlanItem::Plain(numbers) => (numbers, Box::default()),
            PlanItem::Other(numbers, rest) => (numbers, rest),
        };
        let name = path(&WrittenPath {
            path: name,
            path_base64: rest.name_base64,
        })?;
        if name.as_bytes().contains(&b'/') {
            return Err("a name holds a slash".to_owned());
        }
        let kind = match rest.kind.as_deref() {
            None => EntryKind::File,
            Some("link") => EntryKind::Link,
            Some("folder") => EntryKind::Folder,
            Some(other) => return Err(format!("\"{other}\" is not a kind of item")),
        };
        let stamp = |(seconds, nanos): (i64, u32)| Stamp { seconds, nanos };
        items.push(&ManifestItem {
            rule: Arc::clone(&line.rule),
            account: line.account.clone(),
            kind,
            path: if name.is_root() {
                folder.clone()
            } else {
                (folder.join(name.as_bytes())).map_err(|error| error.to_string())?
            },
            by: line.by,
            bytes: rest.bytes.unwrap_or(held),
            held,
            size,
            time: rest.time.unwrap_or(modified.0.max(changed.0)),
            identity: FileIdentity {
                key: FileKey {
                    device: line.device,
                    inode,
                },
                // A folder's own blocks say nothing of which it is.
                size: if kind == EntryKind::Folder { 0 } else { size },
                modified: stamp(modified),
                changed: stamp(changed),
                links: rest.links.unwrap_or(1),
            },
            after: rest.after.as_ref().map(path).transpose()?,
            unit: unit.clone(),
        });
    }
    Ok(())
}

impl From<&ManifestItem> for PlanItem {
    fn from(item: &ManifestItem) -> Self {
        let identity = &item.identity;
        let name = TargetPath::new(item.path.name()).unwrap_or_default();
        let name = WrittenPath::from(&name);
        let (modified, changed) = (identity.modified, identity.changed);
        let unless = |is_usual: bool| (!is_usual).then_some(());
        let rest = Rest {
            name_base64: name.path_base64,
            kind: match item.kind {
                EntryKind::File => None,
                EntryKind::Link => Some("link".to_owned()),
                EntryKind::Folder => Some("folder".to_owned()),
            },
            bytes: unless(item.bytes == item.held).map(|()| item.bytes),
            links: unless(identity.links == 1).map(|()| identity.links),
            time: unless(item.time == modified.seconds.max(changed.seconds)).map(|()| item.time),
            after: item.after.as_ref().map(WrittenPath::from),
        };
        let stamp = |stamp: Stamp| (stamp.seconds, stamp.nanos);
        let numbers = (
            name.path,
            identity.key.inode,
            item.held,
            item.size,
            stamp(modified),
            stamp(changed),
        );
        if rest == Rest::default() {
            Self::Plain(numbers)
        } else {
            Self::Other(numbers, Box::new(rest))
        }
    }
}
