//! Which files have the same contents: of equal length, then of equal beginning and end, then of equal hash of all of it
//! (BLAKE3). Each step reads only what still has a twin.

use std::collections::HashSet;
use std::fs::File;
use std::io::{self, Read as _, Seek as _, SeekFrom};
use std::num::NonZeroUsize;
use std::sync::Mutex;
use std::sync::atomic::{AtomicU64, Ordering};
use std::time::Duration;

use jolly_disk::{Extent, Folder, Kind, shared_extents};

use crate::cancel::CancelToken;
use crate::computer::Target;
use crate::survey::FileSort;
use crate::survey::copies::CopyGroup;
use crate::walk::{FileNumber, FileTree, FolderNumber, Gatherer, Unread, WorkQueue, unread};

/// What is read of a file's beginning, and of its end, in bytes.
const PART: u64 = 4096;

/// Bytes that are read at once.
const CHUNK: usize = 128 << 10;

/// Of a longer file that holds less than a sixteenth of its length most is a hole: it frees little, and to read it takes days.
const SPARSE_FROM: u64 = 64 << 20;
const SPARSE: u64 = 16;

/// Files that a thread takes at once.
pub(super) const BATCH: usize = 32;

/// The longest time between two pieces of news.
pub(super) const NEWS_EVERY: Duration = Duration::from_millis(100);

/// How far the look for copies is.
#[derive(Clone, Copy, Debug, Default, PartialEq, Eq)]
pub struct CopyNews {
    /// Files that were read, of how many.
    pub files: (u64, u64),
    /// Bytes that were read in all.
    pub bytes: u64,
}

/// What is the same.
pub(super) struct Same {
    pub groups: Vec<CopyGroup>,
    pub unread: Vec<Unread>,
    pub candidates: u64,
    pub is_partial: bool,
}

/// How much of a file is read.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
enum Reach {
    /// Its first and last block.
    Ends,
    /// All of it.
    Whole,
}

/// What tells contents apart: their length and hash.
type Contents = (u64, [u8; 32]);

/// Where all bytes of a file lie, if other files share them.
type Place = Option<Vec<Extent>>;

/// A file that is read, with its length.
type Wanted = (FileNumber, u64);

/// Looks for files with the same contents in the folders that are looked in.
pub(super) fn find(
    target: &Target,
    tree: &FileTree,
    looked_in: &[bool],
    cancel: &CancelToken,
    sink: &dyn Fn(CopyNews),
) -> Same {
    let reader = Reader {
        target,
        tree,
        cancel,
        sink,
        read: AtomicU64::new(0),
    };
    let mut unread = Gatherer::default();
    let places = tree
        .folders()
        .filter(|folder| looked_in.get(folder.index()) == Some(&true));
    let files = places.flat_map(|folder| tree.files_in(folder));
    let all = files.filter_map(|file| Some((size_of(tree, file)?, file)));
    let candidates = twins(all.collect());
    let count = candidates.iter().map(|(_, files)| files.len() as u64).sum();
    let flat = |groups: Vec<(u64, Vec<FileNumber>)>| -> Vec<Wanted> {
        let flat = groups.into_iter();
        flat.flat_map(|(size, files)| files.into_iter().map(move |file| (file, size)))
            .collect()
    };
    let ends = reader.hashes(flat(candidates), Reach::Ends, &mut unread);
    let by_ends = ends.into_iter().map(Hashed::by_contents);
    let mut groups: Vec<CopyGroup> = Vec::new();
    let mut rest = Vec::new();
    for ((size, hash), files) in twins(by_ends.collect()) {
        // Both ends were all of it.
        if size <= PART {
            groups.extend(apart(tree, (size, hash), files));
        } else {
            rest.push((size, files.into_iter().map(|(file, _)| file).collect()));
        }
    }
    let whole = reader.hashes(flat(rest), Reach::Whole, &mut unread);
    let by_hash = whole.into_iter().map(Hashed::by_contents);
    let found = twins(by_hash.collect()).into_iter();
    groups.extend(found.filter_map(|((size, hash), files)| apart(tree, (size, hash), files)));
    groups.sort_by_cached_key(|group| {
        let first = group.files.first().map(|file| tree.file_path(*file));
        (std::cmp::Reverse(group.spare()), first)
    });
    Same {
        groups,
        unread: unread.into_list(),
        candidates: count,
        is_partial: cancel.is_cancelled(),
    }
}

