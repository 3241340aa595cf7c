//! What threads do about dustpans, and with files that somebody named.

use std::io;
use std::path::Path;

use jolly_core::computer::{let_go_of_point, point_before};
use jolly_core::dustpan::{Pan, PanItem};
use jolly_core::plan::{Manifest, write_plan};
use jolly_core::run::{RestoreOrder, empty, list_logs, restore};
use jolly_core::state::{RunId, SheetStore};
use jolly_core::{CancelToken, error_chain};
use jolly_disk::RealDisk;

use crate::handover::{
    Drawn, HandoverError, SpaceView, Written, draw_ages, draw_regrowth, draw_run, draw_space,
    write_drawn, write_run,
};
use crate::new_file::{Existing, Readers, write_file};
use crate::session::{Session, clock};
use crate::tui::model::{DustpanRun, Subject};
use crate::tui::msg::{
    Dustpans, Export, ExportFailure, ExportNews, FileWork, Msg, Runs, StartupNews, UpkeepNews,
    WipeNews,
};
use crate::tui::{packs, wipes};

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

/// Lets go of the restore point that was made before a run; what is free then.
fn let_go_of(session: &Session, run: &RunId) -> Result<u64, String> {
    let target = &session.target;
    let gone = match point_before(target, run) {
        Ok(Some(point)) => let_go_of_point(target, &point),
        Ok(None) => return Err("It is not there any more.".to_owned()),
        Err(error) => Err(error),
    };
    let free = gone.and_then(|()| target.measure());
    let free = free.map_err(|error| format!("It is there still: {error}."))?;
    Ok(free.free)
}

/// Does what was asked for, and tells what came of it.
pub(super) fn carry_out(work: FileWork) -> Msg {
    match work {
        FileWork::SaveList(manifest, path) => {
            let saved = save(&manifest, &path);
            let saved = saved.map_err(|error| not_saved(&error));
            Msg::Saved(saved.map(|()| path))
        }
        FileWork::LoadStarts(session) => {
            let found = session.starts(&CancelToken::default());
            let found = found.map_err(|error| error_chain(&error));
            Msg::Startup(StartupNews::Found(found))
        }
        FileWork::SwitchStart(session, id, on) => {
            let switched = session.switch_start(&id, on);
            let switched = switched.map_err(|error| error_chain(&error));
            Msg::Startup(StartupNews::Switched(id, on, switched))
        }
        FileWork::LookToPack(session, subject, cancel) => {
            Msg::Packing(packs::look(&session, &subject, &cancel))
        }
        FileWork::LookForChores(session) => {
            let chores = session.chores(&CancelToken::default());
            Msg::Upkeep(UpkeepNews::Found(chores))
        }
        FileWork::LookToWipe(session) => Msg::Wiping(WipeNews::Found(wipes::look(&session))),
        // It tells how far it is, so it has a thread that can.
        FileWork::Pack(..) => Msg::Nothing,
        FileWork::LetGoOfPoint(session, run) => Msg::PointGone(let_go_of(&session, &run)),
        FileWork::Draw(session, subject) => Msg::Exporting(ExportNews::Drawn(
            draw(&session, &subject)
                .map(Box::new)
                .map_err(|error| format!("It can't be drawn: {}.", error_chain(&error))),
        )),
        FileWork::Export(session, what, path, existing) => {
            let written = export(&session, &what, (&path, existing));
            Msg::Exporting(ExportNews::Written(written.map(|()| path)))
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

/// Writes a page, a picture or a run to a file.
fn export(
    session: &Session,
    what: &Export,
    (path, existing): (&Path, Existing),
) -> Result<(), ExportFailure> {
    let place = (&session.state, session.config.as_deref());
    let written = match what {
        Export::Picture(drawn, form) => write_drawn(drawn, (path, *form), existing),
        Export::Run(run, form) => write_run(place, run, (path, Written::Report(*form)), existing),
    };
    written.map_err(|error| match &error {
        HandoverError::Write { source, .. } if source.kind() == io::ErrorKind::AlreadyExists => {
            ExportFailure::IsThere
        }
        _ => ExportFailure::Other(format!("not written: {}", error_chain(&error))),
    })
}

/// Writes a plan to a new file, which nobody else may read.
fn save(manifest: &Manifest, path: &Path) -> io::Result<()> {
    let access = (Existing::Stays, Readers::Owner);
    write_file(path, access, &mut |out| write_plan(manifest, out))
}

fn not_saved(error: &io::Error) -> String {
    if error.kind() == io::ErrorKind::AlreadyExists {
        return "A file of that name is there already; name another one.".to_owned();
    }
    format!("The list could not be saved: {}.", error_chain(error))
}

/// Draws what is to be exported.
fn draw(session: &Session, subject: &Subject) -> Result<Drawn, HandoverError> {
    match subject {
        Subject::Run(run) | Subject::Certificate(run) => {
            draw_run((&session.state, session.config.as_deref()), run)
        }
        Subject::Space(found, start, when) => Ok(draw_space(&SpaceView {
            space: found,
            start: *start,
            name: session.shown_name(),
            when: *when,
        })),
        Subject::Ages(rows, when) => Ok(draw_ages(session.shown_name(), *when, rows)),
        Subject::Visits(chart) => {
            // What was swept since the computer was opened stands in the store.
            let store = SheetStore::open_existing(&session.state)?;
            let sheet = store.map_or(Ok(None), |store| store.of_computer(&session.identity))?;
            let sheet = sheet.or_else(|| session.sheet.clone());
            sheet.map_or_else(
                || Err(HandoverError::NoVisits),
                |sheet| draw_regrowth(&sheet, chart),
            )
        }
    }
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
