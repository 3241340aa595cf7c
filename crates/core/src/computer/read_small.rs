//! Small files of a target, read whole and never beyond a limit.

use std::ffi::CStr;
use std::io::{self, Read as _};

use jolly_disk::{Disk, Folder};

/// The most that is read of a small text file on a target; a longer one isn't what it claims.
const MOST_TEXT: u64 = 1024 * 1024;

/// Reads a regular file of a target whole.
///
/// # Errors
/// When it can't be read, or is longer than `most`.
pub(crate) fn read_whole(
    disk: &dyn Disk,
    folder: &Folder,
    name: &CStr,
    most: u64,
) -> io::Result<Vec<u8>> {
    let file = disk.open_file(folder, name)?;
    // One byte more, so that its end is seen without asking for room again.
    let len = file.metadata().map_or(0, |facts| facts.len()).min(most) + 1;
    let mut bytes = Vec::with_capacity(usize::try_from(len).unwrap_or(0));
    file.take(most + 1).read_to_end(&mut bytes)?;
    if bytes.len() as u64 > most {
        return Err(io::ErrorKind::FileTooLarge.into());
    }
    Ok(bytes)
}

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
