//! Keys while something stands before the station.

use ratatui::crossterm::event::{Event, KeyCode, KeyEvent};
use tui_input::Input;
use tui_input::backend::crossterm::EventHandler as _;

use crate::tui::areas::help_room;
use crate::tui::keys::help_rows;
use crate::tui::model::{Model, Overlay};
use crate::tui::msg::{Effect, Lookup};
use crate::tui::update::completion::common_start;
use crate::tui::update::programs::belongs;
use crate::tui::update::{
    arrive, exclude, export, find, languages, packing, place, rulebooks, save, starts, uninstall,
    upkeep, weigh, wipe,
};

pub(super) fn press(model: &mut Model, key: KeyEvent) -> Vec<Effect> {
    let Some(overlay) = model.overlay.take() else {
        return Vec::new();
    };
    match (overlay, key.code) {
        (Overlay::Rulebooks(view), _) => return rulebooks::press(model, view, key),
        (Overlay::Starts(view), _) => return starts::press(model, view, key),
        (Overlay::Exclude(draft), _) => return exclude::press(model, *draft, key),
        (Overlay::Place(draft), _) => return place::press(model, draft, key),
        (Overlay::Export(view), _) => return export::press(model, view, key),
        (Overlay::Packing(view), _) => return packing::press(model, view, key),
        (Overlay::Wipe(view), _) => return wipe::press(model, view, key),
        (Overlay::Languages(view), _) => return languages::press(model, view, key),
        (Overlay::Upkeep(view), _) => return upkeep::press(model, view, key),
        (Overlay::Belongs(draft), _) => return belongs::press(model, draft, key),
        (Overlay::Uninstall(view), _) => return uninstall::press(model, view, key),
        (Overlay::Find(input, behind), _) => return find::press(model, input, behind, key),
        (Overlay::Help(from, behind), code) => help(model, from, behind, code),
        // These have no lines to type in, and are served by the table of keys.
        (
            Overlay::Exclusions(_)
            | Overlay::Sites(_)
            | Overlay::Programs(_)
            | Overlay::Space(_)
            | Overlay::Copies(_)
            | Overlay::Decided(_)
            | Overlay::Dustpan(_)
            | Overlay::Runs(_)
            | Overlay::Startup(_),
            _,
        )
        | (_, KeyCode::Esc)
        | (Overlay::Pieces(_), KeyCode::Enter) => {}
        (Overlay::Pieces(found), _) => model.overlay = Some(Overlay::Pieces(found)),
        (Overlay::Save(input, _), KeyCode::Enter) => return save::save(model, input),
        (Overlay::Save(mut input, _), _) => {
            input.handle_event(&Event::Key(key));
            model.overlay = Some(Overlay::Save(input, None));
        }
        (Overlay::ExactAge(input, _), KeyCode::Enter) => {
            if let Err(message) = weigh::set_exact_age(model, input.value()) {
                model.overlay = Some(Overlay::ExactAge(input, Some(message)));
            }
        }
        (Overlay::ExactAge(mut input, _), _) => {
            input.handle_event(&Event::Key(key));
            model.overlay = Some(Overlay::ExactAge(input, None));
        }
        (Overlay::Open(input, _), KeyCode::Enter) => {
            return arrive::open_typed(model, input.value());
        }
        (Overlay::Open(mut input, folders), KeyCode::Tab) => {
            let longer = common_start(&folders).filter(|start| start.len() > input.value().len());
            if let Some(start) = longer {
                input = Input::new(start);
            }
            return look_for_folders(model, input);
        }
        (Overlay::Open(mut input, _), _) => {
            input.handle_event(&Event::Key(key));
            return look_for_folders(model, input);
        }
    }
    Vec::new()
}

/// Moves through the keys where they don't all fit; any other key closes them, and the view that
/// they stood before is there again.
fn help(model: &mut Model, from: usize, behind: Option<Box<Overlay>>, code: KeyCode) {
    let context = Overlay::context_of_help(behind.as_deref(), model);
    let hidden = help_rows(context).saturating_sub(help_room(model.size.1));
    let to = match code {
        KeyCode::Up | KeyCode::Char('k') if hidden > 0 => Some(from.saturating_sub(1)),
        KeyCode::Down | KeyCode::Char('j') if hidden > 0 => Some((from + 1).min(hidden)),
        _ => None,
    };
    model.overlay = match to {
        Some(to) => Some(Overlay::Help(to, behind)),
        None => behind.map(|view| *view),
    };
}

fn look_for_folders(model: &mut Model, input: Input) -> Vec<Effect> {
    let typed = input.value().to_owned();
    model.overlay = Some(Overlay::Open(input, Vec::new()));
    vec![Effect::Lookup(Lookup::Complete(typed))]
}

/// Takes in the folders that begin as what was typed, if that is still what stands there.
pub(super) fn completed(model: &mut Model, text: &str, found: Vec<String>) {
    match &mut model.overlay {
        Some(Overlay::Open(input, folders)) if input.value() == text => *folders = found,
        Some(Overlay::Place(draft)) if draft.folder.value() == text => draft.offered = found,
        _ => {}
    }
}

/// Text fields take what is pasted, in one line.
pub(super) fn paste(model: &mut Model, text: &str) -> Vec<Effect> {
    let line: String = text.chars().filter(|letter| !letter.is_control()).collect();
    let insert = |input: &mut Input| {
        for letter in line.chars() {
            input.handle(tui_input::InputRequest::InsertChar(letter));
        }
    };
    match model.overlay.take() {
        Some(Overlay::Exclude(draft)) => return exclude::paste(model, *draft, &line),
        Some(Overlay::Place(draft)) => return place::paste(model, draft, &line),
        Some(Overlay::Belongs(draft)) => return belongs::paste(model, draft, &line),
        Some(Overlay::Uninstall(view)) => return uninstall::paste(model, view, &line),
        other => model.overlay = other,
    }
    match &mut model.overlay {
        Some(
            Overlay::ExactAge(input, _)
            | Overlay::Find(input, _)
            | Overlay::Open(input, _)
            | Overlay::Save(input, _),
        ) => {
            insert(input);
        }
        Some(Overlay::Export(view)) => insert(&mut view.name),
        Some(Overlay::Packing(view)) => insert(&mut view.to),
        Some(Overlay::Rulebooks(view)) => view.asking.iter_mut().for_each(insert),
        Some(Overlay::Starts(view)) => {
            view.asking.iter_mut().for_each(|(input, _)| insert(input));
        }
        Some(
            Overlay::Help(..)
            | Overlay::Exclude(_)
            | Overlay::Place(_)
            | Overlay::Exclusions(_)
            | Overlay::Sites(_)
            | Overlay::Programs(_)
            | Overlay::Space(_)
            | Overlay::Copies(_)
            | Overlay::Uninstall(_)
            | Overlay::Belongs(_)
            | Overlay::Dustpan(_)
            | Overlay::Runs(_)
            | Overlay::Startup(_)
            | Overlay::Decided(_)
            | Overlay::Wipe(_)
            | Overlay::Languages(_)
            | Overlay::Pieces(_)
            | Overlay::Upkeep(_),
        )
        | None => {}
    }
    Vec::new()
}
