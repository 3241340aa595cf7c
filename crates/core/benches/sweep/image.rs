//! A fresh ext4 file system in an image, as a desktop has it: with its journal, past the page cache
//! of the disk below.

use std::path::Path;
use std::process::Command;

use crate::{Failure, run};

pub(crate) struct Image {
    mounted: tempfile::TempDir,
    _image: tempfile::TempDir,
}

impl Image {
    /// Makes and mounts one of so many bytes.
    pub(crate) fn mount(bytes: u64) -> Result<Self, Failure> {
        let folder = tempfile::tempdir()?;
        let image = folder.path().join("image");
        std::fs::File::create(&image)?.set_len(bytes)?;
        run(Command::new("mkfs.ext4").args(["-q", "-F"]).arg(&image))?;
        let mounted = tempfile::tempdir()?;
        let device = Command::new("losetup")
            .args(["--find", "--show", "--direct-io=on"])
            .arg(&image)
            .output()?;
        let device = String::from_utf8(device.stdout)?;
        if device.trim().is_empty() {
            return Err("no loop device is to be had".into());
        }
        run(Command::new("mount").arg(device.trim()).arg(mounted.path()))?;
        // It goes by itself once nothing is mounted from it.
        run(Command::new("losetup").arg("--detach").arg(device.trim()))?;
        Ok(Self {
            mounted,
            _image: folder,
        })
    }

    pub(crate) fn path(&self) -> &Path {
        self.mounted.path()
    }
}

impl Drop for Image {
    fn drop(&mut self) {
        // Left mounted, it is at least said.
        if let Err(error) = run(Command::new("umount").arg(self.mounted.path())) {
            println!("{error}");
        }
    }
}
