//! Everything the interface knows. Plain data; only `update` changes it.

mod arrive;
mod belongs;
mod check;
mod context;
mod copies;
mod dustpan;
mod exclude;
mod exclusions;
mod export;
mod hints;
mod inside;
mod languages;
mod packing;
mod place;
mod programs;
mod report;
mod rows;
mod rulebooks;
mod runs;
mod scanning;
mod sites;
mod space;
mod starts;
mod startup;
mod sweeping;
mod uninstall;
mod upkeep;
mod weigh;
mod wipe;

use std::sync::Arc;
use std::time::Duration;

use jolly_core::computer::Volume;
use jolly_core::decide::Selection;
use jolly_core::rule::RuleNumber;
use jolly_core::run::LeftOver;
use jolly_core::survey::{InPieces, Sign};
use tui_input::Input;

pub(super) use arrive::{Arrived, Bench, Computer, Look, Origin};
pub(super) use belongs::BelongsDraft;
pub(super) use check::{Check, CheckList, CheckRow, Rehearsal, WORD, Waits};
pub(super) use context::Context;
pub(super) use copies::{CopiesSaid, CopiesToTake, CopiesView, CopyList, CopyRow, KnownCopies};
pub(super) use dustpan::{DustpanRun, DustpanView, PanRow};
pub(super) use exclude::{Counted, Draft, Field, Offer};
pub(super) use exclusions::ExclusionsView;
pub(super) use export::{Drawing, ExportView, Subject};
pub(super) use hints::Done;
pub(super) use inside::{InsideRow, InsideView, OpenPile};
pub(super) use languages::LanguagesView;
pub(super) use packing::{PackStage, PackSubject, PackingView};
pub(super) use place::{PlaceDraft, PlaceLine};
pub(super) use programs::{KnownPrograms, ProgramOrder, ProgramRow, ProgramsView};
pub(super) use report::{Report, Verified, customer_words};
pub(super) use rows::{Order, Row, rows};
pub(super) use rulebooks::{RuleRow, Rulebooks};
pub(super) use runs::RunsView;
pub(super) use scanning::{PlaceGroup, PlaceProgress, Scanning};
pub(super) use sites::{RowKind, SiteOrder, SiteRow, SiteSum, SitesView};
pub(super) use space::{MOST_ROWS, SpaceList, SpaceView, UNUSED};
pub(super) use starts::{StartsRow, StartsView};
pub(super) use startup::StartupView;
pub(super) use sweeping::Sweeping;
pub(super) use uninstall::{UninstallStage, UninstallView, command_size};
pub(super) use upkeep::{Upkeep, UpkeepView};
pub(super) use weigh::{ClassSum, Holders, Weigh};
pub(super) use wipe::{WipeChoice, WipeStage, WipeView};

use crate::exit::Refusal;
use crate::session::Session;
use crate::tui::action::Action;

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

/// Something that was turned off.
pub(super) struct TurnedOff {
    /// The identity of its computer.
    pub computer: String,
    pub id: String,
    pub name: String,
}

/// Something that stands before the station.
pub(super) enum Overlay {
    /// All keys, from this one on; with the view that they stand before.
    Help(usize, Option<Box<Self>>),
    /// An exact age is typed; with what was wrong with it.
    ExactAge(Input, Option<String>),
    /// Something is looked for, in the view that stands there or at the station.
    Find(Input, Option<Box<Self>>),
    /// A folder is named; with the folders that begin so.
    Open(Input, Vec<String>),
    /// The rules in force.
    Rulebooks(Rulebooks),
    /// An exclusion is said.
    Exclude(Box<Draft>),
    /// All exclusions.
    Exclusions(ExclusionsView),
    /// What web sites left in browsers.
    Sites(Box<SitesView>),
    /// What programs occupy.
    Programs(Box<ProgramsView>),
    /// Where the space is.
    Space(Box<SpaceView>),
    /// Which files are there twice.
    Copies(Box<CopiesView>),
    /// What looks left behind is said to belong to a program.
    Belongs(Box<BelongsDraft>),
    /// A program is removed by its package manager.
    Uninstall(Box<UninstallView>),
    /// What was decided; with the step in focus.
    Decided(usize),
    /// How this shop starts.
    Starts(Box<StartsView>),
    /// A folder is made a pile of its own.
    Place(Box<PlaceDraft>),
    /// What waits in the dustpans.
    Dustpan(Box<DustpanView>),
    /// Earlier runs.
    Runs(Box<RunsView>),
    /// What starts by itself.
    Startup(Box<StartupView>),
    /// The list of the check is to be written to a file that is named; with what was wrong with it.
    Save(Input, Option<String>),
    /// A page or a picture is to be written.
    Export(Box<ExportView>),
    /// Something is packed, taken out of its archive, or rescued.
    Packing(Box<PackingView>),
    /// A pile of translations, language by language.
    Languages(Box<LanguagesView>),
    /// Files that lie in the most pieces.
    Pieces(Box<InPieces>),
    /// The chores that follow the sweep are chosen.
    Upkeep(UpkeepView),
    /// Something is written over.
    Wipe(Box<WipeView>),
}

