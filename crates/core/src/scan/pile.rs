//! Piles: what one rule found for one account, ordered by age.

use jiff::Timestamp;
use serde::Serialize;

use crate::rulebook::{AgeLimit, BAND_COUNT, RuleNumber, band_of};
use crate::scan::{Arena, ItemId};
use crate::target::Holder;

/// A pile's position in its scan.
#[derive(Clone, Copy, Debug, PartialEq, Eq, Hash, PartialOrd, Ord)]
pub struct PileId(pub usize);

/// A number of items and the bytes that they free.
#[derive(Clone, Copy, Debug, Default, PartialEq, Eq, Serialize)]
pub struct Sum {
    /// How many.
    pub items: u64,
    /// What they free.
    pub bytes: u64,
}

impl Sum {
    /// Adds another sum to this one.
    pub fn add(&mut self, other: Self) {
        self.items = self.items.saturating_add(other.items);
        self.bytes = self.bytes.saturating_add(other.bytes);
    }
}

/// Why a pile can't be swept now.
#[derive(Clone, Debug, PartialEq, Eq)]
pub enum Blocked {
    /// Its folders may be changed by the administrator alone.
    NeedsAdministrator,
    /// A program that builds on it runs.
    Busy(Holder),
}

impl std::fmt::Display for Blocked {
    fn fmt(&self, out: &mut std::fmt::Formatter<'_>) -> std::fmt::Result {
        match self {
            Self::NeedsAdministrator => out.write_str("needs the administrator"),
            Self::Busy(holder) => write!(out, "is open in {holder}"),
        }
    }
}

/// What one rule found for one account.
///
/// # Invariants
/// `order` holds the pile's items, oldest first; `sums[n]` is what the first `n` of them free.
#[derive(Clone, Debug)]
pub struct Pile {
    /// The rule.
    pub rule: RuleNumber,
    /// The account's position in the target; none for the system.
    pub account: Option<usize>,
    /// Its items, oldest first.
    pub order: Vec<ItemId>,
    sums: Vec<u64>,
    ages: Vec<u64>,
    /// What its items free, by age band.
    pub bands: [u64; BAND_COUNT],
    /// Its biggest items, at most three.
    pub biggest: Vec<ItemId>,
    /// Why it can't be swept now.
    pub blocked: Option<Blocked>,
}

/// Whose pile it is.
pub(super) struct Owner {
    pub rule: RuleNumber,
    pub account: Option<usize>,
}

/// An age in seconds: now minus then, none for what is of the future.
pub(super) fn age(time: i64, now: Timestamp) -> u64 {
    u64::try_from(now.as_second().saturating_sub(time)).unwrap_or(0)
}

/// How many biggest items a pile names.
const BIGGEST: usize = 3;

/// Puts the items into their piles.
pub(super) fn build(arena: &Arena, owners: Vec<Owner>, now: Timestamp) -> Vec<Pile> {
    let mut orders: Vec<Vec<ItemId>> = owners.iter().map(|_| Vec::new()).collect();
    for item in arena.items() {
        orders[arena.pile(item).0].push(item);
    }
    owners
        .into_iter()
        .zip(orders)
        .map(|(owner, mut order)| {
            order.sort_by_key(|item| (arena.time(*item), *item));
            let mut sums = Vec::with_capacity(order.len() + 1);
            let mut bands = [0_u64; BAND_COUNT];
            let mut sum = 0_u64;
            sums.push(sum);
            let ages: Vec<u64> = order
                .iter()
                .map(|item| age(arena.time(*item), now))
                .collect();
            for (item, age) in order.iter().zip(&ages) {
                let frees = arena.frees(*item);
                sum = sum.saturating_add(frees);
                sums.push(sum);
                let band = &mut bands[band_of(*age)];
                *band = band.saturating_add(frees);
            }
            let mut biggest = order.clone();
            biggest.sort_by_key(|item| std::cmp::Reverse(arena.frees(*item)));
            biggest.truncate(BIGGEST);
            let Owner { rule, account } = owner;
            Pile {
                rule,
                account,
                order,
                sums,
                ages,
                bands,
                biggest,
                blocked: None,
            }
        })
        .collect()
}

impl Pile {
    /// Everything in it.
    pub fn found(&self) -> Sum {
        self.first(self.order.len())
    }

    /// How many of its items, the oldest first, an age limit lets go.
    pub fn count_older(&self, limit: Option<AgeLimit>) -> usize {
        match limit {
            None => self.order.len(),
            Some(limit) => self.ages.partition_point(|age| *age >= limit.as_seconds()),
        }
    }

    /// What its `count` oldest items free.
    pub fn first(&self, count: usize) -> Sum {
        let count = count.min(self.order.len());
        Sum {
            items: count as u64,
            bytes: self.sums.get(count).copied().unwrap_or(0),
        }
    }

    /// The age of its oldest item, in seconds.
    pub fn oldest(&self) -> Option<u64> {
        self.ages.first().copied()
    }
}
