//! Taking what programs that are gone left.

use std::sync::Arc;

use jolly_core::decide::{Choice, Extent, Node};
use jolly_core::format::Printable;
use jolly_core::survey::Grade;

use crate::tui::keys::Action;
use crate::tui::model::{Model, ProgramsView};
use crate::tui::msg::Effect;
use crate::tui::update::change::change;
use crate::tui::update::has_said_yes;
use crate::wording::bytes;

/// Takes what is in focus, or leaves it; what is unsure after one more word.
pub(super) fn take(model: &mut Model, view: &ProgramsView) -> Vec<Effect> {
    let Some((_, left)) = view.focused_left() else {
        return Vec::new();
    };
    let Some(row) = view.rows.get(view.focus).copied() else {
        return Vec::new();
    };
    let name = Printable(left.name.as_bytes()).to_string();
    let portions = view.focused_portions();
    let nodes: Vec<Node> = portions.iter().flat_map(|one| one.nodes.clone()).collect();
    if nodes.is_empty() {
        model.message = Some(format!(
            "Nothing of it may go: what {name} left here is guarded, or of another pile that is asked about."
        ));
        return Vec::new();
    }
    let choice = match view.going.of_row(row) {
        Extent::All => Choice::Leave,
        Extent::Nothing | Extent::Part => Choice::Take,
    };
    if choice == Choice::Take && left.grade == Grade::Unsure && !has_said_yes(model, Action::Toggle)
    {
        let against = left.folders.iter().flat_map(|folder| &folder.against);
        let why = against.map(String::as_str).next();
        let why = why.unwrap_or("too little speaks for it");
        model.message = Some(format!(
            "Unsure: {}. space once more takes it all the same.",
            Printable(why.as_bytes())
        ));
        return Vec::new();
    }
    let verb = match choice {
        Choice::Take => "taken",
        Choice::Leave => "left",
    };
    let (_, effects) = change(model, |weigh| {
        let scan = Arc::clone(&weigh.scan);
        let what = format!("left behind by {name}: {verb}");
        (weigh.decisions).choose_all(&scan, &what, &nodes, choice)
    });
    let held = portions.iter().map(|one| one.found.bytes);
    let held = bytes(held.fold(0, u64::saturating_add));
    model.message = Some(match choice {
        Choice::Take => format!("{held} that {name} left will go, set aside; u undoes it."),
        Choice::Leave => format!("What {name} left will stay; u undoes it."),
    });
    effects
}
