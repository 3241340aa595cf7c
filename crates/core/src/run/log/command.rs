//! Running a tool of the system in view: what it was, what it said and how it ended go into a log of their own.

use std::io;
use std::path::{Path, PathBuf};

use jiff::Timestamp;
use serde::{Deserialize, Serialize};

use crate::computer::Target;
use crate::host::{Talk, Tool};
use crate::state::{Journal, JournalError, LogError, RunId, StateFolder, each_line};

/// A tool to run.
pub struct CommandOrder<'a> {
    /// Where its log goes.
    pub state: &'a StateFolder,
    /// The id of this run.
    pub run: &'a RunId,
    /// When it starts.
    pub started: Timestamp,
    /// The computer.
    pub target: &'a Target,
    /// What it is for, in a few words.
    pub what: &'a str,
    /// Which chore it is a part of, by its name.
    pub chore: Option<&'a str>,
    /// The packages that it is to remove.
    pub packages: &'a [String],
    /// The tool.
    pub tool: &'a Tool,
    /// Columns and rows of its terminal.
    pub size: (u16, u16),
}

/// Why a tool did not run, or its end isn't known.
#[derive(Debug, thiserror::Error)]
#[expect(missing_docs, reason = "the message names the fields")]
pub enum CommandError {
    #[error(transparent)]
    Journal(#[from] JournalError),
    #[error("{tool} can't be run")]
    Run { tool: String, source: io::Error },
}

/// How a tool ended.
#[derive(Clone, Debug, PartialEq, Eq)]
pub struct CommandEnd {
    /// Its exit code; none where a signal ended it.
    pub code: Option<i32>,
    /// Its log.
    pub log: PathBuf,
}

/// Lines of the log.
#[derive(Serialize, Deserialize)]
#[serde(tag = "line", rename_all = "kebab-case")]
enum CommandLine {
    Start {
        format: String,
        version: u32,
        run: RunId,
        started: Timestamp,
        target: String,
        identity: String,
        what: String,
        #[serde(default, skip_serializing_if = "Option::is_none")]
        chore: Option<String>,
        packages: Vec<String>,
        command: Vec<String>,
    },
    Output {
        text: String,
    },
    Finish {
        ended: Timestamp,
        code: Option<i32>,
    },
}

const FORMAT: (&str, u32) = ("jolly-broom/command", 1);

/// Notes that a terminal was asked for something: a chore without a tool, when it began and ended, and whether it could be.
///
/// # Errors
/// When that can't be noted.
pub(crate) fn record_asking(
    (state, target, run): (&StateFolder, &Target, &RunId),
    (what, chore): (&str, &str),
    (started, ended): (Timestamp, Timestamp),
    was_asked: bool,
) -> Result<(), JournalError> {
    let mut journal = Journal::of_command(state, run)?;
    journal.write(&CommandLine::Start {
        format: FORMAT.0.to_owned(),
        version: FORMAT.1,
        run: run.clone(),
        started,
        target: target.root_path().display().to_string(),
        identity: target.identity().as_str().to_owned(),
        what: what.to_owned(),
        chore: Some(chore.to_owned()),
        packages: Vec::new(),
        command: vec!["the terminal".to_owned()],
    })?;
    let code = Some(i32::from(!was_asked));
    journal.write(&CommandLine::Finish { ended, code })?;
    journal.sync()
}

/// Runs a tool on a terminal of its own; `clock` says when it ended.
///
/// # Errors
/// When its log can't be begun, and then nothing was run; or when it can't be run.
pub fn run_command(
    order: &CommandOrder<'_>,
    clock: &dyn Fn() -> Timestamp,
    talk: Talk<'_>,
) -> Result<CommandEnd, CommandError> {
    let Talk {
        typed,
        wrote,
        is_given_up,
    } = talk;
    let mut journal = Journal::of_command(order.state, order.run)?;
    let words = std::iter::once(&order.tool.path).chain(&order.tool.arguments);
    journal.write(&CommandLine::Start {
        format: FORMAT.0.to_owned(),
        version: FORMAT.1,
        run: order.run.clone(),
        started: order.started,
        target: order.target.root_path().display().to_string(),
        identity: order.target.identity().as_str().to_owned(),
        what: order.what.to_owned(),
        chore: order.chore.map(str::to_owned),
        packages: order.packages.to_vec(),
        command: words.cloned().collect(),
    })?;
    journal.sync()?;
    // A log that can't be written any more is no reason to leave a package manager half done.
    let mut kept = Ok(());
    let mut heard = |bytes: &[u8]| {
        if kept.is_ok() {
            let text = String::from_utf8_lossy(bytes).into_owned();
            kept = journal
                .write(&CommandLine::Output { text })
                .and_then(|()| journal.flush());
        }
        wrote(bytes);
    };
    let talk = Talk {
        typed,
        wrote: &mut heard,
        is_given_up,
    };
    let status = order.tool.run(order.size, talk);
    let code = status
        .as_ref()
        .ok()
        .and_then(std::process::ExitStatus::code);
    let ended = clock();
    kept?;
    journal.write(&CommandLine::Finish { ended, code })?;
    journal.sync()?;
    status.map_err(|source| CommandError::Run {
        tool: order.tool.to_string(),
        source,
    })?;
    Ok(CommandEnd {
        code,
        log: journal.path().to_owned(),
    })
}

/// A tool that was run.
#[derive(Clone, Debug)]
pub struct CommandLog {
    /// The run.
    pub run: RunId,
    /// When it started.
    pub started: Timestamp,
    /// The folder of the target.
    pub target: String,
    /// What tells that computer from others.
    pub identity: String,
    /// What it was for.
    pub what: String,
    /// The chore that it was a part of, by its name.
    pub chore: Option<String>,
    /// The packages that it was to remove.
    pub packages: Vec<String>,
    /// The tool and its arguments.
    pub command: Vec<String>,
    /// What it said.
    pub output: String,
    /// When it ended, if it is known to have.
    pub ended: Option<Timestamp>,
    /// Its exit code.
    pub code: Option<i32>,
}

/// Reads the log of a tool that was run.
///
/// # Errors
/// When it isn't there, was altered, or is of another version.
pub fn read_command(state: &StateFolder, run: &RunId) -> Result<CommandLog, LogError> {
    let path = state.command(run);
    if !path.exists() {
        return Err(LogError::NoSuchRun {
            run: run.to_string(),
            folder: path.parent().unwrap_or(Path::new("")).to_owned(),
        });
    }
    let mut read: Option<CommandLog> = None;
    let mut is_other = false;
    each_line(&path, &mut |line: CommandLine| {
        match (line, &mut read) {
            (
                CommandLine::Start {
                    format,
                    version,
                    run,
                    started,
                    target,
                    identity,
                    what,
                    chore,
                    packages,
                    command,
                },
                None,
            ) => {
                is_other = (&*format, version) != FORMAT;
                read = Some(CommandLog {
                    run,
                    started,
                    target,
                    identity,
                    what,
                    chore,
                    packages,
                    command,
                    output: String::new(),
                    ended: None,
                    code: None,
                });
            }
            (CommandLine::Output { text }, Some(log)) => log.output.push_str(&text),
            (CommandLine::Finish { ended, code }, Some(log)) => {
                (log.ended, log.code) = (Some(ended), code);
            }
            _ => is_other = true,
        }
        !is_other
    })?;
    let read = read.filter(|_| !is_other);
    read.ok_or(LogError::OtherVersion { path })
}

/// Every tool that was run, the oldest first; what can't be read is told in its place.
///
/// # Errors
/// When the folder can't be listed.
pub fn list_commands(
    state: &StateFolder,
) -> Result<Vec<Result<CommandLog, LogError>>, crate::state::StateError> {
    let runs = state.stored_commands()?;
    Ok(runs.iter().map(|run| read_command(state, run)).collect())
}
