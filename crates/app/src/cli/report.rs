//! `report`: a run as a page for the customer, or as a file that other programs read; or many computers on one page.

use std::io;
use std::path::{Path, PathBuf};

use clap::Args;
use clap_complete::engine::ArgValueCandidates;
use jiff::Timestamp;
use jolly_core::report::read_fleet;
use jolly_paper::PaperForm;

use crate::books::config_folder;
use crate::cli::{PictureOptions, complete, log, print};
use crate::exit::{Exit, Refusal};
use crate::handover::{
    Drawn, ENDINGS, HandoverError, Written, write_drawn, write_fleet_to, write_run,
};
use crate::new_file::Existing;
use crate::options::SharedOptions;
use crate::session::{clock, open_state, told_time};
use crate::shop::Shop;
use crate::visits::refuse_sheets;
use crate::wording::counted;

/// What is reported, and where to.
#[derive(Args)]
pub(super) struct ReportOptions {
    /// The run's id
    #[arg(required_unless_present = "fleet", add = ArgValueCandidates::new(complete::runs))]
    run: Option<String>,
    /// All computers whose job sheets lie in this folder, as `sheet export` writes them: one page of who is full, what
    /// grows, who failed and who is next
    #[arg(long, value_name = "DIR", conflicts_with = "run")]
    fleet: Option<PathBuf>,
    /// The file; its ending says what is written: .pdf or .svg a page, .csv a table, .json everything
    #[arg(long, value_name = "FILE")]
    out: PathBuf,
    /// Replace the file where there is one
    #[arg(long)]
    force: bool,
}

pub(super) fn run(options: &SharedOptions, wanted: &ReportOptions) -> Result<Exit, Refusal> {
    let file = &*wanted.out;
    let Some(written) = Written::of(file) else {
        return Err(no_ending(file, ENDINGS));
    };
    let config = config_folder(options.config.as_deref());
    let existing = existing(wanted.force);
    let ended = match (&wanted.run, &wanted.fleet) {
        (Some(run), _) => {
            let state = open_state(options)?;
            let run = log::parse_run(&state, run)?;
            let place = (&state, config.as_deref());
            write_run(place, &run, (file, written), existing)
        }
        (None, Some(folder)) => {
            let now = told_time(options)?.unwrap_or_else(clock);
            fleet(folder, now, config.as_deref(), ((file, written), existing))?
        }
        (None, None) => Ok(()),
    };
    ended.map_err(|error| refuse(&error))?;
    Ok(Exit::Done)
}

/// Writes many computers; says which sheets could not be read.
fn fleet(
    folder: &Path,
    now: Timestamp,
    config: Option<&Path>,
    (file, existing): ((&Path, Written), Existing),
) -> Result<Result<(), HandoverError>, Refusal> {
    let shop = Shop::read(config).map_err(|error| refuse(&error.into()))?;
    let read = read_fleet(folder, shop.little()).map_err(|error| {
        let what = io::Error::new(error.kind(), format!("{}: {error}", folder.display()));
        Refusal::bad_input(&what, "name a folder with what `sheet export` wrote")
    })?;
    for unread in &read.unread {
        print::message(&format!("{} was not read: {}", unread.file, unread.reason));
    }
    if read.computers.is_empty() {
        let what = format!("{} holds no job sheet", folder.display());
        let advice = "write some there: `sheet export ID --out FILE.json`";
        return Err(Refusal::bad_words(&what, advice));
    }
    print::note(&counted(read.computers.len() as u64, "computer"));
    Ok(write_fleet_to(&read, (now, &shop, config), file, existing))
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
