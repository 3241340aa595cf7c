//! `sweep`: doing it.

use std::path::Path;

use jolly_core::chores::ChoreId;
use jolly_core::decide::Spared;
use jolly_core::host::boot;
use jolly_core::plan::{ConfirmedManifest, Manifest, MostRead, Outcome, make_manifest, read_plan};
use jolly_core::report::{told, visit_run, visit_scan};
use jolly_core::rule::{Search, resolve};
use jolly_core::run::{Comparison, Difference, Pause, Predictions, RunSummary, SweepError};
use jolly_core::state::{LockError, SheetError};
use jolly_core::survey::{searches_of_copies, searches_of_leftovers};
use jolly_core::{CancelToken, error_chain};
use serde_json::{Value, json};

use crate::cli::chores::do_them;
use crate::cli::unattended::TimeLimit;
use crate::cli::{SweepOptions, chores, preview, print, scan, unattended};
use crate::exit::{Exit, Refusal};
use crate::options::SharedOptions;
use crate::runs::{List, Run, RunError};
use crate::session::{Session, clock};
use crate::surveys::copies_of_list;
use crate::upkeep::named;
use crate::wording::{bytes, count};

pub(super) fn run(options: &SharedOptions, sweep: &SweepOptions) -> Result<Exit, Refusal> {
    let cancel = print::cancel_on_interrupt()?;
    let is_real = sweep.yes && !sweep.rehearse;
    let wanted = chores::parse(&sweep.chores)?;
    let is_planned = sweep.plan.is_some();
    let mut limit = None;
    let (session, manifest, searches) = if let Some(id) = &sweep.sheet {
        match unattended::planned(options, id, is_real, &cancel)? {
            unattended::Planned::Goes(found, limited) => {
                limit = limited;
                *found
            }
            unattended::Planned::Ends(exit) => return Ok(exit),
        }
    } else if let Some(file) = &sweep.plan {
        let planned = planned(options, file, &cancel)?;
        look_after(&planned.0, is_real);
        planned
    } else {
        let session = Session::of_options(options)?;
        look_after(&session, is_real);
        let (scan, decisions) = scan::scanned(&session, options, &cancel)?;
        if scan.is_partial {
            print::message("jolly-broom: stopped while scanning; nothing was removed");
            return Ok(Exit::Stopped);
        }
        if is_real {
            tell_unkept(session.note_visit(None, &visit_scan(&scan, &decisions)));
        }
        let manifest = make_manifest(&scan, &decisions);
        (session, manifest, scan.searches)
    };
    // What was said since a plan was made counts; a list that was just made knows it already.
    let (excluded, rules_off) = if is_planned {
        let excluded = Spared::of(&session.exclusions, session.target.layout);
        let excluded =
            excluded.map_err(|error| Refusal::bad_input(&error, "mend that exclusion"))?;
        (excluded, session.rules_off())
    } else {
        (Vec::new(), Vec::new())
    };
    let list = List {
        searches: &searches,
        excluded: &excluded,
        rules_off: &rules_off,
        makes_point: sweep.restore_point,
    };
    if sweep.rehearse {
        return rehearse(options, &session, manifest, &list);
    }
    if !sweep.yes {
        if !options.json {
            print::result(|out| preview::write_sums(out, &manifest))?;
            preview::write_about_profiles(&session, &manifest, &cancel)?;
        }
        hint_at_all(options, &manifest);
        print::note("jolly-broom: nothing was removed; add --yes to do it");
        return Ok(Exit::Done);
    }
    let exit = carry_out(options, &session, &manifest.confirm(), &list, &cancel)?;
    let exit = followed_by(options, &session, (exit, &wanted), &cancel)?;
    let is_late = exit == Exit::Stopped && limit.as_ref().is_some_and(TimeLimit::has_stopped);
    Ok(if is_late { Exit::SomeStayed } else { exit })
}

/// Does the chores that were asked for, once a sweep came to its end.
fn followed_by(
    options: &SharedOptions,
    session: &Session,
    (exit, wanted): (Exit, &[ChoreId]),
    cancel: &CancelToken,
) -> Result<Exit, Refusal> {
    if wanted.is_empty() || !matches!(exit, Exit::Done | Exit::SomeStayed) {
        return Ok(exit);
    }
    let found = session.chores(cancel);
    if found.is_empty() {
        print::message("Chores are for the system that runs here; this is another one.");
        return Ok(Exit::SomeStayed);
    }
    // Who swept with --yes has said it for what follows, too.
    let did = do_them(options, session, (&named(&found, wanted), true), cancel)?;
    Ok(if did == Exit::Done { exit } else { did })
}

/// A list with the computer that it is of, and where the rules look there.
pub(super) type Listed = (Session, Manifest, Vec<Search>);

/// Before anything is looked at: what an earlier run left open is settled, and dustpans past their date are
/// emptied.
pub(super) fn look_after(session: &Session, is_real: bool) {
    if is_real {
        for note in session.look_after() {
            print::message(&format!("jolly-broom: {note}"));
        }
    }
}

