//! Writing over a file's bytes before its name goes.
//!
//! One pass of zeros reaches what the file system shows as the file. A journal, a snapshot, a
//! flash disk's spare blocks or a copying file system may hold older bytes; nobody can promise
//! those from here.

use std::ffi::CStr;
use std::io;
use std::os::unix::fs::{FileExt as _, MetadataExt as _};
use std::path::Path;

use jolly_disk::{Disk, Folder, Stat, pieces};

use crate::cancel::CancelToken;
use crate::computer::Target;
use crate::host::{device_number, is_rotating, mount_of};

/// Bytes written at once.
const PIECE: usize = 1 << 20;

/// Writes zeros over a regular file and waits until they are on the disk.
///
/// # Safety argument
/// The file is opened without following a link, and must be the one that was looked at, with this
/// one name: the bytes of a file with another name are somebody else's, too.
///
/// # Errors
/// What the kernel says; `InvalidInput` when it is another file or has another name.
pub(crate) fn overwrite(
    disk: &dyn Disk,
    folder: &Folder,
    name: &CStr,
    stat: &Stat,
    stop: &CancelToken,
) -> io::Result<()> {
    let file = disk.open_to_overwrite(folder, name)?;
    let metadata = file.metadata()?;
    let is_it = metadata.is_file()
        && metadata.ino() == stat.key.inode
        && metadata.len() == stat.size
        && metadata.nlink() == 1;
    if !is_it {
        return Err(io::Error::new(
            io::ErrorKind::InvalidInput,
            "it is another file by now, or has another name",
        ));
    }
    let zeros = vec![0; PIECE];
    // A hole holds nothing, and writing there would take room.
    for piece in pieces(&file, stat.size)? {
        let (mut at, end) = (piece.at, piece.at + piece.len);
        while at < end {
            if stop.is_cancelled() {
                return Err(io::Error::other(
                    "it was stopped, and is partly written over",
                ));
            }
            let most = usize::try_from(end - at).unwrap_or(PIECE).min(PIECE);
            file.write_all_at(zeros.get(..most).unwrap_or(&zeros), at)?;
            at += most as u64;
        }
    }
    file.sync_all()
}

/// What writing over can't promise on the volume of a target: older copies of the bytes may lie
/// elsewhere on it. Nothing when nothing of the kind is known.
pub fn overwrite_caveat(target: &Target) -> Option<&'static str> {
    let kind = mount_of(target.root_path()).map(|mount| mount.kind);
    caveat_of(kind.as_deref(), target.key().device)
}

/// The same at a path of this machine.
pub(crate) fn caveat_at(path: &Path) -> Option<&'static str> {
    let kind = mount_of(path).map(|mount| mount.kind);
    let device = std::fs::metadata(path).map(|facts| device_number(facts.dev()));
    caveat_of(kind.as_deref(), device.unwrap_or_default())
}

/// The same of a file system of this kind on a device.
fn caveat_of(kind: Option<&str>, device: u64) -> Option<&'static str> {
    match kind {
        Some("btrfs" | "zfs" | "bcachefs" | "apfs" | "f2fs" | "nilfs2") => {
            return Some(
                "this file system writes elsewhere and leaves the old bytes where they were",
            );
        }
        Some("overlay") => return Some("what lies below this volume keeps its bytes"),
        _ => {}
    }
    let turns = is_rotating(device);
    match (kind, turns) {
        (_, Some(false)) => Some("a flash disk keeps spare blocks, where older bytes may stay"),
        (Some("ext3" | "ext4" | "xfs" | "ntfs" | "ntfs3" | "fuseblk" | "hfsplus"), _) => {
            Some("its journal, and copies that were made before, may hold older bytes")
        }
        (_, None) => Some("nothing is known of the disk below, which may hold older bytes"),
        (_, Some(true)) => None,
    }
}

#[cfg(test)]
mod tests {
    use super::*;
    use jolly_disk::RealDisk;

    #[test]
    fn every_byte_is_written_over_but_never_those_of_another_name() {
        let dir = tempfile::tempdir().unwrap();
        let path = dir.path().join("file");
        std::fs::write(&path, vec![7; PIECE + 5]).unwrap();
        let folder = RealDisk.open_root(dir.path()).unwrap();
        let stat = RealDisk.stat(&folder, c"file").unwrap();
        let go = CancelToken::default();
        overwrite(&RealDisk, &folder, c"file", &stat, &go).unwrap();
        assert_eq!(std::fs::read(&path).unwrap(), vec![0; PIECE + 5]);

        std::fs::write(&path, b"kept").unwrap();
        let stat = RealDisk.stat(&folder, c"file").unwrap();
        std::fs::hard_link(&path, dir.path().join("twin")).unwrap();
        assert!(overwrite(&RealDisk, &folder, c"file", &stat, &go).is_err());
        std::os::unix::fs::symlink(&path, dir.path().join("link")).unwrap();
        assert!(overwrite(&RealDisk, &folder, c"link", &stat, &go).is_err());
        assert_eq!(std::fs::read(&path).unwrap(), b"kept");
    }
}
