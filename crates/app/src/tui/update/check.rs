//! Reading what goes, and saying the word.

use std::sync::Arc;

use jolly_core::run::Rehearsed;

use crate::tui::keys::Action;
use crate::tui::model::{
    Check, CheckList, CheckRow, Model, Rehearsal, Station, Sweeping, WORD, Waits,
};
use crate::tui::msg::{Effect, Question, RunWork, SweepOrder};
use crate::tui::update::{moved, save, start_scan, upkeep};
use crate::wording::counted;

/// Said to who starts before there is a list.
const BEING_MADE: &str = "The list is still being made.";

pub(super) fn listed(model: &mut Model, check: Option<Check>) {
    if check.is_some() {
        model.check = check;
        upkeep::tell(model);
        // What was asked of it too early no longer holds.
        if model.message.as_deref() == Some(BEING_MADE) {
            model.message = None;
        }
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
        check.known = check.facts();
        check.focus = check.place_of_facts();
    }
}

pub(super) fn act(model: &mut Model, action: Action) -> Vec<Effect> {
    let Some(check) = &mut model.check else {
        model.station = Station::Weigh;
        return Vec::new();
    };
    let asked = check.asks.take();
    match action {
        Action::Back => model.station = Station::Weigh,
        Action::Enter => check.turn(),
        Action::Rehearse => {
            if let (
                Some(session),
                Some(manifest),
                Rehearsal::None | Rehearsal::Done(..) | Rehearsal::Failed(_),
            ) = (&model.session, &check.manifest, &check.rehearsal)
            {
                check.rehearsal = Rehearsal::UnderWay;
                check.known = check.facts();
                return vec![Effect::Run(RunWork::Rehearse(
                    model.job,
                    Arc::clone(session),
                    Arc::clone(&check.scan),
                    Arc::clone(manifest),
                ))];
            }
        }
        Action::RestorePoint if check.point.0 => {
            check.point.1 = !check.point.1;
            check.known = check.facts();
        }
        Action::RestorePoint => {
            let words =
                "This volume keeps no restore points: that takes Btrfs, and the administrator.";
            model.message = Some(words.to_owned());
        }
        Action::Upkeep => return upkeep::open(model),
        Action::Save => save::ask(model),
        Action::LookAgain => return look_again(model),
        Action::AskToClose => return ask_to_close(model, asked),
        Action::Letter(letter) => return letter_typed(model, letter),
        Action::EraseLetter => drop(check.typed.pop()),
        Action::DropWord => check.typed.clear(),
        _ => check.focus = moved(check.focus, check.count(), action),
    }
    Vec::new()
}

/// Narrows the list to the words that were looked for; none shows all of it again.
pub(super) fn filter(model: &mut Model) -> Vec<Effect> {
    let words = model.found.clone();
    let ticket = model.next_ticket();
    let Some(check) = &model.check else {
        return Vec::new();
    };
    let Some(manifest) = &check.manifest else {
        return Vec::new();
    };
    let (scan, manifest) = (Arc::clone(&check.scan), Arc::clone(manifest));
    model.message = Some("Reading through the list…".to_owned());
    vec![Effect::Question(Question::Narrow(
        ticket, scan, manifest, words,
    ))]
}

/// Takes in the part of the list that was looked for.
pub(super) fn narrowed(model: &mut Model, ticket: u32, list: Option<CheckList>) {
    let (Some(check), Some(list)) = (&mut model.check, list) else {
        return;
    };
    if ticket != model.ticket {
        return;
    }
    let (words, items) = (list.words.clone(), list.sum.items);
    check.open_pile = None;
    check.open_folder = None;
    check.list = list;
    check.focus = check
        .place_of_pile(0)
        .saturating_sub(usize::from(items == 0));
    model.message = match (words.is_empty(), items) {
        (true, _) => None,
        (false, 0) => Some(format!("Nothing in the list holds \"{words}\".")),
        (false, _) => {
            let verb = if items == 1 { "holds" } else { "hold" };
            let items = counted(items, "item");
            Some(format!(
                "{items} {verb} \"{words}\"; the whole list goes all the same."
            ))
        }
    };
}

/// Asks the program in focus to close, or the first one that may be asked; at the second press.
fn ask_to_close(model: &mut Model, asked: Option<usize>) -> Vec<Effect> {
    let Some(check) = &mut model.check else {
        return Vec::new();
    };
    let focused = match check.focused() {
        Some(CheckRow::Fact(at)) => check.known.get(at).and_then(|fact| fact.closes),
        _ => None,
    };
    let first = check.to_close.iter().position(Waits::may_be_asked);
    let Some((at, waits)) = focused
        .or(first)
        .and_then(|at| Some((at, check.to_close.get(at)?)))
    else {
        let nothing = if check.to_close.is_empty() {
            "No program has to be closed."
        } else {
            "No rule waits for it, so it isn't asked from here: close it there, then l looks again."
        };
        model.message = Some(nothing.to_owned());
        return Vec::new();
    };
    if !waits.may_be_asked() {
        let text = format!(
            "No rule waits for {}: close it there, then l looks again.",
            waits.name
        );
        model.message = Some(text);
        return Vec::new();
    }
    if asked != Some(at) {
        check.asks = Some(at);
        let name = &waits.name;
        let text = format!(
            "c once more asks {name} to close: what was typed there and not saved may be lost."
        );
        model.message = Some(text);
        return Vec::new();
    }
    let program = waits.program.clone();
    model.message = Some(format!("{} was asked to close…", waits.name));
    vec![Effect::Question(Question::AskToClose(model.job, program))]
}

/// Takes in what became of asking: who has closed is looked at again.
pub(super) fn closed(model: &mut Model, job: u32, result: Result<String, String>) -> Vec<Effect> {
    if job != model.job || model.station != Station::Check {
        return Vec::new();
    }
    match result {
        Ok(told) => {
            let effects = look_again(model);
            model.message = Some(told);
            effects
        }
        Err(why) => {
            model.message = Some(why);
            Vec::new()
        }
    }
}

/// Scans again, and comes back here.
fn look_again(model: &mut Model) -> Vec<Effect> {
    model.then_check = true;
    model.station = Station::Scan;
    start_scan(model)
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
        model.message = Some(BEING_MADE.to_owned());
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
    let makes_point = check.point.1;
    let of = manifest.items.len() as u64;
    model.sweeping = Some(Sweeping::new(check, of, model.clock));
    model.station = Station::Sweep;
    vec![Effect::Run(RunWork::Sweep(Box::new(SweepOrder {
        session,
        scan,
        manifest,
        predictions,
        makes_point,
        chores: model.upkeep.follow(),
    })))]
}
