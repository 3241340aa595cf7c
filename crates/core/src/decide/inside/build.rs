//! From a pile to its tree.

use std::collections::HashMap;

use crate::cancel::CancelToken;
use crate::decide::inside::{Folder, reasons};
use crate::decide::{EntryId, Inside, Trashed};
use crate::pile::{PileIndex, Scan, Sum};
use crate::rule::{BAND_COUNT, Detect, band_of};
use crate::source::{FolderId, PileId, TrashNotes};

/// Bytes of one step of a folder's age bars.
const BLOCK: u64 = 4096;

/// Items between two looks whether anybody still wants to know.
const LOOKS: usize = 4096;

impl Inside {
    /// Opens a pile; of a trash it reads what that notes of its things, and of what
    /// points to nothing why. Nothing comes back when it
    /// is cancelled.
    pub fn of(scan: &Scan, id: PileId, cancel: &CancelToken) -> Option<Self> {
        let pile = scan.pile(id);
        let mut tree = Tree::new(scan, id);
        let mut keyed: Vec<(u32, u32)> = Vec::with_capacity(pile.len());
        for (position, item) in pile.items().enumerate() {
            if position % LOOKS == 0 && cancel.is_cancelled() {
                return None;
            }
            let folder = tree.holder_of(scan, item);
            keyed.push((
                tree.add(scan, folder),
                u32::try_from(position).unwrap_or(u32::MAX),
            ));
        }
        let (mut folders, place_of) = tree.in_order(scan);
        for (folder, _) in &mut keyed {
            *folder = place_of.get(*folder as usize).copied().unwrap_or(0);
        }
        // In a folder the positions stay as they are: oldest first.
        keyed.sort_unstable();
        let mut inside = Self {
            pile: id,
            positions: keyed.iter().map(|(_, position)| *position).collect(),
            sums: Vec::with_capacity(keyed.len() + 1),
            folders: Vec::new(),
            index: PileIndex::of(scan, pile),
            hidden: tree.hidden,
            trashed: HashMap::new(),
            reasons: HashMap::new(),
        };
        inside.hidden.sort_unstable();
        let mut sum = 0_u64;
        inside.sums.push(sum);
        let mut at = 0;
        for (number, folder) in folders.iter_mut().enumerate() {
            folder.first = at;
            while let Some((_, position)) = keyed
                .get(at as usize)
                .filter(|(of, _)| *of as usize == number)
            {
                if let Some(item) = pile.item_at(*position as usize) {
                    let frees = scan.arena.frees(item);
                    sum = sum.saturating_add(frees);
                    folder.found.add(Sum {
                        items: 1,
                        bytes: frees,
                    });
                    let blocks = u32::try_from(frees.div_ceil(BLOCK)).unwrap_or(u32::MAX);
                    if let Some(band) = folder.bands.get_mut(band_of(scan.age(item))) {
                        *band = band.saturating_add(blocks);
                    }
                    folder.youngest = folder.youngest.max(scan.arena.time(item));
                }
                inside.sums.push(sum);
                at += 1;
            }
            folder.end = at;
        }
        add_up(&mut folders);
        inside.folders = folders;
        inside.read_trash(scan);
        inside.reasons = reasons::reasons(&inside, scan, cancel);
        Some(inside)
    }

    /// Reads what a trash notes of its things.
    fn read_trash(&mut self, scan: &Scan) {
        let pile = scan.pile(self.pile);
        if scan.rules.rule(pile.rule).rule.detect != Some(Detect::Trash) {
            return;
        }
        let roots: Vec<_> = scan.roots_of(pile).cloned().collect();
        for root in roots {
            let notes = TrashNotes::read(&scan.target, &root);
            for at in 0..self.folders.len() + self.positions.len() {
                let id = EntryId::new(at);
                let Some(node) = self.node(scan, id) else {
                    continue;
                };
                let path = node.path(scan);
                let Some(below) = path.below(&root) else {
                    continue;
                };
                if !notes.is_thing(below) {
                    continue;
                }
                if let Some((time, original)) = notes.of(below) {
                    self.trashed.insert(id, Trashed { time, original });
                }
            }
        }
    }
}

/// Adds every folder to the one that holds it.
fn add_up(folders: &mut [Folder]) {
    for at in (1..folders.len()).rev() {
        let Some(own) = folders.get(at).cloned() else {
            continue;
        };
        let parent = own
            .parent
            .and_then(|parent| folders.get_mut(parent as usize));
        if let Some(parent) = parent {
            parent.found.add(own.found);
            parent.youngest = parent.youngest.max(own.youngest);
            for (band, more) in parent.bands.iter_mut().zip(own.bands) {
                *band = band.saturating_add(more);
            }
        }
    }
}

