//! What is weighed: the piles of one scan and what was decided about them.

use std::collections::{BTreeMap, HashMap, HashSet};
use std::sync::Arc;

use jiff::civil::Date;
use jolly_core::decide::{Decisions, PileState};
use jolly_core::host::RunningProgram;
use jolly_core::pile::{Scan, Sum};
use jolly_core::report::Regrown;
use jolly_core::rule::{BAND_COUNT, Class};
use jolly_core::source::{ItemId, PileId};
use jolly_core::survey::{Sites, Space, Versions};
use jolly_core::walk::FolderNumber;

use crate::tui::model::rows::{Arranged, small_piles};
use crate::tui::model::{CopiesSaid, InsideView, KnownCopies, KnownPrograms, Order, Row, rows};
use crate::wording::counted;

/// What a class, or the small piles of one, hold.
#[derive(Clone, Copy, Debug, Default)]
pub(in crate::tui) struct ClassSum {
    pub takes: Sum,
    pub found: Sum,
    /// How much of these sums is estimates, in bytes.
    taken_estimates: u64,
    found_estimates: u64,
    pub bands: [u64; BAND_COUNT],
    /// How many piles are taken, taken in part, left, and can't be taken.
    states: [usize; 4],
}

impl ClassSum {
    /// How these piles stand as one.
    pub(in crate::tui) fn state(&self) -> PileState {
        match self.states {
            [_, 0, 0, 0] => PileState::Taken,
            [0, 0, _, 0] => PileState::Left,
            [0, 0, 0, _] => PileState::Blocked,
            _ => PileState::Part,
        }
    }

    /// How many piles can't be taken now.
    pub(in crate::tui) fn blocked(&self) -> usize {
        let [.., blocked] = self.states;
        blocked
    }

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
    pub arranged: Arranged,
    /// The piles that stand in one row for each class, biggest first.
    pub small: BTreeMap<Class, Vec<PileId>>,
    /// Position in `rows`.
    pub focus: usize,
    pub classes: BTreeMap<Class, ClassSum>,
    /// What the small piles of each class hold.
    pub small_sums: BTreeMap<Class, ClassSum>,
    /// The most that any pile takes, in bytes.
    pub most_taken: u64,
    /// The pile that is looked into.
    pub inside: Option<Box<InsideView>>,
    /// None while they are looked for.
    pub users: Option<Holders>,
    /// What web sites left in browsers, once that was asked for.
    pub sites: Option<Arc<Sites>>,
    /// What programs occupy, once that was asked for.
    pub programs: Option<Arc<KnownPrograms>>,
    /// Where the space is, once that was asked for.
    pub space: Option<Arc<Space>>,
    /// Which files are there twice, once that was asked for.
    pub copies: Option<Arc<KnownCopies>>,
    /// What is there in several versions, once that was asked for.
    pub versions: Option<Arc<Versions>>,
    /// What is said of both.
    pub copies_said: CopiesSaid,
    /// The folder that was looked at last in that lens.
    pub space_folder: FolderNumber,
    /// What has come back since the last visit.
    pub regrown: Option<Regrown>,
    /// What looked left behind and belongs to a program that is there after all, by position.
    pub belongs: HashSet<usize>,
    /// Whether what is set aside stays on the computer's own volume, and frees little.
    pub is_dustpan_on_target: bool,
    /// What is said when somebody walks on to it from arrive.
    pub greeting: Option<String>,
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
        let arranged = before.map_or_else(
            || Arranged {
                order: Order::Class,
                folded: Vec::new(),
                opened: Vec::new(),
                weekly: HashMap::new(),
            },
            // Piles have other numbers in another scan.
            |before| Arranged {
                weekly: HashMap::new(),
                ..before.arranged.clone()
            },
        );
        let mut weigh = Self {
            scan,
            decisions,
            rows: Vec::new(),
            arranged,
            small: BTreeMap::new(),
            focus: 0,
            classes: BTreeMap::new(),
            small_sums: BTreeMap::new(),
            most_taken: 0,
            inside: None,
            users: None,
            sites: None,
            programs: None,
            space: None,
            copies: None,
            versions: None,
            copies_said: CopiesSaid::default(),
            space_folder: FolderNumber::ROOT,
            regrown: None,
            belongs: HashSet::new(),
            is_dustpan_on_target: false,
            greeting: None,
            today,
        };
        weigh.arrange();
        weigh.sum_up();
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

