//! Packing something, taking it out of its archive, or rescuing what is in a home.

use std::path::PathBuf;
use std::sync::Arc;

use jolly_core::computer::TargetPath;
use jolly_core::packing::HomeContents;
use jolly_core::rule::Detect;
use ratatui::crossterm::event::{Event, KeyCode, KeyEvent};
use tui_input::backend::crossterm::EventHandler as _;

use crate::packing::PackWay;
use crate::tui::keys::Action;
use crate::tui::model::{InsideRow, Model, Overlay, PackStage, PackSubject, PackingView, Weigh};
use crate::tui::msg::{Effect, FileWork, PackOrder, PackingNews};
use crate::tui::update::has_said_yes;
use crate::wording::bytes;

/// Begins with what is in focus inside a pile, or with the home that the pile in focus is of.
pub(super) fn begin(model: &mut Model) -> Vec<Effect> {
    let subject = model.weigh.as_ref().and_then(in_focus);
    if let Some(subject) = subject {
        return open(model, subject, None);
    }
    let words =
        "A file or folder inside a pile can be packed, and of an unused home some be rescued.";
    model.message = Some(words.to_owned());
    Vec::new()
}

fn in_focus(weigh: &Weigh) -> Option<PackSubject> {
    let pile = weigh.inside.as_ref().map(|view| view.pile);
    let pile = weigh.scan.pile(pile.or_else(|| weigh.focused_pile())?);
    let is_home = weigh.scan.rules.rule(pile.rule).rule.detect == Some(Detect::OldAccount);
    if is_home {
        let account = weigh.scan.target.accounts.get(pile.account?)?;
        return Some(PackSubject::Rescue(account.name.clone()));
    }
    let view = weigh.inside.as_ref()?;
    let InsideRow::Entry(id) = view.focused()? else {
        return None;
    };
    let inside = &view.opened.as_ref()?.inside;
    let is_entry = inside
        .parent(id)
        .is_some_and(|above| inside.is_list(&weigh.scan, above));
    let path = inside.node(&weigh.scan, id)?.path(&weigh.scan);
    (!is_entry).then(|| of_path(path))
}

/// What is done with a path: an archive is taken apart, anything else is packed.
pub(super) fn of_path(path: TargetPath) -> PackSubject {
    match PackWay::of(&path) {
        PackWay::In => PackSubject::Pack(path),
        PackWay::Out => PackSubject::Unpack(path),
    }
}

/// Looks at it, and shows what it would come to.
pub(super) fn open(
    model: &mut Model,
    subject: PackSubject,
    behind: Option<Box<Overlay>>,
) -> Vec<Effect> {
    let Some(session) = model.session.clone() else {
        return Vec::new();
    };
    let weigh = model.weigh.as_ref();
    let now = weigh.map_or(0, |weigh| weigh.scan.now.as_second());
    let mut view = PackingView::new(subject.clone(), now);
    view.behind = behind;
    let cancel = view.cancel.clone();
    let effects = match subject {
        PackSubject::Unpack(_) => {
            view.stage = PackStage::Offered;
            Vec::new()
        }
        PackSubject::Pack(_) | PackSubject::Rescue(_) => {
            vec![Effect::Files(FileWork::LookToPack(
                session, subject, cancel,
            ))]
        }
    };
    model.overlay = Some(Overlay::Packing(Box::new(view)));
    effects
}

/// Takes in what became of it.
pub(super) fn hear(model: &mut Model, news: PackingNews) -> Vec<Effect> {
    let Some(Overlay::Packing(view)) = &mut model.overlay else {
        // It was closed meanwhile: what was done is said all the same.
        if let PackingNews::Ended(Ok(lines)) = news {
            model.message = lines.into_iter().next();
        }
        return Vec::new();
    };
    match news {
        PackingNews::Weighed(Ok(gain)) => {
            view.gain = Some(gain);
            view.stage = if gain.is_worth_it() {
                PackStage::Offered
            } else {
                PackStage::Failed(
                    "It would hardly become smaller, so it is left as it is.".to_owned(),
                )
            };
        }
        PackingNews::Contents(Ok(contents)) => {
            view.chosen = contents
                .folders
                .iter()
                .map(|(path, _)| is_somebodys(path, &contents))
                .collect();
            view.contents = *contents;
            view.stage = PackStage::Offered;
        }
        PackingNews::Moved(moved) => {
            if let PackStage::UnderWay(known) = &mut view.stage {
                *known = moved;
            }
        }
        PackingNews::Ended(Ok(lines)) => view.stage = PackStage::Done(lines),
        PackingNews::Weighed(Err(why))
        | PackingNews::Contents(Err(why))
        | PackingNews::Ended(Err(why)) => view.stage = PackStage::Failed(why),
    }
    Vec::new()
}

