//! Running a package manager in view, on the thread that it has for itself.

use crossbeam_channel::{Receiver, Sender};
use jolly_core::error_chain;
use jolly_core::host::Talk;
use jolly_core::run::{CommandEnd, CommandOrder, run_command};
use jolly_core::state::RunId;
use jolly_core::survey::Unwanted;

use crate::session::clock;
use crate::tui::msg::{CommandJob, Msg};

/// Asks the manager once more whether it would still do what was shown, and runs it.
pub(super) fn run(
    job: &CommandJob,
    keys: &Receiver<Vec<u8>>,
    news: &Sender<Msg>,
) -> Result<CommandEnd, String> {
    let would = &job.uninstall;
    let nothing = |why: String| format!("Nothing was done: {why}.");
    match would.is_as_shown() {
        Ok(true) => {}
        Ok(false) => {
            return Err(nothing(
                "it would no longer remove what was shown".to_owned(),
            ));
        }
        Err(error) => return Err(nothing(error_chain(&error))),
    }
    let started = clock();
    let run = RunId::new(started, std::process::id());
    let what = match &would.unwanted {
        Unwanted::Program(..) => format!("remove {}", would.word),
        Unwanted::Unneeded => "remove what nothing needs".to_owned(),
    };
    let packages: Vec<String> = would.removes.iter().map(|one| one.name.clone()).collect();
    let order = CommandOrder {
        state: &job.session.state,
        run: &run,
        started,
        target: &job.session.target,
        what: &what,
        chore: None,
        packages: &packages,
        tool: &would.command,
        size: job.size,
    };
    let ended = run_command(
        &order,
        &clock,
        Talk {
            typed: &mut || keys.try_recv().ok(),
            // Nobody looks any more once the interface is closed; the command goes on to its end.
            wrote: &mut |bytes| drop(news.send(Msg::CommandWrote(bytes.to_vec()))),
            is_given_up: &|| false,
        },
    );
    ended.map_err(|error| error_chain(&error))
}
