//! Removing a program by its own package manager: asked, shown, started by its name, and left alone while it runs.

use std::sync::Arc;

use jolly_core::format::Printable;
use jolly_core::run::CommandEnd;
use jolly_core::survey::{Uninstall, Unwanted};
use ratatui::crossterm::event::{Event, KeyCode, KeyEvent, KeyModifiers};
use tui_input::backend::crossterm::EventHandler as _;
use tui_input::{Input, InputRequest};

use crate::tui::keys::Action;
use crate::tui::model::{
    Model, Overlay, ProgramsView, Station, UninstallStage, UninstallView, command_size,
};
use crate::tui::msg::{CommandJob, Effect, Question, RunWork};
use crate::tui::update::start_scan;

/// Asks the manager about the program in focus, or about what nothing needs.
pub(super) fn begin(model: &mut Model, lens: Box<ProgramsView>, action: Action) -> Vec<Effect> {
    let wanted = match (action, lens.focused()) {
        (Action::Unneeded, _) => Some((Unwanted::Unneeded, "what nothing needs".to_owned())),
        (_, Some((_, program))) => {
            let name = Printable(program.name.as_bytes()).to_string();
            let unwanted = Unwanted::Program(program.source, program.id.clone());
            Some((unwanted, name))
        }
        (_, None) => None,
    };
    let (session, known) = (model.session.clone(), lens.known.clone());
    let (Some((unwanted, name)), Some(session), Some(known)) = (wanted, session, known) else {
        model.message = Some("No program is in focus that could be removed.".to_owned());
        model.overlay = Some(Overlay::Programs(lens));
        return Vec::new();
    };
    let question = Question::AskManager(session, known, unwanted.clone());
    model.overlay = Some(Overlay::Uninstall(Box::new(UninstallView {
        unwanted,
        name,
        stage: UninstallStage::Asking,
        lens,
    })));
    vec![Effect::Question(question)]
}

fn view(model: &mut Model) -> Option<&mut UninstallView> {
    match &mut model.overlay {
        Some(Overlay::Uninstall(view)) => Some(view),
        _ => None,
    }
}

/// Takes in what the manager would do.
pub(super) fn answered(model: &mut Model, answer: Result<Box<Uninstall>, (String, &'static str)>) {
    let Some(view) = view(model) else { return };
    if !matches!(view.stage, UninstallStage::Asking) {
        return;
    }
    view.stage = match answer {
        Ok(would) if would.unwanted != view.unwanted => return,
        Ok(would) => UninstallStage::Shown(would, Input::default(), None),
        Err((why, advice)) => UninstallStage::Refused(why, advice),
    };
}

/// Takes in what the command wrote.
pub(super) fn wrote(model: &mut Model, bytes: &[u8]) {
    if let Some(UninstallStage::Runs(_, screen)) = view(model).map(|view| &mut view.stage) {
        screen.process(bytes);
    }
}

/// Takes in how the command ended.
pub(super) fn ended(model: &mut Model, end: Result<CommandEnd, String>) {
    let Some(view) = view(model) else { return };
    let stage = std::mem::replace(&mut view.stage, UninstallStage::Asking);
    view.stage = match stage {
        UninstallStage::Runs(would, screen) => UninstallStage::Over(would, screen, end),
        other => other,
    };
}

pub(super) fn press(model: &mut Model, mut view: Box<UninstallView>, key: KeyEvent) -> Vec<Effect> {
    let effects = match (&mut view.stage, key.code) {
        (UninstallStage::Runs(..), _) => {
            typed(key).map_or_else(Vec::new, |bytes| vec![Effect::Run(RunWork::Type(bytes))])
        }
        (UninstallStage::Over(would, _, Ok(end)), KeyCode::Enter) if end.code == Some(0) => {
            let left = match &would.unwanted {
                Unwanted::Program(_, id) => id.clone(),
                Unwanted::Unneeded => String::new(),
            };
            model.then_left_behind = Some(left);
            model.station = Station::Scan;
            return start_scan(model);
        }
        (_, KeyCode::Esc)
        | (
            UninstallStage::Asking | UninstallStage::Refused(..) | UninstallStage::Over(..),
            KeyCode::Enter,
        ) => {
            model.overlay = Some(Overlay::Programs(view.lens));
            return Vec::new();
        }
        (UninstallStage::Shown(..), KeyCode::Enter) => return start(model, view),
        (UninstallStage::Shown(_, input, wrong), _) => {
            *wrong = None;
            input.handle_event(&Event::Key(key));
            Vec::new()
        }
        _ => Vec::new(),
    };
    model.overlay = Some(Overlay::Uninstall(view));
    effects
}

/// What is pasted goes where it would be typed, but never to a command.
pub(super) fn paste(model: &mut Model, mut view: Box<UninstallView>, line: &str) -> Vec<Effect> {
    if let UninstallStage::Shown(_, input, _) = &mut view.stage {
        for letter in line.chars() {
            input.handle(InputRequest::InsertChar(letter));
        }
    }
    model.overlay = Some(Overlay::Uninstall(view));
    Vec::new()
}

/// Starts the command, if its word was typed.
fn start(model: &mut Model, mut view: Box<UninstallView>) -> Vec<Effect> {
    let UninstallStage::Shown(would, input, wrong) = &mut view.stage else {
        return Vec::new();
    };
    let session = model.session.clone();
    let Some(session) = session.filter(|_| input.value().trim() == would.word) else {
        *wrong = Some(format!(
            "that is not {}; nothing was done",
            Printable(would.word.as_bytes())
        ));
        model.overlay = Some(Overlay::Uninstall(view));
        return Vec::new();
    };
    let size = command_size(model.size);
    let screen = vt100::Parser::new(size.1, size.0, 0);
    let would = would.clone();
    let job = CommandJob {
        session: Arc::clone(&session),
        uninstall: (*would).clone(),
        size: (size.0.get(), size.1.get()),
    };
    view.stage = UninstallStage::Runs(would, Box::new(screen));
    model.overlay = Some(Overlay::Uninstall(view));
    vec![Effect::Run(RunWork::Command(Box::new(job)))]
}

/// The bytes that a terminal sends for a key (ECMA-48, and what xterm sends).
fn typed(key: KeyEvent) -> Option<Vec<u8>> {
    let is_control = key.modifiers.contains(KeyModifiers::CONTROL);
    let text: &[u8] = match key.code {
        KeyCode::Char(letter) if is_control && letter.is_ascii_alphabetic() => {
            return u8::try_from(letter.to_ascii_lowercase())
                .ok()
                .map(|letter| vec![letter & 0x1f]);
        }
        KeyCode::Char(letter) => return Some(letter.to_string().into_bytes()),
        KeyCode::Enter => b"\r",
        KeyCode::Tab => b"\t",
        KeyCode::Backspace => b"\x7f",
        KeyCode::Esc => b"\x1b",
        KeyCode::Up => b"\x1b[A",
        KeyCode::Down => b"\x1b[B",
        KeyCode::Right => b"\x1b[C",
        KeyCode::Left => b"\x1b[D",
        _ => return None,
    };
    Some(text.to_vec())
}
