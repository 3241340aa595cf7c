//! What is about to happen, in facts that make sentences.

use std::collections::{BTreeMap, BTreeSet, HashMap, HashSet};
use std::sync::Arc;

use jiff::civil::Date;
use jiff::tz::TimeZone;
use jiff::{SignedDuration, Timestamp};

use jolly_core::computer::{AccountName, EntryKind};
use jolly_core::decide::Decisions;
use jolly_core::dustpan::{KEPT_DAYS, Room, estimate_packed, find_room};
use jolly_core::error_chain;
use jolly_core::host::InUse;
use jolly_core::pile::{Blocked, Scan, Sum};
use jolly_core::plan::{Manifest, ManifestItem, make_manifest};
use jolly_core::rule::{Class, Removal, RuleId, RuleNumber};
use jolly_core::run::{Predictions, RunSummary, overwrite_caveat};

use crate::session::{Session, clock};

/// How many of the biggest items are named.
const BIGGEST: usize = 3;

/// What a rule says afterwards when nobody notices anything.
const NOTHING: &str = "Nobody will notice.";

/// The same of one person.
const NOTICES_NOTHING: &str = "Notices nothing.";

/// Whose the rest is.
const SYSTEM: &str = "system";

/// The word that starts a sweep.
pub(in crate::tui) const WORD: &str = "sweep";

/// A rehearsal, before and after.
pub(in crate::tui) enum Rehearsal {
    None,
    UnderWay,
    Failed(String),
    Done(Box<RunSummary>, Arc<Predictions>),
}

/// The check station.
pub(in crate::tui) struct Check {
    pub scan: Arc<Scan>,
    /// None while it is being made.
    pub manifest: Option<Arc<Manifest>>,
    /// What goes for good.
    pub gone: Sum,
    /// What is set aside.
    pub aside: Sum,
    /// How many items are old enough, but excluded or left by hand.
    pub spared: u64,
    /// What goes, by class.
    pub planned: BTreeMap<Class, u64>,
    /// For each account, or the system, what its owner notices.
    pub afterwards: Vec<(String, Vec<String>)>,
    /// The biggest things that go.
    pub biggest: Vec<ManifestItem>,
    /// Until when what is set aside is kept.
    pub until: Option<Date>,
    /// Where it finds room; or why it doesn't.
    pub room: Result<Option<Room>, String>,
    /// About how small it packs, in bytes.
    pub packs: Option<u64>,
    /// Programs to close first, each with how many files wait for it, most first.
    pub to_close: Vec<(String, u64)>,
    /// How many are written over first, and what that can't promise on this volume.
    pub overwritten: (u64, Option<&'static str>),
    pub rehearsal: Rehearsal,
    /// How much of the word has been typed.
    pub typed: String,
    /// The first line of the list that shows.
    pub scroll: usize,
}

impl Check {
    /// A check whose manifest is being made.
    pub(in crate::tui) fn waiting(scan: Arc<Scan>) -> Self {
        Self {
            scan,
            manifest: None,
            gone: Sum::default(),
            aside: Sum::default(),
            spared: 0,
            planned: BTreeMap::new(),
            afterwards: Vec::new(),
            biggest: Vec::new(),
            until: None,
            room: Ok(None),
            packs: None,
            to_close: Vec::new(),
            overwritten: (0, None),
            rehearsal: Rehearsal::None,
            typed: String::new(),
            scroll: 0,
        }
    }

