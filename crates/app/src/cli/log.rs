//! `log`: what runs did.

use std::path::Path;

use jolly_core::computer::TargetPath;
use jolly_core::error_chain;
use jolly_core::format::{Printable, write_json};
use jolly_core::pile::Sum;
use jolly_core::plan::OutcomeSums;
use jolly_core::run::{
    CommandLog, LogState, LogSummary, RecoverError, list_commands, list_logs, read_command,
    read_items, recover, verify_log,
};
use jolly_core::state::{LogError, NoRunId, RunId, StateError, StateFolder};
use jolly_core::wiping::{WipeLog, list_wipes, read_wipe};
use serde_json::json;

use crate::cli::{LogCommand, print};
use crate::exit::{Exit, Refusal};
use crate::options::SharedOptions;
use crate::session::{clock, open_state, open_target, same_computer};
use crate::wiping::{manner_in_words, outcome_in_words, subject_in_words, wipe_as_json};
use crate::wording::{bytes, count};

pub(super) fn run(options: &SharedOptions, command: &LogCommand) -> Result<Exit, Refusal> {
    let state = open_state(options)?;
    match command {
        LogCommand::List => list(options, &state),
        LogCommand::Show { run } => show(options, &state, &parse_run(&state, run)?),
        LogCommand::Verify { run } => verify(options, &state, &parse_run(&state, run)?),
        LogCommand::Recover => settle(options, &state),
    }
}

/// The id of a run as a person gives it.
pub(super) fn parse_run(state: &StateFolder, text: &str) -> Result<RunId, Refusal> {
    text.parse().map_err(|NoRunId| {
        refuse(&LogError::NoSuchRun {
            run: Printable(text.as_bytes()).to_string(),
            folder: state.logs(),
        })
    })
}

pub(super) fn refuse(error: &LogError) -> Refusal {
    match error {
        LogError::NoSuchRun { .. } => {
            Refusal::bad_input(error, "`jolly-broom log list` names them all")
        }
        LogError::Unreadable { .. } | LogError::NeverBegan { .. } => Refusal::failed(error, ""),
        LogError::Doubted { .. } => {
            Refusal::bad_input(error, "it must be yours, for nobody else to write to")
        }
        LogError::Altered { .. } | LogError::OtherRun { .. } => {
            Refusal::failed(error, "what it says from there on can't be trusted")
        }
        LogError::OtherVersion { .. } => Refusal::failed(error, "use the version that wrote it"),
    }
}

fn state_name(state: LogState) -> &'static str {
    match state {
        LogState::Finished => "finished",
        LogState::Stopped => "stopped",
        LogState::Interrupted => "interrupted",
        LogState::Recovered => "recovered",
        LogState::Rehearsed => "rehearsed",
    }
}

fn outcomes(sums: &OutcomeSums) -> serde_json::Value {
    let entry = |(outcome, sum): (&jolly_core::plan::Outcome, &Sum)| {
        (
            outcome.name().to_owned(),
            json!({ "items": sum.items, "bytes": sum.bytes }),
        )
    };
    sums.iter()
        .map(entry)
        .collect::<serde_json::Map<_, _>>()
        .into()
}

/// A log, of whatever it is.
enum AnyLog {
    Sweep(LogSummary),
    Command(CommandLog),
    Wipe(WipeLog),
}

impl AnyLog {
    fn run(&self) -> &RunId {
        match self {
            Self::Sweep(log) => &log.run,
            Self::Command(log) => &log.run,
            Self::Wipe(log) => &log.run,
        }
    }
}

/// Every log that can be read, in the order of their runs; and what can't be.
fn all_logs(state: &StateFolder) -> Result<(Vec<AnyLog>, Vec<LogError>), Refusal> {
    let refuse = |error: StateError| Refusal::failed(&error, "");
    let (mut logs, mut unread) = (Vec::new(), Vec::new());
    let mut add = |log: Result<AnyLog, LogError>| match log {
        Ok(log) => logs.push(log),
        Err(error) => unread.push(error),
    };
    for log in list_logs(state).map_err(refuse)? {
        add(log.map(AnyLog::Sweep));
    }
    for log in list_commands(state).map_err(refuse)? {
        add(log.map(AnyLog::Command));
    }
    for log in list_wipes(state).map_err(refuse)? {
        add(log.map(AnyLog::Wipe));
    }
    logs.sort_by(|one, other| one.run().cmp(other.run()));
    Ok((logs, unread))
}

