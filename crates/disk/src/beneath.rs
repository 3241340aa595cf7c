//! Opening beneath a folder: no links, no mounts, no way up.

use std::fs::File;
use std::io;
use std::os::fd::{AsFd, AsRawFd as _, OwnedFd};
use std::sync::atomic::{AtomicBool, Ordering};

use rustix::fs::{
    AtFlags, FileType, Mode, OFlags, ResolveFlags, StatxFlags, fstat, openat, openat2, statx,
};
use rustix::io::Errno;

use crate::real::untouched;

/// The kernel refuses paths of 4,096 bytes and more; deeper trees are opened in stretches.
const STRETCH: usize = 4000;

/// Set once the kernel has said that it has no `openat2` (before Linux 5.6, or a sandbox).
static WITHOUT_OPENAT2: AtomicBool = AtomicBool::new(false);

/// Opens `path` beneath `base` with `flags`.
///
/// # Errors
/// `EINVAL` for a path that could lead up or out, `EXDEV` at a mount, `ELOOP` at a link.
pub(crate) fn open(base: impl AsFd, path: &[u8], flags: OFlags) -> io::Result<OwnedFd> {
    if path.is_empty() {
        return Ok(open_stretch(base, b".", flags)?);
    }
    let is_plain = |part: &&[u8]| !part.is_empty() && *part != b"." && *part != b"..";
    if !path.split(|byte| *byte == b'/').all(|part| is_plain(&part)) {
        return Err(Errno::INVAL.into());
    }
    let mut rest = path;
    let mut at: Option<OwnedFd> = None;
    while rest.len() > STRETCH {
        let head = rest.get(..STRETCH).unwrap_or(rest);
        let cut = head
            .iter()
            .rposition(|byte| *byte == b'/')
            .ok_or(Errno::NAMETOOLONG)?;
        let (stretch, tail) = rest.split_at(cut);
        let way = OFlags::PATH | OFlags::DIRECTORY;
        at = Some(match &at {
            Some(folder) => open_stretch(folder, stretch, way)?,
            None => open_stretch(&base, stretch, way)?,
        });
        rest = tail.get(1..).unwrap_or_default();
    }
    Ok(match &at {
        Some(folder) => open_stretch(folder, rest, flags)?,
        None => open_stretch(&base, rest, flags)?,
    })
}

/// Opens a regular file beneath `base`: it is seen to be one before it is opened, since to open a
/// device or a pipe may already do something.
///
/// # Errors
/// `EINVAL` when it isn't a regular file, else as [`open`].
pub(crate) fn open_regular(base: impl AsFd, path: &[u8], flags: OFlags) -> io::Result<File> {
    let seen = open(&base, path, OFlags::PATH)?;
    let file_type = |descriptor: &OwnedFd| -> io::Result<FileType> {
        Ok(FileType::from_raw_mode(fstat(descriptor)?.st_mode))
    };
    if file_type(&seen)? != FileType::RegularFile {
        return Err(Errno::INVAL.into());
    }
    // NONBLOCK: should all else fail, a pipe in the file's place must not hang us.
    let flags = flags | OFlags::NONBLOCK;
    let again = format!("/proc/self/fd/{}", seen.as_raw_fd());
    let with = |more| {
        Ok(rustix::fs::open(
            &again,
            flags | OFlags::CLOEXEC | more,
            Mode::empty(),
        )?)
    };
    match untouched(with) {
        Ok(file) => Ok(File::from(file)),
        // Without /proc the name is opened again, and looked at again.
        Err(error) if error.kind() == io::ErrorKind::NotFound => {
            let opened = untouched(|more| open(&base, path, flags | more))?;
            match file_type(&opened)? {
                FileType::RegularFile => Ok(File::from(opened)),
                _ => Err(Errno::INVAL.into()),
            }
        }
        Err(error) => Err(error),
    }
}

