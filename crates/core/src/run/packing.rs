//! Packing what is kept beside itself, and taking it out again: one thing a run, with its record.

mod from_point;
mod in_place;
mod record;
mod rescue;
mod settle;

pub use from_point::bring_back_from_point;
pub use in_place::pack_in_place;
pub use rescue::{RescueOrder, RescueSummary, rescue};
pub(crate) use settle::settle_packing;

use std::collections::HashMap;
use std::ffi::CString;
use std::fs::File;
use std::os::fd::AsFd as _;

use jiff::Timestamp;
use jolly_disk::{Disk, Folder, Kind, Metadata, Stat};

use crate::cancel::CancelToken;
use crate::computer::{Target, TargetPath};
use crate::dustpan::{PART, Staging, metadata_of};
use crate::error_chain;
use crate::host::InUse;
use crate::packing::{
    Compared, Gain, PackError, RESERVE, SourceTree, TreeRoot, Trust, Unfit, archive_name, compare,
    gain_of, look, may_pack, read_archive, remove_own, remove_tree, still_as, top_of,
    write_archive,
};
use crate::rule::Removal;
use crate::run::packing::record::Recorded;
use crate::state::{RunId, StateFolder, lock};

/// The rule that the record of such a run names.
const RULE: &str = "survey/packed";

/// What packing stands on.
pub struct Packing<'a> {
    /// The computer.
    pub target: &'a Target,
    /// Where its lock and the record lie.
    pub state: &'a StateFolder,
    /// The run's id.
    pub run: &'a RunId,
    /// This program's own files on the target.
    pub own: &'a [TargetPath],
    /// What ends it; what is half done by then is taken back.
    pub cancel: &'a CancelToken,
    /// Tells the time.
    pub clock: &'a dyn Fn() -> Timestamp,
    /// Hears how many bytes of files went through.
    pub moved: &'a dyn Fn(u64),
}

/// What packing or unpacking came to.
#[derive(Clone, Debug, PartialEq, Eq)]
pub struct PackSummary {
    /// What is there now: the archive, or what came out of it.
    pub path: TargetPath,
    /// What it held before, in bytes.
    pub before: u64,
    /// What it holds now.
    pub after: u64,
    /// What couldn't be done about it, where that is to be known.
    pub note: Option<String>,
}

impl PackSummary {
    /// What its record says: what came back, and what is to be known.
    fn said(&self) -> (u64, String) {
        let bytes = self.before.saturating_sub(self.after);
        (bytes, self.note.clone().unwrap_or_default())
    }
}

/// Something that lies on a target, with the folder that holds it open.
struct Opened {
    folder: Folder,
    name: CString,
    stat: Stat,
}

impl Opened {
    fn open(target: &Target, path: &TargetPath) -> Result<Self, PackError> {
        let failed = |source| PackError::Disk {
            path: path.to_string(),
            verb: "looked at",
            source,
        };
        let disk = target.disk();
        let folder = disk.open_folder(target.root(), path.folder_bytes());
        let folder = folder.map_err(failed)?;
        let name = path.as_name().to_owned();
        let stat = disk.stat(&folder, &name).map_err(failed)?;
        Ok(Self { folder, name, stat })
    }

    fn place<'a>(&'a self, disk: &'a dyn Disk) -> TreeRoot<'a> {
        TreeRoot {
            disk,
            folder: &self.folder,
            name: &self.name,
        }
    }
}

/// What packing a thing would gain; it is left as it is.
///
/// # Errors
/// When it may not or can't be packed.
pub fn weigh_packing(
    target: &Target,
    own: &[TargetPath],
    path: &TargetPath,
    cancel: &CancelToken,
) -> Result<Gain, PackError> {
    let (opened, tree) = look_at(target, own, path, cancel)?;
    Ok(gain_of(opened.place(&**target.disk()), &tree))
}

