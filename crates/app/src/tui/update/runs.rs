//! Looking through earlier runs.

use crate::tui::keys::Action;
use crate::tui::model::{Model, Overlay, RunsView};
use crate::tui::msg::{Effect, FileWork, Runs};
use crate::tui::update::{export, moved};

/// Opens the view.
pub(super) fn open(model: &mut Model) -> Vec<Effect> {
    let Some(session) = model.looked_at() else {
        model.message = Some("No computer is open yet.".to_owned());
        return Vec::new();
    };
    model.overlay = Some(Overlay::Runs(Box::default()));
    vec![Effect::Files(FileWork::LoadRuns(session))]
}

/// Takes in what the logs tell.
pub(super) fn loaded(model: &mut Model, loaded: Runs) {
    if let Some(Overlay::Runs(view)) = &mut model.overlay {
        view.runs = Some(loaded.runs);
        view.broken = loaded.broken;
    }
}

pub(super) fn act(model: &mut Model, mut view: Box<RunsView>, action: Action) -> Vec<Effect> {
    if action == Action::Export
        && let Some(focused) = view.focused()
    {
        return export::run(model, focused.run.clone());
    }
    let count = view.runs.as_ref().map_or(0, Vec::len);
    view.focus = moved(view.focus, count, action);
    model.overlay = Some(Overlay::Runs(view));
    Vec::new()
}
