//! What is about to happen, in facts.

mod facts;
mod list;
mod rows;

use std::collections::BTreeMap;
use std::sync::Arc;

use jiff::civil::Date;
use jiff::tz::TimeZone;
use jiff::{SignedDuration, Timestamp};

use jolly_core::CancelToken;
use jolly_core::computer::EntryKind;
use jolly_core::computer::may_make_point;
use jolly_core::decide::Decisions;
use jolly_core::dustpan::{KEPT_DAYS, Room, estimate_packed, find_room};
use jolly_core::error_chain;
use jolly_core::host::{InUse, RunningProgram};
use jolly_core::pile::{Blocked, Scan, Sum};
use jolly_core::plan::{
    Manifest, ManifestItem, SafetyCopies, SignInsLost, make_manifest, safety_copies, sign_ins_lost,
};
use jolly_core::report::{Notice, NoticedPile, Unnoticed, notices};
use jolly_core::rule::{Class, Removal};
use jolly_core::run::{Predictions, RunSummary, overwrite_caveat};

pub(in crate::tui) use facts::Fact;
pub(in crate::tui) use list::CheckList;
pub(in crate::tui) use rows::CheckRow;

use crate::session::{Session, clock};

/// How many of the biggest items are named.
const BIGGEST: usize = 3;

/// Whose what is nobody's home is.
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

/// A program that holds what is to go.
pub(in crate::tui) struct Waits {
    /// The program, and whose rules wait for it.
    pub name: String,
    pub program: RunningProgram,
    pub files: u64,
    /// Whether a rule waits for it to be closed; others just hold a file.
    is_waited_for: bool,
}

impl Waits {
    /// Whether it may be asked to close from here.
    pub(in crate::tui) fn may_be_asked(&self) -> bool {
        self.is_waited_for && self.program.process > 0 && self.program.started > 0
    }
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
    /// What is to share the bytes of files that stay.
    pub shared: Sum,
    /// How many items are old enough, but excluded or left by hand.
    pub spared: u64,
    /// What goes, by class.
    pub planned: BTreeMap<Class, u64>,
    pub notices: Vec<Notice>,
    pub unnoticed: Unnoticed,
    /// Whether what comes of little is told one by one.
    pub is_small_open: bool,
    /// What else has to be known.
    pub known: Vec<Fact>,
    /// The list, or the part of it that was looked for.
    pub list: CheckList,
    /// The pile and the folder that are open.
    pub open_pile: Option<usize>,
    pub open_folder: Option<usize>,
    /// The biggest things that go.
    pub biggest: Vec<ManifestItem>,
    /// Until when what is set aside is kept.
    pub until: Option<Date>,
    /// Where it finds room; or why it doesn't.
    pub room: Result<Option<Room>, String>,
    /// About how small it packs, in bytes.
    pub packs: Option<u64>,
    /// Programs to close first, by how many files wait for them, most first.
    pub to_close: Vec<Waits>,
    /// The program about which was asked whether it is to be closed.
    pub asks: Option<usize>,
    /// Who will have to sign in again, and where.
    pub sign_ins: Vec<SignInsLost>,
    /// What is copied before rows of browser profiles go.
    pub copies: SafetyCopies,
    /// How many are written over first, and what that can't promise on this volume.
    pub overwritten: (u64, Option<&'static str>),
    /// Whether the file system can keep all as it is first, and whether it is to.
    pub point: (bool, bool),
    /// Which chores follow the sweep, in words, where there are any.
    pub upkeep: Option<String>,
    pub rehearsal: Rehearsal,
    /// How much of the word has been typed.
    pub typed: String,
    /// The row in focus.
    pub focus: usize,
}

impl Check {
    /// A check whose manifest is being made.
    pub(in crate::tui) fn waiting(scan: Arc<Scan>) -> Self {
        Self {
            scan,
            manifest: None,
            gone: Sum::default(),
            aside: Sum::default(),
            shared: Sum::default(),
            spared: 0,
            planned: BTreeMap::new(),
            notices: Vec::new(),
            unnoticed: Unnoticed::default(),
            is_small_open: false,
            known: Vec::new(),
            list: CheckList::default(),
            open_pile: None,
            open_folder: None,
            biggest: Vec::new(),
            until: None,
            room: Ok(None),
            packs: None,
            to_close: Vec::new(),
            asks: None,
            sign_ins: Vec::new(),
            copies: SafetyCopies::default(),
            overwritten: (0, None),
            point: (false, false),
            upkeep: None,
            rehearsal: Rehearsal::None,
            typed: String::new(),
            focus: 0,
        }
    }

