//! The staging folder: where something is built before it gets its name, so that nobody else can reach it
//! meanwhile, and nothing that is half there ever has a name that somebody looks for.

use std::ffi::{CStr, CString};
use std::io;
use std::ops::ControlFlow;

use jolly_disk::{Disk, Folder, Kind};

use crate::state::RunId;

/// How many names are tried: somebody else may have taken some of them.
const TRIES: u32 = 8;

/// What is built is called so.
pub(crate) const PART: &CStr = c"part";

/// A staging folder beside the place of one thing.
pub(crate) struct Staging<'a> {
    disk: &'a dyn Disk,
    parent: &'a Folder,
    name: CString,
    folder: Folder,
    /// Whether what is in it stays when this ends.
    is_left: bool,
}

/// A name that says nothing and is always the same for the same use in one run.
pub(crate) fn own_name(run: &RunId, of: &str) -> CString {
    let hash = blake3::hash(format!("{run} {of}").as_bytes()).to_hex();
    let name = format!(".jolly-broom-{}", hash.get(..16).unwrap_or_default());
    CString::new(name).unwrap_or_default()
}

/// Whether nobody but us can change what a folder holds; unknowable where a volume keeps no owners.
pub(crate) fn is_ours(disk: &dyn Disk, folder: &Folder) -> bool {
    disk.is_private(folder) || !disk.keeps_owners(folder)
}

/// Whether a folder holds nothing.
pub(crate) fn is_empty(disk: &dyn Disk, folder: &Folder) -> io::Result<bool> {
    let mut is_empty = true;
    disk.list(folder, &mut |_| {
        is_empty = false;
        ControlFlow::Break(())
    })?;
    Ok(is_empty)
}

impl<'a> Staging<'a> {
    /// Makes the staging folder of a run's thing, or takes the one that a restore left that died.
    ///
    /// # Safety argument
    /// It is opened without following a link, and must be the runner's, closed to all others and empty:
    /// from then on only the runner and the administrator can put anything there.
    pub(crate) fn open(
        disk: &'a dyn Disk,
        parent: &'a Folder,
        (run, number): (&RunId, usize),
    ) -> io::Result<Self> {
        for try_ in 0..TRIES {
            let name = own_name(run, &format!("{number} {try_}"));
            match disk.make_folder(parent, &name) {
                Err(error) if error.kind() != io::ErrorKind::AlreadyExists => return Err(error),
                _ => {}
            }
            let Ok(folder) = disk.open_folder(parent, name.to_bytes()) else {
                continue;
            };
            if !is_ours(disk, &folder) {
                continue;
            }
            // What a restore was building when it died.
            drop(disk.unlink(&folder, PART));
            if is_empty(disk, &folder)? {
                return Ok(Self {
                    disk,
                    parent,
                    name,
                    folder,
                    is_left: false,
                });
            }
        }
        Err(io::Error::other(
            "somebody else holds the names under which it would be built",
        ))
    }

    /// Takes away the one that a restore left which died when it was done with it.
    pub(crate) fn clear(disk: &dyn Disk, parent: &Folder, (run, number): (&RunId, usize)) {
        let name = own_name(run, &format!("{number} 0"));
        if let Ok(folder) = disk.open_folder(parent, name.to_bytes())
            && is_ours(disk, &folder)
        {
            drop(disk.unlink(&folder, PART));
            drop(disk.remove_folder(parent, &name));
        }
    }

    /// The one that a run left which died, with its name.
    pub(crate) fn left(
        disk: &dyn Disk,
        parent: &Folder,
        (run, number): (&RunId, usize),
    ) -> Option<(CString, Folder)> {
        (0..TRIES).find_map(|try_| {
            let name = own_name(run, &format!("{number} {try_}"));
            let folder = disk.open_folder(parent, name.to_bytes()).ok()?;
            is_ours(disk, &folder).then_some((name, folder))
        })
    }

    /// Leaves what is in it where it is; its name.
    pub(crate) fn leave(mut self) -> String {
        self.is_left = true;
        self.name.to_string_lossy().into_owned()
    }

    /// The folder to build in.
    pub(crate) fn folder(&self) -> &Folder {
        &self.folder
    }

    /// Gives what was built its name; what has that name already stays.
    pub(crate) fn publish(&self, name: &CStr) -> io::Result<()> {
        self.disk.move_name(&self.folder, PART, self.parent, name)
    }
}

impl Drop for Staging<'_> {
    fn drop(&mut self) {
        if self.is_left {
            return;
        }
        // What is not whole must not lie about under any name.
        drop(self.disk.unlink(&self.folder, PART));
        drop(self.disk.remove_folder(self.parent, &self.name));
    }
}

/// Whether a name is a file of the runner's.
pub(crate) fn is_own_file(disk: &dyn Disk, folder: &Folder, name: &CStr) -> bool {
    disk.stat(folder, name).is_ok_and(|stat| {
        stat.kind == Kind::File && (stat.user == jolly_disk::runner() || !disk.keeps_owners(folder))
    })
}
