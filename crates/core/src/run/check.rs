//! Everything that is asked of one item right before it goes.

pub(crate) mod away;
pub(crate) mod list;
mod listed;
pub(crate) mod point;
mod shared;
pub(crate) mod twin;

use std::ffi::CStr;
use std::io;
use std::sync::Arc;

use jolly_disk::{Disk, FileKey, Folder, Stat};

use crate::computer::{EntryKind, TargetPath};
use crate::decide::Thing;
use crate::host::{InUse, RunningProgram};
use crate::pile::Scan;
use crate::plan::item_outcome::ItemOutcome;
use crate::plan::{ManifestItem, StayReason, Tolerance};
use crate::rule::{
    AgeBy, CompiledRule, LastGuard, Ownership, Removal, RuleId, RuleNumber, Search, Survey,
    decide_owner,
};
use crate::run::RunContext;
use crate::run::check::listed::{Listed, SearchOver};
pub(crate) use crate::run::check::shared::Shared;
use crate::source::{HolderItem, time_of_itself};

/// The folder that items are removed through, kept while items of one folder follow each other.
struct ParentCache<'a> {
    path: Vec<u8>,
    opened: Result<Folder, ItemOutcome>,
    /// Whether others may change names in it; asked when something leaves it.
    is_shared: Option<bool>,
    /// The searches that look in it, in the order in which rules own things.
    searches: Vec<SearchOver<'a>>,
    /// What was found of the rule that the last item named.
    ruled: Option<Ruled>,
}

/// The rule that an item names.
struct Ruled {
    id: RuleId,
    by: Removal,
    number: RuleNumber,
    /// Whether the rule lets things leave in that way.
    may_so: bool,
}

/// An item and what a look has shown of it.
pub(crate) struct SeenItem<'c> {
    pub(crate) item: &'c ManifestItem,
    /// Where it lies: of an entry, its list.
    pub(crate) path: &'c TargetPath,
    pub(crate) name: &'c CStr,
    pub(crate) stat: &'c Stat,
    /// Whether we have read it meanwhile, so that its last access is ours.
    pub(crate) is_read: bool,
    /// The entry as its list has it.
    pub(crate) entry: Option<&'c HolderItem>,
}

/// Checks items of one batch, for one thread.
pub(crate) struct Checker<'a> {
    shared: &'a Shared<'a>,
    /// The batch that it is for, when what it checks is about to go.
    batch: Option<usize>,
    in_use: Arc<InUse>,
    near: Option<ParentCache<'a>>,
    last_guard: LastGuard<'a>,
}

impl<'a> Checker<'a> {
    /// A folder opened for the batch before may have been swapped since, so each batch has its own.
    pub(crate) fn new(shared: &'a Shared<'a>, batch: Option<usize>) -> Self {
        let disk = &**shared.context.target.disk();
        let open = Box::new(|path: &[u8]| shared.open_folder(path, None));
        Self {
            shared,
            batch,
            in_use: shared.in_use(),
            near: None,
            last_guard: LastGuard::new(disk, &shared.kept, open),
        }
    }

    pub(crate) fn shared(&self) -> &'a Shared<'a> {
        self.shared
    }

