//! The exact list of what goes, each thing with its identity.

use std::cmp::Ordering;
use std::collections::{HashMap, HashSet};
use std::sync::Arc;

use jiff::Timestamp;
use jolly_disk::{FileKey, Stamp};

use crate::computer::{EntryKind, Layout, Target, TargetPath};
use crate::decide::Decisions;
use crate::host::boot;
use crate::pile::{Scan, Sum};
use crate::plan::order::turns;
use crate::plan::{FileIdentity, Items};
use crate::rule::{Detect, Removal};
use crate::source::{FolderId, ItemId, ItemKind, PileId};

/// One thing that goes.
#[derive(Clone, Debug, PartialEq, Eq)]
pub struct ManifestItem {
    /// The rule that has it.
    pub rule: Arc<str>,
    /// Whose it is; none for the system.
    pub account: Option<Arc<str>>,
    /// What it is.
    pub kind: EntryKind,
    /// Where it is, below the target's root.
    pub path: TargetPath,
    /// How it goes.
    pub by: Removal,
    /// What it frees; nothing for a folder, whose own blocks are counted apart.
    pub bytes: u64,
    /// What it holds on the disk: less than its length where it has holes.
    pub held: u64,
    /// Its apparent length; of a folder the blocks that it holds itself.
    pub size: u64,
    /// The time its age counts from, seconds since 1970.
    pub time: i64,
    /// What must still be so.
    pub identity: FileIdentity,
    /// What must be gone before it: for a trash's info file, what it describes.
    pub after: Option<TargetPath>,
    /// The folder that goes whole or stays, and that it is a part of.
    pub unit: Option<Arc<TargetPath>>,
}

/// What a file that holds anything takes at least, in bytes.
const BLOCK: u64 = 512;

impl ManifestItem {
    /// Bytes that it takes where it is set aside: holes take none.
    pub(crate) fn stored(&self) -> u64 {
        self.size.min(self.held.max(BLOCK))
    }
}

/// Which target a manifest was made for.
#[derive(Clone, Debug, PartialEq, Eq)]
pub struct TargetMark {
    /// The root's path on this machine, made harmless.
    pub root: String,
    /// Which folder the root is.
    pub key: FileKey,
    /// What tells the computer from others.
    pub identity: String,
    /// Its layout.
    pub layout: Layout,
    /// What the computer is called.
    pub label: String,
}

impl TargetMark {
    /// Whether another mark is of the same computer at the same place.
    pub fn is_same(&self, other: &Self) -> bool {
        self.key == other.key && self.root == other.root && self.identity == other.identity
    }

    /// The mark of an open target.
    pub fn of(target: &Target) -> Self {
        use std::os::unix::ffi::OsStrExt as _;
        let root = target.root_path().as_os_str().as_bytes();
        Self {
            root: crate::format::Printable(root).to_string(),
            key: target.key(),
            identity: target.identity().as_str().to_owned(),
            layout: target.layout,
            label: target.label.clone(),
        }
    }
}

/// The exact list that the decisions make.
///
/// # Invariants
/// No path stands in it twice. Each folder comes right after everything below it, and last what
/// describes something else, such as a trash's info files.
#[derive(Clone, Debug, PartialEq, Eq)]
pub struct Manifest {
    /// The target it was made for.
    pub target: TargetMark,
    /// The moment that ages were counted from.
    pub now: Timestamp,
    /// The digest of the rules that made it.
    pub rules: String,
    /// What goes, in the order in which it goes.
    pub items: Items,
    /// Files and links in it, and what they free.
    pub takes: Sum,
    /// Folders in it, and the blocks they hold themselves.
    pub folders: Sum,
    /// Whether the scan it was made from was stopped before its end.
    pub is_partial: bool,
    /// The start of the machine that it was made in: device numbers mean nothing in another one.
    pub boot: String,
}

/// Bytes of a list that are hashed at once.
const DIGESTED: usize = 1 << 16;

/// A manifest that somebody has read and agreed to: the only thing that a sweep takes.
#[derive(Clone, Debug)]
pub struct ConfirmedManifest(Manifest);

