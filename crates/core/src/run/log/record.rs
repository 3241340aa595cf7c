//! The lines of a run's log.

use std::borrow::Cow;

use jiff::Timestamp;
use serde::{Deserialize, Serialize, Serializer};

use crate::computer::{AccountName, EntryKind, TargetPath, WrittenPath};
use crate::plan::{ListEntry, ManifestItem, Outcome};
use crate::rule::{Removal, RuleId};
use crate::state::RunId;

/// The format's name in the first line.
pub(crate) const FORMAT: &str = "jolly-broom/log";
pub(crate) const VERSION: u32 = 2;

/// One line of a journal, without its hashes.
#[derive(Clone, Debug, PartialEq, Eq, Serialize, Deserialize)]
#[serde(tag = "line", rename_all = "lowercase")]
pub(crate) enum Record {
    /// The first: which run this is.
    Start {
        format: String,
        version: u32,
        run: RunId,
        started: Timestamp,
        target: String,
        /// What tells the computer from others.
        identity: String,
        device: u64,
        inode: u64,
        layout: String,
        label: String,
        free: u64,
        items: u64,
        bytes: u64,
        /// Whether the scan was stopped before its end.
        #[serde(default)]
        partial: bool,
        /// The digest of the list that it carries out.
        #[serde(default)]
        manifest: String,
        /// The rehearsal that came before.
        #[serde(default, skip_serializing_if = "Option::is_none")]
        rehearsal: Option<RunId>,
    },
    /// What is about to be touched, a folder at a time. It is on the disk before the first touch.
    Intend {
        #[serde(flatten)]
        folder: WrittenPath,
        rule: RuleId,
        account: Option<AccountName>,
        by: Removal,
        /// The number of the first in the manifest, from 0; the others follow it.
        first: u64,
        /// The device that they lie on.
        device: u64,
        items: Vec<Intent>,
    },
    /// What became of intended items, by their numbers.
    Done { items: Vec<Done> },
    /// The last: how the run ended.
    Finish {
        state: String,
        ended: Timestamp,
        free: u64,
        /// How many items stayed; not told where nobody counted.
        #[serde(default, skip_serializing_if = "Option::is_none")]
        stayed: Option<u64>,
    },
}

/// A line, of which only what became of items is wanted.
#[derive(Deserialize)]
#[serde(tag = "line", rename_all = "lowercase")]
pub(crate) enum DoneLine {
    /// As of [`Record::Done`].
    Done { items: Vec<Done> },
    /// Any other.
    #[serde(other)]
    Other,
}

/// One intended item.
#[derive(Clone, Debug, PartialEq, Eq, Serialize, Deserialize)]
pub(crate) struct Intent {
    /// Its number in the manifest, from the line's first.
    #[serde(skip)]
    pub n: u64,
    #[serde(default = "file")]
    pub kind: String,
    #[serde(flatten)]
    pub name: WrittenPath,
    #[serde(default)]
    pub bytes: u64,
    /// Of the line, too.
    #[serde(skip)]
    pub device: u64,
    pub inode: u64,
    #[serde(default)]
    pub size: u64,
    pub changed: (i64, u32),
    /// Which entry of its list it is.
    #[serde(default, skip_serializing_if = "Option::is_none")]
    pub entry: Option<ListEntry>,
}

/// What became of one item, or of several that follow each other.
#[derive(Clone, Debug, PartialEq, Eq, Serialize, Deserialize)]
pub(crate) struct Done {
    pub n: u64,
    /// How many from `n` on.
    #[serde(default = "one", skip_serializing_if = "is_one")]
    pub many: u64,
    pub outcome: Outcome,
    /// What came back of each; none where it is what was intended.
    #[serde(default, skip_serializing_if = "Option::is_none")]
    pub bytes: Option<u64>,
    #[serde(default, skip_serializing_if = "String::is_empty")]
    pub reason: String,
}

fn file() -> String {
    "file".to_owned()
}

fn one() -> u64 {
    1
}

#[expect(clippy::trivially_copy_pass_by_ref, reason = "the serialiser asks so")]
fn is_one(many: &u64) -> bool {
    *many == 1
}

#[expect(clippy::trivially_copy_pass_by_ref, reason = "the serialiser asks so")]
fn is_nothing(bytes: &u64) -> bool {
    *bytes == 0
}

/// Items of one folder that are about to be touched, as they are written.
#[derive(Serialize)]
#[serde(tag = "line", rename = "intend")]
pub(crate) struct Intending<'a> {
    #[serde(flatten)]
    folder: WrittenPath,
    rule: &'a str,
    account: Option<&'a str>,
    by: Removal,
    first: u64,
    device: u64,
    #[serde(serialize_with = "one_by_one")]
    items: &'a [ManifestItem],
}

/// Writes items as they come: there are millions.
fn one_by_one<S: Serializer>(items: &[ManifestItem], to: S) -> Result<S::Ok, S::Error> {
    to.collect_seq(items.iter().map(IntendedItem::of))
}

/// One of them: an [`Intent`] that owns nothing, for there are millions.
#[derive(Serialize)]
struct IntendedItem<'a> {
    #[serde(skip_serializing_if = "Option::is_none")]
    kind: Option<&'static str>,
    path: Cow<'a, str>,
    #[serde(skip_serializing_if = "Option::is_none")]
    path_base64: Option<String>,
    #[serde(skip_serializing_if = "is_nothing")]
    bytes: u64,
    inode: u64,
    #[serde(skip_serializing_if = "is_nothing")]
    size: u64,
    changed: (i64, u32),
    #[serde(skip_serializing_if = "Option::is_none")]
    entry: Option<ListEntry>,
}

impl<'a> Intending<'a> {
    /// Items of one folder, of which the first has this number in the manifest.
    pub(crate) fn new(first: usize, items: &'a [ManifestItem]) -> Option<Self> {
        let item = items.first()?;
        Some(Self {
            folder: WrittenPath::from(&item.path.parent().unwrap_or_default()),
            rule: &item.rule,
            account: item.account.as_deref(),
            by: item.by,
            first: first as u64,
            device: item.identity.key.device,
            items,
        })
    }
}

impl<'a> IntendedItem<'a> {
    fn of(item: &'a ManifestItem) -> Self {
        let identity = &item.identity;
        let (path, path_base64) = if let Ok(name) = std::str::from_utf8(item.path.name()) {
            (Cow::Borrowed(name), None)
        } else {
            let name = TargetPath::new(item.path.name()).unwrap_or_default();
            let written = WrittenPath::from(&name);
            (Cow::Owned(written.path), written.path_base64)
        };
        Self {
            kind: match item.kind {
                EntryKind::File => None,
                EntryKind::Link => Some("link"),
                EntryKind::Folder => Some("folder"),
                EntryKind::ListEntry => {
                    Some(item.entry.map_or("entry", |entry| entry.list.item_name()))
                }
            },
            path,
            path_base64,
            bytes: item.bytes,
            inode: identity.key.inode,
            size: identity.size,
            changed: (identity.changed.seconds, identity.changed.nanos),
            entry: item.entry,
        }
    }
}
