//! The rows of the weigh station.

use std::cmp::Reverse;

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
    /// White space.
    Gap,
}

/// How rows are ordered.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub(in crate::tui) enum Order {
    /// By class, as the rules stand.
    Class,
    /// By what they free as things stand, most first; then by what they hold.
    Frees,
    /// By account.
    Account,
}

impl Order {
    /// The next one.
    pub(in crate::tui) fn next(self) -> Self {
        match self {
            Self::Class => Self::Frees,
            Self::Frees => Self::Account,
            Self::Account => Self::Class,
        }
    }

    /// In words.
    pub(in crate::tui) fn words(self) -> &'static str {
        match self {
            Self::Class => "ordered by class",
            Self::Frees => "ordered by what they free, most first",
            Self::Account => "ordered by account",
        }
    }
}

/// The rows of a scan in an order.
pub(in crate::tui) fn rows(
    scan: &Scan,
    decisions: &Decisions,
    order: Order,
    folded: &[Class],
) -> Vec<Row> {
    let mut piles: Vec<PileId> = decisions.shown(scan).collect();
    match order {
        Order::Class => return by_class(scan, &piles, folded),
        Order::Frees => piles.sort_by_key(|id| {
            let (takes, found) = (decisions.takes(*id), scan.pile(*id).found());
            Reverse((takes.bytes, found.bytes))
        }),
        Order::Account => piles.sort_by_key(|id| scan.account_name(scan.pile(*id))),
    }
    piles.into_iter().map(Row::Pile).collect()
}

fn by_class(scan: &Scan, piles: &[PileId], folded: &[Class]) -> Vec<Row> {
    let mut rows = Vec::new();
    for class in Class::ALL {
        let is_of_class = |id: &&PileId| scan.rules.rule(scan.pile(**id).rule).rule.class == class;
        let mut of_class = piles.iter().filter(is_of_class).peekable();
        if of_class.peek().is_none() {
            continue;
        }
        if !rows.is_empty() {
            rows.push(Row::Gap);
        }
        rows.push(Row::Heading(class));
        if !folded.contains(&class) {
            rows.extend(of_class.map(|id| Row::Pile(*id)));
        }
    }
    rows
}
