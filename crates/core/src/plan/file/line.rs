//! A line of a plan: items that follow each other in one folder, each as a short list.

use std::sync::Arc;

use jolly_disk::{FileKey, Stamp};
use serde::{Deserialize, Serialize};

use crate::computer::{AccountName, EntryKind, TargetPath, WrittenPath};
use crate::plan::items::columns::Columns;
use crate::plan::{FileIdentity, ListEntry, ManifestItem};
use crate::rule::{ListFormat, Removal, RuleId};
use crate::source::Fingerprint;

/// Items in one line at most.
const MOST_IN_LINE: usize = 512;

/// Items that follow each other in one folder.
#[derive(Serialize, Deserialize)]
pub(in crate::plan) struct FolderLine {
    /// The folder.
    #[serde(flatten)]
    folder: WrittenPath,
    rule: RuleId,
    #[serde(default, skip_serializing_if = "Option::is_none")]
    account: Option<AccountName>,
    by: Removal,
    device: u64,
    /// What goes whole or stays, and that they are a part of.
    #[serde(default, skip_serializing_if = "Option::is_none")]
    unit: Option<WrittenPath>,
    /// Of a list, of which the items are entries: its format and length.
    #[serde(default, skip_serializing_if = "Option::is_none")]
    list: Option<(ListFormat, u64)>,
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
    /// "link" or "folder"; what is in a list is an entry.
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
    /// Which entry of its list it is.
    #[serde(default, skip_serializing_if = "Option::is_none")]
    entry: Option<Fingerprint>,
}

impl FolderLine {
    /// The line that begins with an item, with those of `rest` that go into it.
    pub(in crate::plan) fn beginning(
        first: &ManifestItem,
        rest: &mut std::iter::Peekable<impl Iterator<Item = ManifestItem>>,
    ) -> Self {
        let folder = folder_of(first);
        let mut line = Self {
            folder: WrittenPath::from(&folder),
            rule: first.rule.clone(),
            account: first.account.clone(),
            by: first.by,
            device: first.identity.key.device,
            unit: first.unit.as_deref().map(WrittenPath::from),
            list: list_of(first),
            items: vec![PlanItem::from(first)],
        };
        let is_like = |item: &ManifestItem| {
            item.rule == first.rule
                && item.account == first.account
                && item.by == first.by
                && item.identity.key.device == first.identity.key.device
                && item.unit == first.unit
                && list_of(item) == list_of(first)
                && folder_of(item) == folder
        };
        while line.items.len() < MOST_IN_LINE
            && let Some(item) = rest.next_if(is_like)
        {
            line.items.push(PlanItem::from(&item));
        }
        line
    }
}

fn folder_of(item: &ManifestItem) -> TargetPath {
    item.path.parent().unwrap_or_default()
}

fn list_of(item: &ManifestItem) -> Option<(ListFormat, u64)> {
    item.entry.map(|entry| (entry.list, item.identity.size))
}

/// Adds the items of one line.
pub(in crate::plan) fn add_line(text: &[u8], items: &mut Columns) -> Result<(), String> {
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
            None if line.list.is_some() => EntryKind::ListEntry,
            None => EntryKind::File,
            Some("link") => EntryKind::Link,
            Some("folder") => EntryKind::Folder,
            Some(other) => return Err(format!("\"{other}\" is not a kind of item")),
        };
        let entry = match (kind, line.list, rest.entry) {
            (EntryKind::ListEntry, Some((list, _)), Some(entry)) => Some(ListEntry { list, entry }),
            (EntryKind::ListEntry, ..) | (_, Some(_), _) | (_, _, Some(_)) => {
                return Err(
                    "an entry stands outside of a list, or a list holds something else".to_owned(),
                );
            }
            _ => None,
        };
        let stamp = |(seconds, nanos): (i64, u32)| Stamp { seconds, nanos };
        items.push(&ManifestItem {
            rule: line.rule.clone(),
            account: line.account.clone(),
            kind,
            path: if name.is_root() {
                folder.clone()
            } else {
                (folder.join(name.as_bytes())).map_err(|error| error.to_string())?
            },
            entry,
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
                size: match (kind, line.list) {
                    (EntryKind::Folder, _) => 0,
                    (_, Some((_, list))) => list,
                    (_, None) => size,
                },
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
                EntryKind::File | EntryKind::ListEntry => None,
                EntryKind::Link => Some("link".to_owned()),
                EntryKind::Folder => Some("folder".to_owned()),
            },
            bytes: unless(item.bytes == item.held).map(|()| item.bytes),
            links: unless(identity.links == 1).map(|()| identity.links),
            time: unless(item.time == modified.seconds.max(changed.seconds)).map(|()| item.time),
            after: item.after.as_ref().map(WrittenPath::from),
            entry: item.entry.map(|entry| entry.entry),
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
