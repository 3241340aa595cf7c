//! The removal of entries: their list is made anew without them.

use std::collections::HashSet;

use crate::dustpan::{ReplaceError, Replaced, replace, settle_log};
use crate::host::InUse;
use crate::plan::{
    FileIdentity, ItemOutcome, ManifestItem, Moment, Outcome, StayReason, Tolerance,
};
use crate::rule::{ListFormat, Removal};
use crate::run::check::list::OpenList;
use crate::run::pipeline::packer::Kept;
use crate::run::workers::batch::Work;
use crate::run::workers::remove::Remover;
use crate::source::Fingerprint;
use crate::state::RunId;

impl Remover<'_, '_> {
    /// Removes what may go of the entries of one list at these positions of a batch, all at once; what became of each.
    ///
    /// # Safety argument
    /// The list is what was shown, byte for byte as far as a file's identity tells, and each entry is asked about once
    /// more. The new list is read again before it is used, and takes the place of the old one in one step
    /// ([`replace`]): all of them go, or none does.
    pub(crate) fn remove_entries(
        &mut self,
        work: &Work,
        positions: &[usize],
    ) -> Vec<(usize, ItemOutcome)> {
        let items = positions.iter().map(|at| (*at, work.batch.items.get(*at)));
        let items: Vec<(usize, &ManifestItem)> =
            items.filter_map(|(at, item)| Some((at, item?))).collect();
        let Some((first, item)) = items.first() else {
            return Vec::new();
        };
        if item.is_point() {
            return self.remove_points(&items);
        }
        let mut list = match self.checker.open_list(item) {
            Ok(list) => list,
            Err(outcome) => {
                let all = items.iter().map(|(at, _)| (*at, outcome.clone()));
                return all.collect();
            }
        };
        let mut outcomes = Vec::with_capacity(items.len());
        let mut going: Vec<(usize, &ManifestItem)> = Vec::new();
        for (at, item) in &items {
            match self.may_go(work, (*at, item), &list) {
                Ok(()) => going.push((*at, item)),
                Err(outcome) => outcomes.push((*at, outcome)),
            }
        }
        if going.is_empty() {
            return outcomes;
        }
        let entries = going.iter().filter_map(|(_, item)| item.entry);
        let gone: HashSet<Fingerprint> = entries.map(|entry| entry.entry).collect();
        let number = work.batch.first + first;
        match self.make_anew(item, &mut list, &gone, (self.run, number)) {
            Err(reason) => {
                let stays = |(at, _): &(usize, _)| (*at, ItemOutcome::stays(reason.clone()));
                outcomes.extend(going.iter().map(stays));
            }
            Ok(freed) => {
                if let Some(freed) = freed {
                    let promised = going.iter().map(|(_, item)| item.bytes).sum();
                    self.checker.shared().note_compacted(freed, promised);
                }
                outcomes.extend(going.iter().map(|(at, item)| (*at, went(item))));
            }
        }
        outcomes
    }

    fn may_go(
        &mut self,
        work: &Work,
        (at, item): (usize, &ManifestItem),
        list: &OpenList,
    ) -> Result<(), ItemOutcome> {
        let stored = match work.stored.get(&at) {
            Some(Err(outcome)) => return Err(outcome.clone()),
            Some(Ok(kept)) => Some(kept),
            None => None,
        };
        match (item.by, stored) {
            // Its bytes are no file of its own.
            (
                Removal::Overwrite
                | Removal::Clone
                | Removal::HardLink
                | Removal::Pack
                | Removal::Unpack,
                _,
            ) => {
                return Err(ItemOutcome::stays(StayReason::WayNotAllowed));
            }
            (Removal::SetAside, None | Some(Kept::Copies)) => {
                return Err(ItemOutcome::stays(StayReason::NeverStored));
            }
            // These go only once the copies are safe that are made first.
            (Removal::Remove, None) if item.needs_copies() => {
                return Err(ItemOutcome::stays(StayReason::NeverStored));
            }
            (Removal::Remove, _) => {}
            (Removal::SetAside, Some(Kept::Item(stored, _))) => {
                if !FileIdentity::of(stored).is_same(&list.stat, Tolerance::Nothing) {
                    return Err(ItemOutcome::stays(StayReason::ChangedWhileStored));
                }
            }
        }
        self.checker.check_entry(item, list)
    }

    /// Makes the holder anew; what that has given back, where it is more than an estimate.
    fn make_anew(
        &mut self,
        item: &ManifestItem,
        list: &mut OpenList,
        gone: &HashSet<Fingerprint>,
        of: (&RunId, usize),
    ) -> Result<Option<u64>, StayReason> {
        let stays = |why: &dyn std::fmt::Display| StayReason::ListStays(why.to_string());
        list.holder
            .changes_at(self.checker.shared().recogniser.now());
        let bytes = (list.holder.without(gone)).map_err(|error| stays(&error))?;
        let (disk, shared) = (self.checker.disk(), self.checker.shared());
        let path = item.file();
        let folder = self.checker.parent(&path).map_err(|outcome| {
            let reason = outcome.reason;
            reason.unwrap_or(StayReason::WentByItself)
        })?;
        let refuse = |error: ReplaceError| match error {
            ReplaceError::Disk(error) => StayReason::of_error(&error, "make anew the list of"),
            ReplaceError::Changed => StayReason::Replaced(Moment::AtTheEnd),
            ReplaceError::Displaced(name) => StayReason::LiesElsewhere {
                because: Box::new(StayReason::Replaced(Moment::AtTheEnd)),
                place: format!("beside it in {name}"),
            },
            ReplaceError::Refused(reason) => reason,
            ReplaceError::Metadata { .. } | ReplaceError::NoExchange => stays(&error),
        };
        let is_database = (item.entry).is_some_and(|entry| entry.list == ListFormat::Rows);
        if is_database {
            // To make it anew may have taken long, and a browser starts in no time.
            let logs = list.log.as_ref().map(|log| log.stat.key);
            let in_use = InUse::read();
            let mut keys = [list.stat.key].into_iter().chain(logs);
            if let Some(program) = keys.find_map(|key| in_use.user_of(key)) {
                return Err(StayReason::OpenIn(program.clone()));
            }
            if let Some(program) = shared.waits_for(item, &in_use) {
                return Err(StayReason::WaitsFor(program));
            }
        }
        let mut seen = list.stat;
        let is_live = shared.context.target.is_live;
        let replaced = |seen| Replaced {
            disk,
            folder,
            name: path.as_name(),
            seen,
            is_live,
        };
        let mut held = seen.allocated;
        if let Some(log) = &list.log {
            held = held.saturating_add(log.stat.allocated);
            seen = settle_log(&replaced(&list.stat), log, of).map_err(refuse)?;
        }
        replace(&replaced(&seen), &bytes, of).map_err(refuse)?;
        let now = disk.stat(folder, path.as_name()).ok();
        let freed = now.map(|now| held.saturating_sub(now.allocated));
        Ok(freed.filter(|_| is_database))
    }
}

/// What became of an entry that went. What it frees is an estimate: the list holds whole blocks.
fn went(item: &ManifestItem) -> ItemOutcome {
    ItemOutcome {
        outcome: Outcome::of(item.by),
        bytes: item.bytes,
        reason: None,
        is_as_listed: true,
    }
}
