//! The programs lens: what each program of the computer really occupies.

use std::collections::HashSet;
use std::sync::Arc;

use jiff::Timestamp;
use jolly_core::decide::{Decisions, Extent, Portion};
use jolly_core::pile::{Scan, Sum};
use jolly_core::rule::Survey;
use jolly_core::survey::{Grade, Inventory, Leftover, Program};

use crate::tui::model::Weigh;

/// How the rows are ordered.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub(in crate::tui) enum ProgramOrder {
    All,
    Data,
    Cache,
    /// What nobody has used for longest first.
    LastUsed,
    Name,
}

impl ProgramOrder {
    /// Every order, as the key goes through them.
    pub(in crate::tui) const ALL: [Self; 5] = [
        Self::All,
        Self::Data,
        Self::Cache,
        Self::LastUsed,
        Self::Name,
    ];

    /// In words.
    pub(in crate::tui) fn words(self) -> &'static str {
        match self {
            Self::All => "by what they occupy",
            Self::Data => "by data",
            Self::Cache => "by caches and logs",
            Self::LastUsed => "unused for longest first",
            Self::Name => "by name",
        }
    }
}

/// What was found out about programs.
#[derive(Default)]
pub(in crate::tui) struct KnownPrograms {
    pub inventory: Inventory,
    /// What the scan found of each that it can make again.
    pub renewable: Vec<Portion>,
    /// What programs that are gone left, the surest first.
    pub left: Arc<[Leftover]>,
    /// What the scan found of each folder and file of these.
    pub portions: Vec<Vec<Portion>>,
}

/// What a list of the lens holds in all.
#[derive(Clone, Copy, Debug, Default)]
pub(in crate::tui) struct ProgramSums {
    /// How many are shown.
    pub shown: u64,
    /// What they occupy.
    pub bytes: u64,
    /// How many of the programs nobody used for a year.
    pub unused: u64,
    /// How many programs came with the system or with others.
    pub parts: u64,
    /// How many of what was left behind are sure, likely, unsure.
    pub graded: [u64; 3],
}

/// How much goes of each.
#[derive(Clone, Debug, Default)]
pub(in crate::tui) struct ProgramsGoing {
    /// Of a program's caches and logs.
    programs: Vec<Extent>,
    /// Of each folder or file of what a program that is gone left.
    left: Vec<Vec<Extent>>,
}

impl ProgramsGoing {
    fn of(scan: &Scan, decisions: &Decisions, known: &KnownPrograms) -> Self {
        let chosen = |portion: &Portion| portion.is_chosen(decisions);
        let of_left = |portions: &Vec<Portion>| portions.iter().map(chosen).collect();
        let goes = |portion: &Portion| portion.goes(scan, decisions);
        Self {
            programs: known.renewable.iter().map(goes).collect(),
            left: known.portions.iter().map(of_left).collect(),
        }
    }

    /// How much goes of what a row is about.
    pub(in crate::tui) fn of_row(&self, row: ProgramRow) -> Extent {
        let found = match row {
            ProgramRow::Program(at) => self.programs.get(at).copied(),
            ProgramRow::Footprint(..) => None,
            ProgramRow::Left(at) => {
                let folders = self.left.get(at).into_iter().flatten().copied();
                folders.reduce(Extent::with)
            }
            ProgramRow::LeftFolder(at, folder) => {
                self.left.get(at).and_then(|all| all.get(folder)).copied()
            }
        };
        found.unwrap_or_default()
    }
}

/// A row of the lens.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub(in crate::tui) enum ProgramRow {
    /// A program, by position.
    Program(usize),
    /// A folder or file of a program, by both positions.
    Footprint(usize, usize),
    /// What a program that is gone left, by position.
    Left(usize),
    /// A folder or file of that, by both positions.
    LeftFolder(usize, usize),
}

/// The programs lens.
pub(in crate::tui) struct ProgramsView {
    /// Nothing while they are looked for.
    pub known: Option<Arc<KnownPrograms>>,
    pub rows: Vec<ProgramRow>,
    pub focus: usize,
    pub order: ProgramOrder,
    /// Whether parts of the system and what came as a dependency are shown, too.
    pub has_parts: bool,
    /// Whether what programs that are gone left is shown instead.
    pub has_left: bool,
    /// What of that is to be in focus once it is known, by name.
    pub wanted: Option<String>,
    /// Programs whose folders are shown, by position.
    pub opened: HashSet<usize>,
    /// The same, of programs that are gone.
    pub opened_left: HashSet<usize>,
    /// Ages are counted to here.
    pub now: Timestamp,
    /// What looked left behind and belongs to a program after all, by position.
    pub belongs: HashSet<usize>,
    /// What is shown, added up.
    pub sums: ProgramSums,
    /// What goes, as it was last decided.
    pub going: ProgramsGoing,
    /// What goes of all that was left behind.
    pub taken: Sum,
}

