//! Everything that is asked of one item right before it goes.

mod listed;

use std::collections::HashMap;
use std::ffi::CStr;
use std::io;
use std::sync::{Arc, Mutex, PoisonError};

use jiff::Timestamp;
use jolly_disk::{Disk, FileKey, Folder, Stat};

use crate::cancel::CancelToken;
use crate::computer::{EntryKind, TargetPath, running};
use crate::decide::Thing;
use crate::host::{Holder, InUse};
use crate::pile::Scan;
use crate::plan::item_outcome::ItemOutcome;
use crate::plan::{ManifestItem, StayReason, Tolerance};
use crate::rule::{
    AgeBy, CompiledRule, Kept, LastGuard, Ownership, Removal, RuleNumber, Search, decide_owner,
};
use crate::run::RunContext;
use crate::run::check::listed::{Listed, SearchOver};
use crate::source::{Recogniser, time_of_itself};

/// How long a look at the open files of all programs counts, in milliseconds: it takes some ten
/// milliseconds on a desktop, as long as a small batch itself.
const FRESH_MS: u64 = 500;

/// The program that a rule waits for, for each account it looks for, if one runs.
type Busy = HashMap<(RuleNumber, Option<usize>), Option<Holder>>;

/// What all threads of one run share.
pub(crate) struct Shared<'a> {
    pub context: &'a RunContext<'a>,
    /// Who holds what, and when that was looked at.
    looked: Mutex<(Arc<InUse>, Option<Timestamp>)>,
    /// How many names of a file this run has removed, for files with several.
    own_links: Mutex<HashMap<FileKey, u32>>,
    pub(crate) recogniser: Recogniser<'a>,
    kept: Kept,
    /// The searches by their roots, each list in the order in which rules own things.
    by_root: HashMap<&'a [u8], Vec<usize>>,
    /// The device of each search's root, once it was asked for.
    devices: Mutex<HashMap<usize, Option<u64>>>,
    /// What goes whole or stays and can't go, and why.
    torn: Mutex<HashMap<Arc<TargetPath>, ItemOutcome>>,
    /// The program that each rule waits for, for each account it looks for; asked once a look.
    busy: Mutex<Busy>,
}

impl<'a> Shared<'a> {
    pub(crate) fn new(context: &'a RunContext<'a>, now: Timestamp, stop: &CancelToken) -> Self {
        let mut by_root: HashMap<&[u8], Vec<usize>> = HashMap::new();
        for (at, search) in context.searches.iter().enumerate() {
            by_root.entry(search.root.as_bytes()).or_default().push(at);
        }
        Self {
            context,
            looked: Mutex::default(),
            own_links: Mutex::default(),
            recogniser: Recogniser::new(context.target, now, stop),
            kept: Kept::of(context.target, context.own),
            by_root,
            devices: Mutex::default(),
            torn: Mutex::default(),
            busy: Mutex::default(),
        }
    }

    /// Begins a batch: looks again who holds what, unless that was just done.
    pub(crate) fn begin_batch(&self, now: Timestamp) {
        let is_fresh = lock(&self.looked).1.is_some_and(|looked| {
            now.as_millisecond().abs_diff(looked.as_millisecond()) < FRESH_MS
        });
        if !is_fresh {
            let in_use = Arc::new(InUse::read());
            *lock(&self.looked) = (in_use, Some(now));
            lock(&self.busy).clear();
        }
        self.recogniser.forget();
    }

    fn in_use(&self) -> Arc<InUse> {
        Arc::clone(&lock(&self.looked).0)
    }

