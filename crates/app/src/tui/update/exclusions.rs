//! Looking through what is excluded.

use std::sync::Arc;

use jolly_core::decide::Excluded;

use crate::tui::keys::Action;
use crate::tui::model::{ExclusionsView, Model};
use crate::tui::msg::Effect;
use crate::tui::update::change::{back_or_again, change, show_exclusions};
use crate::tui::update::{exclude, moved};

pub(super) fn act(model: &mut Model, mut view: ExclusionsView, action: Action) -> Vec<Effect> {
    let count = view.held.len();
    let effects = match action {
        Action::Enter if count > 0 => return exclude::begin_change(model, view.focus),
        Action::Toggle if count > 0 => turn(model, view.focus),
        Action::Delete if count > 0 => delete(model, view.focus),
        Action::Undo => back_or_again(model, action),
        _ => {
            view.focus = moved(view.focus, count, action);
            Vec::new()
        }
    };
    show_exclusions(model, view.focus);
    effects
}

/// Suspends one, or lets it count again.
fn turn(model: &mut Model, at: usize) -> Vec<Effect> {
    change_one(model, at, |mut one| {
        one.exclusion.is_suspended = !one.exclusion.is_suspended;
        let what = if one.exclusion.is_suspended {
            "suspended"
        } else {
            "counts again"
        };
        (what, Some(one))
    })
}

fn delete(model: &mut Model, at: usize) -> Vec<Effect> {
    change_one(model, at, |_| ("no longer excluded", None))
}

/// Changes one or takes it out, as one step.
fn change_one(
    model: &mut Model,
    at: usize,
    new: impl FnOnce(Excluded) -> (&'static str, Option<Excluded>),
) -> Vec<Effect> {
    let (what, effects) = change(model, |weigh| {
        let mut all = weigh.decisions.exclusions().to_vec();
        if at >= all.len() {
            return String::new();
        }
        let one = all.remove(at);
        let name = one.exclusion.name();
        let (what, changed) = new(one);
        if let Some(changed) = changed {
            all.insert(at, changed);
        }
        let what = format!("{name}: {what}");
        let scan = Arc::clone(&weigh.scan);
        weigh.decisions.exclude(&scan, &what, all);
        what
    });
    model.message = Some(format!("{what}; u undoes it."));
    effects
}
