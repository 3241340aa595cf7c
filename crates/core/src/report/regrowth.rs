//! What has come back since the last visit, how fast, and when the volume will be full again.

use std::collections::HashMap;

use jiff::Timestamp;

use crate::state::{Sheet, Visit, VisitPile};

const WEEK: i64 = 7 * 86_400;

/// Over a shorter time nothing can be said of a week, in seconds.
const LEAST: i64 = 86_400;

/// Weeks that a forecast looks ahead at most: further nobody can see.
const FARTHEST: i64 = 520;

/// How much of one pile has come back.
#[derive(Clone, Debug, PartialEq, Eq)]
pub struct Regrowth {
    /// The rule's whole id.
    pub rule: String,
    /// What it is called.
    pub title: String,
    /// Whose it is; none for the system.
    pub account: Option<String>,
    /// What was left of it when the last visit ended, in bytes.
    pub left: u64,
    /// What is there now, in bytes.
    pub now: u64,
    /// What comes back in a week, in bytes; nothing where it has become less.
    pub weekly: u64,
}

impl Regrowth {
    /// How much more there is.
    pub fn grown(&self) -> u64 {
        self.now.saturating_sub(self.left)
    }
}

/// Everything that has come back since a visit.
#[derive(Clone, Debug, PartialEq, Eq)]
pub struct Regrown {
    /// When that visit began.
    pub since: Timestamp,
    /// Seconds from its end until now.
    pub passed: i64,
    /// By pile, what grew most first; what became less is left out.
    pub piles: Vec<Regrowth>,
}

impl Regrown {
    /// How much more there is in all, in bytes.
    pub fn grown(&self) -> u64 {
        let all = self.piles.iter().map(Regrowth::grown);
        all.fold(0, u64::saturating_add)
    }

    /// What comes back of one pile in a week, in bytes.
    pub fn weekly_of(&self, rule: &str, account: Option<&str>) -> Option<u64> {
        let mut piles = self.piles.iter();
        let found = piles.find(|one| one.rule == rule && one.account.as_deref() == account);
        found.map(|one| one.weekly)
    }
}

/// When a visit ended, in seconds since 1970.
fn ended(visit: &Visit) -> i64 {
    let length = i64::try_from(visit.seconds).unwrap_or(0);
    visit.started.as_second().saturating_add(length)
}

/// What has come back since the last visit that was scanned to its end, by what is there now. Nothing where there was
/// none, or it was less than a day ago, or a clock went backwards.
pub fn regrown(sheet: &Sheet, now: Timestamp, piles: &[VisitPile]) -> Option<Regrown> {
    regrown_since(&sheet.visits, now, piles)
}

fn regrown_since(visits: &[Visit], now: Timestamp, piles: &[VisitPile]) -> Option<Regrown> {
    let is_before =
        |visit: &&Visit| visit.is_whole && now.as_second().saturating_sub(ended(visit)) >= LEAST;
    let last = visits.iter().rev().find(is_before)?;
    let passed = now.as_second().saturating_sub(ended(last));
    let left: HashMap<(&str, Option<&str>), u64> = (last.piles.iter())
        .map(|pile| {
            let key = (&*pile.rule, pile.account.as_deref());
            let swept = last.swept_of(&pile.rule, pile.account.as_deref());
            (key, pile.found.bytes.saturating_sub(swept))
        })
        .collect();
    let mut grown: Vec<Regrowth> = piles
        .iter()
        .filter_map(|pile| {
            // What no rule looked for then may have been there all the time.
            let known = left.get(&(&*pile.rule, pile.account.as_deref())).copied();
            let is_rule_known = last.piles.iter().any(|one| one.rule == pile.rule);
            let left = known.or(is_rule_known.then_some(0))?;
            let more = pile.found.bytes.saturating_sub(left);
            (more > 0).then(|| Regrowth {
                rule: pile.rule.clone(),
                title: pile.title.clone(),
                account: pile.account.clone(),
                left,
                now: pile.found.bytes,
                weekly: weekly(more, passed),
            })
        })
        .collect();
    grown.sort_by_key(|one| std::cmp::Reverse(one.grown()));
    Some(Regrown {
        since: last.started,
        passed,
        piles: grown,
    })
}

