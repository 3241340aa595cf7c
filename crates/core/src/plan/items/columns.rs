//! Items in columns: there are millions.
//!
//! One takes eighty bytes and its name; the folder that it lies in, its rule, account and unit stand once for all that
//! follow each other in it. An item as a whole is made when it is asked for.

use std::collections::HashMap;
use std::ops::Range;
use std::sync::Arc;

use jolly_disk::{FileKey, Stamp};

use crate::computer::{AccountName, EntryKind, TargetPath};
use crate::plan::manifest::stored;
use crate::plan::{FileIdentity, ListEntry, ManifestItem};
use crate::rule::{Removal, RuleId};

/// How many names follow each other before where one starts is written down.
const STRIDE: usize = 64;

/// No account, no unit.
const NONE: u32 = u32::MAX;

/// What an item frees, where that isn't said by itself.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
enum Frees {
    Nothing,
    /// All that it holds.
    Held,
    /// What `Items::frees` says.
    Other,
}

#[derive(Clone, Copy, Debug, PartialEq, Eq)]
struct Row {
    inode: u64,
    size: u64,
    held: u64,
    modified: i64,
    changed: i64,
    time: i64,
    modified_nanos: u32,
    changed_nanos: u32,
    links: u32,
    folder: u32,
    account: u32,
    unit: u32,
    rule: u32,
    name_len: u16,
    kind: EntryKind,
    by: Removal,
    frees: Frees,
}

/// A folder or list in which items lie that follow each other, and the device that they are on.
#[derive(Clone, Debug, PartialEq, Eq)]
struct ItemFolder {
    path: TargetPath,
    device: u64,
    /// Of a list, its length.
    list_size: Option<u64>,
}

/// Items in the order in which they go.
#[derive(Clone, Debug, Default)]
pub(crate) struct Columns {
    rows: Vec<Row>,
    names: Vec<u8>,
    /// Where the names of every 64th row start.
    starts: Vec<u64>,
    folders: Vec<ItemFolder>,
    rules: Vec<RuleId>,
    accounts: Vec<AccountName>,
    units: Vec<Arc<TargetPath>>,
    /// What must be gone before an item, by its number.
    after: HashMap<usize, TargetPath>,
    frees: HashMap<usize, u64>,
    /// Which entries those items are that are entries, by their numbers, in order.
    entries: Vec<(usize, ListEntry)>,
    known: Known,
}

/// Numbers of what was seen before.
#[derive(Clone, Debug, Default)]
struct Known {
    rules: HashMap<RuleId, u32>,
    accounts: HashMap<AccountName, u32>,
    units: HashMap<Arc<TargetPath>, u32>,
}

/// The number of a thing, which is added when it is new.
fn number_of<T: Clone + Eq + std::hash::Hash>(
    all: &mut Vec<T>,
    known: &mut HashMap<T, u32>,
    one: &T,
) -> u32 {
    if let Some(number) = known.get(one) {
        return *number;
    }
    let number = u32::try_from(all.len()).unwrap_or(NONE);
    all.push(one.clone());
    known.insert(one.clone(), number);
    number
}

/// One item as it lies in the columns.
#[derive(Clone, Copy)]
pub(crate) struct ItemView<'a> {
    items: &'a Columns,
    row: &'a Row,
    number: usize,
    name: &'a [u8],
}

impl<'a> ItemView<'a> {
    /// The bytes of its path, in pieces that follow each other.
    pub(crate) fn path_pieces(&self) -> [&'a [u8]; 3] {
        let folder = self
            .folder()
            .map_or(&[][..], |folder| folder.path.as_bytes());
        match (folder.is_empty(), self.name.is_empty()) {
            (true, _) => [&[], &[], self.name],
            (false, true) => [folder, &[], &[]],
            (false, false) => [folder, b"/", self.name],
        }
    }

