//! What all threads of one run share: who holds what, what can't go whole, which rules look where.

use std::collections::{HashMap, HashSet};
use std::io;
use std::sync::atomic::{AtomicI64, Ordering};
use std::sync::{Arc, Mutex, PoisonError};

use jiff::Timestamp;
use jolly_disk::{FileKey, Folder};

use crate::cancel::CancelToken;
use crate::computer::{TargetPath, running};
use crate::host::{InUse, RunningProgram};
use crate::plan::item_outcome::ItemOutcome;
use crate::plan::{Manifest, ManifestItem, StayReason};
use crate::rule::{CompiledRule, Kept, RuleNumber, Search};
use crate::run::RunContext;
use crate::run::check::away::AwayFolders;
use crate::run::check::listed::SearchOver;
use crate::run::check::twin;
use crate::source::Recogniser;

/// How long a look at the open files of all programs counts, in milliseconds: it takes some ten
/// milliseconds on a desktop, as long as a small batch itself.
const FRESH_MS: u64 = 500;

/// The program that a rule waits for, for each account it looks for, if one runs.
type Busy = HashMap<(RuleNumber, Option<usize>), Option<RunningProgram>>;

/// What all threads of one run share.
pub(crate) struct Shared<'a> {
    pub context: &'a RunContext<'a>,
    /// Who holds what, and when that was looked at.
    looked: Mutex<(Arc<InUse>, Option<Timestamp>)>,
    /// How many names of a file this run has removed, for files with several.
    own_links: Mutex<HashMap<FileKey, u32>>,
    pub(crate) recogniser: Recogniser<'a>,
    pub(super) kept: Kept,
    /// The searches by their roots, each list in the order in which rules own things.
    by_root: HashMap<&'a [u8], Vec<usize>>,
    /// The device of each search's root, once it was asked for.
    devices: Mutex<HashMap<usize, Option<u64>>>,
    /// What goes whole or stays and can't go, and why.
    torn: Mutex<HashMap<Arc<TargetPath>, ItemOutcome>>,
    /// What databases have given back beside what their rows promised, in bytes.
    compacted: AtomicI64,
    /// The program that each rule waits for, for each account it looks for; asked once a look.
    busy: Mutex<Busy>,
    /// What the list takes, where it takes copies.
    pub(crate) taken: HashSet<FileKey>,
    /// The folders that lie in the quarantine.
    pub(crate) away: AwayFolders,
}

impl<'a> Shared<'a> {
    pub(crate) fn new(
        context: &'a RunContext<'a>,
        manifest: &Manifest,
        stop: &CancelToken,
    ) -> Self {
        let mut by_root: HashMap<&[u8], Vec<usize>> = HashMap::new();
        for (at, search) in context.searches.iter().enumerate() {
            by_root.entry(search.root.as_bytes()).or_default().push(at);
        }
        Self {
            context,
            looked: Mutex::default(),
            own_links: Mutex::default(),
            recogniser: Recogniser::new(context.target, manifest.now, stop),
            kept: Kept::of(context.target, context.own),
            by_root,
            devices: Mutex::default(),
            torn: Mutex::default(),
            compacted: AtomicI64::new(0),
            busy: Mutex::default(),
            taken: twin::taken(context.searches, manifest),
            away: AwayFolders::default(),
        }
    }

    /// Opens a folder of the target, wherever it lies meanwhile; for a batch that has something in it, or only to look.
    pub(crate) fn open_folder(&self, path: &[u8], batch: Option<usize>) -> io::Result<Folder> {
        let target = self.context.target;
        self.away
            .open((&**target.disk(), target.root()), path, batch)
    }

    /// The program that the rule of an item waits for, by a look at what runs now.
    pub(crate) fn waits_for(&self, item: &ManifestItem, in_use: &InUse) -> Option<RunningProgram> {
        let target = self.context.target;
        let number = self.context.rules.by_id(&item.rule)?;
        let mut accounts = target.accounts.iter();
        let account = accounts.position(|account| Some(&account.name) == item.account.as_ref());
        self.running_of(self.context.rules.rule(number), account, in_use)
    }

    fn running_of(
        &self,
        rule: &CompiledRule,
        account: Option<usize>,
        in_use: &InUse,
    ) -> Option<RunningProgram> {
        let mut families = rule.rule.busy.iter();
        families.find_map(|family| running(self.context.target, in_use, account, family))
    }

    /// What ends that which takes long.
    pub(crate) fn cancel(&self) -> &CancelToken {
        self.recogniser.cancel()
    }

    /// Notes what a database has given back, of which its rows promised some.
    pub(crate) fn note_compacted(&self, freed: u64, promised: u64) {
        let beside = freed.cast_signed().saturating_sub(promised.cast_signed());
        self.compacted.fetch_add(beside, Ordering::Relaxed);
    }

    /// What databases have given back beside what their rows promised.
    pub(crate) fn compacted(&self) -> i64 {
        self.compacted.load(Ordering::Relaxed)
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

    pub(super) fn in_use(&self) -> Arc<InUse> {
        Arc::clone(&lock(&self.looked).0)
    }

    /// The searches that look in a folder or above it, on the same volume, in the order in which rules own
    /// things.
    pub(super) fn searches_over(&self, folder: &[u8], device: Option<u64>) -> Vec<SearchOver<'a>> {
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
            let rule = self.context.rules.of_search(search);
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

    /// How many names of a file with several this run has removed.
    pub(super) fn own_links(&self, key: FileKey) -> u32 {
        lock(&self.own_links).get(&key).copied().unwrap_or(0)
    }

    /// Remembers that one more was.
    pub(super) fn note_link(&self, key: FileKey) {
        *lock(&self.own_links).entry(key).or_default() += 1;
    }

    /// Notes that a part of what goes whole or stays can't go.
    pub(crate) fn tear(&self, unit: &Arc<TargetPath>, verdict: &ItemOutcome) {
        let why = verdict.reason.clone();
        let why = why.unwrap_or(StayReason::WentByItself);
        let torn = ItemOutcome::stays(StayReason::PartStays(Box::new(why)));
        lock(&self.torn).entry(Arc::clone(unit)).or_insert(torn);
    }

    pub(super) fn torn(&self, unit: &Arc<TargetPath>) -> Option<ItemOutcome> {
        lock(&self.torn).get(unit).cloned()
    }

    /// The program that runs and that a rule waits for.
    pub(super) fn busy(&self, rule: &CompiledRule, search: &Search) -> Option<RunningProgram> {
        if rule.rule.busy.is_empty() {
            return None;
        }
        let key = (search.rule, search.account);
        let in_use = self.in_use();
        let mut known = lock(&self.busy);
        let look = || {
            self.running_of(rule, search.account, &in_use)?;
            // A database that was made anew since that look may have got the number of a file that somebody held
            // then and that is gone by now; only one who holds it still is waited for.
            self.running_of(rule, search.account, &InUse::read())
        };
        known.entry(key).or_insert_with(look).clone()
    }
}

fn lock<T>(shared: &Mutex<T>) -> std::sync::MutexGuard<'_, T> {
    shared.lock().unwrap_or_else(PoisonError::into_inner)
}
