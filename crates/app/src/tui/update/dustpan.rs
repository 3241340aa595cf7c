//! Looking through the dustpans, and bringing things back.

use std::sync::Arc;

use jolly_core::run::RestoreSummary;

use crate::tui::keys::Action;
use crate::tui::lookups::shown;
use crate::tui::model::{DustpanView, Model, Overlay, PanRow};
use crate::tui::msg::{Dustpans, Effect, FileWork};
use crate::tui::update::moved;
use crate::wording::{bytes, count, counted};

/// Opens the view.
pub(super) fn open(model: &mut Model) -> Vec<Effect> {
    let Some(session) = model.looked_at() else {
        model.message = Some("No computer is open yet.".to_owned());
        return Vec::new();
    };
    model.overlay = Some(Overlay::Dustpan(Box::default()));
    vec![Effect::Files(FileWork::LoadDustpans(session))]
}

/// Takes in what the dustpans hold.
pub(super) fn loaded(model: &mut Model, loaded: Dustpans) {
    let Some(Overlay::Dustpan(view)) = &mut model.overlay else {
        return;
    };
    view.broken = loaded.broken;
    view.open = view.open.filter(|open| *open < loaded.runs.len());
    view.runs = Some(loaded.runs);
    view.focus = view.focus.min(view.count().saturating_sub(1));
    view.count_brings();
}

pub(super) fn act(model: &mut Model, mut view: Box<DustpanView>, action: Action) -> Vec<Effect> {
    let asked = view.asks.take();
    let effects = match action {
        Action::Enter => {
            turn(&mut view);
            Vec::new()
        }
        Action::GetBack => bring_back(model, &mut view, asked),
        Action::Delete => empty(model, &mut view, asked),
        _ => {
            view.focus = moved(view.focus, view.count(), action);
            Vec::new()
        }
    };
    view.count_brings();
    model.overlay = Some(Overlay::Dustpan(view));
    effects
}

/// Opens or closes the run or folder in focus.
fn turn(view: &mut DustpanView) {
    match view.focused() {
        Some(PanRow::Run(run)) => {
            view.open = (view.open != Some(run)).then_some(run);
            view.open_folder = None;
            view.focus = run;
        }
        Some(PanRow::Folder(run, folder)) => {
            view.open_folder = (view.open_folder != Some(folder)).then_some(folder);
            view.focus = run + 1 + folder;
        }
        Some(PanRow::Item(run, folder, _)) => {
            view.open_folder = None;
            view.focus = run + 1 + folder;
        }
        None => {}
    }
}

/// Gets back what is in focus; of more than one thing the number is said first.
fn bring_back(
    model: &mut Model,
    view: &mut DustpanView,
    asked: Option<(Action, usize)>,
) -> Vec<Effect> {
    let brings = view.focused().and_then(|row| view.brings(row));
    let (Some((run, paths, many)), Some(session)) = (brings, model.looked_at()) else {
        return Vec::new();
    };
    if view.is_busy {
        model.message = Some("Something is being brought back already.".to_owned());
        return Vec::new();
    }
    if run.pan.identity != session.identity {
        model.message = Some(format!(
            "These are of {} at {}; choose that computer at arrive first.",
            run.pan.label, run.pan.target
        ));
        return Vec::new();
    }
    if !run.is_here {
        let path = shown(&run.pan.archive);
        model.message = Some(format!(
            "The dustpan {path} is not here now; mount its volume."
        ));
        return Vec::new();
    }
    if many == 0 {
        model.message = Some(
            "What these are copies of stayed there. Open the folder and choose one to get it back."
                .to_owned(),
        );
        return Vec::new();
    }
    let asking = (Action::GetBack, view.focus);
    if many > 1 && asked != Some(asking) {
        let items = counted(many, "item");
        model.message = Some(format!(
            "g once more gets {items} back to {}.",
            run.pan.target
        ));
        view.asks = Some(asking);
        return Vec::new();
    }
    let pan = Arc::clone(&run.pan);
    view.is_busy = true;
    model.message = Some("Bringing it back…".to_owned());
    vec![Effect::Files(FileWork::BringBack(session, pan, paths))]
}

/// Empties the run in focus, at the second press.
fn empty(model: &mut Model, view: &mut DustpanView, asked: Option<(Action, usize)>) -> Vec<Effect> {
    let (Some(PanRow::Run(at)), Some(session)) = (view.focused(), model.looked_at()) else {
        model.message = Some("Only a whole run can be emptied.".to_owned());
        return Vec::new();
    };
    let Some(run) = view.runs.as_deref().and_then(|runs| runs.get(at)) else {
        return Vec::new();
    };
    if view.is_busy {
        return Vec::new();
    }
    let asking = (Action::Delete, view.focus);
    if asked != Some(asking) {
        view.asks = Some(asking);
        model.message = Some(format!(
            "del once more empties it for good: {} come back, {} can't be brought back any more.",
            bytes(run.packed),
            counted((run.held - run.back) as u64, "item")
        ));
        return Vec::new();
    }
    let pan = Arc::clone(&run.pan);
    view.is_busy = true;
    vec![Effect::Files(FileWork::EmptyPan(session, pan))]
}

/// Takes in what came back.
pub(super) fn brought_back(
    model: &mut Model,
    result: Result<RestoreSummary, String>,
) -> Vec<Effect> {
    model.message = Some(match result {
        Err(why) => why,
        Ok(returned) => told(&returned),
    });
    reload(model)
}

/// Takes in that a dustpan was emptied.
pub(super) fn emptied(model: &mut Model, result: Result<u64, String>) -> Vec<Effect> {
    model.message = Some(match result {
        Err(why) => why,
        Ok(freed) => format!("It is empty: {} came back.", bytes(freed)),
    });
    reload(model)
}

fn reload(model: &mut Model) -> Vec<Effect> {
    if let Some(Overlay::Dustpan(view)) = &mut model.overlay {
        view.is_busy = false;
    }
    let session = model.looked_at();
    session
        .map(|session| Effect::Files(FileWork::LoadDustpans(session)))
        .into_iter()
        .collect()
}

fn told(returned: &RestoreSummary) -> String {
    let back = returned.items.iter().filter(|(_, back)| back.is_back());
    let back = back.count() as u64;
    let mut others = returned.items.iter().filter(|(_, back)| !back.is_back());
    let came = counted(back, "item");
    let missing = count(returned.items.len() as u64 - back);
    match others.next() {
        None => format!("{came} brought back. A new scan shows it."),
        Some((item, why)) => {
            let (place, why) = (item.shown(), why.reason());
            format!("{came} brought back; {missing} not, such as {place}: {why}.")
        }
    }
}