/// Files of the same contents in the order of their paths, without those whose bytes lie where another's do: they take no room of their own.
fn apart(
    tree: &FileTree,
    (size, hash): Contents,
    mut files: Vec<(FileNumber, Place)>,
) -> Option<CopyGroup> {
    files.sort_by_cached_key(|(file, _)| tree.file_path(*file));
    let mut seen: HashSet<Vec<Extent>> = HashSet::new();
    let files: Vec<FileNumber> = files
        .into_iter()
        .filter_map(|(file, extents)| {
            let is_own = extents.is_none_or(|extents| seen.insert(extents));
            is_own.then_some(file)
        })
        .collect();
    let (sort, _) = FileSort::of(tree.file_name(*files.first()?));
    (files.len() > 1).then_some(CopyGroup {
        size,
        hash,
        files,
        sort,
    })
}

/// The length of a file that may be a copy: another name of one is none, and one that is all hole neither.
pub(super) fn size_of(tree: &FileTree, file: FileNumber) -> Option<u64> {
    let known = tree.file(file)?;
    if is_of_the_desktop(tree.file_name(file)) {
        return None;
    }
    let is_sparse = known.size > SPARSE_FROM && tree.held(file) < known.size / SPARSE;
    (known.is_regular && known.size > 0 && !known.is_again && !is_sparse).then_some(known.size)
}

/// Whether a file is hidden, or what a desktop keeps in every folder: the same one lies in hundreds of them.
fn is_of_the_desktop(name: &[u8]) -> bool {
    const KEPT: [&[u8]; 3] = [b"thumbs.db", b"desktop.ini", b"icon\r"];
    name.starts_with(b".") || KEPT.iter().any(|kept| name.eq_ignore_ascii_case(kept))
}

/// What has a twin by its key, in the order of the keys. There may be millions, most of them without: they are sorted where
/// they are.
fn twins<K: Ord, V>(mut all: Vec<(K, V)>) -> Vec<(K, Vec<V>)> {
    all.sort_unstable_by(|(one, _), (other, _)| one.cmp(other));
    let mut found = Vec::new();
    let mut all = all.into_iter().peekable();
    while let Some((key, first)) = all.next() {
        let mut same = vec![];
        while let Some((_, next)) = all.next_if(|(next, _)| *next == key) {
            same.push(next);
        }
        if !same.is_empty() {
            same.push(first);
            found.push((key, same));
        }
    }
    found
}

/// Reads files.
struct Reader<'a> {
    target: &'a Target,
    tree: &'a FileTree,
    cancel: &'a CancelToken,
    sink: &'a dyn Fn(CopyNews),
    read: AtomicU64,
}

/// A file of which something was read.
struct Hashed {
    file: FileNumber,
    size: u64,
    /// The hash of what was read.
    hash: [u8; 32],
    /// Where its bytes lie, if other files share all of them and it was read whole.
    extents: Place,
}

impl Hashed {
    fn by_contents(self) -> (Contents, (FileNumber, Place)) {
        ((self.size, self.hash), (self.file, self.extents))
    }
}

impl Reader<'_> {
    /// Reads these files, in the order in which they lie, with all threads of this machine.
    fn hashes(&self, mut wanted: Vec<Wanted>, reach: Reach, unread: &mut Gatherer) -> Vec<Hashed> {
        wanted.sort_unstable_by_key(|(file, _)| (self.tree.folder_of(*file), *file));
        let done = AtomicU64::new(0);
        let missed = Mutex::new(Gatherer::default());
        let threads = std::thread::available_parallelism().map_or(1, NonZeroUsize::get);
        // The last is taken first.
        let queue = WorkQueue::new(threads, wanted.rchunks(BATCH).collect());
        let shared = Batches {
            queue: &queue,
            done: &done,
            missed: &missed,
            read: &self.read,
            place: (self.target, self.tree, self.cancel),
            reach,
        };
        let tell = &mut || self.tell(&done, wanted.len());
        let found = queue.run(NEWS_EVERY, &|_| shared.work(), tell);
        let found = found.into_iter().flatten().collect();
        self.tell(&done, wanted.len());
        unread.extend(missed.into_inner().unwrap_or_default());
        found
    }

    fn tell(&self, done: &AtomicU64, of: usize) {
        (self.sink)(CopyNews {
            files: (done.load(Ordering::Relaxed), of as u64),
            bytes: self.read.load(Ordering::Relaxed),
        });
    }
}

