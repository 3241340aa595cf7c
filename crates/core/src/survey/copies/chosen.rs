//! What goes once it was said which side of a pair stays: never the last of any contents, whatever was said.

use std::collections::{BTreeMap, BTreeSet, HashMap, HashSet};

use crate::computer::TargetPath;
use crate::rule::AsRead;
use crate::survey::FileSort;
use crate::survey::copies::{Copies, FolderPair, Side};
use crate::walk::{FileNumber, FileTree, FolderNumber};

/// What was said of a pair.
#[derive(Clone, Debug, PartialEq, Eq)]
pub struct PairChoice {
    /// The pair, by position.
    pub pair: usize,
    /// The side that stays; what it shares with the other goes from there.
    pub stays: Side,
    /// Of files of these sorts both stay.
    pub spares: BTreeSet<FileSort>,
}

impl PairChoice {
    /// All that a pair shares goes from the other side than this one.
    pub fn all(pair: usize, stays: Side) -> Self {
        Self {
            pair,
            stays,
            spares: BTreeSet::new(),
        }
    }
}

/// A file that is to go, and one that stays for it.
#[derive(Clone, Debug, PartialEq, Eq)]
pub struct ChosenCopy {
    /// The one that goes.
    pub goes: TargetPath,
    /// The one that stays.
    pub stays: TargetPath,
    /// How both were, where they are two versions of the same; else they have the same contents.
    pub as_read: Option<AsRead>,
}

impl ChosenCopy {
    /// A file with the same contents as one that stays.
    pub fn same(goes: TargetPath, stays: TargetPath) -> Self {
        Self {
            goes,
            stays,
            as_read: None,
        }
    }
}

/// What goes by all that was said, in the order of the paths.
pub fn chosen_copies(copies: &Copies, tree: &FileTree, said: &[PairChoice]) -> Vec<ChosenCopy> {
    let chosen = chosen_files(copies, tree, said).into_iter();
    let mut chosen: Vec<ChosenCopy> = chosen
        .map(|(goes, stays)| ChosenCopy::same(tree.file_path(goes), tree.file_path(stays)))
        .collect();
    chosen.sort_by(|one, other| one.goes.cmp(&other.goes));
    chosen
}

/// The same in no order: each file that goes, and the one that stays for it. Where every file with some contents would go, the
/// first that was said to stay does.
pub fn chosen_files(
    copies: &Copies,
    tree: &FileTree,
    said: &[PairChoice],
) -> Vec<(FileNumber, FileNumber)> {
    let mut going: HashMap<usize, HashSet<FileNumber>> = HashMap::new();
    let mut preferred: HashMap<usize, FileNumber> = HashMap::new();
    for choice in said {
        let Some(pair) = copies.pairs.get(choice.pair) else {
            continue;
        };
        let (stays, goes) = match choice.stays {
            Side::A => (pair.a, pair.b),
            Side::B => (pair.b, pair.a),
        };
        for at in &pair.groups {
            let Some(group) = copies.groups.get(*at) else {
                continue;
            };
            if choice.spares.contains(&group.sort) {
                continue;
            }
            let is_in = |file: &FileNumber, side| lies_in(tree, *file, side, pair.is_whole);
            let kept = group.files.iter().find(|file| is_in(file, stays));
            let Some(kept) = kept else { continue };
            preferred.entry(*at).or_insert(*kept);
            // What lies in both, since one side lies in the other, stays.
            let leaves = group
                .files
                .iter()
                .filter(|file| is_in(file, goes) && !is_in(file, stays));
            going.entry(*at).or_default().extend(leaves.copied());
        }
    }
    let mut chosen = Vec::new();
    for (at, mut files) in going {
        let Some(group) = copies.groups.get(at) else {
            continue;
        };
        let wanted = preferred.get(&at).copied();
        let mut left = group.files.iter().filter(|file| !files.contains(file));
        let is_left = |file: &FileNumber| !files.contains(file);
        // Where all would go, the one that was wanted first stays.
        let kept = wanted
            .filter(is_left)
            .or_else(|| left.next().copied())
            .or(wanted);
        let Some(kept) = kept else { continue };
        files.remove(&kept);
        chosen.extend(files.into_iter().map(|file| (file, kept)));
    }
    chosen
}

/// Whether a file lies right in a folder, or where all below it counts anywhere in it.
fn lies_in(tree: &FileTree, file: FileNumber, folder: FolderNumber, is_whole: bool) -> bool {
    let mut at = Some(tree.folder_of(file));
    while let Some(here) = at {
        if here == folder {
            return true;
        }
        at = tree.parent(here).filter(|_| is_whole);
    }
    false
}

/// What was said of pairs, where these files are to go: of a pair the other side stays where all that it shares goes from
/// one.
pub fn said_of(copies: &Copies, tree: &FileTree, chosen: &[ChosenCopy]) -> Vec<PairChoice> {
    let own = chosen.iter().filter(|copy| copy.as_read.is_none());
    let goes: HashSet<&TargetPath> = own.map(|copy| &copy.goes).collect();
    if goes.is_empty() {
        return Vec::new();
    }
    let going: HashSet<FileNumber> = copies
        .groups
        .iter()
        .flat_map(|group| &group.files)
        .filter(|file| goes.contains(&tree.file_path(**file)))
        .copied()
        .collect();
    // Of each sort all goes from a side, or nothing.
    let goes_from = |pair: &FolderPair, side, other| -> Option<BTreeSet<FileSort>> {
        let mut by_sort: BTreeMap<FileSort, (bool, bool)> = BTreeMap::new();
        let groups = pair.groups.iter().filter_map(|at| copies.groups.get(*at));
        for group in groups {
            let own = group.files.iter().filter(|file| {
                lies_in(tree, **file, side, pair.is_whole)
                    && !lies_in(tree, **file, other, pair.is_whole)
            });
            let (any, all) = by_sort.entry(group.sort).or_insert((false, true));
            for file in own {
                *any |= going.contains(file);
                *all &= going.contains(file);
            }
        }
        let is_clear = by_sort.values().all(|(any, all)| any == all);
        let is_any = by_sort.values().any(|(any, _)| *any);
        let spared = by_sort.iter().filter(|(_, (any, _))| !any);
        (is_clear && is_any).then(|| spared.map(|(sort, _)| *sort).collect())
    };
    let mut said = Vec::new();
    for (at, pair) in copies.pairs.iter().enumerate() {
        let from = (
            goes_from(pair, pair.a, pair.b),
            goes_from(pair, pair.b, pair.a),
        );
        let (stays, spares) = match from {
            (None, Some(spares)) => (Side::A, spares),
            (Some(spares), None) => (Side::B, spares),
            _ => continue,
        };
        said.push(PairChoice {
            pair: at,
            stays,
            spares,
        });
    }
    said
}

/// The same for files that are to go whatever was said of pairs: with each another one of its contents that isn't among
/// them. A file that has none is left out.
pub fn twins_of(copies: &Copies, tree: &FileTree, goes: &BTreeSet<TargetPath>) -> Vec<ChosenCopy> {
    let mut chosen = Vec::new();
    for group in &copies.groups {
        let paths = group.files.iter().map(|file| tree.file_path(*file));
        let (going, staying): (Vec<TargetPath>, Vec<TargetPath>) =
            paths.partition(|path| goes.contains(path));
        if let Some(stays) = staying.first() {
            let going = going.into_iter();
            chosen.extend(going.map(|goes| ChosenCopy::same(goes, stays.clone())));
        }
    }
    chosen
}
