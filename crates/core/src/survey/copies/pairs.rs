//! Copies as people think of them: two folders that share files. Where all of two folders is shared but for little, what lies
//! in them is folded into one pair.

use std::collections::{BTreeMap, HashMap, HashSet};

use crate::survey::copies::{CopyGroup, FolderPair, MeantTheSame};
use crate::walk::{FileNumber, FileTree, FolderNumber};

/// Contents that lie in more folders than this say nothing of two of them.
const MOST_FOLDERS: usize = 16;

/// Pairs that are told at most; what the others share stands with the rest.
const MOST_PAIRS: usize = 5_000;

/// Two folders, the first one first.
type Two = (FolderNumber, FolderNumber);

/// What pairs are made of.
pub(super) struct Seen<'a> {
    pub tree: &'a FileTree,
    pub groups: &'a [CopyGroup],
    pub group_of: &'a HashMap<FileNumber, usize>,
    pub looked_in: &'a [bool],
    /// Folders that are meant to be the same.
    pub meant: &'a MeantTheSame,
}

/// A pair that is being put together.
#[derive(Default)]
struct Draft {
    groups: HashSet<usize>,
    is_whole: bool,
}

impl Seen<'_> {
    /// The pairs, what they share most first, and the groups that fit none.
    pub(super) fn pairs(&self) -> (Vec<FolderPair>, Vec<usize>) {
        let drafts = self.folded(self.direct());
        let mut pairs: Vec<FolderPair> = drafts
            .into_iter()
            .map(|(two, draft)| self.finished(two, &draft))
            // One file that two folders share among others makes no pair of them.
            .filter(|pair| pair.groups.len() > 1 || pair.only_a == 0 || pair.only_b == 0)
            .collect();
        let path = |folder| self.tree.folder_path(folder);
        pairs
            .sort_by_cached_key(|pair| (std::cmp::Reverse(pair.bytes), path(pair.a), path(pair.b)));
        pairs.truncate(MOST_PAIRS);
        // What two folders are meant to share is told neither as a pair nor with the rest.
        let is_meant = |pair: &FolderPair| {
            !self.meant.is_empty() && self.meant.has(&path(pair.a), &path(pair.b))
        };
        let (meant, pairs): (Vec<FolderPair>, Vec<FolderPair>) =
            pairs.into_iter().partition(is_meant);
        let paired: HashSet<usize> = pairs
            .iter()
            .chain(&meant)
            .flat_map(|pair| pair.groups.iter().copied())
            .collect();
        let rest = (0..self.groups.len()).filter(|at| !paired.contains(at));
        (pairs, rest.collect())
    }

    /// Folders that share contents right in them.
    fn direct(&self) -> HashMap<Two, Draft> {
        let mut drafts: HashMap<Two, Draft> = HashMap::new();
        for (at, group) in self.groups.iter().enumerate() {
            let folders = group.files.iter().map(|file| self.tree.folder_of(*file));
            let mut folders: Vec<FolderNumber> = folders.collect();
            folders.sort_unstable();
            folders.dedup();
            if folders.len() > MOST_FOLDERS {
                continue;
            }
            for (first, a) in folders.iter().enumerate() {
                for b in folders.iter().skip(first + 1) {
                    drafts.entry((*a, *b)).or_default().groups.insert(at);
                }
            }
        }
        drafts
    }

    /// Puts pairs into the pair of the folders above them, the deepest first, where these bear the same names below and
    /// share half of the smaller one at least.
    fn folded(&self, mut drafts: HashMap<Two, Draft>) -> HashMap<Two, Draft> {
        let counts = self.counts();
        let mut by_depth: BTreeMap<usize, HashSet<Two>> = BTreeMap::new();
        for two in drafts.keys() {
            by_depth.entry(self.depth(*two)).or_default().insert(*two);
        }
        while let Some((_, level)) = by_depth.pop_last() {
            let mut above: HashMap<Two, Vec<Two>> = HashMap::new();
            for two in level {
                if let Some(parents) = self.parents(two) {
                    above.entry(parents).or_default().push(two);
                }
            }
            for (parents, below) in above {
                let mut groups: HashSet<usize> = HashSet::new();
                for two in below.iter().chain([&parents]) {
                    groups.extend(drafts.get(two).into_iter().flat_map(|draft| &draft.groups));
                }
                let of = |folder: FolderNumber| counts.get(folder.index()).copied().unwrap_or(0);
                let smaller = of(parents.0).min(of(parents.1));
                if (groups.len() as u64).saturating_mul(2) < smaller {
                    continue;
                }
                for two in &below {
                    drafts.remove(two);
                }
                let draft = Draft {
                    groups,
                    is_whole: true,
                };
                drafts.insert(parents, draft);
                by_depth
                    .entry(self.depth(parents))
                    .or_default()
                    .insert(parents);
            }
        }
        drafts
    }

    /// The folders above two of the same name, where they are two and none lies in the other.
    fn parents(&self, (a, b): Two) -> Option<Two> {
        let name = |folder| self.tree.folder_name(folder);
        if name(a) != name(b) {
            return None;
        }
        let (above_a, above_b) = (self.tree.parent(a)?, self.tree.parent(b)?);
        let is_apart = above_a != above_b
            && !self.lies_in(above_a, above_b)
            && !self.lies_in(above_b, above_a);
        is_apart.then(|| (above_a.min(above_b), above_a.max(above_b)))
    }

    fn lies_in(&self, folder: FolderNumber, other: FolderNumber) -> bool {
        let mut at = Some(folder);
        while let Some(here) = at {
            if here == other {
                return true;
            }
            at = self.tree.parent(here);
        }
        false
    }

    fn depth(&self, (a, b): Two) -> usize {
        let depth = |folder| {
            let above = |at: &FolderNumber| self.tree.parent(*at);
            std::iter::successors(Some(folder), above).count()
        };
        depth(a) + depth(b)
    }

    /// Files that may be copies, right in each folder and below it.
    fn counts(&self) -> Vec<u64> {
        let right_in = |folder| self.files_in(folder).count() as u64;
        let mut counts: Vec<u64> = self.tree.folders().map(right_in).collect();
        for folder in self.tree.folders().rev() {
            let own = counts.get(folder.index()).copied().unwrap_or(0);
            let above = self.tree.parent(folder);
            if let Some(above) = above.and_then(|above| counts.get_mut(above.index())) {
                *above += own;
            }
        }
        counts
    }

    /// The files right in a folder that may be copies.
    fn files_in(&self, folder: FolderNumber) -> impl Iterator<Item = FileNumber> + '_ {
        let is_looked_in = self.looked_in.get(folder.index()) == Some(&true);
        let files = self.tree.files_in(folder).filter(move |_| is_looked_in);
        files.filter(|file| super::same::size_of(self.tree, *file).is_some())
    }

    /// The files that a side of a pair has.
    fn files_of(&self, folder: FolderNumber, is_whole: bool) -> Vec<FileNumber> {
        let (mut files, mut waiting) = (Vec::new(), vec![folder]);
        while let Some(folder) = waiting.pop() {
            files.extend(self.files_in(folder));
            if is_whole {
                waiting.extend(self.tree.folders_in(folder));
            }
        }
        files
    }

    fn finished(&self, (a, b): Two, draft: &Draft) -> FolderPair {
        // Numbers are as threads came by; paths are the same each time.
        let path = |folder| self.tree.folder_path(folder);
        let (a, b) = if path(a) <= path(b) { (a, b) } else { (b, a) };
        let (files_a, files_b) = (
            self.files_of(a, draft.is_whole),
            self.files_of(b, draft.is_whole),
        );
        let groups_of = |files: &[FileNumber]| -> HashSet<usize> {
            let known = files.iter().filter_map(|file| self.group_of.get(file));
            known.copied().collect()
        };
        let (in_a, in_b) = (groups_of(&files_a), groups_of(&files_b));
        let mut groups: Vec<usize> = in_a.intersection(&in_b).copied().collect();
        groups.sort_unstable();
        let only = |files: &[FileNumber], other: &HashSet<usize>| {
            let is_other = |file: &&FileNumber| {
                let group = self.group_of.get(file);
                group.is_none_or(|group| !other.contains(group))
            };
            files.iter().filter(is_other).count() as u64
        };
        let size = |at: &usize| self.groups.get(*at).map_or(0, |group| group.size);
        FolderPair {
            a,
            b,
            is_whole: draft.is_whole,
            bytes: groups.iter().map(size).fold(0, u64::saturating_add),
            only_a: only(&files_a, &in_b),
            only_b: only(&files_b, &in_a),
            groups,
            stays: None,
        }
    }
}
