//! Copies that keep their name: from then on each shares the bytes of the file that stays, or is one more name of it.

use std::ffi::CStr;
use std::fs::File;
use std::io;
use std::os::unix::fs::MetadataExt as _;

use jolly_disk::{Disk, Folder, Kind, Stat};

use crate::dustpan::{PART, ReplaceError, Replaced, Staging, build, swap_in};
use crate::plan::{
    FileIdentity, ItemOutcome, ManifestItem, Moment, Outcome, StayReason, Tolerance,
};
use crate::rule::Removal;
use crate::run::check::Shared;
use crate::run::check::twin::{are_alike, are_equal, owned};
use crate::run::workers::remove::Remover;
use crate::state::RunId;

/// What was tried where it failed.
const VERB: &str = "put another file in the place of";

/// The file that stays, and what it is held against.
struct Staying<'a> {
    shared: &'a Shared<'a>,
    /// The open folder that holds it.
    folder: Folder,
    name: &'a CStr,
}

impl Remover<'_, '_> {
    /// Has a copy that `check` let pass share the bytes of the file that stays; says what that freed.
    ///
    /// # Safety argument
    /// What takes its place is compared with it from end to end where nobody else can reach it, before the two names are
    /// exchanged ([`swap_in`]). A clone has bytes of its own from the moment on in which it was made. Of a hard link the
    /// one that stays is looked at once more after the exchange: where it changed meanwhile, all is as it was.
    pub(crate) fn share(
        &mut self,
        (item, number): (&ManifestItem, usize),
        name: &CStr,
        stat: &Stat,
    ) -> ItemOutcome {
        let (disk, shared) = (self.checker.disk(), self.checker.shared());
        let target = shared.context.target;
        let stays = self.checker.stays_for(&item.path);
        let opened = stays.as_ref().and_then(|path| {
            let folder = disk.open_folder(target.root(), path.folder_bytes()).ok()?;
            let name = path.as_name();
            Some(Staying {
                shared,
                folder,
                name,
            })
        });
        let Some(staying) = opened else {
            return ItemOutcome::stays(StayReason::NoOtherCopy);
        };
        let folder = match self.checker.parent(&item.path) {
            Ok(folder) => folder,
            Err(outcome) => return outcome,
        };
        let copy = Replaced {
            disk,
            folder,
            name,
            seen: stat,
            is_live: target.is_live,
        };
        let of = (self.run, number);
        let shares = match item.by {
            Removal::HardLink => staying.link_to(&copy, of),
            _ => staying.clone_to(&copy, of),
        };
        let changed = StayReason::Replaced(Moment::AtTheEnd);
        ItemOutcome::stays(match shares {
            Ok(()) => return self.went(item, stat, Outcome::Shared),
            Err(ReplaceError::Refused(reason)) => reason,
            Err(ReplaceError::Changed) => changed,
            Err(ReplaceError::Displaced(name)) => StayReason::LiesElsewhere {
                because: Box::new(changed),
                place: format!("beside it in {name}"),
            },
            Err(ReplaceError::NoExchange) => StayReason::CannotShare,
            Err(ReplaceError::Disk(error)) => StayReason::of_error(&error, VERB),
            Err(error @ ReplaceError::Metadata { .. }) => StayReason::Disk {
                verb: VERB,
                error: error.to_string(),
            },
        })
    }
}

