//! Choosing the chores that follow the sweep.

use jolly_core::chores::Chore;
use ratatui::crossterm::event::{KeyCode, KeyEvent};

use crate::tui::model::{Model, Overlay, UpkeepView};
use crate::tui::msg::{Effect, FileWork, UpkeepNews};

/// Looks for the chores of the running system, once.
pub(super) fn look(model: &mut Model) -> Option<Effect> {
    let session = model.session.clone()?;
    if model.upkeep.is_asked || !session.target.is_live {
        return None;
    }
    model.upkeep.is_asked = true;
    Some(Effect::Files(FileWork::LookForChores(session)))
}

/// Takes in which there are, or what one that is being done says.
pub(super) fn hear(model: &mut Model, news: UpkeepNews) -> Vec<Effect> {
    match news {
        UpkeepNews::Found(chores) => found(model, chores),
        UpkeepNews::Said(title, line) => {
            if let Some(sweeping) = &mut model.sweeping {
                sweeping.last = format!("{title}: {line}");
            }
        }
    }
    Vec::new()
}

fn found(model: &mut Model, chores: Vec<Chore>) {
    model.upkeep.known = chores;
    tell(model);
}

/// Has the check say which follow.
pub(super) fn tell(model: &mut Model) {
    let line = model.upkeep.line();
    if let Some(check) = &mut model.check {
        check.upkeep = line;
        check.known = check.facts();
    }
}

/// Shows them.
pub(super) fn open(model: &mut Model) -> Vec<Effect> {
    let is_live = model.session.as_ref().is_some_and(|it| it.target.is_live);
    let words = match (is_live, model.upkeep.known.is_empty()) {
        (false, _) => "Chores are for the system that runs here; this is another one.",
        (true, true) => "The chores are still being looked for.",
        (true, false) => {
            let first = model.upkeep.known.iter().position(|it| it.can.is_ok());
            let focus = first.unwrap_or(0);
            model.overlay = Some(Overlay::Upkeep(UpkeepView { focus }));
            return Vec::new();
        }
    };
    model.message = Some(words.to_owned());
    Vec::new()
}

pub(super) fn press(model: &mut Model, mut view: UpkeepView, key: KeyEvent) -> Vec<Effect> {
    let last = model.upkeep.known.len().saturating_sub(1);
    model.message = None;
    match key.code {
        KeyCode::Esc | KeyCode::Enter => return Vec::new(),
        KeyCode::Up | KeyCode::Char('k') => view.focus = view.focus.saturating_sub(1),
        KeyCode::Down | KeyCode::Char('j') => view.focus = (view.focus + 1).min(last),
        KeyCode::Char(' ') => turn(model, view.focus),
        _ => {}
    }
    model.overlay = Some(Overlay::Upkeep(view));
    Vec::new()
}

/// Takes the one in focus, or leaves it.
fn turn(model: &mut Model, focus: usize) {
    let Some(chore) = model.upkeep.known.get(focus) else {
        return;
    };
    let (id, can) = (chore.id, chore.can.is_ok());
    if !can {
        model.message = Some("This one can't be done here.".to_owned());
    } else if !model.upkeep.chosen.remove(&id) {
        model.upkeep.chosen.insert(id);
    }
    tell(model);
}