fn list(options: &SharedOptions, state: &StateFolder) -> Result<Exit, Refusal> {
    let (logs, unread) = all_logs(state)?;
    if logs.is_empty() && unread.is_empty() && !options.json {
        print::message("No run yet: the log of every sweep is kept here.");
    }
    for log in &logs {
        list_one(options, log)?;
    }
    for error in &unread {
        print::message(&format!("jolly-broom: {error}"));
    }
    Ok(if unread.is_empty() {
        Exit::Done
    } else {
        Exit::Failed
    })
}

/// A line of the list: what every log has, and what only this sort has, for programs and for people.
fn list_one(options: &SharedOptions, log: &AnyLog) -> Result<(), Refusal> {
    let (started, target, state, mut more, says) = match log {
        AnyLog::Sweep(log) => {
            let more =
                json!({ "outcomes": outcomes(log.sums.outcomes()), "partial": log.is_partial });
            let state = state_name(log.state);
            (log.started, &log.target, state, more, sweep_in_words(log))
        }
        AnyLog::Wipe(log) => {
            let proven = log.end.is_proven();
            let wiped = json!({ "what": log.what, "written": log.end.written, "proven": proven });
            let (what, size) = (subject_in_words(log), bytes(log.end.written));
            let more = json!({ "outcomes": {}, "wiped": wiped });
            let state = log.end.state.name();
            (
                log.started,
                &log.path,
                state,
                more,
                format!("wiped {what}: {size}"),
            )
        }
        AnyLog::Command(log) => {
            let more = json!({ "outcomes": {}, "command": log.command, "code": log.code });
            let state = command_state(log);
            (log.started, &log.target, state, more, command_in_words(log))
        }
    };
    if options.json {
        more["run"] = json!(log.run());
        more["started"] = json!(started);
        more["target"] = json!(target);
        more["state"] = state.into();
        return print::json(&more);
    }
    let started = started.strftime("%Y-%m-%d %H:%M");
    print::result(|out| writeln!(out, "{}  {started}  {state:<11} {says}", log.run()))
}

fn sweep_in_words(log: &LogSummary) -> String {
    let mut gone = Sum::default();
    let went = log.sums.outcomes().iter();
    let went = went.filter(|(outcome, _)| !outcome.stays());
    went.for_each(|(_, more)| gone.add(*more));
    let (many, size) = (count(gone.items), bytes(gone.bytes));
    let part = if log.is_partial { "  (of a part)" } else { "" };
    format!("{many:>9} {size:>10}  {}{part}", log.target)
}

/// A tool of the system that was run in view.
fn command_in_words(command: &CommandLog) -> String {
    let code = match (command.ended, command.code) {
        (None, _) => "its end isn't known".to_owned(),
        (Some(_), Some(code)) => format!("ended with {code}"),
        (Some(_), None) => "ended by a signal".to_owned(),
    };
    let printable = |text: &str| Printable(text.as_bytes()).to_string();
    let (what, target) = (printable(&command.what), printable(&command.target));
    format!("{what}: {code}  {target}")
}

/// All that is known of something that was written over.
fn show_wipe(options: &SharedOptions, log: &WipeLog) -> Result<Exit, Refusal> {
    if options.json {
        print::json(&wipe_as_json(log))?;
        return Ok(Exit::Done);
    }
    print::result(|out| {
        let (what, size) = (subject_in_words(log), bytes(log.size));
        let how = manner_in_words(log.fill, log.passes);
        writeln!(out, "{what}, {size}, {how}")?;
        for line in outcome_in_words(&log.end) {
            writeln!(out, "  {line}")?;
        }
        for told in &log.told {
            writeln!(out, "  note: {}", Printable(told.as_bytes()))?;
        }
        Ok(())
    })?;
    Ok(Exit::Done)
}

/// How a command ended, in a word.
fn command_state(command: &CommandLog) -> &'static str {
    match command.ended {
        Some(_) => "finished",
        None => "interrupted",
    }
}

/// What a tool said, made harmless.
fn show_command(options: &SharedOptions, command: &CommandLog) -> Result<Exit, Refusal> {
    if options.json {
        print::json(&json!({
            "run": command.run,
            "what": command.what,
            "packages": command.packages,
            "command": command.command,
            "output": command.output,
            "code": command.code,
        }))?;
        return Ok(Exit::Done);
    }
    print::result(|out| {
        writeln!(out, "{}", Printable(command.command.join(" ").as_bytes()))?;
        command
            .output
            .split(['\n', '\r'])
            .filter(|line| !line.is_empty())
            .try_for_each(|line| writeln!(out, "  {}", Printable(line.as_bytes())))
    })?;
    Ok(Exit::Done)
}

