//! Walking a target: every item, once, in the pile of the rule that owns it.

use std::collections::{HashMap, HashSet};
use std::io;
use std::num::NonZeroUsize;
use std::sync::Arc;

use jiff::Timestamp;

use crate::cancel::CancelToken;
use crate::computer::{Dates, Target, TargetPath, Volume, running};
use crate::format::Printable;
use crate::host::{InUse, RunningProgram};
use crate::pile::{AtOnce, Blocked, Notes, Pile, at_once, build::build};
use crate::rule::{
    Class, Detect, Guards, ListFormat, Need, Rule, RuleNumber, RuleSet, Search, Survey, Unresolved,
    age_at, resolve,
};
use crate::source::context::WalkContext;
use crate::source::holder::address::shown_item;
use crate::source::{
    AccountAges, Arena, FolderId, ItemId, LinkGroup, PileId, PreviousScan, Units, described, files,
    hard_links, moved,
};
use crate::survey::{ChosenCopy, Leftover, searches_of_copies, searches_of_leftovers};
use crate::walk::{ScanEvent, Unread, unread};

/// Everything that one scan found.
pub struct Scan {
    /// The target that was walked.
    pub target: Arc<Target>,
    /// The rules that were in force.
    pub rules: Arc<RuleSet>,
    /// The moment that ages count from.
    pub now: Timestamp,
    /// Items and the folders on the way to them.
    pub arena: Arena,
    /// What each rule found for each account, in the rules' order.
    pub piles: Vec<Pile>,
    /// Files with several names among the items.
    pub links: Vec<LinkGroup>,
    /// What the info files of the trashes describe.
    pub notes: Notes,
    /// What goes together or stays.
    pub units: Units,
    /// What programs that are gone left behind, where that was looked for.
    pub leftovers: Arc<[Leftover]>,
    /// Copies that were chosen to go.
    pub copies: Arc<[ChosenCopy]>,
    /// Where the rules looked.
    pub searches: Vec<Search>,
    roots: Roots,
    /// The guards that stood.
    pub guards: Guards,
    /// What could not be read, and why.
    pub unread: Vec<Unread>,
    /// How many entries were the rules' but for a guard.
    pub guarded: u64,
    /// How many names were looked at.
    pub looked_at: u64,
    /// How many of them were known from the scan before, and not read again.
    pub remembered: u64,
    /// Whether it was stopped before its end.
    pub is_partial: bool,
    /// The volume at the start.
    pub volume: Volume,
    /// That most of what was found came to the disk at once, where it did and that makes it young.
    pub at_once: Option<AtOnce>,
}

/// What a scan is asked for.
#[derive(Clone)]
pub struct ScanOrder<'a> {
    /// The target to walk.
    pub target: &'a Arc<Target>,
    /// The rules in force.
    pub rules: &'a Arc<RuleSet>,
    /// The moment that ages count from: not later than the scan begins.
    pub now: Timestamp,
    /// This program's own files on the target.
    pub own: Vec<TargetPath>,
    /// A scan before, to reuse what has not changed since; its `now` must have been the clock's.
    pub before: Option<&'a Scan>,
    /// What programs that are gone left behind, where that was looked for: it gets piles of its own.
    pub leftovers: Arc<[Leftover]>,
    /// Copies that were chosen to go: they get piles of their own.
    pub copies: Arc<[ChosenCopy]>,
    /// How many threads walk.
    pub workers: NonZeroUsize,
}

/// Most threads of a walk: a disk that has to seek gains up to here, a warm one loses little.
const MOST_WORKERS: usize = 8;

impl<'a> ScanOrder<'a> {
    /// A whole scan, with as many threads as suit this machine.
    pub fn new(target: &'a Arc<Target>, rules: &'a Arc<RuleSet>, now: Timestamp) -> Self {
        let cores = std::thread::available_parallelism().map_or(1, NonZeroUsize::get);
        Self {
            target,
            rules,
            now,
            own: Vec::new(),
            before: None,
            leftovers: Arc::default(),
            copies: Arc::default(),
            workers: NonZeroUsize::new((4 * cores).min(MOST_WORKERS)).unwrap_or(NonZeroUsize::MIN),
        }
    }
}

