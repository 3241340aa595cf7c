//! What threads do about dustpans, and with files that somebody named.

use std::fs::{File, OpenOptions};
use std::io::{self, Write as _};
use std::os::unix::fs::OpenOptionsExt as _;
use std::path::Path;

use jolly_core::dustpan::{Pan, PanItem};
use jolly_core::plan::{Manifest, write_plan};
use jolly_core::report::{ReportError, write_report};
use jolly_core::run::{RestoreOrder, empty, list_logs, restore};
use jolly_core::{CancelToken, error_chain};
use jolly_disk::RealDisk;

use crate::session::{Session, clock};
use crate::tui::model::{DustpanRun, Saves};
use crate::tui::msg::{Dustpans, FileWork, Msg, Runs};

/// The runs of a computer, as their logs tell them.
fn runs(session: &Session) -> Runs {
    let mut all = Runs::default();
    match list_logs(&session.state) {
        Err(error) => all.broken.push(error_chain(&error)),
        Ok(logs) => {
            for log in logs {
                match log {
                    Ok(log) if log.identity == session.identity => all.runs.push(log),
                    Ok(_) => {}
                    Err(error) => all.broken.push(error_chain(&error)),
                }
            }
        }
    }
    all.runs.sort_by_key(|log| std::cmp::Reverse(log.started));
    all
}

/// Does what was asked for, and tells what came of it.
pub(super) fn carry_out(work: FileWork) -> Msg {
    match work {
        FileWork::SaveList(manifest, path) => {
            let saved = save(&manifest, &path);
            let saved = saved.map_err(|error| not_saved(&error, "list", &error));
            Msg::Saved(Saves::List, saved.map(|()| path))
        }
        FileWork::SaveReport(session, run, path) => {
            let saved = write_report(&session.state, &run, &path, &|path| create(path, 0o644));
            let saved = saved.map_err(|error| match &error {
                ReportError::Write { source, .. } => not_saved(source, "report", &error),
                ReportError::Form { .. } | ReportError::Log(_) => {
                    format!("The report could not be saved: {}.", error_chain(&error))
                }
            });
            Msg::Saved(Saves::Report, saved.map(|()| path))
        }
        FileWork::LoadRuns(session) => Msg::Runs(runs(&session)),
        FileWork::LoadDustpans(session) => Msg::Dustpans(load(&session)),
        FileWork::BringBack(session, pan, paths) => {
            let is_wanted = |item: &PanItem| item.is_wanted(&paths);
            let (never, quiet) = (CancelToken::default(), |_, _| {});
            let order = RestoreOrder {
                state: &session.state,
                pan: &pan,
                target: &session.target,
                when: clock(),
                same: session.same,
            };
            let returned = restore(&order, &is_wanted, &never, &quiet);
            Msg::BroughtBack(
                returned
                    .map_err(|error| format!("Nothing was brought back: {}.", error_chain(&error))),
            )
        }
        FileWork::EmptyPan(session, pan) => {
            let emptied = empty(&session.state, &RealDisk, &pan, clock());
            Msg::PanEmptied(match emptied {
                Ok(emptied) => Ok(emptied.freed),
                Err(error) => Err(format!("It was not emptied: {}.", error_chain(&error))),
            })
        }
    }
}

/// Writes a plan to a new file, which nobody else may read.
fn save(manifest: &Manifest, path: &Path) -> io::Result<()> {
    let mut out = io::BufWriter::new(create(path, 0o600)?);
    write_plan(manifest, &mut out)?;
    out.flush()
}

/// Makes a new file; nothing is replaced.
fn create(path: &Path, mode: u32) -> io::Result<File> {
    let mut options = OpenOptions::new();
    options.write(true).create_new(true).mode(mode).open(path)
}

fn not_saved(source: &io::Error, what: &str, whole: &dyn std::error::Error) -> String {
    if source.kind() == io::ErrorKind::AlreadyExists {
        return "A file of that name is there already; name another one.".to_owned();
    }
    format!("The {what} could not be saved: {}.", error_chain(whole))
}

/// Every dustpan that holds something, newest first.
fn load(session: &Session) -> Dustpans {
    let mut loaded = Dustpans::default();
    match Pan::all(&session.state) {
        Err(error) => loaded.broken.push(error_chain(&error)),
        Ok(pans) => {
            for pan in pans.into_iter().rev() {
                match pan {
                    Ok(pan) => loaded.runs.push(DustpanRun::of(pan)),
                    Err(error) => loaded.broken.push(error_chain(&error)),
                }
            }
        }
    }
    loaded
}