    /// The list of what was decided, and all that its screen says of it. It reads the whole list, so
    /// a thread makes it.
    pub(in crate::tui) fn of(session: &Session, scan: Arc<Scan>, decisions: &Decisions) -> Self {
        let manifest = make_manifest(&scan, decisions);
        let spared = decisions.shown(&scan);
        let spared = spared.map(|pile| decisions.spared_count(&scan, pile)).sum();
        let list = CheckList::of(&scan, &manifest, "", &CancelToken::default()).unwrap_or_default();
        let mut check = Self::waiting(scan);
        check.point.0 = may_make_point(&session.target);
        check.spared = spared;
        let mut by_size: Vec<ManifestItem> = Vec::new();
        let items = manifest.items.iter();
        for item in items.filter(|item| item.kind != EntryKind::Folder) {
            let sum = match item.by {
                Removal::Remove | Removal::Overwrite => &mut check.gone,
                Removal::SetAside => &mut check.aside,
                Removal::Clone | Removal::HardLink => &mut check.shared,
                Removal::Pack | Removal::Unpack => continue,
            };
            sum.add(Sum {
                items: 1,
                bytes: item.bytes,
            });
            let at = by_size.partition_point(|bigger| bigger.bytes >= item.bytes);
            if at < BIGGEST {
                by_size.insert(at, item);
                by_size.truncate(BIGGEST);
            }
        }
        check.biggest = by_size;
        for pile in &list.piles {
            let planned = check.planned.entry(pile.class).or_default();
            *planned = planned.saturating_add(pile.sum.bytes);
        }
        let rules = Arc::clone(&check.scan.rules);
        let noticed: Vec<NoticedPile<'_>> = (list.piles.iter())
            .map(|pile| NoticedPile {
                class: pile.class,
                account: (pile.account != SYSTEM).then_some(&*pile.account),
                title: &pile.title,
                after: (rules.by_id(&pile.rule)).map_or("", |rule| &*rules.rule(rule).rule.after),
                sum: pile.sum,
            })
            .collect();
        let (notices, unnoticed) = notices(&noticed);
        check.notices = notices;
        check.unnoticed = unnoticed;
        check.list = list;
        let now = check.scan.now;
        let never = CancelToken::default();
        check.sign_ins = sign_ins_lost(&check.scan.target, &manifest, now, &never);
        check.copies = safety_copies(&check.scan.target, &manifest);
        check.ask_around(session, &manifest, decisions);
        check.manifest = Some(Arc::new(manifest));
        check.known = check.facts();
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
        self.to_close = self.programs(manifest, decisions);
    }

    /// The programs to close first, by how many files wait for them.
    fn programs(&self, manifest: &Manifest, decisions: &Decisions) -> Vec<Waits> {
        let mut waiting: Vec<Waits> = Vec::new();
        let mut add = |name: String, program: &RunningProgram, files: u64, is_waited_for: bool| {
            if let Some(known) = waiting.iter_mut().find(|known| known.program == *program) {
                known.files += files;
                known.is_waited_for |= is_waited_for;
            } else if files > 0 {
                waiting.push(Waits {
                    name,
                    program: program.clone(),
                    files,
                    is_waited_for,
                });
            }
        };
        for id in decisions.shown(&self.scan) {
            let pile = self.scan.pile(id);
            if let Some(Blocked::Busy(program)) = &pile.blocked {
                let who = self.scan.account_name(pile).unwrap_or("the system");
                add(
                    format!("{program} of {who}"),
                    program,
                    pile.found().items,
                    true,
                );
            }
        }
        let in_use = InUse::read();
        for item in &manifest.items {
            if let Some(program) = in_use.user_of(item.identity.key) {
                add(program.to_string(), program, 1, false);
            }
        }
        waiting.sort_by_key(|waits| std::cmp::Reverse(waits.files));
        waiting
    }

    /// Whether a thread works for it.
    pub(in crate::tui) fn waits(&self) -> bool {
        self.manifest.is_none() || matches!(self.rehearsal, Rehearsal::UnderWay)
    }
}
