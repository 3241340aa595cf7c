//! Everything on a target, or below some folders of it, walked once: each folder and file with what it holds and when it was
//! used last.
//!
//! Files stand in columns by the thread that saw them (`walker.rs`), and aren't put together afterwards: a number says where.
//! It takes some 55 bytes a file, its name included.

mod walker;

use std::collections::HashSet;
use std::ffi::CStr;

use jolly_disk::{FileKey, Kind};

use crate::computer::TargetPath;
use crate::walk::Unread;
pub use crate::walk::tree::walker::{TreeNews, walk_tree};

/// A folder of a tree. Its parent's number is lower.
#[derive(Clone, Copy, Debug, PartialEq, Eq, Hash, PartialOrd, Ord)]
pub struct FolderNumber(pub(crate) u32);

impl FolderNumber {
    /// The root of the target.
    pub const ROOT: Self = Self(0);

    /// Its position among all folders.
    pub(crate) fn index(self) -> usize {
        as_index(self.0).unwrap_or(usize::MAX)
    }
}

/// A file of a tree, in the order in which files lie there.
#[derive(Clone, Copy, Debug, PartialEq, Eq, Hash, PartialOrd, Ord)]
pub struct FileNumber {
    shard: u16,
    at: u32,
}

/// A folder as it was seen.
#[derive(Clone, Copy, Debug)]
pub(crate) struct TreeFolder {
    parent: u32,
    /// Where its name stands.
    name: (u16, u32),
    /// Where its files stand.
    files: (u16, u32, u32),
    /// What it holds itself, in bytes of the disk.
    held: u64,
    /// When a name in it changed last, seconds since 1970.
    modified: i64,
}

/// A file, link or anything else that is no folder.
#[derive(Clone, Copy, Debug)]
pub struct TreeFile {
    /// Its length, in bytes.
    pub size: u64,
    /// When its contents changed last, seconds since 1970.
    pub modified: i64,
    /// When it was used last: read or changed, as far as the disk says; seconds since 1970.
    pub touched: i64,
    /// Whether it is a regular file.
    pub is_regular: bool,
    /// Whether its bytes are counted at another of its names.
    pub is_again: bool,
    /// Whether a rule found it.
    pub is_found: bool,
}

/// A file in few bytes: there are millions.
#[derive(Clone, Copy, Debug)]
struct FileRecord {
    size: u64,
    name: u32,
    /// Seconds since 1970; the most where they don't fit, and `dates` has them.
    modified: u32,
    /// The same, as near as it fits.
    touched: u32,
    /// Blocks of 512 bytes, the most where there are more and `large` has them; and above them three marks.
    blocks: u32,
}

/// What a file's blocks and marks stand for.
const BLOCKS: u32 = (1 << 29) - 1;
const REGULAR: u32 = 1 << 29;
const AGAIN: u32 = 1 << 30;
const FOUND: u32 = 1 << 31;

/// What one thread saw.
#[derive(Default)]
pub(crate) struct Shard {
    files: Vec<FileRecord>,
    /// The folder of the files from one on, in order.
    runs: Vec<(u32, u32)>,
    /// Last modifications that don't fit, in order.
    dates: Vec<(u32, i64)>,
    /// Names, each ended by a zero byte.
    names: Vec<u8>,
    /// What holds more blocks than its column can say, in order.
    large: Vec<(u32, u64)>,
    /// Which file each name of one with several is of.
    linked: Vec<(FileKey, u32)>,
}

/// Everything that was seen.
#[derive(Default)]
pub struct FileTree {
    folders: Vec<TreeFolder>,
    /// The folders in each folder: where they begin, and all of them in the order of their parents.
    first_child: Vec<u32>,
    children: Vec<u32>,
    shards: Vec<Shard>,
    /// What could not be read, and why.
    pub unread: Vec<Unread>,
    /// Folders where another volume begins, or a part of this one that stands apart.
    pub apart: Vec<TargetPath>,
    /// Whether it was stopped before its end.
    pub is_partial: bool,
}

impl FileTree {
    /// Every folder, parents first.
    pub fn folders(&self) -> impl DoubleEndedIterator<Item = FolderNumber> + use<> {
        let count = u32::try_from(self.folders.len()).unwrap_or(u32::MAX);
        (0..count).map(FolderNumber)
    }

    fn at(&self, folder: FolderNumber) -> Option<&TreeFolder> {
        self.folders.get(folder.index())
    }

    /// The folder that a folder lies in; none of the root.
    pub fn parent(&self, folder: FolderNumber) -> Option<FolderNumber> {
        let parent = self.at(folder)?.parent;
        (folder != FolderNumber::ROOT).then_some(FolderNumber(parent))
    }

