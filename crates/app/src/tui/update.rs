//! The only place where the model changes. No disk, no clock, no threads: what has to be done is
//! returned as effects.

mod arrive;
mod change;
mod check;
mod completion;
mod decided;
mod dustpan;
mod exclude;
mod exclusions;
mod find;
mod hints;
mod inside;
mod mouse;
mod overlay;
mod place;
mod pointed;
mod rulebooks;
mod runs;
mod save;
mod starts;
mod weigh;

use std::sync::Arc;

use jolly_core::computer::Account;
use jolly_core::pile::Sum;
use jolly_core::report::explain;
use jolly_core::run::LeftOver;
use jolly_core::walk::ScanEvent;
use ratatui::crossterm::event::{KeyCode, KeyEvent, KeyModifiers};

use crate::exit::Refusal;
use crate::tui::keys::{self, Action};
use crate::tui::model::{
    Context, Model, Overlay, Report, Saves, Scanning, Station, Verified, Weigh, customer_words,
    is_too_small,
};
use crate::tui::msg::{
    Effect, Keeping, Msg, Opened, Question, RunWork, ScanJob, Scanned, SweptRun,
};
use crate::wording::{at_once, count, counted};

/// Takes one message in; what threads have to do comes out.
pub(super) fn update(model: &mut Model, message: Msg) -> Vec<Effect> {
    let is_unseen = is_too_small(model.size);
    match message {
        Msg::Key(key) if is_unseen => press_unseen(model, key),
        Msg::Mouse(_) | Msg::Pasted(_) if is_unseen => Vec::new(),
        Msg::Nothing => Vec::new(),
        Msg::Resized(columns, rows) => {
            model.size = (columns, rows);
            Vec::new()
        }
        Msg::Mouse(event) => mouse::act(model, event),
        Msg::Ended => end(model),
        Msg::Key(key) => press(model, key),
        Msg::Pasted(text) => overlay::paste(model, &text),
        Msg::Found(computers, unmounted) => {
            model.bench.unmounted = unmounted;
            arrive::found(model, computers)
        }
        Msg::Arrived(root, looked) => arrive::arrived(model, &root, looked),
        Msg::Completed(text, folders) => {
            overlay::completed(model, &text, folders);
            Vec::new()
        }
        Msg::Explained(answer, rule) => {
            rulebooks::explained(model, answer, rule);
            Vec::new()
        }
        Msg::Kept(kept) => {
            if let Err(why) = kept {
                model.message = Some(why);
            }
            Vec::new()
        }
        Msg::Scanning(job, event) => {
            if job == model.job {
                let is_news_of_places = matches!(event, ScanEvent::Places(_));
                model.scanning.hear(event);
                if is_news_of_places && let Some(session) = &model.session {
                    let accounts = session.target.accounts.iter();
                    let home =
                        |account: &Account| (account.name.to_string(), account.home.to_string());
                    let homes: Vec<_> = accounts.map(home).collect();
                    model.scanning.group(&homes);
                }
            }
            Vec::new()
        }
        Msg::Opened(result) => opened(model, *result),
        Msg::Scanned(job, scan) => {
            if job == model.job {
                return scanned(model, scan.map(|scan| *scan));
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
        | Msg::Saved(..)
        | Msg::Dustpans(_)
        | Msg::Runs(_)
        | Msg::BroughtBack(_)
        | Msg::PanEmptied(_)
        | Msg::PlacesChanged(_) => answered(model, message),
        Msg::Listed(..) | Msg::Rehearsed(..) | Msg::Sweeping(_) => on_the_way(model, message),
        Msg::Swept(result) => swept(model, result),
    }
}

/// Takes in news of the check and the sweep.
fn on_the_way(model: &mut Model, message: Msg) -> Vec<Effect> {
    match message {
        Msg::Listed(job, check) => {
            if job == model.job {
                check::listed(model, check.map(|check| *check));
            }
            Vec::new()
        }
        Msg::Rehearsed(job, result) => {
            if job == model.job {
                check::rehearsed(model, result);
            }
            Vec::new()
        }
        Msg::Sweeping(event) => {
            let clock = model.clock;
            if let Some(sweeping) = &mut model.sweeping {
                sweeping.hear(event, clock);
            }
            Vec::new()
        }
        _ => Vec::new(),
    }
}

fn end(model: &mut Model) -> Vec<Effect> {
    model.is_over = true;
    Vec::new()
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
        Msg::Saved(saves, result) => {
            save::saved(model, saves, result);
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

/// Begins a scan of the chosen computer.
pub(super) fn start_scan(model: &mut Model) -> Vec<Effect> {
    let Some(session) = model.session.clone() else {
        return Vec::new();
    };
    model.job += 1;
    model.scanning = Scanning {
        began: model.clock,
        ..Scanning::default()
    };
    let let_go = model.check.take().map(let_go);
    // What verifies a sweep leans on nothing that was known before.
    let is_verifying = model.report.is_some();
    let weigh = model.weigh.as_ref();
    let decided = weigh.map(|weigh| (Arc::clone(&weigh.scan), weigh.decisions.clone()));
    let before = weigh.filter(|_| !is_verifying);
    let scan = Effect::Run(RunWork::Scan(Box::new(ScanJob {
        job: model.job,
        session,
        selection: model.selection.clone(),
        only: model.retry.take(),
        before: before.map(|weigh| Arc::clone(&weigh.scan)),
        decided,
    })));
    std::iter::once(scan).chain(let_go).collect()
}

/// What is large is let go of by a thread.
fn let_go(large: impl Send + 'static) -> Effect {
    Effect::LetGo(Box::new(large))
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
        (action, Station::Scan) => at_scan(model, action),
        (Action::Stop, Station::Sweep) => stop_sweep(model),
        (Action::Pause, Station::Sweep) => pause(model),
        (Action::GetBack, _) => dustpan::open(model),
        (Action::History, _) => runs::open(model),
        (Action::Retry, Station::Report) => {
            let left = model.report.as_ref().and_then(|report| report.left.clone());
            retry(model, left)
        }
        (Action::Save, Station::Report) => {
            save::ask(model, Saves::Report);
            Vec::new()
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
        "You decided {steps}; marks and ages would be forgotten: q once more leaves, any other key stays."
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

/// Scans again, to take what a run left behind and nothing else.
fn retry(model: &mut Model, left: Option<LeftOver>) -> Vec<Effect> {
    let Some(left) = left else {
        model.message = Some("Nothing was left that another try could take.".to_owned());
        return Vec::new();
    };
    if model.scanning.took.is_none() {
        model.message = Some("The scan is still under way.".to_owned());
        return Vec::new();
    }
    model.report = None;
    model.station = Station::Scan;
    model.retry = Some(left);
    start_scan(model)
}

/// Keys while a view stands before the station.
fn at_view(model: &mut Model, action: Action, key: KeyEvent) -> Vec<Effect> {
    match (action, model.overlay.take()) {
        (Action::Close, Some(Overlay::Starts(view))) => starts::close(model, *view),
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
        (_, Some(Overlay::Decided(focus))) => decided::act(model, focus, action),
        (_, Some(Overlay::Starts(view))) => starts::act(model, view, action),
        (_, Some(Overlay::Runs(view))) => runs::act(model, view, action),
        (_, Some(Overlay::Dustpan(view))) => dustpan::act(model, view, action),
        (_, Some(other)) => {
            model.overlay = Some(other);
            overlay::press(model, key)
        }
    }
}

/// Keys at the scan, under way or over.
fn at_scan(model: &mut Model, action: Action) -> Vec<Effect> {
    let is_over = model.scanning.took.is_some();
    match action {
        Action::Stop if !is_over => {
            model.scanning.is_stopping = true;
            vec![Effect::Run(RunWork::StopScan)]
        }
        Action::Back if is_over => arrive::enter(model),
        Action::Onward if is_over && model.weigh.is_some() => {
            model.station = Station::Weigh;
            Vec::new()
        }
        Action::LookAgain if is_over => {
            model.report = None;
            start_scan(model)
        }
        Action::Back | Action::Onward | Action::LookAgain => {
            model.message = Some("The scan is still under way; esc stops it.".to_owned());
            Vec::new()
        }
        _ => Vec::new(),
    }
}

fn opened(model: &mut Model, opened: Result<Opened, Refusal>) -> Vec<Effect> {
    match opened {
        Ok(opened) => {
            model.open(Arc::new(opened.session), opened.selection, opened.volume);
            let session = model.session.as_ref();
            model.scans_after_look = session.map(|it| it.target.root_path().to_owned());
            arrive::enter(model)
        }
        Err(refusal) => {
            model.refusal = Some(refusal);
            model.is_over = true;
            Vec::new()
        }
    }
}

fn scanned(model: &mut Model, scanned: Result<Scanned, String>) -> Vec<Effect> {
    let mut effects = scan_ended(model, scanned);
    effects.extend(hints::done(model, Station::Scan));
    effects
}

fn scan_ended(model: &mut Model, scanned: Result<Scanned, String>) -> Vec<Effect> {
    model.scanning.took = Some(model.clock.saturating_sub(model.scanning.began));
    let scanned = match scanned {
        Ok(scanned) => scanned,
        Err(why) => {
            model.message = Some(format!("The scan came to nothing: {why}; l scans again."));
            model.then_check = false;
            return Vec::new();
        }
    };
    let mut decisions = scanned.decisions;
    // A rule may have been turned off while the scan was under way.
    decisions.include(&scanned.scan, &model.selection);
    let before = model.weigh.as_ref();
    let mut weigh = Weigh::new(scanned.scan, decisions, scanned.today, before);
    weigh.is_dustpan_on_target = scanned.is_dustpan_on_target;
    if let Some(report) = &mut model.report
        && report.verified.is_none()
    {
        let mut stayed = Sum::default();
        report
            .summary
            .stayed
            .iter()
            .for_each(|reason| stayed.add(reason.sum));
        report.verified = Some(Verified {
            takes: weigh.decisions.takes_in_all(),
            stayed,
        });
    } else if model.station != Station::Arrive {
        model.station = Station::Weigh;
    }
    let sign = model.then_sign.take();
    let remembered = weigh.scan.remembered;
    if let Some(found) = weigh.scan.at_once {
        model.message = Some(format!("{}.", at_once(found)));
    } else if remembered > 0 {
        model.message = Some(format!(
            "{} of {} names lie in folders that have not changed since the last scan.",
            count(remembered),
            count(weigh.scan.looked_at)
        ));
    }
    let scan = Arc::clone(&weigh.scan);
    let visit = Keeping::Visit(scan.now, scan.volume);
    let keep = model
        .session
        .clone()
        .map(|session| Effect::Keep(session, visit));
    let users = Effect::Question(Question::LookForHolders(scan));
    let before = model.weigh.replace(weigh);
    let let_go = before.map(let_go);
    if let Some(sign) = sign {
        arrive::tell_sign(model, &sign);
    }
    let mut effects: Vec<Effect> = std::iter::once(users).chain(keep).chain(let_go).collect();
    let leads_on = std::mem::take(&mut model.then_check);
    if let Some((found, of)) = scanned.only {
        effects.extend(weigh::check(model));
        let (found, of) = (count(found), counted(of, "item"));
        let text =
            format!("{found} of {of} left to try; u at weigh goes back to what was taken before.");
        model.message = Some(text);
    } else if leads_on && model.station == Station::Weigh {
        effects.extend(weigh::check(model));
    }
    effects
}

fn swept(model: &mut Model, result: Result<Box<SweptRun>, String>) -> Vec<Effect> {
    model.sweeping = None;
    match result {
        Err(message) => {
            model.station = Station::Weigh;
            model.message = Some(message);
            Vec::new()
        }
        Ok(swept) => {
            let SweptRun { run, summary, left } = *swept;
            let size = model
                .weigh
                .as_ref()
                .map_or(0, |weigh| weigh.scan.volume.fillable());
            let is_partial = model.weigh.as_ref().is_some_and(|it| it.scan.is_partial);
            model.report = Some(Report {
                run,
                explained: explain(&summary),
                told: customer_words(&summary, model.check.as_ref()),
                summary: Box::new(summary),
                left,
                is_partial,
                size,
                verified: None,
            });
            model.station = Station::Report;
            let mut effects = start_scan(model);
            effects.extend(hints::done(model, Station::Sweep));
            effects
        }
    }
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
