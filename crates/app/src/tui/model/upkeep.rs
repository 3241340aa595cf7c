//! Chores: which there are, which follow the sweep.

use std::collections::BTreeSet;

use jolly_core::chores::{Chore, ChoreId};

/// The chores of the computer that is worked on.
#[derive(Default)]
pub(in crate::tui) struct Upkeep {
    /// Whether they were looked for.
    pub is_asked: bool,
    /// None until they were found.
    pub known: Vec<Chore>,
    /// Those that follow the sweep.
    pub chosen: BTreeSet<ChoreId>,
}

impl Upkeep {
    /// Those that can be done.
    pub(in crate::tui) fn possible(&self) -> usize {
        self.known.iter().filter(|chore| chore.can.is_ok()).count()
    }

    /// Those that follow the sweep, in the order in which they are done.
    pub(in crate::tui) fn follow(&self) -> Vec<Chore> {
        let chosen = self.known.iter();
        let chosen = chosen.filter(|chore| self.chosen.contains(&chore.id));
        chosen.cloned().collect()
    }

    /// What the check says of them; nothing where there is none that can be done.
    pub(in crate::tui) fn line(&self) -> Option<String> {
        let many = self.possible();
        if many == 0 {
            return None;
        }
        let names: Vec<&str> = self.follow().iter().map(|chore| chore.id.title()).collect();
        Some(if names.is_empty() {
            let can = crate::wording::counted(many as u64, "chore");
            format!("{can} could follow the sweep; i shows and chooses them")
        } else {
            format!(
                "the sweep is followed by {}; i changes that",
                names.join(", ")
            )
        })
    }
}

/// The chores as they stand before the check, to be chosen.
pub(in crate::tui) struct UpkeepView {
    /// The one in focus.
    pub focus: usize,
}