/// Files that several threads read.
struct Batches<'a> {
    queue: &'a WorkQueue<&'a [Wanted]>,
    done: &'a AtomicU64,
    missed: &'a Mutex<Gatherer>,
    read: &'a AtomicU64,
    place: (&'a Target, &'a FileTree, &'a CancelToken),
    reach: Reach,
}

impl Batches<'_> {
    fn work(&self) -> Vec<Hashed> {
        let (_, _, cancel) = self.place;
        let mut found = Vec::new();
        let mut opened: Option<(FolderNumber, io::Result<Folder>)> = None;
        let mut buffer = vec![0; CHUNK];
        while let Some(batch) = self.queue.next() {
            for (file, size) in batch {
                if cancel.is_cancelled() {
                    break;
                }
                match self.hash(*file, *size, &mut opened, &mut buffer) {
                    Ok(Some((hash, extents))) => found.push(Hashed {
                        file: *file,
                        size: *size,
                        hash,
                        extents,
                    }),
                    // It changed since it was seen, or went.
                    Ok(None) => {}
                    Err(error) if error.kind() == io::ErrorKind::NotFound => {}
                    Err(error) => self.miss(*file, &error),
                }
                self.done.fetch_add(1, Ordering::Relaxed);
            }
        }
        found
    }

    fn miss(&self, file: FileNumber, error: &io::Error) {
        let (_, tree, _) = self.place;
        let folder = tree.folder_path(tree.folder_of(file)).to_string();
        if let Ok(mut missed) = self.missed.lock() {
            missed.add(folder, &unread::reason(error), 1);
        }
    }

    /// The hash of a file, or of its ends; nothing when it isn't what was seen any more.
    fn hash(
        &self,
        file: FileNumber,
        size: u64,
        opened: &mut Option<(FolderNumber, io::Result<Folder>)>,
        buffer: &mut [u8],
    ) -> io::Result<Option<([u8; 32], Place)>> {
        let (target, tree, cancel) = self.place;
        let disk = &**target.disk();
        let number = tree.folder_of(file);
        if opened.as_ref().is_none_or(|(known, _)| *known != number) {
            let path = tree.folder_path(number);
            *opened = Some((number, disk.open_folder(target.root(), path.as_bytes())));
        }
        let folder = match opened {
            Some((_, Ok(folder))) => folder,
            Some((_, Err(error))) => return Err(io::Error::new(error.kind(), error.to_string())),
            None => return Ok(None),
        };
        let name = std::ffi::CString::new(tree.file_name(file))?;
        let before = disk.stat(folder, &name)?;
        let modified = tree.file(file).map(|known| known.modified);
        let is_as_seen = before.kind == Kind::File
            && before.size == size
            && Some(before.modified.seconds) == modified;
        if !is_as_seen {
            return Ok(None);
        }
        let mut from = disk.open_file(folder, &name)?;
        let mut hasher = blake3::Hasher::new();
        let mut read = |from: &mut File, most: u64| -> io::Result<u64> {
            let mut left = most;
            while left > 0 && !cancel.is_cancelled() {
                let room = buffer
                    .len()
                    .min(usize::try_from(left).unwrap_or(usize::MAX));
                let got = from.read(buffer.get_mut(..room).unwrap_or_default())?;
                if got == 0 {
                    break;
                }
                hasher.update(buffer.get(..got).unwrap_or_default());
                left -= got as u64;
                self.read.fetch_add(got as u64, Ordering::Relaxed);
            }
            Ok(most - left)
        };
        let got = match self.reach {
            Reach::Whole => read(&mut from, size)?,
            Reach::Ends if size <= PART => read(&mut from, size)?,
            Reach::Ends => {
                let head = read(&mut from, PART)?;
                let tail = PART.min(size - PART);
                from.seek(SeekFrom::Start(size - tail))?;
                // Of a shorter file the rest is all that is left; of a longer one what lies between isn't read yet.
                head + read(&mut from, tail)? + (size - PART - tail)
            }
        };
        let after = disk.stat(folder, &name)?;
        let is_still = after.is_unchanged_since(&before);
        let is_whole = self.reach == Reach::Whole || size <= PART;
        let extents = is_whole.then(|| shared_extents(&from)).flatten();
        Ok((got == size && is_still).then(|| (*hasher.finalize().as_bytes(), extents)))
    }
}
