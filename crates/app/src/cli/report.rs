//! `report`: a run as a file that other programs read.

use std::fs::File;
use std::path::Path;

use jolly_core::report::{ReportError, write_report};

use crate::cli::log;
use crate::exit::{Exit, Refusal};
use crate::options::SharedOptions;
use crate::session::open_state;

pub(super) fn run(options: &SharedOptions, run: &str, file: &Path) -> Result<Exit, Refusal> {
    let state = open_state(options)?;
    let written = write_report(&state, &log::parse_run(&state, run)?, file, &|file| {
        File::create(file)
    });
    written.map_err(|error| match &error {
        ReportError::Form { .. } => {
            Refusal::bad_input(&error, "name a file that ends with .csv or .json")
        }
        ReportError::Log(error) => log::refuse(error),
        ReportError::Write { .. } => Refusal::failed(&error, "choose a file that can be written"),
    })?;
    Ok(Exit::Done)
}
