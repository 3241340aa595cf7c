//! A file, or a folder with all that is in it, as it lies there.

use std::ffi::{CStr, CString};
use std::io;
use std::ops::ControlFlow;

use jolly_disk::{Disk, Folder, Kind, Stat};

use crate::cancel::CancelToken;
use crate::computer::MOST_DEPTH;
use crate::format::Printable;
use crate::packing::PackError;

/// Where something lies.
#[derive(Clone, Copy)]
pub(crate) struct TreeRoot<'a> {
    pub disk: &'a dyn Disk,
    /// The open folder that holds it.
    pub folder: &'a Folder,
    /// Its name in there.
    pub name: &'a CStr,
}

/// One thing of a tree.
pub(crate) struct TreeEntry {
    /// Its path below the topmost thing; empty for that itself.
    pub below: Vec<u8>,
    pub stat: Stat,
}

impl TreeEntry {
    fn parts(&self) -> impl Iterator<Item = &[u8]> {
        self.below.split(|byte| *byte == b'/')
    }
}

/// A file, or a folder with all that is in it: each folder stands before what is in it.
pub(crate) struct SourceTree {
    pub things: Vec<TreeEntry>,
}

impl SourceTree {
    /// The lengths of its files, in bytes.
    pub(crate) fn size(&self) -> u64 {
        let sizes = self.files().map(|thing| thing.stat.size);
        sizes.fold(0, u64::saturating_add)
    }

    /// What it holds on the disk, in bytes.
    pub(crate) fn held(&self) -> u64 {
        let held = self.things.iter().map(|thing| thing.stat.allocated);
        held.fold(0, u64::saturating_add)
    }

    /// Leaves out the files that can't be opened, and tells them.
    pub(crate) fn leave_closed(&mut self, place: TreeRoot<'_>, left: &mut Vec<PackError>) {
        self.things.retain(|thing| {
            if thing.stat.kind != Kind::File {
                return true;
            }
            let opened = place.open_parent(&thing.below).and_then(|(folder, name)| {
                let opened = place.disk.open_file(&folder, &name);
                opened.map_err(place.failed(&thing.below, "read"))
            });
            opened.map_err(|error| left.push(error)).is_ok()
        });
    }

    /// Leaves out files of others that have another name, too, and tells them: whoever can write here may have given them
    /// that name, without being allowed to read them.
    pub(crate) fn leave_links_of_others(
        &mut self,
        place: TreeRoot<'_>,
        user: u32,
        left: &mut Vec<PackError>,
    ) {
        self.things.retain(|thing| {
            let stat = &thing.stat;
            let is_fine = stat.kind != Kind::File || stat.links <= 1 || stat.user == user;
            if !is_fine {
                left.push(PackError::MayNot {
                    path: place.shown(&thing.below),
                    why: "it is somebody else's, and has another name elsewhere",
                });
            }
            is_fine
        });
    }

    /// Its files.
    pub(crate) fn files(&self) -> impl Iterator<Item = &TreeEntry> {
        let things = self.things.iter();
        things.filter(|thing| thing.stat.kind == Kind::File)
    }

    /// The topmost thing.
    pub(crate) fn top(&self) -> Option<&Stat> {
        self.things.first().map(|thing| &thing.stat)
    }
}

impl<'a> TreeRoot<'a> {
    /// The path of something below it, from the folder that holds it.
    pub(crate) fn path_of(&self, below: &[u8]) -> Vec<u8> {
        match below {
            [] => self.name.to_bytes().to_vec(),
            below => [self.name.to_bytes(), below].join(&b'/'),
        }
    }

    /// The same for people.
    pub(crate) fn shown(&self, below: &[u8]) -> String {
        Printable(&self.path_of(below)).to_string()
    }

    /// The open folder that holds something below it, and its name in there.
    ///
    /// # Errors
    /// When it can't be opened.
    pub(crate) fn open_parent(&self, below: &[u8]) -> Result<(Folder, CString), PackError> {
        let path = self.path_of(below);
        let cut = path.iter().rposition(|byte| *byte == b'/');
        let (above, name) = match cut {
            Some(cut) => (path.get(..cut), path.get(cut + 1..)),
            None => (None, Some(&*path)),
        };
        let failed = |source| self.failed(below, "opened")(source);
        let opened = self
            .disk
            .open_folder(self.folder, above.unwrap_or_default());
        let name = CString::new(name.unwrap_or_default());
        let name = name.map_err(|error| failed(io::Error::other(error)))?;
        Ok((opened.map_err(failed)?, name))
    }

