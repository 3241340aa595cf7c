//! Writing a page or a picture to a file that is named, after it was shown.

use std::path::PathBuf;
use std::sync::Arc;

use jolly_core::report::{Form, ages_rows, regrown_at_last};
use jolly_core::state::RunId;
use jolly_paper::PaperForm;
use ratatui::crossterm::event::{Event, KeyCode, KeyEvent};
use tui_input::backend::crossterm::EventHandler as _;

use crate::handover::{Drawn, VisitsChart, Written};
use crate::new_file::Existing;
use crate::session::Session;
use crate::tui::lookups::shown;
use crate::tui::model::{Drawing, ExportView, Model, Overlay, Subject};
use crate::tui::msg::{Effect, Export, ExportFailure, ExportNews, FileWork};
use crate::tui::update::file_label;

/// Exports what a run did.
pub(super) fn run(model: &mut Model, run: RunId) -> Vec<Effect> {
    let session = model.session.clone().or_else(|| model.looked_at());
    begin(model, session, Subject::Run(run))
}

/// Exports the certificate of something that was written over.
pub(super) fn certificate(model: &mut Model, run: RunId) -> Vec<Effect> {
    let session = model.looked_at();
    begin(model, session, Subject::Certificate(run))
}

/// Exports the piles by age.
pub(super) fn ages(model: &mut Model) -> Vec<Effect> {
    let rows = |weigh: &crate::tui::model::Weigh| {
        let rows = ages_rows(&weigh.scan, &weigh.decisions);
        Subject::Ages(rows, weigh.scan.now)
    };
    match model.weigh.as_ref().map(rows) {
        Some(subject) => begin(model, model.session.clone(), subject),
        None => Vec::new(),
    }
}

/// Exports where the space is.
pub(super) fn space(model: &mut Model, subject: Subject) -> Vec<Effect> {
    begin(model, model.session.clone(), subject)
}

/// Exports the visits of the computer in focus.
pub(super) fn visits(model: &mut Model) -> Vec<Effect> {
    let arrived = model.bench.focused().and_then(|it| it.arrived());
    let Some(arrived) = arrived.filter(|arrived| arrived.sheet().is_some()) else {
        model.message = Some("No earlier visit is known: there is nothing to draw yet.".to_owned());
        return Vec::new();
    };
    let session = Arc::clone(&arrived.session);
    let is_own = model.is_chosen(&session);
    let weigh = model.weigh.as_ref().filter(|_| is_own);
    let regrown = weigh.and_then(|weigh| weigh.regrown.clone());
    let now = jiff::Timestamp::from_second(arrived.now).ok();
    let chart = VisitsChart {
        now: now.zip(arrived.arrival.volume.map(|volume| volume.free)),
        little: session.little,
        forecast: arrived.forecast.clone(),
        regrown: regrown.or_else(|| arrived.sheet().and_then(regrown_at_last)),
    };
    begin(model, Some(session), Subject::Visits(Box::new(chart)))
}

fn begin(model: &mut Model, session: Option<Arc<Session>>, subject: Subject) -> Vec<Effect> {
    let Some(session) = session else {
        return Vec::new();
    };
    let label = file_label(&session.target.label);
    let name = match &subject {
        Subject::Run(run) => format!("{label}-{run}.pdf"),
        Subject::Certificate(run) => format!("certificate-{run}.pdf"),
        other => format!("{label}-{}.pdf", other.word()),
    };
    let view = ExportView::new(subject.clone(), name);
    model.overlay = Some(Overlay::Export(Box::new(view)));
    vec![Effect::Files(FileWork::Draw(session, subject))]
}

/// Takes in what became of it.
pub(super) fn hear(model: &mut Model, news: ExportNews) -> Vec<Effect> {
    match news {
        ExportNews::Drawn(result) => drawn(model, result),
        ExportNews::Written(result) => written(model, result),
    }
    Vec::new()
}

