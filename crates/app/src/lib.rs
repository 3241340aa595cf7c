//! `jolly-broom`: the command line and the interface over one core.

mod books;
mod cli;
mod exit;
mod options;
mod place;
mod remembered;
mod runs;
mod session;
mod tui;
mod wording;

use std::process::ExitCode;

pub use tui::Stage;

/// Runs the program on the arguments it was started with.
pub fn run() -> ExitCode {
    cli::run().into()
}
