//! The exact list of what goes, each thing with its identity.

pub(super) mod safety_copies;
pub(super) mod sign_ins;

use std::borrow::Cow;
use std::collections::BTreeMap;
use std::sync::Arc;

use jiff::Timestamp;
use jolly_disk::FileKey;
use serde::{Deserialize, Serialize};

use crate::computer::{AccountName, EntryKind, Layout, Target, TargetPath};
use crate::pile::Sum;
use crate::plan::{FileIdentity, Items, shown_place};
use crate::rule::{ListFormat, Removal, RuleId};
use crate::source::Fingerprint;

/// One thing that goes.
#[derive(Clone, Debug, PartialEq, Eq)]
pub struct ManifestItem {
    /// The rule that has it.
    pub rule: RuleId,
    /// Whose it is; none for the system.
    pub account: Option<AccountName>,
    /// What it is.
    pub kind: EntryKind,
    /// Where it is, below the target's root; an entry lies below its list, as if that were a folder.
    pub path: TargetPath,
    /// Which entry of its list it is, if it is one.
    pub entry: Option<ListEntry>,
    /// How it goes.
    pub by: Removal,
    /// What it frees; nothing for a folder, whose own blocks are counted apart.
    pub bytes: u64,
    /// What it holds on the disk: less than its length where it has holes.
    pub held: u64,
    /// Its apparent length; of a folder the blocks that it holds itself.
    pub size: u64,
    /// The time its age counts from, seconds since 1970.
    pub time: i64,
    /// What must still be so.
    pub identity: FileIdentity,
    /// What must be gone before it: for a trash's info file, what it describes.
    pub after: Option<TargetPath>,
    /// The folder that goes whole or stays, and that it is a part of.
    pub unit: Option<Arc<TargetPath>>,
}

/// What tells an entry from all others of its list.
#[derive(Clone, Copy, Debug, PartialEq, Eq, Serialize, Deserialize)]
pub struct ListEntry {
    /// The format of the list.
    pub list: ListFormat,
    /// What the entry was.
    pub entry: Fingerprint,
}

/// What a file that holds anything takes at least, in bytes.
const BLOCK: u64 = 512;

impl ManifestItem {
    /// Where it is, for people.
    pub fn shown(&self) -> String {
        shown_place(&self.path, self.entry.map(|entry| entry.list))
    }

    /// The file that must be touched for it to go: itself, or the list that it is an entry of.
    pub(crate) fn file(&self) -> Cow<'_, TargetPath> {
        match self.entry {
            None => Cow::Borrowed(&self.path),
            Some(_) => Cow::Owned(self.path.parent().unwrap_or_default()),
        }
    }

    /// Whether it is a row of a database.
    pub(crate) fn is_row(&self) -> bool {
        self.entry
            .is_some_and(|entry| entry.list == ListFormat::Rows)
    }

    /// Whether something is copied before it goes: of a row's profile what is dearest, of settings the whole holder.
    pub(crate) fn needs_copies(&self) -> bool {
        self.entry
            .is_some_and(|entry| entry.list == ListFormat::Rows || entry.list.is_copied_whole())
    }

    /// Whether it is a restore point.
    pub(crate) fn is_point(&self) -> bool {
        self.entry
            .is_some_and(|entry| entry.list == ListFormat::Snapshots)
    }

    /// Whether it is a key or value of a registry.
    pub(crate) fn is_of_registry(&self) -> bool {
        self.entry
            .is_some_and(|entry| entry.list == ListFormat::Registry)
    }

    /// Bytes that it takes where it is set aside: holes take none.
    pub(crate) fn stored(&self) -> u64 {
        stored(self.size, self.held)
    }
}

/// Bytes that something takes where it is set aside, of its length and what it holds.
pub(super) fn stored(size: u64, held: u64) -> u64 {
    size.min(held.max(BLOCK))
}

/// Which target a manifest was made for.
#[derive(Clone, Debug, PartialEq, Eq)]
pub struct TargetMark {
    /// The root's path on this machine, made harmless.
    pub root: String,
    /// Which folder the root is.
    pub key: FileKey,
    /// What tells the computer from others.
    pub identity: String,
    /// Its layout.
    pub layout: Layout,
    /// What the computer is called.
    pub label: String,
}

