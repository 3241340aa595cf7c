//! What can happen, and what can be asked for.

use std::sync::Arc;

use jolly_core::decide::{Decisions, Manifest};
use jolly_core::scan::{Scan, ScanEvent};
use jolly_core::sweep::{RunSummary, SweepEvent};
use ratatui::crossterm::event::KeyEvent;

/// Something that happened.
pub(super) enum Msg {
    /// Nothing that shows.
    Nothing,
    /// The terminal has another size.
    Resized,
    /// A key was pressed.
    Key(KeyEvent),
    /// Text was pasted.
    Pasted(String),
    /// News of a scan.
    Scanning(u32, ScanEvent),
    /// A scan has ended; nothing when it broke off.
    Scanned(u32, Option<Box<Scan>>),
    /// The manifest of the decisions is made.
    Listed(u32, Option<Box<Manifest>>),
    /// A rehearsal has ended.
    Rehearsed(u32, Result<Box<RunSummary>, String>),
    /// News of a sweep.
    Sweeping(SweepEvent),
    /// A sweep has ended; the run's id with its summary.
    Swept(Result<(String, Box<RunSummary>), String>),
}

/// Something that a thread has to do.
pub(super) enum Effect {
    /// Scan.
    Scan(u32),
    /// Stop the scan and keep what is there.
    StopScan,
    /// Make the manifest.
    List(u32, Arc<Scan>, Box<Decisions>),
    /// Rehearse a manifest.
    Rehearse(u32, Arc<Scan>, Arc<Manifest>),
    /// Carry a manifest out. Only the typed word leads here.
    Sweep(Arc<Scan>, Arc<Manifest>),
    /// Stop the sweep after the item under way.
    StopSweep,
}
