//! Small files of a target, read whole and never beyond a limit.

use std::ffi::CStr;
use std::io::{self, Read as _};

use jolly_disk::{Disk, Folder};

/// The most that is read of a small text file on a target; a longer one isn't what it claims.
const MOST_TEXT: u64 = 1024 * 1024;

/// Reads a small regular file of a target.
pub(crate) fn read_small(
    disk: &dyn Disk,
    root: &Folder,
    folder: &[u8],
    name: &CStr,
) -> io::Result<Vec<u8>> {
    let folder = disk.open_folder(root, folder)?;
    let mut text = Vec::new();
    disk.open_file(&folder, name)?
        .take(MOST_TEXT)
        .read_to_end(&mut text)?;
    Ok(text)
}
