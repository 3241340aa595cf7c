//! Trees of empty files.

use std::fs::{self, File};
use std::io;
use std::path::{Path, PathBuf};
use std::process::Command;

/// A tree to build.
pub(crate) struct Shape {
    pub name: &'static str,
    /// How many files it has.
    pub files: usize,
    /// Whether its files lie in many folders.
    pub is_spread: bool,
    folders: Folders,
}

enum Folders {
    /// Fifty files in a folder, a hundred folders in a folder.
    Spread,
    One,
    /// Ten folders.
    Wide,
    /// Each in the one before, with one file.
    Chain,
}

impl Shape {
    pub(crate) const fn spread(name: &'static str, files: usize) -> Self {
        Self {
            name,
            files,
            is_spread: true,
            folders: Folders::Spread,
        }
    }

    pub(crate) const fn wide(name: &'static str, files: usize) -> Self {
        Self {
            name,
            files,
            is_spread: true,
            folders: Folders::Wide,
        }
    }

    pub(crate) const fn one_folder(name: &'static str, files: usize) -> Self {
        Self {
            name,
            files,
            is_spread: false,
            folders: Folders::One,
        }
    }

    pub(crate) const fn chain(name: &'static str, files: usize) -> Self {
        Self {
            name,
            files,
            is_spread: false,
            folders: Folders::Chain,
        }
    }

    /// Builds it in a temporary folder of a linux computer.
    pub(crate) fn build(&self, root: &Path) -> io::Result<()> {
        fs::create_dir_all(root.join("etc"))?;
        fs::create_dir_all(root.join("tmp"))?;
        fs::write(
            root.join("etc/passwd"),
            "ada:x:1001:1001::/home/ada:/bin/sh\n",
        )?;
        match self.folders {
            Folders::Spread => {
                for first in (0..self.files).step_by(50) {
                    let number = first / 50;
                    let below = format!("tmp/group-{:04}/run-{:02}", number / 100, number % 100);
                    let folder = root.join(below);
                    fs::create_dir_all(&folder)?;
                    fill(&folder, first, 50)?;
                }
            }
            Folders::Wide => {
                for number in 0..10 {
                    let folder = root.join(format!("tmp/wide-{number}"));
                    fs::create_dir_all(&folder)?;
                    fill(&folder, number * self.files / 10, self.files / 10)?;
                }
            }
            Folders::One => fill(&root.join("tmp"), 0, self.files)?,
            Folders::Chain => self.link(root)?,
        }
        Ok(())
    }

    /// A path of so many folders is longer than the kernel takes in one go.
    fn link(&self, root: &Path) -> io::Result<()> {
        use rustix::fs::{Mode, OFlags, mkdirat, open, openat};
        let way = OFlags::RDONLY | OFlags::DIRECTORY | OFlags::CLOEXEC;
        let mut at = open(root.join("tmp"), way, Mode::empty())?;
        for _ in 0..self.files {
            mkdirat(&at, "d", Mode::RWXU)?;
            at = openat(&at, "d", way, Mode::empty())?;
            openat(&at, "f", OFlags::CREATE | OFlags::CLOEXEC, Mode::RUSR)?;
        }
        Ok(())
    }
}

/// Puts `count` files into a folder; their names have some nineteen bytes, every tenth ends in
/// `.tmp`.
fn fill(folder: &Path, first: usize, count: usize) -> io::Result<()> {
    for number in first..first + count {
        let end = if number % 10 == 0 { "tmp" } else { "dat" };
        let name = folder.join(PathBuf::from(format!("entry-{number:08}.{end}x")));
        File::create(name.with_extension(end))?;
    }
    Ok(())
}

/// Removes a tree again; a chain is too deep for the standard library.
pub(crate) fn remove(root: &Path) -> io::Result<()> {
    Command::new("rm").arg("-rf").arg(root).status().map(drop)
}
