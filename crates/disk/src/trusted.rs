//! Files and folders that nobody but their owner's own user and the administrator could have put
//! there: what is written in them may decide something.
//!
//! A path counts when every folder on the way to it, and the thing itself, belongs to this
//! process's user or to root, and nobody else may write to it. A sticky folder of root on the way,
//! such as `/tmp`, is fine: in it nobody can take a name away from its owner. A symbolic link counts
//! only in a folder that nobody else may write to.

use std::collections::VecDeque;
use std::ffi::{CStr, CString, NulError, OsStr};
use std::fs::File;
use std::io::{self, Read as _};
use std::os::fd::{AsFd, AsRawFd as _, OwnedFd};
use std::os::unix::ffi::OsStrExt as _;
use std::path::{Path, PathBuf};

use rustix::fs::{
    AtFlags, FileType, Mode, OFlags, Stat, fstat, mkdirat, open, openat, readlinkat, statat,
};
use rustix::io::Errno;
use rustix::process::geteuid;

/// Links followed on one way before it counts as a loop (the kernel's own limit).
const MOST_LINKS: usize = 40;

/// Why a path is not to be believed, or can't be used.
#[derive(Debug, thiserror::Error)]
#[expect(missing_docs, reason = "the message names the fields")]
pub enum Distrust {
    #[error("{} belongs to somebody else (user {owner})", path.display())]
    Foreign { path: PathBuf, owner: u32 },
    #[error("others may write to {}", path.display())]
    OthersWrite { path: PathBuf },
    #[error("{} is a symbolic link in a folder that others may write to", path.display())]
    Link { path: PathBuf },
    #[error("{} is a symbolic link, and nothing is made through one", path.display())]
    MadeThroughLink { path: PathBuf },
    #[error("{} is not a folder", path.display())]
    NotAFolder { path: PathBuf },
    #[error("{} is not a regular file", path.display())]
    NotAFile { path: PathBuf },
    #[error("{} is longer than {most} bytes", path.display())]
    TooLong { path: PathBuf, most: u64 },
    #[error("cannot {verb} {}", path.display())]
    Disk {
        verb: &'static str,
        path: PathBuf,
        source: io::Error,
    },
}

impl Distrust {
    /// Whether the path is doubted, and not just unusable.
    pub fn is_doubt(&self) -> bool {
        matches!(
            self,
            Self::Foreign { .. }
                | Self::OthersWrite { .. }
                | Self::Link { .. }
                | Self::MadeThroughLink { .. }
        )
    }
}

/// Whether the thing at the end of a way has to be believed, too.
#[derive(Clone, Copy, PartialEq, Eq)]
enum End {
    /// It decides something.
    Believed,
    /// Only what is read of it is looked at; it is named by whoever runs this.
    Named,
}

/// Where a way ends.
enum Reached {
    /// A folder.
    Folder(OwnedFd),
    /// Something that is no folder, opened as a mere place, in the folder that holds it.
    Thing(OwnedFd, Stat),
    /// Nothing: the last folder there is, and the names that are missing below it.
    Missing(OwnedFd, VecDeque<CString>, bool),
}

/// A way that is walked part by part.
struct TrustedWalk<'a> {
    /// As it was given, for messages.
    path: &'a Path,
    /// How far it was walked.
    so_far: PathBuf,
    /// How many links were followed.
    links: usize,
    end: End,
}

/// Opens a folder that is to be believed; nothing when it isn't there.
///
/// # Errors
/// When it is doubted, is no folder, or the kernel refuses.
pub fn trusted_folder(path: &Path) -> Result<Option<OwnedFd>, Distrust> {
    match walk(path, End::Believed)? {
        Reached::Folder(folder) => Ok(Some(folder)),
        Reached::Thing(..) => Err(Distrust::NotAFolder {
            path: path.to_owned(),
        }),
        Reached::Missing(..) => Ok(None),
    }
}

