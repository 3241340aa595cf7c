//! What is written over as a whole: a disk, an image of one, and what is free of a volume.

use std::ffi::CString;
use std::fs::File;
use std::io;
use std::os::fd::AsFd as _;
use std::os::unix::fs::{FileExt as _, MetadataExt as _};
use std::path::Path;

use rustix::fs::{Advice, CWD, Mode, OFlags, fadvise, openat};
use rustix::io::Errno;

use crate::disk::{Disk as _, Folder};
use crate::real::RealDisk;

/// Bytes that can be written over, and read back from the disk.
pub trait Surface {
    /// Writes all of these bytes at an offset.
    ///
    /// # Errors
    /// What the disk says; `StorageFull` where there is no more of it.
    fn write(&mut self, at: u64, bytes: &[u8]) -> io::Result<()>;

    /// Reads as many bytes from an offset.
    ///
    /// # Errors
    /// What the disk says.
    fn read(&mut self, at: u64, bytes: &mut [u8]) -> io::Result<()>;

    /// Brings to the disk what was written, and has the kernel forget it, so that it is read from there.
    ///
    /// # Errors
    /// What the disk says.
    fn flush(&mut self) -> io::Result<()>;

    /// Prepares it to be gone over once more.
    fn start_over(&mut self) {}
}

impl Surface for File {
    fn write(&mut self, at: u64, bytes: &[u8]) -> io::Result<()> {
        self.write_all_at(bytes, at)
    }

    fn read(&mut self, at: u64, bytes: &mut [u8]) -> io::Result<()> {
        self.read_exact_at(bytes, at)
    }

    fn flush(&mut self) -> io::Result<()> {
        self.sync_data()?;
        // Where it isn't forgotten it is read from memory: less is proven, nothing is lost.
        let _is_forgotten = fadvise(&*self, 0, None, Advice::DontNeed).is_ok();
        Ok(())
    }
}

/// Opens a whole disk or an image to be written over. The kernel gives a disk only to one who has it alone: not while any of
/// it is mounted, swapped to or part of another volume (open(2), `O_EXCL` of a block device).
///
/// # Errors
/// `InvalidInput` when it is neither a disk nor a regular file, or another one by the time it is open; `ResourceBusy` when
/// somebody has it; else what the kernel says. A link is not followed.
pub fn open_whole(path: &Path) -> io::Result<File> {
    let invalid = |what| io::Error::new(io::ErrorKind::InvalidInput, what);
    // Opening some devices does something, so it is looked at first.
    let look = OFlags::PATH | OFlags::NOFOLLOW | OFlags::CLOEXEC;
    let seen = File::from(openat(CWD, path, look, Mode::empty())?).metadata()?;
    let is_disk = std::os::unix::fs::FileTypeExt::is_block_device(&seen.file_type());
    if !is_disk && !seen.is_file() {
        return Err(invalid("it is neither a disk nor a file"));
    }
    let mut flags = OFlags::RDWR | OFlags::NOFOLLOW | OFlags::CLOEXEC | OFlags::NONBLOCK;
    flags.set(OFlags::EXCL, is_disk);
    let file = File::from(openat(CWD, path, flags, Mode::empty())?);
    let now = file.metadata()?;
    if (now.dev(), now.ino(), now.rdev()) != (seen.dev(), seen.ino(), seen.rdev()) {
        return Err(invalid("another one has its name by now"));
    }
    Ok(file)
}

/// What is free of a volume, filled by files that have no name: whatever ends this process gives all of it back.
pub struct FreeSpace<'a> {
    folder: &'a Folder,
    files: Vec<File>,
    /// The most that a file of this volume is given.
    most: u64,
}

impl<'a> FreeSpace<'a> {
    /// The free space of the volume that a folder lies on, in files of so many bytes at most.
    pub fn of(folder: &'a Folder, most: u64) -> Self {
        Self {
            folder,
            files: Vec::new(),
            most: most.max(1),
        }
    }

