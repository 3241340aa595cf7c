//! Fresh file systems in images, past the page cache of the disk below.

use std::io;
use std::path::{Path, PathBuf};
use std::process::Command;

/// A file system that Linux mounts.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub(crate) enum FileSystem {
    /// ext4, as a desktop has it: with its journal.
    Ext4,
    /// XFS.
    Xfs,
    /// Btrfs.
    Btrfs,
    /// NTFS, served by a program through FUSE.
    Ntfs,
}

impl FileSystem {
    /// How it is called.
    pub(crate) fn name(self) -> &'static str {
        match self {
            Self::Ext4 => "ext4",
            Self::Xfs => "XFS",
            Self::Btrfs => "Btrfs",
            Self::Ntfs => "NTFS",
        }
    }

    fn maker(self) -> Command {
        let (program, options): (_, &[&str]) = match self {
            Self::Ext4 => ("mkfs.ext4", &["-q", "-F"]),
            Self::Xfs => ("mkfs.xfs", &["-q", "-f"]),
            Self::Btrfs => ("mkfs.btrfs", &["-q", "-f"]),
            Self::Ntfs => ("mkfs.ntfs", &["-q", "-F", "-Q"]),
        };
        let mut command = Command::new(program);
        command.args(options);
        command
    }
}

/// One in an image, mounted; it is unmounted when this goes.
#[derive(Debug)]
pub(crate) struct MountedImage {
    mounted: PathBuf,
}

impl MountedImage {
    /// Makes one of so many bytes and mounts it below `folder`, which holds the image, too.
    ///
    /// # Errors
    /// When one of the system's tools is not there or fails, as it does for ordinary people.
    pub(crate) fn mount(folder: &Path, kind: FileSystem, bytes: u64) -> io::Result<Self> {
        let (image, mounted) = (folder.join("image"), folder.join("mounted"));
        std::fs::File::create(&image)?.set_len(bytes)?;
        run(kind.maker().arg(&image))?;
        std::fs::create_dir_all(&mounted)?;
        let loops = Command::new("losetup")
            .args(["--find", "--show", "--direct-io=on"])
            .arg(&image)
            .output()?;
        let device = String::from_utf8_lossy(&loops.stdout).trim().to_owned();
        if device.is_empty() {
            return Err(io::Error::other("no loop device is to be had"));
        }
        let done = match kind {
            FileSystem::Ntfs => run(Command::new("ntfs-3g").arg(&device).arg(&mounted)),
            _ => run(Command::new("mount").arg(&device).arg(&mounted)),
        };
        // It goes by itself once nothing is mounted from it.
        run(Command::new("losetup").arg("--detach").arg(&device))?;
        done?;
        Ok(Self { mounted })
    }

    /// Memory as a volume, with room for so many files.
    ///
    /// # Errors
    /// As of [`Self::mount`].
    pub(crate) fn memory(folder: &Path, files: usize) -> io::Result<Self> {
        let mounted = folder.join("mounted");
        std::fs::create_dir_all(&mounted)?;
        let options = format!("size=90%,nr_inodes={}", files + files / 4);
        run(Command::new("mount")
            .args(["-t", "tmpfs", "-o", &options, "tmpfs"])
            .arg(&mounted))?;
        Ok(Self { mounted })
    }

    /// Where it is mounted.
    pub(crate) fn path(&self) -> &Path {
        &self.mounted
    }
}

impl Drop for MountedImage {
    fn drop(&mut self) {
        // Left mounted, it is at least said.
        if let Err(error) = run(Command::new("umount").arg(&self.mounted)) {
            println!("{error}");
        }
    }
}

/// What a tool says is only told when it fails.
fn run(command: &mut Command) -> io::Result<()> {
    let ended = command.output()?;
    if ended.status.success() {
        Ok(())
    } else {
        let said = String::from_utf8_lossy(&ended.stderr).trim().to_owned();
        Err(io::Error::other(format!("{command:?} failed: {said}")))
    }
}
