//! Piles: what one rule found for one account, ordered by age.

use jiff::Timestamp;
use serde::Serialize;

use crate::host::RunningProgram;
use crate::rule::{AgeLimit, BAND_COUNT, RuleNumber, band_of, seconds_since};
use crate::source::{Arena, ItemId, Owner};

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
    Busy(RunningProgram),
    /// Its rule only shows what is there, for this reason.
    OnlySeen(String),
}

impl std::fmt::Display for Blocked {
    fn fmt(&self, out: &mut std::fmt::Formatter<'_>) -> std::fmt::Result {
        match self {
            Self::NeedsAdministrator => out.write_str("needs the administrator"),
            Self::Busy(program) => write!(out, "is open in {program}"),
            Self::OnlySeen(why) => write!(out, "is only seen: {why}"),
        }
    }
}

/// An item with the time its age counts from, in one number that sorts by time.
#[derive(Clone, Copy, Debug, PartialEq, Eq, PartialOrd, Ord)]
struct Aged(u64);

impl Aged {
    /// Seconds to either side of 1970 that are told apart: some 272 years, and no age limit
    /// reaches further back than 200.
    const REACH: i64 = 1 << 33;

    fn new(time: i64, item: ItemId) -> Self {
        let seconds = time.clamp(-Self::REACH, Self::REACH - 1) + Self::REACH;
        Self(seconds.unsigned_abs() << ItemId::BITS | u64::from(item.as_number()))
    }

    fn time(self) -> i64 {
        (self.0 >> ItemId::BITS).cast_signed() - Self::REACH
    }

    fn item(self) -> ItemId {
        let number = self.0 & ((1 << ItemId::BITS) - 1);
        // Thirty bits fit.
        ItemId::from_number(u32::try_from(number).unwrap_or(u32::MAX))
    }
}

/// Items between two running sums.
const STRIDE: usize = 64;

/// What one rule found for one account.
///
/// # Invariants
/// `order` holds the pile's items, oldest first; `sums[n]` is what the first `n * STRIDE` of them
/// free.
#[derive(Clone, Debug)]
pub struct Pile {
    /// The rule.
    pub rule: RuleNumber,
    /// The account's position in the target; none for the system.
    pub account: Option<usize>,
    order: Vec<Aged>,
    sums: Vec<u64>,
    bytes: u64,
    /// The moment that ages count from, seconds since 1970.
    now: i64,
    /// What its items free, by age band.
    pub bands: [u64; BAND_COUNT],
    /// Its biggest items, at most three.
    pub biggest: Vec<ItemId>,
    /// Why it can't be swept now.
    pub blocked: Option<Blocked>,
}

/// How many biggest items a pile names.
const BIGGEST: usize = 3;

/// Puts the items into their piles.
pub(crate) fn build(arena: &Arena, owners: Vec<Owner>, now: Timestamp) -> Vec<Pile> {
    let mut counts = vec![0_usize; owners.len()];
    arena.each(|_, pile, _| {
        if let Some(count) = counts.get_mut(pile.0) {
            *count += 1;
        }
    });
    // Sized at once: growing them would take twice the room for a while.
    let mut orders: Vec<Vec<Aged>> = counts.into_iter().map(Vec::with_capacity).collect();
    arena.each(|item, pile, time| {
        if let Some(order) = orders.get_mut(pile.0) {
            order.push(Aged::new(time, item));
        }
    });
    owners
        .into_iter()
        .zip(orders)
        .map(|(owner, order)| Pile::of(arena, &owner, order, now.as_second()))
        .collect()
}

impl Pile {
    fn of(arena: &Arena, owner: &Owner, mut order: Vec<Aged>, now: i64) -> Self {
        order.sort_unstable();
        let mut sums = Vec::with_capacity(order.len() / STRIDE + 1);
        let mut biggest = Biggest::default();
        let mut sum = 0_u64;
        for (at, aged) in order.iter().enumerate() {
            if at.is_multiple_of(STRIDE) {
                sums.push(sum);
            }
            let frees = arena.frees(aged.item());
            sum = sum.saturating_add(frees);
            biggest.offer(arena, *aged, frees);
        }
        let mut pile = Self {
            rule: owner.rule,
            account: owner.account,
            order,
            sums,
            bytes: sum,
            now,
            bands: [0; BAND_COUNT],
            biggest: biggest.0.iter().map(|(aged, _)| aged.item()).collect(),
            blocked: None,
        };
        pile.bands = pile.sums_of_bands(arena);
        pile
    }

