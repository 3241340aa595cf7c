//! What can happen, and what can be asked for.

use std::collections::BTreeSet;
use std::path::PathBuf;
use std::sync::Arc;

use jolly_core::decide::{Decisions, Manifest, Selection};
use jolly_core::rulebook::RuleNumber;
use jolly_core::scan::{Scan, ScanEvent};
use jolly_core::sweep::{RunSummary, SweepEvent};
use jolly_core::target::Volume;
use ratatui::crossterm::event::KeyEvent;

use crate::exit::Refusal;
use crate::session::Session;
use crate::tui::model::{Arrived, Check, Origin};

/// Something that happened.
pub(super) enum Msg {
    /// Nothing that shows.
    Nothing,
    /// The terminal has another size.
    Resized,
    /// The terminal is gone, or the system asked the program to end.
    Ended,
    /// A key was pressed.
    Key(KeyEvent),
    /// Text was pasted.
    Pasted(String),
    /// The computers on the bench.
    Found(Vec<(PathBuf, Origin)>),
    /// A first look at one of them has ended.
    Arrived(PathBuf, Result<Box<Arrived>, String>),
    /// Folders that begin as what was typed.
    Completed(String, Vec<String>),
    /// What is said of a path, and the rule that decided, by position.
    Explained(String, Option<usize>),
    /// The job sheet is kept, or not.
    Kept(Result<(), String>),
    /// News of a scan.
    Scanning(u32, ScanEvent),
    /// The computer that the options name has been opened, or can't be.
    Opened(Box<Result<Opened, Refusal>>),
    /// A scan has ended; nothing when it broke off.
    Scanned(u32, Option<Box<Scanned>>),
    /// The manifest of the decisions is made.
    Listed(u32, Option<Box<Check>>),
    /// A rehearsal has ended.
    Rehearsed(u32, Result<Box<RunSummary>, String>),
    /// News of a sweep.
    Sweeping(SweepEvent),
    /// A sweep has ended; the run's id with its summary.
    Swept(Result<(String, Box<RunSummary>), String>),
}

/// A computer that has been opened.
pub(super) struct Opened {
    pub session: Session,
    pub selection: Selection,
    pub volume: Volume,
}

/// A scan to do.
pub(super) struct ScanJob {
    pub job: u32,
    pub session: Arc<Session>,
    pub selection: Selection,
    /// The scan before, to take from it what has not changed.
    pub before: Option<Arc<Scan>>,
}

/// A scan that has ended, with what its rules recommend.
pub(super) struct Scanned {
    pub scan: Arc<Scan>,
    pub decisions: Decisions,
    /// The rules that were turned off for it.
    pub skip: Vec<RuleNumber>,
}

impl Scanned {
    /// Decides about a scan as its rules recommend.
    pub(super) fn of(scan: Scan, selection: &Selection) -> Self {
        Self {
            decisions: Decisions::new(&scan, selection),
            scan: Arc::new(scan),
            skip: selection.skip.clone(),
        }
    }
}

/// Something that a thread has to do.
pub(super) enum Effect {
    /// Look which computers are on the bench.
    FindComputers,
    /// Take a first look at one.
    Arrive(PathBuf),
    /// Find the folders that begin so.
    Complete(String),
    /// Say which rule has a path.
    Explain(Arc<Session>, String),
    /// Keep which rules are off for a computer.
    KeepRulesOff(Arc<Session>, BTreeSet<String>),
    /// Open the computer that the options name, and read its rulebooks.
    OpenComputer,
    /// Scan.
    Scan(Box<ScanJob>),
    /// Let go of something large; that takes its time, too.
    LetGo(Box<dyn std::any::Any + Send>),
    /// Stop the scan and keep what is there.
    StopScan,
    /// Make the manifest.
    List(u32, Arc<Scan>, Box<Decisions>),
    /// Rehearse a manifest.
    Rehearse(u32, Arc<Session>, Arc<Scan>, Arc<Manifest>),
    /// Carry a manifest out. Only the typed word leads here.
    Sweep(Arc<Session>, Arc<Scan>, Arc<Manifest>),
    /// Stop the sweep after the item under way.
    StopSweep,
}
