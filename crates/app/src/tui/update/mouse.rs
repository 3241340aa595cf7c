//! The mouse at weigh: a click on a band sets the limit there, one on the mark takes or leaves, one
//! elsewhere moves there; the wheel scrolls.

use jolly_core::rule::AgeLimit;
use ratatui::crossterm::event::{KeyEvent, KeyModifiers, MouseButton, MouseEvent, MouseEventKind};
use ratatui::layout::Rect;

use crate::tui::areas::{self, areas, first_row, list_room};
use crate::tui::columns::Columns;
use crate::tui::keys::{self, Action};
use crate::tui::model::{Context, Model, Row, Station};
use crate::tui::msg::Effect;
use crate::tui::update::{arrive, hints, inside, pointed, press, space, weigh};

/// Rows that one notch of the wheel moves.
const NOTCH: usize = 3;

pub(super) fn act(model: &mut Model, event: MouseEvent) -> Vec<Effect> {
    if event.kind == MouseEventKind::Moved {
        model.pointed = match model.context() {
            Some(_) if model.overlay.is_none() => {
                pointed::at(model, usize::from(event.column), event.row)
            }
            _ => None,
        };
        return Vec::new();
    }
    if event.kind == MouseEventKind::Down(MouseButton::Left) {
        let frame_of_keys = model.size.1.saturating_sub(1);
        if event.row == frame_of_keys {
            return click_key(model, usize::from(event.column));
        }
        if event.row == 0 {
            return click_road(model, usize::from(event.column));
        }
    }
    if model.context() == Some(Context::Space) {
        space::mouse(model, event);
        return Vec::new();
    }
    let Some(context @ (Context::Ages | Context::Inside)) = model.context() else {
        return Vec::new();
    };
    match event.kind {
        MouseEventKind::ScrollUp => scroll(model, context, Action::Up),
        MouseEventKind::ScrollDown => scroll(model, context, Action::Down),
        MouseEventKind::Down(MouseButton::Left) => {
            model.message = None;
            click(model, context, event.column, event.row)
        }
        _ => Vec::new(),
    }
}

/// Presses the key that was clicked on the key line.
fn click_key(model: &mut Model, column: usize) -> Vec<Effect> {
    let Some(context) = model.context() else {
        return Vec::new();
    };
    let placed = keys::on_line(model, context, usize::from(model.size.0));
    let clicked = placed.iter().rev().find(|(at, _)| *at <= column);
    let code = clicked.and_then(|(_, row)| row.keys.first());
    match code {
        // The word that starts a sweep is typed.
        None | Some((_, Action::Letter(_))) => Vec::new(),
        Some((code, _)) => press(model, KeyEvent::new(*code, KeyModifiers::NONE)),
    }
}

/// Walks to the station that was clicked on the road, as far as there is something.
fn click_road(model: &mut Model, column: usize) -> Vec<Effect> {
    if model.overlay.is_some() || model.station == Station::Sweep {
        return Vec::new();
    }
    let station = areas::station_at(model.size.0, column);
    match station {
        Some(Station::Arrive) => arrive::enter(model),
        Some(Station::Scan) if model.session.is_some() => {
            model.station = Station::Scan;
            Vec::new()
        }
        Some(Station::Weigh) if model.weigh.is_some() && !model.is_scanning() => {
            model.station = Station::Weigh;
            Vec::new()
        }
        Some(Station::Check) if model.weigh.is_some() && !model.is_scanning() => {
            weigh::check(model)
        }
        Some(Station::Report) if model.report.is_some() => {
            model.station = Station::Report;
            Vec::new()
        }
        _ => Vec::new(),
    }
}

fn scroll(model: &mut Model, context: Context, action: Action) -> Vec<Effect> {
    let mut effects = Vec::new();
    for _ in 0..NOTCH {
        effects.extend(match context {
            Context::Inside => inside::act(model, action),
            _ => weigh::act(model, action),
        });
    }
    effects
}

fn click(model: &mut Model, context: Context, column: u16, row: u16) -> Vec<Effect> {
    let (columns, rows) = model.size;
    let work = areas(Rect::new(0, 0, columns, rows)).work;
    let room = list_room(work);
    let Some(weigh) = &mut model.weigh else {
        return Vec::new();
    };
    let Some(offset) = row.checked_sub(work.y + 1).map(usize::from) else {
        return Vec::new();
    };
    if offset >= room {
        return Vec::new();
    }
    if context == Context::Inside {
        let Some(view) = &mut weigh.inside else {
            return Vec::new();
        };
        let at = first_row(view.focus, view.len(), room) + offset;
        if at >= view.len() {
            return Vec::new();
        }
        let was_focus = view.focus == at;
        view.focus = at;
        return match column {
            // The mark.
            0..=2 => inside::act(model, Action::Toggle),
            _ if was_focus => inside::act(model, Action::Enter),
            _ => Vec::new(),
        };
    }
    let at = first_row(weigh.focus, weigh.rows.len(), room) + offset;
    let Some(clicked) = weigh.rows.get(at).copied().filter(|row| *row != Row::Gap) else {
        return Vec::new();
    };
    let was_focus = weigh.focus == at;
    weigh.focus = at;
    if !was_focus {
        model.asked = None;
    }
    let has_class = !weigh.arranged.order.has_headings();
    let bands = Columns::fit(usize::from(work.width), has_class).bands_under(usize::from(column));
    match (clicked, bands) {
        (Row::Pile(pile), Some((band, _))) => {
            weigh::set_limit(model, pile, AgeLimit::at_edge(band));
            hints::done(model, Station::Weigh)
        }
        _ if column <= 2 => weigh::act(model, Action::Toggle),
        _ if was_focus => weigh::act(model, Action::Enter),
        _ => Vec::new(),
    }
}