    /// The searches that look in a folder or above it, on the same volume, in the order in which rules own
    /// things.
    fn searches_over(&self, folder: &[u8], device: Option<u64>) -> Vec<SearchOver<'a>> {
        let slashes = folder.iter().enumerate().filter(|(_, byte)| **byte == b'/');
        let ends = slashes.map(|(at, _)| at).chain([folder.len()]);
        let roots = std::iter::once(0).chain(ends.filter(|end| *end > 0));
        let mut over: Vec<usize> = roots
            .filter_map(|end| self.by_root.get(folder.get(..end)?))
            .flatten()
            .copied()
            .collect();
        over.sort_unstable();
        over.dedup();
        let search = |at: usize| {
            let search = self.context.searches.get(at)?;
            let root = search.root.as_bytes();
            let from = if root.is_empty() { 0 } else { root.len() + 1 };
            let below = folder.get(from..).unwrap_or_default();
            let rule = self.context.rules.rule(search.rule);
            let may_reach = below.is_empty() || rule.may_reach(below);
            (may_reach && self.device_of(at, search) == device).then(|| SearchOver {
                search,
                from,
                patterns: rule.fit_in_folder(below),
            })
        };
        over.into_iter().filter_map(search).collect()
    }

    /// The device of a search's root: what lies on another one below it is another volume, or a snapshot.
    fn device_of(&self, at: usize, search: &Search) -> Option<u64> {
        if let Some(known) = lock(&self.devices).get(&at) {
            return *known;
        }
        let (disk, root) = (self.context.target.disk(), self.context.target.root());
        let opened = disk.open_folder(root, search.root.as_bytes());
        let device = opened.and_then(|folder| disk.stat_folder(&folder));
        let device = device.ok().map(|stat| stat.key.device);
        lock(&self.devices).insert(at, device);
        device
    }

    /// Notes that a part of what goes whole or stays can't go.
    pub(crate) fn tear(&self, unit: &Arc<TargetPath>, verdict: &ItemOutcome) {
        let why = verdict.reason.clone();
        let why = why.unwrap_or(StayReason::WentByItself);
        let torn = ItemOutcome::stays(StayReason::PartStays(Box::new(why)));
        lock(&self.torn).entry(Arc::clone(unit)).or_insert(torn);
    }

    fn torn(&self, unit: &Arc<TargetPath>) -> Option<ItemOutcome> {
        lock(&self.torn).get(unit).cloned()
    }

    /// The program that runs and that a rule waits for.
    fn busy(&self, rule: &CompiledRule, search: &Search) -> Option<Holder> {
        let families = &rule.rule.busy;
        if families.is_empty() {
            return None;
        }
        let key = (search.rule, search.account);
        let in_use = self.in_use();
        let mut known = lock(&self.busy);
        let look = || {
            let target = self.context.target;
            let mut held = families
                .iter()
                .filter_map(|family| running(target, &in_use, search.account, family));
            held.next()
        };
        known.entry(key).or_insert_with(look).clone()
    }
}

fn lock<T>(shared: &Mutex<T>) -> std::sync::MutexGuard<'_, T> {
    shared.lock().unwrap_or_else(PoisonError::into_inner)
}

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
    id: Arc<str>,
    by: Removal,
    number: RuleNumber,
    /// Whether the rule lets things leave in that way.
    may_so: bool,
}

/// Checks items of one batch, for one thread.
pub(crate) struct Checker<'a> {
    shared: &'a Shared<'a>,
    in_use: Arc<InUse>,
    near: Option<ParentCache<'a>>,
    last_guard: LastGuard<'a>,
}

impl<'a> Checker<'a> {
    /// A folder opened for the batch before may have been swapped since, so each batch has its own.
    pub(crate) fn new(shared: &'a Shared<'a>) -> Self {
        let context = shared.context;
        Self {
            shared,
            in_use: shared.in_use(),
            near: None,
            last_guard: LastGuard::new(context.target, &shared.kept),
        }
    }

