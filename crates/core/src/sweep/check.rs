//! Everything that is asked of one item right before it goes.

use std::borrow::Cow;
use std::collections::HashMap;
use std::ffi::CStr;
use std::io;
use std::sync::{Arc, Mutex, PoisonError};

use jiff::Timestamp;
use jolly_disk::{Disk, FileKey, Folder, Stat};

use crate::decide::{EntryKind, ManifestItem};
use crate::recognise::{Candidate, Finding, Recogniser};
use crate::rulebook::{CompiledRule, Fit, Removal, RuleNumber, Search};
use crate::sweep::last_guard::LastGuard;
use crate::sweep::{Ground, Outcome};
use crate::target::{Holder, InUse, TargetPath, running};

/// Why an item stays, or what became of it.
#[derive(Clone, Debug, PartialEq, Eq)]
pub(super) struct Verdict {
    pub outcome: Outcome,
    pub bytes: u64,
    pub reason: Cow<'static, str>,
    /// Whether the bytes are known to be those that the list says; a log needn't say them again then.
    pub is_as_listed: bool,
}

impl Verdict {
    pub(super) fn stays(outcome: Outcome, reason: impl Into<Cow<'static, str>>) -> Self {
        Self {
            outcome,
            bytes: 0,
            reason: reason.into(),
            is_as_listed: false,
        }
    }

    /// What the kernel's refusal means for an item.
    pub(super) fn of_error(error: &io::Error, verb: &str) -> Self {
        let (outcome, reason) = match error.kind() {
            io::ErrorKind::NotFound => (Outcome::Gone, Cow::Borrowed("it went by itself")),
            io::ErrorKind::PermissionDenied => (
                Outcome::Denied,
                format!("the system doesn't let us {verb} it").into(),
            ),
            io::ErrorKind::ReadOnlyFilesystem => {
                (Outcome::Denied, "the volume is read-only".into())
            }
            io::ErrorKind::ResourceBusy | io::ErrorKind::ExecutableFileBusy => {
                (Outcome::InUse, "the system holds it".into())
            }
            io::ErrorKind::DirectoryNotEmpty => (Outcome::Refused, NOT_EMPTY.into()),
            io::ErrorKind::NotADirectory
            | io::ErrorKind::IsADirectory
            | io::ErrorKind::CrossesDevices => {
                (Outcome::Changed, "something else took its place".into())
            }
            _ if error.raw_os_error() == Some(40) => (
                Outcome::Changed,
                "a link took the place of a folder on its way".into(),
            ),
            _ => (Outcome::Failed, format!("cannot {verb} it: {error}").into()),
        };
        Self::stays(outcome, reason)
    }
}

/// Why a folder stays that holds something.
pub(super) const NOT_EMPTY: &str = "something that stays is in it";

/// How long a look at the open files of all programs counts, in milliseconds: it takes some ten
/// milliseconds on a desktop, as long as a small batch itself.
const FRESH_MS: u64 = 500;

/// The program that a rule waits for, for each account it looks for, if one runs.
type Busy = HashMap<(RuleNumber, Option<usize>), Option<Holder>>;

/// What all threads of one run share.
pub(super) struct Shared<'a> {
    pub ground: &'a Ground<'a>,
    /// Who holds what, and when that was looked at.
    looked: Mutex<(Arc<InUse>, Option<Timestamp>)>,
    /// How many names of a file this run has removed, for files with several.
    own_links: Mutex<HashMap<FileKey, u32>>,
    recogniser: Recogniser<'a>,
    /// The program that each rule waits for, for each account it looks for; asked once a look.
    busy: Mutex<Busy>,
}

impl<'a> Shared<'a> {
    pub(super) fn new(ground: &'a Ground<'a>, now: Timestamp) -> Self {
        Self {
            ground,
            looked: Mutex::default(),
            own_links: Mutex::default(),
            recogniser: Recogniser::new(ground.target, now),
            busy: Mutex::default(),
        }
    }

