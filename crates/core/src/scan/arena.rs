//! Items and folders, kept as columns.

use jolly_disk::{FileKey, Stamp, Stat};

use crate::scan::PileId;
use crate::target::TargetPath;

/// A folder's position in the arena; a parent's is lower than its children's.
#[derive(Clone, Copy, Debug, PartialEq, Eq, Hash, PartialOrd, Ord)]
pub struct FolderId(u32);

/// An item's position in the arena.
#[derive(Clone, Copy, Debug, PartialEq, Eq, Hash, PartialOrd, Ord)]
pub struct ItemId(u32);

impl ItemId {
    /// The position as a number, for a table that has one row an item.
    pub fn as_index(self) -> usize {
        self.0 as usize
    }
}

impl FolderId {
    /// The position as a number, for a table that has one row a folder.
    pub fn as_index(self) -> usize {
        self.0 as usize
    }
}

/// What an item is.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub enum ItemKind {
    /// A regular file.
    File,
    /// A symbolic link itself.
    Link,
}

/// A folder on the way to items.
#[derive(Clone, Debug)]
pub struct FolderRecord {
    /// The folder it lies in; none for the start of a walk.
    pub parent: Option<FolderId>,
    /// Its name; for the start of a walk, its whole path.
    name: (usize, usize),
    /// Which folder it is.
    pub key: FileKey,
    /// How many names it holds.
    pub entries: u64,
    /// Bytes that the folder itself holds on the disk.
    pub allocated: u64,
    /// The pile that may remove it once it is empty.
    pub sweeper: Option<PileId>,
    /// The time its age counts from if it is empty already, seconds since 1970.
    pub time: i64,
    /// Whether every name in it was told.
    pub is_whole: bool,
}

/// Items and folders of one scan, kept as columns so that a million of them stay small and near.
///
/// # Invariants
/// Every column has one row an item; names lie within `names`.
#[derive(Clone, Debug, Default)]
pub struct Arena {
    names: Vec<u8>,
    folders: Vec<FolderRecord>,
    folder: Vec<FolderId>,
    name: Vec<(u32, u8)>,
    key: Vec<FileKey>,
    kind: Vec<ItemKind>,
    size: Vec<u64>,
    allocated: Vec<u64>,
    frees: Vec<u64>,
    time: Vec<i64>,
    modified: Vec<Stamp>,
    changed: Vec<Stamp>,
    links: Vec<u32>,
    pile: Vec<PileId>,
}

/// A new item, before it has a row.
pub(super) struct NewItem<'a> {
    pub folder: FolderId,
    pub name: &'a [u8],
    pub kind: ItemKind,
    pub stat: &'a Stat,
    /// The time its age counts from, seconds since 1970.
    pub time: i64,
    pub pile: PileId,
}

impl Arena {
    /// Adds a folder; nothing when the arena is full.
    pub(super) fn add_folder(
        &mut self,
        parent: Option<FolderId>,
        name: &[u8],
        stat: &Stat,
        sweeper: Option<(PileId, i64)>,
    ) -> Option<FolderId> {
        let id = FolderId(u32::try_from(self.folders.len()).ok()?);
        let start = self.names.len();
        self.names.extend_from_slice(name);
        self.folders.push(FolderRecord {
            parent,
            name: (start, self.names.len()),
            key: stat.key,
            entries: 0,
            allocated: stat.allocated,
            sweeper: sweeper.map(|(pile, _)| pile),
            time: sweeper.map_or(stat.modified.seconds, |(_, time)| time),
            is_whole: false,
        });
        Some(id)
    }

    /// Notes how many names a folder holds and whether all of them were told.
    pub(super) fn close_folder(&mut self, id: FolderId, entries: u64, is_whole: bool) {
        if let Some(record) = self.folders.get_mut(id.as_index()) {
            record.entries = entries;
            record.is_whole = is_whole;
        }
    }

    /// Whether every name in a folder was told.
    pub(super) fn is_whole(&self, id: FolderId) -> bool {
        self.folders
            .get(id.as_index())
            .is_some_and(|record| record.is_whole)
    }