/// After so many seconds without use nobody uses a program any more.
const UNUSED: i64 = 365 * 86_400;

impl ProgramsView {
    pub(in crate::tui) fn new(now: Timestamp) -> Self {
        Self {
            known: None,
            rows: Vec::new(),
            focus: 0,
            order: ProgramOrder::All,
            has_parts: false,
            has_left: false,
            wanted: None,
            opened: HashSet::new(),
            opened_left: HashSet::new(),
            now,
            belongs: HashSet::new(),
            sums: ProgramSums::default(),
            going: ProgramsGoing::default(),
            taken: Sum::default(),
        }
    }

    /// Takes in what was found.
    pub(in crate::tui) fn read(&mut self, known: Arc<KnownPrograms>, weigh: &Weigh) {
        self.known = Some(known);
        self.sum_up(weigh);
        self.arrange();
    }

    /// Works out anew what goes.
    pub(in crate::tui) fn sum_up(&mut self, weigh: &Weigh) {
        let Some(known) = &self.known else { return };
        let (scan, decisions) = (&weigh.scan, &weigh.decisions);
        self.going = ProgramsGoing::of(scan, decisions, known);
        let mut taken = Sum::default();
        let piles = decisions.shown(scan);
        let of_survey = piles.filter(|id| scan.survey_of(*id) == Some(Survey::LeftBehind));
        of_survey.for_each(|id| taken.add(decisions.takes(id)));
        self.taken = taken;
        self.belongs.clone_from(&weigh.belongs);
    }

    /// What the scan found of what is in focus of a program that is gone: of all its folders, or of one.
    pub(in crate::tui) fn focused_portions(&self) -> &[Portion] {
        let Some(known) = &self.known else { return &[] };
        match self.rows.get(self.focus) {
            Some(ProgramRow::Left(at)) => known.portions.get(*at).map_or(&[], Vec::as_slice),
            Some(ProgramRow::LeftFolder(at, folder)) => {
                let all = known.portions.get(*at).map_or(&[][..], Vec::as_slice);
                all.get(*folder..=*folder).unwrap_or_default()
            }
            Some(ProgramRow::Program(_) | ProgramRow::Footprint(..)) | None => &[],
        }
    }

    /// Lays the rows out; the focus stays on its program.
    pub(in crate::tui) fn arrange(&mut self) {
        let Some(known) = self.known.clone() else {
            return;
        };
        if self.has_left {
            self.arrange_left(&known);
            return;
        }
        let focused = self.focused().map(|(at, _)| at);
        let all = known.inventory.programs.iter().enumerate();
        let mut shown: Vec<(usize, &Program)> = all
            .filter(|(_, one)| self.has_parts || one.is_own_program())
            .collect();
        let key = |one: &Program| {
            let first = match self.order {
                ProgramOrder::All => one.bytes.all(),
                ProgramOrder::Data => one.bytes.data,
                ProgramOrder::Cache => one.bytes.cache.saturating_add(one.bytes.logs),
                ProgramOrder::LastUsed => {
                    let used = one.last_used.map(|used| self.now.as_second() - used);
                    used.map_or(0, |since| since.max(0).unsigned_abs())
                }
                ProgramOrder::Name => 0,
            };
            std::cmp::Reverse(first)
        };
        shown.sort_by_key(|(_, one)| key(one));
        let occupied = shown.iter().map(|(_, one)| one.bytes.all());
        let unused = shown.iter().filter(|(_, one)| self.is_unused(one)).count();
        let parts = known.inventory.programs.iter();
        self.sums = ProgramSums {
            shown: shown.len() as u64,
            bytes: occupied.fold(0, u64::saturating_add),
            unused: unused as u64,
            parts: parts.filter(|one| !one.is_own_program()).count() as u64,
            graded: [0; 3],
        };
        self.rows.clear();
        for (at, one) in shown {
            self.rows.push(ProgramRow::Program(at));
            if self.opened.contains(&at) {
                let held = 0..one.footprint.len();
                self.rows
                    .extend(held.map(|held| ProgramRow::Footprint(at, held)));
            }
        }
        let same =
            |row: &ProgramRow| matches!(row, ProgramRow::Program(at) if Some(*at) == focused);
        let found = self.rows.iter().position(same);
        self.focus = found.unwrap_or_else(|| self.focus.min(self.rows.len().saturating_sub(1)));
    }