/// Opens a folder that is to be believed, and makes it and those above it, for nobody else, where
/// they are missing. Nothing is made through a link that leads nowhere yet.
///
/// # Errors
/// When it is doubted, or can't be made.
pub fn make_trusted_folder(path: &Path) -> Result<OwnedFd, Distrust> {
    let make = |source: Errno| Distrust::Disk {
        verb: "make the folder",
        path: path.to_owned(),
        source: source.into(),
    };
    match walk(path, End::Believed)? {
        Reached::Folder(folder) => Ok(folder),
        Reached::Thing(..) => Err(Distrust::NotAFolder {
            path: path.to_owned(),
        }),
        Reached::Missing(_, _, true) => Err(Distrust::MadeThroughLink {
            path: path.to_owned(),
        }),
        Reached::Missing(mut at, missing, false) => {
            for name in missing {
                match mkdirat(&at, &name, Mode::RWXU) {
                    Ok(()) | Err(Errno::EXIST) => {}
                    Err(error) => return Err(make(error)),
                }
                let flags = OFlags::PATH | OFlags::DIRECTORY | OFlags::NOFOLLOW | OFlags::CLOEXEC;
                at = openat(&at, &name, flags, Mode::empty()).map_err(make)?;
            }
            // Somebody may have been faster.
            match walk(path, End::Believed)? {
                Reached::Folder(folder) => Ok(folder),
                Reached::Thing(..) | Reached::Missing(..) => Err(make(Errno::NOENT)),
            }
        }
    }
}

/// Opens a regular file that is to be believed, to be read; nothing when it isn't there.
///
/// # Errors
/// When it is doubted, is no regular file, or the kernel refuses.
pub fn trusted_file(path: &Path) -> Result<Option<File>, Distrust> {
    opened(path, End::Believed)
}

/// Reads all of a regular file that is to be believed; nothing when it isn't there.
///
/// # Errors
/// As [`trusted_file`], and when it holds more than `most` bytes.
pub fn read_trusted(path: &Path, most: u64) -> Result<Option<Vec<u8>>, Distrust> {
    let file = trusted_file(path)?;
    file.map(|file| read_all(path, file, most)).transpose()
}

/// Reads all of a regular file, whoever it belongs to: it is only to be checked. A pipe or a device
/// is not opened.
///
/// # Errors
/// When it isn't there, is no regular file, or holds more than `most` bytes.
pub fn read_regular(path: &Path, most: u64) -> Result<Vec<u8>, Distrust> {
    match opened(path, End::Named)? {
        Some(file) => read_all(path, file, most),
        None => Err(Distrust::Disk {
            verb: "read",
            path: path.to_owned(),
            source: io::ErrorKind::NotFound.into(),
        }),
    }
}

fn read_all(path: &Path, file: File, most: u64) -> Result<Vec<u8>, Distrust> {
    let mut bytes = Vec::new();
    let read = file.take(most.saturating_add(1)).read_to_end(&mut bytes);
    read.map_err(|source| Distrust::Disk {
        verb: "read",
        path: path.to_owned(),
        source,
    })?;
    if bytes.len() as u64 > most {
        let path = path.to_owned();
        return Err(Distrust::TooLong { path, most });
    }
    Ok(bytes)
}

fn opened(path: &Path, end: End) -> Result<Option<File>, Distrust> {
    let not_a_file = || Distrust::NotAFile {
        path: path.to_owned(),
    };
    let (seen, stat) = match walk(path, end)? {
        Reached::Folder(_) => return Err(not_a_file()),
        Reached::Missing(..) => return Ok(None),
        Reached::Thing(seen, stat) => (seen, stat),
    };
    if FileType::from_raw_mode(stat.st_mode) != FileType::RegularFile {
        return Err(not_a_file());
    }
    let refuse = |source: Errno| Distrust::Disk {
        verb: "read",
        path: path.to_owned(),
        source: source.into(),
    };
    let flags = OFlags::RDONLY | OFlags::NONBLOCK | OFlags::CLOEXEC;
    let again = format!("/proc/self/fd/{}", seen.as_raw_fd());
    let file = match open(&again, flags, Mode::empty()) {
        // Without /proc the name is opened again, and compared.
        Err(Errno::NOENT) => open(path, flags, Mode::empty()),
        opened => opened,
    };
    let file = file.map_err(refuse)?;
    let now = fstat(&file).map_err(refuse)?;
    if (now.st_dev, now.st_ino) != (stat.st_dev, stat.st_ino) {
        return Err(not_a_file());
    }
    Ok(Some(File::from(file)))
}