    /// The list of what was decided, and all that its screen says of it. It reads the whole list, so
    /// a thread makes it.
    pub(in crate::tui) fn of(session: &Session, scan: Arc<Scan>, decisions: &Decisions) -> Self {
        let manifest = make_manifest(&scan, decisions);
        let spared = decisions.shown(&scan);
        let spared = spared.map(|pile| decisions.spared_count(&scan, pile)).sum();
        let mut check = Self::waiting(scan);
        check.spared = spared;
        let mut rules: HashMap<RuleId, Option<RuleNumber>> = HashMap::new();
        let mut afterwards: HashSet<(Option<AccountName>, Option<RuleNumber>)> = HashSet::new();
        let mut by_size: Vec<ManifestItem> = Vec::new();
        let items = manifest.items.iter();
        for item in items.filter(|item| item.kind != EntryKind::Folder) {
            let sum = match item.by {
                Removal::Remove | Removal::Overwrite => &mut check.gone,
                Removal::SetAside => &mut check.aside,
            };
            sum.add(Sum {
                items: 1,
                bytes: item.bytes,
            });
            let known = rules.get(&item.rule).copied();
            let rule = known.unwrap_or_else(|| check.scan.rules.by_id(&item.rule));
            if known.is_none() {
                rules.insert(item.rule.clone(), rule);
            }
            let class = rule.map_or(Class::Ask, |rule| check.scan.rules.rule(rule).rule.class);
            let planned = check.planned.entry(class).or_default();
            *planned = planned.saturating_add(item.bytes);
            afterwards.insert((item.account.clone(), rule));
            let at = by_size.partition_point(|bigger| bigger.bytes >= item.bytes);
            if at < BIGGEST {
                by_size.insert(at, item);
                by_size.truncate(BIGGEST);
            }
        }
        check.biggest = by_size;
        let sentence = |(who, rule): (Option<AccountName>, Option<RuleNumber>)| {
            let rule = rule.map(|rule| &check.scan.rules.rule(rule).rule);
            let after = rule.map_or("", |rule| rule.after.as_str());
            // What somebody will notice is said first: of what doesn't fit, the rest is cut.
            let turn = match rule.map(|rule| rule.class) {
                Some(Class::Felt) => 0,
                Some(Class::Ask) | None => 1,
                Some(Class::Regrows) => 2,
                Some(Class::Spent) => 3,
            };
            (
                who.as_deref().unwrap_or(SYSTEM).to_owned(),
                turn,
                after.to_owned(),
            )
        };
        let sentences: BTreeSet<(String, u8, String)> =
            afterwards.into_iter().map(sentence).collect();
        for (who, _, after) in sentences {
            match check.afterwards.last_mut() {
                Some((last, sentences)) if *last == who => sentences.push(after),
                _ => check.afterwards.push((who, vec![after])),
            }
        }
        for (_, sentences) in check.afterwards.iter_mut().filter(|(_, all)| all.len() > 1) {
            // Next to what somebody does notice, that they don't notice the rest says nothing.
            sentences.retain(|sentence| sentence != NOTHING);
        }
        for (_, sentences) in check.afterwards.iter_mut().filter(|(who, _)| who != SYSTEM) {
            let nothing = sentences.iter_mut().filter(|it| *it == NOTHING);
            nothing.for_each(|it| NOTICES_NOTHING.clone_into(it));
        }
        check.ask_around(session, &manifest, decisions);
        check.manifest = Some(Arc::new(manifest));
        check
    }

    /// Looks for room, for programs that hold what goes, and what the volume can't promise.
    fn ask_around(&mut self, session: &Session, manifest: &Manifest, decisions: &Decisions) {
        let room = find_room(
            &session.state,
            &session.target,
            manifest,
            session.dustpan.as_deref(),
        );
        self.room = room.map_err(|error| error_chain(&error));
        if self.aside.items > 0 {
            let kept = SignedDuration::from_hours(24 * KEPT_DAYS);
            let until = clock().saturating_add(kept).unwrap_or(Timestamp::MAX);
            self.until = Some(until.to_zoned(TimeZone::system()).date());
            self.packs = estimate_packed(&session.target, manifest);
        }
        let by = |by: Removal| manifest.items.iter().filter(move |item| item.by == by);
        let many = by(Removal::Overwrite).count() as u64;
        if many > 0 {
            self.overwritten = (many, overwrite_caveat(&session.target));
        }
        let mut waiting: BTreeMap<String, u64> = BTreeMap::new();
        for id in decisions.shown(&self.scan) {
            let pile = self.scan.pile(id);
            if let Some(Blocked::Busy(program)) = &pile.blocked {
                let who = self.scan.account_name(pile).unwrap_or("the system");
                *waiting.entry(format!("{program} of {who}")).or_default() += pile.found().items;
            }
        }
        let in_use = InUse::read();
        let held = manifest.items.iter();
        for program in held.filter_map(|item| in_use.user_of(item.identity.key)) {
            *waiting.entry(program.to_string()).or_default() += 1;
        }
        self.to_close = waiting.into_iter().filter(|(_, many)| *many > 0).collect();
        self.to_close
            .sort_by_key(|(_, many)| std::cmp::Reverse(*many));
    }

    /// Whether a thread works for it.
    pub(in crate::tui) fn waits(&self) -> bool {
        self.manifest.is_none() || matches!(self.rehearsal, Rehearsal::UnderWay)
    }
}
