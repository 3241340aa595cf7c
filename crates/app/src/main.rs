//! `jolly-broom`: the command line and the interface over one core.

mod books;
mod cli;
mod exit;
mod options;
mod runs;
mod session;
mod tui;
mod wording;

use std::process::ExitCode;

fn main() -> ExitCode {
    cli::run().into()
}
