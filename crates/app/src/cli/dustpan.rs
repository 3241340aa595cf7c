//! `dustpan`: what was set aside and waits, and letting it go.

use jolly_core::dustpan::Pan;
use jolly_core::run::{EmptyError, empty};
use jolly_core::state::StateFolder;
use jolly_disk::RealDisk;
use serde_json::json;

use crate::cli::{DustpanCommand, print, restore};
use crate::exit::{Exit, Refusal};
use crate::options::SharedOptions;
use crate::session::{clock, open_state};
use crate::wording::{bytes, counted};

pub(super) fn run(options: &SharedOptions, command: &DustpanCommand) -> Result<Exit, Refusal> {
    let state = open_state(options)?;
    match command {
        DustpanCommand::List => list(options, &state),
        DustpanCommand::Empty { run, yes } => let_go(&state, run, *yes),
    }
}

fn list(options: &SharedOptions, state: &StateFolder) -> Result<Exit, Refusal> {
    let pans = Pan::all(state).map_err(|error| Refusal::failed(&error, ""))?;
    let now = clock();
    let mut exit = Exit::Done;
    if pans.is_empty() && !options.json {
        print::message(
            "Nothing was set aside: what a sweep sets aside waits here for thirty days.",
        );
    }
    for pan in pans {
        match pan {
            Ok(pan) if options.json => print::json(&json!({
                "run": pan.run,
                "started": pan.started,
                "until": pan.until,
                "past": pan.until <= now,
                "target": pan.target,
                "items": pan.held().count(),
                "copies": pan.copies().count(),
                "bytes": pan.packed(),
                "here": pan.is_here(),
            }))?,
            Ok(pan) => print::result(|out| {
                let (run, target) = (&pan.run, &pan.target);
                let until = pan.until.strftime("%Y-%m-%d");
                let (many, size) = (
                    counted(pan.held().count() as u64, "item"),
                    bytes(pan.packed()),
                );
                let past = if pan.until <= now {
                    "  past its date"
                } else {
                    ""
                };
                let here = if pan.is_here() { "" } else { "  not here" };
                writeln!(
                    out,
                    "{run}  until {until}  {many:>12} {size:>10}  {target}{past}{here}"
                )
            })?,
            Err(error) => {
                print::message(&format!("jolly-broom: {}", jolly_core::error_chain(&error)));
                exit = Exit::Failed;
            }
        }
    }
    Ok(exit)
}

fn let_go(state: &StateFolder, run: &str, yes: bool) -> Result<Exit, Refusal> {
    let pan = restore::read(state, run)?;
    let (many, size) = (
        counted(pan.held().count() as u64, "item"),
        bytes(pan.packed()),
    );
    if !yes {
        let until = pan.until.strftime("%Y-%m-%d");
        print::result(|out| {
            writeln!(
                out,
                "{many}, {size}, kept at least until {until}, could not be brought back any more."
            )
        })?;
        print::message("jolly-broom: nothing was emptied; add --yes to do it");
        return Ok(Exit::Done);
    }
    let emptied = empty(state, &RealDisk, &pan, clock()).map_err(|error| match error {
        EmptyError::BeingFilled => Refusal::failed(&error, "wait until that run has ended"),
        EmptyError::State { .. } | EmptyError::Log { .. } => Refusal::bad_input(&error, ""),
        EmptyError::Remove { .. } | EmptyError::Journal { .. } => Refusal::failed(&error, ""),
    })?;
    print::result(|out| writeln!(out, "{many} let go, {} free again", bytes(emptied.freed)))?;
    Ok(Exit::Done)
}
