//! The removal of one item that was checked just before.

use std::ffi::CStr;

use jolly_disk::{Kind, Stat};

use crate::cancel::CancelToken;
use crate::computer::EntryKind;
use crate::plan::item_outcome::ItemOutcome;
use crate::plan::{FileIdentity, ManifestItem, Moment, Outcome, StayReason, Tolerance};
use crate::rule::Removal;
use crate::run::check::Checker;
use crate::run::workers::batch::Work;
use crate::run::workers::overwrite::overwrite;
use crate::run::workers::quarantine::folders::Moved;
use crate::run::workers::quarantine::{Passed, Quarantine};
use crate::state::RunId;

/// Removes items for one thread.
pub(crate) struct Remover<'a, 'b> {
    pub checker: Checker<'a>,
    pub quarantine: &'b Quarantine<'b>,
    pub run: &'b RunId,
    pub stop: &'b CancelToken,
    /// The last folder that is emptied where it lies, although others may change names in it.
    pub stays_open: Option<Vec<u8>>,
}

impl Remover<'_, '_> {
    /// Writes over the bytes of one item that `check` let pass, and removes it.
    pub(crate) fn overwrite_and_remove(
        &mut self,
        (item, number): (&ManifestItem, usize),
        name: &CStr,
        stat: &Stat,
    ) -> ItemOutcome {
        if stat.kind != Kind::File {
            return self.remove((item, number), name, stat);
        }
        let disk = self.checker.disk();
        let looked = match self.checker.parent(&item.path) {
            Err(verdict) => return verdict,
            Ok(folder) => overwrite(disk, folder, name, stat, self.stop)
                .and_then(|()| disk.stat(folder, name)),
        };
        match looked {
            Err(error) => ItemOutcome::of_error(&error, "write over"),
            Ok(after) if !FileIdentity::of(stat).is_same(&after, Tolerance::Contents) => {
                ItemOutcome::stays(StayReason::Replaced(Moment::WhileWrittenOver))
            }
            Ok(after) => self.remove((item, number), name, &after),
        }
    }

    /// Removes one item that `check` let pass; says what it freed.
    pub(crate) fn remove(
        &mut self,
        (item, number): (&ManifestItem, usize),
        name: &CStr,
        stat: &Stat,
    ) -> ItemOutcome {
        let disk = self.checker.disk();
        if stat.kind == Kind::Folder {
            let away = &self.checker.shared().away;
            if let Some(removed) = self.quarantine.remove_folder(away, &item.path) {
                return match removed {
                    Ok(()) => self.went(item, stat, Outcome::Removed),
                    Err(outcome) => outcome,
                };
            }
            self.quarantine.make_way(&item.path);
        }
        let (folder, is_shared) = match self.checker.shared_parent(&item.path) {
            Ok(parent) => parent,
            Err(verdict) => return verdict,
        };
        let removed = if stat.kind == Kind::Folder {
            disk.remove_folder(folder, name)
        } else if is_shared {
            let (quarantine, from) = (self.quarantine, (folder, &item.path));
            match quarantine.remove(from, name, number as u64, stat) {
                Passed::Removed => Ok(()),
                Passed::Stays(verdict) => return verdict,
                Passed::Unavailable => disk.unlink(folder, name),
            }
        } else {
            disk.unlink(folder, name)
        };
        if let Err(error) = removed {
            return ItemOutcome::of_error(&error, "remove");
        }
        self.went(item, stat, Outcome::Removed)
    }

    /// Moves the folder of an item that is about to go into the quarantine, where the list takes all of it, others may
    /// change names in it and nobody uses it. The item is to be asked about again then; a verdict when something else
    /// was moved and can't go back.
    pub(crate) fn take_its_folder(
        &mut self,
        work: &Work,
        (item, at): (&ManifestItem, usize),
    ) -> Result<bool, ItemOutcome> {
        let (quarantine, disk) = (self.quarantine, self.checker.disk());
        let wanted = item.path.folder_bytes();
        if item.kind == EntryKind::Folder || self.stays_open.as_deref() == Some(wanted) {
            return Ok(false);
        }
        let (folder, is_shared) = self.checker.shared_parent(&item.path)?;
        // What is set aside was packed where it lay; of a folder whose own turn comes later something still is to be.
        let is_packed = || item.by != Removal::SetAside || work.has_folder(wanted);
        if !is_shared || !quarantine.goes_whole(wanted) || !is_packed() {
            return Ok(false);
        }
        let key = disk.stat_folder(folder).map(|stat| stat.key);
        let is_free = |key| self.checker.user_of(key).is_none();
        let path = item.path.parent().unwrap_or_default();
        let is_unused = key.is_ok_and(is_free)
            && work
                .in_one_folder(at)
                .all(|item| is_free(item.identity.key));
        let mut moved = Moved::Not;
        if is_unused {
            let number = (work.batch.first + at) as u64;
            let away = &self.checker.shared().away;
            let folder = self.checker.parent(&item.path)?;
            moved = quarantine.take_folder(away, (&path, folder), (number, work.batch.first));
        }
        match moved {
            Moved::Away => {
                self.checker.forget_folder();
                Ok(true)
            }
            Moved::Not => {
                self.stays_open = Some(wanted.to_vec());
                Ok(false)
            }
            Moved::Lies(outcome) => {
                self.checker.forget_folder();
                Err(outcome)
            }
        }
    }

    /// What became of an item whose name is gone, or another file's by now; what that freed.
    pub(crate) fn went(&self, item: &ManifestItem, stat: &Stat, outcome: Outcome) -> ItemOutcome {
        let is_file = stat.kind != Kind::Folder;
        if is_file && item.identity.links > 1 {
            self.checker.note_link(stat.key);
        }
        let is_last = is_file && stat.links <= 1;
        ItemOutcome {
            outcome,
            bytes: if is_last { stat.allocated } else { 0 },
            reason: None,
            is_as_listed: false,
        }
    }
}