fn look_at(
    target: &Target,
    own: &[TargetPath],
    path: &TargetPath,
    cancel: &CancelToken,
) -> Result<(Opened, SourceTree), PackError> {
    let refuse = |why| PackError::MayNot {
        path: path.to_string(),
        why,
    };
    may_pack(target, path, own).map_err(refuse)?;
    let opened = Opened::open(target, path)?;
    if opened.stat.kind == Kind::Link {
        return Err(refuse("it is a link, and holds nothing"));
    }
    let tree = look(opened.place(&**target.disk()), &mut Unfit::Refuses, cancel)?;
    let in_use = InUse::read();
    for thing in &tree.things {
        if let Some(program) = in_use.user_of(thing.stat.key) {
            return Err(PackError::InUse {
                path: opened.place(&**target.disk()).shown(&thing.below),
                program: program.to_string(),
            });
        }
    }
    Ok((opened, tree))
}

fn worth_it(place: TreeRoot<'_>, gain: Gain) -> Result<(), PackError> {
    if gain.is_worth_it() {
        return Ok(());
    }
    Err(PackError::NoGain {
        path: place.shown(b""),
        whole: gain.held,
        packed: gain.packed,
    })
}

/// The archive of a thing.
fn archive_of(path: &TargetPath) -> Result<TargetPath, PackError> {
    let name = archive_name(path.name());
    let archive = path.parent().unwrap_or_default().join(&name);
    archive.map_err(|error| PackError::NoArchive {
        path: path.to_string(),
        why: error.to_string(),
    })
}

/// Packs a file or folder into an archive beside it, and removes it once that was read back and compared.
///
/// # Errors
/// When it may not or can't be packed, or it would gain too little; then it is there as it was, and no archive is.
pub fn pack(work: &Packing<'_>, path: &TargetPath) -> Result<PackSummary, PackError> {
    let target = work.target;
    let archive = archive_of(path)?;
    let _lock = lock(target, work.state)?;
    let (opened, tree) = look_at(target, work.own, path, work.cancel)?;
    let disk = &**target.disk();
    if disk.stat(&opened.folder, archive.as_name()).is_ok() {
        let path = archive.to_string();
        return Err(PackError::Exists { path });
    }
    let gain = gain_of(opened.place(disk), &tree);
    worth_it(opened.place(disk), gain)?;
    let free = disk
        .space(&opened.folder)
        .map_or(u64::MAX, |space| space.free);
    let needs = gain.packed.saturating_add(gain.packed / 8 + RESERVE);
    if needs > free {
        return Err(PackError::NoRoom { needs, free });
    }
    let mut record = Recorded::begin(work, RULE, path, (&opened.stat, tree.held(), Removal::Pack))?;
    let packed = pack_recorded(work, &opened, &tree, &archive);
    record.end(work, packed.as_ref().map(PackSummary::said))?;
    packed
}

fn pack_recorded(
    work: &Packing<'_>,
    opened: &Opened,
    tree: &SourceTree,
    archive: &TargetPath,
) -> Result<PackSummary, PackError> {
    let disk = &**work.target.disk();
    let place = opened.place(disk);
    let failed = |verb| place.failed(b"", verb);
    let (staging, compared) = build(work, opened, tree)?;
    publish(&staging, archive)?;
    let made = disk
        .stat(&opened.folder, archive.as_name())
        .map_err(failed("packed"))?;
    // From here on the archive holds all of it.
    let moved = take_in(disk, opened, &staging);
    let held = TreeRoot {
        disk,
        folder: staging.folder(),
        name: PART,
    };
    let is_made = || {
        let now = disk.stat(&opened.folder, archive.as_name());
        now.is_ok_and(|now| now.is_unchanged_since(&made))
    };
    // Its name must be on the disk before anything that it stands for goes.
    let still = moved
        .and_then(|()| disk.sync_volume(&opened.folder))
        .map_err(failed("moved away"))
        .and_then(|()| still_as(held, &compared, work.cancel))
        .and_then(|tree| {
            // Its owner may write to it from the moment on in which it has its name.
            let changed = || PackError::Changed {
                path: archive.to_string(),
            };
            is_made().then_some(tree).ok_or_else(changed)
        });
    let tree = match still {
        Ok(tree) => tree,
        Err(error) => {
            put_out(disk, opened, staging);
            if is_made() {
                drop(disk.unlink(&opened.folder, archive.as_name()));
            }
            return Err(error);
        }
    };
    let note = match remove_tree(held, &tree, &compared) {
        Ok(()) => None,
        Err(error) => {
            put_out(disk, opened, staging);
            let why = error_chain(&error);
            Some(format!(
                "the archive holds all of it, and some lies there still: {why}"
            ))
        }
    };
    drop(disk.sync_volume(&opened.folder));
    Ok(PackSummary {
        path: archive.clone(),
        before: tree.held(),
        after: made.allocated,
        note,
    })
}

