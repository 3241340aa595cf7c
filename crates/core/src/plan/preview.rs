//! A manifest as `preview --json` prints it: a header, then one object an item.

use std::io::{self, Write};

use jiff::Timestamp;
use jolly_disk::Stamp;
use serde::Serialize;

use crate::computer::{AccountName, EntryKind, WrittenPath};
use crate::format::write_json;
use crate::plan::WrittenPlace;
use crate::plan::header::Header;
use crate::plan::{Manifest, ManifestItem};
use crate::rule::{Removal, RuleId};

const FORMAT: (&str, u32) = ("jolly-broom/preview", 1);

/// One item; of an entry, `path` is its list.
#[derive(Serialize)]
struct Line {
    rule: RuleId,
    account: Option<AccountName>,
    kind: &'static str,
    #[serde(flatten)]
    place: WrittenPlace,
    bytes: u64,
    held: u64,
    size: u64,
    time: Timestamp,
    by: Removal,
    identity: LineIdentity,
    #[serde(skip_serializing_if = "Option::is_none")]
    after: Option<WrittenPath>,
    #[serde(skip_serializing_if = "Option::is_none")]
    unit: Option<WrittenPath>,
}

#[derive(Serialize)]
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

/// Writes a manifest as JSON Lines: a header, then one line an item.
///
/// # Errors
/// What the writer says.
pub fn write_preview(manifest: &Manifest, out: &mut dyn Write) -> io::Result<()> {
    write_line(out, &Header::of(manifest, FORMAT))?;
    let mut items = manifest.items.iter();
    items.try_for_each(|item| write_line(out, &Line::from(&item)))
}

fn write_line(out: &mut dyn Write, value: &impl Serialize) -> io::Result<()> {
    write_json(&mut *out, value)?;
    out.write_all(b"\n")
}

impl From<&ManifestItem> for Line {
    fn from(item: &ManifestItem) -> Self {
        let stamp = |stamp: Stamp| (stamp.seconds, stamp.nanos);
        let identity = &item.identity;
        Self {
            rule: item.rule.clone(),
            account: item.account.clone(),
            kind: match item.kind {
                EntryKind::Folder => "folder",
                EntryKind::File => "file",
                EntryKind::Link => "link",
                EntryKind::ListEntry => item.entry.map_or("entry", |entry| entry.list.item_name()),
            },
            place: WrittenPlace::of(&item.path, item.entry.map(|entry| entry.list)),
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
