//! What is handed over: the customer's page, the charts, a run as a table or as an object.

mod drawn;
mod fleet;
mod space;

use std::io;
use std::path::{Path, PathBuf};

use jolly_core::format::write_json;
use jolly_core::report::{Form, ReportError, write_report};
use jolly_core::state::{LogError, RunId, SheetError, StateFolder};
use jolly_core::wiping::read_wipe;
use jolly_paper::{PaperError, PaperForm};

pub(crate) use crate::handover::drawn::{
    Drawn, PreviewLine, VisitsChart, draw_ages, draw_regrowth, draw_run,
};
pub(crate) use crate::handover::fleet::write_fleet_to;
pub(crate) use crate::handover::space::{SpaceView, draw_space, write_space_to};
use crate::new_file::{Existing, Readers, write_file};
use crate::shop::ShopError;
use crate::wiping::wipe_as_json;

/// Why nothing was handed over.
#[derive(Debug, thiserror::Error)]
pub(crate) enum HandoverError {
    #[error(transparent)]
    Log(#[from] LogError),
    #[error(transparent)]
    Sheets(#[from] SheetError),
    #[error(transparent)]
    Shop(#[from] ShopError),
    #[error(transparent)]
    Paper(#[from] PaperError),
    #[error("what was written over is no list of items, so there is no table of it")]
    NoTable,
    #[error("no visit of this computer is known")]
    NoVisits,
    #[error("cannot write {}", file.display())]
    Write { file: PathBuf, source: io::Error },
}

/// What a run, or where the space is, is written as.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub(crate) enum Written {
    /// For programs.
    Report(Form),
    /// For people.
    Page(PaperForm),
}

/// The endings that say so.
pub(crate) const ENDINGS: &str = ".pdf, .svg, .csv or .json";

impl Written {
    /// What a file's ending asks for.
    pub(crate) fn of(file: &Path) -> Option<Self> {
        let paper = PaperForm::of(file).map(Self::Page);
        paper.or_else(|| Form::of(file).map(Self::Report))
    }
}

/// Writes what was drawn to a file.
pub(crate) fn write_drawn(
    drawn: &Drawn,
    (file, form): (&Path, PaperForm),
    existing: Existing,
) -> Result<(), HandoverError> {
    let bytes = form.bytes(&drawn.pages, &drawn.title)?;
    let access = (existing, Readers::Others);
    let written = write_file(file, access, &mut |out| out.write_all(&bytes));
    written.map_err(|source| HandoverError::Write {
        file: file.to_owned(),
        source,
    })
}

/// Writes what a run did to a file, as its ending asks for.
pub(crate) fn write_run(
    (state, config): (&StateFolder, Option<&Path>),
    run: &RunId,
    (file, written): (&Path, Written),
    existing: Existing,
) -> Result<(), HandoverError> {
    let failed = |source| HandoverError::Write {
        file: file.to_owned(),
        source,
    };
    let access = (existing, Readers::Others);
    match written {
        Written::Page(form) => {
            write_drawn(&draw_run((state, config), run)?, (file, form), existing)
        }
        Written::Report(Form::Table) if state.wipe(run).exists() => Err(HandoverError::NoTable),
        Written::Report(_) if state.wipe(run).exists() => {
            let log = read_wipe(state, run)?;
            let written = write_file(file, access, &mut |out| {
                write_json(&mut *out, &wipe_as_json(&log))?;
                writeln!(out)
            });
            written.map_err(failed)
        }
        Written::Report(form) => {
            let mut unread = None;
            let ended = write_file(file, access, &mut |out| match write_report(
                state, run, form, out,
            ) {
                Ok(()) => Ok(()),
                Err(ReportError::Write(error)) => Err(error),
                Err(ReportError::Log(error)) => {
                    unread = Some(error);
                    Err(io::ErrorKind::Other.into())
                }
            });
            match unread {
                Some(error) => Err(error.into()),
                None => ended.map_err(failed),
            }
        }
    }
}