/// Whether a folder right in a home is chosen from the start: what somebody put there, and keys and mail wherever they lie.
fn is_somebodys(path: &TargetPath, contents: &HomeContents) -> bool {
    let is_programs = path.name().starts_with(b".") || path.name() == b"AppData";
    let is_in = |guarded: &TargetPath| guarded == path || guarded.below(path).is_some();
    !is_programs || contents.guarded.iter().any(is_in)
}

pub(super) fn press(model: &mut Model, mut view: Box<PackingView>, key: KeyEvent) -> Vec<Effect> {
    let is_home = matches!(view.subject, PackSubject::Rescue(_));
    let mut effects = Vec::new();
    match (&view.stage, key.code) {
        (PackStage::UnderWay(_), KeyCode::Esc) => view.cancel.cancel(),
        (PackStage::UnderWay(_), _) => {}
        (_, KeyCode::Esc) | (PackStage::Done(_) | PackStage::Failed(_), KeyCode::Enter) => {
            view.cancel.cancel();
            model.overlay = view.behind.map(|behind| *behind);
            return effects;
        }
        (PackStage::Offered, KeyCode::Enter) => effects = start(model, &mut view),
        (PackStage::Offered, KeyCode::Up) if is_home => {
            view.focus = view.focus.saturating_sub(1);
        }
        (PackStage::Offered, KeyCode::Down) if is_home => {
            let last = view.chosen.len().saturating_sub(1);
            view.focus = (view.focus + 1).min(last);
        }
        (PackStage::Offered, KeyCode::Tab) if is_home => {
            let at = view.focus;
            if let Some(is_chosen) = view.chosen.get_mut(at) {
                *is_chosen = !*is_chosen;
            }
        }
        (PackStage::Offered, _) if is_home => {
            view.to.handle_event(&Event::Key(key));
        }
        _ => {}
    }
    model.overlay = Some(Overlay::Packing(view));
    effects
}

fn start(model: &mut Model, view: &mut PackingView) -> Vec<Effect> {
    let Some(session) = model.session.clone() else {
        return Vec::new();
    };
    let to = view.to.value().trim().to_owned();
    let is_home = matches!(view.subject, PackSubject::Rescue(_));
    let paths = view.chosen_paths();
    if is_home && (to.is_empty() || paths.is_empty()) {
        model.message =
            Some("Name the folder that the archive comes into, and choose something.".to_owned());
        return Vec::new();
    }
    // All of it is the home itself, with what lies right in it.
    let is_whole = view.chosen.iter().all(|is_chosen| *is_chosen);
    view.stage = PackStage::UnderWay(0);
    let order = PackOrder {
        subject: view.subject.clone(),
        paths: if is_whole { Vec::new() } else { paths },
        to: PathBuf::from(to),
        cancel: view.cancel.clone(),
    };
    vec![Effect::Files(FileWork::Pack(
        Arc::clone(&session),
        Box::new(order),
    ))]
}

/// Lets go of the restore point that was made before the sweep, at the second press.
pub(super) fn let_go_of_point(model: &mut Model) -> Vec<Effect> {
    let report = model.report.as_ref();
    let Some((point, run)) = report.and_then(|it| Some((it.point.clone()?, it.run.clone()))) else {
        model.message = Some("No restore point was made before this sweep.".to_owned());
        return Vec::new();
    };
    if !has_said_yes(model, Action::RestorePoint) {
        model.message = Some(format!(
            "m once more lets go of {point}: nothing can be taken from before the sweep then."
        ));
        return Vec::new();
    }
    let Some(session) = model.session.clone() else {
        return Vec::new();
    };
    model.message = Some("It is being let go of…".to_owned());
    vec![Effect::Files(FileWork::LetGoOfPoint(session, run))]
}

/// Takes in that it went, or why it didn't.
pub(super) fn point_gone(model: &mut Model, result: Result<u64, String>) {
    match result {
        Ok(free) => {
            if let Some(report) = &mut model.report {
                report.point = None;
            }
            model.message = Some(format!("It is let go of; {} are free now.", bytes(free)));
        }
        Err(why) => model.message = Some(why),
    }
}
