//! A pile seen from inside: its folders and files, what each holds, what of it goes.

pub(super) mod arrange;
mod build;
pub(crate) mod languages;
pub(crate) mod others;
mod reasons;
mod takes;

use std::collections::{HashMap, HashSet};

use crate::decide::Node;
use crate::format::Printable;
use crate::pile::{PileIndex, Scan, Sum};
use crate::rule::BAND_COUNT;
use crate::source::{FolderId, ItemId, PileId};

/// An entry of a pile's tree: its folders first, from the top down, then its items.
#[derive(Clone, Copy, Debug, PartialEq, Eq, Hash, PartialOrd, Ord)]
pub struct EntryId(u32);

impl EntryId {
    fn new(at: usize) -> Self {
        // A scan holds less than 2^30 items, and an item lies in one folder.
        Self(u32::try_from(at).unwrap_or(u32::MAX))
    }

    fn at(self) -> usize {
        self.0 as usize
    }
}

/// What an entry is.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub enum Entry {
    /// A folder, with what the pile has in it.
    Folder(FolderId),
    /// An item.
    Item(ItemId),
}

/// One folder of a pile's tree.
#[derive(Clone, Debug)]
struct Folder {
    /// None for what holds the starts of several walks.
    id: Option<FolderId>,
    parent: Option<u32>,
    /// How many names on the way belong to it: folders that hold nothing but one folder are shown
    /// with that.
    names: u32,
    /// Its own items, as a range of `positions`.
    first: u32,
    end: u32,
    found: Sum,
    /// What it holds by age band, in blocks of 4 KiB: enough to draw.
    bands: [u32; BAND_COUNT],
    /// When the youngest item in it was last alive, seconds since 1970.
    youngest: i64,
}

/// What a trash notes of a thing.
#[derive(Clone, Debug, PartialEq, Eq)]
pub struct Trashed {
    /// When it was thrown away, seconds since 1970.
    pub time: i64,
    /// Where it lay before.
    pub original: Option<String>,
}

/// A pile's items as a tree.
///
/// # Invariants
/// Parents come before their children; the first folder holds all. `positions` is ordered by
/// folder, and in a folder oldest first; `sums[n]` is what the first `n` of it free.
#[derive(Clone, Debug)]
pub struct Inside {
    pile: PileId,
    folders: Vec<Folder>,
    positions: Vec<u32>,
    sums: Vec<u64>,
    index: PileIndex,
    /// Info files of a trash, which are shown with what they describe.
    hidden: Vec<u32>,
    trashed: HashMap<EntryId, Trashed>,
    reasons: HashMap<EntryId, String>,
}

impl Inside {
    /// The pile.
    pub fn pile(&self) -> PileId {
        self.pile
    }

    /// Its items by position.
    pub fn index(&self) -> &PileIndex {
        &self.index
    }

    /// The entry that holds all the others.
    pub fn top(&self) -> EntryId {
        EntryId(0)
    }

    /// What an entry is; nothing for what holds several folders that lie apart.
    pub fn entry(&self, scan: &Scan, id: EntryId) -> Option<Entry> {
        match self.folders.get(id.at()) {
            Some(folder) => folder.id.map(Entry::Folder),
            None => self.position(id).and_then(|position| {
                let item = scan.pile(self.pile).item_at(position)?;
                Some(Entry::Item(item))
            }),
        }
    }

    /// An item's position in the order of its pile.
    pub fn position(&self, id: EntryId) -> Option<usize> {
        let at = id.at().checked_sub(self.folders.len())?;
        self.positions.get(at).map(|position| *position as usize)
    }

    /// An entry as something that can be chosen.
    pub fn node(&self, scan: &Scan, id: EntryId) -> Option<Node> {
        Some(match self.entry(scan, id)? {
            Entry::Folder(folder) => Node::Folder(self.pile, folder),
            Entry::Item(item) => Node::Item(item),
        })
    }

    /// Whether an entry is a folder.
    pub fn is_folder(&self, id: EntryId) -> bool {
        id.at() < self.folders.len()
    }

    /// The folder that holds an entry; none holds the top.
    pub fn parent(&self, id: EntryId) -> Option<EntryId> {
        if let Some(folder) = self.folders.get(id.at()) {
            return folder.parent.map(EntryId);
        }
        let at = u32::try_from(id.at() - self.folders.len()).ok()?;
        // The last folder that begins at or before it and isn't empty.
        let next = self.folders.partition_point(|folder| folder.first <= at);
        let folders = self.folders.get(..next)?;
        let holder = folders.iter().rposition(|folder| folder.end > at)?;
        Some(EntryId::new(holder))
    }

