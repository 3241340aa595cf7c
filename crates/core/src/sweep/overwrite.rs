//! Writing over a file's bytes before its name goes.
//!
//! One pass of zeros reaches what the file system shows as the file. A journal, a snapshot, a
//! flash disk's spare blocks or a copying file system may hold older bytes; nobody can promise
//! those from here.

use std::ffi::CStr;
use std::io::{self, Seek as _, SeekFrom, Write as _};
use std::os::unix::fs::MetadataExt as _;

use jolly_disk::{Disk, Folder, Stat};

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
pub(super) fn overwrite(
    disk: &dyn Disk,
    folder: &Folder,
    name: &CStr,
    stat: &Stat,
) -> io::Result<()> {
    let mut file = disk.open_to_overwrite(folder, name)?;
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
    file.seek(SeekFrom::Start(0))?;
    let mut left = stat.size;
    while left > 0 {
        let piece = usize::try_from(left).unwrap_or(PIECE).min(PIECE);
        file.write_all(zeros.get(..piece).unwrap_or(&zeros))?;
        left -= piece as u64;
    }
    file.sync_all()
}