    /// Begins a batch: looks again who holds what, unless that was just done.
    pub(super) fn begin_batch(&self, now: Timestamp) {
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
            let target = self.ground.target;
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
struct Near<'a> {
    path: Vec<u8>,
    opened: Result<Folder, Verdict>,
    /// Whether others may change names in it; asked when something leaves it.
    is_shared: Option<bool>,
    /// What was found of the rule that the last item named.
    ruled: Option<Ruled<'a>>,
}

/// A rule, and where it looks in one folder.
struct Ruled<'a> {
    id: Arc<str>,
    by: Removal,
    rule: &'a CompiledRule,
    /// Each search that the folder lies in, with where the path below its root begins.
    searches: Vec<(&'a Search, usize)>,
    /// Why the rule may not do that at all.
    refused: Option<&'static str>,
}

/// Checks items of one batch, for one thread.
pub(super) struct Checker<'a> {
    shared: &'a Shared<'a>,
    in_use: Arc<InUse>,
    near: Option<Near<'a>>,
    last_guard: LastGuard<'a>,
}

impl<'a> Checker<'a> {
    /// A folder opened for the batch before may have been swapped since, so each batch has its own.
    pub(super) fn new(shared: &'a Shared<'a>) -> Self {
        let ground = shared.ground;
        Self {
            shared,
            in_use: shared.in_use(),
            near: None,
            last_guard: LastGuard::new(ground.target, ground.own),
        }
    }