    /// Lays out what programs that are gone left.
    fn arrange_left(&mut self, known: &KnownPrograms) {
        let focused = self.focused_left().map(|(at, _)| at);
        let all = known.left.iter().enumerate();
        let shown: Vec<(usize, &Leftover)> =
            all.filter(|(at, _)| !self.belongs.contains(at)).collect();
        let held = shown.iter().map(|(_, one)| one.bytes());
        let graded = |grade: Grade| {
            let all = shown.iter().filter(|(_, one)| one.grade == grade);
            all.count() as u64
        };
        self.sums = ProgramSums {
            shown: shown.len() as u64,
            bytes: held.fold(0, u64::saturating_add),
            graded: [Grade::Sure, Grade::Likely, Grade::Unsure].map(graded),
            ..ProgramSums::default()
        };
        self.rows.clear();
        for (at, one) in shown {
            self.rows.push(ProgramRow::Left(at));
            if self.opened_left.contains(&at) {
                let folders = 0..one.folders.len();
                self.rows
                    .extend(folders.map(|folder| ProgramRow::LeftFolder(at, folder)));
            }
        }
        let is_wanted = |one: &Leftover| {
            let mut wanted = self.wanted.iter();
            wanted.any(|name| name.eq_ignore_ascii_case(&one.name))
        };
        let wanted = known.left.iter().position(is_wanted);
        let focused = wanted.or(focused);
        self.wanted = None;
        let same = |row: &ProgramRow| matches!(row, ProgramRow::Left(at) if Some(*at) == focused);
        let found = self.rows.iter().position(same);
        self.focus = found.unwrap_or_else(|| self.focus.min(self.rows.len().saturating_sub(1)));
    }

    /// What a program that is gone left, in focus, with its position.
    pub(in crate::tui) fn focused_left(&self) -> Option<(usize, &Leftover)> {
        let (ProgramRow::Left(at) | ProgramRow::LeftFolder(at, _)) = *self.rows.get(self.focus)?
        else {
            return None;
        };
        Some((at, self.known.as_ref()?.left.get(at)?))
    }

    /// Whether nobody used a program for a year, as far as that is known.
    pub(in crate::tui) fn is_unused(&self, one: &Program) -> bool {
        one.last_used
            .is_some_and(|used| self.now.as_second() - used > UNUSED)
    }

    /// The program in focus, or whose folder is, with its position.
    pub(in crate::tui) fn focused(&self) -> Option<(usize, &Program)> {
        let (ProgramRow::Program(at) | ProgramRow::Footprint(at, _)) =
            *self.rows.get(self.focus)?
        else {
            return None;
        };
        let program = self.known.as_ref()?.inventory.programs.get(at)?;
        Some((at, program))
    }

    /// What the scan found of a program that it can make again.
    pub(in crate::tui) fn renewable(&self, at: usize) -> Option<&Portion> {
        let known = self.known.as_ref()?.renewable.get(at)?;
        (!known.nodes.is_empty()).then_some(known)
    }

    /// What a row is called, to be found by.
    pub(in crate::tui) fn name_of(&self, row: ProgramRow) -> String {
        let known = self.known.as_ref();
        let program = |at: usize| known.and_then(|known| known.inventory.programs.get(at));
        let left = |at: usize| known.and_then(|known| known.left.get(at));
        match row {
            ProgramRow::Program(at) => program(at).map(|one| format!("{} {}", one.name, one.id)),
            ProgramRow::Footprint(at, held) => program(at)
                .and_then(|one| one.footprint.get(held))
                .map(|held| held.path.to_string()),
            ProgramRow::Left(at) => left(at).map(|one| one.name.clone()),
            ProgramRow::LeftFolder(at, folder) => left(at)
                .and_then(|one| one.folders.get(folder))
                .map(|folder| folder.path.to_string()),
        }
        .unwrap_or_default()
    }
}