    /// What the pile has in a folder, or an item holds.
    pub fn found(&self, scan: &Scan, id: EntryId) -> Sum {
        match (self.folders.get(id.at()), self.entry(scan, id)) {
            (Some(folder), _) => folder.found,
            (None, Some(Entry::Item(item))) => Sum {
                items: 1,
                bytes: scan.arena.frees(item),
            },
            (None, _) => Sum::default(),
        }
    }

    /// What a folder holds by age band, in blocks of 4 KiB; nothing for an item.
    pub fn bands(&self, id: EntryId) -> Option<&[u32; BAND_COUNT]> {
        self.folders.get(id.at()).map(|folder| &folder.bands)
    }

    /// The age of an item, or of the youngest one in a folder, in seconds.
    pub fn age(&self, scan: &Scan, id: EntryId) -> u64 {
        match (self.folders.get(id.at()), self.entry(scan, id)) {
            (Some(folder), _) => Scan::age_of(folder.youngest, scan.now),
            (None, Some(Entry::Item(item))) => scan.age(item),
            (None, _) => 0,
        }
    }

    /// What an entry is called: its name; of folders that are shown as one, all their names.
    pub fn name(&self, scan: &Scan, id: EntryId) -> Vec<u8> {
        match (self.folders.get(id.at()), self.entry(scan, id)) {
            (Some(folder), _) => {
                let Some(own) = folder.id else {
                    return Vec::new();
                };
                let path = scan.arena.folder_path(own);
                let parts: Vec<&[u8]> = path.parts().collect();
                let from = parts.len().saturating_sub(folder.names as usize);
                parts.get(from..).unwrap_or_default().join(&b'/')
            }
            (None, Some(Entry::Item(item))) => scan.arena.name(item).to_vec(),
            (None, _) => Vec::new(),
        }
    }

    /// What an entry is called on the screen: what Windows throws away gets another name, and is
    /// shown by the one it had.
    pub fn shown_name(&self, scan: &Scan, id: EntryId) -> String {
        let name = self.name(scan, id);
        if let Some(Entry::Item(item)) = self.entry(scan, id)
            && scan.arena.fingerprint(item).is_some()
        {
            return scan.shown_name(item);
        }
        let is_renamed = name
            .get(..2)
            .is_some_and(|start| start.eq_ignore_ascii_case(b"$r"));
        let original = self
            .trashed(id)
            .and_then(|trashed| trashed.original.as_deref());
        let before = original.and_then(|path| path.rsplit('\\').next());
        match before.filter(|name| is_renamed && !name.is_empty()) {
            Some(before) => before.to_owned(),
            None => Printable(&name).to_string(),
        }
    }

    /// Whether an entry of the tree is a list, whose items are its entries.
    pub fn is_list(&self, scan: &Scan, id: EntryId) -> bool {
        let folder = self.folders.get(id.at()).and_then(|folder| folder.id);
        folder.is_some_and(|folder| scan.arena.is_holder(folder))
    }

    /// The names of all that the pile has right in a folder of the scan, sorted: also of what is
    /// shown elsewhere or not at all.
    pub fn names_in(&self, scan: &Scan, folder: FolderId) -> Vec<Vec<u8>> {
        let items = scan.pile(self.pile).items();
        let own = items.zip(self.index.folders());
        let files = own.filter(|(_, of)| **of == folder);
        let mut names: Vec<Vec<u8>> = files
            .map(|(item, _)| scan.arena.name(item).to_vec())
            .collect();
        let mut above: HashSet<FolderId> = HashSet::new();
        for own in self.folders.iter().filter_map(|own| own.id) {
            let mut at = Some(own);
            while let Some(parent) = at.filter(|at| above.insert(*at)) {
                at = scan.arena.parent_of(parent);
            }
        }
        let below = above
            .iter()
            .filter(|known| scan.arena.parent_of(**known) == Some(folder));
        names.extend(below.map(|known| scan.arena.folder_path(*known).name().to_vec()));
        names.sort();
        names
    }

    /// Why an entry was found, where that can be said of each by itself.
    pub fn reason(&self, id: EntryId) -> Option<&str> {
        self.reasons.get(&id).map(String::as_str)
    }

    /// What a trash notes of an entry.
    pub fn trashed(&self, id: EntryId) -> Option<&Trashed> {
        self.trashed.get(&id)
    }
}
