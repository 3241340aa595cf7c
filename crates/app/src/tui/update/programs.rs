//! Looking through the programs: taking what one can make again.

pub(super) mod belongs;
mod left_behind;

use std::sync::Arc;

use jolly_core::decide::{Choice, Extent};
use jolly_core::format::Printable;
use jolly_core::pile::Scan;

use crate::tui::keys::Action;
use crate::tui::model::{KnownPrograms, Model, Overlay, ProgramOrder, ProgramsView};
use crate::tui::msg::{Effect, Question};
use crate::tui::update::change::{back_or_again, change};
use crate::tui::update::{moved, space, uninstall};
use crate::wording::bytes;

/// Opens the lens.
pub(super) fn open(model: &mut Model) -> Vec<Effect> {
    let Some(weigh) = &model.weigh else {
        return Vec::new();
    };
    let mut view = ProgramsView::new(weigh.scan.now);
    let effects = if let Some(known) = &weigh.programs {
        view.read(Arc::clone(known), weigh);
        Vec::new()
    } else {
        let scan = Arc::clone(&weigh.scan);
        let ask = |session| Effect::Question(Question::LookAtPrograms(scan, session));
        model.session.clone().map(ask).into_iter().collect()
    };
    model.overlay = Some(Overlay::Programs(Box::new(view)));
    effects
}

/// Opens the lens in an order.
pub(super) fn open_by(model: &mut Model, order: ProgramOrder) -> Vec<Effect> {
    let effects = open(model);
    if let Some(Overlay::Programs(view)) = &mut model.overlay {
        view.order = order;
        view.arrange();
    }
    effects
}

/// Opens the lens at what a program that is gone left.
pub(super) fn open_left_behind(model: &mut Model, name: &str) -> Vec<Effect> {
    let effects = open(model);
    if let Some(Overlay::Programs(view)) = &mut model.overlay {
        view.has_left = true;
        view.wanted = Some(name.to_owned());
        view.arrange();
    }
    effects
}

/// Takes in what was found.
pub(super) fn found(model: &mut Model, scan: &Arc<Scan>, known: Arc<KnownPrograms>) {
    let weigh = model.weigh.as_mut();
    let Some(weigh) = weigh.filter(|weigh| Arc::ptr_eq(&weigh.scan, scan)) else {
        return;
    };
    weigh.programs = Some(Arc::clone(&known));
    let view = match &mut model.overlay {
        Some(Overlay::Programs(view)) => Some(view),
        Some(Overlay::Find(_, Some(behind)) | Overlay::Help(_, Some(behind))) => {
            match &mut **behind {
                Overlay::Programs(view) => Some(view),
                _ => None,
            }
        }
        _ => None,
    };
    if let Some(view) = view {
        view.read(known, weigh);
    }
}

pub(super) fn act(model: &mut Model, mut view: Box<ProgramsView>, action: Action) -> Vec<Effect> {
    if matches!(action, Action::Uninstall | Action::Unneeded) {
        return uninstall::begin(model, view, action);
    }
    if action == Action::Belongs {
        belongs::begin(model, view);
        return Vec::new();
    }
    let effects = match action {
        Action::Lens => return space::open(model),
        Action::Toggle if view.has_left => left_behind::take(model, &view),
        Action::Toggle => take(model, &view),
        Action::Enter | Action::Into | Action::OutOf => {
            turn(&mut view, action);
            Vec::new()
        }
        Action::Parts => {
            view.has_parts = !view.has_parts;
            view.arrange();
            Vec::new()
        }
        Action::LeftBehind => {
            view.has_left = !view.has_left;
            view.focus = 0;
            view.arrange();
            Vec::new()
        }
        Action::Order if view.has_left => {
            model.message = Some("The surest come first, and of those the largest.".to_owned());
            Vec::new()
        }
        Action::Order => {
            let at = ProgramOrder::ALL.iter().position(|it| *it == view.order);
            let next = at.map_or(0, |at| (at + 1) % ProgramOrder::ALL.len());
            view.order = ProgramOrder::ALL[next];
            view.arrange();
            model.message = Some(format!("Ordered {}.", view.order.words()));
            Vec::new()
        }
        Action::Undo | Action::Redo => back_or_again(model, action),
        _ => {
            view.focus = moved(view.focus, view.rows.len(), action);
            Vec::new()
        }
    };
    if let Some(weigh) = &model.weigh
        && matches!(action, Action::Toggle | Action::Undo | Action::Redo)
    {
        view.sum_up(weigh);
    }
    model.overlay = Some(Overlay::Programs(view));
    effects
}

/// Shows the folders of a program, or hides them.
fn turn(view: &mut ProgramsView, action: Action) {
    if let Some((at, _)) = view.focused_left() {
        let is_open = view.opened_left.contains(&at);
        match action {
            Action::Into if is_open => return,
            Action::OutOf | Action::Enter if is_open => drop(view.opened_left.remove(&at)),
            Action::OutOf => return,
            _ => drop(view.opened_left.insert(at)),
        }
        view.arrange();
        return;
    }
    let Some((at, program)) = view.focused() else {
        return;
    };
    let (is_open, has_any) = (view.opened.contains(&at), !program.footprint.is_empty());
    match action {
        Action::Into if is_open => return,
        Action::OutOf | Action::Enter if is_open => drop(view.opened.remove(&at)),
        Action::OutOf => return,
        _ if has_any => drop(view.opened.insert(at)),
        _ => return,
    }
    view.arrange();
}

/// Takes what a program can make again, or leaves it.
fn take(model: &mut Model, view: &ProgramsView) -> Vec<Effect> {
    let Some((at, program)) = view.focused() else {
        return Vec::new();
    };
    let name = Printable(program.name.as_bytes()).to_string();
    let Some(renewable) = view.renewable(at).cloned() else {
        model.message = Some(format!(
            "The scan found no caches and no logs of {name} that may go."
        ));
        return Vec::new();
    };
    let (chosen, effects) = change(model, |weigh| {
        let choice = match renewable.goes(&weigh.scan, &weigh.decisions) {
            Extent::All => Choice::Leave,
            Extent::Nothing | Extent::Part => Choice::Take,
        };
        let verb = match choice {
            Choice::Take => "taken",
            Choice::Leave => "left",
        };
        let scan = Arc::clone(&weigh.scan);
        let what = format!("caches and logs of {name} {verb}");
        (weigh.decisions).choose_all(&scan, &what, &renewable.nodes, choice);
        let mut nodes = renewable.nodes.iter();
        let waits = nodes.any(|node| scan.pile(node.pile(&scan)).blocked.is_some());
        Some((choice, waits))
    });
    let Some((choice, waits)) = chosen else {
        return effects;
    };
    let size = bytes(renewable.found.bytes);
    model.message = Some(match choice {
        Choice::Take if waits => {
            format!(
                "Of {size} of caches and logs of {name} some wait until it is closed; u undoes it."
            )
        }
        Choice::Take => {
            format!(
                "What is old enough of {size} of caches and logs of {name} will go; u undoes it."
            )
        }
        Choice::Leave => format!("Caches and logs of {name} will stay; u undoes it."),
    });
    effects
}

/// What a row is called.
pub(super) fn holds(view: &ProgramsView, at: usize) -> String {
    let row = view.rows.get(at).copied();
    row.map_or_else(String::new, |row| view.name_of(row))
}
