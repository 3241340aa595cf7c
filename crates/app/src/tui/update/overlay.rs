//! Keys while something stands before the station.

use ratatui::crossterm::event::{Event, KeyCode, KeyEvent};
use tui_input::backend::crossterm::EventHandler as _;

use crate::tui::model::{Model, Overlay};
use crate::tui::msg::Effect;
use crate::tui::update::weigh;

pub(super) fn press(model: &mut Model, key: KeyEvent) -> Vec<Effect> {
    let Some(overlay) = model.overlay.take() else {
        return Vec::new();
    };
    match (overlay, key.code) {
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
        (Overlay::Find(mut input), _) => {
            input.handle_event(&Event::Key(key));
            weigh::find(model, input.value());
            model.overlay = Some(Overlay::Find(input));
        }
    }
    Vec::new()
}

/// Text fields take what is pasted, in one line.
pub(super) fn paste(model: &mut Model, text: &str) {
    let line: String = text.chars().filter(|letter| !letter.is_control()).collect();
    match &mut model.overlay {
        Some(Overlay::ExactAge(input, _) | Overlay::Find(input)) => {
            for letter in line.chars() {
                input.handle(tui_input::InputRequest::InsertChar(letter));
            }
        }
        Some(Overlay::Help) | None => {}
    }
}
