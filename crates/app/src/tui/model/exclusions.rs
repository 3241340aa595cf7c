//! All exclusions, with what each one spares now.

use jolly_core::decide::Excluded;
use jolly_core::pile::Sum;

use crate::tui::model::Weigh;

/// All exclusions.
#[derive(Default)]
pub(in crate::tui) struct ExclusionsView {
    /// For each, what would go but for it.
    pub held: Vec<Sum>,
    pub focus: usize,
}

impl ExclusionsView {
    /// The view of what is excluded now.
    pub(in crate::tui) fn new(weigh: &Weigh, focus: usize) -> Self {
        let all = weigh.decisions.exclusions();
        let held = |one: &Excluded| weigh.decisions.held_by(&weigh.scan, &one.reach);
        Self {
            held: all.iter().map(held).collect(),
            focus: focus.min(all.len().saturating_sub(1)),
        }
    }
}