/// Writes the archive where nobody else can reach it, reads it back and compares it; what it holds is as it is there.
fn build<'a>(
    work: &'a Packing<'_>,
    opened: &'a Opened,
    tree: &SourceTree,
) -> Result<(Staging<'a>, HashMap<Vec<u8>, Stat>), PackError> {
    let disk = &**work.target.disk();
    let place = opened.place(disk);
    let failed = |verb| place.failed(b"", verb);
    let staging = Staging::open(disk, &opened.folder, (work.run, 0));
    let staging = staging.map_err(failed("packed"))?;
    let file = disk
        .make_file(staging.folder(), PART)
        .map_err(failed("packed"))?;
    let top = opened.name.to_bytes();
    write_archive(&file, &[(place, top, tree)], work.cancel, work.moved)?;
    // Samples say only about what it would come to.
    let packed = file.metadata().map_err(failed("packed"))?.len();
    let gain = Gain::of(tree.size(), tree.held(), packed);
    worth_it(place, gain)?;
    let read = disk
        .open_file(staging.folder(), PART)
        .and_then(|file| read_archive(&file))
        .map_err(failed("read back"))?;
    let compared = compare(place, (read, top), Compared::Whole, work.cancel)?.whole()?;
    still_as(place, &compared, work.cancel)?;
    // A volume without owners gives none.
    drop(disk.apply_metadata(
        file.as_fd(),
        &owner_of(tree, disk.stat(staging.folder(), PART).ok()),
    ));
    file.sync_all().map_err(failed("packed"))?;
    Ok((staging, compared))
}

/// Whose an archive is: that of all that is in it, or else the runner's.
fn owner_of(tree: &SourceTree, made: Option<Stat>) -> Metadata {
    let mut metadata = made.as_ref().map(metadata_of).unwrap_or_default();
    metadata.mode = 0o600;
    if let Some(top) = tree.top() {
        let is_same = |thing: &Stat| thing.user == top.user;
        if tree.things.iter().all(|thing| is_same(&thing.stat)) {
            (metadata.user, metadata.group) = (top.user, top.group);
            metadata.mode |= top.mode & 0o044;
        }
    }
    metadata
}

fn publish(staging: &Staging<'_>, path: &TargetPath) -> Result<(), PackError> {
    staging
        .publish(path.as_name())
        .map_err(|error| match error.kind() {
            std::io::ErrorKind::AlreadyExists => PackError::Exists {
                path: path.to_string(),
            },
            _ => PackError::Disk {
                path: path.to_string(),
                verb: "named",
                source: error,
            },
        })
}

/// Moves a thing to where nobody else can enter.
fn take_in(disk: &dyn Disk, opened: &Opened, staging: &Staging<'_>) -> std::io::Result<()> {
    let (from, name, to) = (&opened.folder, &*opened.name, staging.folder());
    if opened.stat.kind == Kind::Folder {
        disk.move_folder(from, name, to, PART)
    } else {
        disk.move_name(from, name, to, PART)
    }
}

/// Moves what is left of a thing back under its name; where somebody else has that by now, it is left where it is.
fn put_out(disk: &dyn Disk, opened: &Opened, staging: Staging<'_>) {
    let (from, to) = (staging.folder(), &opened.folder);
    let back = if opened.stat.kind == Kind::Folder {
        disk.move_folder(from, PART, to, &opened.name)
    } else {
        disk.move_name(from, PART, to, &opened.name)
    };
    let is_there = disk.stat(from, PART).is_ok();
    if back.is_err() && is_there {
        staging.leave();
    }
}