    /// Takes in what has come back since the last visit.
    pub(in crate::tui) fn has_come_back(&mut self, since: Option<Regrown>) {
        let piles = (0..self.scan.piles.len()).map(PileId);
        let weekly = piles.filter_map(|id| {
            let pile = self.scan.pile(id);
            let rule = &self.scan.rules.rule(pile.rule).id;
            let weekly = since
                .as_ref()?
                .weekly_of(rule, self.scan.account_name(pile))?;
            Some((id, weekly))
        });
        self.arranged.weekly = weekly.collect();
        self.regrown = since;
        if self.arranged.order == Order::Regrowth {
            self.arrange();
        }
    }

    /// The class of a pile.
    pub(in crate::tui) fn class_of(&self, id: PileId) -> Class {
        self.scan.class_of(id)
    }

    /// The small piles of a class.
    pub(in crate::tui) fn small_of(&self, class: Class) -> &[PileId] {
        self.small.get(&class).map_or(&[], Vec::as_slice)
    }

    /// Whether a pile stands in a row with others now.
    pub(in crate::tui) fn is_in_small(&self, id: PileId) -> bool {
        let class = self.class_of(id);
        self.arranged.order == Order::Class
            && !self.arranged.opened.contains(&class)
            && self.small_of(class).contains(&id)
    }

    /// The small piles of a class in words.
    pub(in crate::tui) fn small_words(&self, class: Class) -> String {
        let piles = counted(self.small_of(class).len() as u64, "small pile");
        if self.arranged.opened.contains(&class) {
            piles
        } else {
            format!("and {piles}")
        }
    }

    /// The pile in focus.
    pub(in crate::tui) fn focused_pile(&self) -> Option<PileId> {
        match self.rows.get(self.focus) {
            Some(Row::Pile(id)) => Some(*id),
            Some(Row::Heading(_) | Row::Small(_) | Row::Gap) | None => None,
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
        self.small = small_piles(&self.scan, &self.decisions);
        self.rows = rows(&self.scan, &self.decisions, &self.arranged, &self.small);
        let (class, is_small) = match focused {
            Some(Row::Pile(id)) => (Some(self.class_of(id)), self.is_in_small(id)),
            Some(Row::Heading(class) | Row::Small(class)) => (Some(class), false),
            Some(Row::Gap) | None => (None, false),
        };
        let at = |wanted: Option<Row>| self.rows.iter().position(|row| Some(*row) == wanted);
        self.focus = at(focused)
            .or_else(|| at(class.filter(|_| is_small).map(Row::Small)))
            .or_else(|| at(class.map(Row::Heading)))
            .unwrap_or(0);
    }

    /// Adds up what follows from the decisions.
    pub(in crate::tui) fn sum_up(&mut self) {
        let mut classes: BTreeMap<Class, ClassSum> = BTreeMap::new();
        let mut small: BTreeMap<Class, ClassSum> = BTreeMap::new();
        let mut most_taken = 0;
        for id in self.decisions.shown(&self.scan) {
            let class = self.class_of(id);
            self.add(classes.entry(class).or_default(), id);
            if self.small_of(class).contains(&id) {
                self.add(small.entry(class).or_default(), id);
            }
            most_taken = self.decisions.takes(id).bytes.max(most_taken);
        }
        self.most_taken = most_taken;
        self.classes = classes;
        self.small_sums = small;
        if let Some(inside) = &mut self.inside {
            inside.sum_up(&self.scan, &self.decisions);
        }
    }

    fn add(&self, sum: &mut ClassSum, id: PileId) {
        let pile = self.scan.pile(id);
        sum.takes.add(self.decisions.takes(id));
        sum.found.add(pile.found());
        if self.scan.is_estimated(id) {
            sum.taken_estimates += self.decisions.takes(id).bytes;
            sum.found_estimates += pile.found().bytes;
        }
        for (band, more) in sum.bands.iter_mut().zip(pile.bands) {
            *band = band.saturating_add(more);
        }
        let state = self.decisions.state(&self.scan, id);
        let at = match state {
            PileState::Taken => 0,
            PileState::Part => 1,
            PileState::Left => 2,
            PileState::Blocked => 3,
        };
        if let Some(count) = sum.states.get_mut(at) {
            *count += 1;
        }
    }
}
