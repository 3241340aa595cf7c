//! Everything that is asked of the entries of one list right before they go.

use std::collections::HashMap;
use std::sync::Arc;

use jolly_disk::Stat;

use crate::computer::{EntryKind, TargetPath};
use crate::plan::{FileIdentity, ItemOutcome, ListEntry, ManifestItem, StayReason, Tolerance};
use crate::rule::{Fit, RecordSet};
use crate::run::check::{Checker, SeenItem};
use crate::source::Fingerprint;
use crate::source::holder::{self, Holder, ReadHolder, Wanted, WrittenLog};

/// A list that was opened for its entries to go.
pub(crate) struct OpenList {
    path: TargetPath,
    /// What it was when it was read.
    pub(crate) stat: Stat,
    pub(crate) holder: Box<dyn Holder>,
    /// The write-ahead log beside a database.
    pub(crate) log: Option<WrittenLog>,
    positions: HashMap<Fingerprint, usize>,
}

impl OpenList {
    /// The bytes of an entry in an open form, from which a restore makes it again.
    pub(crate) fn export(&mut self, entry: Fingerprint) -> Result<Vec<u8>, StayReason> {
        let Some(at) = self.positions.get(&entry) else {
            return Err(StayReason::NotWhatWasShown);
        };
        let exported = self.holder.export(*at);
        exported.map_err(|error| StayReason::ListStays(error.to_string()))
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
        let sets = self.record_sets(&path);
        let wanted = Wanted::of(list, &sets);
        let shared = self.shared;
        let ReadHolder { stat, holder, log } = {
            let folder = self.parent(&path)?;
            // Something else may stand there by now, which is not to be opened.
            let seen = disk.stat(folder, path.as_name());
            let seen = seen.map_err(|error| ItemOutcome::of_error(&error, "look at"))?;
            is_as_shown(&item.identity, &seen)?;
            holder::read(
                shared.context.target,
                (folder, path.as_name()),
                wanted,
                shared.cancel(),
            )
            .map_err(|error| ItemOutcome::stays(StayReason::ListStays(error.to_string())))?
        };
        is_as_shown(&item.identity, &stat)?;
        let logs = log.as_ref().map(|log| log.stat.key);
        for key in [stat.key].into_iter().chain(logs) {
            if let Some(program) = self.in_use.user_of(key) {
                return Err(ItemOutcome::stays(StayReason::OpenIn(program.clone())));
            }
        }
        let items = holder.items().iter().enumerate();
        let positions = items.map(|(at, item)| (item.fingerprint, at)).collect();
        Ok(OpenList {
            path,
            stat,
            holder,
            log,
            positions,
        })
    }

    /// The rows that rules ask for of a database, in the order in which they own them.
    fn record_sets(&mut self, path: &TargetPath) -> Vec<Arc<RecordSet>> {
        let rules = self.shared.context.rules;
        let mut sets: Vec<Arc<RecordSet>> = Vec::new();
        for over in &self.near(path).searches {
            let rule = rules.rule(over.search.rule);
            let below = path.as_bytes().get(over.from..).unwrap_or_default();
            if let Some(set) = &rule.rule.records
                && rule.fit(below) == Fit::Takes
                && !sets.contains(set)
            {
                sets.push(Arc::clone(set));
            }
        }
        sets
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