/// Takes what an archive holds out into a private folder, compares all of it, and moves it to where it is to be.
fn come_out(
    work: &Packing<'_>,
    staging: &Staging<'_>,
    (folder, path): (&Folder, &TargetPath),
    (archive, trust): (&File, Trust),
) -> Result<SourceTree, PackError> {
    let disk = &**work.target.disk();
    let held = TreeRoot {
        disk,
        folder: staging.folder(),
        name: PART,
    };
    let failed = |verb| {
        let path = path.to_string();
        move |source| PackError::Disk { path, verb, source }
    };
    let top = path.name();
    let read = || read_archive(archive).map_err(failed("read"));
    let came_out = read()
        .and_then(|read| crate::packing::unpack(held, (read, top), trust, work.cancel))
        .and_then(|()| compare(held, (read()?, top), Compared::Whole, work.cancel)?.whole())
        .and_then(|compared| still_as(held, &compared, work.cancel));
    let tree = match came_out {
        Ok(tree) => tree,
        Err(error) => {
            drop(remove_own(held));
            return Err(error);
        }
    };
    let is_folder = tree.top().is_some_and(|top| top.kind == Kind::Folder);
    let named = if is_folder {
        disk.move_folder(staging.folder(), PART, folder, path.as_name())
    } else {
        disk.move_name(staging.folder(), PART, folder, path.as_name())
    };
    if let Err(error) = named {
        drop(remove_own(held));
        return Err(failed("named")(error));
    }
    Ok(tree)
}

/// Takes out of an archive what it holds, and removes that once all of it was compared.
///
/// # Errors
/// When it can't be; then the archive is there as it was, and nothing else is.
pub fn unpack(work: &Packing<'_>, archive: &TargetPath) -> Result<PackSummary, PackError> {
    let no_archive = |why: &str| PackError::NoArchive {
        path: archive.to_string(),
        why: why.to_owned(),
    };
    let top =
        top_of(archive.name()).ok_or_else(|| no_archive("its name doesn't end in .tar.zst"))?;
    let path = archive.parent().unwrap_or_default().join(top);
    let path = path.map_err(|error| no_archive(&error.to_string()))?;
    let _lock = lock(work.target, work.state)?;
    let disk = &**work.target.disk();
    let opened = Opened::open(work.target, archive)?;
    if opened.stat.kind != Kind::File || opened.stat.links > 1 {
        return Err(no_archive("it is no file, or has other names, too"));
    }
    if disk.stat(&opened.folder, path.as_name()).is_ok() {
        let path = path.to_string();
        return Err(PackError::Exists { path });
    }
    let held = opened.stat.allocated;
    let mut record = Recorded::begin(work, RULE, archive, (&opened.stat, held, Removal::Unpack))?;
    let unpacked = unpack_recorded(work, &opened, &path);
    record.end(work, unpacked.as_ref().map(PackSummary::said))?;
    unpacked
}

fn unpack_recorded(
    work: &Packing<'_>,
    opened: &Opened,
    path: &TargetPath,
) -> Result<PackSummary, PackError> {
    let disk = &**work.target.disk();
    let archive = opened.place(disk);
    let failed = |verb| archive.failed(b"", verb);
    let file = disk
        .open_file(&opened.folder, &opened.name)
        .map_err(failed("opened"))?;
    let staging = Staging::open(disk, &opened.folder, (work.run, 0));
    let staging = staging.map_err(failed("unpacked"))?;
    let trust = Trust::of(&opened.stat, disk.keeps_owners(&opened.folder));
    let tree = come_out(work, &staging, (&opened.folder, path), (&file, trust))?;
    drop(staging);
    // What came out must be on the disk under its name before the archive goes.
    let is_safe = disk.sync_volume(&opened.folder).is_ok();
    let now = disk.stat(&opened.folder, &opened.name);
    let is_it = now.is_ok_and(|now| now.is_unchanged_since(&opened.stat));
    let is_gone = is_safe && is_it && disk.unlink(&opened.folder, &opened.name).is_ok();
    (work.moved)(tree.size());
    Ok(PackSummary {
        path: path.clone(),
        before: opened.stat.allocated,
        after: tree.held(),
        note: (!is_gone).then(|| "the archive changed or can't be removed, so it stays".to_owned()),
    })
}
