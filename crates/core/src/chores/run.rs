//! Doing a chore: its tools one after the other, each with its log, and what came of it.

use std::cell::Cell;
use std::path::Path;
use std::time::{Duration, Instant};

use jiff::Timestamp;

use crate::cancel::CancelToken;
use crate::chores::look::{held_in, names_remembered};
use crate::chores::{Chore, ChoreId, ChoreStep};
use crate::computer::Target;
use crate::error_chain;
use crate::format::{Printable, bytes};
use crate::host::{PackageManager, Talk, Tool};
use crate::run::{CommandError, CommandOrder, record_asking, run_command};
use crate::state::{RunId, StateFolder};

/// How long a tool may take to end after it was interrupted.
const GRACE: Duration = Duration::from_secs(5);

/// The terminal of a tool.
const SIZE: (u16, u16) = (120, 40);

/// What doing a chore stands on.
pub struct ChoreOrder<'a> {
    /// Where its logs go.
    pub state: &'a StateFolder,
    /// The computer.
    pub target: &'a Target,
    /// Ends it.
    pub cancel: &'a CancelToken,
    /// Tells the time.
    pub clock: &'a dyn Fn() -> Timestamp,
    /// The id of the run of its next tool.
    pub next_run: &'a dyn Fn() -> RunId,
    /// Asks the terminal to forget what was copied.
    pub ask_terminal: &'a dyn Fn() -> bool,
}

/// What became of a chore.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub enum ChoreOutcome {
    /// It is done.
    Done,
    /// It can't be done here.
    NotThere,
    /// Its tool failed.
    Failed,
    /// Its tool said nothing for too long, and was ended.
    GivenUp,
    /// Somebody stopped it.
    Stopped,
}

impl ChoreOutcome {
    /// In a word.
    pub fn name(self) -> &'static str {
        match self {
            Self::Done => "done",
            Self::NotThere => "not-there",
            Self::Failed => "failed",
            Self::GivenUp => "given-up",
            Self::Stopped => "stopped",
        }
    }
}

/// What came of a chore.
#[derive(Clone, Debug, PartialEq, Eq)]
pub struct ChoreEnd {
    /// Which one.
    pub id: ChoreId,
    /// What became of it.
    pub outcome: ChoreOutcome,
    /// What that came to, or why it wasn't done, in words; made harmless.
    pub says: String,
    /// What came back, in bytes, where that was measured.
    pub came_back: Option<u64>,
    /// The runs of its tools.
    pub runs: Vec<RunId>,
}

impl ChoreEnd {
    /// Whether it has built something anew that a sweep may have taken.
    pub fn has_built_anew(&self) -> bool {
        let builds = matches!(
            self.id,
            ChoreId::FontCache | ChoreId::IconCaches | ChoreId::MenuCaches
        );
        builds && self.outcome == ChoreOutcome::Done
    }

    fn new(id: ChoreId, outcome: ChoreOutcome, says: String) -> Self {
        Self {
            id,
            outcome,
            says,
            came_back: None,
            runs: Vec::new(),
        }
    }
}

/// What is measured before and after.
enum Measure {
    Names(Option<u64>),
    Held(u64),
    Free(Option<u64>),
    Nothing,
}

impl Measure {
    fn of(id: ChoreId, order: &ChoreOrder<'_>) -> Self {
        let folder = |path: &str| Self::Held(held_in(Path::new(path), &|_| true).1);
        match id {
            ChoreId::NameCache => Self::Names(names_remembered(order.cancel).ok()),
            ChoreId::PackageCache => {
                PackageManager::present().map_or(Self::Nothing, |manager| folder(manager.cache()))
            }
            ChoreId::Journal => folder("/var/log/journal"),
            ChoreId::UnneededPackages => {
                Self::Free(order.target.measure().ok().map(|volume| volume.free))
            }
            ChoreId::Clipboard
            | ChoreId::FontCache
            | ChoreId::IconCaches
            | ChoreId::MenuCaches
            | ChoreId::Pieces
            | ChoreId::Trim => Self::Nothing,
        }
    }
}

/// Does a chore; what its tools write is handed on.
pub fn run_chore(order: &ChoreOrder<'_>, chore: &Chore, wrote: &mut dyn FnMut(&[u8])) -> ChoreEnd {
    let steps = match &chore.can {
        Ok(steps) => steps,
        Err(why) => return ChoreEnd::new(chore.id, ChoreOutcome::NotThere, why.clone()),
    };
    if let Err(why) = is_as_shown(chore) {
        return ChoreEnd::new(chore.id, ChoreOutcome::Failed, why);
    }
    let before = Measure::of(chore.id, order);
    let mut end = ChoreEnd::new(chore.id, ChoreOutcome::Done, String::new());
    for step in steps {
        if order.cancel.is_cancelled() {
            end.outcome = ChoreOutcome::Stopped;
            break;
        }
        let run = (order.next_run)();
        let did = match step {
            ChoreStep::Tool(tool) => run_tool(order, (chore, tool, &run), wrote),
            ChoreStep::Terminal => ask_terminal(order, chore, &run),
        };
        end.runs.push(run);
        if let Err((outcome, why)) = did {
            (end.outcome, end.says) = (outcome, why);
            break;
        }
    }
    if end.outcome == ChoreOutcome::Done {
        (end.says, end.came_back) = came_of_it(&before, &Measure::of(chore.id, order));
    }
    end
}

