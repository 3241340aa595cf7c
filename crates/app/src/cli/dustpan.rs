//! `dustpan`: what was set aside and waits, and letting it go.

use jolly_core::computer::let_go_of_point as delete_restore_point;
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
        DustpanCommand::Empty { run, yes } => {
            if let Some(exit) = let_go_of_point(options, &state, run, *yes)? {
                return Ok(exit);
            }
            let_go(&state, run, *yes)
        }
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

/// Lets go of the restore point that was made before a run; nothing where there is none, or a dustpan, too.
fn let_go_of_point(
    options: &SharedOptions,
    state: &StateFolder,
    run: &str,
    yes: bool,
) -> Result<Option<Exit>, Refusal> {
    let Some((target, point)) = restore::point_of(options, state, run)? else {
        return Ok(None);
    };
    let path = &point.path;
    if yes {
        let gone = delete_restore_point(&target, &point);
        gone.map_err(|error| Refusal::failed(&error, ""))?;
        print::result(|out| writeln!(out, "{path} let go, all that it alone held is free again"))?;
    } else {
        print::result(|out| {
            writeln!(
                out,
                "{path}: nothing could be taken from before that run any more."
            )
        })?;
    }
    let has_pan = restore::read(state, run).is_ok();
    if !yes && !has_pan {
        print::message("jolly-broom: nothing was let go of; add --yes to do it");
    }
    Ok((!has_pan).then_some(Exit::Done))
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
