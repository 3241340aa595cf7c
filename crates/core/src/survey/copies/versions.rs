//! The same in another form: a recording in two qualities, a picture in two sizes.
//!
//! What says so is what the files themselves tell: of a recording its title, artist and length, of a picture the camera
//! and the moment. Whoever chooses one to go chooses it knowingly: nothing here is ever the same byte by byte.

mod foreign;
mod pictures;
mod recordings;
mod whole;

use std::collections::{BTreeMap, BTreeSet, HashMap};
use std::fs::File;
use std::io::BufReader;
use std::num::NonZeroUsize;
use std::sync::Mutex;
use std::sync::atomic::{AtomicU64, Ordering};

use crate::cancel::CancelToken;
use crate::computer::Target;
use crate::rule::AsRead;
use crate::survey::FileSort;
use crate::survey::copies::same::{BATCH, NEWS_EVERY, size_of};
use crate::survey::copies::{ChosenCopy, CopyNews, places};
use crate::walk::{FileNumber, FileTree, Gatherer, Unread, WorkQueue, unread};
pub use foreign::is_panic_caught;
use foreign::{Limited, caught};
pub use pictures::Picture;
pub use recordings::Recording;

/// One file of several that show or play the same.
#[derive(Clone, Debug, PartialEq)]
pub struct Version {
    /// Which file.
    pub file: FileNumber,
    /// Its length in bytes.
    pub size: u64,
    /// What it tells of itself.
    pub facts: VersionFacts,
}

/// What a file tells of itself.
#[derive(Clone, Debug, PartialEq)]
pub enum VersionFacts {
    /// Of a recording.
    Recording(Recording),
    /// Of a picture.
    Picture(Picture),
}

/// Files that show or play the same.
#[derive(Clone, Debug, PartialEq)]
pub struct VersionGroup {
    /// Two or more; the better first, as far as one is.
    pub versions: Vec<Version>,
    /// Whether the first is surely better than each of the others: then it is suggested. Never of pictures.
    pub is_first_better: bool,
}

/// What is there in several versions.
#[derive(Default)]
pub struct Versions {
    /// Recordings, what the others beside the first take first.
    pub recordings: Vec<VersionGroup>,
    /// Pictures, in the same order.
    pub pictures: Vec<VersionGroup>,
    /// What could not be read, and why.
    pub unread: Vec<Unread>,
    /// Whether it was stopped before its end.
    pub is_partial: bool,
}

impl VersionGroup {
    /// What all but the first take, in bytes.
    pub fn spare(&self) -> u64 {
        let others = self.versions.iter().skip(1).map(|version| version.size);
        others.fold(0, u64::saturating_add)
    }
}

/// Looks for recordings and pictures that are there in several versions, among what people keep. `sink` hears how far it is.
pub fn versions(
    target: &Target,
    tree: &FileTree,
    cancel: &CancelToken,
    sink: &dyn Fn(CopyNews),
) -> Versions {
    let looked_in = places::looked_in(target, tree, &[]);
    let places = tree
        .folders()
        .filter(|folder| looked_in.get(folder.index()) == Some(&true));
    let files = places.flat_map(|folder| tree.files_in(folder));
    let wanted = files.filter(|file| {
        let (sort, _) = FileSort::of(tree.file_name(*file));
        let is_wanted = matches!(sort, FileSort::Music | FileSort::Picture);
        is_wanted && size_of(tree, *file).is_some()
    });
    let look = Look {
        target,
        tree,
        cancel,
        read: AtomicU64::new(0),
        missed: Mutex::default(),
    };
    let mut all = look.read(wanted.collect(), sink);
    all.sort_by_cached_key(|version| tree.file_path(version.file));
    let (mut recordings, mut pictures) = (Vec::new(), Vec::new());
    for version in all {
        match version.facts {
            VersionFacts::Recording(_) => recordings.push(version),
            VersionFacts::Picture(_) => pictures.push(version),
        }
    }
    let in_order = |mut groups: Vec<VersionGroup>| {
        groups.sort_by_key(|group| std::cmp::Reverse(group.spare()));
        groups
    };
    Versions {
        recordings: in_order(recordings::groups(recordings)),
        pictures: in_order(pictures::groups(pictures)),
        unread: look.missed.into_inner().unwrap_or_default().into_list(),
        is_partial: tree.is_partial || cancel.is_cancelled(),
    }
}