    pub(crate) fn disk(&self) -> &'a dyn Disk {
        &**self.shared.context.target.disk()
    }

    fn near(&mut self, path: &TargetPath) -> &mut ParentCache<'a> {
        let wanted = path.folder_bytes();
        if self.near.as_ref().is_some_and(|near| near.path != wanted) {
            self.near = None;
        }
        let (disk, shared, batch) = (self.disk(), self.shared, self.batch);
        self.near.get_or_insert_with(|| {
            let opened = shared.open_folder(wanted, batch);
            let stat = opened
                .as_ref()
                .ok()
                .and_then(|folder| disk.stat_folder(folder).ok());
            let device = stat.map(|stat| stat.key.device);
            ParentCache {
                path: wanted.to_vec(),
                opened: opened.map_err(|error| ItemOutcome::of_error(&error, "open the folder of")),
                is_shared: None,
                searches: shared.searches_over(wanted, device),
                ruled: None,
            }
        })
    }

    /// The open folder that holds a path.
    pub(crate) fn parent(&mut self, path: &TargetPath) -> Result<&Folder, ItemOutcome> {
        self.near(path).opened.as_ref().map_err(Clone::clone)
    }

    /// The open folder that holds a path, and whether others may change names in it.
    pub(crate) fn shared_parent(
        &mut self,
        path: &TargetPath,
    ) -> Result<(&Folder, bool), ItemOutcome> {
        let disk = self.disk();
        let near = self.near(path);
        let folder = near.opened.as_ref().map_err(Clone::clone)?;
        let ask = || disk.others_may_change(folder);
        Ok((folder, *near.is_shared.get_or_insert_with(ask)))
    }

    /// Has the folder that was opened last opened anew.
    pub(crate) fn forget_folder(&mut self) {
        self.near = None;
    }

    /// Who holds a file or folder, if anybody is seen to.
    pub(crate) fn user_of(&self, key: FileKey) -> Option<&RunningProgram> {
        self.in_use.user_of(key)
    }

    /// Asks everything; the fresh look when the item may go.
    ///
    /// # Safety argument
    /// The look goes through the open parent that the removal will go through, compares identity,
    /// and only then come guards and users. Where others may change names in that parent, what leaves
    /// it is looked at once more ([`crate::run::workers::quarantine`]).
    pub(crate) fn check(&mut self, item: &ManifestItem, name: &CStr) -> Result<Stat, ItemOutcome> {
        // To store it, we read it ourselves.
        let is_read = item.by == Removal::SetAside;
        let stat = self.check_unit(item, name, is_read)?;
        if let Some(after) = &item.after
            && self.exists(after)
        {
            return Err(ItemOutcome::stays(StayReason::DescribesWhatIsThere));
        }
        Ok(stat)
    }

    /// Asks everything but whether what must go before it has gone: bytes may be stored earlier.
    pub(crate) fn check_for_storing(
        &mut self,
        item: &ManifestItem,
        name: &CStr,
    ) -> Result<Stat, ItemOutcome> {
        self.check_unit(item, name, false)
    }

    /// The same; `is_read` says that we have read it meanwhile, so that its last access is ours.
    fn check_unit(
        &mut self,
        item: &ManifestItem,
        name: &CStr,
        is_read: bool,
    ) -> Result<Stat, ItemOutcome> {
        let checked = self.check_part(item, name, is_read);
        if let (Err(verdict), Some(unit)) = (&checked, &item.unit) {
            self.shared.tear(unit, verdict);
        }
        checked
    }

    fn check_part(
        &mut self,
        item: &ManifestItem,
        name: &CStr,
        is_read: bool,
    ) -> Result<Stat, ItemOutcome> {
        if let Some(verdict) = item.unit.as_ref().and_then(|unit| self.shared.torn(unit)) {
            return Err(verdict);
        }
        let disk = self.disk();
        let own_links = self.own_links(item);
        let away = (item.kind == EntryKind::Folder)
            .then(|| self.shared.away.stat(disk, item.path.as_bytes()))
            .flatten();
        let looked = match away {
            Some(looked) => looked,
            None => disk.stat(self.parent(&item.path)?, name),
        };
        let stat = looked.map_err(|error| ItemOutcome::of_error(&error, "look at"))?;
        if !item
            .identity
            .matches(item.kind, &stat, Tolerance::OwnNames(own_links))
        {
            return Err(ItemOutcome::stays(StayReason::NotWhatWasShown));
        }
        self.guard(&SeenItem {
            item,
            path: &item.path,
            name,
            stat: &stat,
            is_read,
            entry: None,
        })?;
        if let Some(program) = self.in_use.user_of(stat.key) {
            return Err(ItemOutcome::stays(StayReason::OpenIn(program.clone())));
        }
        Ok(stat)
    }

    /// How many other names of the item's file this run has removed.
    fn own_links(&self, item: &ManifestItem) -> u32 {
        if item.identity.links <= 1 {
            return 0;
        }
        self.shared.own_links(item.identity.key)
    }

    /// The guards' second look, and the rule's: the path must still be the named rule's, and no younger than
    /// it was.
    fn guard(&mut self, seen: &SeenItem<'_>) -> Result<(), ItemOutcome> {
        let refuse = |reason: StayReason| Err(ItemOutcome::stays(reason));
        let (shared, item) = (self.shared, seen.item);
        self.near(seen.path);
        let Some(near) = &mut self.near else {
            return refuse(StayReason::RuleLooksElsewhere);
        };
        let is_known = |ruled: &Ruled| ruled.id.is_same(&item.rule) && ruled.by == item.by;
        if !near.ruled.as_ref().is_some_and(is_known) {
            near.ruled = Some(Ruled::new(shared.context, item)?);
        }
        let Some(Ruled { number, may_so, .. }) = near.ruled else {
            return refuse(StayReason::RuleNotInForce);
        };
        if !may_so {
            return refuse(StayReason::WayNotAllowed);
        }
        let folder = near.opened.as_ref().map_err(Clone::clone)?;
        let mut listed = Listed {
            shared,
            last_guard: &mut self.last_guard,
            searches: &near.searches,
            folder,
            number,
            seen,
            guarded: None,
            is_other: false,
        };
        let owned = decide_owner(0..listed.searches.len(), &mut listed);
        let search = match owned {
            Ownership::Owned(at) => listed.searches.get(at).map(|over| over.search),
            Ownership::Guarded(..)
            | Ownership::Unseen(..)
            | Ownership::Spared(_)
            | Ownership::Nobodys => None,
        };
        let Some(search) = search else {
            return refuse(match listed.guarded {
                Some(why) => StayReason::Guarded(why),
                None if listed.is_other => StayReason::NotWhatItsRuleLooksFor,
                None => StayReason::RuleLooksElsewhere,
            });
        };
        if search.rule != number {
            return refuse(StayReason::OtherRulesOwn);
        }
        let rule = shared.context.rules.rule(number);
        // Whoever may take entries may not take their list, nor the other way round.
        let list = seen.entry.and(item.entry).map(|entry| entry.list);
        if rule.rule.entries != list {
            return refuse(StayReason::NotWhatItsRuleLooksFor);
        }
        self.asked_again(seen, rule, search)?;
        if rule.rule.survey.is_some_and(Survey::has_twins) {
            self.other_stays(seen, search)?;
        }
        if let Some(program) = shared.busy(rule, search) {
            return refuse(StayReason::WaitsFor(program));
        }
        Ok(())
    }

    /// What may have been said or have become since the list was made: an exclusion, a younger age, and
    /// whether the unit is the one that the list names.
    fn asked_again(
        &self,
        seen: &SeenItem<'_>,
        rule: &CompiledRule,
        search: &Search,
    ) -> Result<(), ItemOutcome> {
        let shared = self.shared;
        let SeenItem { item, stat, .. } = *seen;
        let changed = |reason: StayReason| Err(ItemOutcome::stays(reason));
        if shared.context.rules_off.contains(&search.rule) {
            return changed(StayReason::RuleTurnedOff);
        }
        let is_thing = item.kind != EntryKind::Folder;
        let thing = Thing {
            path: &item.path,
            rule: &rule.id,
            account: item.account.as_deref(),
            size: match seen.entry {
                Some(entry) => Some(entry.size),
                None => is_thing.then_some(stat.size),
            },
            age: Scan::age_of(item.time, shared.recogniser.now()),
        };
        if let Some(why) = shared
            .context
            .excluded
            .iter()
            .find_map(|one| one.spares(&thing))
        {
            return changed(StayReason::Excluded(why.to_string()));
        }
        if !is_thing {
            return Ok(());
        }
        let is_of_listed_unit = || {
            let folder = item.path.parent().unwrap_or_default();
            shared.recogniser.unit(&rule.rule, search, &folder).as_ref() == item.unit.as_deref()
        };
        if rule.rule.takes_units() && !is_of_listed_unit() {
            return Err(ItemOutcome::stays(StayReason::UnitListedInPart));
        }
        if let Some(entry) = seen.entry {
            let is_younger = entry.time.is_none_or(|time| time > item.time);
            return if is_younger {
                changed(StayReason::Younger)
            } else {
                Ok(())
            };
        }
        // What a run itself does to a file with several names moves its last change.
        let is_as_it_was = self.own_links(item) == 0 && rule.rule.age.by != AgeBy::Trashed;
        let time = || match rule.rule.age.by {
            AgeBy::Touched if seen.is_read => {
                let dates = shared.context.target.dates;
                Some(time_of_itself(AgeBy::Arrived, dates, stat))
            }
            _ => shared.recogniser.time(&rule.rule, search, &item.path, stat),
        };
        let time = is_as_it_was.then(time).flatten();
        if time.is_some_and(|time| time > item.time) {
            return changed(StayReason::Younger);
        }
        Ok(())
    }

    fn exists(&self, path: &TargetPath) -> bool {
        let disk = self.disk();
        let looked = (self.shared)
            .open_folder(path.folder_bytes(), None)
            .and_then(|folder| disk.stat(&folder, path.as_name()));
        // What can't be looked at counts as still there.
        !matches!(looked, Err(error) if error.kind() == io::ErrorKind::NotFound)
    }

    /// Remembers that a name of a file with several was removed.
    pub(crate) fn note_link(&self, key: FileKey) {
        self.shared.note_link(key);
    }
}

impl Ruled {
    /// What the rule that an item names may do.
    fn new(context: &RunContext<'_>, item: &ManifestItem) -> Result<Self, ItemOutcome> {
        let Some(number) = context.rules.by_id(&item.rule) else {
            return Err(ItemOutcome::stays(StayReason::RuleNotInForce));
        };
        let is_allowed = context.rules.rule(number).rule.ways().contains(&item.by);
        Ok(Self {
            id: item.rule.clone(),
            by: item.by,
            number,
            may_so: is_allowed,
        })
    }
}