impl TargetMark {
    /// Whether another mark is of the same computer at the same place.
    pub fn is_same(&self, other: &Self) -> bool {
        self.key == other.key && self.root == other.root && self.identity == other.identity
    }

    /// The mark of an open target.
    pub fn of(target: &Target) -> Self {
        use std::os::unix::ffi::OsStrExt as _;
        let root = target.root_path().as_os_str().as_bytes();
        Self {
            root: crate::format::Printable(root).to_string(),
            key: target.key(),
            identity: target.identity().as_str().to_owned(),
            layout: target.layout,
            label: target.label.clone(),
        }
    }
}

/// The exact list that the decisions make.
///
/// # Invariants
/// No path stands in it twice. Each folder comes right after everything below it, and last what
/// describes something else, such as a trash's info files.
#[derive(Clone, Debug, PartialEq, Eq)]
pub struct Manifest {
    /// The target it was made for.
    pub target: TargetMark,
    /// The moment that ages were counted from.
    pub now: Timestamp,
    /// The digest of the rules that made it.
    pub rules: String,
    /// What goes, in the order in which it goes.
    pub items: Items,
    /// Files and links in it, and what they free.
    pub takes: Sum,
    /// Folders in it, and the blocks they hold themselves.
    pub folders: Sum,
    /// What lists give back beside what their entries promise, in bytes: they hold whole blocks.
    pub lists: i64,
    /// Whether the scan it was made from was stopped before its end.
    pub is_partial: bool,
    /// Whether some of it was found by a survey: before it goes, the survey has to find it again.
    pub is_surveyed: bool,
    /// The start of the machine that it was made in: device numbers mean nothing in another one.
    pub boot: String,
}

/// Bytes of a list that are hashed at once.
const DIGESTED: usize = 1 << 16;

/// A manifest that somebody has read and agreed to: the only thing that a sweep takes.
#[derive(Clone, Debug)]
pub struct ConfirmedManifest(Manifest);

impl Manifest {
    /// What tells this list from any other, BLAKE3 in hex: the target, the moment, the rules, and of
    /// each item where, how and what it is.
    pub fn digest(&self) -> String {
        let mut hasher = blake3::Hasher::new();
        // Handed over in large pieces: there are millions of small ones.
        let mut text = Vec::with_capacity(DIGESTED + 8192);
        let key = self.target.key;
        text.extend_from_slice(&key.device.to_le_bytes());
        text.extend_from_slice(&key.inode.to_le_bytes());
        text.extend_from_slice(self.now.to_string().as_bytes());
        text.extend_from_slice(self.rules.as_bytes());
        self.items.each_view(&mut |_, item| {
            let (path, identity) = (item.path_pieces(), item.identity());
            // Each path with its length, so that no two lists run together to the same bytes.
            let len: usize = path.iter().map(|piece| piece.len()).sum();
            text.extend_from_slice(&(len as u64).to_le_bytes());
            for piece in path {
                text.extend_from_slice(piece);
            }
            text.extend_from_slice(item.by().name().as_bytes());
            text.extend_from_slice(&identity.key.inode.to_le_bytes());
            text.extend_from_slice(&identity.size.to_le_bytes());
            text.extend_from_slice(&identity.changed.seconds.to_le_bytes());
            text.extend_from_slice(&identity.changed.nanos.to_le_bytes());
            if let Some(entry) = item.entry() {
                text.extend_from_slice(&entry.entry.to_bytes());
            }
            if text.len() >= DIGESTED {
                hasher.update(&text);
                text.clear();
            }
        });
        hasher.update(&text);
        hasher.finalize().to_hex().to_string()
    }

    /// How many files and links leave in each way, and what they free.
    pub fn takes_by_way(&self) -> BTreeMap<Removal, Sum> {
        let mut takes: BTreeMap<Removal, Sum> = BTreeMap::new();
        self.items.each_view(&mut |_, item| {
            if item.kind() != EntryKind::Folder {
                let (items, bytes) = (1, item.bytes());
                takes
                    .entry(item.by())
                    .or_default()
                    .add(Sum { items, bytes });
            }
        });
        takes
    }

    /// Says that a person has seen this list and agreed to it.
    pub fn confirm(self) -> ConfirmedManifest {
        ConfirmedManifest(self)
    }
}

impl ConfirmedManifest {
    /// The list.
    pub fn manifest(&self) -> &Manifest {
        &self.0
    }
}