/// What goes of these files, each with another version that stays. Where all of a group would go, its first stays.
pub fn chosen_versions(
    versions: &Versions,
    tree: &FileTree,
    goes: &BTreeSet<FileNumber>,
) -> Vec<ChosenCopy> {
    let as_read = |file: FileNumber| {
        let known = tree.file(file)?;
        Some((known.size, known.modified))
    };
    let mut chosen: BTreeMap<FileNumber, ChosenCopy> = BTreeMap::new();
    for group in versions.recordings.iter().chain(&versions.pictures) {
        let files = || group.versions.iter().map(|version| version.file);
        let stays = files().find(|file| !goes.contains(file));
        let Some(stays) = stays.or_else(|| files().next()) else {
            continue;
        };
        for file in files().filter(|file| *file != stays && goes.contains(file)) {
            let (Some(goes), Some(other)) = (as_read(file), as_read(stays)) else {
                continue;
            };
            chosen.insert(
                file,
                ChosenCopy {
                    goes: tree.file_path(file),
                    stays: tree.file_path(stays),
                    as_read: Some(AsRead { goes, stays: other }),
                },
            );
        }
    }
    chosen.into_values().collect()
}

/// Reads what files tell of themselves.
struct Look<'a> {
    target: &'a Target,
    tree: &'a FileTree,
    cancel: &'a CancelToken,
    read: AtomicU64,
    missed: Mutex<Gatherer>,
}

impl Look<'_> {
    /// Reads these files, in the order in which they lie, with all threads of this machine.
    fn read(&self, mut wanted: Vec<FileNumber>, sink: &dyn Fn(CopyNews)) -> Vec<Version> {
        wanted.sort_unstable_by_key(|file| (self.tree.folder_of(*file), *file));
        let done = AtomicU64::new(0);
        let threads = std::thread::available_parallelism().map_or(1, NonZeroUsize::get);
        // The last is taken first.
        let queue = WorkQueue::new(threads, wanted.rchunks(BATCH).collect());
        let tell = &mut || {
            sink(CopyNews {
                files: (done.load(Ordering::Relaxed), wanted.len() as u64),
                bytes: self.read.load(Ordering::Relaxed),
            });
        };
        let work = |_| {
            let mut found = Vec::new();
            while let Some(batch) = queue.next() {
                for file in batch {
                    if self.cancel.is_cancelled() {
                        break;
                    }
                    found.extend(self.version(*file));
                    done.fetch_add(1, Ordering::Relaxed);
                }
            }
            found
        };
        let found = queue.run(NEWS_EVERY, &work, tell);
        found.into_iter().flatten().collect()
    }

    fn version(&self, file: FileNumber) -> Option<Version> {
        let known = self.tree.file(file)?;
        let opened = self.open(file);
        let (opened, size) = match opened {
            Ok(Some(opened)) => (opened, known.size),
            // It changed since it was seen, or went.
            Ok(None) => return None,
            Err(error) if error.kind() == std::io::ErrorKind::NotFound => return None,
            Err(error) => {
                let folder = self.tree.folder_path(self.tree.folder_of(file)).to_string();
                if let Ok(mut missed) = self.missed.lock() {
                    missed.add(folder, &unread::reason(&error), 1);
                }
                return None;
            }
        };
        let mut reader = BufReader::new(Limited::new(opened, self.cancel, &self.read));
        let (sort, _) = FileSort::of(self.tree.file_name(file));
        let facts = caught(|| match sort {
            FileSort::Music => recordings::read(&mut reader).map(VersionFacts::Recording),
            _ => pictures::read(&mut reader).map(VersionFacts::Picture),
        })?;
        Some(Version { file, size, facts })
    }

    /// The file, if it is what was seen.
    fn open(&self, file: FileNumber) -> std::io::Result<Option<File>> {
        let disk = &**self.target.disk();
        let path = self.tree.folder_path(self.tree.folder_of(file));
        let folder = disk.open_folder(self.target.root(), path.as_bytes())?;
        let name = std::ffi::CString::new(self.tree.file_name(file))?;
        let now = disk.stat(&folder, &name)?;
        let is_as_seen = self.tree.file(file).is_some_and(|known| {
            now.kind == jolly_disk::Kind::File
                && now.size == known.size
                && now.modified.seconds == known.modified
        });
        if !is_as_seen {
            return Ok(None);
        }
        disk.open_file(&folder, &name).map(Some)
    }
}

/// Versions by what they have in common, in the order in which it was seen first.
fn by_key<K: std::hash::Hash + Eq + Clone>(
    versions: Vec<Version>,
    key: impl Fn(&Version) -> Option<K>,
) -> Vec<Vec<Version>> {
    let mut order: HashMap<K, usize> = HashMap::new();
    let mut found: Vec<Vec<Version>> = Vec::new();
    for version in versions {
        let Some(key) = key(&version) else { continue };
        let at = *order.entry(key).or_insert(found.len());
        if at == found.len() {
            found.push(Vec::new());
        }
        if let Some(group) = found.get_mut(at) {
            group.push(version);
        }
    }
    found
}
