//! The list of what the decisions take, made in the order in which it goes.

use std::cmp::Ordering;
use std::collections::{HashMap, HashSet};
use std::sync::Arc;

use jolly_disk::{FileKey, Stamp, Stat};

use crate::computer::{AccountName, EntryKind, TargetPath};
use crate::decide::Decisions;
use crate::host::boot;
use crate::pile::{Scan, Sum};
use crate::plan::items::columns::Columns;
use crate::plan::order::turns;
use crate::plan::{FileIdentity, Items, ListEntry, Manifest, ManifestItem, TargetMark};
use crate::rule::{Detect, Removal, RuleId};
use crate::source::{FolderId, ItemId, ItemKind, PileId};

/// What a file system holds for a file at once, usually, and at least; in bytes.
const HELD_AT_ONCE: u64 = 4096;
const BLOCK: u64 = 512;

/// Makes the list of what the decisions take.
pub fn make_manifest(scan: &Scan, decisions: &Decisions) -> Manifest {
    let piles = (0..scan.piles.len()).map(PileId);
    let mut takes = Sum::default();
    piles.clone().for_each(|id| takes.add(decisions.takes(id)));
    let is_surveyed =
        (piles.clone()).any(|id| scan.survey_of(id).is_some() && decisions.takes(id).items > 0);
    let many = usize::try_from(takes.items).unwrap_or(0);
    // There may be millions, so each is a number as long as can be.
    let mut going: Vec<ItemId> = Vec::with_capacity(many);
    let mut gone_below = vec![0_u64; scan.arena.folder_count()];
    for id in piles {
        let is_gone = !decisions.of(id).by.keeps_name();
        for item in decisions.taken_items(scan, id) {
            gone_below[scan.arena.folder(item).as_index()] += u64::from(is_gone);
            going.push(item);
        }
    }
    let emptied = emptied_folders(scan, decisions, &mut gone_below);
    let mut folders = Sum::default();
    for (_, folder) in &emptied {
        let bytes = folder.size;
        folders.add(Sum { items: 1, bytes });
    }
    let lists = blocks_of_lists(scan, &going);
    let items = in_order(scan, decisions, going, &emptied);
    Manifest {
        target: TargetMark::of(&scan.target),
        now: scan.now,
        rules: scan.rules.digest().to_owned(),
        items,
        takes,
        folders,
        lists,
        is_partial: scan.is_partial,
        is_surveyed,
        boot: boot(),
    }
}

/// What lists give back beside what their entries promise, as far as blocks of the usual size tell.
fn blocks_of_lists(scan: &Scan, going: &[ItemId]) -> i64 {
    let mut cut: HashMap<FolderId, (u64, &Stat)> = HashMap::new();
    for item in going {
        let rule = scan.pile(scan.arena.pile(*item)).rule;
        // What a database gives back is measured when it is compacted.
        let is_row = scan.rules.rule(rule).rule.records.is_some();
        if let Some(list) = scan.arena.holder(*item).filter(|_| !is_row) {
            let of_list = cut.entry(scan.arena.folder(*item)).or_insert((0, list));
            of_list.0 = of_list.0.saturating_add(scan.arena.frees(*item));
        }
    }
    let beside = cut.values().map(|(bytes, list)| {
        let is_usual = list.allocated.is_multiple_of(HELD_AT_ONCE);
        let block = if is_usual { HELD_AT_ONCE } else { BLOCK };
        let held = list.size.saturating_sub(*bytes).next_multiple_of(block);
        let frees = list.allocated.saturating_sub(held);
        frees.cast_signed().saturating_sub(bytes.cast_signed())
    });
    beside.fold(0, i64::saturating_add)
}

/// What describes something else goes when that is gone, be it a file or a folder; and the folders that it
/// lies in, whichever rule empties them, go after it.
#[derive(Default)]
struct Last {
    /// What each of those items describes.
    described: HashMap<ItemId, TargetPath>,
    folders: HashSet<TargetPath>,
}

impl Last {
    fn of(scan: &Scan, going: &[ItemId]) -> Self {
        let mut last = Self::default();
        let may_describe: Vec<bool> = (scan.piles.iter())
            .map(|pile| scan.rules.rule(pile.rule).rule.detect == Some(Detect::Trash))
            .collect();
        let of_trashes = going
            .iter()
            .filter(|item| may_describe.get(scan.arena.pile(**item).0) == Some(&true));
        for item in of_trashes {
            let path = scan.arena.path(*item);
            let Some(described) = scan.described(*item, &path) else {
                continue;
            };
            last.described.insert(*item, described);
            let mut folder = path.parent();
            while let Some(path) =
                folder.filter(|path| !path.is_root() && !last.folders.contains(path))
            {
                folder = path.parent();
                last.folders.insert(path);
            }
        }
        last
    }

