//! The first minute: one line at each station until somebody has done what it is for.

use std::collections::BTreeSet;

use crate::tui::model::Station;

impl Station {
    /// What the step is for, and the two keys that matter.
    pub(in crate::tui) fn hint(self) -> &'static str {
        match self {
            Self::Arrive => {
                "Look at the machine before you touch it: enter scans it, a adds a folder."
            }
            Self::Scan => "Files are only read, nothing changes: esc stops here, tab goes on.",
            Self::Weigh => {
                "What is right of the line goes: [ ] move the line, space takes or leaves a row."
            }
            Self::Check => "Read what will be noticed: r rehearses it, typing sweep starts it.",
            Self::Sweep => "It can be held at any moment: p pauses, esc stops; the log stays true.",
            Self::Report => {
                "What went, and what stayed and why: e makes a page of it, enter goes back."
            }
        }
    }
}

/// What this person has done before, by the names of the stations.
#[derive(Clone, Debug, Default)]
pub(in crate::tui) struct Done(BTreeSet<String>);

impl Done {
    /// What was kept from earlier days.
    pub(in crate::tui) fn of(names: &[String]) -> Self {
        Self(names.iter().cloned().collect())
    }

    /// Whether it was done at this station.
    pub(in crate::tui) fn has(&self, station: Station) -> bool {
        self.0.contains(station.name())
    }

    /// Notes that it was done; whether that is new.
    pub(in crate::tui) fn note(&mut self, station: Station) -> bool {
        self.0.insert(station.name().to_owned())
    }

    /// Adds what was done on other days.
    pub(in crate::tui) fn add(&mut self, other: &Self) {
        self.0.extend(other.0.iter().cloned());
    }

    /// The names of the stations, to be kept.
    pub(in crate::tui) fn names(&self) -> Vec<String> {
        self.0.iter().cloned().collect()
    }
}