    pub(crate) fn disk(&self) -> &'a dyn Disk {
        &**self.shared.context.target.disk()
    }

    fn near(&mut self, path: &TargetPath) -> &mut ParentCache<'a> {
        let wanted = path.folder_bytes();
        if self.near.as_ref().is_some_and(|near| near.path != wanted) {
            self.near = None;
        }
        let (disk, root) = (self.disk(), self.shared.context.target.root());
        let shared = self.shared;
        self.near.get_or_insert_with(|| {
            let opened = disk.open_folder(root, wanted);
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

    /// Asks everything; the fresh look when the item may go.
    ///
    /// # Safety argument
    /// The look goes through the open parent that the removal will go through, compares identity,
    /// and only then come guards and holders. Where others may change names in that parent, what leaves
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
        let stat = {
            let folder = self.parent(&item.path)?;
            disk.stat(folder, name)
                .map_err(|error| ItemOutcome::of_error(&error, "look at"))?
        };
        if !item
            .identity
            .matches(item.kind, &stat, Tolerance::OwnNames(own_links))
        {
            return Err(ItemOutcome::stays(StayReason::NotWhatWasShown));
        }
        self.guard(item, name, (&stat, is_read))?;
        if let Some(holder) = self.in_use.holder(stat.key) {
            return Err(ItemOutcome::stays(StayReason::OpenIn(holder.clone())));
        }
        Ok(stat)
    }

    /// How many other names of the item's file this run has removed.
    fn own_links(&self, item: &ManifestItem) -> u32 {
        if item.identity.links <= 1 {
            return 0;
        }
        let known = lock(&self.shared.own_links);
        known.get(&item.identity.key).copied().unwrap_or(0)
    }

    /// The guards' second look, and the rule's: the path must still be the named rule's, and no younger than
    /// it was.
    fn guard(
        &mut self,
        item: &ManifestItem,
        name: &CStr,
        (stat, is_read): (&Stat, bool),
    ) -> Result<(), ItemOutcome> {
        let refuse = |reason: StayReason| Err(ItemOutcome::stays(reason));
        let shared = self.shared;
        self.near(&item.path);
        let Some(near) = &mut self.near else {
            return refuse(StayReason::RuleLooksElsewhere);
        };
        let is_known = |ruled: &Ruled| Arc::ptr_eq(&ruled.id, &item.rule) && ruled.by == item.by;
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
            item,
            name,
            stat,
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
        self.asked_again(item, rule, search, (stat, is_read))?;
        if let Some(holder) = shared.busy(rule, search) {
            return refuse(StayReason::WaitsFor(holder));
        }
        Ok(())
    }

    /// What may have been said or have become since the list was made: an exclusion, a younger age, and
    /// whether the unit is the one that the list names.
    fn asked_again(
        &self,
        item: &ManifestItem,
        rule: &CompiledRule,
        search: &Search,
        (stat, is_read): (&Stat, bool),
    ) -> Result<(), ItemOutcome> {
        let shared = self.shared;
        let changed = |reason: StayReason| Err(ItemOutcome::stays(reason));
        if shared.context.rules_off.contains(&search.rule) {
            return changed(StayReason::RuleTurnedOff);
        }
        let is_thing = item.kind != EntryKind::Folder;
        let thing = Thing {
            path: &item.path,
            rule: &rule.id,
            account: item.account.as_deref(),
            size: is_thing.then_some(stat.size),
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
        // What a run itself does to a file with several names moves its last change.
        let is_as_it_was = self.own_links(item) == 0 && rule.rule.age.by != AgeBy::Trashed;
        let time = || match rule.rule.age.by {
            AgeBy::Touched if is_read => {
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
        let folder = path.parent().unwrap_or_default();
        let looked = disk
            .open_folder(self.shared.context.target.root(), folder.as_bytes())
            .and_then(|folder| disk.stat(&folder, path.as_name()));
        // What can't be looked at counts as still there.
        !matches!(looked, Err(error) if error.kind() == io::ErrorKind::NotFound)
    }

    /// Remembers that a name of a file with several was removed.
    pub(crate) fn note_link(&self, key: FileKey) {
        *lock(&self.shared.own_links).entry(key).or_default() += 1;
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
            id: Arc::clone(&item.rule),
            by: item.by,
            number,
            may_so: is_allowed,
        })
    }
}