/// The searches but those of the rule for unused homes in homes that are used.
fn without_used_homes(
    order: &ScanOrder<'_>,
    mut searches: Vec<Search>,
    accounts: &AccountAges,
    cancel: &CancelToken,
) -> Vec<Search> {
    let (target, rules, when) = (order.target, order.rules, (order.now, cancel));
    let is_of_account = |rule: &Rule| rule.detect == Some(Detect::OldAccount);
    let of_accounts = searches.iter();
    let of_accounts = of_accounts.map(|search| (&rules.rule(search.rule).rule, search));
    let of_accounts: Vec<_> = of_accounts
        .filter(|(rule, _)| is_of_account(rule))
        .collect();
    accounts.look(target, &of_accounts, order.workers, when);
    searches.retain(|search| {
        let rule = &rules.rule(search.rule).rule;
        !is_of_account(rule) || accounts.is_old(target, rule, search, when)
    });
    searches
}

/// Walks a target by the rules.
///
/// It never fails: what can't be read is told in [`Scan::unread`], and a cancelled scan keeps what
/// it has, marked as partial.
pub fn scan(order: &ScanOrder<'_>, cancel: &CancelToken, sink: &dyn Fn(ScanEvent)) -> Scan {
    let ScanOrder {
        target, rules, now, ..
    } = *order;
    let mut unread = unread::Gatherer::default();
    let (searches, unresolved) = resolve(target, rules);
    // A home that is used is not walked for the rule that looks for unused ones.
    let accounts = Arc::new(AccountAges::of(target));
    let mut searches = without_used_homes(order, searches, &accounts, cancel);
    searches.extend(searches_of_leftovers(&order.leftovers, rules));
    searches.extend(searches_of_copies(&order.copies, target, rules));
    tell_unresolved(unresolved, &mut unread);
    let volume = measured(target, &mut unread);
    tell_of_this_machine(order.now, &mut unread);
    let mut guards = Guards::new(&target.places, order.own.clone());
    for search in &searches {
        guards.add_root(search.root.clone());
    }
    let memory = previous(order, &searches, &guards);
    let context = WalkContext::new(target, (rules, &searches), &guards, (now, accounts), memory);
    let walked = files::walk(&context, order.workers, cancel, sink, &mut unread);
    let mut arena = walked.arena;
    drop(context);
    let moved = moved::drop_earlier_sightings(&mut arena, now);
    if moved > 0 {
        let reason = "moved while it was walked, and counted where it was seen last";
        unread.add("/".to_owned(), reason, moved);
    }
    let of = (&**rules, searches.as_slice());
    let units = Units::gather(&mut arena, &walked.piles, of, &mut unread);
    let links = hard_links::gather(&mut arena, now);
    let mut piles = build(&arena, walked.piles, now);
    let roots = Roots::of(&searches);
    // Whoever runs is looked for once, and only when a rule asks.
    let asks = |pile: &Pile| !rules.rule(pile.rule).rule.busy.is_empty();
    let in_use = piles.iter().any(asks).then(InUse::read).unwrap_or_default();
    for pile in &mut piles {
        let only_seen = rules.rule(pile.rule).rule.only_seen.clone();
        pile.blocked = only_seen.map(Blocked::OnlySeen);
        if pile.blocked.is_some() {
            continue;
        }
        pile.blocked = blocked(target, rules, &roots, pile)
            .or_else(|| busy(target, rules, &in_use, pile).map(Blocked::Busy));
    }
    let by_arrival = target.dates == Dates::Kept;
    Scan {
        at_once: by_arrival
            .then(|| at_once::of(&piles, rules, now))
            .flatten(),
        target: Arc::clone(target),
        rules: Arc::clone(rules),
        now,
        links,
        notes: Notes::find(&arena, &piles, rules, target.layout, &roots),
        roots,
        units,
        arena,
        piles,
        leftovers: Arc::clone(&order.leftovers),
        copies: Arc::clone(&order.copies),
        searches,
        guards,
        unread: unread.into_list(),
        guarded: walked.guarded,
        looked_at: walked.counted.looked_at,
        remembered: walked.counted.remembered,
        is_partial: walked.is_partial,
        volume,
    }
}