fn walk(path: &Path, end: End) -> Result<Reached, Distrust> {
    let disk = |verb: &'static str, path: &Path| {
        let path = path.to_owned();
        move |source: io::Error| Distrust::Disk { verb, path, source }
    };
    let absolute = std::path::absolute(path).map_err(disk("find", path))?;
    let mut walk = TrustedWalk {
        path,
        so_far: PathBuf::from("/"),
        links: 0,
        end,
    };
    let way = OFlags::PATH | OFlags::DIRECTORY | OFlags::CLOEXEC;
    let open_root = || open("/", way, Mode::empty());
    let mut at = open_root().map_err(|error| disk("open", Path::new("/"))(error.into()))?;
    let mut is_sticky = walk.judge_folder(&at)?;
    let mut rest: VecDeque<Vec<u8>> = parts_of(absolute.as_os_str().as_bytes());
    // The folders above, for the `..` of a link.
    while let Some(part) = rest.pop_front() {
        if part == b".." {
            walk.so_far.pop();
            at = openat(&at, "..", way, Mode::empty())
                .map_err(|error| disk("open", &walk.so_far)(error.into()))?;
            is_sticky = walk.judge_folder(&at)?;
            continue;
        }
        let name = CString::new(part.clone()).map_err(|error| disk("find", path)(error.into()))?;
        walk.so_far.push(OsStr::from_bytes(&part));
        let stat = match statat(&at, &name, AtFlags::SYMLINK_NOFOLLOW) {
            Ok(stat) => stat,
            Err(Errno::NOENT) => {
                rest.push_front(part);
                let missing = named(rest).map_err(|error| disk("find", path)(error.into()))?;
                let is_upwards = missing.iter().any(|name| name.to_bytes() == b"..");
                return Ok(Reached::Missing(at, missing, walk.links > 0 || is_upwards));
            }
            Err(error) => return Err(disk("look at", &walk.so_far)(error.into())),
        };
        match FileType::from_raw_mode(stat.st_mode) {
            FileType::Symlink => {
                let to = walk.follow((&at, &name), &stat, is_sticky)?;
                if to.to_bytes().starts_with(b"/") {
                    walk.so_far = PathBuf::from("/");
                    at = open_root().map_err(|error| disk("open", Path::new("/"))(error.into()))?;
                    is_sticky = walk.judge_folder(&at)?;
                }
                for part in parts_of(to.to_bytes()).into_iter().rev() {
                    rest.push_front(part);
                }
            }
            FileType::Directory => {
                at = openat(&at, &name, way | OFlags::NOFOLLOW, Mode::empty())
                    .map_err(|error| disk("open", &walk.so_far)(error.into()))?;
                is_sticky = walk.judge_folder(&at)?;
                if rest.is_empty() && is_sticky && end == End::Believed {
                    let path = walk.so_far.clone();
                    return Err(Distrust::OthersWrite { path });
                }
            }
            _ if rest.is_empty() => {
                let (thing, stat) =
                    open_thing(&at, &name).map_err(|error| disk("open", path)(error.into()))?;
                walk.judge_thing(&stat)?;
                return Ok(Reached::Thing(thing, stat));
            }
            _ => {
                let path = walk.so_far.clone();
                return Err(Distrust::NotAFolder { path });
            }
        }
    }
    Ok(Reached::Folder(at))
}

/// Names as the kernel takes them.
fn named(names: VecDeque<Vec<u8>>) -> Result<VecDeque<CString>, NulError> {
    names.into_iter().map(CString::new).collect()
}

/// Opens a name for looking at only, without following a link.
fn open_thing(folder: &OwnedFd, name: &CStr) -> Result<(OwnedFd, Stat), Errno> {
    let flags = OFlags::PATH | OFlags::NOFOLLOW | OFlags::CLOEXEC;
    let thing = openat(folder, name, flags, Mode::empty())?;
    let stat = fstat(&thing)?;
    Ok((thing, stat))
}

fn parts_of(path: &[u8]) -> VecDeque<Vec<u8>> {
    path.split(|byte| *byte == b'/')
        .filter(|part| !part.is_empty() && *part != b".")
        .map(<[u8]>::to_vec)
        .collect()
}

