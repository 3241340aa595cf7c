//! The exact list of what goes, each thing with its identity.

use crate::plan::FileIdentity;
use std::collections::{HashMap, HashSet};
use std::sync::Arc;

use jiff::Timestamp;
use jolly_disk::{FileKey, Stamp};

use crate::computer::{EntryKind, Layout, Target, TargetPath};
use crate::decide::Decisions;
use crate::host::boot;
use crate::pile::{Scan, Sum};
use crate::plan::order::turns;
use crate::rule::Removal;
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
    pub items: Vec<ManifestItem>,
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
        for item in &self.items {
            let (path, identity) = (item.path.as_bytes(), &item.identity);
            // Each path with its length, so that no two lists run together to the same bytes.
            text.extend_from_slice(&(path.len() as u64).to_le_bytes());
            text.extend_from_slice(path);
            text.extend_from_slice(item.by.name().as_bytes());
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
    let mut takes = Sum::default();
    let mut going = Vec::new();
    let mut gone_below = vec![0_u64; scan.arena.folder_count()];
    for id in (0..scan.piles.len()).map(PileId) {
        takes.add(decisions.takes(id));
        for item in decisions.taken_items(scan, id) {
            gone_below[scan.arena.folder(item).as_index()] += 1;
            going.push((id, item));
        }
    }
    let emptied = emptied_folders(scan, decisions, &mut gone_below);
    let mut folders = Sum::default();
    for folder in &emptied {
        let bytes = folder.size;
        folders.add(Sum { items: 1, bytes });
    }
    let mut items = in_order(scan, decisions, going, emptied);
    put_notes_last(&mut items);
    correct_hard_links(scan, decisions, &mut items);
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
fn put_notes_last(items: &mut [ManifestItem]) {
    let mut above: HashSet<TargetPath> = HashSet::new();
    for item in items.iter().filter(|item| item.after.is_some()) {
        let mut folder = item.path.parent();
        while let Some(path) = folder.filter(|path| !path.is_root() && !above.contains(path)) {
            folder = path.parent();
            above.insert(path);
        }
    }
    let is_last = |item: &ManifestItem| {
        item.after.is_some() || (item.kind == EntryKind::Folder && above.contains(&item.path))
    };
    items.sort_by_key(is_last);
}

/// The lines of the list as they go: by folder, in a folder by inode, which file systems like. They are
/// made in that order, too, so that they lie in memory as a sweep reads them.
fn in_order(
    scan: &Scan,
    decisions: &Decisions,
    going: Vec<(PileId, ItemId)>,
    emptied: Vec<ManifestItem>,
) -> Vec<ManifestItem> {
    let arena = &scan.arena;
    let mut paths: Vec<Option<TargetPath>> = vec![None; arena.folder_count()];
    for (_, item) in &going {
        let folder = arena.folder(*item);
        paths[folder.as_index()].get_or_insert_with(|| arena.folder_path(folder));
    }
    let own = emptied.iter().map(|folder| folder.path.clone());
    let turns = turns(paths.iter().flatten().cloned().chain(own).collect());
    let turn_of = |path: &TargetPath| turns.get(path).copied().unwrap_or_default();
    let contents =
        |path: &Option<TargetPath>| path.as_ref().map_or(0, |path| turn_of(path).contents);
    let contents: Vec<u32> = paths.iter().map(contents).collect();
    let mut files: Vec<(u32, u64, PileId, ItemId)> = (going.into_iter())
        .map(|(pile, item)| {
            let turn = contents[arena.folder(item).as_index()];
            (turn, arena.key(item).inode, pile, item)
        })
        .collect();
    files.sort_unstable_by(|one, other| {
        let by_name = || arena.name(one.3).cmp(arena.name(other.3));
        (one.0, one.1).cmp(&(other.0, other.1)).then_with(by_name)
    });
    let mut folders: Vec<(u32, ManifestItem)> = (emptied.into_iter())
        .map(|folder| (turn_of(&folder.path).itself, folder))
        .collect();
    folders.sort_unstable_by_key(|(turn, _)| *turn);
    let makers: Vec<Maker<'_>> = (0..scan.piles.len())
        .map(|pile| Maker::new(scan, decisions, PileId(pile)))
        .collect();
    let mut items = Vec::with_capacity(files.len() + folders.len());
    let mut folders = folders.into_iter().peekable();
    for (turn, _, pile, item) in files {
        while let Some((_, folder)) = folders.next_if(|(its, _)| *its < turn) {
            items.push(folder);
        }
        let folder = paths[arena.folder(item).as_index()].as_ref();
        let path = folder.and_then(|folder| folder.join(arena.name(item)).ok());
        items.extend(path.map(|path| makers[pile.0].item(item, path)));
    }
    items.extend(folders.map(|(_, folder)| folder));
    items
}

/// A file of which not all names go frees nothing.
fn correct_hard_links(scan: &Scan, decisions: &Decisions, items: &mut [ManifestItem]) {
    let is_taken = |member: &ItemId| decisions.takes_item(scan, *member);
    let held: HashSet<TargetPath> = (scan.links.iter())
        .filter(|group| !group.members.iter().all(is_taken))
        .map(|group| scan.arena.path(group.carrier))
        .collect();
    let several = items.iter_mut().filter(|item| item.identity.links > 1);
    for item in several.filter(|item| held.contains(&item.path)) {
        item.bytes = 0;
    }
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

    fn item(&self, item: ItemId, path: TargetPath) -> ManifestItem {
        let arena = &self.scan.arena;
        let described = self.scan.described(item, &path);
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
            after: described,
            unit: self.unit(arena.folder(item)),
            path,
        }
    }
}

/// The folders that are empty once the items are gone, with their own blocks as size. A
/// folder that is empty already goes when it is as old as its pile's age limit asks.
fn emptied_folders(
    scan: &Scan,
    decisions: &Decisions,
    gone_below: &mut [u64],
) -> Vec<ManifestItem> {
    let mut emptied = Vec::new();
    let mut makers: Vec<Option<Maker<'_>>> = (0..scan.piles.len()).map(|_| None).collect();
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
        let path = scan.arena.folder_path(id);
        if let Some(parent) = record.parent {
            gone_below[parent.as_index()] += 1;
        }
        let maker = makers[pile.0].get_or_insert_with(|| Maker::new(scan, decisions, pile));
        emptied.push(ManifestItem {
            rule: Arc::clone(&maker.rule),
            account: maker.account.clone(),
            kind: EntryKind::Folder,
            path,
            by: maker.by,
            bytes: 0,
            held: 0,
            size: record.allocated,
            time: record.time,
            identity: FileIdentity {
                key: record.key,
                size: 0,
                modified: Stamp::default(),
                changed: Stamp::default(),
                links: 0,
            },
            after: None,
            unit: maker.unit(id),
        });
    }
    emptied
}
