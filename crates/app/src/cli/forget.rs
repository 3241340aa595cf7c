//! `forget`: leaving a computer without anything of ours, with its logs taken along.

use std::path::{Path, PathBuf};

use clap::Args;
use clap_complete::engine::ArgValueCandidates;
use jolly_core::run::{ForgetError, files_of, forget_files};
use jolly_core::state::export_sheet;
use jolly_disk::RealDisk;

use crate::cli::{complete, print, sheet};
use crate::exit::{Exit, Refusal};
use crate::options::SharedOptions;
use crate::session::open_state;
use crate::visits::{existing_sheets, refuse_sheets};
use crate::wording::counted;

/// What is forgotten, and where what is taken along goes.
#[derive(Args)]
pub(super) struct ForgetOptions {
    /// The sheet's id, or how it begins
    #[arg(add = ArgValueCandidates::new(complete::sheets))]
    sheet: String,
    /// Where its job sheet and logs are taken along, in a new folder named by the sheet [default: the current folder]
    #[arg(
        long,
        value_name = "DIR",
        default_value = ".",
        hide_default_value = true
    )]
    to: PathBuf,
}

pub(super) fn run(options: &SharedOptions, wanted: &ForgetOptions) -> Result<Exit, Refusal> {
    let state = open_state(options)?;
    let mut store = existing_sheets(&state)?;
    let found = sheet::find(&store, &wanted.sheet)?;
    let files = files_of(&state, &found.identity).map_err(|error| refuse(&error))?;
    // Nothing goes before all of it lies at its new place.
    let folder = wanted.to.join(format!("jolly-broom-{}", &*found.sheet));
    let failed = |error: std::io::Error| {
        let what = std::io::Error::new(error.kind(), format!("{}: {error}", folder.display()));
        let advice = "name another folder with --to; nothing was forgotten";
        Refusal::failed(&what, advice)
    };
    take_along(&folder, state.path(), &files).map_err(failed)?;
    sheet::write(&folder.join("sheet.json"), &export_sheet(&found))?;
    sync(&folder)
        .and_then(|()| sync(&wanted.to))
        .map_err(failed)?;
    store
        .forget(&found.sheet)
        .map_err(|error| refuse_sheets(&error))?;
    let is_last = store
        .all()
        .map_err(|error| refuse_sheets(&error))?
        .is_empty();
    drop(store);
    forget_files(&state, &files, is_last, &RealDisk).map_err(|error| refuse(&error))?;
    print::message(&format!(
        "{} is forgotten here; its job sheet and {} lie in {}",
        found.shown_name(),
        counted(files.len() as u64, "file"),
        folder.display()
    ));
    Ok(Exit::Done)
}

/// Copies the files into a new folder, each below the folder of the state that it lies in.
fn take_along(folder: &Path, state: &Path, files: &[PathBuf]) -> std::io::Result<()> {
    std::fs::create_dir(folder)?;
    for file in files {
        let copy = folder.join(file.strip_prefix(state).unwrap_or(file));
        if let Some(folder) = copy.parent() {
            std::fs::create_dir_all(folder)?;
        }
        std::fs::copy(file, &copy)?;
        sync(&copy)?;
        copy.parent().map_or(Ok(()), sync)?;
    }
    Ok(())
}

fn sync(path: &Path) -> std::io::Result<()> {
    std::fs::File::open(path)?.sync_all()
}

fn refuse(error: &ForgetError) -> Refusal {
    match error {
        ForgetError::State(_) | ForgetError::Unread(_) => {
            Refusal::failed(error, "mend the state folder first; nothing was forgotten")
        }
        ForgetError::Waits { run } => Refusal::bad_input(
            error,
            &format!(
                "bring it back with `restore {run}`, or let go of it with `dustpan empty {run} --yes`"
            ),
        ),
        ForgetError::Unsettled { .. } => Refusal::bad_input(error, "look with `log recover` first"),
        ForgetError::Remove { .. } => Refusal::failed(error, "remove it by hand"),
    }
}