    /// The file that an offset is in, and where in it; one more is begun if it has to be.
    fn file(&mut self, at: u64) -> io::Result<(&mut File, u64)> {
        let number = usize::try_from(at / self.most).unwrap_or(usize::MAX);
        while self.files.len() <= number {
            self.files.push(make_unnamed(self.folder)?);
        }
        let file = self.files.get_mut(number);
        let file = file.ok_or_else(|| io::Error::from(io::ErrorKind::NotFound))?;
        Ok((file, at % self.most))
    }
}

impl Surface for FreeSpace<'_> {
    fn write(&mut self, at: u64, bytes: &[u8]) -> io::Result<()> {
        let (mut at, mut rest) = (at, bytes);
        while !rest.is_empty() {
            let room = usize::try_from(self.most - at % self.most).unwrap_or(rest.len());
            let (now, later) = rest.split_at(room.min(rest.len()));
            let (file, within) = self.file(at)?;
            file.write_all_at(now, within)?;
            (at, rest) = (at + now.len() as u64, later);
        }
        Ok(())
    }

    fn read(&mut self, at: u64, bytes: &mut [u8]) -> io::Result<()> {
        let (mut at, mut rest) = (at, bytes);
        while !rest.is_empty() {
            let room = usize::try_from(self.most - at % self.most).unwrap_or(rest.len());
            let (now, later) = rest.split_at_mut(room.min(rest.len()));
            let (file, within) = self.file(at)?;
            file.read_exact_at(now, within)?;
            (at, rest) = (at + now.len() as u64, later);
        }
        Ok(())
    }

    fn flush(&mut self) -> io::Result<()> {
        // Those before the last were flushed when they were full.
        let mut last = self.files.iter_mut().rev().take(2);
        last.try_for_each(Surface::flush)
    }

    /// Gives all of it back: a file system that writes elsewhere would find no room for a second time.
    fn start_over(&mut self) {
        self.files.clear();
    }
}

/// A file without a name (open(2), `O_TMPFILE`); where the file system can't, one whose name goes at once.
fn make_unnamed(folder: &Folder) -> io::Result<File> {
    let flags = OFlags::RDWR | OFlags::CLOEXEC;
    let mode = Mode::RUSR | Mode::WUSR;
    match openat(folder.as_fd(), c".", flags | OFlags::TMPFILE, mode) {
        Ok(file) => return Ok(File::from(file)),
        Err(Errno::NOTSUP | Errno::ISDIR | Errno::INVAL | Errno::NOENT | Errno::NOSYS) => {}
        Err(error) => return Err(error.into()),
    }
    for number in 0..1024_u32 {
        let name = format!(".jolly-broom-wipe-{}-{number}", std::process::id());
        let name = CString::new(name)?;
        let flags = flags | OFlags::CREATE | OFlags::EXCL | OFlags::NOFOLLOW;
        match openat(folder.as_fd(), &*name, flags, mode) {
            Ok(file) => {
                RealDisk.unlink(folder, &name)?;
                return Ok(File::from(file));
            }
            Err(Errno::EXIST) => {}
            Err(error) => return Err(error.into()),
        }
    }
    Err(io::ErrorKind::AlreadyExists.into())
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn what_fills_a_volume_has_no_name_and_is_read_back_across_files() {
        let dir = tempfile::tempdir().unwrap();
        let folder = RealDisk.open_root(dir.path()).unwrap();
        let mut free = FreeSpace::of(&folder, 1000);
        let bytes: Vec<u8> = (0..=255).cycle().take(2500).collect();
        free.write(300, &bytes).unwrap();
        free.flush().unwrap();
        assert_eq!(free.files.len(), 3);
        assert_eq!(std::fs::read_dir(dir.path()).unwrap().count(), 0);
        let mut read = vec![0; 2500];
        free.read(300, &mut read).unwrap();
        assert_eq!(read, bytes);
    }

    #[test]
    fn only_a_disk_or_a_regular_file_is_opened() {
        let dir = tempfile::tempdir().unwrap();
        let (image, link) = (dir.path().join("image"), dir.path().join("link"));
        std::fs::write(&image, b"disk").unwrap();
        std::os::unix::fs::symlink(&image, &link).unwrap();
        assert!(open_whole(&image).is_ok());
        for path in [link.as_path(), dir.path(), Path::new("/dev/null")] {
            assert!(open_whole(path).is_err(), "{}", path.display());
        }
    }
}