fn show(options: &SharedOptions, state: &StateFolder, run: &RunId) -> Result<Exit, Refusal> {
    if state.command(run).exists() {
        let command = read_command(state, run).map_err(|error| refuse(&error))?;
        return show_command(options, &command);
    }
    if state.wipe(run).exists() {
        let log = read_wipe(state, run).map_err(|error| refuse(&error))?;
        return show_wipe(options, &log);
    }
    let items = read_items(state, run).map_err(|error| refuse(&error))?;
    print::result(|out| {
        for item in &items {
            if options.json {
                write_json(&mut *out, item)?;
                writeln!(out)?;
            } else {
                let path = TargetPath::try_from(&item.place.path).unwrap_or_default();
                let within = item.place.within.as_deref();
                // All of a registry's names were harmless when they were listed.
                let within = within.map_or_else(String::new, |within| match &*item.kind {
                    "value" => format!(", {within}"),
                    _ => format!(", {}", Printable(within.as_bytes())),
                });
                let outcome = item.outcome.map_or("unsettled", |outcome| outcome.name());
                let reason = Printable(item.reason.as_bytes());
                writeln!(
                    out,
                    "{outcome:<10} {:>10}  {path}{within}  {reason}",
                    bytes(item.bytes)
                )?;
            }
        }
        Ok(())
    })?;
    Ok(Exit::Done)
}

fn verify(options: &SharedOptions, state: &StateFolder, run: &RunId) -> Result<Exit, Refusal> {
    let other = if state.command(run).exists() {
        let command = read_command(state, run).map_err(|error| refuse(&error))?;
        Some((command_state(&command), command.ended.is_some()))
    } else if state.wipe(run).exists() {
        let log = read_wipe(state, run).map_err(|error| refuse(&error))?;
        Some((log.end.state.name(), log.ended.is_some()))
    } else {
        None
    };
    if let Some((name, whole)) = other {
        if options.json {
            print::json(&json!({ "run": run, "whole": whole, "state": name }))?;
        } else {
            print::result(|out| writeln!(out, "{run} is as it was written, {name}"))?;
        }
        return Ok(if whole { Exit::Done } else { Exit::Failed });
    }
    let log = verify_log(state, run).map_err(|error| refuse(&error))?;
    let name = state_name(log.state);
    if options.json {
        let whole = log.state != LogState::Interrupted;
        print::json(&json!({ "run": log.run, "whole": whole, "state": name }))?;
    } else if log.state != LogState::Interrupted {
        print::result(|out| writeln!(out, "{} is whole, {name}", log.run))?;
    }
    if log.state == LogState::Interrupted {
        print::message(&format!(
            "jolly-broom: {} broke off; {} items are unsettled\n  `jolly-broom log recover` settles them",
            log.run,
            count(log.unsettled)
        ));
        return Ok(Exit::Failed);
    }
    Ok(Exit::Done)
}

fn settle(options: &SharedOptions, state: &StateFolder) -> Result<Exit, Refusal> {
    let logs = list_logs(state).map_err(|error| Refusal::failed(&error, ""))?;
    let mut exit = Exit::Done;
    let mut broken = 0;
    for log in logs {
        let log = match log {
            Ok(log) if log.state == LogState::Interrupted => log,
            Ok(_) => continue,
            Err(error) => {
                print::message(&format!("jolly-broom: {error}"));
                exit = Exit::Failed;
                continue;
            }
        };
        broken += 1;
        let root = options
            .target
            .clone()
            .unwrap_or_else(|| log.target.clone().into());
        match settle_one(options, state, &log.run, &root) {
            Ok(settled) => print::result(|out| {
                let many = count(log.unsettled);
                writeln!(
                    out,
                    "{} settled: {many} items looked at, {}",
                    log.run,
                    state_name(settled.state)
                )
            })?,
            Err(message) => {
                print::message(&format!("jolly-broom: {}: {message}", log.run));
                exit = Exit::Failed;
            }
        }
    }
    if broken == 0 && exit == Exit::Done {
        print::message("No run broke off.");
    }
    Ok(exit)
}

fn settle_one(
    options: &SharedOptions,
    state: &StateFolder,
    run: &RunId,
    root: &Path,
) -> Result<LogSummary, String> {
    let target = open_target(options, root).map_err(|refusal| refusal.message)?;
    let settled = recover(state, run, (&target, same_computer(options)), clock());
    settled.map_err(|error| match error {
        RecoverError::KnownByPath { .. } => {
            format!("{error}\n  if it is the same one, say so with --same-computer")
        }
        error => error_chain(&error),
    })
}