    fn is_empty(&self) -> bool {
        self.described.is_empty()
    }
}

/// The lines of the list as they go: by folder, in a folder by inode, which file systems like. They are
/// made in that order, too, so that they lie in memory as a sweep reads them.
fn in_order(
    scan: &Scan,
    decisions: &Decisions,
    going: Vec<ItemId>,
    emptied: &[(TargetPath, Emptied)],
) -> Items {
    let arena = &scan.arena;
    let last = Last::of(scan, &going);
    let held = partly_taken(scan, decisions);
    let mut paths: Vec<Option<TargetPath>> = vec![None; arena.folder_count()];
    let mut names = 0;
    for item in &going {
        let folder = arena.folder(*item);
        paths[folder.as_index()].get_or_insert_with(|| arena.folder_path(folder));
        names += arena.name(*item).len();
    }
    names += (emptied.iter())
        .map(|(path, _)| path.name().len())
        .sum::<usize>();
    let own = emptied.iter().map(|(path, _)| path.clone());
    let turns = turns(paths.iter().flatten().cloned().chain(own).collect());
    let turn_of = |path: &TargetPath| turns.get(path).copied().unwrap_or_default();
    let contents =
        |path: &Option<TargetPath>| path.as_ref().map_or(0, |path| turn_of(path).contents);
    let contents: Vec<u32> = paths.iter().map(contents).collect();
    let turn = |item: &ItemId| contents[arena.folder(*item).as_index()];
    let files = by_turn(going, &turn, &|one, other| {
        let by_name = || arena.name(*one).cmp(arena.name(*other));
        let inode = |item: &ItemId| arena.key(*item).inode;
        inode(one).cmp(&inode(other)).then_with(by_name)
    });
    let mut folders: Vec<(u32, &(TargetPath, Emptied))> = (emptied.iter())
        .map(|folder| (turn_of(&folder.0).itself, folder))
        .collect();
    folders.sort_unstable_by_key(|(turn, _)| *turn);
    let makers: Vec<Maker<'_>> = (0..scan.piles.len())
        .map(|pile| Maker::new(scan, decisions, PileId(pile)))
        .collect();
    let mut items = Columns::with_capacity(files.len() + folders.len(), names);
    let ends = if last.is_empty() { 1 } else { 2 };
    for is_end in [false, true].into_iter().take(ends) {
        let mut folders = folders.iter().peekable();
        let folder = |(_, (path, folder)): &(u32, &(TargetPath, Emptied)), items: &mut Columns| {
            if last.folders.contains(path) == is_end {
                items.push(&makers[folder.pile.0].folder(path.clone(), folder));
            }
        };
        for item in &files {
            let its = turn(item);
            while let Some(before) = folders.next_if(|(turn, _)| *turn < its) {
                folder(before, &mut items);
            }
            if last.described.contains_key(item) != is_end {
                continue;
            }
            let path = paths[arena.folder(*item).as_index()].as_ref();
            let Some(path) = path.and_then(|folder| folder.join(arena.name(*item)).ok()) else {
                continue;
            };
            let mut made = makers[arena.pile(*item).0].item(*item, path);
            made.after = last.described.get(item).cloned();
            if held.contains(item) {
                made.bytes = 0;
            }
            items.push(&made);
        }
        folders.for_each(|rest| folder(rest, &mut items));
    }
    items.into()
}

/// Sorts items by the turn of their folder, in a folder as told; with nothing beside them but their numbers.
fn by_turn(
    items: Vec<ItemId>,
    turn: &dyn Fn(&ItemId) -> u32,
    in_folder: &dyn Fn(&ItemId, &ItemId) -> Ordering,
) -> Vec<ItemId> {
    let most = items.iter().map(turn).max().unwrap_or(0) as usize;
    let mut next = vec![0_usize; most + 2];
    for item in &items {
        next[turn(item) as usize + 1] += 1;
    }
    for at in 1..next.len() {
        next[at] += next[at - 1];
    }
    let mut sorted = items.clone();
    for item in items {
        let place = &mut next[turn(&item) as usize];
        sorted[*place] = item;
        *place += 1;
    }
    for folder in sorted.chunk_by_mut(|one, other| turn(one) == turn(other)) {
        folder.sort_unstable_by(in_folder);
    }
    sorted
}

/// Files of which not all names go: their item frees nothing.
fn partly_taken(scan: &Scan, decisions: &Decisions) -> HashSet<ItemId> {
    let is_taken = |member: &ItemId| decisions.takes_item(scan, *member);
    let groups = scan.links.iter();
    groups
        .filter(|group| !group.members.iter().all(is_taken))
        .map(|group| group.carrier)
        .collect()
}

