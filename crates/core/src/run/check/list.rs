//! Everything that is asked of the entries of one list right before they go.

use std::collections::HashMap;

use jolly_disk::Stat;

use crate::computer::{EntryKind, TargetPath};
use crate::plan::{FileIdentity, ItemOutcome, ListEntry, ManifestItem, StayReason, Tolerance};
use crate::run::check::{Checker, SeenItem};
use crate::source::Fingerprint;
use crate::source::holder::{self, Holder};

/// A list that was opened for its entries to go.
pub(crate) struct OpenList {
    path: TargetPath,
    /// What it was when it was read.
    pub(crate) stat: Stat,
    pub(crate) holder: Box<dyn Holder>,
    positions: HashMap<Fingerprint, usize>,
}

impl OpenList {
    /// The bytes of an entry in an open form, from which a restore makes it again.
    pub(crate) fn export(&self, entry: Fingerprint) -> Vec<u8> {
        let at = self.positions.get(&entry);
        at.map_or_else(Vec::new, |at| self.holder.export(*at))
    }

    /// Whether it is the list that an item is an entry of.
    pub(crate) fn is_of(&self, item: &ManifestItem) -> bool {
        item.entry.is_some() && *item.file() == self.path
    }
}

impl Checker<'_> {
    /// Opens the list of an entry, as it was shown.
    pub(crate) fn open_list(&mut self, item: &ManifestItem) -> Result<OpenList, ItemOutcome> {
        let Some(ListEntry { list, .. }) = item.entry else {
            return Err(ItemOutcome::stays(StayReason::NotWhatItsRuleLooksFor));
        };
        let path = item.file().into_owned();
        let disk = self.disk();
        let (stat, holder) = {
            let folder = self.parent(&path)?;
            // Something else may stand there by now, which is not to be opened.
            let seen = disk.stat(folder, path.as_name());
            let seen = seen.map_err(|error| ItemOutcome::of_error(&error, "look at"))?;
            is_as_shown(&item.identity, &seen)?;
            holder::read(disk, (folder, path.as_name()), list)
                .map_err(|error| ItemOutcome::stays(StayReason::ListStays(error.to_string())))?
        };
        is_as_shown(&item.identity, &stat)?;
        if let Some(program) = self.in_use.user_of(stat.key) {
            return Err(ItemOutcome::stays(StayReason::OpenIn(program.clone())));
        }
        let items = holder.items().iter().enumerate();
        let positions = items.map(|(at, item)| (item.fingerprint, at)).collect();
        Ok(OpenList {
            path,
            stat,
            holder,
            positions,
        })
    }

    /// Asks everything of one entry of an open list.
    pub(crate) fn check_entry(
        &mut self,
        item: &ManifestItem,
        list: &OpenList,
    ) -> Result<(), ItemOutcome> {
        is_as_shown(&item.identity, &list.stat)?;
        let at = item
            .entry
            .and_then(|entry| list.positions.get(&entry.entry));
        let entry = at.and_then(|at| list.holder.items().get(*at));
        let Some(entry) = entry.filter(|entry| entry.name == item.path.name()) else {
            return Err(ItemOutcome::stays(StayReason::NotWhatWasShown));
        };
        self.guard(&SeenItem {
            item,
            path: &list.path,
            name: list.path.as_name(),
            stat: &list.stat,
            is_read: false,
            entry: Some(entry),
        })
    }
}

fn is_as_shown(shown: &FileIdentity, seen: &Stat) -> Result<(), ItemOutcome> {
    if shown.matches(EntryKind::ListEntry, seen, Tolerance::Nothing) {
        Ok(())
    } else {
        Err(ItemOutcome::stays(StayReason::ListChanged))
    }
}
