//! Keys while something stands before the station.

use ratatui::crossterm::event::{Event, KeyCode, KeyEvent};
use tui_input::Input;
use tui_input::backend::crossterm::EventHandler as _;

use crate::tui::model::{Model, Overlay, Rulebooks};
use crate::tui::msg::Effect;
use crate::tui::update::{arrive, rulebooks, weigh};

pub(super) fn press(model: &mut Model, key: KeyEvent) -> Vec<Effect> {
    let Some(overlay) = model.overlay.take() else {
        return Vec::new();
    };
    match (overlay, key.code) {
        (Overlay::Rulebooks(view), _) => return rulebooks::press(model, view, key),
        (Overlay::Help, _) | (_, KeyCode::Esc) | (Overlay::Find(_), KeyCode::Enter) => {}
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
        (Overlay::Find(mut input), _) => {
            input.handle_event(&Event::Key(key));
            weigh::find(model, input.value());
            model.overlay = Some(Overlay::Find(input));
        }
    }
    Vec::new()
}

fn look_for_folders(model: &mut Model, input: Input) -> Vec<Effect> {
    let typed = input.value().to_owned();
    model.overlay = Some(Overlay::Open(input, Vec::new()));
    vec![Effect::Complete(typed)]
}

/// What all folders begin with; with a slash behind it when there is only one.
fn common_start(folders: &[String]) -> Option<String> {
    let (first, rest) = folders.split_first()?;
    if rest.is_empty() {
        return Some(format!("{}/", first.trim_end_matches('/')));
    }
    let mut start = first.clone();
    for other in rest {
        while !other.starts_with(&start) {
            start.pop();
        }
    }
    Some(start)
}

/// Takes in the folders that begin as what was typed, if that is still what stands there.
pub(super) fn completed(model: &mut Model, text: &str, found: Vec<String>) {
    if let Some(Overlay::Open(input, folders)) = &mut model.overlay
        && input.value() == text
    {
        *folders = found;
    }
}

/// Text fields take what is pasted, in one line.
pub(super) fn paste(model: &mut Model, text: &str) {
    let line: String = text.chars().filter(|letter| !letter.is_control()).collect();
    match &mut model.overlay {
        Some(
            Overlay::ExactAge(input, _)
            | Overlay::Find(input)
            | Overlay::Open(input, _)
            | Overlay::Rulebooks(Rulebooks {
                asking: Some(input),
                ..
            }),
        ) => {
            for letter in line.chars() {
                input.handle(tui_input::InputRequest::InsertChar(letter));
            }
        }
        Some(Overlay::Help | Overlay::Rulebooks(_)) | None => {}
    }
}
