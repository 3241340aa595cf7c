//! Changing what is decided, and what follows from that.

use std::sync::Arc;

use jolly_core::decide::{Exclusion, Scope};

use crate::tui::keys::Action;
use crate::tui::model::{ExclusionsView, Look, Model, Overlay, Weigh};
use crate::tui::msg::{Effect, Keeping};

/// Changes something about what is decided: what follows from it is added up, and what is to be
/// remembered is kept.
pub(super) fn change<R: Default>(
    model: &mut Model,
    deed: impl FnOnce(&mut Weigh) -> R,
) -> (R, Vec<Effect>) {
    let Some(weigh) = &mut model.weigh else {
        return (R::default(), Vec::new());
    };
    let said = |weigh: &Weigh| -> Vec<Exclusion> {
        let all = weigh.decisions.exclusions().iter();
        all.map(|one| one.exclusion.clone()).collect()
    };
    let before = said(weigh);
    let result = deed(weigh);
    weigh.sum_up();
    let after = said(weigh);
    if before == after {
        return (result, Vec::new());
    }
    spread(model, &after);
    let keep = |session| Effect::Keep(session, Keeping::Exclusions(before, after));
    (
        result,
        model.session.clone().map(keep).into_iter().collect(),
    )
}

/// Tells every computer on the bench what is excluded now.
fn spread(model: &mut Model, all: &[Exclusion]) {
    all.clone_into(&mut model.selection.exclusions);
    let chosen = model.session.as_ref().map(|session| session.target.key());
    for computer in &mut model.bench.computers {
        let Look::Done(arrived) = &mut computer.look else {
            continue;
        };
        let known = &mut arrived.selection.exclusions;
        if Some(arrived.session.target.key()) == chosen {
            all.clone_into(known);
        } else {
            let own = known.iter().filter(|one| one.scope != Scope::Everywhere);
            let everywhere = all.iter().filter(|one| one.scope == Scope::Everywhere);
            *known = everywhere.chain(own).cloned().collect();
        }
    }
}

/// Undoes the last step, or does again what was undone.
pub(super) fn back_or_again(model: &mut Model, action: Action) -> Vec<Effect> {
    let (said, effects) = change(model, |weigh| {
        let scan = Arc::clone(&weigh.scan);
        if action == Action::Undo {
            let undone = weigh.decisions.undo(&scan);
            undone.map_or("Nothing to undo.".to_owned(), |what| {
                format!("Undone: {what}.")
            })
        } else {
            let done = weigh.decisions.redo(&scan);
            done.map_or("Nothing was undone.".to_owned(), |what| {
                format!("Done again: {what}.")
            })
        }
    });
    model.message = Some(said);
    effects
}

/// Shows what is excluded, with what each one spares now.
pub(super) fn show_exclusions(model: &mut Model, focus: usize) {
    let weigh = model.weigh.as_ref();
    let view = weigh.map(|weigh| ExclusionsView::new(weigh, focus));
    model.overlay = view.map(Overlay::Exclusions);
}