/// Whether what a package manager would remove is what was shown.
fn is_as_shown(chore: &Chore) -> Result<(), String> {
    if chore.id != ChoreId::UnneededPackages {
        return Ok(());
    }
    let now = PackageManager::present().map(PackageManager::unneeded);
    match now {
        Some(Ok(now)) if now == chore.packages => Ok(()),
        _ => Err("it would no longer remove what was shown, so nothing was done".to_owned()),
    }
}

fn came_of_it(before: &Measure, after: &Measure) -> (String, Option<u64>) {
    match (before, after) {
        (Measure::Names(Some(before)), Measure::Names(Some(after))) => {
            let gone = before.saturating_sub(*after);
            (
                format!("{} forgotten", crate::format::counted(gone, "name")),
                None,
            )
        }
        (Measure::Held(before), Measure::Held(after)) => {
            let back = before.saturating_sub(*after);
            (format!("{} came back", bytes(back)), Some(back))
        }
        (Measure::Free(Some(before)), Measure::Free(Some(after))) => {
            let back = after.saturating_sub(*before);
            (format!("{} came back", bytes(back)), Some(back))
        }
        _ => ("done".to_owned(), None),
    }
}

/// Runs a tool to its end, or ends it.
fn run_tool(
    order: &ChoreOrder<'_>,
    (chore, tool, run): (&Chore, &Tool, &RunId),
    wrote: &mut dyn FnMut(&[u8]),
) -> Result<(), (ChoreOutcome, String)> {
    let command = CommandOrder {
        state: order.state,
        run,
        started: (order.clock)(),
        target: order.target,
        what: chore.id.title(),
        chore: Some(chore.id.name()),
        packages: &chore.packages,
        tool,
        size: SIZE,
    };
    let patience = chore.id.patience();
    let heard = Cell::new(Instant::now());
    let interrupted: Cell<Option<Instant>> = Cell::new(None);
    let mut last_line = Vec::new();
    let ended = run_command(
        &command,
        order.clock,
        Talk {
            typed: &mut || {
                let is_silent = heard.get().elapsed() > patience;
                if interrupted.get().is_none() && (is_silent || order.cancel.is_cancelled()) {
                    interrupted.set(Some(Instant::now()));
                    return Some(vec![INTERRUPT]);
                }
                None
            },
            wrote: &mut |bytes| {
                heard.set(Instant::now());
                keep_last_line(&mut last_line, bytes);
                wrote(bytes);
            },
            is_given_up: &|| {
                let since = interrupted.get().map(|when| when.elapsed());
                chore.id.may_be_killed() && since.is_some_and(|since| since > GRACE)
            },
        },
    );
    let said = Printable(last_line.trim_ascii()).to_string();
    let was_silent = interrupted.get().is_some() && !order.cancel.is_cancelled();
    match ended {
        _ if was_silent => {
            let asked = if said.is_empty() {
                String::new()
            } else {
                format!("; the last thing that it said was: {said}")
            };
            let why = format!("{tool} said nothing for too long, and was ended{asked}");
            Err((ChoreOutcome::GivenUp, why))
        }
        _ if order.cancel.is_cancelled() => {
            Err((ChoreOutcome::Stopped, "it was stopped".to_owned()))
        }
        Ok(end) if end.code == Some(0) => Ok(()),
        Ok(_) => Err((ChoreOutcome::Failed, format!("{tool} failed: {said}"))),
        Err(CommandError::Run { tool, source }) => Err((
            ChoreOutcome::Failed,
            format!("{tool} can't be run: {}", error_chain(&source)),
        )),
        Err(error) => Err((ChoreOutcome::Failed, error_chain(&error))),
    }
}

/// What a terminal sends for an interrupt.
const INTERRUPT: u8 = 3;

/// Keeps the last line that says something, up to so many bytes.
fn keep_last_line(line: &mut Vec<u8>, bytes: &[u8]) {
    const MOST: usize = 512;
    for byte in bytes {
        if matches!(byte, b'\n' | b'\r') {
            // The next one begins when it says something.
            if line.last() != Some(&b'\n') {
                line.push(b'\n');
            }
        } else {
            if line.last() == Some(&b'\n') {
                line.clear();
            }
            if line.len() < MOST {
                line.push(*byte);
            }
        }
    }
}

fn ask_terminal(
    order: &ChoreOrder<'_>,
    chore: &Chore,
    run: &RunId,
) -> Result<(), (ChoreOutcome, String)> {
    let started = (order.clock)();
    let was_asked = (order.ask_terminal)();
    let recorded = record_asking(
        (order.state, order.target, run),
        (chore.id.title(), chore.id.name()),
        (started, (order.clock)()),
        was_asked,
    );
    match (was_asked, recorded) {
        (true, Ok(())) => Ok(()),
        (false, _) => Err((
            ChoreOutcome::Failed,
            "the terminal can't be asked".to_owned(),
        )),
        (true, Err(error)) => Err((ChoreOutcome::Failed, error_chain(&error))),
    }
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn the_last_line_that_says_something_is_kept() {
        let mut line = Vec::new();
        for part in [&b"first\r\nDo you want"[..], b" to go on? [Y/n] "] {
            keep_last_line(&mut line, part);
        }
        assert_eq!(line.trim_ascii(), b"Do you want to go on? [Y/n]");
        keep_last_line(&mut line, b"\n\n");
        assert_eq!(line.trim_ascii(), b"Do you want to go on? [Y/n]");
    }
}