    /// What went wrong with something below it.
    pub(crate) fn failed<'b>(
        &self,
        below: &'b [u8],
        verb: &'static str,
    ) -> impl Fn(io::Error) -> PackError + use<'a, 'b> {
        let place = *self;
        move |source| PackError::Disk {
            path: place.shown(below),
            verb,
            source,
        }
    }
}

/// What becomes of something that can't be packed and come back exactly as it is.
pub(crate) enum Unfit<'a> {
    /// It refuses the whole.
    Refuses,
    /// It is left out, and told here. Of a file with several names each becomes a file of its own.
    LeftOut(&'a mut Vec<PackError>),
}

/// Looks at all of a tree.
///
/// # Errors
/// When the topmost thing can't be looked at; and where that refuses, when something in it can't be read, is no file,
/// folder or link, lies on another volume, or is a file that has another name, too.
pub(crate) fn look(
    place: TreeRoot<'_>,
    unfit: &mut Unfit<'_>,
    cancel: &CancelToken,
) -> Result<SourceTree, PackError> {
    let TreeRoot { disk, folder, name } = place;
    let top = disk
        .stat(folder, name)
        .map_err(place.failed(b"", "looked at"))?;
    let is_strict = matches!(unfit, Unfit::Refuses);
    fits(place, b"", (&top, &top), is_strict)?;
    let mut pass = |looked: Result<(), PackError>| match (looked, &mut *unfit) {
        (Ok(()), _) => Ok(true),
        (Err(error), Unfit::Refuses) => Err(error),
        (Err(error), Unfit::LeftOut(left)) => {
            left.push(error);
            Ok(false)
        }
    };
    let mut things = vec![TreeEntry {
        below: Vec::new(),
        stat: top,
    }];
    // The last is looked into next; the list grows behind what is looked into.
    let mut waiting = if top.kind == Kind::Folder {
        vec![Vec::new()]
    } else {
        Vec::new()
    };
    while let Some(below) = waiting.pop() {
        if cancel.is_cancelled() {
            return Err(PackError::Stopped);
        }
        let (opened, names) = match list(disk, folder, &place.path_of(&below)) {
            Ok(listed) => listed,
            Err(error) => {
                pass(Err(place.failed(&below, "listed")(error)))?;
                continue;
            }
        };
        for name in names {
            let own = match &below[..] {
                [] => name.to_bytes().to_vec(),
                above => [above, name.to_bytes()].join(&b'/'),
            };
            let stat = match disk.stat(&opened, &name) {
                Ok(stat) => stat,
                Err(error) => {
                    pass(Err(place.failed(&own, "looked at")(error)))?;
                    continue;
                }
            };
            if !pass(fits(place, &own, (&top, &stat), is_strict))? {
                continue;
            }
            if stat.kind == Kind::Folder {
                waiting.push(own.clone());
            }
            things.push(TreeEntry { below: own, stat });
        }
    }
    // Each folder before what is in it.
    things.sort_by(|one, other| one.parts().cmp(other.parts()));
    Ok(SourceTree { things })
}

/// Opens a folder and gives its names.
fn list(disk: &dyn Disk, base: &Folder, path: &[u8]) -> io::Result<(Folder, Vec<CString>)> {
    let folder = disk.open_folder(base, path)?;
    let mut names: Vec<CString> = Vec::new();
    disk.list(&folder, &mut |entry| {
        names.push(entry.name.to_owned());
        ControlFlow::Continue(())
    })?;
    Ok((folder, names))
}

/// Whether something can be packed and come back exactly as it is.
fn fits(
    place: TreeRoot<'_>,
    below: &[u8],
    (top, stat): (&Stat, &Stat),
    is_strict: bool,
) -> Result<(), PackError> {
    let depth = below.split(|byte| *byte == b'/').count();
    let why = if stat.is_mount || stat.key.device != top.key.device {
        "another volume, or a part of one, is mounted in it"
    } else if stat.kind == Kind::Other {
        "it is no file, folder or link"
    } else if is_strict && stat.kind == Kind::File && stat.links > 1 {
        "its file has other names, too, and packed it would still take its room"
    } else if is_strict && stat.is_fixed {
        "the system keeps it from being changed"
    } else if depth > MOST_DEPTH {
        "it lies too deep"
    } else {
        return Ok(());
    };
    Err(PackError::MayNot {
        path: place.shown(below),
        why,
    })
}