    /// What the items of each age band free.
    fn sums_of_bands(&self, arena: &Arena) -> [u64; BAND_COUNT] {
        let mut bands = [0; BAND_COUNT];
        // The order begins with the oldest, and so with the last band.
        let mut before = 0;
        for band in (0..BAND_COUNT).rev() {
            let is_in = |aged: &Aged| band_of(seconds_since(aged.time(), self.now)) >= band;
            let count = self.order.partition_point(is_in);
            let sum = self.first(arena, count).bytes;
            bands[band] = sum - before;
            before = sum;
        }
        bands
    }

    /// How many items it holds.
    pub fn len(&self) -> usize {
        self.order.len()
    }

    /// Whether nothing was found.
    pub fn is_empty(&self) -> bool {
        self.order.is_empty()
    }

    /// Its items, oldest first.
    pub fn items(&self) -> impl ExactSizeIterator<Item = ItemId> {
        self.order.iter().map(|aged| aged.item())
    }

    /// The times that its items' ages count from, oldest first.
    pub(crate) fn times(&self) -> impl Iterator<Item = i64> {
        self.order.iter().map(|aged| aged.time())
    }

    /// The item at a position, oldest first.
    pub fn item_at(&self, position: usize) -> Option<ItemId> {
        self.order.get(position).map(|aged| aged.item())
    }

    /// An item's position among its items, oldest first; `time` is the one its age counts from.
    pub fn position(&self, item: ItemId, time: i64) -> Option<usize> {
        self.order.binary_search(&Aged::new(time, item)).ok()
    }

    /// Everything in it.
    pub fn found(&self) -> Sum {
        Sum {
            items: self.order.len() as u64,
            bytes: self.bytes,
        }
    }

    /// How many of its items, the oldest first, an age limit lets go.
    pub fn count_older(&self, limit: Option<AgeLimit>) -> usize {
        let Some(limit) = limit else {
            return self.order.len();
        };
        let is_old = |aged: &Aged| seconds_since(aged.time(), self.now) >= limit.as_seconds();
        self.order.partition_point(is_old)
    }

    /// What its `count` oldest items free.
    pub fn first(&self, arena: &Arena, count: usize) -> Sum {
        if count >= self.order.len() {
            return self.found();
        }
        let from = count / STRIDE;
        let known = self.sums.get(from).copied().unwrap_or(0);
        let rest = self.order.iter().take(count).skip(from * STRIDE);
        Sum {
            items: count as u64,
            bytes: rest.fold(known, |sum, aged| {
                sum.saturating_add(arena.frees(aged.item()))
            }),
        }
    }

    /// The age of its oldest item, in seconds.
    pub fn oldest(&self) -> Option<u64> {
        let oldest = self.order.first()?;
        Some(seconds_since(oldest.time(), self.now))
    }
}

/// The biggest items so far, biggest first; of one size the older, of one age the name that comes
/// first, so that two scans choose the same.
#[derive(Default)]
struct Biggest(Vec<(Aged, u64)>);

impl Biggest {
    fn offer(&mut self, arena: &Arena, aged: Aged, frees: u64) {
        // What frees nothing is not big, and of a million empty files none is worth a look.
        if frees == 0 {
            return;
        }
        let is_before = |(known, bytes): &(Aged, u64)| {
            let tied = || {
                known.time() < aged.time()
                    || (known.time() == aged.time()
                        && arena.name(known.item()) <= arena.name(aged.item()))
            };
            *bytes > frees || (*bytes == frees && tied())
        };
        if self.0.len() == BIGGEST && self.0.last().is_some_and(is_before) {
            return;
        }
        let at = self.0.partition_point(is_before);
        self.0.insert(at, (aged, frees));
        self.0.truncate(BIGGEST);
    }
}

