//! `jolly-broom`: the command line and the interface over one core.

mod books;
mod cli;
mod exit;
mod handover;
mod language_names;
mod new_file;
mod options;
mod packing;
mod persist;
mod place;
mod runs;
mod session;
mod shop;
mod standing;
mod startup;
mod surveys;
mod tui;
mod upkeep;
mod visits;
mod wiping;
mod wording;

use std::process::ExitCode;

pub use tui::HeadlessUi;

/// Runs the program on the arguments it was started with.
pub fn run() -> ExitCode {
    cli::run()
}
