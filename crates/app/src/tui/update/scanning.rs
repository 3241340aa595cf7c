//! Scanning, and what follows from a scan or a sweep that has ended.

use std::sync::Arc;

use jiff::Timestamp;
use jolly_core::computer::Layout;
use jolly_core::pile::Sum;
use jolly_core::report::{
    Advice, SweepEnd, advise, decided, explain, in_words, regrown, visit_run, visit_scan,
};
use jolly_core::run::{LeftOver, RunSummary};
use jolly_core::state::{Told, VisitFact, VisitLook, VisitSign};

use crate::exit::Refusal;
use crate::tui::keys::Action;
use crate::tui::model::{
    Model, Report, Scanning, Station, Upkeep, Verified, Weigh, customer_words,
};
use crate::tui::msg::{Effect, Keeping, Opened, Question, RunWork, ScanJob, Scanned, SweptRun};
use crate::tui::update::{arrive, copies, hints, programs, weigh};
use crate::wording::{self, at_once, count, counted};

/// Begins a scan of the chosen computer.
pub(in crate::tui) fn start_scan(model: &mut Model) -> Vec<Effect> {
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
    let to_take = model.copies_to_take.as_ref();
    let copies = to_take.map(|it| (Arc::clone(&it.chosen), true));
    let copies = copies.unwrap_or_else(|| {
        let before = weigh.map(|weigh| Arc::clone(&weigh.scan.copies));
        (before.unwrap_or_default(), false)
    });
    let scan = Effect::Run(RunWork::Scan(Box::new(ScanJob {
        copies,
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

/// Scans again, to take what a run left behind and nothing else.
pub(super) fn retry(model: &mut Model, left: Option<LeftOver>) -> Vec<Effect> {
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

/// Keys at the scan, under way or over.
pub(super) fn at_scan(model: &mut Model, action: Action) -> Vec<Effect> {
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

/// Begins with the computer that the options name, or ends with why it can't be opened.
pub(super) fn opened(model: &mut Model, opened: Result<Opened, Refusal>) -> Vec<Effect> {
    match opened {
        Ok(opened) => {
            model.open(Arc::new(opened.session), opened.selection, opened.volume);
            model.settled = opened.notes;
            let mut effects = arrive::enter(model);
            effects.extend(start_scan(model));
            effects
        }
        Err(refusal) => {
            model.refusal = Some(refusal);
            model.is_over = true;
            Vec::new()
        }
    }
}

/// Takes in a scan that has ended.
pub(super) fn scanned(model: &mut Model, scanned: Result<Scanned, String>) -> Vec<Effect> {
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
    let has_new_copies = copies::chosen(model, &mut weigh);
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
    greet(model, &mut weigh, scanned.taken_up as u64);
    let scan = Arc::clone(&weigh.scan);
    let keep = visit(model, &mut weigh);
    let users = Effect::Question(Question::LookForHolders(scan));
    let before = model.weigh.replace(weigh);
    let let_go = before.map(let_go);
    if has_new_copies {
        copies::tell(model);
    }
    let mut effects: Vec<Effect> = std::iter::once(users).chain(keep).chain(let_go).collect();
    effects.extend(sign.map_or_else(Vec::new, |sign| arrive::tell_sign(model, &sign)));
    if let Some(name) = model.then_left_behind.take() {
        effects.extend(programs::open_left_behind(model, &name));
    }
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

/// Says what is worth knowing of a scan that has ended.
fn greet(model: &mut Model, weigh: &mut Weigh, taken_up: u64) {
    let remembered = weigh.scan.remembered;
    if taken_up > 0 {
        let piles = counted(taken_up, "pile");
        let text = format!(
            "This visit goes on with what you decided before about {piles}; u goes back to how they start."
        );
        weigh.greeting = (model.station == Station::Arrive).then(|| text.clone());
        model.message = Some(text);
    } else if let Some(found) = weigh.scan.at_once {
        model.message = Some(format!("{}.", at_once(found)));
    } else if remembered > 0 {
        model.message = Some(format!(
            "{} of {} files and folders are unchanged since the last scan.",
            count(remembered),
            count(weigh.scan.looked_at)
        ));
    }
}

/// Keeps what this visit found, and holds it against the last one.
fn visit(model: &Model, weigh: &mut Weigh) -> Option<Effect> {
    let session = model.session.clone()?;
    let look = model
        .chosen_arrival()
        .map_or_else(VisitLook::default, |arrived| {
            let layout = session.target.layout;
            let facts = arrived.arrival.facts.iter().map(|fact| VisitFact {
                name: fact.about.to_owned(),
                value: fact.says.clone(),
            });
            let signs = arrived.arrival.signs.iter().map(|found| VisitSign {
                says: wording::sign(found, layout).0,
                gives: found.gives(),
            });
            VisitLook {
                facts: facts.collect(),
                signs: signs.collect(),
            }
        });
    let found = visit_scan(&weigh.scan, &weigh.decisions);
    let sheet = session.sheet.as_ref();
    let since = sheet.and_then(|sheet| regrown(sheet, weigh.scan.now, &found.piles));
    weigh.has_come_back(since);
    let keeping = Keeping::Visit(Box::new(look), Box::new(found));
    Some(Effect::Keep(session, keeping))
}

/// Takes in a sweep that has ended.
pub(super) fn swept(model: &mut Model, result: Result<Box<SweptRun>, String>) -> Vec<Effect> {
    model.sweeping = None;
    match result {
        Err(message) => {
            model.station = Station::Weigh;
            model.message = Some(message);
            Vec::new()
        }
        Ok(swept) => {
            let SweptRun {
                run,
                ended,
                summary,
                left,
                point,
                chores,
            } = *swept;
            let size = model
                .weigh
                .as_ref()
                .map_or(0, |weigh| weigh.scan.volume.fillable());
            let is_partial = model.weigh.as_ref().is_some_and(|it| it.scan.is_partial);
            let weighed = model.weigh.as_ref();
            let decided = weighed.map_or_else(Vec::new, |it| decided(&it.scan, &it.decisions));
            let advice = advice(model, &summary, (ended, size));
            let told = told(model, &advice);
            let visit = Keeping::Run(Box::new(visit_run(&run, ended, &summary, told)), decided);
            let keep = model
                .session
                .clone()
                .map(|session| Effect::Keep(session, visit));
            model.report = Some(Report {
                run,
                advice,
                explained: explain(&summary),
                told: customer_words(&summary, model.check.as_ref()),
                summary: Box::new(summary),
                left,
                point,
                chores,
                is_partial,
                size,
                verified: None,
            });
            model.station = Station::Report;
            // What was done is looked at anew before it is offered once more.
            model.upkeep = Upkeep::default();
            let mut effects = start_scan(model);
            effects.extend(keep);
            effects.extend(hints::done(model, Station::Sweep));
            effects
        }
    }
}

/// What was told of a run, as its page for the customer says it.
fn told(model: &Model, advice: &[Advice]) -> Told {
    let session = model.session.as_ref();
    let layout = session.map_or(Layout::Linux, |session| session.target.layout);
    let next_visit = advice.iter().find_map(|one| match one {
        Advice::NextVisit(when, ..) => Some(*when),
        _ => None,
    });
    let check = model.check.as_ref();
    Told {
        noticed: check.map_or_else(Vec::new, |check| in_words(&check.notices)),
        advice: (advice.iter())
            .filter(|one| !matches!(one, Advice::NextVisit(..)))
            .map(|one| wording::advice(one, layout))
            .collect(),
        next_visit,
        failed: None,
    }
}

/// What to tell the customer, by what this computer showed when it was looked at first.
fn advice(model: &Model, summary: &RunSummary, (now, size): (Timestamp, u64)) -> Vec<Advice> {
    let Some(arrived) = model.chosen_arrival() else {
        return Vec::new();
    };
    let target = &arrived.session.target;
    let end = SweepEnd {
        now,
        size,
        is_running: target.is_live || target.is_stand_in(),
        little: arrived.session.little,
        forecast: arrived.forecast.as_ref(),
    };
    advise(&arrived.arrival.signs, summary, end)
}