    /// The folders in a folder.
    pub fn folders_in(&self, folder: FolderNumber) -> impl Iterator<Item = FolderNumber> + '_ {
        let start = folder.index();
        let first = self.first_child.get(start).copied().unwrap_or(0);
        let end = self.first_child.get(start.saturating_add(1)).copied();
        let range = first..end.unwrap_or(first);
        let all = self.children.get(as_range(range)).unwrap_or_default();
        all.iter().map(|child| FolderNumber(*child))
    }

    /// The files right in a folder.
    pub fn files_in(&self, folder: FolderNumber) -> impl Iterator<Item = FileNumber> + use<> {
        let (shard, start, end) = self.at(folder).map_or((0, 0, 0), |known| known.files);
        (start..end).map(move |at| FileNumber { shard, at })
    }

    /// A file.
    pub fn file(&self, file: FileNumber) -> Option<TreeFile> {
        let shard = self.shards.get(usize::from(file.shard))?;
        let record = shard.record(file.at)?;
        Some(TreeFile {
            size: record.size,
            modified: match record.modified {
                u32::MAX => beside(&shard.dates, file.at).unwrap_or_default(),
                seconds => seconds.into(),
            },
            touched: record.touched.into(),
            is_regular: record.blocks & REGULAR != 0,
            is_again: record.blocks & AGAIN != 0,
            is_found: record.blocks & FOUND != 0,
        })
    }

    /// What a file holds, in bytes of the disk: nothing where that is counted at another of its names.
    pub fn held(&self, file: FileNumber) -> u64 {
        let Some(shard) = self.shards.get(usize::from(file.shard)) else {
            return 0;
        };
        match shard.record(file.at).map(|record| record.blocks) {
            None => 0,
            Some(blocks) if blocks & AGAIN != 0 => 0,
            Some(blocks) if blocks & BLOCKS < BLOCKS => u64::from(blocks & BLOCKS) * BLOCK,
            Some(_) => beside(&shard.large, file.at).unwrap_or_default(),
        }
    }

    /// What a folder holds itself, in bytes of the disk.
    pub fn held_itself(&self, folder: FolderNumber) -> u64 {
        self.at(folder).map_or(0, |known| known.held)
    }

    /// When a name in a folder changed last, seconds since 1970.
    pub fn modified(&self, folder: FolderNumber) -> i64 {
        self.at(folder).map_or(0, |known| known.modified)
    }

    /// The folder that a file lies in.
    pub fn folder_of(&self, file: FileNumber) -> FolderNumber {
        let shard = self.shards.get(usize::from(file.shard));
        let runs = shard.map_or(&[][..], |shard| &shard.runs);
        let after = runs.partition_point(|(at, _)| *at <= file.at);
        let run = after.checked_sub(1).and_then(|at| runs.get(at));
        FolderNumber(run.map_or(0, |(_, folder)| *folder))
    }

    /// What a folder is called; nothing of the root.
    pub fn folder_name(&self, folder: FolderNumber) -> &[u8] {
        let (shard, at) = self.at(folder).map_or((0, 0), |known| known.name);
        if folder == FolderNumber::ROOT {
            return b"";
        }
        self.name_at(shard, at)
    }

    /// What a file is called.
    pub fn file_name(&self, file: FileNumber) -> &[u8] {
        let shard = self.shards.get(usize::from(file.shard));
        let record = shard.and_then(|shard| shard.record(file.at));
        self.name_at(file.shard, record.map_or(0, |record| record.name))
    }

    fn name_at(&self, shard: u16, at: u32) -> &[u8] {
        let names = self.shards.get(usize::from(shard));
        let names = names.map_or(&[][..], |shard| &shard.names);
        let rest = as_index(at).and_then(|at| names.get(at..));
        let name = rest.and_then(|rest| CStr::from_bytes_until_nul(rest).ok());
        name.map_or(b"", CStr::to_bytes)
    }

    /// Where a folder lies.
    pub fn folder_path(&self, folder: FolderNumber) -> TargetPath {
        let mut parts = Vec::new();
        let mut at = folder;
        while let Some(parent) = self.parent(at) {
            parts.push(self.folder_name(at));
            at = parent;
        }
        parts.reverse();
        TargetPath::from_inside(&parts.join(&b'/')).unwrap_or_default()
    }

    /// Where a file lies.
    pub fn file_path(&self, file: FileNumber) -> TargetPath {
        let folder = self.folder_path(self.folder_of(file));
        folder.join(self.file_name(file)).unwrap_or_default()
    }

    /// How many files there are.
    pub fn file_count(&self) -> usize {
        self.shards.iter().map(|shard| shard.files.len()).sum()
    }

    /// Finds the folder at a path.
    pub fn find(&self, path: &TargetPath) -> Option<FolderNumber> {
        let mut at = FolderNumber::ROOT;
        for part in path.parts() {
            at = self
                .folders_in(at)
                .find(|child| self.folder_name(*child) == part)?;
        }
        Some(at)
    }

    /// Notes that rules found the files of these names in a folder, and nothing else in it.
    pub(crate) fn mark_found(&mut self, folder: FolderNumber, names: &HashSet<&[u8]>) {
        let found = self.files_in(folder);
        let found = found.filter(|file| names.contains(self.file_name(*file)));
        for file in found.collect::<Vec<_>>() {
            self.mark(file, FOUND);
        }
    }

    fn mark(&mut self, file: FileNumber, mark: u32) {
        let shard = self.shards.get_mut(usize::from(file.shard));
        let at = as_index(file.at);
        if let Some(record) = shard
            .zip(at)
            .and_then(|(shard, at)| shard.files.get_mut(at))
        {
            record.blocks |= mark;
        }
    }

    /// Has each file's bytes counted once: at the first of its names, in the order of their paths.
    fn count_links_once(&mut self) {
        let mut names: Vec<(FileKey, FileNumber)> = Vec::new();
        for (shard, known) in (0..).zip(&self.shards) {
            let own = known.linked.iter();
            names.extend(own.map(|(key, at)| (*key, FileNumber { shard, at: *at })));
        }
        let path = |file: FileNumber| self.file_path(file);
        names.sort_by_cached_key(|(key, file)| ((key.device, key.inode), path(*file)));
        let mut seen = HashSet::new();
        names.retain(|(key, _)| !seen.insert((key.device, key.inode)));
        for (_, file) in names {
            self.mark(file, AGAIN);
        }
    }

    /// Lists the folders by their parents.
    fn list_children(&mut self) {
        let mut counts = vec![0_u32; self.folders.len() + 1];
        for folder in self.folders.iter().skip(1) {
            if let Some(count) = as_index(folder.parent).and_then(|at| counts.get_mut(at + 1)) {
                *count += 1;
            }
        }
        let mut sum = 0;
        for count in &mut counts {
            sum += *count;
            *count = sum;
        }
        let mut next = counts.clone();
        self.children = vec![0; self.folders.len().saturating_sub(1)];
        for (number, folder) in (0_u32..).zip(&self.folders).skip(1) {
            let Some(place) = as_index(folder.parent).and_then(|at| next.get_mut(at)) else {
                continue;
            };
            if let Some(child) = as_index(*place).and_then(|at| self.children.get_mut(at)) {
                *child = number;
            }
            *place += 1;
        }
        self.first_child = counts;
    }
}

