//! The one table of keys: it feeds the dispatcher, the key line and the help.

use ratatui::crossterm::event::{KeyCode, KeyEvent, KeyModifiers};
use unicode_width::UnicodeWidthStr as _;

use crate::tui::model::{Context, Model, Station};

mod table;

pub(super) use table::BINDINGS;

pub(super) use crate::tui::action::Action;

/// One row of the table.
pub(super) struct Binding {
    /// Where it counts; empty for all stations.
    pub contexts: &'static [Context],
    /// How the key line writes the keys.
    pub label: &'static str,
    /// What they do.
    pub says: &'static str,
    /// The keys themselves.
    pub keys: &'static [(KeyCode, Action)],
    /// Whether it stands in the key line; the help has all.
    pub is_main: bool,
}

/// The rows that count there.
pub(super) fn at(context: Context) -> impl Iterator<Item = &'static Binding> {
    BINDINGS.iter().filter(move |row| {
        // While the word is typed no other key may do anything.
        let is_everywhere = row.contexts.is_empty() && context != Context::Word;
        is_everywhere || row.contexts.contains(&context)
    })
}

/// Columns of the way to all keys, which never drops out of the key line.
const HELP: usize = "? keys".len();

/// Columns between two keys of the key line; behind the last one they may be cut off.
const GAP: usize = 3;

/// The rows that the key line has room for, each with the column where it starts.
pub(super) fn on_line(
    model: &Model,
    context: Context,
    width: usize,
) -> Vec<(usize, &'static Binding)> {
    let mut placed = Vec::new();
    let mut at = 1;
    for row in self::at(context).filter(|row| row.is_main) {
        let is_offered = |(_, act): &(KeyCode, Action)| is_offered(model, *act);
        if !row.keys.iter().any(is_offered) {
            continue;
        }
        let wide = row.label.width() + 1 + row.says.width();
        let behind = if row.label == "?" { 0 } else { GAP + HELP };
        if at + wide + behind > width {
            continue;
        }
        placed.push((at, row));
        at += wide + GAP;
    }
    placed
}

/// How many rows the help of a place has.
pub(super) fn help_rows(context: Context) -> usize {
    at(context).count()
}

/// Whether a key leads anywhere now.
pub(super) fn is_offered(model: &Model, action: Action) -> bool {
    let is_over = model.scanning.took.is_some();
    match (model.station, action) {
        (Station::Scan, Action::Stop) => !is_over,
        (Station::Scan, Action::Onward) => is_over && model.weigh.is_some(),
        (Station::Scan, Action::LookAgain | Action::Back) => is_over,
        (Station::Report, Action::Retry) => {
            let report = model.report.as_ref();
            report.is_some_and(|report| report.left.is_some())
        }
        (Station::Arrive, Action::Retry) => {
            let arrived = model.bench.focused().and_then(|it| it.arrived());
            arrived.is_some_and(|arrived| arrived.left.is_some())
        }
        _ => true,
    }
}

/// What a key asks for.
pub(super) fn action(context: Context, key: KeyEvent) -> Option<Action> {
    if key.code == KeyCode::Char('c') && key.modifiers.contains(KeyModifiers::CONTROL) {
        return Some(if context == Context::Sweep {
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
    at(context)
        .flat_map(|row| row.keys)
        .find(|(code, _)| *code == key.code)
        .map(|(_, act)| *act)
}

#[cfg(test)]
mod tests;
