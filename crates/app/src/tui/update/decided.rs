//! Walking back to what was decided before.

use std::sync::Arc;

use crate::tui::keys::Action;
use crate::tui::model::{Model, Overlay};
use crate::tui::msg::Effect;
use crate::tui::update::change::change;
use crate::tui::update::moved;

pub(super) fn act(model: &mut Model, focus: usize, action: Action) -> Vec<Effect> {
    let Some(weigh) = &model.weigh else {
        return Vec::new();
    };
    let (steps, _) = weigh.decisions.steps();
    if action != Action::Enter {
        // The newest stands at the top.
        let from_top = steps.len().saturating_sub(focus + 1);
        let to = moved(from_top, steps.len(), action);
        model.overlay = Some(Overlay::Decided(steps.len().saturating_sub(to + 1)));
        return Vec::new();
    }
    let what = steps.get(focus).map(|what| (*what).to_owned());
    let ((), effects) = change(model, |weigh| {
        let scan = Arc::clone(&weigh.scan);
        weigh.decisions.walk_to(&scan, focus);
    });
    model.message = what.map(|what| format!("Back to: {what}."));
    effects
}