impl Staying<'_> {
    fn disk(&self) -> &dyn Disk {
        &**self.shared.context.target.disk()
    }

    fn look(&self) -> Result<Stat, ReplaceError> {
        self.disk()
            .stat(&self.folder, self.name)
            .map_err(|_gone| no_other())
    }

    /// The file itself, open, if it is another one than the copy.
    fn open(&self, copy: &Replaced<'_>) -> Result<(File, Stat), ReplaceError> {
        let stat = self.look()?;
        let is_apart = stat.key != copy.seen.key && stat.size == copy.seen.size;
        if stat.kind != Kind::File || !is_apart {
            return Err(no_other());
        }
        let file = self.disk().open_file(&self.folder, self.name);
        let file = file.map_err(|_gone| no_other())?;
        is_file(&file, &stat)?;
        Ok((file, stat))
    }

    fn has_bytes_of(&self, copy: &Replaced<'_>, new: &File) -> Result<bool, ReplaceError> {
        let disk = copy.disk;
        let old = disk
            .open_file(copy.folder, copy.name)
            .map_err(ReplaceError::Disk)?;
        is_file(&old, copy.seen)?;
        let cancel = self.shared.cancel();
        let is_equal = are_equal(new, &old, copy.seen.size, cancel).map_err(ReplaceError::Disk)?;
        let now = disk
            .stat(copy.folder, copy.name)
            .map_err(ReplaceError::Disk)?;
        // What was read is what was shown only if nothing took its place meanwhile.
        Ok(is_equal && now.is_unchanged_since(copy.seen))
    }

    fn clone_to(&self, copy: &Replaced<'_>, of: (&RunId, usize)) -> Result<(), ReplaceError> {
        let (from, _) = self.open(copy)?;
        let fill = &mut |new: &mut File| {
            let cloned = copy.disk.clone_bytes(&from, new);
            cloned.map_err(|error| match error.kind() {
                io::ErrorKind::Unsupported | io::ErrorKind::CrossesDevices => {
                    ReplaceError::Refused(StayReason::CannotShare)
                }
                _ => ReplaceError::Disk(error),
            })
        };
        let (staging, made) = build(copy, of, Some(copy.seen.modified), fill)?;
        let new = copy.disk.open_file(staging.folder(), PART);
        let is_equal = made.size == copy.seen.size
            && self.has_bytes_of(copy, &new.map_err(ReplaceError::Disk)?)?;
        if !is_equal {
            return Err(no_other());
        }
        swap_in(copy, staging, &made, &|| true)
    }

    fn link_to(&self, copy: &Replaced<'_>, of: (&RunId, usize)) -> Result<(), ReplaceError> {
        let disk = copy.disk;
        let (from, before) = self.open(copy)?;
        // A file that goes by the same list keeps nothing alive.
        if self.shared.taken.contains(&before.key) {
            return Err(no_other());
        }
        let old = disk
            .open_file(copy.folder, copy.name)
            .map_err(ReplaceError::Disk)?;
        let is_alike = are_alike(disk, (&from, &before), (&old, copy.seen));
        if !is_alike.map_err(ReplaceError::Disk)? {
            return Err(ReplaceError::Refused(StayReason::NotAlike));
        }
        if !self.has_bytes_of(copy, &from)? {
            return Err(no_other());
        }
        let staging = Staging::open(disk, copy.folder, of).map_err(ReplaceError::Disk)?;
        let named = disk.add_name(&self.folder, self.name, staging.folder(), PART);
        named.map_err(|error| match error.kind() {
            io::ErrorKind::Unsupported
            | io::ErrorKind::CrossesDevices
            | io::ErrorKind::PermissionDenied
            | io::ErrorKind::TooManyLinks => ReplaceError::Refused(StayReason::CannotShare),
            _ => ReplaceError::Disk(error),
        })?;
        let made = disk
            .stat(staging.folder(), PART)
            .map_err(ReplaceError::Disk)?;
        // One more name changes nothing but its last change.
        let is_it = |now: &Stat| FileIdentity::of(&before).is_same(now, Tolerance::LastChange);
        if !is_it(&made) {
            return Err(no_other());
        }
        let is_still = || {
            let now = self.look();
            now.is_ok_and(|now| is_it(&now) && owned(&now) == owned(&before))
        };
        swap_in(copy, staging, &made, &is_still)
    }
}

/// Whether what was opened is what was looked at.
fn is_file(file: &File, stat: &Stat) -> Result<(), ReplaceError> {
    let opened = file.metadata().map_err(ReplaceError::Disk)?;
    if opened.ino() == stat.key.inode {
        Ok(())
    } else {
        Err(ReplaceError::Changed)
    }
}

fn no_other() -> ReplaceError {
    ReplaceError::Refused(StayReason::NoOtherCopy)
}
