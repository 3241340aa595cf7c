//! Items and folders of one scan, kept as columns.

mod chunk;
pub(crate) mod shard;

use std::collections::HashSet;

use jolly_disk::{FileKey, Stamp, Stat};

use crate::computer::TargetPath;
use crate::rule::RuleNumber;
use crate::source::Fingerprint;
use crate::source::arena::chunk::{CHUNK, Chunk};
use crate::source::arena::shard::Shard;

/// A pile's position in its scan.
#[derive(Clone, Copy, Debug, PartialEq, Eq, Hash, PartialOrd, Ord)]
pub struct PileId(pub usize);

/// Whose pile it is.
pub(crate) struct Owner {
    pub rule: RuleNumber,
    pub account: Option<usize>,
}

/// A folder's position in the arena; a parent's is lower than its children's.
#[derive(Clone, Copy, Debug, PartialEq, Eq, Hash, PartialOrd, Ord)]
pub struct FolderId(pub(crate) u32);

/// An item's position in the arena: which chunk, and which row of it.
#[derive(Clone, Copy, Debug, PartialEq, Eq, Hash, PartialOrd, Ord)]
pub struct ItemId(u32);

impl ItemId {
    /// Bits that an id fits into.
    pub(crate) const BITS: u32 = 30;

    fn new(chunk: usize, row: usize) -> Option<Self> {
        let id = u32::try_from(chunk * CHUNK + row).ok()?;
        (id < 1 << Self::BITS).then_some(Self(id))
    }

    fn split(self) -> (usize, usize) {
        let id = self.0 as usize;
        (id / CHUNK, id % CHUNK)
    }

    /// The id as a number.
    pub(crate) fn as_number(self) -> u32 {
        self.0
    }

    /// The id of this number.
    pub(crate) fn from_number(number: u32) -> Self {
        Self(number)
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
    /// An entry of the holder that is its folder here.
    Entry,
}

/// A folder on the way to items, or a holder of entries.
#[derive(Clone, Debug)]
pub struct FolderRecord {
    /// The folder it lies in; none for the start of a walk.
    pub parent: Option<FolderId>,
    /// Its name; for the start of a walk, its whole path.
    pub(crate) name: Box<[u8]>,
    /// Which folder it is.
    pub key: FileKey,
    /// Its last change, when it was opened.
    pub(crate) changed: Stamp,
    /// How many names it holds.
    pub entries: u64,
    /// How many of them are guarded.
    pub(crate) guarded: u64,
    /// Bytes that the folder itself holds on the disk.
    pub allocated: u64,
    /// The pile that may remove it once it is empty.
    pub empty_folder_pile: Option<PileId>,
    /// The time its age counts from if it is empty already, seconds since 1970.
    pub time: i64,
    /// Whether it is the topmost folder that a cache tag marks.
    pub(crate) is_tag_root: bool,
    /// Whether every name in it was told.
    pub is_whole: bool,
    /// For a holder, what it was when it was read; its key is the holder's.
    pub(crate) holder: Option<Box<Stat>>,
    /// Whether its names and what was made of them can be used again while its last change stays.
    pub(crate) is_lasting: bool,
}

impl FolderRecord {
    /// Whether it is a file that holds entries, and no folder.
    pub fn is_holder(&self) -> bool {
        self.holder.is_some()
    }

    /// Its name; for the start of a walk, its whole path.
    pub fn own_name(&self) -> &[u8] {
        &self.name
    }
}

/// Items and folders of one scan, kept as columns so that a million of them stay small and near.
///
/// # Invariants
/// Chunks come from several threads and are never merged; all but the last of each thread are
/// full. An id names a chunk and a row of it.
#[derive(Debug, Default)]
pub struct Arena {
    chunks: Vec<Chunk>,
    folders: Vec<FolderRecord>,
    count: usize,
    /// Whether an item has several names.
    pub(crate) has_links: bool,
    /// The latest last change of an item, seconds since 1970.
    pub(crate) latest: Option<i64>,
}

impl Arena {
    /// Puts together what the threads gathered; says how many items found no room.
    pub(crate) fn of(shards: Vec<Shard>) -> (Self, u64) {
        let mut arena = Self::default();
        let mut lost = 0;
        let mut folders = Vec::new();
        for shard in shards {
            folders.extend(shard.folders);
            arena.has_links |= shard.has_links;
            arena.latest = arena.latest.max(shard.latest);
            for chunk in shard.chunks {
                if ItemId::new(arena.chunks.len(), CHUNK - 1).is_some() {
                    arena.count += chunk.len();
                    arena.chunks.push(chunk);
                } else {
                    lost += chunk.len() as u64;
                }
            }
        }
        folders.sort_unstable_by_key(|(id, _): &(FolderId, _)| *id);
        arena.folders = folders.into_iter().map(|(_, record)| record).collect();
        (arena, lost)
    }

