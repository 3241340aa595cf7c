//! How a sweep went, and what a second look says.

use jolly_core::pile::Sum;
use jolly_core::report::Cause;
use jolly_core::run::{LeftOver, RunSummary};
use jolly_core::state::RunId;

/// What the verifying scan says.
#[derive(Clone, Debug)]
pub(in crate::tui) struct Verified {
    /// What the same decisions would take now.
    pub takes: Sum,
    /// What the run said stays.
    pub stayed: Sum,
}

/// The report station.
pub(in crate::tui) struct Report {
    pub run: RunId,
    pub summary: Box<RunSummary>,
    /// Whether the scan it was made from had been stopped.
    pub is_partial: bool,
    /// Why the free space is not what was predicted.
    pub explained: Vec<(Cause, u64)>,
    /// Size of the volume.
    pub size: u64,
    /// What it left behind that another try may take.
    pub left: Option<LeftOver>,
    /// None while the verifying scan is under way.
    pub verified: Option<Verified>,
}
