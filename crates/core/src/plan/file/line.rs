//! A line of a plan: items that follow each other in one folder, each as a short list.

use std::fmt;
use std::sync::Arc;

use jolly_disk::{FileKey, Stamp};
use serde::de::value::SeqAccessDeserializer;
use serde::de::{Error as DeError, IgnoredAny, SeqAccess, Visitor};
use serde::{Deserialize, Deserializer, Serialize};

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
#[derive(Serialize)]
#[serde(untagged)]
enum PlanItem {
    Plain(Numbers),
    Other(Numbers, Box<Rest>),
}

/// Told apart by their first piece, so that nothing of the millions is kept to be tried twice.
impl<'de> Deserialize<'de> for PlanItem {
    fn deserialize<D: Deserializer<'de>>(from: D) -> Result<Self, D::Error> {
        from.deserialize_seq(ItemVisitor)
    }
}

struct ItemVisitor;

impl<'de> Visitor<'de> for ItemVisitor {
    type Value = PlanItem;

    fn expecting(&self, out: &mut fmt::Formatter<'_>) -> fmt::Result {
        out.write_str("an item of a plan")
    }

    fn visit_seq<A: SeqAccess<'de>>(self, mut pieces: A) -> Result<PlanItem, A::Error> {
        let short = || A::Error::custom("an item of a plan is cut short");
        let first: FirstPiece = pieces.next_element()?.ok_or_else(short)?;
        let item = match first {
            FirstPiece::All(numbers) => {
                let rest = pieces.next_element()?.ok_or_else(short)?;
                PlanItem::Other(*numbers, rest)
            }
            FirstPiece::Name(name) => PlanItem::Plain((
                name,
                pieces.next_element()?.ok_or_else(short)?,
                pieces.next_element()?.ok_or_else(short)?,
                pieces.next_element()?.ok_or_else(short)?,
                pieces.next_element()?.ok_or_else(short)?,
                pieces.next_element()?.ok_or_else(short)?,
            )),
        };
        match pieces.next_element::<IgnoredAny>()? {
            None => Ok(item),
            Some(_) => Err(A::Error::custom("an item of a plan is too long")),
        }
    }
}

/// What an item begins with: its name, or a list of all its numbers.
enum FirstPiece {
    Name(String),
    All(Box<Numbers>),
}

impl<'de> Deserialize<'de> for FirstPiece {
    fn deserialize<D: Deserializer<'de>>(from: D) -> Result<Self, D::Error> {
        from.deserialize_any(FirstVisitor)
    }
}

struct FirstVisitor;

impl<'de> Visitor<'de> for FirstVisitor {
    type Value = FirstPiece;

    fn expecting(&self, out: &mut fmt::Formatter<'_>) -> fmt::Result {
        out.write_str("a name, or what is known of an item")
    }

    fn visit_str<E: DeError>(self, name: &str) -> Result<FirstPiece, E> {
        Ok(FirstPiece::Name(name.to_owned()))
    }

    fn visit_seq<A: SeqAccess<'de>>(self, pieces: A) -> Result<FirstPiece, A::Error> {
        let numbers = Numbers::deserialize(SeqAccessDeserializer::new(pieces))?;
        Ok(FirstPiece::All(Box::new(numbers)))
    }
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
        let mut line = Self {
            folder: WrittenPath::from(&first.path.parent().unwrap_or_default()),
            rule: first.rule.clone(),
            account: first.account.clone(),
            by: first.by,
            device: first.identity.key.device,
            unit: first.unit.as_deref().map(WrittenPath::from),
            list: list_of(first),
            items: vec![PlanItem::from(first)],
        };
        let is_like = |item: &ManifestItem| {
            item.rule.is_same(&first.rule)
                && item.account == first.account
                && item.by == first.by
                && item.identity.key.device == first.identity.key.device
                && item.unit == first.unit
                && list_of(item) == list_of(first)
                && item.path.folder_bytes() == first.path.folder_bytes()
        };
        while line.items.len() < MOST_IN_LINE
            && let Some(item) = rest.next_if(is_like)
        {
            line.items.push(PlanItem::from(&item));
        }
        line
    }
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
        let name = WrittenPath::from(item.path.name());
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
