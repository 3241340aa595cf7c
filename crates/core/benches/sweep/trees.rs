//! The trees that are removed.

use std::fs::{self, File};
use std::io::{self, Write as _};
use std::path::Path;

fn computer(root: &Path) -> io::Result<()> {
    fs::create_dir_all(root.join("etc"))?;
    fs::create_dir_all(root.join("tmp"))?;
    fs::write(
        root.join("etc/passwd"),
        "ada:x:1001:1001::/home/ada:/bin/sh\n",
    )
}

/// Empty files, so many in a folder.
pub(crate) fn empty(root: &Path, files: usize, in_folder: usize) -> io::Result<()> {
    computer(root)?;
    for first in (0..files).step_by(in_folder) {
        let number = first / in_folder;
        let folder = root.join(format!(
            "tmp/group-{:04}/run-{:02}",
            number / 100,
            number % 100
        ));
        fs::create_dir_all(&folder)?;
        for file in first..first + in_folder {
            File::create(folder.join(format!("entry-{file:08}.dat")))?;
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
