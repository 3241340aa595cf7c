//! Folders that lie in the quarantine while they are emptied, and the way to them meanwhile.

use std::collections::HashMap;
use std::ffi::CString;
use std::io;
use std::sync::{Arc, PoisonError, RwLock, RwLockReadGuard, RwLockWriteGuard};

use jolly_disk::{Disk, Folder, Rights, Stat};

use crate::computer::TargetPath;

/// A folder that lies in the quarantine, where nobody else can reach it by any path.
#[derive(Clone)]
pub(crate) struct AwayFolder {
    /// The quarantine.
    pub holding: Arc<Folder>,
    /// What it is called there.
    pub held: CString,
    /// Whose it is where it belongs, and who may do what with it.
    pub rights: Rights,
    /// The batches that still have something in it, by the numbers of their first items.
    pub batches: Vec<usize>,
}

impl AwayFolder {
    /// A look at it, with the rights that it has where it belongs.
    pub(crate) fn stat(&self, disk: &dyn Disk) -> io::Result<Stat> {
        let stat = disk.stat(&self.holding, &self.held)?;
        Ok(Stat {
            user: self.rights.user,
            mode: stat.mode & !0o7777 | self.rights.mode,
            ..stat
        })
    }

    fn open(&self, disk: &dyn Disk, below: &[u8]) -> io::Result<Folder> {
        let held = self.held.to_bytes();
        if below.is_empty() {
            disk.open_folder(&self.holding, held)
        } else {
            disk.open_folder(&self.holding, &[held, b"/", below].concat())
        }
    }
}

/// The folders that lie in the quarantine, by the paths at which they belong.
#[derive(Default)]
pub(crate) struct AwayFolders(RwLock<HashMap<Vec<u8>, AwayFolder>>);

/// Those folders, while nobody else takes one away or gives one back.
pub(crate) type AwayGuard<'a> = RwLockWriteGuard<'a, HashMap<Vec<u8>, AwayFolder>>;

impl AwayFolders {
    /// Opens the folder at a path, wherever it lies meanwhile. One that a batch opens stays where it is until that
    /// batch has ended.
    ///
    /// # Errors
    /// As of [`Disk::open_folder`].
    pub(crate) fn open(
        &self,
        (disk, root): (&dyn Disk, &Folder),
        path: &[u8],
        batch: Option<usize>,
    ) -> io::Result<Folder> {
        let known = self.read();
        if let Some(batch) = batch
            && known
                .get(path)
                .is_some_and(|it| !it.batches.contains(&batch))
        {
            drop(known);
            let mut known = self.change();
            if let Some(away) = known
                .get_mut(path)
                .filter(|it| !it.batches.contains(&batch))
            {
                away.batches.push(batch);
            }
            return open(&known, (disk, root), path);
        }
        open(&known, (disk, root), path)
    }

    /// A look at the folder that belongs at a path, if it lies in the quarantine.
    pub(crate) fn stat(&self, disk: &dyn Disk, path: &[u8]) -> Option<io::Result<Stat>> {
        self.read().get(path).map(|away| away.stat(disk))
    }

    /// Whether something is, or belongs in, a folder that lies in the quarantine.
    pub(crate) fn concerns(&self, path: &TargetPath) -> bool {
        let known = self.read();
        known.contains_key(path.folder_bytes()) || known.contains_key(path.as_bytes())
    }

    fn read(&self) -> RwLockReadGuard<'_, HashMap<Vec<u8>, AwayFolder>> {
        self.0.read().unwrap_or_else(PoisonError::into_inner)
    }

    /// To take one away, or to give one back.
    pub(crate) fn change(&self) -> AwayGuard<'_> {
        self.0.write().unwrap_or_else(PoisonError::into_inner)
    }
}

/// Opens a folder through the deepest one above it that lies in the quarantine, or else by its path. Nobody may
/// move one meanwhile.
pub(crate) fn open(
    known: &HashMap<Vec<u8>, AwayFolder>,
    (disk, root): (&dyn Disk, &Folder),
    path: &[u8],
) -> io::Result<Folder> {
    if !known.is_empty() {
        let slashes = path.iter().enumerate().filter(|(_, byte)| **byte == b'/');
        let ends = std::iter::once(path.len()).chain(slashes.map(|(at, _)| at).rev());
        for end in ends {
            let (above, below) = path.split_at_checked(end).unwrap_or((path, b""));
            if let Some(away) = known.get(above) {
                return away.open(disk, below.strip_prefix(b"/").unwrap_or(below));
            }
        }
    }
    disk.open_folder(root, path)
}
