//! The real file system, through rustix.

use std::ffi::CStr;
use std::fs::File;
use std::io::{self, Read as _};
use std::ops::ControlFlow;
use std::os::fd::{AsFd, BorrowedFd};
use std::path::Path;

use rustix::fs::{
    Access, AtFlags, FileType, FlockOperation, Gid, Mode, OFlags, RawDir, RenameFlags, StatxFlags,
    Uid, accessat, chownat, fchmod, fchown, flock, fstat, fstatfs, fstatvfs, ioctl_ficlone, linkat,
    mkdirat, open, openat, readlinkat, renameat, renameat_with, statx, symlinkat, syncfs,
    utimensat,
};
use rustix::io::Errno;

use crate::beneath;
use crate::disk::{Disk, Entry, Folder, Space};
use crate::metadata::{self, Attribute, Metadata, NotApplied};
use crate::stat::{Kind, Rights, Stamp, Stat};

/// A folder is listed in batches of this many bytes: large enough to save calls, small enough to
/// hand to another thread.
const LISTING: usize = 64 * 1024;

/// What a look asks for.
const TOLD: StatxFlags = StatxFlags::BASIC_STATS.union(StatxFlags::BTIME);

/// The user that this process acts as.
pub fn runner() -> u32 {
    rustix::process::geteuid().as_raw()
}

/// Reads the first sector of a disk or of its image; of nothing else, and without waiting for anybody.
///
/// # Errors
/// What the kernel says, and `InvalidInput` when it is neither.
pub fn read_boot_sector(path: &Path) -> io::Result<Vec<u8>> {
    let flags = OFlags::RDONLY | OFlags::NONBLOCK | OFlags::NOCTTY | OFlags::CLOEXEC;
    let file = File::from(open(path, flags, Mode::empty())?);
    let kind = FileType::from_raw_mode(fstat(&file)?.st_mode);
    if !matches!(kind, FileType::RegularFile | FileType::BlockDevice) {
        return Err(io::Error::from(io::ErrorKind::InvalidInput));
    }
    let mut sector = Vec::with_capacity(512);
    file.take(512).read_to_end(&mut sector)?;
    Ok(sector)
}

/// The file system of this machine.
#[derive(Clone, Copy, Debug, Default)]
pub struct RealDisk;

/// Tries without leaving a trace in the access time first; only an owner may ask for that.
pub(crate) fn untouched<T>(open: impl Fn(OFlags) -> io::Result<T>) -> io::Result<T> {
    match open(OFlags::NOATIME) {
        Err(error) if error.kind() == io::ErrorKind::PermissionDenied => open(OFlags::empty()),
        opened => opened,
    }
}