    /// Every item.
    pub fn items(&self) -> impl Iterator<Item = ItemId> {
        let chunks = self.chunks.iter().enumerate();
        chunks.flat_map(|(at, chunk)| {
            (0..chunk.len())
                .filter(|row| chunk.is_item(*row))
                .filter_map(move |row| ItemId::new(at, row))
        })
    }

    /// Goes through all items fast: which it is, its pile, the time its age counts from.
    pub(crate) fn each(&self, mut tell: impl FnMut(ItemId, PileId, i64)) {
        for (at, chunk) in self.chunks.iter().enumerate() {
            for row in (0..chunk.len()).filter(|row| chunk.is_item(*row)) {
                if let Some(item) = ItemId::new(at, row) {
                    tell(item, chunk.pile(row), chunk.time(row));
                }
            }
        }
    }

    /// How many items there are.
    pub fn item_count(&self) -> usize {
        self.count
    }

    /// Every folder, parents before their children.
    pub fn folders(&self) -> impl DoubleEndedIterator<Item = (FolderId, &FolderRecord)> {
        self.folders
            .iter()
            .enumerate()
            .filter_map(|(at, record)| Some((FolderId(u32::try_from(at).ok()?), record)))
    }

    /// How many folders there are.
    pub fn folder_count(&self) -> usize {
        self.folders.len()
    }

    pub(crate) fn set_folder_time(&mut self, folder: FolderId, time: i64) {
        if let Some(record) = self.folders.get_mut(folder.as_index()) {
            record.time = time;
        }
    }

    pub(crate) fn record(&self, folder: FolderId) -> Option<&FolderRecord> {
        self.folders.get(folder.as_index())
    }

    /// Whether a folder is a file that holds entries.
    pub fn is_holder(&self, folder: FolderId) -> bool {
        self.record(folder).is_some_and(FolderRecord::is_holder)
    }

    /// The folder that holds a folder; none for the start of a walk.
    pub fn parent_of(&self, folder: FolderId) -> Option<FolderId> {
        self.record(folder)?.parent
    }

    fn at(&self, item: ItemId) -> (&Chunk, usize) {
        let (chunk, row) = item.split();
        (&self.chunks[chunk], row)
    }

    /// The folder an item lies in.
    pub fn folder(&self, item: ItemId) -> FolderId {
        let (chunk, row) = self.at(item);
        chunk.folder(row)
    }

    /// An item's own name.
    pub fn name(&self, item: ItemId) -> &[u8] {
        let (chunk, row) = self.at(item);
        chunk.name(row)
    }

    /// Which file it is.
    pub fn key(&self, item: ItemId) -> FileKey {
        let (chunk, row) = self.at(item);
        FileKey {
            device: chunk
                .strange_device(row)
                .or_else(|| Some(self.record(chunk.folder(row))?.key.device))
                .unwrap_or_default(),
            inode: chunk.inode(row),
        }
    }

    /// What it is.
    pub fn kind(&self, item: ItemId) -> ItemKind {
        let (chunk, row) = self.at(item);
        chunk.kind(row)
    }

    /// Its apparent length in bytes.
    pub fn size(&self, item: ItemId) -> u64 {
        let (chunk, row) = self.at(item);
        chunk.size(row)
    }

    /// Bytes the disk holds for it, whatever other names it has.
    pub fn allocated(&self, item: ItemId) -> u64 {
        let (chunk, row) = self.at(item);
        chunk.allocated(row)
    }

    /// Bytes that come back when it goes and, of a file with several names, all the others do.
    pub fn frees(&self, item: ItemId) -> u64 {
        let (chunk, row) = self.at(item);
        chunk.frees(row)
    }