/// A plan, its target opened, and where the rules look there.
fn planned(options: &SharedOptions, file: &Path, cancel: &CancelToken) -> Result<Listed, Refusal> {
    let bad = |what: String, advice: &str| Refusal {
        exit: Exit::BadInput,
        message: format!(
            "the plan {} can't be used: {what}\n  {advice}",
            file.display()
        ),
    };
    let again = "make it again with `preview --plan`";
    // A plan that somebody else could have written is not what was shown to this person.
    let opened = jolly_disk::trusted_file(file).map_err(|error| bad(error_chain(&error), again))?;
    let opened = opened.ok_or_else(|| bad("it is not there".to_owned(), again))?;
    let manifest =
        read_plan(opened, MostRead::default()).map_err(|error| bad(error.to_string(), again))?;
    let root = match &options.target {
        Some(target) => target.clone(),
        None => manifest.target.root.clone().into(),
    };
    let session = Session::open(options, &root)?;
    let mark = jolly_core::plan::TargetMark::of(&session.target);
    if !mark.is_same(&manifest.target) {
        let what = format!(
            "it was made for {}, and this is {}",
            manifest.target.root, mark.root
        );
        return Err(bad(what, "give the target that it was made for"));
    }
    if manifest.boot != boot() {
        let what = "it was made on another machine, or before this one was started anew";
        return Err(bad(what.to_owned(), again));
    }
    if manifest.rules != session.rules.digest() {
        return Err(bad("it was made with other rulebooks".to_owned(), again));
    }
    let (mut searches, _) = resolve(&session.target, &session.rules);
    // What a survey found has to be found again.
    if manifest.is_surveyed {
        let leftovers = session.leftovers(cancel);
        searches.extend(searches_of_leftovers(&leftovers, &session.rules));
        let copies = copies_of_list(&session, &manifest, cancel);
        searches.extend(searches_of_copies(&copies, &session.target, &session.rules));
    }
    Ok((session, manifest, searches))
}

fn refuse(error: &RunError) -> Refusal {
    let writable = "name a folder that can be written with --state; nothing was removed";
    match error {
        RunError::Journal(error) => Refusal::failed(error, writable),
        RunError::Dustpan(error) => Refusal::failed(error, writable),
        RunError::Room(error) => Refusal::failed(
            error,
            "name a folder with more room, on a volume whose files have owners, with --dustpan, or take less; \
             nothing was removed",
        ),
        RunError::Sweep(error) => match error {
            SweepError::OtherTarget { .. } | SweepError::OtherBoot => {
                Refusal::bad_input(error, "scan this target first")
            }
            SweepError::NoProc => Refusal::bad_input(
                error,
                "mount it: `mount -t proc proc /proc`; nothing was removed",
            ),
            SweepError::List { .. } => Refusal::bad_input(error, "make the plan again"),
            SweepError::Locked(LockError::Held) => {
                Refusal::failed(error, "wait until it has ended")
            }
            SweepError::Locked(LockError::Failed { .. }) | SweepError::Measure { .. } => {
                Refusal::failed(error, "")
            }
            SweepError::Journal { .. } => Refusal::failed(error, writable),
        },
        RunError::Point { .. } => Refusal::failed(error, "sweep without --restore-point"),
    }
}

/// Rules that are named and start left take nothing by themselves.
fn hint_at_all(options: &SharedOptions, manifest: &Manifest) {
    if manifest.items.is_empty() && !options.only.is_empty() && !options.all {
        print::note("  what starts left is taken with --all");
    }
}

fn rehearse(
    options: &SharedOptions,
    session: &Session,
    manifest: Manifest,
    list: &List<'_>,
) -> Result<Exit, Refusal> {
    let progress = print::Progress::new();
    let rehearsed = session.rehearse(list, &manifest.confirm(), &|event| {
        progress.sweep(&event);
    });
    let rehearsed = rehearsed.map_err(|error| refuse(&error))?;
    let (summary, id) = (rehearsed.summary, rehearsed.predictions.rehearsal);
    progress.end();
    if options.json {
        let mut printed = as_json(&summary, None);
        printed["rehearsed"] = id.as_deref().into();
        print::json(&printed)?;
    } else {
        print::result(|out| {
            writeln!(out, "Rehearsed; nothing was removed.")?;
            write_summary(out, &summary)?;
            match &id {
                Some(id) => writeln!(
                    out,
                    "kept as {id}; `jolly-broom log show {id}` has it item by item"
                ),
                None => Ok(()),
            }
        })?;
    }
    Ok(if summary.has_stayed() {
        Exit::SomeStayed
    } else {
        Exit::Done
    })
}

