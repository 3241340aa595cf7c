//! Saying to which program belongs what looks left behind.

use std::sync::Arc;

use jolly_core::decide::{Choice, Node, Scope};
use jolly_core::format::Printable;
use ratatui::crossterm::event::{Event, KeyCode, KeyEvent};
use tui_input::Input;
use tui_input::backend::crossterm::EventHandler as _;

use crate::tui::model::{BelongsDraft, Model, Overlay, ProgramsView};
use crate::tui::msg::{Effect, Keeping};
use crate::tui::update::change::change;

/// Asks to which program belongs what is in focus.
pub(in crate::tui::update) fn begin(model: &mut Model, lens: Box<ProgramsView>) {
    let focused = lens.focused_left();
    let Some((at, name)) = focused.map(|(at, left)| (at, left.name.clone())) else {
        model.message = Some("Nothing that looks left behind is in focus; L shows it.".to_owned());
        model.overlay = Some(Overlay::Programs(lens));
        return;
    };
    let draft = BelongsDraft::new(at, name, lens);
    model.overlay = Some(Overlay::Belongs(Box::new(draft)));
}

pub(in crate::tui::update) fn press(
    model: &mut Model,
    mut draft: Box<BelongsDraft>,
    key: KeyEvent,
) -> Vec<Effect> {
    match key.code {
        KeyCode::Esc => {
            model.overlay = Some(Overlay::Programs(draft.lens));
            return Vec::new();
        }
        KeyCode::Enter => return say(model, draft),
        KeyCode::Tab => {
            // The first that is offered; a name is seldom long enough to be completed in part.
            if let Some(first) = draft.offered.first() {
                draft.program = Input::new(first.clone());
                draft.offer();
            }
        }
        KeyCode::Up | KeyCode::Down => {
            draft.scope = match draft.scope {
                Scope::Everywhere => Scope::Computer,
                Scope::Computer | Scope::Run => Scope::Everywhere,
            };
        }
        _ => {
            draft.program.handle_event(&Event::Key(key));
            draft.wrong = None;
            draft.offer();
        }
    }
    model.overlay = Some(Overlay::Belongs(draft));
    Vec::new()
}

/// Text is pasted into the line.
pub(in crate::tui::update) fn paste(
    model: &mut Model,
    mut draft: Box<BelongsDraft>,
    line: &str,
) -> Vec<Effect> {
    for letter in line.chars() {
        draft
            .program
            .handle(tui_input::InputRequest::InsertChar(letter));
    }
    draft.offer();
    model.overlay = Some(Overlay::Belongs(draft));
    Vec::new()
}

/// Has it count from now on, and keeps it; nothing of it goes any more.
fn say(model: &mut Model, mut draft: Box<BelongsDraft>) -> Vec<Effect> {
    let Some(program) = draft.meant() else {
        draft.wrong = Some("no program of that name is there".to_owned());
        model.overlay = Some(Overlay::Belongs(draft));
        return Vec::new();
    };
    let BelongsDraft {
        left,
        name,
        scope,
        lens: mut view,
        ..
    } = *draft;
    let known = view.known.iter();
    let portions = known.filter_map(|known| known.portions.get(left));
    let nodes: Vec<Node> = portions
        .flatten()
        .flat_map(|one| one.nodes.clone())
        .collect();
    let shown = Printable(name.as_bytes()).to_string();
    let (_, mut effects) = change(model, |weigh| {
        let scan = Arc::clone(&weigh.scan);
        weigh.belongs.insert(left);
        let what = format!("{shown} belongs to {program}");
        weigh
            .decisions
            .choose_all(&scan, &what, &nodes, Choice::Leave)
    });
    if let Some(weigh) = &model.weigh {
        view.sum_up(weigh);
        view.arrange();
    }
    let on = match scope {
        Scope::Everywhere => "all computers",
        Scope::Computer | Scope::Run => "this computer",
    };
    model.message = Some(format!(
        "{shown} belongs to {}, on {on}, and is no longer told as left behind.",
        Printable(program.as_bytes())
    ));
    let keep = |session| Effect::Keep(session, Keeping::Belongs(scope, program, name));
    effects.extend(model.session.clone().map(keep));
    model.overlay = Some(Overlay::Programs(view));
    effects
}
