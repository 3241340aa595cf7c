//! Where the space is: what each folder holds with all below it, when it was used last, and how that adds up to what the
//! volume says.

mod before;
mod shelves;
mod snapshots;

pub use before::SpaceBefore;
pub use shelves::Shelf;
pub use snapshots::{Snapshot, Snapshots, snapshots};

use std::collections::HashSet;

use std::sync::OnceLock;

use crate::computer::{Target, TargetPath, Volume};
use crate::host::mount_of;
use crate::survey::Lying;
use crate::walk::{FileNumber, FileTree, FolderNumber};

/// What a folder holds with all below it.
#[derive(Clone, Copy, Debug, Default, PartialEq, Eq)]
pub struct Held {
    /// Bytes of the disk; of a file with several names at one of them.
    pub bytes: u64,
    /// Files, links and anything else that is no folder.
    pub files: u64,
    /// When something in it changed last, seconds since 1970.
    pub changed: i64,
    /// When a file in it was used last, seconds since 1970; none where it has no file.
    pub touched: Option<i64>,
    /// Of the bytes, those that rules found.
    pub found: u64,
}

/// A folder or a file.
#[derive(Clone, Copy, Debug, PartialEq, Eq, Hash)]
pub enum Part {
    /// A folder, with all below it.
    Folder(FolderNumber),
    /// A file, or whatever else is no folder.
    File(FileNumber),
}

/// How what was counted adds up to the volume, in bytes.
#[derive(Clone, Copy, Debug, Default, PartialEq, Eq)]
pub struct Whole {
    /// What was counted.
    pub counted: u64,
    /// What snapshots hold alone, at least, where that was asked for.
    pub snapshots: u64,
    /// What the volume says more than that: what could not be read, files that are gone and still open, what the file
    /// system keeps for itself, and what only several snapshots hold together.
    pub unexplained: u64,
    /// What was counted more than the volume says: files share blocks.
    pub shared: u64,
    /// What the file system keeps for the administrator.
    pub reserved: u64,
    /// What may still be filled.
    pub free: u64,
}

impl Whole {
    /// The size of the volume, or of the folder where that is no volume.
    pub fn size(&self) -> u64 {
        let more = self.snapshots + self.unexplained + self.reserved + self.free;
        (self.counted + more).saturating_sub(self.shared)
    }
}

/// Where the space of a target is.
pub struct Space {
    /// Everything that was seen.
    pub tree: FileTree,
    /// The volume that the target is the root of; none where it is a folder of one.
    pub volume: Option<Volume>,
    /// What it held at the last look, where that is known.
    pub before: Option<SpaceBefore>,
    /// What lies in downloads and on the desktop, where that was looked at.
    pub lying: Vec<Lying>,
    /// The largest of what nobody used for long, where that was worked out.
    pub unused: Vec<Part>,
    /// What grew most since the last look, where that was worked out.
    pub grew: Vec<Part>,
    held: Vec<Held>,
    snapshots: OnceLock<Snapshots>,
}

/// Adds up a tree.
pub fn space(target: &Target, tree: FileTree) -> Space {
    Space {
        volume: is_volume(target).then(|| target.measure().ok()).flatten(),
        before: None,
        lying: Vec::new(),
        unused: Vec::new(),
        grew: Vec::new(),
        held: added_up(&tree),
        snapshots: OnceLock::new(),
        tree,
    }
}

/// What each folder holds: what lies right in it, and then, the deepest first, what its folders do.
fn added_up(tree: &FileTree) -> Vec<Held> {
    let right_in = |folder| {
        let own = Held {
            bytes: tree.held_itself(folder),
            changed: tree.modified(folder),
            ..Held::default()
        };
        let files = tree.files_in(folder);
        files.fold(own, |sum, file| sum.with(&of_file(tree, file)))
    };
    let mut held: Vec<Held> = tree.folders().map(right_in).collect();
    for folder in tree.folders().rev() {
        let below = held.get(folder.index()).copied().unwrap_or_default();
        let above = tree.parent(folder);
        if let Some(above) = above.and_then(|above| held.get_mut(above.index())) {
            *above = above.with(&below);
        }
    }
    held
}

/// Whether a target is the root of a volume, and not a folder of one.
fn is_volume(target: &Target) -> bool {
    if target.is_stand_in() {
        return true;
    }
    let mount = mount_of(target.root_path());
    mount.is_some_and(|mount| mount.point == target.root_path())
}

fn of_file(tree: &FileTree, file: FileNumber) -> Held {
    let known = tree.file(file);
    let bytes = tree.held(file);
    let is_found = known.is_some_and(|known| known.is_found);
    Held {
        bytes,
        files: 1,
        changed: known.map_or(0, |known| known.modified),
        touched: known.map(|known| known.touched),
        found: if is_found { bytes } else { 0 },
    }
}

impl Held {
    fn with(&self, other: &Self) -> Self {
        Self {
            bytes: self.bytes.saturating_add(other.bytes),
            files: self.files + other.files,
            changed: self.changed.max(other.changed),
            touched: self.touched.max(other.touched),
            found: self.found.saturating_add(other.found),
        }
    }
}

impl Space {
    /// What a part holds.
    pub fn held(&self, part: Part) -> Held {
        match part {
            Part::Folder(folder) => self.held.get(folder.index()).copied().unwrap_or_default(),
            Part::File(file) => of_file(&self.tree, file),
        }
    }

