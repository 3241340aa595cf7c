//! Cache folders that say so themselves, by the cache-directory tagging specification.

use std::ffi::CStr;
use std::io::Read as _;

use jolly_disk::{Disk, Folder};

use crate::target::{Target, TargetPath};

/// The tag's name.
const NAME: &CStr = c"CACHEDIR.TAG";

/// What a valid tag begins with (the specification's own MD5 of its name).
const SIGNATURE: &[u8; 43] = b"Signature: 8a477f597d28d172789f06886806bc55";

/// Whether `folder`, or one above it down from `root`, bears a valid tag.
pub(super) fn is_below_tag(target: &Target, root: &TargetPath, folder: &TargetPath) -> bool {
    let mut at = Some(folder.clone());
    while let Some(path) = at {
        if path.below(root).is_none() {
            return false;
        }
        let disk = &**target.disk();
        let opened = disk.open_folder(target.root(), path.as_bytes());
        if opened.is_ok_and(|folder| bears_tag(disk, &folder)) {
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

/// Whether an open folder bears a valid tag.
pub fn bears_tag(disk: &dyn Disk, folder: &Folder) -> bool {
    let read = disk.open_file(folder, NAME).and_then(|mut file| {
        let mut bytes = [0; SIGNATURE.len()];
        file.read_exact(&mut bytes).map(|()| bytes)
    });
    read.is_ok_and(|bytes| bytes == *SIGNATURE)
}