/// Whose computer this is.
pub(super) struct Facts {
    pub owner: Option<String>,
    pub label: String,
    /// Its volume when the interface opened.
    pub volume: Volume,
    /// Whether a folder stands in for its volume.
    pub is_stand_in: bool,
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
    /// The words that were found last.
    pub found: String,
    /// What was asked about: the same key once more is the yes.
    pub asked: Option<Action>,
    /// What was settled when the computer was opened, to be told with its first look.
    pub settled: Vec<String>,
    /// Where to go once the scan is over: the piles that a sign is about.
    pub then_sign: Option<Sign>,
    /// What to look for among what was left behind once the scan is over.
    pub then_left_behind: Option<String>,
    /// Copies that were chosen to go, for the scan that is to take them, with what is known of them.
    pub copies_to_take: Option<CopiesToTake>,
    /// What was turned off since the interface opened and is off still.
    pub turned_off: Vec<TurnedOff>,
    /// The chores of the computer that is worked on.
    pub upkeep: Upkeep,
    /// What the mouse points at, in words.
    pub pointed: Option<String>,
    /// What this person has done before.
    pub done: Done,
    /// Columns and rows of the terminal.
    pub size: (u16, u16),
    /// The job that is waited for; news of earlier ones is dropped.
    pub job: u32,
    /// The last number that was given to a question.
    pub ticket: u32,
    pub selection: Selection,
    /// The rules that are turned off for the chosen computer.
    pub rules_off: Vec<RuleNumber>,
    pub scanning: Scanning,
    pub weigh: Option<Weigh>,
    pub check: Option<Check>,
    pub sweeping: Option<Sweeping>,
    pub report: Option<Report>,
    /// What a run left behind, to be taken alone once the scan is over.
    pub retry: Option<LeftOver>,
    /// Whether the scan under way leads back to check.
    pub then_check: bool,
}

/// The least that the screens are drawn for: columns and rows.
const LEAST: (u16, u16) = (80, 24);

/// Whether a terminal is too small to show what keys would do.
pub(in crate::tui) fn is_too_small((columns, rows): (u16, u16)) -> bool {
    columns < LEAST.0 || rows < LEAST.1
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
                is_stand_in: false,
            },
            bench: Bench::default(),
            station: Station::Arrive,
            overlay: None,
            turned_off: Vec::new(),
            upkeep: Upkeep::default(),
            clock: Duration::ZERO,
            is_over: false,
            refusal: None,
            message: None,
            found: String::new(),
            asked: None,
            then_sign: None,
            then_left_behind: None,
            copies_to_take: None,
            settled: Vec::new(),
            pointed: None,
            done: Done::default(),
            size: (142, 44),
            job: 0,
            ticket: 0,
            selection: Selection::default(),
            rules_off: Vec::new(),
            scanning: Scanning::default(),
            weigh: None,
            check: None,
            sweeping: None,
            report: None,
            retry: None,
            then_check: false,
        }
    }

    /// Begins with a computer: what is known of another one is let go of.
    pub(super) fn open(&mut self, session: Arc<Session>, selection: Selection, volume: Volume) {
        let target = &session.target;
        self.facts = Facts {
            owner: target.owner.clone(),
            label: target.label.clone(),
            volume,
            is_stand_in: target.is_stand_in(),
        };
        self.rules_off = session.rules_off();
        let before = Done::of(&session.done);
        self.done.add(&before);
        self.session = Some(session);
        self.selection = selection;
        self.scanning = Scanning::default();
        self.upkeep = Upkeep::default();
        self.weigh = None;
        self.check = None;
        self.sweeping = None;
        self.report = None;
        self.retry = None;
        self.copies_to_take = None;
        self.then_check = false;
    }

    /// A number for a new question.
    pub(super) fn next_ticket(&mut self) -> u32 {
        self.ticket += 1;
        self.ticket
    }

    /// Whether this is the computer that is worked on.
    pub(super) fn is_chosen(&self, session: &Session) -> bool {
        self.session
            .as_ref()
            .is_some_and(|chosen| chosen.target.key() == session.target.key())
    }

    /// The first look at the chosen computer, where it is on the bench.
    pub(super) fn chosen_arrival(&self) -> Option<&Arrived> {
        let mut looked_at = self.bench.computers.iter().filter_map(Computer::arrived);
        looked_at.find(|arrived| self.is_chosen(&arrived.session))
    }

    /// The computer that the screen shows: at arrive the one in focus, else the chosen one.
    pub(super) fn looked_at(&self) -> Option<Arc<Session>> {
        if self.station != Station::Arrive {
            return self.session.clone();
        }
        let focused = self.bench.focused()?;
        if let Some(arrived) = focused.arrived() {
            return Some(Arc::clone(&arrived.session));
        }
        // It was opened to be scanned, and its first look takes longer.
        let is_it = |session: &&Arc<Session>| session.target.root_path() == focused.root;
        self.session.as_ref().filter(is_it).map(Arc::clone)
    }

    /// Whether a scan of the chosen computer is under way.
    pub(super) fn is_scanning(&self) -> bool {
        self.session.is_some() && self.job > 0 && self.scanning.took.is_none()
    }

    /// Whether something on the screen moves by itself.
    pub(super) fn moves(&self) -> bool {
        let waits = match self.station {
            Station::Arrive => self.bench.waits() || self.is_scanning(),
            Station::Scan | Station::Report => self.scanning.took.is_none(),
            Station::Sweep => true,
            Station::Check => self.check.as_ref().is_none_or(Check::waits),
            Station::Weigh => false,
        };
        waits && !self.is_over
    }
}
