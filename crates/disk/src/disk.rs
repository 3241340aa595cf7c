//! The one door to a file system.

use std::ffi::CStr;
use std::fs::File;
use std::io;
use std::ops::ControlFlow;
use std::os::fd::{AsFd, BorrowedFd, OwnedFd};
use std::path::Path;
use std::sync::atomic::{AtomicBool, Ordering};

use crate::metadata::{Attribute, Metadata, NotApplied};
use crate::stat::{Kind, Rights, Stamp, Stat};

/// An open folder. Holding it means that the folder stays the same one, whatever its name does.
#[derive(Debug)]
pub struct Folder {
    descriptor: OwnedFd,
    /// Whether a listing has used the descriptor's own position.
    is_listed: AtomicBool,
}

impl Folder {
    pub(crate) fn new(descriptor: OwnedFd) -> Self {
        Self {
            descriptor,
            is_listed: AtomicBool::new(false),
        }
    }

    /// Whether the descriptor's own position is free for a listing; from now on it isn't.
    pub(crate) fn take_position(&self) -> bool {
        !self.is_listed.swap(true, Ordering::Relaxed)
    }
}

impl AsFd for Folder {
    fn as_fd(&self) -> BorrowedFd<'_> {
        self.descriptor.as_fd()
    }
}

/// One name in a folder, as the folder itself tells it.
#[derive(Clone, Copy, Debug)]
pub struct Entry<'a> {
    /// The name: any bytes but `/` and NUL.
    pub name: &'a CStr,
    /// What the folder says it is; absent where the file system doesn't say.
    pub kind: Option<Kind>,
    /// Its inode as the folder tells it: where it lies, in file systems that number places.
    pub inode: u64,
}

/// What a volume holds, in bytes.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub struct Space {
    /// The whole volume.
    pub size: u64,
    /// What files occupy.
    pub used: u64,
    /// What an ordinary person may still fill; the file system may keep more for the administrator.
    pub free: u64,
}

/// The one door to a file system, so that tests can stand in its way.
///
/// Paths are bytes, relative, without `..`; every call resolves them beneath the folder given.
/// All methods may be called from any thread.
pub trait Disk: Send + Sync {
    /// Opens the root of a target by its path. This is the only path that is resolved as people
    /// write it, links included.
    ///
    /// # Errors
    /// Whatever the kernel says: absent, not a folder, not permitted.
    fn open_root(&self, path: &Path) -> io::Result<Folder>;

    /// Opens a folder beneath `base`, following no link and crossing no mount. An empty path
    /// opens `base` again.
    ///
    /// # Errors
    /// `CrossesDevices` at a mount, `FilesystemLoop` at a link, else what the kernel says.
    fn open_folder(&self, base: &Folder, path: &[u8]) -> io::Result<Folder>;

