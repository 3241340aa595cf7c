//! Whether a copy may go: a file that stays has the same contents, byte by byte, right now.

use std::collections::HashSet;
use std::ffi::CStr;
use std::fs::File;
use std::io::{self, Read as _};
use std::os::fd::AsFd as _;

use jolly_disk::{Attribute, Disk, FileKey, Folder, Kind, Stat};

use crate::cancel::CancelToken;
use crate::computer::{Target, TargetPath};
use crate::plan::Manifest;
use crate::rule::{AsRead, Search};

/// Bytes that are compared at once.
const CHUNK: usize = 128 << 10;

/// The files that a list takes, where it takes copies: none of them keeps another's contents alive.
pub(super) fn taken(searches: &[Search], manifest: &Manifest) -> HashSet<FileKey> {
    if searches.iter().all(|search| search.twins.is_none()) {
        return HashSet::new();
    }
    let items = manifest.items.iter();
    items.map(|item| item.identity.key).collect()
}

/// Whether the file that stays is another one than the one that goes and none that goes, too, and has the same bytes from
/// beginning to end, while neither changes.
pub(super) fn has_same_bytes(
    target: &Target,
    (folder, name, stat): (&Folder, &CStr, &Stat),
    (stays, taken): (&TargetPath, &HashSet<FileKey>),
    cancel: &CancelToken,
) -> io::Result<bool> {
    let disk = &**target.disk();
    let other = disk.open_folder(target.root(), stays.folder_bytes())?;
    let before = disk.stat(&other, stays.as_name())?;
    // Another name of the same file would go with it.
    let is_apart = before.key != stat.key && !taken.contains(&before.key);
    if before.kind != Kind::File || before.size != stat.size || !is_apart {
        return Ok(false);
    }
    let one = disk.open_file(folder, name)?;
    let two = disk.open_file(&other, stays.as_name())?;
    let is_same = are_equal(&one, &two, stat.size, cancel)?;
    let after = disk.stat(folder, name)?;
    let other_after = disk.stat(&other, stays.as_name())?;
    Ok(is_same && after.is_unchanged_since(stat) && other_after.is_unchanged_since(&before))
}

/// Whether a file and the other version of it that stays are as they were when they were read, and that one is no other name
/// of it and doesn't go, too.
pub(super) fn is_as_read(
    target: &Target,
    goes: &Stat,
    (stays, taken): (&TargetPath, &HashSet<FileKey>),
    as_read: &AsRead,
) -> bool {
    let disk = &**target.disk();
    let look = || {
        let folder = disk.open_folder(target.root(), stays.folder_bytes())?;
        disk.stat(&folder, stays.as_name())
    };
    let is_as = |now: &Stat, (size, modified): (u64, i64)| {
        now.kind == Kind::File && now.size == size && now.modified.seconds == modified
    };
    look().is_ok_and(|other: Stat| {
        let is_apart = other.key != goes.key && !taken.contains(&other.key);
        is_apart && is_as(goes, as_read.goes) && is_as(&other, as_read.stays)
    })
}

/// Who a file belongs to, and who may do what with it.
pub(crate) fn owned(stat: &Stat) -> (u32, u32, u32) {
    (stat.user, stat.group, stat.mode)
}

/// Whether nothing but its contents tells a file from another one: owner, group, mode and attributes are the same.
pub(crate) fn are_alike(
    disk: &dyn Disk,
    (one, of_one): (&File, &Stat),
    (other, of_other): (&File, &Stat),
) -> io::Result<bool> {
    if owned(of_one) != owned(of_other) {
        return Ok(false);
    }
    let attributes = |of: &File| -> io::Result<Vec<Attribute>> {
        let mut all = disk.attributes(of.as_fd())?;
        all.sort_by(|one, other| one.name.cmp(&other.name));
        Ok(all)
    };
    Ok(attributes(one)? == attributes(other)?)
}

/// Whether two files have the same bytes, so many in all.
pub(crate) fn are_equal(
    mut one: &File,
    mut two: &File,
    size: u64,
    cancel: &CancelToken,
) -> io::Result<bool> {
    let (mut here, mut there) = (vec![0; CHUNK], vec![0; CHUNK]);
    let mut left = size;
    while left > 0 {
        if cancel.is_cancelled() {
            return Ok(false);
        }
        let many = usize::try_from(left).map_or(CHUNK, |left| left.min(CHUNK));
        let (Some(here), Some(there)) = (here.get_mut(..many), there.get_mut(..many)) else {
            return Ok(false);
        };
        for result in [one.read_exact(here), two.read_exact(there)] {
            match result {
                // One of them is shorter by now.
                Err(error) if error.kind() == io::ErrorKind::UnexpectedEof => return Ok(false),
                other => other?,
            }
        }
        if here != there {
            return Ok(false);
        }
        left -= many as u64;
    }
    Ok(true)
}
