//! Reading what goes, and saying the word.

use std::sync::Arc;

use jolly_core::run::Rehearsed;

use crate::tui::keys::Action;
use crate::tui::model::{Check, Model, Rehearsal, Saves, Station, Sweeping, WORD};
use crate::tui::msg::{Effect, RunWork, SweepOrder};
use crate::tui::update::{save, start_scan};

/// How far a page goes.
const PAGE: usize = 15;

pub(super) fn listed(model: &mut Model, check: Option<Check>) {
    if check.is_some() {
        model.check = check;
    } else {
        model.station = Station::Weigh;
        model.message = Some("The list could not be made.".to_owned());
    }
}

/// Takes in the outcome of a rehearsal.
pub(super) fn rehearsed(model: &mut Model, result: Result<Box<Rehearsed>, String>) {
    if let Some(check) = &mut model.check {
        check.rehearsal = match result {
            Ok(rehearsed) => {
                let Rehearsed {
                    summary,
                    predictions,
                } = *rehearsed;
                Rehearsal::Done(Box::new(summary), Arc::new(predictions))
            }
            Err(message) => Rehearsal::Failed(message),
        };
    }
}

pub(super) fn act(model: &mut Model, action: Action) -> Vec<Effect> {
    let Some(check) = &mut model.check else {
        model.station = Station::Weigh;
        return Vec::new();
    };
    let last = check
        .manifest
        .as_ref()
        .map_or(0, |list| list.items.len().saturating_sub(1));
    match action {
        Action::Back => model.station = Station::Weigh,
        Action::Up => check.scroll = check.scroll.saturating_sub(1),
        Action::Down => check.scroll = (check.scroll + 1).min(last),
        Action::PageUp => check.scroll = check.scroll.saturating_sub(PAGE),
        Action::PageDown => check.scroll = (check.scroll + PAGE).min(last),
        Action::First => check.scroll = 0,
        Action::Last => check.scroll = last,
        Action::Rehearse => {
            if let (
                Some(session),
                Some(manifest),
                Rehearsal::None | Rehearsal::Done(..) | Rehearsal::Failed(_),
            ) = (&model.session, &check.manifest, &check.rehearsal)
            {
                check.rehearsal = Rehearsal::UnderWay;
                return vec![Effect::Run(RunWork::Rehearse(
                    model.job,
                    Arc::clone(session),
                    Arc::clone(&check.scan),
                    Arc::clone(manifest),
                ))];
            }
        }
        Action::SaveList => save::ask(model, Saves::List),
        Action::LookAgain => {
            model.then_check = true;
            model.station = Station::Scan;
            return start_scan(model);
        }
        Action::Letter(letter) => return letter_typed(model, letter),
        Action::EraseLetter => drop(check.typed.pop()),
        Action::DropWord => check.typed.clear(),
        _ => {}
    }
    Vec::new()
}

/// Takes one letter of the word; the whole word starts the sweep of exactly the list on the
/// screen.
fn letter_typed(model: &mut Model, letter: char) -> Vec<Effect> {
    let Some(check) = &mut model.check else {
        return Vec::new();
    };
    check.typed.push(letter);
    if !WORD.starts_with(&check.typed) {
        // Of a word that was begun its first letter stays, so that no other key comes alive.
        check.typed.truncate(1);
        check.typed.retain(|first| WORD.starts_with(first));
    }
    if check.typed != WORD {
        return Vec::new();
    }
    check.typed.clear();
    let Some(manifest) = &check.manifest else {
        model.message = Some("The list is still being made.".to_owned());
        return Vec::new();
    };
    if manifest.items.is_empty() {
        model.message = Some("Nothing is taken, so there is nothing to sweep.".to_owned());
        return Vec::new();
    }
    if check.scan.is_partial {
        model.message =
            Some("The scan is a part; what it holds can be swept all the same.".to_owned());
    }
    let Some(session) = model.session.clone() else {
        return Vec::new();
    };
    let (scan, manifest) = (Arc::clone(&check.scan), Arc::clone(manifest));
    let predictions = match &check.rehearsal {
        Rehearsal::Done(_, predictions) => Some(Arc::clone(predictions)),
        Rehearsal::None | Rehearsal::UnderWay | Rehearsal::Failed(_) => None,
    };
    let of = manifest.items.len() as u64;
    model.sweeping = Some(Sweeping::new(check, of, model.clock));
    model.station = Station::Sweep;
    vec![Effect::Run(RunWork::Sweep(Box::new(SweepOrder {
        session,
        scan,
        manifest,
        predictions,
    })))]
}