/// What the scan before found, where that was of the same target by the same rules, places and guards.
fn previous<'a>(
    order: &ScanOrder<'a>,
    searches: &[Search],
    guards: &Guards,
) -> Option<PreviousScan<'a>> {
    let before = order.before?;
    let is_same = Arc::ptr_eq(&before.target, order.target)
        && before.rules.digest() == order.rules.digest()
        && before.searches == searches
        && before.guards == *guards;
    is_same.then(|| PreviousScan::of(&before.arena))
}

/// A clock that says less has lost its battery: 2020-01-01, in seconds since 1970.
const LEAST_CLOCK: i64 = 1_577_836_800;

/// What keeps this machine from saying how old things are, and what programs hold.
fn tell_of_this_machine(now: Timestamp, unread: &mut unread::Gatherer) {
    if now.as_second() < LEAST_CLOCK {
        let reason = "is wrong, so what is old looks young: set it, or say the time with --now";
        unread.add(format!("the clock ({now})"), reason, 1);
    }
    if !InUse::can_be_read() {
        let reason = "not mounted: nobody can say which files programs hold open";
        unread.add("/proc".to_owned(), reason, 1);
    }
}

/// The target's volume; what keeps it from being known, and homes that were searched in part, are told.
fn measured(target: &Target, unread: &mut unread::Gatherer) -> Volume {
    for home in &target.partly_searched {
        let reason = "too many folders to look for browser profiles in all";
        unread.add(home.to_string(), reason, 1);
    }
    target.measure().unwrap_or_else(|error| {
        let reason = format!("its space can't be measured: {error}");
        unread.add("/".to_owned(), &reason, 1);
        Volume::default()
    })
}

/// Tells the places that can't be looked in; those below one that is told already are
/// counted with it.
fn tell_unresolved(mut unresolved: Vec<Unresolved>, unread: &mut unread::Gatherer) {
    unresolved.sort_by(|one, other| one.path.cmp(&other.path));
    let mut told: HashMap<TargetPath, String> = HashMap::new();
    for place in unresolved {
        let reason = unread::reason(&place.error);
        if let Some(what) = place.what {
            let is_kept = place.error.kind() == io::ErrorKind::PermissionDenied;
            let why = if is_kept {
                reason
            } else {
                place.error.to_string()
            };
            unread.add(what.to_owned(), &why, 1);
            continue;
        }
        let mut at = Some(place.path.clone());
        let above = std::iter::from_fn(|| {
            let path = at.take()?;
            at = path.parent();
            Some(path)
        });
        let known = above
            .into_iter()
            .find_map(|path| Some((told.get(&path)?.clone(), path)));
        if let Some((reason, above)) = known {
            unread.add(above.to_string(), &reason, 1);
        } else {
            unread.add(place.path.to_string(), &reason, 1);
            told.insert(place.path, reason);
        }
    }
}

/// Where the rules look, by rule and account.
#[derive(Debug, Default)]
pub(crate) struct Roots(HashMap<(RuleNumber, Option<usize>), Vec<TargetPath>>);

impl Roots {
    pub(crate) fn of(searches: &[Search]) -> Self {
        let mut roots = Self::default();
        for search in searches {
            let own = roots.0.entry((search.rule, search.account)).or_default();
            // A survey names several things in one folder.
            if own.last() != Some(&search.root) {
                own.push(search.root.clone());
            }
        }
        roots
    }

    pub(crate) fn of_pile(&self, pile: &Pile) -> &[TargetPath] {
        let own = self.0.get(&(pile.rule, pile.account));
        own.map_or(&[], Vec::as_slice)
    }
}

