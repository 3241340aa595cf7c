//! The computers on the bench.

use std::path::{Path, PathBuf};
use std::sync::Arc;

use jolly_core::decide::Selection;
use jolly_core::host::UnmountedVolume;
use jolly_core::report::Forecast;
use jolly_core::rule::RuleNumber;
use jolly_core::run::LeftOver;
use jolly_core::state::Sheet;
use jolly_core::survey::Arrival;

use crate::session::Session;

/// How a computer came onto the list.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub(in crate::tui) enum Origin {
    /// It is the running one.
    This,
    /// Its volume is mounted.
    Mounted,
    /// Somebody named its folder, now or at an earlier visit.
    Opened,
}

impl Origin {
    /// In words.
    pub(in crate::tui) fn words(self) -> &'static str {
        match self {
            Self::This => "this computer",
            Self::Mounted => "mounted at",
            Self::Opened => "opened at",
        }
    }
}

/// A computer that was opened for a first look.
pub(in crate::tui) struct Arrived {
    pub session: Arc<Session>,
    pub selection: Selection,
    pub arrival: Arrival,
    /// The moment of the look, seconds since 1970: ages on the screen count from it.
    pub now: i64,
    /// What its last sweep left behind.
    pub left: Option<LeftOver>,
    /// What was settled or emptied at this look, in words.
    pub notes: Vec<String>,
    /// The rules that are turned off for it.
    pub rules_off: Vec<RuleNumber>,
    /// When its volume fills up again, as far as visits tell.
    pub forecast: Option<Forecast>,
}

impl Arrived {
    /// Its job sheet, when it has been here before.
    pub(in crate::tui) fn sheet(&self) -> Option<&Sheet> {
        self.session.sheet.as_ref()
    }
}

/// How far the first look is.
pub(in crate::tui) enum Look {
    UnderWay,
    Done(Box<Arrived>),
    Failed(String),
}

/// One computer on the bench.
pub(in crate::tui) struct Computer {
    pub root: PathBuf,
    pub origin: Origin,
    pub look: Look,
}

impl Computer {
    /// What a first look told, once it has.
    pub(in crate::tui) fn arrived(&self) -> Option<&Arrived> {
        match &self.look {
            Look::Done(arrived) => Some(arrived),
            Look::UnderWay | Look::Failed(_) => None,
        }
    }
}

/// The computers on the bench.
#[derive(Default)]
pub(in crate::tui) struct Bench {
    pub computers: Vec<Computer>,
    /// Position in `computers`.
    pub focus: usize,
    /// Volumes that aren't mounted.
    pub unmounted: Vec<UnmountedVolume>,
    /// Whether the mounted volumes have been looked through.
    pub is_found: bool,
}

impl Bench {
    /// The computer in focus.
    pub(in crate::tui) fn focused(&self) -> Option<&Computer> {
        self.computers.get(self.focus)
    }

    /// Puts a computer on the list unless it is there; says where it stands.
    pub(in crate::tui) fn add(&mut self, root: PathBuf, origin: Origin) -> usize {
        if let Some(at) = self.position(&root) {
            return at;
        }
        self.computers.push(Computer {
            root,
            origin,
            look: Look::UnderWay,
        });
        self.computers.len() - 1
    }

    /// Where a computer stands.
    pub(in crate::tui) fn position(&self, root: &Path) -> Option<usize> {
        self.computers.iter().position(|known| known.root == root)
    }

    /// Whether a look is still under way.
    pub(in crate::tui) fn waits(&self) -> bool {
        let is_waiting = |computer: &Computer| matches!(computer.look, Look::UnderWay);
        !self.is_found || self.computers.iter().any(is_waiting)
    }
}
