//! Manifests as JSON Lines: what `preview` prints, and the plan that a sweep carries out.

use crate::plan::Items;
use std::io::{self, BufRead, Read, Write};
use std::sync::Arc;

use jiff::Timestamp;
use jolly_disk::{FileKey, Stamp};
use serde::{Deserialize, Serialize};

use crate::computer::{EntryKind, Layout, TargetPath, WrittenPath};
use crate::format::write_json;
use crate::pile::Sum;
use crate::plan::{FileIdentity, Manifest, ManifestItem, TargetMark};
use crate::rule::Removal;

const FORMAT: &str = "jolly-broom/preview";
const VERSION: u32 = 1;

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

#[derive(Serialize, Deserialize)]
#[serde(deny_unknown_fields)]
struct Header {
    format: String,
    version: u32,
    target: HeaderTarget,
    now: Timestamp,
    rules: String,
    totals: HeaderSum,
    folders: HeaderSum,
    #[serde(default)]
    partial: bool,
    boot: String,
}

#[derive(Serialize, Deserialize)]
#[serde(deny_unknown_fields)]
struct HeaderTarget {
    root: String,
    layout: Layout,
    label: String,
    identity: String,
    device: u64,
    inode: u64,
}

#[derive(Serialize, Deserialize)]
#[serde(deny_unknown_fields)]
struct HeaderSum {
    items: u64,
    bytes: u64,
}

/// One item; `kind` is one of the four that the command line knows, and a link is a file there.
#[derive(Serialize, Deserialize)]
struct Line {
    rule: Arc<str>,
    account: Option<Arc<str>>,
    kind: String,
    #[serde(flatten)]
    path: WrittenPath,
    bytes: u64,
    held: u64,
    size: u64,
    time: Timestamp,
    by: Removal,
    identity: LineIdentity,
    #[serde(default, skip_serializing_if = "Option::is_none")]
    after: Option<WrittenPath>,
    #[serde(default, skip_serializing_if = "Option::is_none")]
    unit: Option<WrittenPath>,
}

#[derive(Serialize, Deserialize)]
#[serde(deny_unknown_fields)]
struct LineIdentity {
    device: u64,
    inode: u64,
    links: u32,
    is_link: bool,
    modified: (i64, u32),
    changed: (i64, u32),
    /// The exact time in seconds, which a calendar can't always hold.
    time: i64,
}

#[derive(Serialize, Deserialize)]
#[serde(deny_unknown_fields)]
struct Seal {
    seal: String,
}

/// Writes a manifest as `preview --json` prints it: a header, then one line an item.
///
/// # Errors
/// What the writer says.
pub fn write_preview(manifest: &Manifest, out: &mut dyn Write) -> io::Result<()> {
    write_line(out, &Header::from(manifest))?;
    let mut items = manifest.items.iter();
    items.try_for_each(|item| write_line(out, &Line::from(&item)))
}

/// Writes a manifest as a plan: the preview, and a seal over it.
///
/// # Errors
/// What the writer says.
pub fn write_plan(manifest: &Manifest, out: &mut dyn Write) -> io::Result<()> {
    let mut text = Vec::new();
    write_preview(manifest, &mut text)?;
    out.write_all(&text)?;
    write_line(
        out,
        &Seal {
            seal: blake3::hash(&text).to_hex().to_string(),
        },
    )
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
        let read = reader
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
            let read: Line =
                serde_json::from_slice(&text).map_err(|error| malformed(error.to_string()))?;
            items.push(&ManifestItem::try_from(read).map_err(malformed)?);
        }
    }
    match header {
        Some(header) if is_sealed => Ok(Manifest {
            target: TargetMark {
                root: header.target.root,
                key: FileKey {
                    device: header.target.device,
                    inode: header.target.inode,
                },
                identity: header.target.identity,
                layout: header.target.layout,
                label: header.target.label,
            },
            now: header.now,
            rules: header.rules,
            items,
            takes: Sum {
                items: header.totals.items,
                bytes: header.totals.bytes,
            },
            folders: Sum {
                items: header.folders.items,
                bytes: header.folders.bytes,
            },
            is_partial: header.partial,
            boot: header.boot,
        }),
        _ => Err(PlanError::Altered),
    }
}