fn drawn(model: &mut Model, result: Result<Box<Drawn>, String>) {
    if let Some(Overlay::Export(view)) = &mut model.overlay {
        view.drawing = match result {
            Ok(drawn) => Drawing::Done(Arc::from(drawn)),
            Err(why) => Drawing::Failed(why),
        };
    }
}

/// Lines that a page goes.
const PAGE: usize = 10;

pub(super) fn press(model: &mut Model, mut view: Box<ExportView>, key: KeyEvent) -> Vec<Effect> {
    let last = view.lines().saturating_sub(1);
    match key.code {
        KeyCode::Esc => return Vec::new(),
        KeyCode::Enter => return write(model, view),
        KeyCode::Up => view.from = view.from.saturating_sub(1),
        KeyCode::Down => view.from = (view.from + 1).min(last),
        KeyCode::PageUp => view.from = view.from.saturating_sub(PAGE),
        KeyCode::PageDown => view.from = (view.from + PAGE).min(last),
        _ => {
            view.name.handle_event(&Event::Key(key));
            view.wrong = None;
            view.replaces = false;
        }
    }
    model.overlay = Some(Overlay::Export(view));
    Vec::new()
}

/// Has it written to the file that was named.
fn write(model: &mut Model, mut view: Box<ExportView>) -> Vec<Effect> {
    let path = PathBuf::from(view.name.value().trim());
    let existing = if view.replaces {
        Existing::IsReplaced
    } else {
        Existing::Stays
    };
    let session = match &view.subject {
        Subject::Visits(_) => model.looked_at(),
        Subject::Run(_) | Subject::Certificate(_) | Subject::Ages(..) | Subject::Space(..) => {
            model.session.clone().or_else(|| model.looked_at())
        }
    };
    let asked = match (&view.drawing, &view.subject, Written::of(&path)) {
        _ if path.file_name().is_none() => Err("name a file".to_owned()),
        (Drawing::UnderWay, ..) => Err("it is being drawn".to_owned()),
        (Drawing::Done(drawn), _, Some(Written::Page(form))) => {
            Ok(Export::Picture(Arc::clone(drawn), form))
        }
        (Drawing::Failed(why), _, _) if PaperForm::of(&path).is_some() => Err(why.clone()),
        (_, Subject::Certificate(_), Some(Written::Report(Form::Table))) => {
            Err("there is no table of it".to_owned())
        }
        (_, Subject::Run(run) | Subject::Certificate(run), Some(Written::Report(form))) => {
            Ok(Export::Run(run.clone(), form))
        }
        (_, subject, _) => Err(format!("its name must end with {}", subject.endings())),
    };
    let effect = match (asked, session) {
        (Ok(export), Some(session)) if !view.is_written => {
            view.is_written = true;
            let work = FileWork::Export(session, export, path, existing);
            vec![Effect::Files(work)]
        }
        (Ok(_), _) => Vec::new(),
        (Err(wrong), _) => {
            view.wrong = Some(wrong);
            Vec::new()
        }
    };
    model.overlay = Some(Overlay::Export(view));
    effect
}

/// Says that it was written, or why not.
fn written(model: &mut Model, result: Result<PathBuf, ExportFailure>) {
    match (result, model.overlay.take()) {
        (Ok(path), Some(Overlay::Export(_))) => {
            model.message = Some(format!("Saved as {}.", shown(&path)));
        }
        (Ok(path), other) => {
            model.overlay = other;
            model.message = Some(format!("Saved as {}.", shown(&path)));
        }
        (Err(failure), Some(Overlay::Export(mut view))) => {
            view.is_written = false;
            view.wrong = Some(match failure {
                ExportFailure::IsThere => {
                    view.replaces = true;
                    "a file of that name is there: enter once more replaces it".to_owned()
                }
                ExportFailure::Other(why) => why,
            });
            model.overlay = Some(Overlay::Export(view));
        }
        (Err(failure), other) => {
            model.overlay = other;
            model.message = Some(match failure {
                ExportFailure::IsThere => "A file of that name is there already.".to_owned(),
                ExportFailure::Other(why) => why,
            });
        }
    }
}
