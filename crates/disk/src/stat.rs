//! What one look at a directory entry tells.

use rustix::fs::{FileType, Statx, StatxAttributes, StatxFlags};

/// A file's identity on this machine: two names with one key are one file.
#[derive(Clone, Copy, Debug, PartialEq, Eq, Hash, PartialOrd, Ord)]
pub struct FileKey {
    /// Device number, major in the upper half.
    pub device: u64,
    /// Inode number on that device.
    pub inode: u64,
}

/// What kind of thing an entry is. Only the first three can ever be removed.
#[derive(Clone, Copy, Debug, PartialEq, Eq, Hash, PartialOrd, Ord)]
pub enum Kind {
    /// A regular file.
    File,
    /// A folder.
    Folder,
    /// A symbolic link itself, never what it points to.
    Link,
    /// A socket, pipe, device, or something this program doesn't know.
    Other,
}

/// A point in time as the kernel keeps it: seconds since 1970 (may be negative) and nanoseconds.
#[derive(Clone, Copy, Debug, Default, PartialEq, Eq, Hash, PartialOrd, Ord)]
pub struct Stamp {
    /// Seconds since 1970-01-01 UTC.
    pub seconds: i64,
    /// Nanoseconds within that second.
    pub nanos: u32,
}

/// One look at an entry, taken without following a link.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub struct Stat {
    /// Which file it is.
    pub key: FileKey,
    /// What kind of thing it is.
    pub kind: Kind,
    /// Whether something else is mounted on it, so that all this is told of that (from Linux 5.8
    /// on; before, nobody says).
    pub is_mount: bool,
    /// Whether the file system lets nobody remove it: it is marked immutable or append-only.
    pub is_fixed: bool,
    /// Apparent length in bytes.
    pub size: u64,
    /// Bytes that the disk really holds for it (blocks of 512).
    pub allocated: u64,
    /// How many names it has.
    pub links: u32,
    /// Owner.
    pub user: u32,
    /// Group.
    pub group: u32,
    /// Permission bits.
    pub mode: u32,
    /// Last access.
    pub accessed: Stamp,
    /// Last modification of its contents.
    pub modified: Stamp,
    /// Last change of its contents or of what is kept about it; no program can set it back.
    pub changed: Stamp,
    /// When it was made on this volume, where the file system keeps that; no program can set it.
    pub born: Option<Stamp>,
}

/// Whose something is, and who may do what with it.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub struct Rights {
    /// Owner.
    pub user: u32,
    /// Permission bits, of which only the last twelve count.
    pub mode: u32,
}

impl Stat {
    /// Whose it is, and who may do what with it.
    pub fn rights(&self) -> Rights {
        Rights {
            user: self.user,
            mode: self.mode & 0o7777,
        }
    }

    /// Whether it is the same file as before, and neither its contents nor what is kept about it changed since.
    pub fn is_unchanged_since(&self, before: &Self) -> bool {
        (self.key, self.size, self.modified, self.changed)
            == (before.key, before.size, before.modified, before.changed)
    }

    /// Since when it has been here as it is: the latest of modification, last change and birth. An
    /// archive or a copy brings a modification of its own along, but neither of the others.
    pub fn arrived(&self) -> Stamp {
        let here = self
            .born
            .map_or(self.changed, |born| born.max(self.changed));
        here.max(self.modified)
    }
}

impl Kind {
    pub(crate) fn from_file_type(file_type: FileType) -> Self {
        match file_type {
            FileType::RegularFile => Self::File,
            FileType::Directory => Self::Folder,
            FileType::Symlink => Self::Link,
            FileType::Fifo
            | FileType::Socket
            | FileType::CharacterDevice
            | FileType::BlockDevice
            | FileType::Unknown => Self::Other,
        }
    }
}

impl From<Statx> for Stat {
    fn from(raw: Statx) -> Self {
        let stamp = |time: rustix::fs::StatxTimestamp| Stamp {
            seconds: time.tv_sec,
            nanos: time.tv_nsec,
        };
        Self {
            key: FileKey {
                device: (u64::from(raw.stx_dev_major) << 32) | u64::from(raw.stx_dev_minor),
                inode: raw.stx_ino,
            },
            kind: Kind::from_file_type(FileType::from_raw_mode(raw.stx_mode.into())),
            is_mount: (raw.stx_attributes & raw.stx_attributes_mask)
                .contains(StatxAttributes::MOUNT_ROOT),
            is_fixed: (raw.stx_attributes & raw.stx_attributes_mask)
                .intersects(StatxAttributes::IMMUTABLE | StatxAttributes::APPEND),
            size: raw.stx_size,
            allocated: raw.stx_blocks.saturating_mul(512),
            links: raw.stx_nlink,
            user: raw.stx_uid,
            group: raw.stx_gid,
            mode: u32::from(raw.stx_mode) & 0o7777,
            accessed: stamp(raw.stx_atime),
            modified: stamp(raw.stx_mtime),
            changed: stamp(raw.stx_ctime),
            // Some say they know it and tell the beginning of time.
            born: (raw.stx_mask & StatxFlags::BTIME.bits() != 0)
                .then(|| stamp(raw.stx_btime))
                .filter(|born| born.seconds > 0),
        }
    }
}