/// The folders on the way to a pile's items, in the order in which they were met.
struct Tree {
    met: Vec<Met>,
    /// Where a folder of the scan stands in `met`.
    known: HashMap<FolderId, u32>,
    /// The info files of a trash, and the folder that each is shown with.
    infos: HashMap<crate::source::ItemId, FolderId>,
    /// Their positions.
    hidden: Vec<u32>,
}

#[derive(Default)]
struct Met {
    folder: Option<FolderId>,
    children: Vec<u32>,
    items: u32,
}

impl Tree {
    fn new(scan: &Scan, id: PileId) -> Self {
        let mut tree = Self {
            // What holds all: every start of a walk lies in it.
            met: vec![Met::default()],
            known: HashMap::new(),
            infos: HashMap::new(),
            hidden: Vec::new(),
        };
        let pile = scan.pile(id);
        let of_pile = scan.notes.all().iter().any(|note| note.pile == id);
        for item in pile.items().filter(|_| of_pile) {
            if let Some((info, holder)) = scan.notes.shown_with(&scan.arena, item) {
                tree.infos.insert(info, holder);
            }
        }
        for info in tree.infos.keys() {
            let position = pile.position(*info, scan.arena.time(*info));
            tree.hidden
                .extend(position.and_then(|position| u32::try_from(position).ok()));
        }
        tree
    }

    /// The folder that an item is shown in.
    fn holder_of(&self, scan: &Scan, item: crate::source::ItemId) -> FolderId {
        let moved = self.infos.get(&item).copied();
        moved.unwrap_or_else(|| scan.arena.folder(item))
    }

    /// Counts an item of a folder, and meets the folders on the way; says where that stands.
    fn add(&mut self, scan: &Scan, folder: FolderId) -> u32 {
        let at = self.meet(scan, folder);
        if let Some(met) = self.met.get_mut(at as usize) {
            met.items += 1;
        }
        at
    }

    fn meet(&mut self, scan: &Scan, folder: FolderId) -> u32 {
        let mut new = Vec::new();
        let mut next = Some(folder);
        let mut above = 0;
        while let Some(folder) = next {
            if let Some(known) = self.known.get(&folder) {
                above = *known;
                break;
            }
            new.push(folder);
            next = scan.arena.parent_of(folder);
        }
        for folder in new.into_iter().rev() {
            let at = u32::try_from(self.met.len()).unwrap_or(u32::MAX);
            self.met.push(Met {
                folder: Some(folder),
                ..Met::default()
            });
            if let Some(parent) = self.met.get_mut(above as usize) {
                parent.children.push(at);
            }
            self.known.insert(folder, at);
            above = at;
        }
        above
    }

    /// The folders from the top down, those that hold nothing but one folder shown with it; and
    /// where each that was met stands now.
    fn in_order(&self, scan: &Scan) -> (Vec<Folder>, Vec<u32>) {
        let mut folders: Vec<Folder> = Vec::new();
        let mut place_of = vec![0; self.met.len()];
        // Where it was met, the folder above it, and how many names lead from there.
        let mut waiting: Vec<(u32, Option<u32>, u32)> = vec![(0, None, 0)];
        while let Some((at, parent, names)) = waiting.pop() {
            let Some(met) = self.met.get(at as usize) else {
                continue;
            };
            if let ([only], 0) = (met.children.as_slice(), met.items) {
                waiting.push((*only, parent, names + self.names(scan, *only)));
                continue;
            }
            let own = u32::try_from(folders.len()).unwrap_or(u32::MAX);
            if let Some(place) = place_of.get_mut(at as usize) {
                *place = own;
            }
            folders.push(Folder {
                id: met.folder,
                parent,
                names,
                first: 0,
                end: 0,
                found: Sum::default(),
                bands: [0; BAND_COUNT],
                youngest: i64::MIN,
            });
            let below = met.children.iter().rev();
            waiting.extend(below.map(|child| (*child, Some(own), self.names(scan, *child))));
        }
        (folders, place_of)
    }

    /// How many names lead to a folder from the one above it: several to the start of a walk.
    fn names(&self, scan: &Scan, at: u32) -> u32 {
        let folder = self.met.get(at as usize).and_then(|met| met.folder);
        let is_start = folder.is_some_and(|folder| scan.arena.parent_of(folder).is_none());
        match folder.filter(|_| is_start) {
            Some(folder) => {
                let count = scan.arena.folder_path(folder).parts().count();
                u32::try_from(count).unwrap_or(u32::MAX)
            }
            None => 1,
        }
    }
}