    fn folder(&self) -> Option<&'a ItemFolder> {
        self.items.folders.get(self.row.folder as usize)
    }

    /// The path of the folder, or of the list, that it lies in.
    pub(crate) fn folder_path(&self) -> &'a [u8] {
        self.folder().map_or(&[], |folder| folder.path.as_bytes())
    }

    pub(crate) fn kind(&self) -> EntryKind {
        self.row.kind
    }

    /// The rule that it names.
    pub(crate) fn rule(&self) -> Option<&'a RuleId> {
        self.items.rules.get(self.row.rule as usize)
    }

    pub(crate) fn key(&self) -> FileKey {
        FileKey {
            device: self.folder().map_or(0, |folder| folder.device),
            inode: self.row.inode,
        }
    }

    /// Bytes that it takes where it is set aside: holes take none.
    pub(crate) fn stored(&self) -> u64 {
        stored(self.row.size, self.row.held)
    }

    /// Its length, in bytes.
    pub(crate) fn size(&self) -> u64 {
        self.row.size
    }

    pub(crate) fn by(&self) -> Removal {
        self.row.by
    }

    pub(crate) fn unit(&self) -> Option<&'a Arc<TargetPath>> {
        self.items.units.get(self.row.unit as usize)
    }

    /// What has to go before it does.
    pub(crate) fn after(&self) -> Option<&'a TargetPath> {
        self.items.after.get(&self.number)
    }

    pub(crate) fn bytes(&self) -> u64 {
        match self.row.frees {
            Frees::Nothing => 0,
            Frees::Held => self.row.held,
            Frees::Other => self.items.frees.get(&self.number).copied().unwrap_or(0),
        }
    }

    pub(crate) fn identity(&self) -> FileIdentity {
        let row = self.row;
        FileIdentity {
            key: self.key(),
            // A folder's own blocks say nothing of which it is.
            size: match row.kind {
                EntryKind::Folder => 0,
                EntryKind::File | EntryKind::Link => row.size,
                EntryKind::ListEntry => self.folder().and_then(|it| it.list_size).unwrap_or(0),
            },
            modified: Stamp {
                seconds: row.modified,
                nanos: row.modified_nanos,
            },
            changed: Stamp {
                seconds: row.changed,
                nanos: row.changed_nanos,
            },
            links: row.links,
        }
    }

    /// Which entry of its list it is, if it is one.
    pub(crate) fn entry(&self) -> Option<ListEntry> {
        if self.row.kind != EntryKind::ListEntry {
            return None;
        }
        let entries = &self.items.entries;
        let at = entries.binary_search_by_key(&self.number, |(number, _)| *number);
        at.ok()
            .and_then(|at| entries.get(at))
            .map(|(_, entry)| *entry)
    }

    /// The item as a whole.
    pub(crate) fn item(&self) -> ManifestItem {
        let (items, row) = (self.items, self.row);
        let root = TargetPath::default();
        let folder = self.folder().map_or(&root, |folder| &folder.path);
        let path = match self.name {
            [] => folder.clone(),
            name => folder.with_plain(name),
        };
        ManifestItem {
            rule: items
                .rules
                .get(row.rule as usize)
                .cloned()
                .unwrap_or_default(),
            account: items.accounts.get(row.account as usize).cloned(),
            kind: row.kind,
            path,
            entry: self.entry(),
            by: row.by,
            bytes: self.bytes(),
            held: row.held,
            size: row.size,
            time: row.time,
            identity: self.identity(),
            after: items.after.get(&self.number).cloned(),
            unit: self.unit().cloned(),
        }
    }
}

impl Columns {
    /// Room for so many items whose names have so many bytes together.
    pub(crate) fn with_capacity(many: usize, names: usize) -> Self {
        Self {
            rows: Vec::with_capacity(many),
            names: Vec::with_capacity(names),
            starts: Vec::with_capacity(many / STRIDE + 1),
            ..Self::default()
        }
    }

    /// How many there are.
    pub(crate) fn len(&self) -> usize {
        self.rows.len()
    }