    /// Adds an item; nothing when the arena is full.
    pub(super) fn add_item(&mut self, new: &NewItem<'_>) -> Option<ItemId> {
        let id = ItemId(u32::try_from(self.folder.len()).ok()?);
        let start = u32::try_from(self.names.len()).ok()?;
        let length = u8::try_from(new.name.len()).ok()?;
        self.names.extend_from_slice(new.name);
        self.folder.push(new.folder);
        self.name.push((start, length));
        self.key.push(new.stat.key);
        self.kind.push(new.kind);
        self.size.push(new.stat.size);
        self.allocated.push(new.stat.allocated);
        self.frees.push(new.stat.allocated);
        self.time.push(new.time);
        self.modified.push(new.stat.modified);
        self.changed.push(new.stat.changed);
        self.links.push(new.stat.links);
        self.pile.push(new.pile);
        Some(id)
    }

    /// Every item.
    pub fn items(&self) -> impl Iterator<Item = ItemId> + use<> {
        (0..u32::try_from(self.folder.len()).unwrap_or(u32::MAX)).map(ItemId)
    }

    /// How many items there are.
    pub fn item_count(&self) -> usize {
        self.folder.len()
    }

    /// Every folder, parents before their children.
    pub fn folders(&self) -> impl DoubleEndedIterator<Item = (FolderId, &FolderRecord)> {
        self.folders
            .iter()
            .enumerate()
            .filter_map(|(at, record)| Some((FolderId(u32::try_from(at).ok()?), record)))
    }

    /// The folder an item lies in.
    pub fn folder(&self, item: ItemId) -> FolderId {
        self.folder[item.as_index()]
    }

    /// An item's own name.
    pub fn name(&self, item: ItemId) -> &[u8] {
        let (start, length) = self.name[item.as_index()];
        let start = start as usize;
        &self.names[start..start + usize::from(length)]
    }

    /// Which file it is.
    pub fn key(&self, item: ItemId) -> FileKey {
        self.key[item.as_index()]
    }

    /// What it is.
    pub fn kind(&self, item: ItemId) -> ItemKind {
        self.kind[item.as_index()]
    }

    /// Its apparent length in bytes.
    pub fn size(&self, item: ItemId) -> u64 {
        self.size[item.as_index()]
    }

    /// Bytes the disk holds for it, whatever other names it has.
    pub fn allocated(&self, item: ItemId) -> u64 {
        self.allocated[item.as_index()]
    }

    /// Bytes that come back when it goes and, of a file with several names, all the others do.
    pub fn frees(&self, item: ItemId) -> u64 {
        self.frees[item.as_index()]
    }

    pub(super) fn set_frees(&mut self, item: ItemId, bytes: u64) {
        self.frees[item.as_index()] = bytes;
    }

    /// The time its age counts from, seconds since 1970.
    pub fn time(&self, item: ItemId) -> i64 {
        self.time[item.as_index()]
    }

    /// Its last modification.
    pub fn modified(&self, item: ItemId) -> Stamp {
        self.modified[item.as_index()]
    }

    /// Its last change of contents or of what is kept about it.
    pub fn changed(&self, item: ItemId) -> Stamp {
        self.changed[item.as_index()]
    }

    /// How many names the file has.
    pub fn links(&self, item: ItemId) -> u32 {
        self.links[item.as_index()]
    }

    /// The pile it belongs to.
    pub fn pile(&self, item: ItemId) -> PileId {
        self.pile[item.as_index()]
    }

    /// A folder's path below the target's root.
    pub fn folder_path(&self, folder: FolderId) -> TargetPath {
        let mut parts = Vec::new();
        let mut at = Some(folder);
        while let Some(record) = at.and_then(|id| self.folders.get(id.as_index())) {
            parts.push(
                self.names
                    .get(record.name.0..record.name.1)
                    .unwrap_or_default(),
            );
            at = record.parent;
        }
        parts.reverse();
        parts.retain(|part| !part.is_empty());
        TargetPath::new(parts.join(&b'/')).unwrap_or_default()
    }

    /// An item's path below the target's root.
    pub fn path(&self, item: ItemId) -> TargetPath {
        self.folder_path(self.folder(item))
            .join(self.name(item))
            .unwrap_or_default()
    }
}
