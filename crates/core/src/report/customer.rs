//! What a run did, for the customer: whose computer, what came back, what stayed, what to think of.
//!
//! The log says what went, the job sheet says what it was called and what was told at the end.

use std::cmp::Reverse;
use std::collections::BTreeMap;

use jiff::Timestamp;

use crate::pile::Sum;
use crate::plan::Outcome;
use crate::rule::Class;
use crate::run::{LogState, LogSummary};
use crate::state::{Noticed, RunId, Sheet, Visit, VisitPile};

/// What is known of a rule without the job sheet.
#[derive(Clone, Debug)]
pub struct RuleWords {
    /// What it is called.
    pub title: String,
    /// Its class.
    pub class: Class,
}

/// What went of one class.
#[derive(Clone, Debug, PartialEq, Eq)]
pub struct WentOfClass {
    /// The class.
    pub class: Class,
    /// How much.
    pub sum: Sum,
    /// The same by what its rules call it, the most first.
    pub kinds: Vec<(String, Sum)>,
}

/// A pile of which nothing went.
#[derive(Clone, Debug, PartialEq, Eq)]
pub struct LeftPile {
    /// What it is called.
    pub title: String,
    /// Whose it is; none for the system.
    pub account: Option<String>,
    /// Its class; none where this version knows it no more.
    pub class: Option<Class>,
    /// Whether its program was open.
    pub is_blocked: bool,
    /// What it holds, in bytes.
    pub bytes: u64,
}

/// The customer's page.
#[derive(Clone, Debug)]
pub struct CustomerPage {
    /// The run.
    pub run: RunId,
    /// Whose computer it is.
    pub name: String,
    /// What the computer calls itself.
    pub label: String,
    /// Its system, where it was looked at.
    pub system: Option<String>,
    /// The number of the visit, from 1.
    pub visit: Option<usize>,
    /// When the run ended, or began where only that is known.
    pub when: Timestamp,
    /// How it ended.
    pub state: LogState,
    /// The size of the volume, in bytes.
    pub size: Option<u64>,
    /// What was free before, in bytes.
    pub free_before: u64,
    /// What was free after it, in bytes.
    pub free_after: Option<u64>,
    /// What went for good.
    pub removed: Sum,
    /// What was set aside.
    pub set_aside: Sum,
    /// What shares the bytes of another file by now: nothing of it is gone.
    pub shared: Sum,
    /// Until when what was set aside can come back.
    pub until: Option<Timestamp>,
    /// What went, by class; empty classes are left out.
    pub went: Vec<WentOfClass>,
    /// What stayed though it was to go, by outcome.
    pub stayed: Vec<(Outcome, Sum)>,
    /// Of what nothing went, the most first.
    pub left: Vec<LeftPile>,
    /// What stayed of piles that went in part, in bytes: too young, excluded or in use.
    pub spared: u64,
    /// What will be noticed.
    pub noticed: Vec<Noticed>,
    /// What was turned off that started by itself: its name, and whose it was.
    pub turned_off: Vec<(String, Option<String>)>,
    /// What to think of.
    pub advice: Vec<String>,
    /// When the next visit is worth it.
    pub next_visit: Option<Timestamp>,
}

impl CustomerPage {
    /// What came back, in bytes; nothing where that isn't known.
    pub fn freed(&self) -> u64 {
        let after = self.free_after.unwrap_or(0);
        after.saturating_sub(self.free_before)
    }
}