/// What the kernel counts space in, in bytes.
const BLOCK: u64 = 512;

fn as_index(number: u32) -> Option<usize> {
    usize::try_from(number).ok()
}

fn as_range(range: std::ops::Range<u32>) -> std::ops::Range<usize> {
    let index = |number| as_index(number).unwrap_or(usize::MAX);
    index(range.start)..index(range.end)
}

/// What stands beside a file, in a list in their order.
fn beside<T: Copy>(list: &[(u32, T)], file: u32) -> Option<T> {
    let found = list.binary_search_by_key(&file, |(at, _)| *at).ok()?;
    list.get(found).map(|(_, known)| *known)
}

impl Shard {
    fn record(&self, at: u32) -> Option<&FileRecord> {
        self.files.get(as_index(at)?)
    }

    /// Notes a name; none where there are more than a number can say.
    fn note_name(&mut self, name: &CStr) -> Option<u32> {
        let at = u32::try_from(self.names.len()).ok()?;
        self.names.extend_from_slice(name.to_bytes_with_nul());
        Some(at)
    }

    /// Notes a file in a folder.
    fn note_file(&mut self, folder: u32, name: &CStr, stat: &jolly_disk::Stat) -> Option<()> {
        let at = u32::try_from(self.files.len()).ok()?;
        let name = self.note_name(name)?;
        let blocks = u32::try_from(stat.allocated / BLOCK).unwrap_or(u32::MAX);
        let blocks = blocks.min(BLOCKS);
        if blocks == BLOCKS {
            self.large.push((at, stat.allocated));
        }
        if stat.links > 1 {
            self.linked.push((stat.key, at));
        }
        if self.runs.last().is_none_or(|(_, last)| *last != folder) {
            self.runs.push((at, folder));
        }
        let modified = u32::try_from(stat.modified.seconds).unwrap_or(u32::MAX);
        if modified == u32::MAX {
            self.dates.push((at, stat.modified.seconds));
        }
        let touched = stat.accessed.seconds.max(stat.modified.seconds).max(0);
        let is_regular = stat.kind == Kind::File;
        self.files.push(FileRecord {
            size: stat.size,
            name,
            modified,
            touched: u32::try_from(touched).unwrap_or(u32::MAX),
            blocks: blocks | if is_regular { REGULAR } else { 0 },
        });
        Some(())
    }
}
