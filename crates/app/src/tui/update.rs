//! The only place where the model changes. No disk, no clock, no threads: what has to be done is
//! returned as effects.

mod arrive;
mod change;
mod check;
mod completion;
mod copies;
mod decided;
mod dustpan;
mod exclude;
mod exclusions;
mod export;
mod find;
mod hints;
mod inside;
mod languages;
mod mouse;
mod overlay;
mod packing;
mod place;
mod pointed;
mod programs;
mod rulebooks;
mod runs;
mod save;
mod scanning;
mod sites;
mod space;
mod starts;
mod startup;
mod uninstall;
mod upkeep;
mod weigh;
mod wipe;

use std::sync::Arc;

use jolly_core::computer::Account;
use jolly_core::walk::ScanEvent;
use ratatui::crossterm::event::{KeyCode, KeyEvent, KeyModifiers};

use crate::tui::keys::{self, Action};
use crate::tui::model::{Context, Model, Overlay, Station, is_too_small};
use crate::tui::msg::{Effect, Msg, RunWork};
use crate::wording::counted;

pub(super) use scanning::start_scan;

/// Takes one message in; what threads have to do comes out.
pub(super) fn update(model: &mut Model, message: Msg) -> Vec<Effect> {
    let is_unseen = is_too_small(model.size);
    match message {
        Msg::Key(key) if is_unseen => press_unseen(model, key),
        Msg::Mouse(_) | Msg::Pasted(_) if is_unseen => Vec::new(),
        Msg::Resized(columns, rows) => space::resized(model, (columns, rows)),
        Msg::Mouse(event) => mouse::act(model, event),
        Msg::Ended => end(model),
        Msg::Key(key) => press(model, key),
        Msg::Pasted(text) => overlay::paste(model, &text),
        Msg::Found(computers, unmounted) => arrive::found(model, computers, unmounted),
        Msg::Arrived(root, looked) => {
            arrive::arrived(model, &root, looked);
            Vec::new()
        }
        Msg::Completed(text, folders) => {
            overlay::completed(model, &text, folders);
            Vec::new()
        }
        Msg::Explained(answer, rule) => {
            rulebooks::explained(model, answer, rule);
            Vec::new()
        }
        Msg::Kept(kept) => {
            model.message = kept.err().or(model.message.take());
            Vec::new()
        }
        Msg::Scanning(job, event) if job == model.job => {
            hear_of_scan(model, event);
            Vec::new()
        }
        Msg::Nothing | Msg::Scanning(..) => Vec::new(),
        Msg::Opened(result) => scanning::opened(model, *result),
        Msg::Exporting(_) | Msg::Packing(_) | Msg::Wiping(_) | Msg::Upkeep(_) | Msg::Startup(_) => {
            heard(model, message)
        }
        Msg::Scanned(job, scan) => {
            if job == model.job {
                return scanning::scanned(model, scan.map(|scan| *scan));
            }
            Vec::new()
        }
        Msg::Held(..)
        | Msg::LookedInside(..)
        | Msg::FoundInside(..)
        | Msg::Others(..)
        | Msg::Reckoned(..)
        | Msg::Narrowed(..)
        | Msg::Closed(..)
        | Msg::SitesRead(..)
        | Msg::SitesSpared(..)
        | Msg::ProgramsRead(..)
        | Msg::Space(..)
        | Msg::Saved(_)
        | Msg::PointGone(_)
        | Msg::Dustpans(_)
        | Msg::Runs(_)
        | Msg::BroughtBack(_)
        | Msg::PanEmptied(_)
        | Msg::PlacesChanged(_) => answered(model, message),
        Msg::ManagerAnswered(_)
        | Msg::CommandWrote(_)
        | Msg::CommandEnded(_)
        | Msg::Listed(..)
        | Msg::Rehearsed(..)
        | Msg::Sweeping(_) => {
            on_the_way(model, message);
            Vec::new()
        }
        Msg::Swept(result) => scanning::swept(model, result),
    }
}