impl TrustedWalk<'_> {
    /// Where a link leads, when it can be followed.
    fn follow(
        &mut self,
        (folder, name): (&OwnedFd, &CStr),
        stat: &Stat,
        is_sticky: bool,
    ) -> Result<CString, Distrust> {
        let refuse = |path: PathBuf, source: Errno| Distrust::Disk {
            verb: "follow",
            path,
            source: source.into(),
        };
        if is_sticky && self.end == End::Believed {
            let path = self.so_far.clone();
            return Err(Distrust::Link { path });
        }
        self.judge_owner(stat)?;
        self.links += 1;
        if self.links > MOST_LINKS {
            return Err(refuse(self.path.to_owned(), Errno::LOOP));
        }
        let to = readlinkat(folder, name, Vec::new());
        let to = to.map_err(|error| refuse(self.so_far.clone(), error))?;
        self.so_far.pop();
        Ok(to)
    }

    /// Whether a folder on the way is one that others may write to and yet take no name away in.
    fn judge_folder(&self, folder: impl AsFd) -> Result<bool, Distrust> {
        let stat = fstat(folder).map_err(|error| Distrust::Disk {
            verb: "look at",
            path: self.so_far.clone(),
            source: error.into(),
        })?;
        let is_sticky = stat.st_mode & 0o1000 != 0 && stat.st_uid == 0;
        if self.end == End::Named {
            return Ok(is_sticky);
        }
        self.judge_owner(&stat)?;
        if !others_may_write(&stat) {
            return Ok(false);
        }
        if is_sticky {
            return Ok(true);
        }
        let path = self.so_far.clone();
        Err(Distrust::OthersWrite { path })
    }

    fn judge_thing(&self, stat: &Stat) -> Result<(), Distrust> {
        if self.end == End::Named {
            return Ok(());
        }
        self.judge_owner(stat)?;
        if others_may_write(stat) {
            let path = self.path.to_owned();
            return Err(Distrust::OthersWrite { path });
        }
        Ok(())
    }

    fn judge_owner(&self, stat: &Stat) -> Result<(), Distrust> {
        let is_own = stat.st_uid == 0 || stat.st_uid == geteuid().as_raw();
        if is_own || self.end == End::Named {
            return Ok(());
        }
        Err(Distrust::Foreign {
            path: self.so_far.clone(),
            owner: stat.st_uid,
        })
    }
}

/// Whether anybody but its owner and the administrator may write to a thing. With an access control
/// list, the group's bits are the most that it gives anybody (acl(5)).
fn others_may_write(stat: &Stat) -> bool {
    let is_private = || is_private_group(stat.st_gid, stat.st_uid);
    stat.st_mode & 0o002 != 0 || (stat.st_mode & 0o020 != 0 && !is_private())
}

/// Whether a group is an ordinary user's own, as many systems make one for each: it is nobody's
/// first group but that user's, and lists nobody else. What this machine's files don't tell is not.
fn is_private_group(group: u32, user: u32) -> bool {
    if user == 0 || group == 0 {
        return false;
    }
    let table = |path: &str| std::fs::read(path).ok();
    let (Some(people), Some(groups)) = (table("/etc/passwd"), table("/etc/group")) else {
        return false;
    };
    private_group(&people, &groups, group, user)
}

/// The same, held against the texts of passwd(5) and group(5).
fn private_group(people: &[u8], groups: &[u8], group: u32, user: u32) -> bool {
    let lines = |text: &[u8]| -> Vec<Vec<String>> {
        let lines = String::from_utf8_lossy(text).into_owned();
        let fields = |line: &str| line.split(':').map(str::to_owned).collect();
        lines.lines().map(fields).collect()
    };
    let number = |fields: &[String], at: usize| fields.get(at)?.parse::<u32>().ok();
    let mut owner = None;
    for fields in lines(people) {
        if number(&fields, 3) != Some(group) {
            continue;
        }
        if number(&fields, 2) != Some(user) {
            return false;
        }
        owner = fields.first().cloned();
    }
    let Some(owner) = owner else { return false };
    let mut own = lines(groups);
    own.retain(|fields| number(fields, 2) == Some(group));
    let lists_others = |fields: &Vec<String>| {
        let members = fields.get(3).map_or("", String::as_str).split(',');
        members
            .map(str::trim)
            .any(|one| !one.is_empty() && one != owner)
    };
    !own.is_empty() && !own.iter().any(lists_others)
}

#[cfg(test)]
mod tests;
