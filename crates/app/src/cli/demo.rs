//! `demo`: the demo computer.

use std::path::Path;

use jolly_demo::{DemoError, DemoLayout, hold_open};

use crate::cli::print;
use crate::exit::{Exit, Refusal};
use crate::options::{Looks, SharedOptions};
use crate::session::{clock, read_layout};
use crate::tui;

fn refuse(error: &DemoError) -> Refusal {
    match error {
        DemoError::NotEmpty { .. } => {
            Refusal::bad_input(error, "name a folder that is empty or not there yet")
        }
        DemoError::Disk { .. } | DemoError::Database { .. } => Refusal::failed(
            error,
            "the demo needs 1.5 GiB of room in a folder that can be written",
        ),
    }
}

/// Builds it and exits.
pub(super) fn build(options: &SharedOptions, folder: &Path) -> Result<Exit, Refusal> {
    read_layout(options.layout.as_deref())?;
    let now = clock().as_second();
    let next_door =
        jolly_demo::build(folder, DemoLayout::Linux, now).map_err(|error| refuse(&error))?;
    print::result(|out| {
        writeln!(out, "The till computer is in {}", folder.display())?;
        writeln!(
            out,
            "A link in it points out to {}, which must survive",
            next_door.display()
        )
    })?;
    Ok(Exit::Done)
}

/// Builds it in a fresh folder and opens the interface on it; the folder goes with the interface.
pub(super) fn open(options: &SharedOptions, looks: &Looks) -> Result<Exit, Refusal> {
    read_layout(options.layout.as_deref())?;
    let failed = |error: std::io::Error| {
        Refusal::failed(&error, "the demo needs a folder for temporary files")
    };
    let folder = tempfile::Builder::new()
        .prefix("jolly-broom-demo-")
        .tempdir()
        .map_err(failed)?;
    let root = folder.path().join("till");
    print::message("Building the demo computer…");
    let now = clock().as_second();
    jolly_demo::build(&root, DemoLayout::Linux, now).map_err(|error| refuse(&error))?;
    let held = hold_open(&root).map_err(failed)?;
    let options = SharedOptions {
        target: Some(root.clone()),
        ..options.clone()
    };
    let ended = tui::open(&options, looks);
    drop(held);
    jolly_demo::make_removable(&root).map_err(|error| refuse(&error))?;
    folder.close().map_err(failed)?;
    ended
}