fn header_of(text: &[u8]) -> Result<Header, String> {
    let read: Header = serde_json::from_slice(text).map_err(|error| error.to_string())?;
    if read.format != FORMAT || read.version != VERSION {
        return Err(format!("its format is {} {}", read.format, read.version));
    }
    Ok(read)
}

impl From<&Manifest> for Header {
    fn from(manifest: &Manifest) -> Self {
        let sum = |sum: Sum| HeaderSum {
            items: sum.items,
            bytes: sum.bytes,
        };
        Self {
            format: FORMAT.to_owned(),
            version: VERSION,
            target: HeaderTarget {
                root: manifest.target.root.clone(),
                layout: manifest.target.layout,
                label: manifest.target.label.clone(),
                identity: manifest.target.identity.clone(),
                device: manifest.target.key.device,
                inode: manifest.target.key.inode,
            },
            now: manifest.now,
            rules: manifest.rules.clone(),
            totals: sum(manifest.takes),
            folders: sum(manifest.folders),
            partial: manifest.is_partial,
            boot: manifest.boot.clone(),
        }
    }
}

impl From<&ManifestItem> for Line {
    fn from(item: &ManifestItem) -> Self {
        let stamp = |stamp: Stamp| (stamp.seconds, stamp.nanos);
        let identity = &item.identity;
        Self {
            rule: Arc::clone(&item.rule),
            account: item.account.clone(),
            kind: if item.kind == EntryKind::Folder {
                "folder"
            } else {
                "file"
            }
            .to_owned(),
            path: WrittenPath::from(&item.path),
            bytes: item.bytes,
            held: item.held,
            size: item.size,
            time: nearest(item.time),
            by: item.by,
            identity: LineIdentity {
                device: identity.key.device,
                inode: identity.key.inode,
                links: identity.links,
                is_link: item.kind == EntryKind::Link,
                modified: stamp(identity.modified),
                changed: stamp(identity.changed),
                time: item.time,
            },
            after: item.after.as_ref().map(WrittenPath::from),
            unit: item.unit.as_deref().map(WrittenPath::from),
        }
    }
}

/// The calendar holds some ten thousand years around now; a file's time may lie outside.
fn nearest(seconds: i64) -> Timestamp {
    let (first, last) = (Timestamp::MIN.as_second(), Timestamp::MAX.as_second());
    Timestamp::from_second(seconds.clamp(first, last)).unwrap_or(Timestamp::UNIX_EPOCH)
}

impl TryFrom<Line> for ManifestItem {
    type Error = String;

    fn try_from(line: Line) -> Result<Self, String> {
        let stamp = |(seconds, nanos): (i64, u32)| Stamp { seconds, nanos };
        let words = |error: crate::computer::PathError| error.to_string();
        let kind = match (line.kind.as_str(), line.identity.is_link) {
            ("file", false) => EntryKind::File,
            ("file", true) => EntryKind::Link,
            ("folder", false) => EntryKind::Folder,
            _ => return Err(format!("\"{}\" is not a kind of item", line.kind)),
        };
        Ok(Self {
            kind,
            path: TargetPath::try_from(&line.path).map_err(words)?,
            after: line
                .after
                .as_ref()
                .map(TargetPath::try_from)
                .transpose()
                .map_err(words)?,
            unit: line
                .unit
                .as_ref()
                .map(TargetPath::try_from)
                .transpose()
                .map_err(words)?
                .map(Arc::new),
            identity: FileIdentity {
                key: FileKey {
                    device: line.identity.device,
                    inode: line.identity.inode,
                },
                // A folder's own blocks say nothing of which it is.
                size: if kind == EntryKind::Folder {
                    0
                } else {
                    line.size
                },
                modified: stamp(line.identity.modified),
                changed: stamp(line.identity.changed),
                links: line.identity.links,
            },
            rule: line.rule,
            account: line.account,
            by: line.by,
            bytes: line.bytes,
            held: line.held,
            size: line.size,
            time: line.identity.time,
        })
    }
}
