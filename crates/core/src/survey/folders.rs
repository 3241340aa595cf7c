//! What lies in folders of a target, as far as it can be told quickly.

use std::ffi::CString;
use std::ops::ControlFlow;

use jolly_disk::{Disk, Folder, Kind};

use crate::computer::{Target, TargetPath, find_folders};

/// The folders that a path below another stands for, whatever case the disk writes them in; `*` is any name.
pub(crate) fn folders(target: &Target, base: &TargetPath, path: &str) -> Vec<TargetPath> {
    let parts: Vec<&str> = path.split('/').collect();
    find_folders(&**target.disk(), target.root(), base, &parts, target.layout)
}

/// Opens a folder below another.
pub(super) fn open_below(target: &Target, folder: &TargetPath, below: &str) -> Option<Folder> {
    let path = folder.join(below.as_bytes()).ok()?;
    let disk = target.disk();
    disk.open_folder(target.root(), path.as_bytes()).ok()
}

/// What is in a folder; what was told before a failure still says what it says.
pub(super) fn names_in(disk: &dyn Disk, folder: &Folder) -> Vec<(CString, Kind)> {
    let mut names = Vec::new();
    let listed = disk.list(folder, &mut |entry| {
        let looked = || disk.stat(folder, entry.name).ok().map(|stat| stat.kind);
        if let Some(kind) = entry.kind.or_else(looked) {
            names.push((CString::from(entry.name), kind));
        }
        ControlFlow::Continue(())
    });
    drop(listed);
    names
}

/// Folders within each other at most.
const DEPTH: usize = 12;

/// Bytes that the files in a folder hold.
pub(super) fn bytes_in(disk: &dyn Disk, folder: &Folder) -> u64 {
    bytes_below(disk, folder, DEPTH)
}

fn bytes_below(disk: &dyn Disk, folder: &Folder, depth: usize) -> u64 {
    let mut bytes = 0;
    for (name, kind) in names_in(disk, folder) {
        bytes += match kind {
            Kind::File => disk.stat(folder, &name).map_or(0, |stat| stat.allocated),
            Kind::Folder if depth > 0 => match disk.open_folder(folder, name.to_bytes()) {
                Ok(inner) => bytes_below(disk, &inner, depth - 1),
                Err(_) => 0,
            },
            Kind::Folder | Kind::Link | Kind::Other => 0,
        };
    }
    bytes
}
