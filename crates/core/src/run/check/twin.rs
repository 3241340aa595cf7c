//! Whether a copy or a version may go: the file that stays for it is there, with the same contents or as it was read, right now.

use std::collections::HashSet;
use std::ffi::CStr;
use std::fs::File;
use std::io::{self, Read as _};
use std::os::fd::AsFd as _;

use jolly_disk::{Attribute, Disk, FileKey, Folder, Kind, Stat};

use crate::cancel::CancelToken;
use crate::computer::{Account, Target, TargetPath};
use crate::plan::{ItemOutcome, Manifest, ManifestItem, StayReason};
use crate::rule::{AsRead, Removal, Search};
use crate::run::check::{Checker, SeenItem};

/// The attribute in which NTFS through FUSE tells when a file was made: no two have the same.
const BIRTH: &[u8] = b"system.ntfs_crtime_be";

/// Bytes that are compared at once.
const CHUNK: usize = 128 << 10;

impl Checker<'_> {
    /// Of a copy: that another file with the same contents stays. It is compared once, right before the copy goes; what keeps
    /// its name is compared when it is made anew.
    pub(super) fn other_stays(
        &mut self,
        seen: &SeenItem<'_>,
        search: &Search,
    ) -> Result<(), ItemOutcome> {
        let refuse = |reason: StayReason| Err(ItemOutcome::stays(reason));
        let twins = search.twins.as_deref();
        let Some(twin) = twins.and_then(|twins| twins.get(seen.name.to_bytes())) else {
            return refuse(StayReason::NoOtherCopy);
        };
        let stays = &twin.stays;
        if let Some(as_read) = &twin.as_read {
            let shared = self.shared;
            let (target, stays) = (shared.context.target, (stays, &shared.taken));
            return if is_as_read(target, seen.stat, stays, as_read) {
                Ok(())
            } else {
                refuse(StayReason::NoOtherVersion)
            };
        }
        let by = seen.item.by;
        if by == Removal::HardLink {
            let accounts = &self.shared.context.target.accounts;
            let account = search.account.and_then(|at| accounts.get(at));
            let is_own = |account: &Account| stays.below(&account.home).is_some();
            if !account.is_some_and(is_own) {
                return refuse(StayReason::OfAnotherAccount);
            }
        }
        // What is set aside is looked at before it is stored, too.
        if by.keeps_name() || (by == Removal::SetAside && !seen.is_read) {
            return Ok(());
        }
        self.has_twin((seen.path, seen.name, seen.stat), stays)
    }

    fn has_twin(
        &mut self,
        (path, name, stat): (&TargetPath, &CStr, &Stat),
        stays: &TargetPath,
    ) -> Result<(), ItemOutcome> {
        let shared = self.shared;
        let going = (self.parent(path)?, name, stat);
        let target = shared.context.target;
        match has_same_bytes(target, going, (stays, &shared.taken), shared.cancel()) {
            Ok(true) => Ok(()),
            Ok(false) | Err(_) => Err(ItemOutcome::stays(StayReason::NoOtherCopy)),
        }
    }

    /// Where the file lies that stays for a copy; nothing where none was named.
    pub(crate) fn stays_for(&mut self, path: &TargetPath) -> Option<TargetPath> {
        let near = self.near(path);
        let own = (near.searches.iter()).filter(|over| over.search.root.as_bytes() == near.path);
        let mut twins = own.filter_map(|over| over.search.twins.as_deref());
        let twin = twins.find_map(|twins| twins.get(path.name()));
        twin.map(|twin| twin.stays.clone())
    }

    /// Whether a copy may share the bytes of the file that stays, as far as it can be known without trying.
    pub(crate) fn may_share(
        &mut self,
        item: &ManifestItem,
        name: &CStr,
        stat: &Stat,
    ) -> Result<(), ItemOutcome> {
        let refuse = |reason: StayReason| Err(ItemOutcome::stays(reason));
        let Some(stays) = self.stays_for(&item.path) else {
            return refuse(StayReason::NoOtherCopy);
        };
        self.has_twin((&item.path, name, stat), &stays)?;
        let target = self.shared.context.target;
        let disk = &**target.disk();
        if item.by == Removal::Clone {
            return if target.can_clone {
                Ok(())
            } else {
                refuse(StayReason::CannotShare)
            };
        }
        let folder = self.parent(&item.path)?;
        let look = || {
            let holding = disk.open_folder(target.root(), stays.folder_bytes())?;
            let other = disk.open_file(&holding, stays.as_name())?;
            let of_other = disk.stat(&holding, stays.as_name())?;
            let one = disk.open_file(folder, name)?;
            are_alike(disk, (&one, stat), (&other, &of_other))
        };
        match look() {
            Ok(true) => Ok(()),
            Ok(false) => refuse(StayReason::NotAlike),
            Err(error) => Err(ItemOutcome::of_error(&error, "read")),
        }
    }
}