    pub(super) fn disk(&self) -> &'a dyn Disk {
        &**self.shared.ground.target.disk()
    }

    fn near(&mut self, path: &TargetPath) -> &mut Near<'a> {
        let wanted = path.folder_bytes();
        if self.near.as_ref().is_some_and(|near| near.path != wanted) {
            self.near = None;
        }
        let (disk, root) = (self.disk(), self.shared.ground.target.root());
        self.near.get_or_insert_with(|| Near {
            path: wanted.to_vec(),
            opened: disk
                .open_folder(root, wanted)
                .map_err(|error| Verdict::of_error(&error, "open the folder of")),
            is_shared: None,
            ruled: None,
        })
    }

    /// The open folder that holds a path.
    pub(super) fn parent(&mut self, path: &TargetPath) -> Result<&Folder, Verdict> {
        self.near(path).opened.as_ref().map_err(Clone::clone)
    }

    /// The open folder that holds a path, and whether others may change names in it.
    pub(super) fn shared_parent(&mut self, path: &TargetPath) -> Result<(&Folder, bool), Verdict> {
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
    /// it is looked at once more ([`crate::sweep::airlock`]).
    pub(super) fn check(&mut self, item: &ManifestItem, name: &CStr) -> Result<Stat, Verdict> {
        let stat = self.check_for_storing(item, name)?;
        if let Some(after) = &item.after
            && self.exists(after)
        {
            let reason = "what it describes is still there";
            return Err(Verdict::stays(Outcome::Refused, reason));
        }
        Ok(stat)
    }

    /// Asks everything but whether what must go before it has gone: bytes may be stored earlier.
    pub(super) fn check_for_storing(
        &mut self,
        item: &ManifestItem,
        name: &CStr,
    ) -> Result<Stat, Verdict> {
        let disk = self.disk();
        let own_links = self.own_links(item);
        let stat = {
            let folder = self.parent(&item.path)?;
            disk.stat(folder, name)
                .map_err(|error| Verdict::of_error(&error, "look at"))?
        };
        if !item.identity.holds(item.kind, &stat, own_links) {
            return Err(Verdict::stays(
                Outcome::Changed,
                "it is no longer what was shown",
            ));
        }
        self.guard(item, name, &stat)?;
        if let Some(holder) = self.in_use.holder(stat.key) {
            return Err(Verdict::stays(Outcome::InUse, format!("open in {holder}")));
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

    /// The guards' second look, and the rule's: the path must still be the named rule's.
    fn guard(&mut self, item: &ManifestItem, name: &CStr, stat: &Stat) -> Result<(), Verdict> {
        let refuse = |reason: &'static str| Err(Verdict::stays(Outcome::Refused, reason));
        let shared = self.shared;
        let near = self.near(&item.path);
        let is_known =
            |ruled: &Ruled<'_>| Arc::ptr_eq(&ruled.id, &item.rule) && ruled.by == item.by;
        if !near.ruled.as_ref().is_some_and(is_known) {
            near.ruled = Some(Ruled::new(shared.ground, item)?);
        }
        let Some(ruled) = &near.ruled else {
            return refuse("its rule is not in force");
        };
        if let Some(reason) = ruled.refused {
            return refuse(reason);
        }
        let rule = ruled.rule;
        let found = ruled.searches.iter().find(|(_, from)| {
            let below = item.path.as_bytes().get(*from..).unwrap_or_default();
            match item.kind {
                EntryKind::Folder => rule.may_empty(below),
                EntryKind::File | EntryKind::Link => rule.fit(below) == Fit::Takes,
            }
        });
        let Some((search, _)) = found.copied() else {
            return refuse("its rule doesn't look there");
        };
        if let Some(reason) = self.last_guard.refusal(&rule.rule, &item.path) {
            return refuse(reason);
        }
        if let Some(holder) = shared.busy(rule, search) {
            let reason = format!("it waits for {holder}");
            return Err(Verdict::stays(Outcome::InUse, reason));
        }
        self.recognise((item, name), stat, rule, search)
    }

    /// What no pattern can say is asked once more, too.
    fn recognise(
        &mut self,
        (item, name): (&ManifestItem, &CStr),
        stat: &Stat,
        rule: &CompiledRule,
        search: &Search,
    ) -> Result<(), Verdict> {
        let asked = rule.rule.detect.filter(|detect| detect.looks_inside());
        let Some(detect) = asked.filter(|_| item.kind != EntryKind::Folder) else {
            return Ok(());
        };
        let shared = self.shared;
        let candidate = Candidate {
            search,
            path: &item.path,
            folder: self.parent(&item.path)?,
            name,
            kind: stat.kind,
        };
        match shared.recogniser.look(&rule.rule, detect, &candidate) {
            Finding::Is(_) => Ok(()),
            Finding::Not | Finding::Unclear(_) => Err(Verdict::stays(
                Outcome::Changed,
                "it is no longer what its rule looks for",
            )),
        }
    }

    fn exists(&self, path: &TargetPath) -> bool {
        let disk = self.disk();
        let folder = path.parent().unwrap_or_default();
        let looked = disk
            .open_folder(self.shared.ground.target.root(), folder.as_bytes())
            .and_then(|folder| disk.stat(&folder, path.as_name()));
        // What can't be looked at counts as still there.
        !matches!(looked, Err(error) if error.kind() == io::ErrorKind::NotFound)
    }

    /// Remembers that a name of a file with several was removed.
    pub(super) fn note_link(&self, key: FileKey) {
        *lock(&self.shared.own_links).entry(key).or_default() += 1;
    }
}

impl<'a> Ruled<'a> {
    /// What the rule that an item names says of its folder.
    fn new(ground: &'a Ground<'a>, item: &ManifestItem) -> Result<Self, Verdict> {
        let Some(number) = ground.rules.by_id(&item.rule) else {
            let reason = "its rule is not in force";
            return Err(Verdict::stays(Outcome::Refused, reason));
        };
        let rule = ground.rules.rule(number);
        let folder = item.path.folder_bytes();
        let searches = ground.searches.iter();
        let below = |search: &'a Search| {
            let root = search.root.as_bytes();
            let is_in = root.is_empty()
                || folder == root
                || (folder.starts_with(root) && folder.get(root.len()) == Some(&b'/'));
            let from = if root.is_empty() { 0 } else { root.len() + 1 };
            is_in.then_some((search, from))
        };
        let is_allowed = rule.rule.ways().contains(&item.by);
        Ok(Self {
            id: Arc::clone(&item.rule),
            by: item.by,
            rule,
            searches: searches
                .filter(|search| search.rule == number)
                .filter_map(below)
                .collect(),
            refused: (!is_allowed).then_some("its rule doesn't let it leave in that way"),
        })
    }
}
