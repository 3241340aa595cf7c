//! When the line of a station has been understood: its step has been done once.

use crate::tui::keys::Action;
use crate::tui::model::{Model, Station};
use crate::tui::msg::{Effect, Keeping};

/// Whether an action is what the hint of a station speaks of.
pub(super) fn is_step(station: Station, action: Action) -> bool {
    match station {
        Station::Arrive => matches!(action, Action::Choose | Action::Onward),
        Station::Weigh => matches!(
            action,
            Action::Younger | Action::Older | Action::ClassYounger | Action::ClassOlder
        ),
        Station::Check => matches!(action, Action::Rehearse),
        Station::Report => matches!(action, Action::Export | Action::Enter),
        // These are done when they are over.
        Station::Scan | Station::Sweep => false,
    }
}

/// Notes that the step of a station was done.
pub(super) fn done(model: &mut Model, station: Station) -> Vec<Effect> {
    let Some(session) = model.looked_at() else {
        return Vec::new();
    };
    if !model.done.note(station) {
        return Vec::new();
    }
    vec![Effect::Keep(session, Keeping::Done(model.done.names()))]
}
