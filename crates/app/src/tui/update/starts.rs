//! Saying how this shop starts.

use std::sync::Arc;

use jolly_core::decide::{PileDecision, Start};
use jolly_core::rule::AgeLimit;
use jolly_core::source::PileId;
use ratatui::crossterm::event::{Event, KeyCode, KeyEvent};
use tui_input::Input;
use tui_input::backend::crossterm::EventHandler as _;

use crate::session::Session;
use crate::tui::keys::Action;
use crate::tui::model::{Look, Model, Overlay, StartsRow, StartsView};
use crate::tui::msg::{Effect, Keeping};
use crate::tui::update::change::change;
use crate::tui::update::{moved, weigh};

pub(super) fn act(model: &mut Model, mut view: Box<StartsView>, action: Action) -> Vec<Effect> {
    let (Some(session), Some(row)) = (model.session.clone(), view.focused()) else {
        return Vec::new();
    };
    let (counts, _) = view.counts(&session, row);
    let said = view.said(&session, row);
    let limited = |limit: Option<AgeLimit>| Start {
        limit: Some(limit.into()),
        ..said
    };
    match action {
        Action::Toggle => {
            let is_taken = Some(!counts.is_taken);
            set(&mut view, &session, row, Start { is_taken, ..said });
        }
        Action::Older => {
            let limit = AgeLimit::older(counts.limit);
            set(&mut view, &session, row, limited(limit));
        }
        Action::Younger => {
            let limit = AgeLimit::younger(counts.limit);
            set(&mut view, &session, row, limited(limit));
        }
        Action::ExactAge => view.asking = Some((Input::default(), None)),
        Action::Delete => set(&mut view, &session, row, Start::default()),
        _ => view.focus = moved(view.focus, view.rows.len(), action),
    }
    model.overlay = Some(Overlay::Starts(view));
    Vec::new()
}

/// Says something of a row; what is as built in is not said.
fn set(view: &mut StartsView, session: &Session, row: StartsRow, mut start: Start) {
    let before = view.starts.clone();
    let put = |view: &mut StartsView, start: Start| match row {
        StartsRow::Class(class) => view.starts.set_class(class, start),
        StartsRow::Rule(number) => {
            let id = &session.rules.rule(number).id;
            view.starts.set_rule(id, start);
        }
    };
    put(view, Start::default());
    let (without, _) = view.counts(session, row);
    if start.is_taken == Some(without.is_taken) {
        start.is_taken = None;
    }
    if start.limit == Some(without.limit.into()) {
        start.limit = None;
    }
    view.starts = before;
    put(view, start);
}

/// A key while an exact age is typed.
pub(super) fn press(model: &mut Model, mut view: Box<StartsView>, key: KeyEvent) -> Vec<Effect> {
    let (Some((mut input, _)), Some(session)) = (view.asking.take(), model.session.clone()) else {
        return Vec::new();
    };
    match (key.code, view.focused()) {
        (KeyCode::Esc, _) => {}
        (KeyCode::Enter, Some(row)) => match weigh::read_limit(input.value()) {
            Ok(limit) => {
                let said = view.said(&session, row);
                let limit = Some(limit.into());
                set(&mut view, &session, row, Start { limit, ..said });
            }
            Err(wrong) => view.asking = Some((input, Some(wrong))),
        },
        _ => {
            input.handle_event(&Event::Key(key));
            view.asking = Some((input, None));
        }
    }
    model.overlay = Some(Overlay::Starts(view));
    Vec::new()
}

/// Closes the view: what was said counts from now on, also for the piles that are weighed.
pub(super) fn close(model: &mut Model, view: StartsView) -> Vec<Effect> {
    let before = model.selection.starts.clone();
    let Some(session) = model.session.clone().filter(|_| before != view.starts) else {
        return Vec::new();
    };
    model.selection.starts = view.starts.clone();
    for computer in &mut model.bench.computers {
        if let Look::Done(arrived) = &mut computer.look {
            arrived.selection.starts = view.starts.clone();
        }
    }
    let selection = model.selection.clone();
    let ((), mut effects) = change(model, |weigh| {
        let scan = Arc::clone(&weigh.scan);
        let starts = |id: PileId| {
            let rule = scan.rules.rule(scan.pile(id).rule);
            before.of(&rule.id, &rule.rule) != view.starts.of(&rule.id, &rule.rule)
        };
        let changed = weigh.decisions.shown(&scan).filter(|id| starts(*id));
        let changed: Vec<(PileId, PileDecision)> = changed
            .map(|id| (id, selection.starts_as(&scan, scan.pile(id))))
            .collect();
        weigh
            .decisions
            .decide(&scan, "how this shop starts", &changed);
    });
    model.message =
        Some("This shop starts so from now on; u undoes it for these piles.".to_owned());
    effects.push(Effect::Keep(session, Keeping::Starts(before, view.starts)));
    effects
}
