//! Deciding.

use std::sync::Arc;

use jolly_core::decide::PileDecision;
use jolly_core::rulebook::{AgeLimit, Class};
use jolly_core::scan::PileId;
use tui_input::Input;

use crate::tui::keys::Action;
use crate::tui::model::{Check, Model, Overlay, Row, Rulebooks, Station, Weigh, rows};
use crate::tui::msg::Effect;
use crate::tui::update::start_scan;

/// How far a page goes.
const PAGE: isize = 10;

pub(super) fn act(model: &mut Model, action: Action) -> Vec<Effect> {
    let Some(weigh) = &mut model.weigh else {
        return Vec::new();
    };
    match action {
        Action::Up => step(weigh, -1),
        Action::Down => step(weigh, 1),
        Action::PageUp => (0..PAGE).for_each(|_| step(weigh, -1)),
        Action::PageDown => (0..PAGE).for_each(|_| step(weigh, 1)),
        Action::First => {
            weigh.focus = 0;
            settle(weigh, 1);
        }
        Action::Last => {
            weigh.focus = weigh.rows.len().saturating_sub(1);
            settle(weigh, -1);
        }
        Action::Younger => shift(weigh, AgeLimit::younger, false),
        Action::Older => shift(weigh, AgeLimit::older, false),
        Action::ClassYounger => shift(weigh, AgeLimit::younger, true),
        Action::ClassOlder => shift(weigh, AgeLimit::older, true),
        Action::Toggle => model.message = toggle(weigh),
        Action::ExactAge => model.overlay = Some(Overlay::ExactAge(Input::default(), None)),
        Action::Find => model.overlay = Some(Overlay::Find(Input::default())),
        Action::Undo | Action::Redo => model.message = Some(back_or_again(weigh, action)),
        Action::Order => {
            let focused = weigh.rows.get(weigh.focus).copied();
            weigh.order = weigh.order.next();
            weigh.rows = rows(&weigh.scan, &weigh.decisions, weigh.order);
            weigh.focus = weigh
                .rows
                .iter()
                .position(|row| Some(*row) == focused)
                .unwrap_or(0);
            model.message = Some(format!("Rows are {}.", weigh.order.words()));
        }
        Action::Again => {
            model.station = Station::Scan;
            model.report = None;
            return start_scan(model);
        }
        Action::Back => model.station = Station::Scan,
        Action::Rules => {
            if let Some(session) = &model.session {
                let view = Rulebooks::new(session, &model.rules_off, model.weigh.as_ref());
                model.overlay = Some(Overlay::Rulebooks(view));
            }
        }
        Action::Onward => return check(model),
        Action::Leave
        | Action::Help
        | Action::Choose
        | Action::Open
        | Action::Rehearse
        | Action::Letter(_)
        | Action::Stop => {}
    }
    Vec::new()
}

/// Walks on to check.
fn check(model: &mut Model) -> Vec<Effect> {
    let Some(weigh) = &model.weigh else {
        return Vec::new();
    };
    model.job += 1;
    model.station = Station::Check;
    let waiting = Check::waiting(Arc::clone(&weigh.scan));
    let before = model.check.replace(waiting);
    let decisions = Box::new(weigh.decisions.clone());
    let mut effects = vec![Effect::List(model.job, Arc::clone(&weigh.scan), decisions)];
    effects.extend(before.map(|before| Effect::LetGo(Box::new(before))));
    effects
}

fn step(weigh: &mut Weigh, by: isize) {
    let last = weigh.rows.len().saturating_sub(1);
    weigh.focus = weigh.focus.saturating_add_signed(by).min(last);
    settle(weigh, by);
}

/// Leaves a gap, in the direction of the step.
fn settle(weigh: &mut Weigh, by: isize) {
    if matches!(weigh.rows.get(weigh.focus), Some(Row::Gap)) {
        weigh.focus = weigh.focus.saturating_add_signed(by.signum());
    }
}

