//! Finding: what is typed moves to the first row that holds it, wherever rows stand; a key goes on to
//! the next one.

use jolly_core::format::Printable;
use ratatui::crossterm::event::{Event, KeyCode, KeyEvent};
use tui_input::Input;
use tui_input::backend::crossterm::EventHandler as _;

use crate::tui::model::{Context, DustpanView, ExclusionsView, Model, Overlay, StartsRow};
use crate::tui::msg::Effect;
use crate::tui::update::{check, copies, inside, programs, sites, space, weigh};

/// Begins to find: in the view that stands there, or at the station.
pub(super) fn begin(model: &mut Model, behind: Option<Overlay>) {
    model.overlay = Some(Overlay::Find(Input::default(), behind.map(Box::new)));
}

/// A key while the words are typed.
pub(super) fn press(
    model: &mut Model,
    mut input: Input,
    mut behind: Option<Box<Overlay>>,
    key: KeyEvent,
) -> Vec<Effect> {
    match key.code {
        KeyCode::Esc => model.overlay = behind.map(|view| *view),
        KeyCode::Enter => {
            input.value().clone_into(&mut model.found);
            model.overlay = behind.map(|view| *view);
            if model.context() == Some(Context::Check) {
                return check::filter(model);
            }
        }
        _ => {
            input.handle_event(&Event::Key(key));
            let text = input.value().to_owned();
            let effects = match &mut behind {
                Some(view) => {
                    in_view(model, view, &text, Start::Here);
                    Vec::new()
                }
                None => at_station(model, &text, Start::Here),
            };
            model.overlay = Some(Overlay::Find(input, behind));
            return effects;
        }
    }
    Vec::new()
}

/// Goes on to the next row that holds what was found last.
pub(super) fn next(model: &mut Model) -> Vec<Effect> {
    let text = model.found.clone();
    if text.is_empty() {
        model.message = Some("Nothing was looked for yet; / finds.".to_owned());
        return Vec::new();
    }
    let Some(mut view) = model.overlay.take() else {
        return at_station(model, &text, Start::Next);
    };
    in_view(model, &mut view, &text, Start::Next);
    model.overlay = Some(view);
    Vec::new()
}

/// Where looking begins: with the row in focus, or with the one after it.
#[derive(Clone, Copy, PartialEq, Eq)]
pub(super) enum Start {
    Here,
    Next,
}

fn at_station(model: &mut Model, text: &str, start: Start) -> Vec<Effect> {
    match (model.station_context(), start) {
        (Context::Inside, Start::Here) => return inside::find(model, text),
        (Context::Inside, Start::Next) => return inside::find_next(model, text),
        (Context::Ages, _) => weigh::find(model, text, start),
        // The list there is filtered once the words stand.
        _ => {}
    }
    Vec::new()
}

/// Whether every word stands somewhere in a text; case says nothing.
pub(super) fn holds(text: &str, wanted: &str) -> bool {
    let text = text.to_lowercase();
    let wanted = wanted.to_lowercase();
    wanted.split_whitespace().all(|word| text.contains(word))
}

/// The first of so many rows that holds the text, beginning at the focus and round again.
pub(super) fn first(
    rows: usize,
    focus: usize,
    start: Start,
    is_it: impl Fn(usize) -> bool,
) -> Option<usize> {
    let skip = usize::from(start == Start::Next);
    (0..rows)
        .map(|step| (focus + skip + step) % rows.max(1))
        .find(|at| is_it(*at))
}

fn in_view(model: &mut Model, view: &mut Overlay, text: &str, start: Start) {
    let found = match view {
        Overlay::Rulebooks(rules) => {
            let session = model.looked_at();
            let rows = &rules.rows;
            let found = first(rows.len(), rules.focus, start, |at| {
                let (Some(row), Some(session)) = (rows.get(at), &session) else {
                    return false;
                };
                let rule = session.rules.rule(row.rule);
                holds(&format!("{} {}", rule.rule.title, rule.id), text)
            });
            found.map(|at| rules.focus = at)
        }
        Overlay::Starts(starts) => {
            let session = model.session.clone();
            let rows = &starts.rows;
            let found = first(rows.len(), starts.focus, start, |at| {
                match (rows.get(at), &session) {
                    (Some(StartsRow::Class(class)), _) => holds(class.name(), text),
                    (Some(StartsRow::Rule(number)), Some(session)) => {
                        let rule = session.rules.rule(*number);
                        holds(&format!("{} {}", rule.rule.title, rule.id), text)
                    }
                    _ => false,
                }
            });
            found.map(|at| starts.focus = at)
        }
        Overlay::Exclusions(view) => in_exclusions(model, view, text, start),
        Overlay::Sites(view) => {
            let found = first(view.rows.len(), view.focus, start, |at| {
                holds(&sites::holds(view, at), text)
            });
            found.map(|at| view.focus = at)
        }
        Overlay::Programs(view) => {
            let found = first(view.rows.len(), view.focus, start, |at| {
                holds(&programs::holds(view, at), text)
            });
            found.map(|at| view.focus = at)
        }
        Overlay::Copies(view) => {
            let found = first(view.rows.len(), view.focus, start, |at| {
                holds(&copies::holds(view, at), text)
            });
            found.map(|at| view.focus = at)
        }
        Overlay::Space(view) => {
            let found = first(view.rows.len(), view.focus, start, |at| {
                holds(&space::holds(view, at), text)
            });
            found.map(|at| view.focus = at)
        }
        Overlay::Dustpan(view) => in_dustpan(view, text, start),
        _ => return,
    };
    model.message = match found {
        Some(()) => None,
        None => Some("No row holds these words.".to_owned()),
    };
}

/// Looks through the exclusions.
fn in_exclusions(model: &Model, view: &mut ExclusionsView, text: &str, start: Start) -> Option<()> {
    let all = model.weigh.as_ref();
    let all = all.map_or(&[][..], |weigh| weigh.decisions.exclusions());
    let found = first(all.len(), view.focus, start, |at| {
        all.get(at).is_some_and(|one| {
            let exclusion = &one.exclusion;
            holds(&format!("{} {}", exclusion.name(), exclusion.why), text)
        })
    });
    found.map(|at| view.focus = at)
}

/// Looks through what waits in the dustpans.
fn in_dustpan(view: &mut DustpanView, text: &str, start: Start) -> Option<()> {
    let found = first(view.count(), view.focus, start, |at| {
        let named = view.row(at).and_then(|row| view.named(row));
        named.is_some_and(|(run, path)| {
            let path = Printable(path.as_bytes()).to_string();
            holds(&format!("{path} {} {}", run.pan.label, run.pan.run), text)
        })
    });
    found.map(|at| {
        view.focus = at;
        view.count_brings();
    })
}