    pub(crate) fn set_frees(&mut self, item: ItemId, bytes: u64) {
        let (chunk, row) = item.split();
        if let Some(chunk) = self.chunks.get_mut(chunk) {
            chunk.set_frees(row, bytes);
        }
    }

    /// The time its age counts from, seconds since 1970.
    pub fn time(&self, item: ItemId) -> i64 {
        let (chunk, row) = self.at(item);
        chunk.time(row)
    }

    pub(crate) fn set_time(&mut self, item: ItemId, time: i64) {
        let (chunk, row) = item.split();
        if let Some(chunk) = self.chunks.get_mut(chunk) {
            chunk.set_time(row, time);
        }
    }

    /// What tells an entry of a holder from others; none for a file or link.
    pub fn fingerprint(&self, item: ItemId) -> Option<Fingerprint> {
        let (chunk, row) = self.at(item);
        chunk.fingerprint(row)
    }

    /// The holder that an entry is in, as it was when it was read.
    pub(crate) fn holder(&self, item: ItemId) -> Option<&Stat> {
        let folder = self.fingerprint(item).map(|_| self.folder(item))?;
        self.record(folder)?.holder.as_deref()
    }

    /// Its last modification.
    pub fn modified(&self, item: ItemId) -> Stamp {
        let (chunk, row) = self.at(item);
        chunk.modified(row)
    }

    /// Its last change of contents or of what is kept about it.
    pub fn changed(&self, item: ItemId) -> Stamp {
        let (chunk, row) = self.at(item);
        chunk.changed(row)
    }

    /// How many names the file has.
    pub fn links(&self, item: ItemId) -> u32 {
        let (chunk, row) = self.at(item);
        chunk.links(row)
    }

    /// The pile it belongs to.
    pub fn pile(&self, item: ItemId) -> PileId {
        let (chunk, row) = self.at(item);
        chunk.pile(row)
    }

    /// Takes an item out again.
    pub(crate) fn drop_item(&mut self, item: ItemId) {
        let (chunk, row) = item.split();
        if let Some(chunk) = self.chunks.get_mut(chunk)
            && chunk.is_item(row)
        {
            chunk.drop_item(row);
            self.count -= 1;
        }
    }

    /// A folder's path below the target's root.
    pub fn folder_path(&self, folder: FolderId) -> TargetPath {
        let mut parts: Vec<&[u8]> = Vec::new();
        let mut at = self.record(folder);
        while let Some(record) = at {
            parts.push(&record.name);
            at = record.parent.and_then(|parent| self.record(parent));
        }
        parts.reverse();
        parts.retain(|part| !part.is_empty());
        TargetPath::new(parts.join(&b'/')).unwrap_or_default()
    }

    /// Which of these paths are folders that were walked.
    pub fn find_folders(&self, paths: &HashSet<TargetPath>) -> Vec<(TargetPath, FolderId)> {
        // Most folders are told apart by their own name.
        let names: HashSet<&[u8]> = paths.iter().map(TargetPath::name).collect();
        let may_be = |record: &FolderRecord| {
            let last = record.name.rsplit(|byte| *byte == b'/').next();
            last.is_some_and(|name| names.contains(name))
        };
        self.folders()
            .filter(|(_, record)| may_be(record))
            .map(|(id, _)| (self.folder_path(id), id))
            .filter(|(path, _)| paths.contains(path))
            .collect()
    }

    /// Which of these paths are items.
    pub fn find_items(&self, paths: &HashSet<TargetPath>) -> Vec<(TargetPath, ItemId)> {
        let parents = paths.iter().filter_map(TargetPath::parent).collect();
        let folders = self.find_folders(&parents).into_iter();
        let folders: HashSet<FolderId> = folders.map(|(_, id)| id).collect();
        self.items()
            .filter(|item| folders.contains(&self.folder(*item)))
            .map(|item| (self.path(item), item))
            .filter(|(path, _)| paths.contains(path))
            .collect()
    }

    /// An item's path below the target's root.
    pub fn path(&self, item: ItemId) -> TargetPath {
        self.folder_path(self.folder(item))
            .join(self.name(item))
            .unwrap_or_default()
    }
}
