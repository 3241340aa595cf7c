//! The rows of the weigh station.

use std::cmp::Reverse;
use std::collections::{BTreeMap, HashMap};

use jolly_core::decide::Decisions;
use jolly_core::pile::Scan;
use jolly_core::rule::Class;
use jolly_core::source::PileId;

/// One row.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub(in crate::tui) enum Row {
    /// The heading of a class.
    Heading(Class),
    /// A pile.
    Pile(PileId),
    /// The small piles of a class, in one row.
    Small(Class),
    /// White space.
    Gap,
}

/// How rows are ordered.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub(in crate::tui) enum Order {
    /// By class, in it biggest first; small piles in one row.
    Class,
    /// By class, as the rules stand in their books.
    Book,
    /// By what they free as things stand, most first; then by what they hold.
    Frees,
    /// By what they hold, most first, taken or not.
    Found,
    /// By what comes back in a week, fastest first; where the computer was here before.
    Regrowth,
    /// By account.
    Account,
}

impl Order {
    /// The next one; what comes back is only known where the computer was here before.
    pub(in crate::tui) fn next(self, was_here: bool) -> Self {
        match self {
            Self::Class => Self::Book,
            Self::Book => Self::Frees,
            Self::Frees => Self::Found,
            Self::Found if was_here => Self::Regrowth,
            Self::Found | Self::Regrowth => Self::Account,
            Self::Account => Self::Class,
        }
    }

    /// In words.
    pub(in crate::tui) fn words(self) -> &'static str {
        match self {
            Self::Class => "ordered by class, biggest first",
            Self::Book => "ordered by class, as the rulebook has them",
            Self::Frees => "ordered by what they free, biggest first",
            Self::Found => "ordered by what they hold, biggest first",
            Self::Regrowth => "ordered by what comes back in a week, fastest first",
            Self::Account => "ordered by account",
        }
    }

    /// Whether rows stand below a heading of their class.
    pub(in crate::tui) fn has_headings(self) -> bool {
        matches!(self, Self::Class | Self::Book)
    }
}

/// How rows are laid out.
#[derive(Clone, Debug)]
pub(in crate::tui) struct Arranged {
    pub order: Order,
    /// Classes of which only the heading shows.
    pub folded: Vec<Class>,
    /// Classes whose small piles show one by one.
    pub opened: Vec<Class>,
    /// What comes back of a pile in a week, in bytes.
    pub weekly: HashMap<PileId, u64>,
}

/// A pile is small below this, and below that part of its class.
const SMALL: u64 = 10 << 20;
const SMALL_PART: u64 = 100;

/// The small piles of each class, biggest first. A single one is no group.
pub(in crate::tui) fn small_piles(
    scan: &Scan,
    decisions: &Decisions,
) -> BTreeMap<Class, Vec<PileId>> {
    let mut all: BTreeMap<Class, Vec<PileId>> = BTreeMap::new();
    for id in decisions.shown(scan) {
        all.entry(scan.class_of(id)).or_default().push(id);
    }
    all.retain(|_, piles| {
        let held = |id: &PileId| scan.pile(*id).found().bytes;
        let whole: u64 = piles.iter().map(held).sum();
        piles.retain(|id| {
            let held = held(id);
            // What somebody added shows.
            let is_built_in = scan.rules.rule(scan.pile(*id).rule).rule.section.is_some();
            is_built_in && held < SMALL && held.saturating_mul(SMALL_PART) < whole
        });
        piles.sort_by_key(|id| Reverse(held(id)));
        piles.len() > 1
    });
    all
}

/// The rows of a scan in an order.
pub(in crate::tui) fn rows(
    scan: &Scan,
    decisions: &Decisions,
    arranged: &Arranged,
    small: &BTreeMap<Class, Vec<PileId>>,
) -> Vec<Row> {
    let mut piles: Vec<PileId> = decisions.shown(scan).collect();
    let found = |id: &PileId| scan.pile(*id).found().bytes;
    let frees = |id: &PileId| Reverse((decisions.takes(*id).bytes, found(id)));
    match arranged.order {
        Order::Book => {}
        Order::Class | Order::Frees => piles.sort_by_key(frees),
        Order::Found => piles.sort_by_key(|id| Reverse(found(id))),
        Order::Regrowth => {
            let weekly = |id: &PileId| arranged.weekly.get(id).copied().unwrap_or(0);
            piles.sort_by_key(|id| Reverse((weekly(id), found(id))));
        }
        Order::Account => piles.sort_by_key(|id| scan.account_name(scan.pile(*id))),
    }
    if arranged.order.has_headings() {
        return by_class(scan, &piles, arranged, small);
    }
    piles.into_iter().map(Row::Pile).collect()
}

fn by_class(
    scan: &Scan,
    piles: &[PileId],
    arranged: &Arranged,
    small: &BTreeMap<Class, Vec<PileId>>,
) -> Vec<Row> {
    let mut rows = Vec::new();
    for class in Class::ALL {
        let is_of_class = |id: &PileId| scan.class_of(*id) == class;
        let mut of_class = piles.iter().copied().filter(is_of_class).peekable();
        if of_class.peek().is_none() {
            continue;
        }
        if !rows.is_empty() {
            rows.push(Row::Gap);
        }
        rows.push(Row::Heading(class));
        if arranged.folded.contains(&class) {
            continue;
        }
        let grouped = small.get(&class).filter(|_| arranged.order == Order::Class);
        let grouped = grouped.map_or(&[][..], Vec::as_slice);
        let large = of_class.filter(|id| !grouped.contains(id));
        rows.extend(large.map(Row::Pile));
        if !grouped.is_empty() {
            rows.push(Row::Small(class));
        }
        if arranged.opened.contains(&class) {
            rows.extend(grouped.iter().copied().map(Row::Pile));
        }
    }
    rows
}
