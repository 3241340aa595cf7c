//! What is known from the scan before, for folders that have not changed since.
//!
//! A folder's names are proven to be the same when its last change is: file systems that are known
//! to keep it move it with every name that comes, goes or is renamed, and no program can set it
//! back. So neither the names are read again nor the rules asked; what a name stands for may have
//! changed all the same, and every item is looked at again.

use jolly_disk::Stat;

use crate::computer::TargetPath;
use crate::source::{Arena, FolderId, FolderRecord, ItemId, ItemKind, PileId};

/// The scan before, with its items and folders by the folder that holds them.
pub(crate) struct PreviousScan<'a> {
    arena: &'a Arena,
    items: Vec<ItemId>,
    /// For each folder where its items start, and one more.
    items_from: Vec<usize>,
    children: Vec<FolderId>,
    children_from: Vec<usize>,
}

/// Sorts things by a number below `count`, stably; gives them with where each number starts.
fn by_number<T: Copy>(
    things: impl Iterator<Item = (T, usize)> + Clone,
    count: usize,
    filler: T,
) -> (Vec<T>, Vec<usize>) {
    let mut from = vec![0_usize; count + 1];
    for (_, number) in things.clone() {
        from[number + 1] += 1;
    }
    for at in 1..from.len() {
        from[at] += from[at - 1];
    }
    let mut sorted = vec![filler; from.last().copied().unwrap_or(0)];
    let mut next = from.clone();
    for (thing, number) in things {
        sorted[next[number]] = thing;
        next[number] += 1;
    }
    (sorted, from)
}

impl<'a> PreviousScan<'a> {
    /// What a scan of the same target, by the same rules, places and guards, found.
    pub(crate) fn of(arena: &'a Arena) -> Self {
        let count = arena.folder_count();
        let items = arena
            .items()
            .map(|item| (item, arena.folder(item).as_index()));
        let (items, items_from) = by_number(
            items.collect::<Vec<_>>().into_iter(),
            count,
            ItemId::from_number(0),
        );
        let mut folders: Vec<(FolderId, usize)> = arena
            .folders()
            .filter(|(_, record)| !record.is_holder())
            .filter_map(|(id, record)| Some((id, record.parent?.as_index())))
            .collect();
        // By name, so that one of many is found fast.
        let name = |folder: FolderId| arena.record(folder).map(|record| &record.name);
        folders.sort_by(|(one, _), (other, _)| name(*one).cmp(&name(*other)));
        let (children, children_from) = by_number(folders.into_iter(), count, FolderId(0));
        Self {
            arena,
            items,
            items_from,
            children,
            children_from,
        }
    }

    /// The start of a walk at this path.
    pub(crate) fn top(&self, path: &TargetPath) -> Option<FolderId> {
        let mut folders = self.arena.folders();
        let is_it =
            |record: &FolderRecord| record.parent.is_none() && *record.name == *path.as_bytes();
        folders.find(|(_, record)| is_it(record)).map(|(id, _)| id)
    }

    /// The folder of this name in a folder.
    pub(crate) fn child(&self, folder: FolderId, name: &[u8]) -> Option<FolderId> {
        let children = self.children_in(folder);
        let at = children.binary_search_by(|child| self.name_of(*child).cmp(name));
        children.get(at.ok()?).copied()
    }

    /// A folder's name.
    pub(crate) fn name_of(&self, folder: FolderId) -> &'a [u8] {
        let record = self.arena.record(folder);
        record.map_or(&[], |record| &record.name)
    }

    /// What is known of a folder, when it still holds.
    pub(crate) fn lasting(&self, folder: FolderId, stat: &Stat) -> Option<&'a FolderRecord> {
        let record = self.arena.record(folder)?;
        let holds = record.is_lasting && record.key == stat.key && record.changed == stat.changed;
        holds.then_some(record)
    }

    /// The items of a folder.
    pub(crate) fn items_in(&self, folder: FolderId) -> &[ItemId] {
        let at = folder.as_index();
        let from = self.items_from.get(at).zip(self.items_from.get(at + 1));
        from.and_then(|(from, to)| self.items.get(*from..*to))
            .unwrap_or_default()
    }

    /// The folders in a folder, by name.
    pub(crate) fn children_in(&self, folder: FolderId) -> &[FolderId] {
        let at = folder.as_index();
        let from = self
            .children_from
            .get(at)
            .zip(self.children_from.get(at + 1));
        from.and_then(|(from, to)| self.children.get(*from..*to))
            .unwrap_or_default()
    }

    /// An item's name, kind and pile.
    pub(crate) fn item(&self, item: ItemId) -> (&'a [u8], ItemKind, PileId) {
        (
            self.arena.name(item),
            self.arena.kind(item),
            self.arena.pile(item),
        )
    }
}
