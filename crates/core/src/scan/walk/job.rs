//! What there is to do in a walk: folders that wait, and names of open ones.

use std::ffi::CStr;
use std::sync::Arc;

use jolly_disk::{Folder, Kind};

use crate::rulebook::FolderGuards;
use crate::scan::FolderId;
use crate::scan::outlook::Outlook;
use crate::target::TargetPath;

/// Bytes of names that are looked at before the next are read: large enough to save calls, small
/// enough to hand to another thread.
const BATCH: usize = 32 * 1024;

/// Something to do.
pub(super) enum Job {
    /// A folder.
    Folder(Waiting),
    /// Some of the names in an open folder.
    Names(Arc<Visited>, Arc<Folder>, Names),
}

/// A folder that waits to be walked.
pub(super) struct Waiting {
    /// The folder that holds it; none for the start of a walk.
    pub(super) parent: Option<Arc<Visited>>,
    /// Its name; for the start of a walk, its whole path.
    pub(super) name: Box<[u8]>,
    /// What is asked of the names in it; not known yet for the start of a walk.
    pub(super) outlook: Option<Arc<Outlook>>,
    /// The place it is counted with: the nearest root above it, by position.
    pub(super) place: usize,
    /// The same folder in the scan before.
    pub(super) before: Option<FolderId>,
}

impl Waiting {
    /// The start of a walk.
    pub(super) fn top(path: &TargetPath, place: usize) -> Self {
        Self {
            parent: None,
            name: path.as_bytes().into(),
            outlook: None,
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
pub(super) struct Visited {
    pub(super) id: FolderId,
    pub(super) path: TargetPath,
    pub(super) device: u64,
    pub(super) outlook: Arc<Outlook>,
    pub(super) guards: FolderGuards,
    /// For each standing of the outlook whether everything here is guarded for it; empty when it
    /// is for none.
    pub(super) closed: Box<[bool]>,
    pub(super) place: usize,
    /// Whose tag marks it, or the topmost folder above it that bears one, as a cache.
    pub(super) tagged: Option<u32>,
    /// Whether a search starts somewhere below it.
    pub(super) leads_on: bool,
    /// The same folder in the scan before.
    pub(super) before: Option<FolderId>,
    /// How many folders lie above it.
    pub(super) depth: usize,
    /// In a very deep tree the nearest folder above that is held open, and the length of its path.
    pub(super) held: Option<(Arc<Folder>, usize)>,
}

impl Visited {
    /// Holds a folder open for those below it, now and then on the way down a very deep tree: from the
    /// root every one of them would be as far as it is deep.
    pub(super) fn hold(&mut self, folder: &Arc<Folder>) {
        let is_due = self.depth > 0 && self.depth.is_multiple_of(HELD_EVERY);
        if is_due && self.depth / HELD_EVERY <= MOST_HELD {
            let length = self.path.as_bytes().len();
            self.held = Some((Arc::clone(folder), length));
        }
    }
}

impl Visited {
    /// Whether everything here is guarded for the standing at this position.
    pub(super) fn is_closed(&self, standing: usize) -> bool {
        self.closed.get(standing).copied().unwrap_or(false)
    }
}

/// Names of a folder with what it says they are.
#[derive(Default)]
pub(super) struct Names {
    bytes: Vec<u8>,
    kinds: Vec<Option<Kind>>,
}

impl Names {
    pub(super) fn push(&mut self, name: &CStr, kind: Option<Kind>) {
        self.bytes.extend_from_slice(name.to_bytes_with_nul());
        self.kinds.push(kind);
    }

    pub(super) fn is_empty(&self) -> bool {
        self.kinds.is_empty()
    }

    pub(super) fn is_full(&self) -> bool {
        self.bytes.len() >= BATCH
    }

    pub(super) fn clear(&mut self) {
        self.bytes.clear();
        self.kinds.clear();
    }

    pub(super) fn iter(&self) -> impl Iterator<Item = (&CStr, Option<Kind>)> {
        let mut rest = &self.bytes[..];
        self.kinds.iter().map_while(move |kind| {
            let name = CStr::from_bytes_until_nul(rest).ok()?;
            rest = rest.get(name.count_bytes() + 1..)?;
            Some((name, *kind))
        })
    }
}
