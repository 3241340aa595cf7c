//! Looking through the rules, turning one off, asking about a path.

use std::sync::Arc;

use jolly_core::rule::{OWN_BOOK, RuleNumber};
use ratatui::crossterm::event::{Event, KeyCode, KeyEvent};
use tui_input::Input;
use tui_input::backend::crossterm::EventHandler as _;

use crate::place::PlaceChange;
use crate::tui::keys::Action;
use crate::tui::model::{Look, Model, Overlay, Rulebooks};
use crate::tui::msg::{Effect, Keeping, Lookup};
use crate::tui::update::{has_said_yes, moved};

/// A key while a path is typed.
pub(super) fn press(model: &mut Model, mut view: Rulebooks, key: KeyEvent) -> Vec<Effect> {
    let Some(mut input) = view.asking.take() else {
        return show(model, view);
    };
    match key.code {
        KeyCode::Esc => show(model, view),
        KeyCode::Enter => ask(model, view, input.value()),
        _ => {
            input.handle_event(&Event::Key(key));
            view.asking = Some(input);
            show(model, view)
        }
    }
}

/// A key while the rules view is open.
pub(super) fn act(model: &mut Model, mut view: Rulebooks, action: Action) -> Vec<Effect> {
    match action {
        Action::Toggle => return turn(model, view),
        Action::Delete => return remove(model, view),
        Action::Explain => {
            view.asking = Some(Input::default());
            view.answer = None;
        }
        _ => view.focus = moved(view.focus, view.rows.len(), action),
    }
    show(model, view)
}

fn show(model: &mut Model, view: Rulebooks) -> Vec<Effect> {
    model.overlay = Some(Overlay::Rulebooks(view));
    Vec::new()
}

/// Takes a rule out of the computer's own rulebook, at the second press.
fn remove(model: &mut Model, view: Rulebooks) -> Vec<Effect> {
    let session = model.session.clone();
    let rule = view.rows.get(view.focus).map(|row| row.rule);
    let Some((session, rule)) = session.zip(rule) else {
        return show(model, view);
    };
    let compiled = session.rules.rule(rule);
    let own = compiled.id.strip_prefix(OWN_BOOK);
    let own = own
        .and_then(|half| half.strip_prefix('/'))
        .map(str::to_owned);
    let Some(own) = own.filter(|_| model.is_chosen(&session)) else {
        model.message = Some(
            "Only a folder that was added here is removed; space turns a rule off.".to_owned(),
        );
        return show(model, view);
    };
    if !has_said_yes(model, Action::Delete) {
        let title = &compiled.rule.title;
        model.message = Some(format!(
            "del once more removes \"{title}\" from this computer's rules."
        ));
        return show(model, view);
    }
    let effects = vec![Effect::ChangePlaces(session, PlaceChange::Remove(own))];
    model.overlay = Some(Overlay::Rulebooks(view));
    effects
}

/// Turns the rule in focus off for this computer, or on again.
fn turn(model: &mut Model, mut view: Rulebooks) -> Vec<Effect> {
    let Some(session) = model.looked_at() else {
        return show(model, view);
    };
    if let Some(row) = view.rows.get_mut(view.focus) {
        row.is_off = !row.is_off;
        let rule = row.rule;
        let is_off = row.is_off;
        for computer in &mut model.bench.computers {
            if let Look::Done(arrived) = &mut computer.look
                && arrived.session.target.key() == session.target.key()
            {
                set(&mut arrived.rules_off, rule, is_off);
                set(&mut arrived.selection.skip, rule, is_off);
            }
        }
        if model.is_chosen(&session) {
            set(&mut model.rules_off, rule, is_off);
            set(&mut model.selection.skip, rule, is_off);
            if let Some(weigh) = &mut model.weigh {
                let scan = Arc::clone(&weigh.scan);
                weigh.decisions.include(&scan, &model.selection);
                weigh.inside = None;
                weigh.sum_up();
                weigh.arrange();
            }
        }
    }
    let off = view
        .rows
        .iter()
        .filter(|row| row.is_off)
        .map(|row| session.rules.rule(row.rule).id.to_string())
        .collect();
    model.overlay = Some(Overlay::Rulebooks(view));
    vec![Effect::Keep(session, Keeping::RulesOff(off))]
}

/// Puts a rule on a list, or takes it off.
fn set(list: &mut Vec<RuleNumber>, rule: RuleNumber, is_on_it: bool) {
    list.retain(|known| *known != rule);
    if is_on_it {
        list.push(rule);
    }
}

/// Asks which rule has a path.
fn ask(model: &mut Model, mut view: Rulebooks, text: &str) -> Vec<Effect> {
    view.asking = None;
    let Some(session) = model.looked_at() else {
        return show(model, view);
    };
    let asked = text.trim().to_owned();
    if asked.is_empty() {
        return show(model, view);
    }
    view.answer = Some(format!("{asked}: looking…"));
    model.overlay = Some(Overlay::Rulebooks(view));
    vec![Effect::Lookup(Lookup::Explain(session, asked))]
}

/// Takes in what is said of a path; with the rule that decided, if one did.
pub(super) fn explained(model: &mut Model, answer: String, rule: Option<usize>) {
    if let Some(Overlay::Rulebooks(view)) = &mut model.overlay {
        view.answer = Some(answer);
        if let Some(rule) = rule {
            let row = view.rows.iter().position(|row| row.rule.0 == rule);
            view.focus = row.unwrap_or(view.focus);
        }
    }
}