    /// Where a part lies.
    pub fn path(&self, part: Part) -> TargetPath {
        match part {
            Part::Folder(folder) => self.tree.folder_path(folder),
            Part::File(file) => self.tree.file_path(file),
        }
    }

    /// What a part is called.
    pub fn name(&self, part: Part) -> &[u8] {
        match part {
            Part::Folder(folder) => self.tree.folder_name(folder),
            Part::File(file) => self.tree.file_name(file),
        }
    }

    /// The folder that a part lies in; none of the root.
    pub fn parent(&self, part: Part) -> Option<FolderNumber> {
        match part {
            Part::Folder(folder) => self.tree.parent(folder),
            Part::File(file) => Some(self.tree.folder_of(file)),
        }
    }

    /// What lies right in a folder and holds at least so much, the largest first.
    pub fn parts(&self, folder: FolderNumber, least: u64) -> Vec<Part> {
        self.largest(folder, least, usize::MAX)
    }

    /// The largest so many of them.
    pub fn largest(&self, folder: FolderNumber, least: u64, most: usize) -> Vec<Part> {
        let folders = self.tree.folders_in(folder).map(Part::Folder);
        let files = self.tree.files_in(folder).map(Part::File);
        let mut parts: Vec<(u64, Part)> = folders
            .chain(files)
            .map(|part| (self.held(part).bytes, part))
            .filter(|(bytes, _)| *bytes >= least)
            .collect();
        // A folder may hold a million, and nobody reads more than some of them.
        if parts.len() > most {
            parts.select_nth_unstable_by_key(most, |(bytes, _)| std::cmp::Reverse(*bytes));
            parts.truncate(most);
        }
        parts.sort_by(|one, other| {
            let name = |part| self.name(part);
            (other.0.cmp(&one.0)).then_with(|| name(one.1).cmp(name(other.1)))
        });
        parts.into_iter().map(|(_, part)| part).collect()
    }

    /// Everything in a folder that holds at least so much, itself first, the largest first on each level.
    pub fn rows(&self, start: FolderNumber, least: u64) -> Vec<Part> {
        let mut rows = Vec::new();
        let mut waiting = vec![Part::Folder(start)];
        while let Some(part) = waiting.pop() {
            rows.push(part);
            if let Part::Folder(folder) = part {
                let mut parts = self.parts(folder, least);
                parts.reverse();
                waiting.extend(parts);
            }
        }
        rows
    }

    /// Works out what nobody used since a moment, in seconds since 1970, and what grew: so many of each at most.
    pub fn note_lists(&mut self, moment: i64, most: usize) {
        self.unused = self.unused_since(moment, most);
        self.grew = self.grown(most);
    }

    /// Whether there may be snapshots that nobody asked about yet.
    pub fn may_have_snapshots(&self) -> bool {
        !self.tree.apart.is_empty() && self.volume.is_some() && self.snapshots.get().is_none()
    }

    /// Takes in what snapshots hold; what is known already stays.
    pub fn note_snapshots(&self, known: Snapshots) {
        drop(self.snapshots.set(known));
    }

    /// What snapshots hold, once that was asked for.
    pub fn snapshots(&self) -> Option<&Snapshots> {
        self.snapshots.get()
    }

    /// How it adds up to the volume.
    pub fn whole(&self) -> Whole {
        let counted = self.held(Part::Folder(FolderNumber::ROOT)).bytes;
        let volume = self.volume;
        let used = volume.map_or(counted, |volume| volume.used);
        let more = used.saturating_sub(counted);
        let snapshots = self.snapshots.get().map_or(0, Snapshots::alone).min(more);
        Whole {
            counted,
            snapshots,
            unexplained: more - snapshots,
            shared: counted.saturating_sub(used),
            reserved: volume.map_or(0, |volume| volume.reserved()),
            free: volume.map_or(0, |volume| volume.free),
        }
    }

    /// The largest of what nobody used since a moment, in seconds since 1970: a folder where nothing in it was, else a file.
    pub fn unused_since(&self, moment: i64, most: usize) -> Vec<Part> {
        let is_unused = |held: &Held| held.touched.is_some_and(|at| at < moment);
        let mut found: Vec<(u64, Part)> = Vec::new();
        let mut waiting = vec![FolderNumber::ROOT];
        let mut add = |part: Part, held: &Held| found.push((held.bytes, part));
        while let Some(folder) = waiting.pop() {
            for below in self.tree.folders_in(folder) {
                let held = self.held(Part::Folder(below));
                if is_unused(&held) {
                    add(Part::Folder(below), &held);
                } else if held.files > 0 {
                    waiting.push(below);
                }
            }
            for file in self.tree.files_in(folder) {
                let held = self.held(Part::File(file));
                if is_unused(&held) {
                    add(Part::File(file), &held);
                }
            }
        }
        let key = |one: &(u64, Part)| (std::cmp::Reverse(one.0), self.path(one.1));
        if found.len() > most {
            found.select_nth_unstable_by_key(most, |one| std::cmp::Reverse(one.0));
            found.truncate(most);
        }
        found.sort_by_cached_key(key);
        found.into_iter().map(|(_, part)| part).collect()
    }

    /// Notes what rules found: files by their names, in which folders.
    pub fn mark<'n>(&mut self, found: impl Iterator<Item = (TargetPath, HashSet<&'n [u8]>)>) {
        for (path, names) in found {
            if let Some(folder) = self.tree.find(&path) {
                self.tree.mark_found(folder, &names);
            }
        }
        self.held = added_up(&self.tree);
    }
}