    /// Adds one at the end.
    pub(crate) fn push(&mut self, item: &ManifestItem) {
        let (folder, name) = match u16::try_from(item.path.name().len()) {
            Ok(1..) => (item.path.folder_bytes(), item.path.name()),
            // The root itself, or a name that no file system has: the whole path stands for the folder.
            _ => (item.path.as_bytes(), &[][..]),
        };
        let number = self.rows.len();
        let identity = &item.identity;
        let device = identity.key.device;
        let list_size = item.entry.map(|_| identity.size);
        let is_last = |last: &ItemFolder| {
            last.device == device && last.list_size == list_size && last.path.as_bytes() == folder
        };
        if !self.folders.last().is_some_and(is_last) {
            let path = if name.is_empty() {
                item.path.clone()
            } else {
                item.path.parent().unwrap_or_default()
            };
            self.folders.push(ItemFolder {
                path,
                device,
                list_size,
            });
        }
        let frees = match item.bytes {
            0 => Frees::Nothing,
            bytes if bytes == item.held => Frees::Held,
            bytes => {
                self.frees.insert(number, bytes);
                Frees::Other
            }
        };
        if let Some(entry) = item.entry {
            self.entries.push((number, entry));
        }
        if let Some(after) = &item.after {
            self.after.insert(number, after.clone());
        }
        if number.is_multiple_of(STRIDE) {
            self.starts.push(self.names.len() as u64);
        }
        self.names.extend_from_slice(name);
        let known = &mut self.known;
        self.rows.push(Row {
            inode: identity.key.inode,
            size: item.size,
            held: item.held,
            modified: identity.modified.seconds,
            changed: identity.changed.seconds,
            time: item.time,
            modified_nanos: identity.modified.nanos,
            changed_nanos: identity.changed.nanos,
            links: identity.links,
            folder: u32::try_from(self.folders.len() - 1).unwrap_or(NONE),
            account: (item.account.as_ref()).map_or(NONE, |account| {
                number_of(&mut self.accounts, &mut known.accounts, account)
            }),
            unit: (item.unit.as_ref()).map_or(NONE, |unit| {
                number_of(&mut self.units, &mut known.units, unit)
            }),
            rule: number_of(&mut self.rules, &mut known.rules, &item.rule),
            name_len: u16::try_from(name.len()).unwrap_or(0),
            kind: item.kind,
            by: item.by,
            frees,
        });
    }

    /// One of them.
    pub(crate) fn get(&self, number: usize) -> Option<ManifestItem> {
        Some(self.views(number..number + 1).next()?.item())
    }

    /// Some of them as they lie in the columns.
    pub(crate) fn views(&self, range: Range<usize>) -> Views<'_> {
        let first = range.start.min(self.len());
        let block = first / STRIDE;
        let before = self.rows.get(block * STRIDE..first).unwrap_or_default();
        let skipped: usize = before.iter().map(|row| usize::from(row.name_len)).sum();
        let start = self.starts.get(block).copied().unwrap_or(0);
        Views {
            items: self,
            numbers: first..range.end.min(self.len()),
            at: usize::try_from(start)
                .unwrap_or(usize::MAX)
                .saturating_add(skipped),
        }
    }
}

/// Items one after the other, as they lie in the columns.
pub(crate) struct Views<'a> {
    items: &'a Columns,
    numbers: Range<usize>,
    /// Where the next name starts.
    at: usize,
}

impl<'a> Iterator for Views<'a> {
    type Item = ItemView<'a>;

    fn next(&mut self) -> Option<ItemView<'a>> {
        let number = self.numbers.next()?;
        let row = self.items.rows.get(number)?;
        let end = self.at.saturating_add(usize::from(row.name_len));
        let name = self.items.names.get(self.at..end).unwrap_or_default();
        self.at = end;
        Some(ItemView {
            items: self.items,
            row,
            number,
            name,
        })
    }

    fn size_hint(&self) -> (usize, Option<usize>) {
        self.numbers.size_hint()
    }
}
