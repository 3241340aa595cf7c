//! Chores: for the command line and the interface alike.

use std::io::{IsTerminal as _, Write as _};

use jolly_core::CancelToken;
use jolly_core::chores::{
    Chore, ChoreEnd, ChoreId, ChoreOrder, ChoreOutcome, Surroundings, chores, run_chore,
};
use jolly_core::state::RunId;

use crate::session::{Session, clock};
use crate::wording::{bytes, since};

/// Asks the terminal to forget what was copied (xterm's control sequences, OSC 52 with what is no text).
const FORGET: &[u8] = b"\x1b]52;c;!\x07";

impl Session {
    /// The chores of this computer.
    pub(crate) fn chores(&self, cancel: &CancelToken) -> Vec<Chore> {
        let around = Surroundings {
            state: &self.state,
            now: clock(),
            has_terminal: std::io::stdout().is_terminal() && std::io::stdin().is_terminal(),
            cancel,
        };
        chores(&self.target, &around)
    }

    /// Does one; what its tools write is handed on.
    pub(crate) fn do_chore(
        &self,
        chore: &Chore,
        cancel: &CancelToken,
        wrote: &mut dyn FnMut(&[u8]),
    ) -> ChoreEnd {
        let order = ChoreOrder {
            state: &self.state,
            target: &self.target,
            cancel,
            clock: &clock,
            next_run: &next_run,
            ask_terminal: &ask_terminal,
        };
        run_chore(&order, chore, wrote)
    }
}

/// An id of its own for each tool: some end within the millisecond that an id tells.
fn next_run() -> RunId {
    std::thread::sleep(std::time::Duration::from_millis(2));
    RunId::new(clock(), std::process::id())
}

fn ask_terminal() -> bool {
    let terminal = std::fs::OpenOptions::new().write(true).open("/dev/tty");
    terminal.is_ok_and(|mut terminal| terminal.write_all(FORGET).is_ok())
}

/// What came of a chore, in one line.
pub(crate) fn end_in_words(end: &ChoreEnd) -> String {
    let title = end.id.title();
    match end.outcome {
        ChoreOutcome::Done => format!("{title}: {}", end.says),
        ChoreOutcome::NotThere => format!("{title}: not done, {}", end.says),
        ChoreOutcome::Failed | ChoreOutcome::GivenUp | ChoreOutcome::Stopped => {
            format!("{title}: not done: {}", end.says)
        }
    }
}

/// What a chore would give back, and what its simulation says; or why it can't be done.
pub(crate) fn prospect(chore: &Chore) -> String {
    if let Err(why) = &chore.can {
        return why.clone();
    }
    let gives = chore
        .gives
        .map(|gives| format!("{} to come back", bytes(gives)));
    let facts = chore.facts.iter().cloned();
    gives
        .into_iter()
        .chain(facts)
        .collect::<Vec<_>>()
        .join("; ")
}

/// When it was done last, in words.
pub(crate) fn last_in_words(chore: &Chore) -> String {
    match chore.last {
        None => "not known".to_owned(),
        Some(last) => since(last.as_second(), clock().as_second()),
    }
}

/// The chores of these names.
pub(crate) fn named<'a>(chores: &'a [Chore], ids: &[ChoreId]) -> Vec<&'a Chore> {
    // In the order in which they are done, whatever the order in which they were asked for.
    chores
        .iter()
        .filter(|chore| ids.contains(&chore.id))
        .collect()
}
