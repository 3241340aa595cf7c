//! The one table of keys: it feeds the dispatcher, the key line and the help.

use ratatui::crossterm::event::{KeyCode, KeyEvent, KeyModifiers};

use crate::tui::model::{Model, Station};

/// What a key asks for.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub(super) enum Action {
    Leave,
    Help,
    Onward,
    Back,
    Up,
    Down,
    PageUp,
    PageDown,
    First,
    Last,
    Older,
    Younger,
    ClassOlder,
    ClassYounger,
    ExactAge,
    Toggle,
    Undo,
    Redo,
    Find,
    Order,
    Rehearse,
    Letter(char),
    Stop,
    Again,
    Choose,
    Open,
    Rules,
}

/// One row of the table.
pub(super) struct Binding {
    /// The stations where it counts; empty for all.
    pub stations: &'static [Station],
    /// How the key line writes the keys.
    pub label: &'static str,
    /// What they do.
    pub says: &'static str,
    /// The keys themselves.
    pub keys: &'static [(KeyCode, Action)],
    /// Whether it stands in the key line; the help has all.
    pub is_main: bool,
}

const fn main(
    stations: &'static [Station],
    label: &'static str,
    says: &'static str,
    keys: &'static [(KeyCode, Action)],
) -> Binding {
    Binding {
        stations,
        label,
        says,
        keys,
        is_main: true,
    }
}

const fn more(
    stations: &'static [Station],
    label: &'static str,
    says: &'static str,
    keys: &'static [(KeyCode, Action)],
) -> Binding {
    Binding {
        stations,
        label,
        says,
        keys,
        is_main: false,
    }
}

use KeyCode::{BackTab, Char, Down, End, Enter, Esc, Home, PageDown, PageUp, Tab, Up};
use Station::{Arrive, Check, Report, Scan, Sweep, Weigh};

/// Every key of the program.
pub(super) const BINDINGS: &[Binding] = &[
    main(
        &[Arrive],
        "enter",
        "scan this one",
        &[(Enter, Action::Choose)],
    ),
    main(
        &[Arrive],
        "o",
        "open a folder",
        &[(Char('o'), Action::Open)],
    ),
    main(&[Arrive], "r", "look again", &[(Char('r'), Action::Again)]),
    main(
        &[Scan],
        "esc",
        "stop, keep what is there",
        &[(Esc, Action::Stop)],
    ),
    main(
        &[Weigh],
        "[ ]",
        "age limit",
        &[(Char('['), Action::Younger), (Char(']'), Action::Older)],
    ),
    main(
        &[Weigh],
        "space",
        "take or leave",
        &[(Char(' '), Action::Toggle)],
    ),
    main(&[Weigh], "=", "exact age", &[(Char('='), Action::ExactAge)]),
    main(&[Weigh], "tab", "check", &[(Tab, Action::Onward)]),
    main(&[Weigh], "u", "undo", &[(Char('u'), Action::Undo)]),
    more(
        &[Weigh],
        "U",
        "do again what was undone",
        &[(Char('U'), Action::Redo)],
    ),
    main(&[Weigh], "/", "find", &[(Char('/'), Action::Find)]),
    main(
        &[Weigh],
        "{ }",
        "of the class",
        &[
            (Char('{'), Action::ClassYounger),
            (Char('}'), Action::ClassOlder),
        ],
    ),
    main(&[Weigh], "o", "order", &[(Char('o'), Action::Order)]),
    main(
        &[Arrive, Weigh],
        "b",
        "rulebooks",
        &[(Char('b'), Action::Rules)],
    ),
    more(
        &[Arrive, Weigh, Check],
        "↑ ↓",
        "move; also k and j",
        &[
            (Up, Action::Up),
            (Char('k'), Action::Up),
            (Down, Action::Down),
            (Char('j'), Action::Down),
        ],
    ),
    more(
        &[Weigh, Check],
        "page up, page down",
        "move by a screen",
        &[(PageUp, Action::PageUp), (PageDown, Action::PageDown)],
    ),
    more(
        &[Arrive, Weigh, Check],
        "home, end",
        "first and last",
        &[(Home, Action::First), (End, Action::Last)],
    ),
    main(
        &[Check],
        "sweep",
        "type the word to start",
        &[
            (Char('s'), Action::Letter('s')),
            (Char('w'), Action::Letter('w')),
            (Char('e'), Action::Letter('e')),
            (Char('p'), Action::Letter('p')),
        ],
    ),
    main(&[Check], "r", "rehearse", &[(Char('r'), Action::Rehearse)]),
    main(
        &[Check, Report],
        "shift-tab",
        "back to weigh",
        &[(BackTab, Action::Back), (Esc, Action::Back)],
    ),
    main(&[Sweep], "esc", "stop", &[(Esc, Action::Stop)]),
    main(&[Report], "enter", "weigh again", &[(Enter, Action::Again)]),
    main(&[Arrive, Scan], "tab", "onward", &[(Tab, Action::Onward)]),
    main(&[Scan], "r", "scan again", &[(Char('r'), Action::Again)]),
    main(
        &[Scan],
        "shift-tab",
        "back to arrive",
        &[(BackTab, Action::Back)],
    ),
    more(&[Weigh], "r", "scan again", &[(Char('r'), Action::Again)]),
    more(
        &[Weigh],
        "shift-tab",
        "back to the scan",
        &[(BackTab, Action::Back)],
    ),
    main(&[], "?", "keys", &[(Char('?'), Action::Help)]),
    main(
        &[Arrive, Scan, Weigh, Check, Report],
        "q",
        "leave",
        &[(Char('q'), Action::Leave)],
    ),
];

/// The rows that count at a station.
pub(super) fn at(station: Station) -> impl Iterator<Item = &'static Binding> {
    BINDINGS
        .iter()
        .filter(move |row| row.stations.is_empty() || row.stations.contains(&station))
}

/// Whether a key leads anywhere now: a scan can be stopped while it is under way, and left once it
/// is over.
pub(super) fn is_offered(model: &Model, action: Action) -> bool {
    let is_over = model.scanning.took.is_some();
    match (model.station, action) {
        (Scan, Action::Stop) => !is_over,
        (Scan, Action::Onward) => is_over && model.weigh.is_some(),
        (Scan, Action::Again | Action::Back) => is_over,
        _ => true,
    }
}

/// What a key asks for at a station.
pub(super) fn action(station: Station, key: KeyEvent) -> Option<Action> {
    if key.code == Char('c') && key.modifiers.contains(KeyModifiers::CONTROL) {
        return Some(if station == Sweep {
            Action::Stop
        } else {
            Action::Leave
        });
    }
    if key
        .modifiers
        .intersects(KeyModifiers::CONTROL | KeyModifiers::ALT)
    {
        return None;
    }
    at(station)
        .flat_map(|row| row.keys)
        .find(|(code, _)| *code == key.code)
        .map(|(_, act)| *act)
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn no_key_means_two_things_at_one_station() {
        for station in Station::ROAD {
            let mut seen = Vec::new();
            for (code, _) in at(station).flat_map(|row| row.keys) {
                assert!(!seen.contains(code), "{code:?} at {station:?}");
                seen.push(*code);
            }
        }
    }
}
