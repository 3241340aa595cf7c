//! How a sweep went, and what a second look says.

use jolly_core::chores::ChoreEnd;
use jolly_core::computer::TargetPath;
use jolly_core::pile::Sum;
use jolly_core::report::{Advice, Cause, Notice};
use jolly_core::rule::Class;
use jolly_core::run::{LeftOver, RunSummary};
use jolly_core::state::RunId;

use crate::tui::model::Check;
use crate::wording::bytes;

/// What the verifying scan says.
#[derive(Clone, Debug)]
pub(in crate::tui) struct Verified {
    /// What the same decisions would take now.
    pub takes: Sum,
    /// What the run said stays.
    pub stayed: Sum,
}

/// How many things are said that somebody will notice.
const TOLD: usize = 3;

/// What a sweep means, in words for the customer: what it gave back, and what will be noticed.
pub(in crate::tui) fn customer_words(summary: &RunSummary, check: Option<&Check>) -> String {
    let freed = summary.free_after.saturating_sub(summary.free_before);
    let mut words = vec![format!("{} freed.", bytes(freed))];
    let notices = check.map_or(&[][..], |check| &check.notices);
    let is_felt = |notice: &&Notice| matches!(notice.class, Class::Felt | Class::Ask);
    for notice in notices.iter().filter(is_felt).take(TOLD) {
        // It goes on after the name.
        let mut letters = notice.what.chars();
        let first = letters.next().map(|first| first.to_lowercase().to_string());
        let what = first.unwrap_or_default() + letters.as_str();
        words.push(format!("For {}: {what}", notice.who.join(", ")));
    }
    if notices.iter().any(|notice| notice.class == Class::Regrows) {
        words.push("Some programs and pages open slower the first time.".to_owned());
    } else if notices.is_empty() {
        words.push("Nobody will notice anything else.".to_owned());
    }
    words.join(" ")
}

/// The report station.
pub(in crate::tui) struct Report {
    pub run: RunId,
    pub summary: Box<RunSummary>,
    /// What it means, in words for the customer.
    pub told: String,
    /// What to tell them beside, most pressing first.
    pub advice: Vec<Advice>,
    /// Whether the scan it was made from had been stopped.
    pub is_partial: bool,
    /// Why the free space is not what was predicted.
    pub explained: Vec<(Cause, u64)>,
    /// Size of the volume.
    pub size: u64,
    /// What it left behind that another try may take.
    pub left: Option<LeftOver>,
    /// The restore point that was made before it, until it is let go of.
    pub point: Option<TargetPath>,
    /// What came of the chores that followed it.
    pub chores: Vec<ChoreEnd>,
    /// None while the verifying scan is under way.
    pub verified: Option<Verified>,
}
