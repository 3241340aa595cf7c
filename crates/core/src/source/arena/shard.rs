//! What one thread gathers.

use jolly_disk::Stat;

use crate::source::arena::chunk::Chunk;
use crate::source::{Fingerprint, FolderId, FolderRecord, ItemKind, PileId};

/// A new item, before it has a row.
#[derive(Clone, Copy)]
pub(crate) struct NewItem<'a> {
    pub folder: FolderId,
    /// The device of its folder.
    pub device: u64,
    pub name: &'a [u8],
    pub kind: ItemKind,
    pub stat: &'a Stat,
    /// The time its age counts from, seconds since 1970.
    pub time: i64,
    pub pile: PileId,
    /// What tells it from other entries, when it is one of a holder.
    pub entry: Option<Fingerprint>,
}

/// Items and folders that one thread found.
#[derive(Default)]
pub(crate) struct Shard {
    pub(crate) chunks: Vec<Chunk>,
    pub(crate) folders: Vec<(FolderId, FolderRecord)>,
    /// Whether a file has several names.
    pub(crate) has_links: bool,
    /// The latest last change of an item, seconds since 1970.
    pub(crate) latest: Option<i64>,
}

impl Shard {
    /// Adds an item; whether there was room.
    pub(crate) fn add_item(&mut self, new: &NewItem<'_>) -> bool {
        self.has_links |= new.stat.links > 1;
        self.latest = self.latest.max(Some(new.stat.changed.seconds));
        let has_room = self.chunks.last().is_some_and(|chunk| !chunk.is_full());
        if !has_room {
            if let Some(full) = self.chunks.last_mut() {
                full.close();
            }
            self.chunks.push(Chunk::new());
        }
        self.chunks.last_mut().is_some_and(|chunk| chunk.push(new))
    }

    /// Adds a folder; gives its position among this thread's.
    pub(crate) fn add_folder(&mut self, id: FolderId, record: FolderRecord) -> usize {
        self.folders.push((id, record));
        self.folders.len() - 1
    }

    /// The folders of this thread with their ids.
    pub(crate) fn folders_mut(&mut self) -> impl Iterator<Item = (FolderId, &mut FolderRecord)> {
        self.folders.iter_mut().map(|(id, record)| (*id, record))
    }

    /// A folder of this thread.
    pub(crate) fn folder_mut(&mut self, at: usize) -> Option<&mut FolderRecord> {
        self.folders.get_mut(at).map(|(_, record)| record)
    }
}
