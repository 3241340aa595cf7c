//! Whether most of what was found came to the disk at once: a disk that was imaged or restored is young all
//! over, whatever its files are.

use std::collections::BTreeMap;

use jiff::Timestamp;

use crate::pile::Pile;
use crate::rule::{AgeBy, RuleSet, age_at};

/// Of fewer things nothing can be said.
const FEWEST: u64 = 500;

/// How much of them must have come at once, in percent.
const MOST: u64 = 80;

const HOUR: i64 = 3_600;
const DAY: i64 = 24 * HOUR;

/// That most of what was found came to the disk within a day.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub struct AtOnce {
    /// How much of it, in percent.
    pub percent: u64,
    /// How long ago, in seconds.
    pub ago: u64,
}

/// Asks the piles whose ages count from arrival.
pub(crate) fn of(piles: &[Pile], rules: &RuleSet, now: Timestamp) -> Option<AtOnce> {
    let mut hours: BTreeMap<i64, u64> = BTreeMap::new();
    let arrived = |pile: &&Pile| rules.rule(pile.rule).rule.age.by == AgeBy::Arrived;
    for pile in piles.iter().filter(arrived) {
        let mut times = pile.times().map(|time| time.div_euclid(HOUR)).peekable();
        while let Some(hour) = times.next() {
            // They are in order, so that those of one hour stand together.
            let mut count = 1;
            while times.next_if_eq(&hour).is_some() {
                count += 1;
            }
            *hours.entry(hour).or_default() += count;
        }
    }
    let all: u64 = hours.values().sum();
    if all < FEWEST {
        return None;
    }
    let day = |from: i64| {
        let hours = hours.range(from..from + DAY / HOUR);
        (hours.map(|(_, count)| *count).sum::<u64>(), from)
    };
    let (most, from) = hours.keys().map(|from| day(*from)).max()?;
    let percent = most * 100 / all;
    (percent >= MOST).then_some(AtOnce {
        percent,
        ago: age_at(from * HOUR, now),
    })
}