impl Manifest {
    /// What tells this list from any other, BLAKE3 in hex: the target, the moment, the rules, and of
    /// each item where, how and what it is.
    pub fn digest(&self) -> String {
        let mut hasher = blake3::Hasher::new();
        // Handed over in large pieces: there are millions of small ones.
        let mut text = Vec::with_capacity(DIGESTED + 8192);
        let key = self.target.key;
        text.extend_from_slice(&key.device.to_le_bytes());
        text.extend_from_slice(&key.inode.to_le_bytes());
        text.extend_from_slice(self.now.to_string().as_bytes());
        text.extend_from_slice(self.rules.as_bytes());
        for item in self.items.views(0..self.items.len()) {
            let (path, identity) = (item.path_pieces(), item.identity());
            // Each path with its length, so that no two lists run together to the same bytes.
            let len: usize = path.iter().map(|piece| piece.len()).sum();
            text.extend_from_slice(&(len as u64).to_le_bytes());
            for piece in path {
                text.extend_from_slice(piece);
            }
            text.extend_from_slice(item.by().name().as_bytes());
            text.extend_from_slice(&identity.key.inode.to_le_bytes());
            text.extend_from_slice(&identity.size.to_le_bytes());
            text.extend_from_slice(&identity.changed.seconds.to_le_bytes());
            text.extend_from_slice(&identity.changed.nanos.to_le_bytes());
            if text.len() >= DIGESTED {
                hasher.update(&text);
                text.clear();
            }
        }
        hasher.update(&text);
        hasher.finalize().to_hex().to_string()
    }

    /// Says that a person has seen this list and agreed to it.
    pub fn confirm(self) -> ConfirmedManifest {
        ConfirmedManifest(self)
    }
}

impl ConfirmedManifest {
    /// The list.
    pub fn manifest(&self) -> &Manifest {
        &self.0
    }
}

/// Makes the list of what the decisions take.
pub fn make_manifest(scan: &Scan, decisions: &Decisions) -> Manifest {
    let piles = (0..scan.piles.len()).map(PileId);
    let mut takes = Sum::default();
    piles.clone().for_each(|id| takes.add(decisions.takes(id)));
    let many = usize::try_from(takes.items).unwrap_or(0);
    // There may be millions, so each is a number as long as can be.
    let mut going: Vec<ItemId> = Vec::with_capacity(many);
    let mut gone_below = vec![0_u64; scan.arena.folder_count()];
    for id in piles {
        for item in decisions.taken_items(scan, id) {
            gone_below[scan.arena.folder(item).as_index()] += 1;
            going.push(item);
        }
    }
    let emptied = emptied_folders(scan, decisions, &mut gone_below);
    let mut folders = Sum::default();
    for (_, folder) in &emptied {
        let bytes = folder.size;
        folders.add(Sum { items: 1, bytes });
    }
    let items = in_order(scan, decisions, going, &emptied);
    Manifest {
        target: TargetMark::of(&scan.target),
        now: scan.now,
        rules: scan.rules.digest().to_owned(),
        items,
        takes,
        folders,
        is_partial: scan.is_partial,
        boot: boot(),
    }
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
    let mut items = Items::with_capacity(files.len() + folders.len(), names);
    let ends = if last.is_empty() { 1 } else { 2 };
    for is_end in [false, true].into_iter().take(ends) {
        let mut folders = folders.iter().peekable();
        let folder = |(_, (path, folder)): &(u32, &(TargetPath, Emptied)), items: &mut Items| {
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
    items
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
    rule: Arc<str>,
    account: Option<Arc<str>>,
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
            rule: rule.id.as_str().into(),
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

    fn folder(&self, path: TargetPath, folder: &Emptied) -> ManifestItem {
        ManifestItem {
            rule: Arc::clone(&self.rule),
            account: self.account.clone(),
            kind: EntryKind::Folder,
            path,
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
            rule: Arc::clone(&self.rule),
            account: self.account.clone(),
            kind: match arena.kind(item) {
                ItemKind::File => EntryKind::File,
                ItemKind::Link => EntryKind::Link,
            },
            by: self.by,
            bytes: arena.frees(item),
            held: arena.allocated(item),
            size: arena.size(item),
            time: arena.time(item),
            identity: FileIdentity {
                key: arena.key(item),
                size: arena.size(item),
                modified: arena.modified(item),
                changed: arena.changed(item),
                links: arena.links(item),
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
