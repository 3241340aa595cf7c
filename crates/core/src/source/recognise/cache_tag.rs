//! Cache folders that say so themselves, by the cache-directory tagging specification.
//!
//! Anybody can drop a tag. So it counts only where it speaks for its own person: in a folder that belongs
//! to whoever owns the tag and that nobody else may write to, that is no home, place or folder of somebody's
//! own nor above one, and for files of that person alone.

use std::ffi::CStr;
use std::io::Read as _;

use jolly_disk::{Disk, Folder, Kind};

use crate::computer::{Target, TargetPath};
use crate::rule::Guards;

/// The tag's name.
const NAME: &CStr = c"CACHEDIR.TAG";

/// What a valid tag begins with (the specification's own MD5 of its name).
const SIGNATURE: &[u8; 43] = b"Signature: 8a477f597d28d172789f06886806bc55";

/// The topmost folder from `root` down to `folder` that a tag marks, with whose it is.
pub(crate) fn marked(
    target: &Target,
    guards: &Guards,
    root: &TargetPath,
    folder: &TargetPath,
) -> Option<(TargetPath, u32)> {
    let mut found = None;
    let mut at = Some(folder.clone());
    while let Some(path) = at.filter(|path| path.below(root).is_some()) {
        let disk = &**target.disk();
        if may_be_tagged(guards, &path)
            && let Ok(opened) = disk.open_folder(target.root(), path.as_bytes())
            && let Some(owner) = tag_owner(disk, &opened)
        {
            found = Some((path.clone(), owner));
        }
        at = path.parent();
    }
    found
}

/// Whether a folder, or one above it down from `root`, bears a valid tag, be it one that counts or not.
pub fn is_below_tag(target: &Target, root: &TargetPath, folder: &TargetPath) -> bool {
    let disk = &**target.disk();
    let bears = |path: &TargetPath| {
        let opened = disk.open_folder(target.root(), path.as_bytes());
        opened.is_ok_and(|folder| tag_owner(disk, &folder).is_some())
    };
    let mut at = Some(folder.clone());
    while let Some(path) = at.filter(|path| path.below(root).is_some()) {
        if bears(&path) {
            return true;
        }
        at = path.parent();
    }
    false
}

/// Whether a name is a tag's.
pub fn is_tag(name: &CStr) -> bool {
    name == NAME
}

/// Whether a tag in a folder could count: it is no root of anything, and on the way to none.
pub fn may_be_tagged(guards: &Guards, folder: &TargetPath) -> bool {
    !guards.is_root(folder) && !guards.is_personal(folder)
}

/// Whose the valid tag is that an open folder bears, where it counts.
pub fn tag_owner(disk: &dyn Disk, folder: &Folder) -> Option<u32> {
    let tag = disk.stat(folder, NAME).ok()?;
    let holder = disk.stat_folder(folder).ok()?;
    let is_own =
        tag.kind == Kind::File && tag.user == holder.user && (tag.mode | holder.mode) & 0o022 == 0;
    is_own.then_some(())?;
    let read = disk.open_file(folder, NAME).and_then(|mut file| {
        let mut bytes = [0; SIGNATURE.len()];
        file.read_exact(&mut bytes).map(|()| bytes)
    });
    read.is_ok_and(|bytes| bytes == *SIGNATURE)
        .then_some(tag.user)
}