/// What had come back at the last visit since the one before it.
pub fn regrown_at_last(sheet: &Sheet) -> Option<Regrown> {
    let (last, before) = sheet.visits.split_last()?;
    regrown_since(before, last.started, &last.piles)
}

/// Bytes a week, of so many in so many seconds.
fn weekly(bytes: u64, seconds: i64) -> u64 {
    let seconds = u128::from(seconds.max(1).unsigned_abs());
    let week = u128::from(WEEK.unsigned_abs());
    u64::try_from(u128::from(bytes) * week / seconds).unwrap_or(u64::MAX)
}

/// When free space will fall under a threshold, and what that is reckoned from.
#[derive(Clone, Debug, PartialEq, Eq)]
pub struct Forecast {
    /// Between so many pairs of visits that follow each other the volume filled.
    pub intervals: u64,
    /// Over how long, in seconds.
    pub over: i64,
    /// What the volume gains in a week, in bytes; less than nothing where it empties.
    pub weekly: i64,
    /// When less is free than the threshold; nothing where that is not to be seen.
    pub falls: Option<Timestamp>,
}

impl Forecast {
    /// The same at another moment, with another amount free: after a sweep.
    #[must_use]
    pub fn at(&self, now: Timestamp, free: u64, threshold: u64) -> Self {
        Self {
            falls: falls(self.weekly, (now, free), threshold),
            ..self.clone()
        }
    }
}

/// From how many percent of a volume on what is free is little.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub struct LittleFree(pub u8);

impl Default for LittleFree {
    /// A tenth, from where on systems slow down and updates fail.
    fn default() -> Self {
        Self(10)
    }
}

impl LittleFree {
    /// The same of a volume of so many bytes, in bytes.
    pub fn of(self, size: u64) -> u64 {
        let part = u128::from(size) * u128::from(self.0) / 100;
        u64::try_from(part).unwrap_or(u64::MAX)
    }
}

impl std::fmt::Display for LittleFree {
    /// In words: "a tenth", "15 %".
    fn fmt(&self, out: &mut std::fmt::Formatter<'_>) -> std::fmt::Result {
        match self.0 {
            10 => write!(out, "a tenth"),
            percent => write!(out, "{percent} %"),
        }
    }
}

/// Reckons from what the volume gained between visits, and what is free now. Nothing where there are no two visits, a day
/// apart at least, to reckon from.
pub fn forecast(sheet: &Sheet, (now, free): (Timestamp, u64), threshold: u64) -> Option<Forecast> {
    let mut gained: i128 = 0;
    let mut over: i64 = 0;
    let mut intervals = 0;
    let mut points: Vec<(i64, u64, i64, u64)> = sheet
        .visits
        .iter()
        .filter(|visit| visit.size > 0)
        .map(|visit| {
            let began = visit.started.as_second();
            (began, visit.free, ended(visit), visit.free_after())
        })
        .collect();
    points.push((now.as_second(), free, now.as_second(), free));
    for pair in points.windows(2) {
        let [(.., left_at, left), (came_at, came, ..)] = pair else {
            continue;
        };
        let passed = came_at.saturating_sub(*left_at);
        // A clock that went backwards, or the same day: nothing to learn from.
        if passed < LEAST {
            continue;
        }
        gained += i128::from(*left) - i128::from(*came);
        over = over.saturating_add(passed);
        intervals += 1;
    }
    if intervals == 0 {
        return None;
    }
    let weekly = gained * i128::from(WEEK) / i128::from(over);
    let weekly = i64::try_from(weekly).unwrap_or(i64::MAX);
    Some(Forecast {
        intervals,
        over,
        weekly,
        falls: falls(weekly, (now, free), threshold),
    })
}

/// When less is free than a threshold, at so many bytes a week.
fn falls(weekly: i64, (now, free): (Timestamp, u64), threshold: u64) -> Option<Timestamp> {
    let rest = i128::from(free) - i128::from(threshold);
    if rest <= 0 {
        return Some(now);
    }
    if weekly <= 0 {
        return None;
    }
    let seconds = rest * i128::from(WEEK) / i128::from(weekly);
    if seconds > i128::from(FARTHEST * WEEK) {
        return None;
    }
    let seconds = i64::try_from(seconds).ok()?;
    Timestamp::from_second(now.as_second() + seconds).ok()
}