/// The piles that a key means: the one in focus, or all of the class in focus.
fn meant(weigh: &Weigh, whole_class: bool) -> Vec<PileId> {
    let class_of = |id: PileId| weigh.scan.rules.rule(weigh.scan.pile(id).rule).rule.class;
    let of_class = |class: Class| {
        weigh
            .decisions
            .shown(&weigh.scan)
            .filter(|id| class_of(*id) == class)
            .collect()
    };
    match weigh.rows.get(weigh.focus) {
        Some(Row::Heading(class)) => of_class(*class),
        Some(Row::Pile(id)) if whole_class => of_class(class_of(*id)),
        Some(Row::Pile(id)) => vec![*id],
        Some(Row::Gap) | None => Vec::new(),
    }
}

/// What a step about these piles is called.
fn named(weigh: &Weigh, piles: &[PileId]) -> String {
    match piles {
        [one] => {
            let pile = weigh.scan.pile(*one);
            let title = &weigh.scan.rules.rule(pile.rule).rule.title;
            let account = weigh.scan.account_name(pile).unwrap_or("the system");
            format!("{title} of {account}")
        }
        [one, ..] => {
            let class = weigh.scan.rules.rule(weigh.scan.pile(*one).rule).rule.class;
            format!("all of {}", class.name())
        }
        [] => "nothing".to_owned(),
    }
}

fn decide(weigh: &mut Weigh, piles: &[PileId], new: impl Fn(PileDecision) -> PileDecision) {
    let wanted: Vec<_> = piles
        .iter()
        .map(|id| (*id, new(weigh.decisions.of(*id))))
        .collect();
    let what = named(weigh, piles);
    let scan = Arc::clone(&weigh.scan);
    weigh.decisions.decide(&scan, &what, &wanted);
}

type Shift = fn(Option<AgeLimit>) -> Option<AgeLimit>;

fn shift(weigh: &mut Weigh, shift: Shift, whole_class: bool) {
    let piles = meant(weigh, whole_class);
    decide(weigh, &piles, |before| PileDecision {
        limit: shift(before.limit),
        ..before
    });
}

/// Takes or leaves; a class is taken unless all of it is taken already.
fn toggle(weigh: &mut Weigh) -> Option<String> {
    let piles = meant(weigh, false);
    let blocked = piles
        .iter()
        .filter_map(|id| weigh.scan.pile(*id).blocked.as_ref());
    let blocked: Vec<String> = blocked.map(ToString::to_string).collect();
    let are_taken = piles.iter().all(|id| weigh.decisions.of(*id).is_taken);
    decide(weigh, &piles, |before| PileDecision {
        is_taken: !are_taken,
        ..before
    });
    match blocked.as_slice() {
        [why] if piles.len() == 1 => Some(format!("It can't be taken now: it {why}.")),
        _ => None,
    }
}

fn back_or_again(weigh: &mut Weigh, action: Action) -> String {
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
}

/// Sets the age limit that was typed; empty or "any age" for none.
pub(super) fn set_exact_age(model: &mut Model, text: &str) -> Result<(), String> {
    let Some(weigh) = &mut model.weigh else {
        return Ok(());
    };
    let limit = match text.trim() {
        "" | "any" | "any age" => None,
        text => Some(
            text.parse::<AgeLimit>()
                .map_err(|error| error.to_string())?,
        ),
    };
    let piles = meant(weigh, false);
    decide(weigh, &piles, |before| PileDecision { limit, ..before });
    Ok(())
}

/// Moves to the first pile whose title, account or rule holds the text.
pub(super) fn find(model: &mut Model, text: &str) {
    let Some(weigh) = &mut model.weigh else {
        return;
    };
    let wanted = text.to_lowercase();
    let holds = |row: &Row| match row {
        Row::Pile(id) => {
            let pile = weigh.scan.pile(*id);
            let rule = weigh.scan.rules.rule(pile.rule);
            let account = weigh.scan.account_name(pile).unwrap_or("system");
            let text = format!("{} {account} {}", rule.rule.title, rule.id).to_lowercase();
            wanted.split_whitespace().all(|word| text.contains(word))
        }
        Row::Heading(_) | Row::Gap => false,
    };
    match weigh.rows.iter().position(holds) {
        Some(at) => {
            weigh.focus = at;
            model.message = None;
        }
        None => model.message = Some("No pile is called so.".to_owned()),
    }
}