/// Makes the page of a run of its log, and of the computer's sheet where there is one. `words` knows the rules in force;
/// `until` is the date of what was set aside.
pub fn customer_page(
    log: &LogSummary,
    sheet: Option<&Sheet>,
    words: &dyn Fn(&str) -> Option<RuleWords>,
    until: Option<Timestamp>,
) -> CustomerPage {
    let visits = sheet.map_or(&[][..], |sheet| &sheet.visits);
    let is_it = |visit: &&Visit| visit.runs.iter().any(|run| run.run == *log.run);
    let at = visits.iter().position(|visit| is_it(&visit));
    let visit = at.and_then(|at| visits.get(at));
    let run = visit.and_then(|visit| visit.runs.iter().find(|run| run.run == *log.run));
    let told = run.map_or_else(Default::default, |run| run.told.clone());
    let sum = |outcome| {
        log.sums
            .outcomes()
            .get(&outcome)
            .copied()
            .unwrap_or_default()
    };
    let stayed = log.sums.outcomes().iter();
    let (left, spared) = visit.map_or_else(Default::default, of_visit);
    let facts = visit.map_or(&[][..], |visit| &visit.facts);
    let system = facts.iter().find(|fact| fact.name == "system");
    CustomerPage {
        run: log.run.clone(),
        name: sheet.map_or_else(|| log.label.clone(), |sheet| sheet.shown_name().to_owned()),
        label: log.label.clone(),
        system: system.map(|fact| fact.value.clone()),
        visit: at.map(|at| at + 1),
        when: run.map_or(log.started, |run| run.ended),
        state: log.state,
        size: visit
            .map(|visit| visit.used.saturating_add(visit.free))
            .filter(|size| *size > 0),
        free_before: log.free.0,
        free_after: log.free.1,
        removed: sum(Outcome::Removed),
        set_aside: sum(Outcome::SetAside),
        shared: sum(Outcome::Shared),
        until,
        went: went(log, visit, words),
        stayed: stayed
            .filter(|(outcome, _)| outcome.stays())
            .map(|(outcome, sum)| (*outcome, *sum))
            .collect(),
        left,
        spared,
        noticed: told.noticed,
        turned_off: sheet.map_or_else(Vec::new, |sheet| turned_off(sheet, at)),
        advice: told.advice,
        next_visit: told.next_visit,
    }
}

/// What was turned off at a visit and is off still.
fn turned_off(sheet: &Sheet, at: Option<usize>) -> Vec<(String, Option<String>)> {
    let Some((at, visit)) = at.and_then(|at| Some((at, sheet.visits.get(at)?))) else {
        return Vec::new();
    };
    let next = sheet.visits.get(at + 1).map(|next| next.started);
    let switched = sheet.switched.iter();
    let own =
        switched.filter(|one| one.when >= visit.started && next.is_none_or(|next| one.when < next));
    own.map(|one| (one.name.clone(), one.account.clone()))
        .collect()
}

/// What went, by class and by what it is called.
fn went(
    log: &LogSummary,
    visit: Option<&Visit>,
    words: &dyn Fn(&str) -> Option<RuleWords>,
) -> Vec<WentOfClass> {
    let piles = visit.map_or(&[][..], |visit| &visit.piles);
    let mut classes: BTreeMap<Class, BTreeMap<String, Sum>> = BTreeMap::new();
    for went in log.sums.went() {
        let pile = piles.iter().find(|pile| *pile.rule == *went.rule);
        let known = pile.and_then(|pile| {
            Some(RuleWords {
                title: pile.title.clone(),
                class: Class::by_name(&pile.class)?,
            })
        });
        // A rule that exists no more is called by its id; what is known of nothing may have been somebody's.
        let known = known
            .or_else(|| words(&went.rule))
            .unwrap_or_else(|| RuleWords {
                title: went.rule.to_string(),
                class: Class::Ask,
            });
        let kinds = classes.entry(known.class).or_default();
        kinds.entry(known.title).or_default().add(went.sum);
    }
    let of_class = |(class, kinds): (Class, BTreeMap<String, Sum>)| {
        let mut sum = Sum::default();
        for one in kinds.values() {
            sum.add(*one);
        }
        let mut kinds: Vec<(String, Sum)> = kinds.into_iter().collect();
        kinds.sort_by_key(|(_, sum)| Reverse(sum.bytes));
        WentOfClass { class, sum, kinds }
    };
    classes.into_iter().map(of_class).collect()
}

/// What stayed of what a visit found: whole piles, and the rest of those that went in part.
fn of_visit(visit: &Visit) -> (Vec<LeftPile>, u64) {
    let mut spared: u64 = 0;
    let mut left = Vec::new();
    for pile in &visit.piles {
        let rest = rest(visit, pile);
        if rest == pile.found.bytes && rest > 0 {
            left.push(LeftPile {
                title: pile.title.clone(),
                account: pile.account.clone(),
                class: Class::by_name(&pile.class),
                is_blocked: pile.state == "blocked",
                bytes: rest,
            });
        } else {
            spared = spared.saturating_add(rest);
        }
    }
    left.sort_by_key(|pile| Reverse(pile.bytes));
    (left, spared)
}

fn rest(visit: &Visit, pile: &VisitPile) -> u64 {
    let swept = visit.swept_of(&pile.rule, pile.account.as_deref());
    pile.found.bytes.saturating_sub(swept)
}