/// Why a pile can't be swept now.
fn blocked(target: &Target, rules: &RuleSet, roots: &Roots, pile: &Pile) -> Option<Blocked> {
    let disk = target.disk();
    let needs = rules.rule(pile.rule).rule.needs == Some(Need::Administrator);
    let may_change = |root: &TargetPath| {
        disk.open_folder(target.root(), root.as_bytes())
            .is_ok_and(|folder| disk.may_change(&folder))
    };
    let is_needed = needs && !roots.of_pile(pile).iter().any(may_change);
    is_needed.then_some(Blocked::NeedsAdministrator)
}

/// The program that runs and that a pile waits for.
fn busy(target: &Target, rules: &RuleSet, in_use: &InUse, pile: &Pile) -> Option<RunningProgram> {
    let families = &rules.rule(pile.rule).rule.busy;
    let mut held = families
        .iter()
        .filter_map(|family| running(target, in_use, pile.account, family));
    held.next()
}

impl Scan {
    /// What was found right in which folders, by name; things of lists and databases are parts of files.
    pub fn found_by_folder(&self) -> impl Iterator<Item = (TargetPath, HashSet<&[u8]>)> {
        let mut found: HashMap<FolderId, HashSet<&[u8]>> = HashMap::new();
        let things = self.arena.items();
        for item in things.filter(|item| self.arena.fingerprint(*item).is_none()) {
            let names = found.entry(self.arena.folder(item)).or_default();
            names.insert(self.arena.name(item));
        }
        let path = |folder| self.arena.folder_path(folder);
        found
            .into_iter()
            .map(move |(folder, names)| (path(folder), names))
    }

    /// A pile.
    ///
    /// # Panics
    /// When the id is another scan's.
    pub fn pile(&self, id: PileId) -> &Pile {
        &self.piles[id.0]
    }

    /// The class of a pile: that of its rule.
    pub fn class_of(&self, id: PileId) -> Class {
        self.rules.rule(self.pile(id).rule).rule.class
    }

    /// The survey that a pile is of; none where a rule of a book found it.
    pub fn survey_of(&self, id: PileId) -> Option<Survey> {
        self.rules.rule(self.pile(id).rule).rule.survey
    }

    /// What an item is called, for people: its name, and of an entry its document.
    pub fn shown_name(&self, item: ItemId) -> String {
        let name = self.arena.name(item);
        if self.arena.fingerprint(item).is_none() {
            return Printable(name).to_string();
        }
        let rule = &self.rules.rule(self.pile(self.arena.pile(item)).rule).rule;
        shown_item(rule.entries.unwrap_or(ListFormat::Xbel), name)
    }

    /// Whether what a pile frees only shows when its lists are made anew.
    pub fn is_estimated(&self, id: PileId) -> bool {
        self.rules.rule(self.pile(id).rule).rule.entries.is_some()
    }

    /// The account of a pile, by name.
    pub fn account_name(&self, pile: &Pile) -> Option<&str> {
        let account = self.target.accounts.get(pile.account?)?;
        Some(&account.name)
    }

    /// The folders that a pile was found in.
    pub fn roots_of(&self, pile: &Pile) -> impl Iterator<Item = &TargetPath> {
        self.roots.of_pile(pile).iter()
    }

    /// What an item of a trash describes: for an info file, the thing whose original place it
    /// names.
    pub fn described(&self, item: ItemId, path: &TargetPath) -> Option<TargetPath> {
        let pile = self.pile(self.arena.pile(item));
        if self.rules.rule(pile.rule).rule.detect != Some(Detect::Trash) {
            return None;
        }
        self.roots_of(pile)
            .find_map(|root| described(self.target.layout, root, path))
    }

    /// An item's age in seconds; one from the future has none yet.
    pub fn age(&self, item: ItemId) -> u64 {
        Self::age_of(self.arena.time(item), self.now)
    }

    /// The age, in seconds, of what happened at `time`, seconds since 1970.
    pub fn age_of(time: i64, now: Timestamp) -> u64 {
        age_at(time, now)
    }
}
