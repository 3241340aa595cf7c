//! Adding a folder of this computer as a pile of its own.

use std::sync::Arc;

use jolly_core::format::Printable;
use jolly_core::rule::{Class, NewPlace};
use ratatui::crossterm::event::{Event, KeyCode, KeyEvent};
use tui_input::Input;
use tui_input::backend::crossterm::EventHandler as _;

use crate::place::PlaceChange;
use crate::tui::model::{Look, Model, Overlay, PlaceDraft, PlaceLine, Station};
use crate::tui::msg::{Effect, Lookup, Opened};
use crate::tui::update::completion::common_start;
use crate::tui::update::{start_scan, weigh};

fn show(model: &mut Model, draft: Box<PlaceDraft>) -> Vec<Effect> {
    model.overlay = Some(Overlay::Place(draft));
    Vec::new()
}

pub(super) fn press(model: &mut Model, mut draft: Box<PlaceDraft>, key: KeyEvent) -> Vec<Effect> {
    let line = PlaceLine::ALL.iter().position(|line| *line == draft.line);
    let line = line.unwrap_or(0);
    let at = |line: usize| PlaceLine::ALL.get(line).copied();
    match (key.code, draft.line) {
        (KeyCode::Esc, _) => return Vec::new(),
        (KeyCode::Enter, _) => return say(model, draft),
        (KeyCode::Tab, PlaceLine::Folder) => {
            let typed = draft.folder.value().trim_start_matches('/');
            let longer = common_start(&draft.offered);
            if let Some(start) = longer.filter(|start| start.len() > typed.len()) {
                draft.folder = Input::new(start);
            }
            return look_for_folders(model, draft);
        }
        (KeyCode::Up, _) => draft.line = at(line.saturating_sub(1)).unwrap_or(draft.line),
        (KeyCode::Down | KeyCode::Tab, _) => draft.line = at(line + 1).unwrap_or(draft.line),
        (_, PlaceLine::Class) => {
            let at = Class::ALL.iter().position(|class| *class == draft.class);
            let next = (at.unwrap_or(0) + 1) % Class::ALL.len();
            draft.class = Class::ALL.get(next).copied().unwrap_or(draft.class);
        }
        (_, typed) => {
            if let Some(input) = draft.typed_into() {
                input.handle_event(&Event::Key(key));
            }
            draft.wrong = None;
            if typed == PlaceLine::Folder {
                return look_for_folders(model, draft);
            }
        }
    }
    show(model, draft)
}

/// Text is pasted into a line.
pub(super) fn paste(model: &mut Model, mut draft: Box<PlaceDraft>, line: &str) -> Vec<Effect> {
    if let Some(input) = draft.typed_into() {
        for letter in line.chars() {
            input.handle(tui_input::InputRequest::InsertChar(letter));
        }
    }
    look_for_folders(model, draft)
}

fn look_for_folders(model: &mut Model, draft: Box<PlaceDraft>) -> Vec<Effect> {
    let typed = draft.folder.value().to_owned();
    let session = model.session.clone();
    model.overlay = Some(Overlay::Place(draft));
    let look = session.map(|session| Effect::Lookup(Lookup::CompleteInside(session, typed)));
    look.into_iter().collect()
}

/// Has it written down, if all of it can be.
fn say(model: &mut Model, mut draft: Box<PlaceDraft>) -> Vec<Effect> {
    let Some(session) = model.session.clone() else {
        return Vec::new();
    };
    let folder = draft.folder.value().trim();
    let is_below = folder.trim_matches('/').is_empty();
    let folder = match session.target.parse_user_path(folder.as_bytes()) {
        _ if is_below => Err("name a folder below the computer's root".to_owned()),
        Ok(folder) => Ok(folder),
        Err(error) => Err(error.to_string()),
    };
    let read = folder.and_then(|folder| Ok((folder, weigh::read_limit(draft.age.value())?)));
    match read {
        Err(wrong) => {
            draft.wrong = Some(wrong);
            show(model, draft)
        }
        Ok((folder, limit)) => {
            let title = match draft.title.value().trim() {
                "" => Printable(folder.name()).to_string(),
                title => title.to_owned(),
            };
            let place = NewPlace {
                folder,
                title,
                class: draft.class,
                limit,
            };
            draft.is_said = true;
            model.overlay = Some(Overlay::Place(draft));
            let change = PlaceChange::Add(Box::new(place));
            vec![Effect::ChangePlaces(session, change)]
        }
    }
}

/// Takes in the computer with its new rules, and scans it by them.
pub(super) fn changed(model: &mut Model, changed: Result<Opened, String>) -> Vec<Effect> {
    let opened = match changed {
        Ok(opened) => opened,
        Err(wrong) => {
            match &mut model.overlay {
                Some(Overlay::Place(draft)) => {
                    draft.is_said = false;
                    draft.wrong = Some(wrong);
                }
                _ => model.message = Some(wrong),
            }
            return Vec::new();
        }
    };
    if matches!(
        model.overlay,
        Some(Overlay::Place(_) | Overlay::Rulebooks(_))
    ) {
        model.overlay = None;
    }
    let session = Arc::new(opened.session);
    if !model.is_chosen(&session) {
        return Vec::new();
    }
    let mut selection = opened.selection;
    // What was said since the computer was opened still counts; rules are told by their ids, for
    // the new one stands before them.
    selection.exclusions.clone_from(&model.selection.exclusions);
    selection.starts = model.selection.starts.clone();
    let renumber = |rules: &[jolly_core::rule::RuleNumber]| {
        let old = model.session.as_ref();
        let ids = rules
            .iter()
            .filter_map(|rule| Some(&old?.rules.rule(*rule).id));
        ids.filter_map(|id| session.rules.by_id(id))
            .collect::<Vec<_>>()
    };
    selection.skip = renumber(&model.selection.skip);
    selection.only = renumber(&model.selection.only);
    model.rules_off = renumber(&model.rules_off);
    for computer in &mut model.bench.computers {
        if let Look::Done(arrived) = &mut computer.look
            && arrived.session.target.key() == session.target.key()
        {
            arrived.session = Arc::clone(&session);
            arrived.selection = selection.clone();
            arrived.rules_off.clone_from(&model.rules_off);
        }
    }
    model.session = Some(session);
    model.selection = selection;
    model.station = Station::Scan;
    model.report = None;
    start_scan(model)
}