/// The files that a list takes, where it takes copies: none of them keeps another's contents alive.
pub(super) fn taken(searches: &[Search], manifest: &Manifest) -> HashSet<FileKey> {
    if searches.iter().all(|search| search.twins.is_none()) {
        return HashSet::new();
    }
    let mut taken = HashSet::new();
    manifest.items.each_view(&mut |_, item| {
        taken.insert(item.key());
    });
    taken
}

/// Whether the file that stays is another one than the one that goes and none that goes, too, and has the same bytes from
/// beginning to end, while neither changes.
pub(super) fn has_same_bytes(
    target: &Target,
    (folder, name, stat): (&Folder, &CStr, &Stat),
    (stays, taken): (&TargetPath, &HashSet<FileKey>),
    cancel: &CancelToken,
) -> io::Result<bool> {
    let disk = &**target.disk();
    let other = disk.open_folder(target.root(), stays.folder_bytes())?;
    let before = disk.stat(&other, stays.as_name())?;
    // Another name of the same file would go with it.
    let is_apart = before.key != stat.key && !taken.contains(&before.key);
    if before.kind != Kind::File || before.size != stat.size || !is_apart {
        return Ok(false);
    }
    let one = disk.open_file(folder, name)?;
    let two = disk.open_file(&other, stays.as_name())?;
    let is_same = are_equal(&one, &two, stat.size, cancel)?;
    let after = disk.stat(folder, name)?;
    let other_after = disk.stat(&other, stays.as_name())?;
    Ok(is_same && after.is_unchanged_since(stat) && other_after.is_unchanged_since(&before))
}

/// Whether a file and the other version of it that stays are as they were when they were read, and that one is no other name
/// of it and doesn't go, too.
pub(super) fn is_as_read(
    target: &Target,
    goes: &Stat,
    (stays, taken): (&TargetPath, &HashSet<FileKey>),
    as_read: &AsRead,
) -> bool {
    let disk = &**target.disk();
    let look = || {
        let folder = disk.open_folder(target.root(), stays.folder_bytes())?;
        disk.stat(&folder, stays.as_name())
    };
    let is_as = |now: &Stat, (size, modified): (u64, i64)| {
        now.kind == Kind::File && now.size == size && now.modified.seconds == modified
    };
    look().is_ok_and(|other: Stat| {
        let is_apart = other.key != goes.key && !taken.contains(&other.key);
        is_apart && is_as(goes, as_read.goes) && is_as(&other, as_read.stays)
    })
}

/// Who a file belongs to, and who may do what with it.
pub(crate) fn owned(stat: &Stat) -> (u32, u32, u32) {
    (stat.user, stat.group, stat.mode)
}

/// Whether nothing but its contents tells a file from another one: owner, group, mode and attributes are the same.
pub(crate) fn are_alike(
    disk: &dyn Disk,
    (one, of_one): (&File, &Stat),
    (other, of_other): (&File, &Stat),
) -> io::Result<bool> {
    if owned(of_one) != owned(of_other) {
        return Ok(false);
    }
    let attributes = |of: &File| -> io::Result<Vec<Attribute>> {
        let mut all = disk.attributes(of.as_fd())?;
        all.retain(|one| one.name != BIRTH);
        all.sort_by(|one, other| one.name.cmp(&other.name));
        Ok(all)
    };
    Ok(attributes(one)? == attributes(other)?)
}

/// Whether two files have the same bytes, so many in all.
pub(crate) fn are_equal(
    mut one: &File,
    mut two: &File,
    size: u64,
    cancel: &CancelToken,
) -> io::Result<bool> {
    let (mut here, mut there) = (vec![0; CHUNK], vec![0; CHUNK]);
    let mut left = size;
    while left > 0 {
        if cancel.is_cancelled() {
            return Ok(false);
        }
        let many = usize::try_from(left).map_or(CHUNK, |left| left.min(CHUNK));
        let (Some(here), Some(there)) = (here.get_mut(..many), there.get_mut(..many)) else {
            return Ok(false);
        };
        for result in [one.read_exact(here), two.read_exact(there)] {
            match result {
                // One of them is shorter by now.
                Err(error) if error.kind() == io::ErrorKind::UnexpectedEof => return Ok(false),
                other => other?,
            }
        }
        if here != there {
            return Ok(false);
        }
        left -= many as u64;
    }
    Ok(true)
}
