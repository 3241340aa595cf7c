//! Building trees: files of any size and age, allocated without being written where the file
//! system can.

use std::fs::{self, File};
use std::io::Write as _;
use std::os::unix::ffi::OsStrExt as _;
use std::os::unix::fs::{FileExt as _, PermissionsExt as _};
use std::path::{Path, PathBuf};

use rustix::fs::{AtFlags, CWD, FallocateFlags, FileType, Mode, Timespec, Timestamps};

use crate::DemoError;

/// Seconds in a day, for ages.
pub(crate) const DAY: i64 = 24 * 3600;

/// Builds one tree below a root.
#[derive(Debug)]
pub struct TreeBuilder {
    root: PathBuf,
    now: i64,
}

impl TreeBuilder {
    /// A builder below `root`, which it makes; ages count back from `now`, seconds since 1970.
    ///
    /// # Errors
    /// When the folder can't be made.
    pub fn new(root: &Path, now: i64) -> Result<Self, DemoError> {
        fs::create_dir_all(root).map_err(DemoError::at("make", root))?;
        Ok(Self {
            root: root.to_owned(),
            now,
        })
    }

    /// The moment that ages count back from, seconds since 1970.
    pub fn now(&self) -> i64 {
        self.now
    }

    /// Where something lies.
    pub fn path(&self, below: impl AsRef<[u8]>) -> PathBuf {
        self.root.join(std::ffi::OsStr::from_bytes(below.as_ref()))
    }

    fn parent(&self, path: &Path) -> Result<(), DemoError> {
        let parent = path.parent().unwrap_or(&self.root);
        fs::create_dir_all(parent).map_err(DemoError::at("make", parent))
    }

    /// A folder.
    ///
    /// # Errors
    /// What the disk says.
    pub fn folder(&self, below: impl AsRef<[u8]>) -> Result<PathBuf, DemoError> {
        let path = self.path(below);
        fs::create_dir_all(&path).map_err(DemoError::at("make", &path))?;
        Ok(path)
    }

    /// A file with these bytes, `age` seconds old.
    ///
    /// # Errors
    /// What the disk says.
    pub fn text(
        &self,
        below: impl AsRef<[u8]>,
        bytes: impl AsRef<[u8]>,
        age: i64,
    ) -> Result<PathBuf, DemoError> {
        let path = self.path(below);
        self.parent(&path)?;
        fs::write(&path, bytes).map_err(DemoError::at("write", &path))?;
        self.age(&path, age)?;
        Ok(path)
    }

    /// A file that holds `size` bytes on the disk, `age` seconds old.
    ///
    /// # Errors
    /// What the disk says.
    pub fn file(&self, below: impl AsRef<[u8]>, size: u64, age: i64) -> Result<PathBuf, DemoError> {
        let path = self.path(below);
        self.parent(&path)?;
        let file = File::create(&path).map_err(DemoError::at("make", &path))?;
        fill(&file, size).map_err(DemoError::at("fill", &path))?;
        self.age(&path, age)?;
        Ok(path)
    }

    /// A file of a kind that its first bytes tell, as rulebooks name kinds; `size` bytes on the disk, `age`
    /// seconds old.
    ///
    /// # Errors
    /// What the disk says.
    pub fn of_kind(
        &self,
        below: impl AsRef<[u8]>,
        kind: &str,
        size: u64,
        age: i64,
    ) -> Result<PathBuf, DemoError> {
        let path = self.file(below, size, age)?;
        let file = fs::OpenOptions::new().write(true).open(&path);
        let file = file.map_err(DemoError::at("open", &path))?;
        for (at, bytes) in marks_of(kind, size) {
            file.write_all_at(bytes, at)
                .map_err(DemoError::at("write", &path))?;
        }
        // Written into room that was only set aside, bytes may take a block more once they reach the disk: that
        // has to be now, not while somebody counts.
        file.sync_all().map_err(DemoError::at("write", &path))?;
        self.age(&path, age)?;
        Ok(path)
    }

    /// A file that looks `size` bytes long and holds only its first `held` bytes.
    ///
    /// # Errors
    /// What the disk says.
    pub fn sparse(
        &self,
        below: impl AsRef<[u8]>,
        size: u64,
        held: u64,
        age: i64,
    ) -> Result<(), DemoError> {
        let path = self.path(below);
        self.parent(&path)?;
        let file = File::create(&path).map_err(DemoError::at("make", &path))?;
        fill(&file, held).map_err(DemoError::at("fill", &path))?;
        file.set_len(size)
            .map_err(DemoError::at("lengthen", &path))?;
        self.age(&path, age)
    }

    /// A second name for a file.
    ///
    /// # Errors
    /// What the disk says.
    pub fn hard_link(
        &self,
        of: impl AsRef<[u8]>,
        below: impl AsRef<[u8]>,
    ) -> Result<(), DemoError> {
        let path = self.path(below);
        self.parent(&path)?;
        fs::hard_link(self.path(of), &path).map_err(DemoError::at("link", &path))
    }

    /// A symbolic link, `age` seconds old.
    ///
    /// # Errors
    /// What the disk says.
    pub fn link(&self, below: impl AsRef<[u8]>, to: &Path, age: i64) -> Result<(), DemoError> {
        let path = self.path(below);
        self.parent(&path)?;
        std::os::unix::fs::symlink(to, &path).map_err(DemoError::at("link", &path))?;
        self.age(&path, age)
    }

