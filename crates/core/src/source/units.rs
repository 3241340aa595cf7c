//! What goes together or stays: a folder that a cache tag marks, a bundle, a backup of a device, a
//! downloaded package. Half of one is worth nothing, and often breaks the rest.

use std::collections::{HashMap, HashSet};

use crate::computer::TargetPath;
use crate::rule::{Detect, RuleSet, Search};
use crate::source::{Arena, FolderId, ItemId, Owner, PileId};
use crate::walk::Gatherer;

/// One thing that goes together or stays.
#[derive(Clone, Debug)]
pub struct Unit {
    /// The pile that has it.
    pub pile: PileId,
    /// Its topmost folder.
    pub root: FolderId,
    /// How many items it has.
    pub items: u64,
}

/// The units of one scan.
#[derive(Clone, Debug, Default)]
pub struct Units {
    all: Vec<Unit>,
    piles: HashSet<PileId>,
    of_folder: HashMap<(PileId, FolderId), usize>,
}

/// Which folders are the topmost one of a unit.
#[derive(Clone, Copy)]
enum Begins {
    /// Those that a tag marks.
    AtTag,
    /// Those right below a root of the rule.
    BelowRoot,
    /// Every folder is a unit of its own.
    Everywhere,
}

/// What is known of a unit while it is put together.
struct Draft {
    unit: Unit,
    items: Vec<ItemId>,
    folders: Vec<FolderId>,
    /// The time that the youngest part's age counts from.
    youngest: i64,
    is_whole: bool,
}

impl Units {
    /// Puts the units together. Each part gets the age of the youngest; the items of a unit of which a part
    /// isn't its pile's are taken out again, and told.
    pub(crate) fn gather(
        arena: &mut Arena,
        owners: &[Owner],
        (rules, searches): (&RuleSet, &[Search]),
        unread: &mut Gatherer,
    ) -> Self {
        let takes_units = |owner: &Owner| rules.rule(owner.rule).rule.takes_units();
        if !owners.iter().any(takes_units) {
            return Self::default();
        }
        let mut items: HashMap<PileId, Vec<ItemId>> = HashMap::new();
        arena.each(|item, pile, _| {
            if owners.get(pile.0).is_some_and(takes_units) {
                items.entry(pile).or_default().push(item);
            }
        });
        let mut units = Self::default();
        let mut piles: Vec<(PileId, Vec<ItemId>)> = items.into_iter().collect();
        piles.sort_unstable_by_key(|(pile, _)| *pile);
        for (pile, items) in piles {
            let Some(owner) = owners.get(pile.0) else {
                continue;
            };
            let begins = match rules.rule(owner.rule).rule.detect {
                Some(Detect::CacheTagged) => Begins::AtTag,
                Some(Detect::FetchedPackage) => Begins::Everywhere,
                _ => Begins::BelowRoot,
            };
            let is_own =
                |search: &&Search| (search.rule, search.account) == (owner.rule, owner.account);
            let roots: Vec<&TargetPath> = (searches.iter().filter(is_own))
                .map(|it| &it.root)
                .collect();
            let top_of = tops(arena, begins, &roots);
            for draft in drafts(arena, pile, items, &top_of) {
                units.add(arena, draft, unread);
            }
        }
        units
    }

    fn add(&mut self, arena: &mut Arena, draft: Draft, unread: &mut Gatherer) {
        if !draft.is_whole {
            let path = arena.folder_path(draft.unit.root).to_string();
            let reason = "it goes whole or stays, and a part of it isn't this rule's";
            unread.add(path, reason, draft.unit.items);
            draft.items.iter().for_each(|item| arena.drop_item(*item));
            return;
        }
        for item in &draft.items {
            arena.set_time(*item, draft.youngest);
        }
        for folder in draft.folders {
            self.of_folder
                .insert((draft.unit.pile, folder), self.all.len());
            arena.set_folder_time(folder, draft.youngest);
        }
        self.piles.insert(draft.unit.pile);
        self.all.push(draft.unit);
    }

    /// Every unit.
    pub fn all(&self) -> &[Unit] {
        &self.all
    }

    /// Whether a pile has any.
    pub fn has_any_of(&self, pile: PileId) -> bool {
        self.piles.contains(&pile)
    }

    /// The unit that what a pile has in a folder is a part of: its position among all.
    pub fn of(&self, pile: PileId, folder: FolderId) -> Option<usize> {
        self.of_folder.get(&(pile, folder)).copied()
    }
}

/// For every folder the topmost folder of the unit that it lies in or is.
fn tops(arena: &Arena, begins: Begins, roots: &[&TargetPath]) -> Vec<Option<FolderId>> {
    let root_names: HashSet<TargetPath> = roots.iter().map(|root| (*root).clone()).collect();
    let root_ids: HashSet<FolderId> = arena
        .find_folders(&root_names)
        .into_iter()
        .map(|(_, id)| id)
        .collect();
    let mut tops: Vec<Option<FolderId>> = Vec::with_capacity(arena.folder_count());
    for (id, record) in arena.folders() {
        let above = record
            .parent
            .and_then(|parent| tops.get(parent.as_index()).copied().flatten());
        let (above, is_top) = match begins {
            Begins::AtTag => (above, record.is_tag_root),
            Begins::BelowRoot => {
                let is_root = |parent| root_ids.contains(&parent);
                (above, record.parent.is_some_and(is_root))
            }
            Begins::Everywhere => (None, true),
        };
        // A root in a unit of another root is a unit's part there.
        tops.push(above.or_else(|| is_top.then_some(id)));
    }
    tops
}

/// The units that the items of one pile make, in the order of their folders.
fn drafts(
    arena: &Arena,
    pile: PileId,
    items: Vec<ItemId>,
    tops: &[Option<FolderId>],
) -> Vec<Draft> {
    let mut by_top: HashMap<FolderId, Draft> = HashMap::new();
    // How many names of each folder are the unit's.
    let mut told: HashMap<FolderId, u64> = HashMap::new();
    for item in items {
        let folder = arena.folder(item);
        let Some(top) = tops.get(folder.as_index()).copied().flatten() else {
            continue;
        };
        let draft = by_top.entry(top).or_insert_with(|| Draft {
            unit: Unit {
                pile,
                root: top,
                items: 0,
            },
            items: Vec::new(),
            folders: Vec::new(),
            youngest: i64::MIN,
            is_whole: true,
        });
        draft.unit.items += 1;
        draft.youngest = draft.youngest.max(arena.time(item));
        draft.items.push(item);
        *told.entry(folder).or_default() += 1;
    }
    for (id, record) in arena.folders() {
        let top = tops.get(id.as_index()).copied().flatten();
        let Some(draft) = top.and_then(|top| by_top.get_mut(&top)) else {
            continue;
        };
        draft.folders.push(id);
        if let Some(parent) = record.parent.filter(|_| id != draft.unit.root) {
            *told.entry(parent).or_default() += 1;
        }
        // The tag itself is no item, and stays.
        if record.is_tag_root {
            *told.entry(id).or_default() += 1;
        }
    }
    for draft in by_top.values_mut() {
        for folder in &draft.folders {
            let Some(record) = arena.record(*folder) else {
                continue;
            };
            let known = told.get(folder).copied().unwrap_or(0);
            draft.is_whole &= record.is_whole && known == record.entries;
            draft.youngest = draft.youngest.max(record.time);
        }
    }
    let mut drafts: Vec<Draft> = by_top.into_values().collect();
    drafts.sort_unstable_by_key(|draft| draft.unit.root);
    drafts
}