/// Takes in news of work that a view of its own shows.
fn heard(model: &mut Model, message: Msg) -> Vec<Effect> {
    match message {
        Msg::Exporting(news) => export::hear(model, news),
        Msg::Packing(news) => packing::hear(model, news),
        Msg::Wiping(news) => wipe::hear(model, news),
        Msg::Upkeep(news) => upkeep::hear(model, news),
        Msg::Startup(news) => startup::hear(model, news),
        _ => Vec::new(),
    }
}

/// Takes in news of the scan under way.
fn hear_of_scan(model: &mut Model, event: ScanEvent) {
    let is_news_of_places = matches!(event, ScanEvent::Places(_));
    model.scanning.hear(event);
    if is_news_of_places && let Some(session) = &model.session {
        let accounts = session.target.accounts.iter();
        let home = |account: &Account| (account.name.to_string(), account.home.to_string());
        let homes: Vec<_> = accounts.map(home).collect();
        model.scanning.group(&homes);
    }
}

/// Takes in news of the check, the sweep and of what runs in view.
fn on_the_way(model: &mut Model, message: Msg) {
    match message {
        Msg::Listed(job, check) if job == model.job => {
            check::listed(model, check.map(|check| *check));
        }
        Msg::Rehearsed(job, result) if job == model.job => check::rehearsed(model, result),
        Msg::Sweeping(event) => {
            let clock = model.clock;
            if let Some(sweeping) = &mut model.sweeping {
                sweeping.hear(event, clock);
            }
        }
        Msg::ManagerAnswered(answer) => uninstall::answered(model, answer),
        Msg::CommandWrote(bytes) => uninstall::wrote(model, &bytes),
        Msg::CommandEnded(end) => uninstall::ended(model, end),
        _ => {}
    }
}

fn end(model: &mut Model) -> Vec<Effect> {
    model.is_over = true;
    weigh::keep_decided(model).into_iter().collect()
}

/// Takes in what was found out for weigh.
fn answered(model: &mut Model, message: Msg) -> Vec<Effect> {
    match message {
        Msg::Held(scan, users) => {
            let weigh = model.weigh.as_mut();
            if let Some(weigh) = weigh.filter(|weigh| Arc::ptr_eq(&weigh.scan, &scan)) {
                weigh.users = Some(users);
            }
            Vec::new()
        }
        Msg::LookedInside(ticket, opened) => inside::opened(model, ticket, opened),
        Msg::FoundInside(ticket, found) => inside::found(model, ticket, found),
        Msg::Others(ticket, folder, others) => {
            inside::others(model, ticket, folder, others);
            Vec::new()
        }
        Msg::Reckoned(ticket, reckoned) => exclude::reckoned(model, ticket, reckoned),
        Msg::Narrowed(ticket, list) => {
            check::narrowed(model, ticket, list.map(|list| *list));
            Vec::new()
        }
        Msg::Closed(job, result) => check::closed(model, job, result),
        Msg::SitesRead(scan, found) => {
            sites::found(model, &scan, found);
            Vec::new()
        }
        Msg::ProgramsRead(scan, known) => {
            programs::found(model, &scan, known);
            Vec::new()
        }
        Msg::Space(scan, news) => space::hear(model, &scan, news),
        Msg::SitesSpared(scan, spared) => sites::spared(model, &scan, spared),
        Msg::Saved(result) => {
            save::saved(model, result);
            Vec::new()
        }
        Msg::PointGone(result) => {
            packing::point_gone(model, result);
            Vec::new()
        }
        Msg::Runs(loaded) => {
            runs::loaded(model, loaded);
            Vec::new()
        }
        Msg::Dustpans(loaded) => {
            dustpan::loaded(model, loaded);
            Vec::new()
        }
        Msg::BroughtBack(result) => dustpan::brought_back(model, result),
        Msg::PanEmptied(result) => dustpan::emptied(model, result),
        Msg::PlacesChanged(changed) => place::changed(model, *changed),
        _ => Vec::new(),
    }
}