/// What the items of one pile have in common.
struct Maker<'a> {
    scan: &'a Scan,
    pile: PileId,
    rule: RuleId,
    account: Option<AccountName>,
    by: Removal,
    /// The topmost folder of each unit of the pile, by the unit's number.
    units: HashMap<usize, Arc<TargetPath>>,
}

impl<'a> Maker<'a> {
    fn new(scan: &'a Scan, decisions: &Decisions, id: PileId) -> Self {
        let pile = scan.pile(id);
        let rule = scan.rules.rule(pile.rule);
        let units = scan.units.all().iter().enumerate();
        let has_any = scan.units.has_any_of(id);
        let own = units.filter(|(_, unit)| has_any && unit.pile == id);
        Self {
            scan,
            pile: id,
            rule: rule.id.clone(),
            account: scan.account_name(pile).map(Into::into),
            by: decisions.of(id).by,
            units: own
                .map(|(number, unit)| (number, Arc::new(scan.arena.folder_path(unit.root))))
                .collect(),
        }
    }

    fn unit(&self, folder: FolderId) -> Option<Arc<TargetPath>> {
        if self.units.is_empty() {
            return None;
        }
        let number = self.scan.units.of(self.pile, folder)?;
        self.units.get(&number).map(Arc::clone)
    }

    fn entry(&self, item: ItemId) -> Option<ListEntry> {
        let rule = &self.scan.rules.rule(self.scan.pile(self.pile).rule).rule;
        let entry = self.scan.arena.fingerprint(item)?;
        rule.entries.map(|list| ListEntry { list, entry })
    }

    fn folder(&self, path: TargetPath, folder: &Emptied) -> ManifestItem {
        ManifestItem {
            rule: self.rule.clone(),
            account: self.account.clone(),
            kind: EntryKind::Folder,
            path,
            entry: None,
            by: self.by,
            bytes: 0,
            held: 0,
            size: folder.size,
            time: folder.time,
            identity: FileIdentity {
                key: folder.key,
                size: 0,
                modified: Stamp::default(),
                changed: Stamp::default(),
                links: 0,
            },
            after: None,
            unit: self.unit(folder.id),
        }
    }

    fn item(&self, item: ItemId, path: TargetPath) -> ManifestItem {
        let arena = &self.scan.arena;
        ManifestItem {
            rule: self.rule.clone(),
            account: self.account.clone(),
            kind: match arena.kind(item) {
                ItemKind::File => EntryKind::File,
                ItemKind::Link => EntryKind::Link,
                ItemKind::Entry => EntryKind::ListEntry,
            },
            entry: self.entry(item),
            by: self.by,
            bytes: arena.frees(item),
            held: arena.allocated(item),
            size: arena.size(item),
            time: arena.time(item),
            identity: match arena.holder(item) {
                Some(holder) => FileIdentity::of(holder),
                None => FileIdentity {
                    key: arena.key(item),
                    size: arena.size(item),
                    modified: arena.modified(item),
                    changed: arena.changed(item),
                    links: arena.links(item),
                },
            },
            after: None,
            unit: self.unit(arena.folder(item)),
            path,
        }
    }
}

/// A folder that is empty once the items are gone.
struct Emptied {
    id: FolderId,
    pile: PileId,
    key: FileKey,
    /// Its own blocks, in bytes.
    size: u64,
    /// What its age counts from.
    time: i64,
}

/// The folders that are empty once the items are gone. A folder that is empty already goes when it is as old as its
/// pile's age limit asks.
fn emptied_folders(
    scan: &Scan,
    decisions: &Decisions,
    gone_below: &mut [u64],
) -> Vec<(TargetPath, Emptied)> {
    let mut emptied = Vec::new();
    for (id, record) in scan.arena.folders().rev() {
        let Some(pile) = record.empty_folder_pile else {
            continue;
        };
        let decision = decisions.of(pile);
        let is_swept = record.is_whole
            && gone_below[id.as_index()] == record.entries
            && decisions.takes_emptied(scan, pile, id);
        let age = Scan::age_of(record.time, scan.now);
        let is_old = decision.limit.is_none_or(|limit| age >= limit.as_seconds());
        if !is_swept || (record.entries == 0 && !is_old) {
            continue;
        }
        if decisions.spares_folder(scan, pile, id, age) {
            continue;
        }
        if let Some(parent) = record.parent {
            gone_below[parent.as_index()] += 1;
        }
        let folder = Emptied {
            id,
            pile,
            key: record.key,
            size: record.allocated,
            time: record.time,
        };
        emptied.push((scan.arena.folder_path(id), folder));
    }
    emptied
}
