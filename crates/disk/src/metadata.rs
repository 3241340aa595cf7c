//! What is kept about a file beside its bytes, read and given back.

use std::io;
use std::os::fd::BorrowedFd;

use rustix::fs::{
    Gid, Mode, Timespec, Timestamps, Uid, fchmod, fchown, fgetxattr, flistxattr, fsetxattr,
    futimens,
};
use rustix::fs::{XattrFlags, fstat};
use rustix::io::Errno;

use crate::stat::Stamp;

/// One extended attribute (xattr(7)).
#[derive(Clone, Debug, PartialEq, Eq)]
pub struct Attribute {
    /// Its whole name, such as `user.origin`.
    pub name: Vec<u8>,
    /// Its value, any bytes.
    pub value: Vec<u8>,
}

/// What is kept about a file or folder beside its bytes.
#[derive(Clone, Debug, Default, PartialEq, Eq)]
pub struct Metadata {
    /// Owner.
    pub user: u32,
    /// Group.
    pub group: u32,
    /// Permission bits.
    pub mode: u32,
    /// Last access.
    pub accessed: Stamp,
    /// Last modification.
    pub modified: Stamp,
    /// Extended attributes.
    pub attributes: Vec<Attribute>,
}

/// Something that could not be given back.
#[derive(Debug)]
pub struct NotApplied {
    /// What, in a word or two.
    pub what: &'static str,
    /// What the kernel said.
    pub error: io::Error,
}

/// The bits of a mode that lend the rights of a file's owner or group, and the sticky one.
const SPECIAL: u32 = 0o7000;

/// The most that an attribute's value, or the list of their names, can hold (xattr(7)).
const MOST: usize = 64 * 1024;

pub(crate) fn attributes(of: BorrowedFd<'_>) -> io::Result<Vec<Attribute>> {
    let mut names = Vec::with_capacity(1024);
    let listed = flistxattr(of, rustix::buffer::spare_capacity(&mut names));
    match listed {
        Ok(_) => {}
        Err(Errno::NOTSUP) => return Ok(Vec::new()),
        Err(Errno::RANGE) => {
            names = Vec::with_capacity(MOST);
            flistxattr(of, rustix::buffer::spare_capacity(&mut names))?;
        }
        Err(error) => return Err(error.into()),
    }
    let mut found = Vec::new();
    for name in names
        .split(|byte| *byte == 0)
        .filter(|name| !name.is_empty())
    {
        let mut value = Vec::with_capacity(MOST);
        match fgetxattr(of, name, rustix::buffer::spare_capacity(&mut value)) {
            Ok(_) => found.push(Attribute {
                name: name.to_vec(),
                value,
            }),
            // It went meanwhile, or belongs to the kernel alone.
            Err(Errno::NODATA | Errno::NOTSUP | Errno::ACCESS | Errno::PERM) => {}
            Err(error) => return Err(error.into()),
        }
    }
    found.extend(ntfs_attributes(of));
    Ok(found)
}

/// What NTFS through FUSE keeps beside a file, and names in no list: its attributes, who may do what, and its birth.
const NTFS: [&str; 3] = [
    "system.ntfs_attrib_be",
    "system.ntfs_acl",
    "system.ntfs_crtime_be",
];

fn ntfs_attributes(of: BorrowedFd<'_>) -> Vec<Attribute> {
    let read = |name: &&str| {
        let mut value = Vec::with_capacity(MOST);
        fgetxattr(of, *name, rustix::buffer::spare_capacity(&mut value)).ok()?;
        let name = name.as_bytes().to_vec();
        Some(Attribute { name, value })
    };
    // Any other volume says no to the first.
    NTFS.iter().map_while(read).collect()
}

/// When a folder on NTFS through FUSE was made: that driver tells it in an attribute alone, as hundreds
/// of nanoseconds since 1601, big-endian.
pub(crate) fn ntfs_birth(of: BorrowedFd<'_>) -> Option<Stamp> {
    const SINCE_1601: i64 = 11_644_473_600;
    const IN_A_SECOND: u64 = 10_000_000;
    let mut value = Vec::with_capacity(8);
    fgetxattr(
        of,
        "system.ntfs_crtime_be",
        rustix::buffer::spare_capacity(&mut value),
    )
    .ok()?;
    let ticks = u64::from_be_bytes(value.try_into().ok()?);
    let seconds = i64::try_from(ticks / IN_A_SECOND).ok()? - SINCE_1601;
    let nanos = u32::try_from(ticks % IN_A_SECOND).ok()? * 100;
    (ticks != 0).then_some(Stamp { seconds, nanos })
}

pub(crate) fn times(metadata: &Metadata) -> Timestamps {
    let time = |stamp: Stamp| Timespec {
        tv_sec: stamp.seconds,
        tv_nsec: stamp.nanos.into(),
    };
    Timestamps {
        last_access: time(metadata.accessed),
        last_modification: time(metadata.modified),
    }
}

/// The owner first, which takes special bits of the mode away; the times last, which all the others
/// would move.
pub(crate) fn apply(of: BorrowedFd<'_>, metadata: &Metadata) -> Vec<NotApplied> {
    let mut missing = Vec::new();
    let mut note = |what: &'static str, given: Result<(), Errno>| {
        if let Err(error) = given {
            let error = error.into();
            missing.push(NotApplied { what, error });
        }
    };
    let is_theirs =
        fstat(of).is_ok_and(|now| now.st_uid == metadata.user && now.st_gid == metadata.group);
    let mut is_given = true;
    if !is_theirs {
        let (user, group) = (Uid::from_raw(metadata.user), Gid::from_raw(metadata.group));
        let given = fchown(of, Some(user), Some(group));
        is_given = given.is_ok();
        note("its owner", given);
    }
    // Under another owner these would lend that one's rights, and no longer the first one's.
    let is_lending = |attribute: &&Attribute| attribute.name.starts_with(b"security.");
    let mode = if is_given {
        metadata.mode
    } else {
        metadata.mode & !SPECIAL
    };
    let withheld = mode != metadata.mode || metadata.attributes.iter().any(|it| is_lending(&it));
    if !is_given && withheld {
        note("what lends its owner's rights", Err(Errno::PERM));
    }
    note("its mode", fchmod(of, Mode::from_raw_mode(mode)));
    for attribute in metadata
        .attributes
        .iter()
        .filter(|it| is_given || !is_lending(it))
    {
        let flags = XattrFlags::empty();
        let (name, value) = (attribute.name.as_slice(), attribute.value.as_slice());
        let given = fsetxattr(of, name, value, flags);
        // Another kind of volume has no place for what NTFS keeps.
        let is_foreign = given == Err(Errno::NOTSUP) && NTFS.iter().any(|it| it.as_bytes() == name);
        if !is_foreign {
            note("an attribute", given);
        }
    }
    note("its times", futimens(of, &times(metadata)));
    missing
}