/// Keys while nothing can be shown: what nobody sees, nobody can mean. One leaves; the interrupt stops a
/// sweep, which is safe at any moment.
fn press_unseen(model: &mut Model, key: KeyEvent) -> Vec<Effect> {
    let is_interrupt =
        key.code == KeyCode::Char('c') && key.modifiers.contains(KeyModifiers::CONTROL);
    let is_leave = key.code == KeyCode::Char('q') && key.modifiers.is_empty();
    match model.station {
        Station::Sweep if is_interrupt => stop_sweep(model),
        Station::Sweep => Vec::new(),
        _ if is_leave || is_interrupt => end(model),
        _ => Vec::new(),
    }
}

/// Asks a sweep to stop; what it has done stays recorded.
fn stop_sweep(model: &mut Model) -> Vec<Effect> {
    if let Some(sweeping) = &mut model.sweeping {
        sweeping.is_stopping = true;
    }
    vec![Effect::Run(RunWork::StopSweep)]
}

fn press(model: &mut Model, key: KeyEvent) -> Vec<Effect> {
    let Some(context) = model.context() else {
        return overlay::press(model, key);
    };
    model.message = None;
    model.pointed = None;
    let Some(action) = keys::action(context, key) else {
        return Vec::new();
    };
    if model.asked != Some(action) {
        model.asked = None;
    }
    if model.overlay.is_some() {
        return at_view(model, action, key);
    }
    let station = model.station;
    let mut effects = at_station(model, context, action);
    if hints::is_step(station, action) {
        effects.extend(hints::done(model, station));
    }
    effects
}

/// Keys while nothing stands before the station.
fn at_station(model: &mut Model, context: Context, action: Action) -> Vec<Effect> {
    match (action, model.station) {
        (Action::Leave, Station::Sweep) => Vec::new(),
        (Action::Leave, _) => leave(model),
        (Action::Find, _) => {
            find::begin(model, None);
            Vec::new()
        }
        (Action::FindNext, _) => find::next(model),
        (Action::Help, _) => {
            model.overlay = Some(Overlay::Help(0, None));
            Vec::new()
        }
        (Action::History, Station::Arrive) => runs::open(model),
        (action, Station::Arrive) => arrive::act(model, action),
        (action, Station::Scan) => scanning::at_scan(model, action),
        (Action::Stop, Station::Sweep) => stop_sweep(model),
        (Action::Pause, Station::Sweep) => pause(model),
        (Action::GetBack, _) => dustpan::open(model),
        (Action::History, _) => runs::open(model),
        (Action::Retry, Station::Report) => {
            let left = model.report.as_ref().and_then(|report| report.left.clone());
            scanning::retry(model, left)
        }
        (Action::RestorePoint, Station::Report) => packing::let_go_of_point(model),
        (Action::Export, Station::Report) => {
            let run = model.report.as_ref().map(|report| report.run.clone());
            run.map_or_else(Vec::new, |run| export::run(model, run))
        }
        (action, Station::Weigh) if context == Context::Inside => inside::act(model, action),
        (action, Station::Weigh) => weigh::act(model, action),
        (action, Station::Check) => check::act(model, action),
        (Action::Enter | Action::Back, Station::Report) => {
            // A second scan that came to nothing is over, too.
            if model.scanning.took.is_none() {
                model.message = Some("The second scan is still under way.".to_owned());
            } else {
                model.station = Station::Weigh;
            }
            Vec::new()
        }
        _ => Vec::new(),
    }
}

/// Whether a key was pressed again right after it was asked about; else it is asked about now.
fn has_said_yes(model: &mut Model, action: Action) -> bool {
    let has_said = model.asked == Some(action);
    model.asked = (!has_said).then_some(action);
    has_said
}

