//! Choosing a computer.

use std::path::PathBuf;
use std::sync::Arc;

use jolly_core::computer::Layout;
use jolly_core::host::UnmountedVolume;
use jolly_core::run::LeftOver;
use jolly_core::survey::Sign;
use tui_input::Input;

use crate::tui::keys::Action;
use crate::tui::model::{Arrived, Look, Model, Origin, Overlay, ProgramOrder, Rulebooks, Station};
use crate::tui::msg::{Effect, Lookup};
use crate::tui::update::{export, programs, start_scan, startup, weigh, wipe};
use crate::wording;

pub(super) fn act(model: &mut Model, action: Action) -> Vec<Effect> {
    let last = model.bench.computers.len().saturating_sub(1);
    match action {
        Action::Up => model.bench.focus = model.bench.focus.saturating_sub(1),
        Action::Down => model.bench.focus = (model.bench.focus + 1).min(last),
        Action::First => model.bench.focus = 0,
        Action::Last => model.bench.focus = last,
        Action::Add => model.overlay = Some(Overlay::Open(Input::default(), Vec::new())),
        Action::LookAgain => return look_again(model),
        Action::Retry => {
            let focused = model.bench.focused().and_then(|it| it.arrived());
            let left = focused.and_then(|arrived| arrived.left.clone());
            if left.is_none() {
                model.message = Some("Its last sweep left nothing behind.".to_owned());
                return Vec::new();
            }
            model.weigh = None;
            return choose_with(model, left);
        }
        Action::Rules => {
            let rulebooks = model
                .bench
                .focused()
                .and_then(|computer| computer.arrived())
                .map(|arrived| {
                    let is_chosen = model.is_chosen(&arrived.session);
                    let weigh = model.weigh.as_ref().filter(|_| is_chosen);
                    Rulebooks::new(&arrived.session, &arrived.rules_off, weigh)
                });
            match rulebooks {
                Some(rulebooks) => model.overlay = Some(Overlay::Rulebooks(rulebooks)),
                None => model.message = Some("It is not open yet.".to_owned()),
            }
        }
        Action::Export => return export::visits(model),
        Action::Startup => return startup::open(model),
        Action::Wipe => return wipe::open(model),
        Action::Choose | Action::Onward => return choose(model),
        Action::Delete => take_off(model),
        Action::Sign(number) => return go_to_sign(model, number),
        _ => {}
    }
    Vec::new()
}

/// Begins with the computer in focus: what was scanned of another one is let go of.
fn choose(model: &mut Model) -> Vec<Effect> {
    let focused = model.bench.focused().map(|computer| &computer.root);
    let session = model.session.as_ref();
    let is_worked_on = session
        .zip(focused)
        .is_some_and(|(session, root)| session.target.root_path() == root);
    // Its scan goes on beside the first look, and nobody who follows it has to wait for that.
    if is_worked_on && model.is_scanning() {
        model.station = Station::Scan;
        return Vec::new();
    }
    choose_with(model, None)
}

/// The same, to take only what a run left behind.
fn choose_with(model: &mut Model, left: Option<LeftOver>) -> Vec<Effect> {
    let chosen = model.bench.focused().map(|computer| match &computer.look {
        Look::Done(arrived) => Ok((
            Arc::clone(&arrived.session),
            arrived.selection.clone(),
            arrived.rules_off.clone(),
            arrived.arrival.volume.unwrap_or_default(),
        )),
        Look::UnderWay => Err("It is still being looked at.".to_owned()),
        Look::Failed(why) => Err(format!("It can't be opened: {why}")),
    });
    match chosen {
        None => Vec::new(),
        Some(Err(why)) => {
            model.message = Some(why);
            Vec::new()
        }
        Some(Ok((session, selection, rules_off, volume))) => {
            let is_same = model.is_chosen(&session) && left.is_none();
            if let Some(weigh) = model.weigh.as_mut().filter(|_| is_same) {
                model.message = weigh.greeting.take();
                model.station = Station::Weigh;
                return Vec::new();
            }
            model.open(session, selection, volume);
            model.rules_off = rules_off;
            model.retry = left;
            model.station = Station::Scan;
            start_scan(model)
        }
    }
}

/// Takes a folder that was added off the list; nothing on it is touched.
fn take_off(model: &mut Model) {
    let focused = model.bench.focused();
    let is_worked_on = focused
        .and_then(|it| it.arrived())
        .is_some_and(|it| model.is_chosen(&it.session));
    match focused.map(|computer| computer.origin) {
        Some(Origin::Opened) if !is_worked_on => {
            model.bench.computers.remove(model.bench.focus);
            model.bench.focus = model
                .bench
                .focus
                .min(model.bench.computers.len().saturating_sub(1));
        }
        Some(_) => {
            let text = "Only a folder that was added, and isn't worked on, is taken off the list.";
            model.message = Some(text.to_owned());
        }
        None => {}
    }
}

