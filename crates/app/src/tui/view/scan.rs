//! The scan station: the places being walked.

use ratatui::Frame;
use ratatui::layout::Rect;
use ratatui::text::Line;

use crate::tui::draw::{Pieces, left, right};
use crate::tui::model::{Model, PlaceProgress};
use crate::tui::theme::{Role, Theme};
use crate::tui::view::lines;
use crate::wording::{bytes, count};

pub(super) fn draw(model: &Model, theme: &Theme, frame: &mut Frame<'_>, area: Rect) {
    let scanning = &model.scanning;
    let elapsed = scanning
        .took
        .unwrap_or_else(|| model.clock.saturating_sub(scanning.began));
    let (names, found) = scanning.sums();
    let left_over = scanning
        .places
        .iter()
        .filter(|place| !place.is_done)
        .count();
    let quiet = theme.style(Role::Quiet);
    let text = theme.style(Role::Text);
    let mut head = Pieces::default();
    head.add(" ", quiet);
    let state = match (scanning.took, scanning.is_stopping) {
        (Some(_), false) => "Walked",
        (Some(_), true) => "Stopped",
        (None, false) => "Walking the places",
        (None, true) => "Stopping",
    };
    head.add(state, theme.bold(Role::Straw));
    let rate = (names as f64 / elapsed.as_secs_f64().max(0.001)).round();
    // A rate is shown, not computed with: its sign and size are known.
    let rate = format!("{rate:.0}").parse().unwrap_or(0);
    head.add(format!("   {} ", count(names)), text)
        .add("names", quiet);
    head.add(format!("   {} ", bytes(found)), text)
        .add("found", quiet);
    head.add(format!("   {} ", count(rate)), text)
        .add("names a second", quiet);
    head.add(format!("   {:.1} s", elapsed.as_secs_f64()), text);
    let done = scanning.places.len() - left_over;
    let of = scanning.places.len();
    head.add(format!("   {done} of {of} places"), quiet);
    let mut all = vec![head.line(), Line::default()];
    let room = usize::from(area.height).saturating_sub(3);
    // The place being walked stays in sight.
    let at = scanning
        .places
        .iter()
        .rposition(|place| place.is_begun)
        .unwrap_or(0);
    let skip = (at + 1).saturating_sub(room);
    let beat = usize::try_from(model.clock.as_millis() / 150).unwrap_or(0);
    let width = usize::from(area.width);
    for (number, place) in scanning.places.iter().enumerate().skip(skip).take(room) {
        let is_walked = scanning.at == Some(number) && scanning.took.is_none();
        let beat = is_walked.then_some(beat);
        all.push(row(theme, place, beat, width));
    }
    if scanning.places.is_empty() && scanning.took.is_none() {
        all.push(Line::styled("   Finding accounts and places…", quiet));
    }
    lines(frame, area, all);
}

fn row(theme: &Theme, place: &PlaceProgress, beat: Option<usize>, width: usize) -> Line<'static> {
    let glyphs = &theme.glyphs;
    let (mark, role) = match (beat, place.is_begun) {
        (Some(beat), _) if !place.is_done => (
            glyphs.moving.get(beat % 4).copied().unwrap_or(glyphs.dot),
            Role::Straw,
        ),
        (_, true) => (glyphs.dot, Role::Quiet),
        (_, false) => (" ", Role::Faint),
    };
    let mut line = Pieces::default();
    line.add(format!("   {mark} "), theme.style(role));
    let name = if place.is_begun || place.is_done {
        Role::Text
    } else {
        Role::Faint
    };
    let wide = width.saturating_sub(52).min(60);
    line.add(left(&place.name, wide), theme.style(name));
    if place.is_begun || place.is_done {
        line.add(right(&count(place.looked_at), 12), theme.style(Role::Quiet));
        line.add(" names ", theme.style(Role::Faint));
        line.add(right(&bytes(place.bytes), 11), theme.style(Role::Text));
        line.add(" found", theme.style(Role::Faint));
    }
    line.line()
}
