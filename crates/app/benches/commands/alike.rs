//! Trees of many files that are alike.

use std::fs::{self, File, Permissions};
use std::io::{self, Write as _};
use std::os::unix::fs::{PermissionsExt as _, fchown};
use std::path::Path;
use std::process::Command;

/// A small computer with such files in its folder for temporary files.
#[derive(Clone, Copy, Debug)]
pub(crate) struct Alike {
    /// How many files.
    pub files: usize,
    /// How many of them in each folder.
    pub in_folder: usize,
    /// How many bytes each holds.
    pub bytes: usize,
    /// The permission bits of their folders.
    pub mode: u32,
    /// Whom folders and files belong to.
    pub owner: u32,
    /// Whether each removal waits for the device: their folders are marked so (`chattr(1)`, D).
    pub waits: bool,
}

impl Alike {
    /// Empty files in folders of the runner's own.
    pub(crate) fn empty(files: usize, in_folder: usize) -> Self {
        Self {
            files,
            in_folder,
            bytes: 0,
            mode: 0o755,
            owner: rustix::process::geteuid().as_raw(),
            waits: false,
        }
    }

    /// Builds it below `root`.
    ///
    /// # Errors
    /// What the disk says; and where their folders can't be marked.
    pub(crate) fn build(self, root: &Path) -> io::Result<()> {
        make_computer(root)?;
        let runner = rustix::process::geteuid().as_raw();
        let piece = vec![b'x'; self.bytes];
        for first in (0..self.files).step_by(self.in_folder) {
            let number = first / self.in_folder;
            let group = root.join(format!("tmp/group-{:04}", number / 100));
            let folder = group.join(format!("run-{:02}", number % 100));
            fs::create_dir_all(&folder)?;
            for file in first..self.files.min(first + self.in_folder) {
                let mut file = File::create(folder.join(format!("entry-{file:08}.dat")))?;
                file.write_all(&piece)?;
                if self.owner != runner {
                    fchown(&file, Some(self.owner), Some(self.owner))?;
                }
            }
            for folder in [&group, &folder] {
                let opened = File::open(folder)?;
                opened.set_permissions(Permissions::from_mode(self.mode))?;
                if self.owner != runner {
                    fchown(&opened, Some(self.owner), Some(self.owner))?;
                }
            }
            if self.waits
                && !Command::new("chattr")
                    .arg("+D")
                    .arg(&folder)
                    .status()?
                    .success()
            {
                return Err(io::Error::other("this file system has no such mark"));
            }
        }
        Ok(())
    }
}

/// 20,000 files of 4 KiB and 20 of 50 MiB, or a share of them, that pack to about a half, in the folder for
/// temporary files of a small computer.
///
/// # Errors
/// What the disk says.
pub(crate) fn build_packable(root: &Path, share: usize) -> io::Result<()> {
    make_computer(root)?;
    let mut noise = Noise(1);
    let piece = noise.piece(50 << 20);
    for number in 0..20_000 / share {
        let folder = root.join(format!("tmp/small-{:03}", number / 100));
        fs::create_dir_all(&folder)?;
        let from = number * 4096 % (40 << 20);
        let bytes = piece.get(from..from + 4096).unwrap_or_default();
        fs::write(folder.join(format!("s{number:05}")), bytes)?;
    }
    for number in 0..20 / share.min(20) {
        let mut file = File::create(root.join(format!("tmp/big-{number:02}")))?;
        file.write_all(piece.get(number..).unwrap_or_default())?;
    }
    Ok(())
}

/// So many files in the caches of so many accounts, by fifties in folders of as many programs as there are rules.
///
/// # Errors
/// What the disk says.
pub(crate) fn build_caches(
    root: &Path,
    (files, accounts, rules): (usize, usize, usize),
) -> io::Result<()> {
    make_computer(root)?;
    let account = |at: usize| {
        let number = 1001 + at;
        format!("u{at:03}:x:{number}:{number}::/home/u{at:03}:/bin/sh\n")
    };
    let known: String = (0..accounts).map(account).collect();
    fs::write(root.join("etc/passwd"), known)?;
    for first in (0..files).step_by(50) {
        let (at, number) = (first / 50 % accounts, first / 50 / accounts);
        let program = format!(
            "home/u{at:03}/.cache/app{:03}/run-{number:05}",
            number % rules
        );
        let folder = root.join(program);
        fs::create_dir_all(&folder)?;
        for file in first..first + 50 {
            File::create(folder.join(format!("entry-{file:08}.dat")))?;
        }
    }
    Ok(())
}

fn make_computer(root: &Path) -> io::Result<()> {
    fs::create_dir_all(root.join("etc"))?;
    fs::create_dir_all(root.join("tmp"))?;
    let accounts = "ada:x:1001:1001::/home/ada:/bin/sh\n";
    fs::write(root.join("etc/passwd"), accounts)
}

/// Bytes of which half are noise: a xorshift of 64 bits, Marsaglia 2003.
struct Noise(u64);

impl Noise {
    fn next(&mut self) -> u64 {
        self.0 ^= self.0 << 13;
        self.0 ^= self.0 >> 7;
        self.0 ^= self.0 << 17;
        self.0
    }

    fn piece(&mut self, len: usize) -> Vec<u8> {
        let mut bytes = Vec::with_capacity(len + 16);
        while bytes.len() < len {
            let noise = self.next().to_le_bytes();
            bytes.extend_from_slice(&noise);
            bytes.extend_from_slice(b"worn oar");
        }
        bytes.truncate(len);
        bytes
    }
}
