//! What a trash's info files describe: such a file goes with the thing it stands for, or stays
//! with it.

use std::collections::{HashMap, HashSet};

use crate::computer::{Layout, TargetPath, fold};
use crate::pile::Pile;
use crate::pile::scan::Roots;
use crate::rule::{Detect, RuleSet};
use crate::source::{Arena, FolderId, ItemId, PileId, described};

/// One info file, and the thing it describes, if both were found.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub struct Note {
    /// The info file.
    pub info: ItemId,
    /// The pile of both.
    pub pile: PileId,
}

/// Which things of the trashes have an info file.
#[derive(Clone, Debug, Default)]
pub struct Notes {
    all: Vec<Note>,
    piles: HashSet<PileId>,
    of_folder: HashMap<FolderId, usize>,
    of_item: HashMap<ItemId, usize>,
}

impl Notes {
    /// Finds what the info files among the items describe.
    pub(crate) fn find(
        arena: &Arena,
        piles: &[Pile],
        rules: &RuleSet,
        layout: Layout,
        roots: &Roots,
    ) -> Self {
        let mut notes = Self::default();
        let spelt = |name: &[u8]| {
            if layout.ignores_case() {
                fold(name)
            } else {
                name.to_vec()
            }
        };
        let mut wanted: HashMap<TargetPath, Vec<(Vec<u8>, usize)>> = HashMap::new();
        let trashes = || {
            let piles = piles.iter().enumerate();
            piles.filter(|(_, pile)| rules.rule(pile.rule).rule.detect == Some(Detect::Trash))
        };
        for (at, pile) in trashes() {
            for info in pile.items().filter(|item| may_be_info(arena.name(*item))) {
                let path = arena.path(info);
                let things = roots.of_pile(pile).iter();
                let mut things = things.filter_map(|root| described(layout, root, &path));
                if let Some(thing) = things.next()
                    && let Some(parent) = thing.parent()
                {
                    let named = (spelt(thing.name()), notes.all.len());
                    wanted.entry(parent).or_default().push(named);
                    let pile = PileId(at);
                    notes.piles.insert(pile);
                    notes.all.push(Note { info, pile });
                }
            }
        }
        if notes.all.is_empty() {
            return notes;
        }
        let paths: HashSet<TargetPath> = wanted.keys().cloned().collect();
        let mut by_name: HashMap<(FolderId, Vec<u8>), usize> = HashMap::new();
        for (path, folder) in arena.find_folders(&paths) {
            for (name, note) in wanted.remove(&path).unwrap_or_default() {
                by_name.insert((folder, name), note);
            }
        }
        let holders: HashSet<FolderId> = by_name.keys().map(|(folder, _)| *folder).collect();
        for (id, record) in arena.folders() {
            let Some(parent) = record.parent else {
                continue;
            };
            let own = holders
                .contains(&parent)
                .then(|| by_name.get(&(parent, spelt(record.own_name()))))
                .flatten();
            let note = own.or_else(|| notes.of_folder.get(&parent)).copied();
            notes.of_folder.extend(note.map(|note| (id, note)));
        }
        for (_, pile) in trashes() {
            for item in pile.items() {
                let folder = arena.folder(item);
                if holders.contains(&folder)
                    && let Some(note) = by_name.get(&(folder, spelt(arena.name(item))))
                {
                    notes.of_item.insert(item, *note);
                }
            }
        }
        notes
    }

    /// Whether a pile has any.
    pub fn has_any_of(&self, pile: PileId) -> bool {
        self.piles.contains(&pile)
    }

    /// Every info file.
    pub fn all(&self) -> &[Note] {
        &self.all
    }

    /// The info file that describes what an item is, or is a part of: its position among all.
    pub fn of(&self, arena: &Arena, item: ItemId) -> Option<usize> {
        let own = self.of_item.get(&item);
        own.or_else(|| self.of_folder.get(&arena.folder(item)))
            .copied()
    }

    /// For the first part of a thing that has an info file: that file, and the folder that it is
    /// best shown in, which is the thing itself or what holds it.
    pub fn shown_with(&self, arena: &Arena, item: ItemId) -> Option<(ItemId, FolderId)> {
        let folder = arena.folder(item);
        if let Some(note) = self.of_item.get(&item) {
            return self.all.get(*note).map(|note| (note.info, folder));
        }
        let note = self.of_folder.get(&folder)?;
        let mut thing = folder;
        while let Some(above) = arena.parent_of(thing)
            && self.of_folder.get(&above) == Some(note)
        {
            thing = above;
        }
        self.all.get(*note).map(|note| (note.info, thing))
    }
}

/// Whether a name may be an info file's at all.
fn may_be_info(name: &[u8]) -> bool {
    let is_index = name
        .get(..2)
        .is_some_and(|start| start.eq_ignore_ascii_case(b"$i"));
    is_index || name.ends_with(b".trashinfo")
}
