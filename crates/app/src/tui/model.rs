//! Everything the interface knows. Plain data; only `update` changes it.

mod arrive;
mod check;
mod report;
mod rows;
mod rulebooks;
mod scanning;
mod sweeping;

use std::sync::Arc;
use std::time::Duration;

use jolly_core::decide::{Decisions, PileDecision, Selection};
use jolly_core::rulebook::RuleNumber;
use jolly_core::scan::{PileId, Scan};
use jolly_core::target::Volume;
use tui_input::Input;

pub(super) use arrive::{Arrived, Bench, Computer, Look, Origin};
pub(super) use check::{Check, Rehearsal, WORD};
pub(super) use report::{Report, Verified};
pub(super) use rows::{Order, Row, rows};
pub(super) use rulebooks::{RuleRow, Rulebooks};
pub(super) use scanning::{PlaceProgress, Scanning};
pub(super) use sweeping::Sweeping;

use crate::exit::Refusal;
use crate::session::Session;

/// A step of the work.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub(super) enum Station {
    Arrive,
    Scan,
    Weigh,
    Check,
    Sweep,
    Report,
}

impl Station {
    /// The road, in order.
    pub(super) const ROAD: [Self; 6] = [
        Self::Arrive,
        Self::Scan,
        Self::Weigh,
        Self::Check,
        Self::Sweep,
        Self::Report,
    ];

    /// Its word.
    pub(super) fn name(self) -> &'static str {
        match self {
            Self::Arrive => "arrive",
            Self::Scan => "scan",
            Self::Weigh => "weigh",
            Self::Check => "check",
            Self::Sweep => "sweep",
            Self::Report => "report",
        }
    }
}

/// Something that stands before the station.
pub(super) enum Overlay {
    /// All keys.
    Help,
    /// An exact age is typed; with what was wrong with it.
    ExactAge(Input, Option<String>),
    /// Something is looked for.
    Find(Input),
    /// A folder is named; with the folders that begin so.
    Open(Input, Vec<String>),
    /// The rules in force.
    Rulebooks(Rulebooks),
}

/// Whose computer this is.
pub(super) struct Facts {
    pub owner: Option<String>,
    pub label: String,
    /// Its volume when the interface opened.
    pub volume: Volume,
}

/// What is weighed.
pub(super) struct Weigh {
    pub scan: Arc<Scan>,
    pub decisions: Decisions,
    pub rows: Vec<Row>,
    pub order: Order,
    /// Position in `rows`.
    pub focus: usize,
}

/// Everything the interface knows.
pub(super) struct Model {
    /// The computer that is worked on.
    pub session: Option<Arc<Session>>,
    pub facts: Facts,
    pub bench: Bench,
    pub station: Station,
    pub overlay: Option<Overlay>,
    /// Since the interface opened.
    pub clock: Duration,
    pub is_over: bool,
    /// Why the interface ends, when the computer can't be opened.
    pub refusal: Option<Refusal>,
    /// What the last key did or could not do, in words.
    pub message: Option<String>,
    /// The job that is waited for; news of earlier ones is dropped.
    pub job: u32,
    pub selection: Selection,
    /// The rules that are turned off for the chosen computer.
    pub rules_off: Vec<RuleNumber>,
    pub scanning: Scanning,
    pub weigh: Option<Weigh>,
    pub check: Option<Check>,
    pub sweeping: Option<Sweeping>,
    pub report: Option<Report>,
}

impl Model {
    /// The model of a fresh interface, at arrive.
    pub(super) fn new() -> Self {
        Self {
            session: None,
            facts: Facts {
                owner: None,
                label: String::new(),
                volume: Volume::default(),
            },
            bench: Bench::default(),
            station: Station::Arrive,
            overlay: None,
            clock: Duration::ZERO,
            is_over: false,
            refusal: None,
            message: None,
            job: 0,
            selection: Selection::default(),
            rules_off: Vec::new(),
            scanning: Scanning::default(),
            weigh: None,
            check: None,
            sweeping: None,
            report: None,
        }
    }

    /// Begins with a computer: what is known of another one is let go of.
    pub(super) fn open(&mut self, session: Arc<Session>, selection: Selection, volume: Volume) {
        let target = &session.target;
        self.facts = Facts {
            owner: target.owner.clone(),
            label: target.label.clone(),
            volume,
        };
        self.rules_off = session.rules_off();
        self.session = Some(session);
        self.selection = selection;
        self.scanning = Scanning::default();
        self.weigh = None;
        self.check = None;
        self.sweeping = None;
        self.report = None;
    }

    /// Whether this is the computer that is worked on.
    pub(super) fn is_chosen(&self, session: &Session) -> bool {
        self.session
            .as_ref()
            .is_some_and(|chosen| chosen.target.key() == session.target.key())
    }

    /// The computer that the screen shows: at arrive the one in focus, else the chosen one.
    pub(super) fn looked_at(&self) -> Option<Arc<Session>> {
        if self.station == Station::Arrive {
            let arrived = self.bench.focused()?.arrived()?;
            return Some(Arc::clone(&arrived.session));
        }
        self.session.clone()
    }

    /// Whether something on the screen moves by itself.
    pub(super) fn moves(&self) -> bool {
        let waits = match self.station {
            Station::Arrive => self.bench.waits(),
            Station::Scan => self.scanning.took.is_none(),
            Station::Sweep => true,
            Station::Check => self.check.as_ref().is_none_or(Check::waits),
            Station::Report => self
                .report
                .as_ref()
                .is_some_and(|report| report.verified.is_none()),
            Station::Weigh => false,
        };
        waits && !self.is_over
    }
}

impl Weigh {
    /// Starts weighing a scan; what was decided about piles of the same rule and account before
    /// is decided again.
    pub(super) fn new(scan: Arc<Scan>, mut decisions: Decisions, before: Option<&Self>) -> Self {
        let mut carried: Vec<(PileId, PileDecision)> = Vec::new();
        if let Some(before) = before {
            for (at, pile) in before.scan.piles.iter().enumerate() {
                let same = scan.pile_of(pile.rule, pile.account);
                carried.extend(same.map(|id| (id, before.decisions.of(PileId(at)))));
            }
        }
        decisions.decide(&scan, "what was decided before", &carried);
        let order = before.map_or(Order::Class, |before| before.order);
        let rows = rows(&scan, &decisions, order);
        let focus = rows
            .iter()
            .position(|row| matches!(row, Row::Pile(_)))
            .unwrap_or(0);
        Self {
            scan,
            decisions,
            rows,
            order,
            focus,
        }
    }
}
