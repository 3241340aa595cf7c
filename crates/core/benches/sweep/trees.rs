//! The trees that are removed.

use std::fs::{self, File, Permissions};
use std::io::{self, Write as _};
use std::os::unix::fs::PermissionsExt as _;
use std::path::Path;
use std::process::Command;

fn computer(root: &Path) -> io::Result<()> {
    fs::create_dir_all(root.join("etc"))?;
    fs::create_dir_all(root.join("tmp"))?;
    fs::write(
        root.join("etc/passwd"),
        "ada:x:1001:1001::/home/ada:/bin/sh\n",
    )
}

/// Files that are alike.
#[derive(Clone, Copy)]
pub(crate) struct Alike {
    pub files: usize,
    pub in_folder: usize,
    /// What each holds.
    pub bytes: usize,
    /// The permission bits of their folders.
    pub mode: u32,
    /// Whether each removal waits for the device: their folders are marked so (`chattr(1)`, D).
    pub waits: bool,
}

impl Alike {
    /// Empty files in folders of the administrator's own.
    pub(crate) fn empty(files: usize, in_folder: usize) -> Self {
        Self {
            files,
            in_folder,
            bytes: 0,
            mode: 0o755,
            waits: false,
        }
    }
}

/// Files that are alike, so many in a folder.
pub(crate) fn alike(root: &Path, tree: Alike) -> io::Result<()> {
    computer(root)?;
    let (files, in_folder) = (tree.files, tree.in_folder);
    let piece = vec![b'x'; tree.bytes];
    for first in (0..files).step_by(in_folder) {
        let number = first / in_folder;
        let folder = root.join(format!(
            "tmp/group-{:04}/run-{:02}",
            number / 100,
            number % 100
        ));
        fs::create_dir_all(&folder)?;
        for file in first..first + in_folder {
            let mut file = File::create(folder.join(format!("entry-{file:08}.dat")))?;
            file.write_all(&piece)?;
        }
        fs::set_permissions(&folder, Permissions::from_mode(tree.mode))?;
        if tree.waits
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

/// 20,000 files of 4 KiB and 20 of 50 MiB, or a share of them, that pack to about a half.
pub(crate) fn full(root: &Path, share: usize) -> io::Result<()> {
    computer(root)?;
    let mut noise = Noise(1);
    let piece = noise.piece(50 << 20);
    for number in 0..20_000 / share {
        let folder = root.join(format!("tmp/small-{:03}", number / 100));
        fs::create_dir_all(&folder)?;
        let from = number * 4096 % (40 << 20);
        fs::write(
            folder.join(format!("s{number:05}")),
            &piece[from..from + 4096],
        )?;
    }
    for number in 0..20 / share.min(20) {
        let mut file = File::create(root.join(format!("tmp/big-{number:02}")))?;
        file.write_all(&piece[number..])?;
    }
    Ok(())
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
