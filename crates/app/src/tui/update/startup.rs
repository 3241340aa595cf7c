//! What starts by itself: switched off and on, one after the other.

use std::sync::Arc;

use crate::tui::keys::Action;
use crate::tui::model::{Model, Overlay, StartupView, TurnedOff};
use crate::tui::msg::{Effect, FileWork, StartupNews};
use crate::tui::update::moved;

/// Opens the view for the computer in focus.
pub(super) fn open(model: &mut Model) -> Vec<Effect> {
    let Some(session) = model.looked_at() else {
        model.message = Some("It is not open yet.".to_owned());
        return Vec::new();
    };
    let view = StartupView::new(Arc::clone(&session));
    model.overlay = Some(Overlay::Startup(Box::new(view)));
    vec![Effect::Files(FileWork::LoadStarts(session))]
}

pub(super) fn act(model: &mut Model, mut view: Box<StartupView>, action: Action) -> Vec<Effect> {
    let count = view.rows.as_ref().map_or(0, Vec::len);
    let mut wanted = None;
    match action {
        Action::Toggle => {
            let row = view.focused();
            let stays = row.and_then(|row| Some((row.stays?, row)));
            match stays {
                Some((why, row)) => model.message = Some(format!("{} stays: {why}.", row.name)),
                None => wanted = row.map(|row| (row.id.clone(), !row.is_on)),
            }
        }
        Action::Undo => match view.done.last() {
            Some((id, was_on)) => wanted = Some((id.clone(), *was_on)),
            None => model.message = Some("Nothing was switched here yet.".to_owned()),
        },
        _ => view.focus = moved(view.focus, count, action),
    }
    let mut effects = Vec::new();
    if let Some((id, on)) = wanted.filter(|_| !view.is_busy) {
        view.is_busy = true;
        if action == Action::Undo {
            view.done.pop();
        } else {
            view.done.push((id.clone(), !on));
        }
        let session = Arc::clone(&view.session);
        effects.push(Effect::Files(FileWork::SwitchStart(session, id, on)));
    }
    model.overlay = Some(Overlay::Startup(view));
    effects
}

/// Takes in what was found, or what became of switching.
pub(super) fn hear(model: &mut Model, news: StartupNews) -> Vec<Effect> {
    let Some(Overlay::Startup(view)) = &mut model.overlay else {
        if let StartupNews::Switched(id, _, Err(why)) = news {
            model.message = Some(format!("{id}: {why}."));
        }
        return Vec::new();
    };
    match news {
        StartupNews::Found(Ok(list)) => {
            view.focus = view.focus.min(list.rows.len().saturating_sub(1));
            view.rows = Some(list.rows);
            view.unread = list.unread;
            view.is_busy = false;
            Vec::new()
        }
        StartupNews::Found(Err(why)) => {
            view.rows = Some(Vec::new());
            view.unread = vec![why];
            view.is_busy = false;
            Vec::new()
        }
        StartupNews::Switched(id, on, result) => {
            let rows = view.rows.as_deref().unwrap_or_default();
            let row = rows.iter().find(|row| row.id == id);
            let name = row.map_or(id.clone(), |row| row.name.clone());
            model.message = Some(match &result {
                Ok(true) if on => format!("{name} starts again."),
                Ok(true) => format!("{name} is off; u brings it back."),
                Ok(false) => format!("{name} was so already."),
                Err(why) => format!("{name} stays as it was: {why}."),
            });
            match result {
                Ok(has_changed) => {
                    let computer = view.session.identity.clone();
                    let off = &mut model.turned_off;
                    off.retain(|one| (&one.computer, &one.id) != (&computer, &id));
                    if has_changed && !on {
                        off.push(TurnedOff { computer, id, name });
                    }
                }
                Err(_) => drop(view.done.pop()),
            }
            let session = Arc::clone(&view.session);
            vec![Effect::Files(FileWork::LoadStarts(session))]
        }
    }
}
