//! `report`: a run as a page for the customer, or as a file that other programs read.

use std::io;
use std::path::Path;

use jolly_paper::PaperForm;

use crate::books::config_folder;
use crate::cli::{PictureOptions, log};
use crate::exit::{Exit, Refusal};
use crate::handover::{Drawn, ENDINGS, HandoverError, Written, write_drawn, write_run};
use crate::new_file::Existing;
use crate::options::SharedOptions;
use crate::session::open_state;
use crate::visits::refuse_sheets;

pub(super) fn run(
    options: &SharedOptions,
    run: &str,
    (file, is_forced): (&Path, bool),
) -> Result<Exit, Refusal> {
    let state = open_state(options)?;
    let Some(written) = Written::of(file) else {
        return Err(no_ending(file, ENDINGS));
    };
    let run = log::parse_run(&state, run)?;
    let config = config_folder(options.config.as_deref());
    let place = (&state, config.as_deref());
    let written = write_run(place, &run, (file, written), existing(is_forced));
    written.map_err(|error| refuse(&error))?;
    Ok(Exit::Done)
}

pub(super) fn existing(is_forced: bool) -> Existing {
    if is_forced {
        Existing::IsReplaced
    } else {
        Existing::Stays
    }
}

/// In which form a picture is asked for; none where none is.
pub(super) fn picture(options: &PictureOptions) -> Result<Option<(&Path, PaperForm)>, Refusal> {
    let Some(file) = &options.out else {
        return Ok(None);
    };
    match PaperForm::of(file) {
        Some(form) => Ok(Some((file, form))),
        None => Err(no_ending(file, ".pdf or .svg")),
    }
}

/// Writes a picture.
pub(super) fn write_picture(
    drawn: &Drawn,
    wanted: (&Path, PaperForm),
    options: &PictureOptions,
) -> Result<(), Refusal> {
    let written = write_drawn(drawn, wanted, existing(options.force));
    written.map_err(|error| refuse(&error))
}

pub(super) fn no_ending(file: &Path, endings: &str) -> Refusal {
    let what = format!("{} has no ending that says what to write", file.display());
    Refusal::bad_words(&what, &format!("name a file that ends with {endings}"))
}

/// What to do about what wasn't written.
pub(super) fn refuse(error: &HandoverError) -> Refusal {
    match error {
        HandoverError::Log(error) => log::refuse(error),
        HandoverError::Sheets(error) => refuse_sheets(error),
        HandoverError::Shop(_) => Refusal::bad_input(
            error,
            "mend the shop's settings, `shop.toml` in the configuration folder",
        ),
        HandoverError::NoTable => {
            Refusal::bad_input(error, "name a file that ends with .pdf, .svg or .json")
        }
        HandoverError::NoVisits => Refusal::bad_input(error, "scan it first"),
        HandoverError::Paper(_) => Refusal::failed(error, "write it as .csv or .json instead"),
        HandoverError::Write { file, source } if source.kind() == io::ErrorKind::AlreadyExists => {
            let what = format!("{} is there already, and stays as it is", file.display());
            Refusal::bad_words(&what, "name a new file, or say --force to replace that one")
        }
        HandoverError::Write { .. } => {
            Refusal::failed(error, "choose a file in a folder that can be written")
        }
    }
}
