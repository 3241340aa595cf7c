//! A page or a picture that is to be written: what it says, and the file that is named for it.

use std::sync::Arc;

use jiff::Timestamp;
use jolly_core::report::AgesRow;
use jolly_core::state::RunId;
use jolly_core::survey::Space;
use jolly_core::walk::FolderNumber;
use tui_input::Input;

use crate::handover::{Drawn, VisitsChart};

/// What is written.
#[derive(Clone)]
pub(in crate::tui) enum Subject {
    /// What a run did.
    Run(RunId),
    /// That something was written over.
    Certificate(RunId),
    /// The piles by age, as they are decided, and when they were scanned.
    Ages(Vec<AgesRow>, Timestamp),
    /// Where the space is, from a folder on, and when that was looked at.
    Space(Arc<Space>, FolderNumber, Timestamp),
    /// The computer's visits.
    Visits(Box<VisitsChart>),
}

impl Subject {
    /// What it is called.
    pub(in crate::tui) fn title(&self) -> &'static str {
        match self {
            Self::Run(_) => "The page for the customer",
            Self::Certificate(_) => "The certificate",
            Self::Ages(..) => "The piles by age",
            Self::Space(..) => "Where the space is",
            Self::Visits(_) => "Free space and what comes back",
        }
    }

    /// How a file's name may end.
    pub(in crate::tui) fn endings(&self) -> &'static str {
        match self {
            Self::Run(_) => ".pdf or .svg the page, .csv a table of all items, .json everything",
            Self::Certificate(_) => ".pdf or .svg the page, .json everything",
            Self::Ages(..) | Self::Space(..) | Self::Visits(_) => ".pdf or .svg",
        }
    }

    /// What a file's name says that it is.
    pub(in crate::tui) fn word(&self) -> &'static str {
        match self {
            Self::Run(_) => "report",
            Self::Certificate(_) => "certificate",
            Self::Ages(..) => "ages",
            Self::Space(..) => "space",
            Self::Visits(_) => "visits",
        }
    }
}

/// How far the drawing is.
pub(in crate::tui) enum Drawing {
    UnderWay,
    Done(Arc<Drawn>),
    /// There is none, and why.
    Failed(String),
}

/// What stands before the station while something is exported.
pub(in crate::tui) struct ExportView {
    pub subject: Subject,
    pub name: Input,
    pub drawing: Drawing,
    /// The first line that is shown.
    pub from: usize,
    /// What was wrong with the name.
    pub wrong: Option<String>,
    /// Whether a file of that name is there, and is replaced when that is said once more.
    pub replaces: bool,
    /// Whether it is being written.
    pub is_written: bool,
}

impl ExportView {
    pub(in crate::tui) fn new(subject: Subject, name: String) -> Self {
        Self {
            subject,
            name: Input::new(name),
            drawing: Drawing::UnderWay,
            from: 0,
            wrong: None,
            replaces: false,
            is_written: false,
        }
    }

    /// How many lines it says.
    pub(in crate::tui) fn lines(&self) -> usize {
        match &self.drawing {
            Drawing::Done(drawn) => drawn.lines.len(),
            Drawing::UnderWay | Drawing::Failed(_) => 0,
        }
    }
}
