//! Settling a run that packed or unpacked something and died: by what lies there.

use std::ffi::CStr;

use jolly_disk::{Disk, Folder};

use crate::cancel::CancelToken;
use crate::computer::{Target, TargetPath};
use crate::dustpan::{PART, Staging};
use crate::packing::{
    ArchiveComparison, Compared, PackError, TreeRoot, archive_name, compare, read_archive,
    remove_own, remove_tree, still_as, top_of,
};
use crate::plan::Outcome;
use crate::rule::Removal;
use crate::run::LogEntry;
use crate::run::packing::RULE;
use crate::state::RunId;

type Settled = (Outcome, u64, String);

/// What lies there after a run that died.
struct DeadRun<'a> {
    disk: &'a dyn Disk,
    folder: &'a Folder,
    /// The thing itself, and its archive.
    thing: &'a CStr,
    archive: &'a CStr,
}

/// What became of what a run was packing or unpacking when it died; what is half done is finished where the archive and
/// what lies there agree, else taken back.
pub(crate) fn settle_packing(target: &Target, run: &RunId, entry: &LogEntry) -> Settled {
    let disk = &**target.disk();
    if &*entry.rule != RULE {
        // Of a rescue nothing is changed in the home.
        return still_there();
    }
    let opened = disk.open_folder(target.root(), entry.path.folder_bytes());
    let folder = match opened {
        Ok(folder) => folder,
        Err(error) => {
            return (
                Outcome::Failed,
                0,
                format!("it can't be looked at: {error}"),
            );
        }
    };
    let name = entry.path.name();
    let other = match entry.by {
        Removal::Unpack => top_of(name).map(<[u8]>::to_vec),
        _ => Some(archive_name(name)),
    };
    let other = other
        .and_then(|other| TargetPath::new(other).ok())
        .unwrap_or_default();
    let (thing, archive) = match entry.by {
        Removal::Unpack => (other.as_name(), entry.path.as_name()),
        _ => (entry.path.as_name(), other.as_name()),
    };
    let left = DeadRun {
        disk,
        folder: &folder,
        thing,
        archive,
    };
    let staging = Staging::left(disk, &folder, (run, 0));
    let held = staging.as_ref().map(|(_, held)| held);
    let settled = match entry.by {
        Removal::Unpack => left.settle_unpacking(held, entry.intent.bytes),
        _ => left.settle_packing(held, entry.intent.bytes),
    };
    if let Some((name, _)) = &staging {
        // What lies in it still keeps it there.
        drop(disk.remove_folder(&folder, name));
    }
    settled
}

fn still_there() -> Settled {
    let reason = "the run broke off before it; it is still there";
    (Outcome::Refused, 0, reason.to_owned())
}

impl DeadRun<'_> {
    fn is_there(&self, folder: &Folder, name: &CStr) -> bool {
        self.disk.stat(folder, name).is_ok()
    }

    /// Compares the archive with what lies in a folder.
    fn compared(
        &self,
        place: TreeRoot<'_>,
        what: Compared,
    ) -> Result<ArchiveComparison, PackError> {
        let failed = place.failed(b"", "compared with its archive");
        let archive = self.disk.open_file(self.folder, self.archive);
        let archive = archive
            .and_then(|file| read_archive(&file))
            .map_err(failed)?;
        let never = CancelToken::default();
        compare(place, (archive, self.thing.to_bytes()), what, &never)
    }

    /// Whether a thing is all there, exactly as the archive has it.
    fn is_whole(&self, place: TreeRoot<'_>) -> bool {
        let compared = self
            .compared(place, Compared::Whole)
            .and_then(ArchiveComparison::whole);
        compared
            .and_then(|compared| still_as(place, &compared, &CancelToken::default()))
            .is_ok()
    }

    fn place<'a>(&'a self, folder: &'a Folder, name: &'a CStr) -> TreeRoot<'a> {
        TreeRoot {
            disk: self.disk,
            folder,
            name,
        }
    }

    fn freed(&self, before: u64) -> u64 {
        let archive = self.disk.stat(self.folder, self.archive);
        before.saturating_sub(archive.map_or(0, |stat| stat.allocated))
    }

    /// Removes the archive, once what stands for it is on the disk under its name.
    fn remove_archive(&self) -> bool {
        self.disk.sync_volume(self.folder).is_ok()
            && self.disk.unlink(self.folder, self.archive).is_ok()
    }

    fn settle_packing(&self, held: Option<&Folder>, before: u64) -> Settled {
        let thing = self.place(self.folder, self.thing);
        if !self.is_there(self.folder, self.archive) {
            // The archive was not yet whole.
            if let Some(held) = held {
                drop(remove_own(self.place(held, PART)));
            }
            return if self.is_there(self.folder, self.thing) {
                still_there()
            } else {
                (Outcome::Gone, 0, "it went by itself".to_owned())
            };
        }
        let Some(held) = held.filter(|held| self.is_there(held, PART)) else {
            if !self.is_there(self.folder, self.thing) {
                let reason = "settled afterwards: its archive holds it".to_owned();
                return (Outcome::Packed, self.freed(before), reason);
            }
            // It was whole and compared, and nothing of the thing has gone yet.
            if self.is_whole(thing) && self.remove_archive() {
                return still_there();
            }
            let reason = "it is still there, and so is its archive".to_owned();
            return (Outcome::Refused, 0, reason);
        };
        let place = self.place(held, PART);
        let never = CancelToken::default();
        // Some of it may have gone already; what is left must be as the archive has it.
        let rest = self.compared(place, Compared::Rest).and_then(|compared| {
            if let Some(path) = compared.differs {
                return Err(PackError::Differs { path });
            }
            // The archive's name must be on the disk before what it stands for goes.
            let synced = self.disk.sync_volume(self.folder);
            synced.map_err(place.failed(b"", "removed"))?;
            let tree = still_as(place, &compared.same, &never)?;
            remove_tree(place, &tree, &compared.same)
        });
        match rest {
            Ok(()) => {
                let reason = "settled afterwards: its archive holds it".to_owned();
                (Outcome::Packed, self.freed(before), reason)
            }
            Err(error) => {
                let back = self.disk.move_folder(held, PART, self.folder, self.thing);
                let place = match back {
                    Ok(()) => "under its name".to_owned(),
                    Err(_) => {
                        "in a folder beside it whose name begins with .jolly-broom".to_owned()
                    }
                };
                let why = crate::error_chain(&error);
                let reason =
                    format!("its archive holds it, and what is left of it lies {place}: {why}");
                (Outcome::Changed, 0, reason)
            }
        }
    }

    fn settle_unpacking(&self, held: Option<&Folder>, before: u64) -> Settled {
        if let Some(held) = held {
            drop(remove_own(self.place(held, PART)));
        }
        if !self.is_there(self.folder, self.archive) {
            let reason = "settled afterwards: it came out of its archive".to_owned();
            return (Outcome::Removed, before, reason);
        }
        let thing = self.place(self.folder, self.thing);
        let is_out = self.is_there(self.folder, self.thing) && self.is_whole(thing);
        if is_out && self.remove_archive() {
            let reason = "settled afterwards: it came out of its archive".to_owned();
            return (Outcome::Removed, before, reason);
        }
        still_there()
    }
}
