//! The same file twice: what is identical, byte by byte as its hash says, as pairs of folders that share it, and the groups
//! that fit no pair.
//!
//! `places` says where copies are looked for, `same` finds what is identical, `pairs` tells it as folders, `stays` suggests
//! which side stays, `versions` finds what shows the same in another form. Nothing is decided here.

mod chosen;
mod meant;
mod pairs;
mod places;
mod same;
mod searches;
mod stays;
mod versions;

use std::collections::{BTreeMap, HashMap};

use crate::cancel::CancelToken;
use crate::computer::{Target, TargetPath};
use crate::survey::FileSort;
use crate::walk::{FileNumber, FileTree, FolderNumber, Unread};
pub use chosen::{ChosenCopy, PairChoice, chosen_copies, chosen_files, said_of, twins_of};
pub use meant::MeantTheSame;
pub use same::CopyNews;
pub use searches::searches_of_copies;
pub use stays::{Side, StaysFor};
pub use versions::{
    Picture, Recording, Version, VersionFacts, VersionGroup, Versions, chosen_versions,
    is_panic_caught, versions,
};

/// Files with the same contents, each a file of its own.
#[derive(Clone, Debug, PartialEq, Eq)]
pub struct CopyGroup {
    /// The length of each, in bytes.
    pub size: u64,
    /// The BLAKE3 of the contents.
    pub hash: [u8; 32],
    /// Two or more, in the order in which they lie.
    pub files: Vec<FileNumber>,
    /// What the first is by its name.
    pub sort: FileSort,
}

impl CopyGroup {
    /// The hash in letters.
    pub fn hash_text(&self) -> String {
        blake3::Hash::from_bytes(self.hash).to_hex().to_string()
    }

    /// What all but one of them take, in bytes.
    pub fn spare(&self) -> u64 {
        let others = self.files.len().saturating_sub(1);
        self.size.saturating_mul(others as u64)
    }
}

/// Two folders that share files.
#[derive(Clone, Debug, PartialEq, Eq)]
pub struct FolderPair {
    /// The one whose path comes first.
    pub a: FolderNumber,
    /// The other one.
    pub b: FolderNumber,
    /// Whether all below them counts; else only what lies right in them.
    pub is_whole: bool,
    /// The groups that have a file in both, by position.
    pub groups: Vec<usize>,
    /// What one side of what they share takes, in bytes.
    pub bytes: u64,
    /// Files that only the first one has.
    pub only_a: u64,
    /// Files that only the other one has.
    pub only_b: u64,
    /// Which side had better stay, and why; none where nothing speaks for either.
    pub stays: Option<(Side, StaysFor)>,
}

/// What is there twice.
#[derive(Default)]
pub struct Copies {
    /// Files with the same contents, what frees most first.
    pub groups: Vec<CopyGroup>,
    /// Folders that share files, what they share most first.
    pub pairs: Vec<FolderPair>,
    /// The groups that fit no pair, by position.
    pub rest: Vec<usize>,
    /// What could not be read, and why.
    pub unread: Vec<Unread>,
    /// How many files were held against each other.
    pub candidates: u64,
    /// Whether it was stopped before its end.
    pub is_partial: bool,
}

impl Copies {
    /// What a pair shares, by sort: how many files, and what one side of them takes, in bytes.
    pub fn by_sort(&self, pair: &FolderPair) -> BTreeMap<FileSort, (u64, u64)> {
        let mut found: BTreeMap<FileSort, (u64, u64)> = BTreeMap::new();
        for group in pair.groups.iter().filter_map(|at| self.groups.get(*at)) {
            let (files, bytes) = found.entry(group.sort).or_default();
            *files += 1;
            *bytes = bytes.saturating_add(group.size);
        }
        found
    }

    /// What all of them take beside one of each, in bytes.
    pub fn spare(&self) -> u64 {
        let spare = self.groups.iter().map(CopyGroup::spare);
        spare.fold(0, u64::saturating_add)
    }
}

/// Looks for what is there twice in a tree that was walked; below some folders alone where they are named. What is meant to
/// be the same isn't told. `sink` hears how far it is.
pub fn copies(
    target: &Target,
    tree: &FileTree,
    (below, meant): (&[TargetPath], &MeantTheSame),
    cancel: &CancelToken,
    sink: &dyn Fn(CopyNews),
) -> Copies {
    let looked_in = places::looked_in(target, tree, below);
    let found = same::find(target, tree, &looked_in, cancel, sink);
    let group_of: HashMap<FileNumber, usize> = found
        .groups
        .iter()
        .enumerate()
        .flat_map(|(at, group)| group.files.iter().map(move |file| (*file, at)))
        .collect();
    let seen = pairs::Seen {
        tree,
        groups: &found.groups,
        group_of: &group_of,
        looked_in: &looked_in,
        meant,
    };
    let (mut pairs, rest) = seen.pairs();
    for pair in &mut pairs {
        pair.stays = stays::suggest(target, tree, pair);
    }
    Copies {
        is_partial: tree.is_partial || found.is_partial,
        groups: found.groups,
        unread: found.unread,
        candidates: found.candidates,
        pairs,
        rest,
    }
}
