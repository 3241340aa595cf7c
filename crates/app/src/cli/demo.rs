//! `demo`: the demo computer.

use std::io::IsTerminal as _;
use std::path::Path;

use jolly_core::computer::Layout;
use jolly_demo::{DemoError, DemoLayout, Program};

use crate::cli::print;
use crate::exit::{Exit, Refusal};
use crate::options::{Looks, SharedOptions};
use crate::session::{clock, read_layout};
use crate::tui;

fn refuse(error: &DemoError) -> Refusal {
    match error {
        DemoError::Doubted { .. } => {
            Refusal::bad_input(error, "name a folder of your own, or one below /tmp")
        }
        DemoError::NotEmpty { .. } => {
            Refusal::bad_input(error, "name a folder that is empty or not there yet")
        }
        DemoError::Disk { .. }
        | DemoError::Database { .. }
        | DemoError::Rulebook { .. }
        | DemoError::Record(_) => Refusal::failed(
            error,
            "the demo needs 1.5 GiB of room in a folder that can be written",
        ),
    }
}

/// Which demo computer `--layout` asks for; the till without it.
fn demo_layout(options: &SharedOptions) -> Result<DemoLayout, Refusal> {
    Ok(match read_layout(options.layout.as_deref())? {
        None | Some(Layout::Linux) => DemoLayout::Linux,
        Some(Layout::Windows) => DemoLayout::Windows,
        Some(Layout::Macos) => DemoLayout::Macos,
    })
}

/// Builds it and exits.
pub(super) fn build(options: &SharedOptions, folder: &Path) -> Result<Exit, Refusal> {
    let layout = demo_layout(options)?;
    let now = clock().as_second();
    let next_door = jolly_demo::build(folder, layout, now).map_err(|error| refuse(&error))?;
    print::result(|out| {
        writeln!(out, "The {} is in {}", layout.label(), folder.display())?;
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
    let layout = demo_layout(options)?;
    if !std::io::stdout().is_terminal() {
        return Err(tui::no_terminal());
    }
    let failed = |error: std::io::Error| {
        Refusal::failed(&error, "the demo needs a folder for temporary files")
    };
    let folder = tempfile::Builder::new()
        .prefix("jolly-broom-demo-")
        .tempdir()
        .map_err(failed)?;
    let root = folder
        .path()
        .join(layout.label().split(' ').next().unwrap_or("till"));
    print::message("Building the demo computer…");
    let now = clock().as_second();
    jolly_demo::build(&root, layout, now).map_err(|error| refuse(&error))?;
    let program = Program::start(&root, folder.path()).map_err(failed)?;
    let options = SharedOptions {
        // What is on the disk says which layout it is.
        layout: None,
        target: Some(root.clone()),
        // What is tried out here must not change how the shop starts, or spare, tomorrow; and no other demo
        // computer is this one.
        config: Some(folder.path().join("settings")),
        state: Some(
            options
                .state
                .clone()
                .unwrap_or_else(|| folder.path().join("state")),
        ),
        ..options.clone()
    };
    let ended = tui::open(&options, looks, tui::Source::Demo(folder.path().to_owned()));
    drop(program);
    jolly_demo::make_removable(&root).map_err(|error| refuse(&error))?;
    folder.close().map_err(failed)?;
    ended
}