/// Tells every entry from the position of a descriptor on.
fn list_through(
    descriptor: impl AsFd,
    each: &mut dyn FnMut(Entry<'_>) -> ControlFlow<()>,
) -> io::Result<()> {
    let mut buffer: Vec<u8> = Vec::with_capacity(LISTING);
    let mut entries = RawDir::new(descriptor, buffer.spare_capacity_mut());
    while let Some(entry) = entries.next() {
        let entry = entry?;
        let name = entry.file_name();
        if name == c"." || name == c".." {
            continue;
        }
        let kind = match entry.file_type() {
            FileType::Unknown => None,
            known => Some(Kind::from_file_type(known)),
        };
        let inode = entry.ino();
        if each(Entry { name, kind, inode }).is_break() {
            break;
        }
    }
    Ok(())
}

/// File systems whose folders keep their last change exactly, by the number that `statfs(2)`
/// names: ext2 to ext4, XFS, Btrfs and tmpfs.
const KEEPING: [u64; 4] = [0xEF53, 0x5846_5342, 0x9123_683E, 0x0102_1994];

impl RealDisk {
    /// Moves a name where the file system can't promise that nothing is replaced. A second name replaces
    /// nothing; where there can't be one, an empty file of our own is put there first, and only that is
    /// replaced, and taken away again should that fail.
    fn move_without_promise(
        self,
        (from, name): (&Folder, &CStr),
        (to, new): (&Folder, &CStr),
    ) -> io::Result<()> {
        match linkat(from, name, to, new, AtFlags::empty()) {
            Ok(()) => return self.unlink(from, name),
            Err(error @ (Errno::EXIST | Errno::NOENT | Errno::XDEV)) => return Err(error.into()),
            Err(_) => {}
        }
        let placed = self.make_file(to, new)?;
        match renameat(from, name, to, new) {
            Ok(()) => Ok(()),
            Err(error) => {
                let own = fstat(&placed).map(|stat| stat.st_ino);
                if self
                    .stat(to, new)
                    .is_ok_and(|there| Ok(there.key.inode) == own)
                {
                    self.unlink(to, new)?;
                }
                Err(error.into())
            }
        }
    }
}

/// File systems whose files have no owners of their own, or of which it isn't known: FAT, exFAT, NTFS,
/// whatever comes through FUSE, and others' computers by SMB.
const OWNERLESS: [u64; 8] = [
    0x4d44,
    0x2011_bab0,
    0x5346_544e,
    0x7366_746e,
    0x6573_5546,
    0x517b,
    0xff53_4d42,
    0xfe53_4d42,
];

/// File systems that put the number they got when they were made into what `statfs(2)` tells: ext2 to
/// ext4, Btrfs, F2FS. (XFS and FAT tell the device's, which is another one tomorrow.)
const NUMBERED: [u64; 3] = [0xEF53, 0x9123_683E, 0xF2F5_2010];

/// File systems whose files can share bytes: Btrfs, XFS, bcachefs. Of XFS, only where it was made so.
const CLONING: [u64; 3] = [0x9123_683E, 0x5846_5342, 0xCA45_1A4E];

/// The number of the kind of file system, as `statfs(2)` tells it.
fn kind_of_volume(folder: &Folder) -> Option<u64> {
    let raw = fstatfs(folder).ok()?;
    // Some of them fill the whole word, and come back with a sign.
    Some(u64::try_from(raw.f_type & 0xffff_ffff).unwrap_or(u64::MAX))
}

impl Disk for RealDisk {
    fn open_root(&self, path: &Path) -> io::Result<Folder> {
        let flags = OFlags::RDONLY | OFlags::DIRECTORY | OFlags::CLOEXEC;
        untouched(|more| Ok(open(path, flags | more, Mode::empty())?)).map(Folder::new)
    }

    fn open_folder(&self, base: &Folder, path: &[u8]) -> io::Result<Folder> {
        let flags = OFlags::RDONLY | OFlags::DIRECTORY;
        untouched(|more| beneath::open(base, path, flags | more)).map(Folder::new)
    }

    fn list(
        &self,
        folder: &Folder,
        each: &mut dyn FnMut(Entry<'_>) -> ControlFlow<()>,
    ) -> io::Result<()> {
        if folder.take_position() {
            return list_through(folder, each);
        }
        // A descriptor of its own, so that two listings of one folder don't share a position.
        let flags = OFlags::RDONLY | OFlags::DIRECTORY;
        let own = untouched(|more| beneath::open(folder, b"", flags | more))?;
        list_through(own, each)
    }

    fn stat(&self, folder: &Folder, name: &CStr) -> io::Result<Stat> {
        let flags = AtFlags::SYMLINK_NOFOLLOW | AtFlags::NO_AUTOMOUNT | AtFlags::STATX_DONT_SYNC;
        Ok(statx(folder, name, flags, TOLD)?.into())
    }

    fn stat_folder(&self, folder: &Folder) -> io::Result<Stat> {
        Ok(statx(folder, c"", AtFlags::EMPTY_PATH, TOLD)?.into())
    }

    fn open_file(&self, folder: &Folder, name: &CStr) -> io::Result<File> {
        beneath::open_regular(folder, name.to_bytes(), OFlags::RDONLY)
    }

    fn open_to_overwrite(&self, folder: &Folder, name: &CStr) -> io::Result<File> {
        beneath::open_regular(folder, name.to_bytes(), OFlags::WRONLY)
    }

    fn read_link(&self, folder: &Folder, name: &CStr) -> io::Result<Vec<u8>> {
        Ok(readlinkat(folder, name, Vec::new())?.into_bytes())
    }

    #[expect(
        clippy::disallowed_methods,
        reason = "the one place where a name is removed"
    )]
    fn unlink(&self, folder: &Folder, name: &CStr) -> io::Result<()> {
        Ok(rustix::fs::unlinkat(folder, name, AtFlags::empty())?)
    }

    #[expect(
        clippy::disallowed_methods,
        reason = "the one place where a folder is removed"
    )]
    fn remove_folder(&self, folder: &Folder, name: &CStr) -> io::Result<()> {
        Ok(rustix::fs::unlinkat(folder, name, AtFlags::REMOVEDIR)?)
    }

    fn attributes(&self, of: BorrowedFd<'_>) -> io::Result<Vec<Attribute>> {
        metadata::attributes(of)
    }

    fn make_folder(&self, folder: &Folder, name: &CStr) -> io::Result<()> {
        Ok(mkdirat(folder, name, Mode::RWXU)?)
    }

    fn make_file(&self, folder: &Folder, name: &CStr) -> io::Result<File> {
        let flags = OFlags::CREATE | OFlags::EXCL | OFlags::WRONLY | OFlags::NOFOLLOW;
        let mode = Mode::RUSR | Mode::WUSR;
        Ok(File::from(openat(
            folder,
            name,
            flags | OFlags::CLOEXEC,
            mode,
        )?))
    }

    fn make_link(&self, folder: &Folder, name: &CStr, to: &[u8]) -> io::Result<()> {
        Ok(symlinkat(to, folder, name)?)
    }

    fn add_name(&self, from: &Folder, name: &CStr, to: &Folder, new: &CStr) -> io::Result<()> {
        Ok(linkat(from, name, to, new, AtFlags::empty())?)
    }

    fn may_clone(&self, folder: &Folder) -> bool {
        kind_of_volume(folder).is_some_and(|kind| CLONING.contains(&kind))
    }

    fn clone_bytes(&self, from: &File, to: &File) -> io::Result<()> {
        match ioctl_ficlone(to, from) {
            Err(Errno::NOTTY | Errno::INVAL | Errno::NOSYS | Errno::NOTSUP) => {
                Err(io::ErrorKind::Unsupported.into())
            }
            cloned => Ok(cloned?),
        }
    }

    fn move_name(&self, from: &Folder, name: &CStr, to: &Folder, new: &CStr) -> io::Result<()> {
        match renameat_with(from, name, to, new, RenameFlags::NOREPLACE) {
            Err(Errno::INVAL | Errno::NOSYS | Errno::NOTSUP) => {
                self.move_without_promise((from, name), (to, new))
            }
            moved => Ok(moved?),
        }
    }

    fn move_folder(&self, from: &Folder, name: &CStr, to: &Folder, new: &CStr) -> io::Result<()> {
        match renameat_with(from, name, to, new, RenameFlags::NOREPLACE) {
            Err(Errno::INVAL | Errno::NOSYS | Errno::NOTSUP) if self.stat(to, new).is_ok() => {
                Err(io::ErrorKind::AlreadyExists.into())
            }
            Err(Errno::INVAL | Errno::NOSYS | Errno::NOTSUP) => {
                Ok(renameat_with(from, name, to, new, RenameFlags::empty())?)
            }
            moved => Ok(moved?),
        }
    }

    fn exchange_names(
        &self,
        (folder, name): (&Folder, &CStr),
        (other, new): (&Folder, &CStr),
    ) -> io::Result<()> {
        match renameat_with(folder, name, other, new, RenameFlags::EXCHANGE) {
            Err(Errno::INVAL | Errno::NOSYS | Errno::NOTSUP) => {
                Err(io::ErrorKind::Unsupported.into())
            }
            exchanged => Ok(exchanged?),
        }
    }

    fn replace_name(
        &self,
        (folder, name): (&Folder, &CStr),
        (to, new): (&Folder, &CStr),
    ) -> io::Result<()> {
        Ok(renameat(folder, name, to, new)?)
    }

    fn apply_metadata(&self, of: BorrowedFd<'_>, metadata: &Metadata) -> Vec<NotApplied> {
        metadata::apply(of, metadata)
    }

    fn apply_link_metadata(
        &self,
        folder: &Folder,
        name: &CStr,
        metadata: &Metadata,
    ) -> Vec<NotApplied> {
        let (user, group) = (Uid::from_raw(metadata.user), Gid::from_raw(metadata.group));
        let flags = AtFlags::SYMLINK_NOFOLLOW;
        let owned = chownat(folder, name, Some(user), Some(group), flags);
        let timed = utimensat(folder, name, &metadata::times(metadata), flags);
        [("its owner", owned), ("its times", timed)]
            .into_iter()
            .filter_map(|(what, given)| {
                let error = given.err()?.into();
                Some(NotApplied { what, error })
            })
            .collect()
    }

    fn keeps_changes(&self, folder: &Folder) -> bool {
        kind_of_volume(folder).is_some_and(|kind| KEEPING.contains(&kind))
    }

    fn keeps_owners(&self, folder: &Folder) -> bool {
        kind_of_volume(folder).is_some_and(|kind| !OWNERLESS.contains(&kind))
    }

    fn birth(&self, folder: &Folder) -> Option<Stamp> {
        let told = self.stat_folder(folder).ok()?.born;
        told.or_else(|| metadata::ntfs_birth(folder.as_fd()))
    }

    fn volume_number(&self, folder: &Folder) -> Option<u64> {
        kind_of_volume(folder).filter(|kind| NUMBERED.contains(kind))?;
        let number = fstatvfs(folder).ok()?.f_fsid;
        (number != 0).then_some(number)
    }

    fn may_change(&self, folder: &Folder) -> bool {
        accessat(
            folder,
            c".",
            Access::WRITE_OK | Access::EXEC_OK,
            AtFlags::EACCESS,
        )
        .is_ok()
    }

    fn others_may_change(&self, folder: &Folder) -> bool {
        let own = rustix::process::geteuid().as_raw();
        self.stat_folder(folder).map_or(true, |stat| {
            let is_own = stat.user == own || stat.user == 0;
            // With an access control list, the group's bits are the most that it gives anybody (acl(5)).
            !is_own || stat.mode & 0o022 != 0
        })
    }

    fn is_private(&self, folder: &Folder) -> bool {
        let own = rustix::process::geteuid().as_raw();
        self.stat_folder(folder)
            .is_ok_and(|stat| stat.user == own && stat.mode & 0o777 == 0o700)
    }

    fn set_rights(&self, folder: &Folder, rights: Rights) -> io::Result<()> {
        let now = self.stat_folder(folder)?.rights();
        // The last to change is who it belongs to: an owner may set the bits, and may not once it isn't theirs.
        if now.user == rights.user {
            return Ok(fchmod(folder, Mode::from_raw_mode(rights.mode))?);
        }
        fchmod(folder, Mode::from_raw_mode(rights.mode))?;
        Ok(fchown(folder, Some(Uid::from_raw(rights.user)), None)?)
    }

    fn may_remove(&self, folder: &Folder, stat: &Stat) -> io::Result<()> {
        let holding = self.stat_folder(folder)?;
        if stat.is_fixed || holding.is_fixed {
            return Err(Errno::PERM.into());
        }
        let access = Access::WRITE_OK | Access::EXEC_OK;
        accessat(folder, c".", access, AtFlags::EACCESS)?;
        // In a sticky folder only the owner of the name or of the folder may, and the administrator
        // (unlink(2)).
        let own = rustix::process::geteuid();
        let is_owner = |user: u32| own.as_raw() == user;
        let is_sticky = holding.mode & 0o1000 != 0;
        if is_sticky && !own.is_root() && !is_owner(stat.user) && !is_owner(holding.user) {
            return Err(Errno::PERM.into());
        }
        Ok(())
    }

    fn sync_volume(&self, folder: &Folder) -> io::Result<()> {
        Ok(syncfs(folder)?)
    }

    fn space(&self, folder: &Folder) -> io::Result<Space> {
        let raw = fstatvfs(folder)?;
        Ok(Space {
            size: raw.f_blocks.saturating_mul(raw.f_frsize),
            used: (raw.f_blocks.saturating_sub(raw.f_bfree)).saturating_mul(raw.f_frsize),
            free: raw.f_bavail.saturating_mul(raw.f_frsize),
        })
    }

    fn lock(&self, folder: &Folder) -> io::Result<()> {
        Ok(flock(folder, FlockOperation::NonBlockingLockExclusive)?)
    }
}