    /// A named pipe, `age` seconds old.
    ///
    /// # Errors
    /// What the disk says.
    pub fn pipe(&self, below: impl AsRef<[u8]>, age: i64) -> Result<(), DemoError> {
        let path = self.path(below);
        self.parent(&path)?;
        rustix::fs::mknodat(CWD, &path, FileType::Fifo, Mode::RUSR | Mode::WUSR, 0)
            .map_err(|error| DemoError::at("make the pipe", &path)(error.into()))?;
        self.age(&path, age)
    }

    /// Sets the permission bits.
    ///
    /// # Errors
    /// What the disk says.
    pub fn mode(&self, below: impl AsRef<[u8]>, mode: u32) -> Result<(), DemoError> {
        let path = self.path(below);
        let permissions = fs::Permissions::from_mode(mode);
        fs::set_permissions(&path, permissions).map_err(DemoError::at("change", &path))
    }

    /// Whether something lies there already.
    pub(crate) fn has(&self, below: impl AsRef<[u8]>) -> bool {
        self.path(below).symlink_metadata().is_ok()
    }

    /// Gives a thing to the account of that number, where the builder may.
    ///
    /// # Errors
    /// What the disk says, but for a missing right: an ordinary person builds it as their own.
    pub(crate) fn give(&self, below: impl AsRef<[u8]>, user: u32) -> Result<(), DemoError> {
        let path = self.path(below);
        match std::os::unix::fs::lchown(&path, Some(user), None) {
            Err(error) if error.kind() != std::io::ErrorKind::PermissionDenied => {
                Err(DemoError::at("give away", &path)(error))
            }
            _ => Ok(()),
        }
    }

    /// Makes every folder that holds something as old as the youngest thing in it: a folder made
    /// today says that somebody was here today.
    ///
    /// # Errors
    /// What the disk says.
    pub fn age_folders(&self) -> Result<(), DemoError> {
        self.age_folder(&self.root).map(drop)
    }

    fn age_folder(&self, folder: &Path) -> Result<Option<i64>, DemoError> {
        let entries = match fs::read_dir(folder) {
            // A folder that its own builder can't read keeps its age.
            Err(error) if error.kind() == std::io::ErrorKind::PermissionDenied => return Ok(None),
            entries => entries.map_err(DemoError::at("read", folder))?,
        };
        let mut newest: Option<i64> = None;
        for entry in entries {
            let entry = entry.map_err(DemoError::at("read", folder))?;
            let metadata = entry.metadata().map_err(DemoError::at("look at", folder))?;
            let time = if metadata.is_dir() {
                self.age_folder(&entry.path())?
            } else {
                Some(std::os::unix::fs::MetadataExt::mtime(&metadata))
            };
            newest = newest.max(time);
        }
        if let Some(time) = newest {
            self.age(folder, self.now - time)?;
        }
        Ok(newest)
    }

    /// Makes a thing `age` seconds old, by change and by access.
    ///
    /// # Errors
    /// What the disk says.
    pub fn age(&self, path: &Path, age: i64) -> Result<(), DemoError> {
        let then = Timespec {
            tv_sec: self.now - age,
            tv_nsec: 0,
        };
        let times = Timestamps {
            last_access: then,
            last_modification: then,
        };
        rustix::fs::utimensat(CWD, path, &times, AtFlags::SYMLINK_NOFOLLOW)
            .map_err(|error| DemoError::at("age", path)(error.into()))
    }
}

/// What tells a kind of file, and where that stands in one of this size.
fn marks_of(kind: &str, size: u64) -> Vec<(u64, &'static [u8])> {
    const ELF: &[u8] = b"\x7fELF\x02\x01\x01\0";
    let first = |bytes: &'static [u8]| -> Vec<(u64, &'static [u8])> { vec![(0, bytes)] };
    match kind {
        "core-dump" => vec![(0, ELF), (16, b"\x04\0")],
        "elf-program" => vec![(0, ELF), (16, b"\x02\0")],
        "windows-program" => first(b"MZ"),
        "compound-file" => first(b"\xd0\xcf\x11\xe0\xa1\xb1\x1a\xe1"),
        "debian-package" => first(b"!<arch>\n"),
        "rpm-package" => first(b"\xed\xab\xee\xdb"),
        "disc-image" => vec![(32_769, b"CD001")],
        "apple-disk-image" => vec![(size.saturating_sub(512), b"koly")],
        "xar" => first(b"xar!"),
        "script" => first(b"#!/bin/sh\n"),
        // For two processors: 12 MiB for one, 7 MiB for the other, and the table that says so.
        "universal-program" => first(
            b"\xca\xfe\xba\xbe\0\0\0\x02\x01\0\0\x07\0\0\0\x03\0\0\x40\0\0\xc0\0\0\0\0\0\x0e\
              \x01\0\0\x0c\0\0\0\0\0\xc1\0\0\0\x70\0\0\0\0\0\x0e",
        ),
        "png" => first(b"\x89PNG\r\n\x1a\n"),
        _ => Vec::new(),
    }
}

/// Allocates without writing where the file system can, else writes zeros.
fn fill(mut file: &File, size: u64) -> std::io::Result<()> {
    if size == 0 || rustix::fs::fallocate(file, FallocateFlags::empty(), 0, size).is_ok() {
        return Ok(());
    }
    let zeros = vec![0_u8; 1 << 20];
    let mut left = size;
    while left > 0 {
        let some = usize::try_from(left).unwrap_or(usize::MAX).min(zeros.len());
        file.write_all(zeros.get(..some).unwrap_or(&zeros))?;
        left -= some as u64;
    }
    Ok(())
}