fn open_stretch(base: impl AsFd, path: &[u8], flags: OFlags) -> Result<OwnedFd, Errno> {
    let flags = flags | OFlags::CLOEXEC | OFlags::NOFOLLOW;
    if !WITHOUT_OPENAT2.load(Ordering::Relaxed) {
        let resolve = ResolveFlags::BENEATH
            | ResolveFlags::NO_SYMLINKS
            | ResolveFlags::NO_MAGICLINKS
            | ResolveFlags::NO_XDEV;
        match openat2(&base, path, flags, Mode::empty(), resolve) {
            Err(Errno::NOSYS) => WITHOUT_OPENAT2.store(true, Ordering::Relaxed),
            // The kernel asks to try again when a rename ran into the resolving.
            Err(Errno::AGAIN) => return openat2(&base, path, flags, Mode::empty(), resolve),
            opened => return opened,
        }
    }
    open_part_by_part(base, path, flags)
}

/// The way for kernels without `openat2`: one component at a time, each without following a link
/// and each compared with its parent's mount.
fn open_part_by_part(base: impl AsFd, path: &[u8], flags: OFlags) -> Result<OwnedFd, Errno> {
    let mount = mount_of(&base)?;
    let mut parts = path.split(|byte| *byte == b'/').peekable();
    let mut at: Option<OwnedFd> = None;
    while let Some(part) = parts.next() {
        let wanted = if parts.peek().is_some() {
            OFlags::PATH | OFlags::DIRECTORY | OFlags::NOFOLLOW | OFlags::CLOEXEC
        } else {
            flags
        };
        let next = match &at {
            Some(folder) => openat(folder, part, wanted, Mode::empty())?,
            None => openat(&base, part, wanted, Mode::empty())?,
        };
        if mount_of(&next)? != mount {
            return Err(Errno::XDEV);
        }
        at = Some(next);
    }
    at.ok_or(Errno::INVAL)
}

/// Device and mount id: the mount id tells bind mounts of the same device apart.
fn mount_of(descriptor: impl AsFd) -> Result<(u32, u32, u64), Errno> {
    let raw = statx(
        descriptor,
        c"",
        AtFlags::EMPTY_PATH | AtFlags::SYMLINK_NOFOLLOW,
        StatxFlags::BASIC_STATS | StatxFlags::MNT_ID,
    )?;
    Ok((raw.stx_dev_major, raw.stx_dev_minor, raw.stx_mnt_id))
}

#[cfg(test)]
mod tests {
    use super::*;
    use std::os::unix::fs::symlink;

    type Way = fn(&File, &[u8], OFlags) -> Result<OwnedFd, Errno>;

    #[test]
    fn both_ways_refuse_links_and_mounts_and_ways_up() {
        let dir = tempfile::tempdir().unwrap();
        std::fs::create_dir_all(dir.path().join("a/b")).unwrap();
        symlink("b", dir.path().join("a/inward")).unwrap();
        symlink("/", dir.path().join("a/outward")).unwrap();
        let folder = OFlags::RDONLY | OFlags::DIRECTORY;
        let root = File::open(dir.path()).unwrap();
        let slash = File::open("/").unwrap();
        let ways: [Way; 2] = [
            |b, p, f| open_stretch(b, p, f),
            |b, p, f| open_part_by_part(b, p, f | OFlags::NOFOLLOW),
        ];
        for way in ways {
            assert!(way(&root, b"a/b", folder).is_ok());
            assert!(way(&root, b"a/inward", folder).is_err());
            assert!(way(&root, b"a/outward/etc", folder).is_err());
            assert_eq!(
                way(&slash, b"proc/self", OFlags::PATH).unwrap_err(),
                Errno::XDEV
            );
        }
        for path in [&b".."[..], b"a/../a", b"/etc", b"a//b", b"a/./b", b"a/b/"] {
            assert!(open(&root, path, folder).is_err(), "{path:?}");
        }
    }

    #[test]
    fn a_tree_deeper_than_a_path_may_be_long_opens_in_stretches() {
        let dir = tempfile::tempdir().unwrap();
        let root = File::open(dir.path()).unwrap();
        let name = "n".repeat(200);
        let mut at = openat(&root, ".", OFlags::PATH, Mode::empty()).unwrap();
        let mut path = Vec::new();
        for depth in 0..60 {
            rustix::fs::mkdirat(&at, &name, Mode::RWXU).unwrap();
            at = openat(&at, &name, OFlags::PATH, Mode::empty()).unwrap();
            if depth > 0 {
                path.push(b'/');
            }
            path.extend_from_slice(name.as_bytes());
        }
        assert!(open(&root, &path, OFlags::RDONLY | OFlags::DIRECTORY).is_ok());
    }
}