/// Goes to the pile that a sign is about, once it has been scanned.
fn go_to_sign(model: &mut Model, number: usize) -> Vec<Effect> {
    let arrived = model.bench.focused().and_then(|it| it.arrived());
    let sign = arrived.and_then(|arrived| {
        let sign = arrived.arrival.signs.get(number)?.clone();
        Some((sign, arrived.session.target.layout))
    });
    let Some((sign, layout)) = sign else {
        model.message = Some("No sign has this number.".to_owned());
        return Vec::new();
    };
    if matches!(sign, Sign::StartsAtSignIn(_)) {
        return startup::open(model);
    }
    if let Sign::InPieces(found) = sign {
        model.overlay = Some(Overlay::Pieces(found));
        return Vec::new();
    }
    if !sign.leads_on() {
        let (_, because) = wording::sign(&sign, layout);
        model.message = Some(format!("No rule sweeps this. {because}"));
        return Vec::new();
    }
    let mut effects = choose(model);
    if model.station == Station::Weigh {
        effects.extend(tell_sign(model, &sign));
    } else {
        model.then_sign = Some(sign);
    }
    effects
}

/// Moves to what a sign is about, or says that nothing of it was found.
pub(super) fn tell_sign(model: &mut Model, sign: &Sign) -> Vec<Effect> {
    if matches!(sign, Sign::UnusedPrograms(..)) {
        return programs::open_by(model, ProgramOrder::LastUsed);
    }
    if !weigh::go_to_sign(model, sign) {
        let layout = model.session.as_ref().map(|session| session.target.layout);
        let (says, _) = wording::sign(sign, layout.unwrap_or(Layout::Linux));
        model.message = Some(format!("{says}: no rule found anything of it that may go."));
    }
    Vec::new()
}

/// Looks through the bench again; what is known stays until it is known better.
fn look_again(model: &mut Model) -> Vec<Effect> {
    model.bench.is_found = false;
    let roots: Vec<PathBuf> = model
        .bench
        .computers
        .iter_mut()
        .map(|computer| {
            computer.look = Look::UnderWay;
            computer.root.clone()
        })
        .collect();
    let looks = roots
        .into_iter()
        .map(|root| Effect::Lookup(Lookup::Arrive(root)));
    std::iter::once(Effect::Lookup(Lookup::FindComputers))
        .chain(looks)
        .collect()
}

/// Walks back to arrive; the bench is looked through the first time.
pub(super) fn enter(model: &mut Model) -> Vec<Effect> {
    model.station = Station::Arrive;
    let keep = weigh::keep_decided(model);
    if model.bench.is_found {
        return keep.into_iter().collect();
    }
    let own = model
        .session
        .as_ref()
        .map(|session| session.target.root_path().to_owned());
    let mut effects = vec![Effect::Lookup(Lookup::FindComputers)];
    effects.extend(keep);
    if let Some(root) = own.filter(|root| model.bench.position(root).is_none()) {
        model.bench.focus = model.bench.add(root.clone(), Origin::Opened);
        effects.push(Effect::Lookup(Lookup::Arrive(root)));
    }
    effects
}

/// Puts what was found on the bench.
pub(super) fn found(
    model: &mut Model,
    computers: Vec<(PathBuf, Origin)>,
    unmounted: Vec<UnmountedVolume>,
) -> Vec<Effect> {
    model.bench.is_found = true;
    model.bench.unmounted = unmounted;
    let mut effects = Vec::new();
    for (root, origin) in computers {
        if model.bench.position(&root).is_none() {
            model.bench.add(root.clone(), origin);
            effects.push(Effect::Lookup(Lookup::Arrive(root)));
        } else if origin != Origin::Opened
            && let Some(at) = model.bench.position(&root)
            && let Some(known) = model.bench.computers.get_mut(at)
        {
            known.origin = origin;
        }
    }
    effects
}

/// Takes in a first look.
pub(super) fn arrived(
    model: &mut Model,
    root: &std::path::Path,
    looked: Result<Box<Arrived>, String>,
) {
    let Some(at) = model.bench.position(root) else {
        return;
    };
    let session = model.session.as_ref();
    let is_chosen = session.is_some_and(|chosen| chosen.target.root_path() == root);
    let looked = looked.map(|mut arrived| {
        if is_chosen {
            let told = std::mem::take(&mut model.settled).into_iter();
            let told: Vec<String> = told.filter(|note| !arrived.notes.contains(note)).collect();
            arrived.notes.splice(0..0, told);
        }
        arrived
    });
    if let Some(computer) = model.bench.computers.get_mut(at) {
        computer.look = match looked {
            Ok(arrived) => Look::Done(arrived),
            Err(why) => Look::Failed(why),
        };
    }
}

/// Opens the folder that was typed.
pub(super) fn open_typed(model: &mut Model, text: &str) -> Vec<Effect> {
    let trimmed = text.trim();
    if trimmed.is_empty() {
        return Vec::new();
    }
    let root = PathBuf::from(trimmed);
    model.bench.focus = model.bench.add(root.clone(), Origin::Opened);
    if let Some(computer) = model.bench.computers.get_mut(model.bench.focus) {
        computer.look = Look::UnderWay;
    }
    vec![Effect::Lookup(Lookup::Arrive(root))]
}