fn carry_out(
    options: &SharedOptions,
    session: &Session,
    manifest: &ConfirmedManifest,
    list: &List<'_>,
    cancel: &CancelToken,
) -> Result<Exit, Refusal> {
    let progress = print::Progress::new();
    // A rehearsal of this very list may have been kept; one that can't be read is none.
    let predictions = Predictions::of(&session.state, manifest.manifest());
    let predictions = predictions.ok().flatten();
    let control = (cancel, &Pause::default());
    let swept = session.sweep(list, manifest, predictions.as_ref(), control, &|event| {
        progress.sweep(&event);
    });
    let Run {
        id,
        log,
        summary,
        point,
    } = swept.map_err(|error| refuse(&error))?;
    progress.end();
    let ended = session.now.unwrap_or_else(clock);
    let told = told(&summary, &session.rules);
    tell_unkept(session.note_run(&visit_run(&id, ended, &summary, told)));
    if options.json {
        print::json(&as_json(&summary, Some((&id, &log))))?;
    } else {
        print::result(|out| {
            write_summary(out, &summary)?;
            writeln!(out, "log {id}  {log}")
        })?;
    }
    if let Some(point) = point {
        print::note(&format!(
            "{point} holds all as it was before; its space comes back with `jolly-broom dustpan empty {id} --yes`"
        ));
    }
    Ok(exit_of(&summary))
}

/// A sheet that can't be kept is no reason not to sweep, but it is told.
pub(super) fn tell_unkept(kept: Result<(), SheetError>) {
    if let Err(error) = kept {
        let why = error_chain(&error);
        print::message(&format!("jolly-broom: this visit is not kept: {why}"));
    }
}

fn exit_of(summary: &RunSummary) -> Exit {
    if let Some(why) = &summary.broke_off {
        print::message(&format!(
            "jolly-broom: the run broke off: {why}\n  `jolly-broom log recover` settles what became of the last items"
        ));
        Exit::Failed
    } else if summary.is_stopped {
        Exit::Stopped
    } else if summary.has_stayed() {
        Exit::SomeStayed
    } else {
        Exit::Done
    }
}

fn as_json(summary: &RunSummary, run: Option<(&str, &str)>) -> Value {
    let mut outcomes = serde_json::Map::new();
    for outcome in Outcome::ALL {
        let sum = summary.sum(outcome);
        outcomes.insert(
            outcome.name().to_owned(),
            json!({ "items": sum.items, "bytes": sum.bytes }),
        );
    }
    json!({
        "format": "jolly-broom/run",
        "version": 1,
        "run": run.map(|(run, _)| run),
        "log": run.map(|(_, log)| log),
        "rehearsal": run.is_none(),
        "outcomes": outcomes,
        "free": {
            "before": summary.free_before,
            "after": summary.free_after,
            "predicted": summary.free_predicted,
        },
        "compared": summary.compared.as_ref().map(compared),
        "stopped": summary.is_stopped,
        "broke_off": summary.broke_off,
    })
}

/// Predicted against actual.
fn compared(comparison: &Comparison) -> Value {
    let difference = |difference: &Difference| {
        json!({
            "path": difference.path,
            "predicted": difference.predicted.name(),
            "outcome": difference.actual.name(),
            "why": difference.why,
        })
    };
    let differences: Vec<Value> = comparison.differences.iter().map(difference).collect();
    json!({
        "same": comparison.same,
        "differ": comparison.differs,
        "differences": differences,
    })
}

fn write_summary(out: &mut dyn std::io::Write, summary: &RunSummary) -> std::io::Result<()> {
    for (outcome, sum) in &summary.outcomes {
        writeln!(
            out,
            "{:<10} {:>9}  {}",
            outcome.name(),
            count(sum.items),
            bytes(sum.bytes)
        )?;
    }
    for stayed in &summary.stayed {
        let (many, example) = (count(stayed.sum.items), &stayed.example);
        let outcome = stayed.outcome;
        writeln!(
            out,
            "stays  {many} {}: {}, such as {example}",
            outcome.name(),
            stayed.reason
        )?;
        writeln!(out, "       {}", outcome.advice())?;
    }
    if print::talk().verbose {
        for large in &summary.biggest {
            writeln!(
                out,
                "{:<10} {:>9}  {}",
                large.outcome.name(),
                bytes(large.bytes),
                large.place
            )?;
        }
    }
    if let Some(comparison) = &summary.compared {
        let (same, differ) = (count(comparison.same), count(comparison.differs));
        writeln!(out, "{same} went as rehearsed, {differ} otherwise")?;
        for difference in &comparison.differences {
            let (predicted, actual) = (difference.predicted.name(), difference.actual.name());
            let (path, why) = (&difference.path, &difference.why);
            writeln!(out, "       {path}: predicted {predicted}, {actual}: {why}")?;
        }
    }
    if summary.free_before == 0 && summary.free_after == 0 {
        return writeln!(out, "the file system doesn't say what is free");
    }
    let (before, after) = (bytes(summary.free_before), bytes(summary.free_after));
    writeln!(
        out,
        "free {before} → {after}, predicted {}",
        bytes(summary.free_predicted)
    )
}
