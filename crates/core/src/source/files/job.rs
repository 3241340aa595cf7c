//! What there is to do in a walk: folders that wait, and names of open ones.

use std::ffi::CStr;
use std::sync::Arc;

use jolly_disk::{Entry, Folder, Kind};

use crate::computer::TargetPath;
use crate::rule::FolderGuards;
use crate::source::FolderId;
use crate::source::folder_matcher::FolderMatcher;
use crate::walk::PlaceId;

/// Bytes of names that are looked at before the next are read: large enough to save calls, small
/// enough to hand to another thread.
const BATCH: usize = 32 * 1024;
const ORDERED: usize = 1 << 20;

/// Something to do.
pub(crate) enum Job {
    /// A folder.
    Folder(PendingFolder),
    /// Some of the names in an open folder.
    FolderNames(Arc<Visited>, Arc<Folder>, FolderNames),
}

/// A folder that waits to be walked.
pub(crate) struct PendingFolder {
    /// The folder that holds it; none for the start of a walk.
    pub(crate) parent: Option<Arc<Visited>>,
    /// Its name; for the start of a walk, its whole path.
    pub(crate) name: Box<[u8]>,
    /// What is asked of the names in it; not known yet for the start of a walk.
    pub(crate) matcher: Option<Arc<FolderMatcher>>,
    /// The place it is counted with: the nearest root above it.
    pub(crate) place: PlaceId,
    /// The same folder in the scan before.
    pub(crate) before: Option<FolderId>,
}

impl PendingFolder {
    /// The start of a walk.
    pub(crate) fn top(path: &TargetPath, place: PlaceId) -> Self {
        Self {
            parent: None,
            name: path.as_bytes().into(),
            matcher: None,
            place,
            before: None,
        }
    }
}

/// Folders on the way down between two that are held open, and how many of these there are at most
/// on one way: descriptors are few.
const HELD_EVERY: usize = 64;
const MOST_HELD: usize = 64;

/// A folder that is being walked, or was.
pub(crate) struct Visited {
    pub(crate) id: FolderId,
    pub(crate) path: TargetPath,
    pub(crate) device: u64,
    pub(crate) matcher: Arc<FolderMatcher>,
    pub(crate) guards: FolderGuards,
    /// For each state of the matcher whether everything here is guarded for it; empty when it
    /// is for none.
    pub(crate) closed: Box<[bool]>,
    pub(crate) place: PlaceId,
    /// Whose tag marks it, or the topmost folder above it that bears one, as a cache.
    pub(crate) tagged: Option<u32>,
    /// Whether a search starts somewhere below it.
    pub(crate) leads_on: bool,
    /// The same folder in the scan before.
    pub(crate) before: Option<FolderId>,
    /// How many folders lie above it.
    pub(crate) depth: usize,
    /// In a very deep tree the nearest folder above that is held open, and the length of its path.
    pub(crate) held: Option<(Arc<Folder>, usize)>,
}

impl Visited {
    /// Holds a folder open for those below it, now and then on the way down a very deep tree: from the
    /// root every one of them would be as far as it is deep.
    pub(crate) fn hold(&mut self, folder: &Arc<Folder>) {
        let is_due = self.depth > 0 && self.depth.is_multiple_of(HELD_EVERY);
        if is_due && self.depth / HELD_EVERY <= MOST_HELD {
            let length = self.path.as_bytes().len();
            self.held = Some((Arc::clone(folder), length));
        }
    }
}

impl Visited {
    /// Whether everything here is guarded for the state at this position.
    pub(crate) fn is_closed(&self, state: usize) -> bool {
        self.closed.get(state).copied().unwrap_or(false)
    }
}

/// Names of a folder with what it says they are.
#[derive(Default)]
pub(crate) struct FolderNames {
    bytes: Vec<u8>,
    rows: Vec<NameRow>,
}

/// One of them: where its name begins, and what the folder tells of it.
struct NameRow {
    inode: u64,
    start: u32,
    kind: Option<Kind>,
}

impl FolderNames {
    pub(crate) fn push(&mut self, entry: Entry<'_>) {
        let (inode, kind) = (entry.inode, entry.kind);
        // Batches are far smaller.
        let start = u32::try_from(self.bytes.len()).unwrap_or(u32::MAX);
        self.rows.push(NameRow { inode, start, kind });
        self.bytes.extend_from_slice(entry.name.to_bytes_with_nul());
    }

    pub(crate) fn is_empty(&self) -> bool {
        self.rows.is_empty()
    }

    /// Whether they are enough to look at; more are gathered where they are to be put in order first.
    pub(crate) fn is_full(&self, is_ordered: bool) -> bool {
        self.bytes.len() >= if is_ordered { ORDERED } else { BATCH }
    }

    /// Puts them in the order of their inodes, which a disk that has to seek reads best.
    pub(crate) fn put_in_order(&mut self) {
        self.rows.sort_unstable_by_key(|row| row.inode);
    }

    pub(crate) fn clear(&mut self) {
        self.bytes.clear();
        self.rows.clear();
    }

    pub(crate) fn iter(&self) -> impl Iterator<Item = (&CStr, Option<Kind>)> {
        self.rows.iter().filter_map(|row| {
            let from = self.bytes.get(row.start as usize..)?;
            let name = CStr::from_bytes_until_nul(from).ok()?;
            Some((name, row.kind))
        })
    }
}

/// A folder that is walked: by these patterns, past these guards.
pub(crate) struct Admitted {
    pub matcher: Arc<FolderMatcher>,
    pub guards: FolderGuards,
    /// For each of the patterns' rules, whether everything here is guarded from it.
    pub closed: Box<[bool]>,
    /// Whether the way leads on to where a rule starts.
    pub leads_on: bool,
}
