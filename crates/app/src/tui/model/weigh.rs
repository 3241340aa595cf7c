//! What is weighed: the piles of one scan and what was decided about them.

use std::collections::{BTreeMap, HashMap};
use std::sync::Arc;

use jiff::civil::Date;
use jolly_core::decide::Decisions;
use jolly_core::host::RunningProgram;
use jolly_core::pile::{Scan, Sum};
use jolly_core::rule::{BAND_COUNT, Class};
use jolly_core::source::{ItemId, PileId};

use crate::tui::model::{InsideView, Order, Row, rows};

/// What one class holds.
#[derive(Clone, Copy, Debug, Default)]
pub(in crate::tui) struct ClassSum {
    pub takes: Sum,
    pub found: Sum,
    /// How much of these sums is estimates, in bytes.
    taken_estimates: u64,
    found_estimates: u64,
    pub bands: [u64; BAND_COUNT],
}

impl ClassSum {
    /// Whether estimates could show in the figures of what it takes.
    pub(in crate::tui) fn takes_estimates(&self) -> bool {
        shows(self.taken_estimates, self.takes.bytes)
    }

    /// Whether they could in those of what was found.
    pub(in crate::tui) fn finds_estimates(&self) -> bool {
        shows(self.found_estimates, self.found.bytes)
    }
}

/// Of three figures the last is a two hundredth at least of what is shown.
fn shows(part: u64, whole: u64) -> bool {
    part > 0 && part.saturating_mul(200) >= whole
}

/// Who holds which items.
#[derive(Clone, Debug, Default)]
pub(in crate::tui) struct Holders {
    pub items: HashMap<ItemId, RunningProgram>,
    /// How many of a pile, and one who holds any.
    pub piles: HashMap<PileId, (u64, RunningProgram)>,
}

/// What is weighed.
pub(in crate::tui) struct Weigh {
    pub scan: Arc<Scan>,
    pub decisions: Decisions,
    pub rows: Vec<Row>,
    pub order: Order,
    pub folded: Vec<Class>,
    /// Position in `rows`.
    pub focus: usize,
    pub classes: BTreeMap<Class, ClassSum>,
    /// The pile that is looked into.
    pub inside: Option<Box<InsideView>>,
    /// None while they are looked for.
    pub users: Option<Holders>,
    /// Whether what is set aside stays on the computer's own volume, and frees little.
    pub is_dustpan_on_target: bool,
    /// The day of the scan: exclusions are dated by it.
    pub today: Date,
}

impl Weigh {
    /// Starts weighing a scan, ordered and folded as the one before.
    pub(in crate::tui) fn new(
        scan: Arc<Scan>,
        decisions: Decisions,
        today: Date,
        before: Option<&Self>,
    ) -> Self {
        let order = before.map_or(Order::Class, |before| before.order);
        let folded = before.map_or_else(Vec::new, |before| before.folded.clone());
        let mut weigh = Self {
            scan,
            decisions,
            rows: Vec::new(),
            order,
            folded,
            focus: 0,
            classes: BTreeMap::new(),
            inside: None,
            users: None,
            is_dustpan_on_target: false,
            today,
        };
        weigh.sum_up();
        weigh.arrange();
        let before = before.and_then(|before| Some((before, before.focused_pile()?)));
        let same = before.and_then(|(before, id)| {
            let key = before.scan.key_of(before.scan.pile(id));
            weigh.scan.pile_of(&key)
        });
        let is_it = |row: &Row| match (row, same) {
            (Row::Pile(id), Some(same)) => *id == same,
            (Row::Pile(_), None) => true,
            _ => false,
        };
        weigh.focus = weigh.rows.iter().position(is_it).unwrap_or(0);
        weigh
    }

    /// The class of a pile.
    pub(in crate::tui) fn class_of(&self, id: PileId) -> Class {
        self.scan.rules.rule(self.scan.pile(id).rule).rule.class
    }

    /// The pile in focus.
    pub(in crate::tui) fn focused_pile(&self) -> Option<PileId> {
        match self.rows.get(self.focus) {
            Some(Row::Pile(id)) => Some(*id),
            Some(Row::Heading(_) | Row::Gap) | None => None,
        }
    }

    /// Who is seen to hold an item.
    pub(in crate::tui) fn program(&self, item: ItemId) -> Option<&RunningProgram> {
        self.users.as_ref()?.items.get(&item)
    }

    /// What a pile is called: its title and whose it is.
    pub(in crate::tui) fn name_of(&self, id: PileId) -> String {
        let pile = self.scan.pile(id);
        let title = &self.scan.rules.rule(pile.rule).rule.title;
        let account = self.scan.account_name(pile).unwrap_or("the system");
        format!("{title} of {account}")
    }

    /// Lays the rows out again; the focus stays on what it is on, or on its class.
    pub(in crate::tui) fn arrange(&mut self) {
        let focused = self.rows.get(self.focus).copied();
        self.rows = rows(&self.scan, &self.decisions, self.order, &self.folded);
        let class = match focused {
            Some(Row::Pile(id)) => Some(self.class_of(id)),
            Some(Row::Heading(class)) => Some(class),
            Some(Row::Gap) | None => None,
        };
        let at = |wanted: Option<Row>| self.rows.iter().position(|row| Some(*row) == wanted);
        self.focus = at(focused)
            .or_else(|| at(class.map(Row::Heading)))
            .unwrap_or(0);
    }

    /// Adds up what follows from the decisions.
    pub(in crate::tui) fn sum_up(&mut self) {
        let mut classes: BTreeMap<Class, ClassSum> = BTreeMap::new();
        for id in self.decisions.shown(&self.scan) {
            let pile = self.scan.pile(id);
            let sum = classes.entry(self.class_of(id)).or_default();
            sum.takes.add(self.decisions.takes(id));
            sum.found.add(pile.found());
            let is_estimated = self.scan.is_estimated(id);
            if is_estimated {
                sum.taken_estimates += self.decisions.takes(id).bytes;
                sum.found_estimates += pile.found().bytes;
            }
            for (band, more) in sum.bands.iter_mut().zip(pile.bands) {
                *band = band.saturating_add(more);
            }
        }
        self.classes = classes;
        if let Some(inside) = &mut self.inside {
            inside.sum_up(&self.scan, &self.decisions);
        }
    }
}