    /// Tells every entry of a folder but `.` and `..`, until `each` breaks.
    ///
    /// # Errors
    /// What the kernel says; entries told before that stay told.
    fn list(
        &self,
        folder: &Folder,
        each: &mut dyn FnMut(Entry<'_>) -> ControlFlow<()>,
    ) -> io::Result<()>;

    /// Looks at one name in a folder, without following a link.
    ///
    /// # Errors
    /// What the kernel says.
    fn stat(&self, folder: &Folder, name: &CStr) -> io::Result<Stat>;

    /// Looks at the folder itself.
    ///
    /// # Errors
    /// What the kernel says.
    fn stat_folder(&self, folder: &Folder) -> io::Result<Stat>;

    /// Opens a regular file for reading, leaving its last access alone where the kernel lets us.
    ///
    /// # Errors
    /// `InvalidInput` when it isn't a regular file, else what the kernel says.
    fn open_file(&self, folder: &Folder, name: &CStr) -> io::Result<File>;

    /// Opens a regular file to write over its bytes; it is neither made nor cut.
    ///
    /// # Errors
    /// `InvalidInput` when it isn't a regular file, else what the kernel says.
    fn open_to_overwrite(&self, folder: &Folder, name: &CStr) -> io::Result<File>;

    /// Reads where a symbolic link points to.
    ///
    /// # Errors
    /// What the kernel says.
    fn read_link(&self, folder: &Folder, name: &CStr) -> io::Result<Vec<u8>>;

    /// Removes one name that is not a folder.
    ///
    /// # Safety argument
    /// The caller has compared the identity of `name` through this same descriptor just before.
    /// A swap between that look and this call can only lose the name that its swapper put there.
    ///
    /// # Errors
    /// What the kernel says.
    fn unlink(&self, folder: &Folder, name: &CStr) -> io::Result<()>;

    /// Removes one empty folder.
    ///
    /// # Safety argument
    /// The kernel refuses a folder that holds anything.
    ///
    /// # Errors
    /// `DirectoryNotEmpty`, else what the kernel says.
    fn remove_folder(&self, folder: &Folder, name: &CStr) -> io::Result<()>;

    /// Reads the extended attributes of something open; none where the file system has none.
    ///
    /// # Errors
    /// What the kernel says.
    fn attributes(&self, of: BorrowedFd<'_>) -> io::Result<Vec<Attribute>>;

    /// Makes a folder that is there for its owner alone, where nothing is yet.
    ///
    /// # Errors
    /// `AlreadyExists`, else what the kernel says.
    fn make_folder(&self, folder: &Folder, name: &CStr) -> io::Result<()>;

    /// Makes an empty file that is there for its owner alone, where nothing is yet.
    ///
    /// # Errors
    /// `AlreadyExists`, else what the kernel says.
    fn make_file(&self, folder: &Folder, name: &CStr) -> io::Result<File>;

    /// Makes a symbolic link where nothing is yet.
    ///
    /// # Errors
    /// `AlreadyExists`, else what the kernel says.
    fn make_link(&self, folder: &Folder, name: &CStr, to: &[u8]) -> io::Result<()>;

    /// Gives a file one more name where nothing is yet.
    ///
    /// # Errors
    /// `AlreadyExists`, `CrossesDevices` where it would be another volume, else what the kernel says.
    fn add_name(&self, from: &Folder, name: &CStr, to: &Folder, new: &CStr) -> io::Result<()>;

    /// Whether the file system is of a kind whose files can share bytes.
    fn may_clone(&self, folder: &Folder) -> bool;

    /// Makes an empty file share all bytes of another one (`FICLONE`); who writes to either changes that one alone.
    ///
    /// # Errors
    /// `Unsupported` where the file system can't, `CrossesDevices` where it would be another volume, else what the
    /// kernel says.
    fn clone_bytes(&self, from: &File, to: &File) -> io::Result<()>;

    /// Moves a name that is not a folder's to another folder or another name; nothing is replaced.
    ///
    /// # Errors
    /// `AlreadyExists`, `CrossesDevices` where it would be another volume, else what the kernel says.
    fn move_name(&self, from: &Folder, name: &CStr, to: &Folder, new: &CStr) -> io::Result<()>;

    /// Moves a folder to another folder of its volume, or another name; nothing but an empty folder is replaced, where the
    /// volume can't promise more.
    ///
    /// # Errors
    /// `AlreadyExists`, `CrossesDevices` where it would be another volume, else what the kernel says.
    fn move_folder(&self, from: &Folder, name: &CStr, to: &Folder, new: &CStr) -> io::Result<()>;

    /// Gives two names each what the other had, in one step; both must be there.
    ///
    /// # Errors
    /// `Unsupported` where the volume has no such step, `CrossesDevices` where it would be another volume, else
    /// what the kernel says.
    fn exchange_names(&self, one: (&Folder, &CStr), other: (&Folder, &CStr)) -> io::Result<()>;

    /// Gives a name to a file in the place of the one that has it, in one step; what had it is gone.
    ///
    /// # Errors
    /// What the kernel says.
    fn replace_name(&self, from: (&Folder, &CStr), to: (&Folder, &CStr)) -> io::Result<()>;

    /// Gives something open its owner, mode, attributes and times; says what could not be given.
    fn apply_metadata(&self, of: BorrowedFd<'_>, metadata: &Metadata) -> Vec<NotApplied>;

    /// Gives a symbolic link itself its owner and times; says what could not be given.
    fn apply_link_metadata(
        &self,
        folder: &Folder,
        name: &CStr,
        metadata: &Metadata,
    ) -> Vec<NotApplied>;

    /// Whether the file system is known to move a folder's last change with every name that comes,
    /// goes or is renamed in it.
    fn keeps_changes(&self, folder: &Folder) -> bool;

    /// Whether files on the folder's volume have owners and rights of their own; of a volume where it
    /// isn't known (FAT, NTFS, anything through FUSE) whoever reads it may read all.
    fn keeps_owners(&self, folder: &Folder) -> bool;

    /// When the folder was made on its volume, where the file system keeps that.
    fn birth(&self, folder: &Folder) -> Option<Stamp>;

    /// The number that the folder's file system bears from the day it was made, wherever it is mounted;
    /// none where the kernel makes one up from the device.
    fn volume_number(&self, folder: &Folder) -> Option<u64>;

    /// Whether this process may remove names in the folder.
    fn may_change(&self, folder: &Folder) -> bool;

    /// Whether anybody but this process's user and the administrator may change names in the folder; what
    /// can't be told counts as so.
    fn others_may_change(&self, folder: &Folder) -> bool;

    /// Gives a folder an owner and permission bits. Who has it open may do by then only what these let them.
    ///
    /// # Errors
    /// What the kernel says; then some of it may have been done.
    fn set_rights(&self, folder: &Folder, rights: Rights) -> io::Result<()>;

    /// Whether the folder is this process's user's own, and nobody else but the administrator may even
    /// enter it.
    fn is_private(&self, folder: &Folder) -> bool;

    /// Whether the system would let this process remove the name that was looked at, as far as it
    /// says without being tried.
    ///
    /// # Errors
    /// What it would say.
    fn may_remove(&self, folder: &Folder, stat: &Stat) -> io::Result<()>;

    /// Brings everything that was changed on the folder's volume to the device.
    ///
    /// # Errors
    /// What the kernel says.
    fn sync_volume(&self, folder: &Folder) -> io::Result<()>;

    /// The space of the volume that the folder lies on.
    ///
    /// # Errors
    /// What the kernel says.
    fn space(&self, folder: &Folder) -> io::Result<Space>;

    /// Takes the folder for this process alone until the descriptor closes.
    ///
    /// # Errors
    /// `WouldBlock` when another process has it.
    fn lock(&self, folder: &Folder) -> io::Result<()>;
}