#[cfg(test)]
mod tests {
    use jolly_disk::{FileKey, Kind, Stamp, Stat};
    use proptest::prelude::*;

    use super::*;
    use crate::rule::{AgeUnit, BAND_EDGES};
    use crate::source::arena::shard::{NewItem, Shard};
    use crate::source::{FolderId, ItemKind, PileId};

    const NOW: i64 = 1_790_000_000;

    fn arb_time() -> impl Strategy<Value = i64> {
        let edges = prop::sample::select(BAND_EDGES.to_vec());
        let at_edge = (edges, -1..=1_i64)
            .prop_map(|(edge, off)| NOW - i64::try_from(edge).unwrap_or(0) + off);
        prop_oneof![4 => at_edge, 4 => NOW - 400_000_000..NOW + 1000, 1 => any::<i64>()]
    }

    proptest! {
        #![proptest_config(ProptestConfig { cases: 300, ..ProptestConfig::default() })]

        #[test]
        fn prop_a_pile_sums_up_as_a_slow_count_does(
            items in prop::collection::vec((arb_time(), 0..1_u64 << 40), 0..400),
            count in 1..400_u32,
            unit in prop::sample::select(vec![AgeUnit::Hour, AgeUnit::Day, AgeUnit::Year]),
        ) {
            let mut shard = Shard::default();
            for (number, (time, bytes)) in items.iter().enumerate() {
                let stamp = Stamp { seconds: *time, nanos: 0 };
                let stat = Stat {
                    key: FileKey { device: 1, inode: number as u64 },
                    kind: Kind::File,
                    is_mount: false,
                    is_fixed: false,
                    size: *bytes,
                    allocated: *bytes,
                    links: 1,
                    user: 0,
                    group: 0,
                    mode: 0,
                    accessed: stamp,
                    modified: stamp,
                    changed: stamp,
                    born: None,
                };
                let name = number.to_string();
                let new = NewItem {
                    folder: FolderId(0),
                    device: 1,
                    name: name.as_bytes(),
                    kind: ItemKind::File,
                    stat: &stat,
                    time: *time,
                    pile: PileId(0),
                    entry: None,
                };
                prop_assert!(shard.add_item(&new));
            }
            let (arena, lost) = Arena::of(vec![shard]);
            prop_assert_eq!(lost, 0);
            let owner = Owner { rule: RuleNumber(0), account: None };
            let now = Timestamp::from_second(NOW).unwrap();
            let pile = build(&arena, vec![owner], now).remove(0);
            let age = |time: i64| u64::try_from(NOW.saturating_sub(time)).unwrap_or(0);
            let limits = [None, AgeLimit::new(count, unit).ok()];
            for limit in limits {
                let least = limit.map_or(0, AgeLimit::as_seconds);
                let old = items.iter().filter(|(time, _)| age(*time) >= least);
                let older = pile.count_older(limit);
                prop_assert_eq!(older, old.clone().count());
                let bytes: u64 = old.map(|(_, bytes)| bytes).sum();
                prop_assert_eq!(pile.first(&arena, older), Sum { items: older as u64, bytes });
            }
            let mut bands = [0; BAND_COUNT];
            for (time, bytes) in &items {
                bands[band_of(age(*time))] += bytes;
            }
            prop_assert_eq!(pile.bands, bands);
            let mut sizes: Vec<u64> = items.iter().map(|(_, bytes)| *bytes).collect();
            sizes.sort_unstable_by_key(|size| std::cmp::Reverse(*size));
            sizes.retain(|size| *size > 0);
            sizes.truncate(BIGGEST);
            let biggest: Vec<u64> = pile.biggest.iter().map(|item| arena.frees(*item)).collect();
            prop_assert_eq!(biggest, sizes);
            for (position, item) in pile.items().enumerate() {
                prop_assert_eq!(pile.position(item, arena.time(item)), Some(position));
            }
        }
    }
}