/// Leaves; who has decided something that nothing keeps is asked once.
fn leave(model: &mut Model) -> Vec<Effect> {
    let decided = model
        .weigh
        .as_ref()
        .map_or(0, |weigh| weigh.decisions.steps().1);
    if decided == 0 || model.report.is_some() || has_said_yes(model, Action::Leave) {
        return end(model);
    }
    let steps = counted(decided as u64, "step");
    let text = format!(
        "You decided {steps}; piles and ages are kept for this visit, marks inside are not: q once more leaves."
    );
    model.message = Some(text);
    Vec::new()
}

/// Holds the sweep, or lets it go on.
fn pause(model: &mut Model) -> Vec<Effect> {
    let clock = model.clock;
    let Some(sweeping) = model.sweeping.as_mut().filter(|it| !it.is_stopping) else {
        return Vec::new();
    };
    match sweeping.held.0.take() {
        None => {
            sweeping.held.0 = Some(clock);
            vec![Effect::Run(RunWork::HoldSweep)]
        }
        Some(since) => {
            sweeping.held.1 += clock.saturating_sub(since);
            vec![Effect::Run(RunWork::GoOn)]
        }
    }
}

/// Keys while a view stands before the station.
fn at_view(model: &mut Model, action: Action, key: KeyEvent) -> Vec<Effect> {
    match (action, model.overlay.take()) {
        (Action::Close, Some(Overlay::Starts(view))) => starts::close(model, *view),
        (Action::Close, Some(Overlay::Copies(view))) => copies::close(model, *view),
        (Action::Leave, view) => {
            model.overlay = view;
            leave(model)
        }
        (Action::Close, _) | (_, None) => Vec::new(),
        (Action::Find, Some(view)) => {
            find::begin(model, Some(view));
            Vec::new()
        }
        (Action::FindNext, view) => {
            model.overlay = view;
            find::next(model)
        }
        (Action::Help, Some(view)) => {
            model.overlay = Some(Overlay::Help(0, Some(Box::new(view))));
            Vec::new()
        }
        (_, Some(Overlay::Rulebooks(view))) => rulebooks::act(model, view, action),
        (_, Some(Overlay::Exclusions(view))) => exclusions::act(model, view, action),
        (_, Some(Overlay::Sites(view))) => sites::act(model, view, action),
        (_, Some(Overlay::Programs(view))) => programs::act(model, view, action),
        (_, Some(Overlay::Copies(view))) => copies::act(model, view, action),
        (_, Some(Overlay::Space(view))) => space::act(model, view, action),
        (_, Some(Overlay::Decided(focus))) => decided::act(model, focus, action),
        (_, Some(Overlay::Starts(view))) => starts::act(model, view, action),
        (_, Some(Overlay::Runs(view))) => runs::act(model, view, action),
        (_, Some(Overlay::Startup(view))) => startup::act(model, view, action),
        (_, Some(Overlay::Dustpan(view))) => dustpan::act(model, view, action),
        (_, Some(other)) => {
            model.overlay = Some(other);
            overlay::press(model, key)
        }
    }
}

/// A computer's name as a part of a file's.
fn file_label(label: &str) -> String {
    let letter = |letter: char| {
        if letter.is_alphanumeric() {
            letter
        } else {
            '-'
        }
    };
    let label: String = label.chars().map(letter).collect();
    label.trim_matches('-').to_lowercase()
}

/// How far a page goes.
const PAGE: usize = 10;

/// Where a focus moves in a list of so many rows.
fn moved(focus: usize, rows: usize, action: Action) -> usize {
    let last = rows.saturating_sub(1);
    let to = match action {
        Action::Up => focus.saturating_sub(1),
        Action::Down => focus + 1,
        Action::PageUp => focus.saturating_sub(PAGE),
        Action::PageDown => focus + PAGE,
        Action::First => 0,
        Action::Last => last,
        _ => focus,
    };
    to.min(last)
}
