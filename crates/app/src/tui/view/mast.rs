//! The mast: the mark, whose computer it is, the road.

use ratatui::Frame;
use ratatui::layout::Rect;

use crate::tui::draw::{Pieces, cut};
use crate::tui::model::{Model, Station};
use crate::tui::theme::{Role, Theme};
use crate::tui::view::lines;

pub(super) fn draw(model: &Model, theme: &Theme, frame: &mut Frame<'_>, area: Rect) {
    let width = usize::from(area.width);
    let mut road = Pieces::default();
    for (number, station) in Station::ROAD.into_iter().enumerate() {
        if number > 0 {
            road.add(theme.glyphs.road, theme.style(Role::Faint));
        }
        let style = if station == model.station {
            theme.bold(Role::Straw)
        } else {
            theme.style(Role::Quiet)
        };
        road.add(station.name(), style);
    }
    let mut mast = Pieces::default();
    mast.add(" ", theme.ground());
    mast.add(theme.glyphs.broom, theme.style(Role::Straw));
    mast.add(" jolly broom", theme.bold(Role::Straw));
    let room = width.saturating_sub(road.width() + mast.width() + 7);
    let dot = theme.glyphs.dot;
    let focused = model
        .bench
        .focused()
        .filter(|_| model.station == Station::Arrive);
    let target = focused
        .and_then(|computer| computer.arrived())
        .map(|it| &it.session.target);
    let (owner, label) = match (focused, target) {
        (Some(_), Some(target)) => (target.owner.as_ref(), target.label.as_str()),
        (Some(_), None) => (None, ""),
        (None, _) => (model.facts.owner.as_ref(), model.facts.label.as_str()),
    };
    let (first, mut rest) = match owner {
        Some(owner) => (owner.clone(), format!(" {dot} {label}")),
        None => (label.to_owned(), String::new()),
    };
    let is_stand_in = match (focused, target) {
        (Some(_), target) => target.is_some_and(|target| target.is_stand_in()),
        (None, _) => model.facts.is_stand_in,
    };
    let session = match (focused, focused.and_then(|computer| computer.arrived())) {
        (Some(_), arrived) => arrived.map(|arrived| &arrived.session),
        (None, _) => model.session.as_ref(),
    };
    // At a first visit nobody needs to be told.
    let number = session.map_or(1, |session| session.visit_number());
    if number > 1 {
        rest = format!("{rest} {dot} visit {number}");
    }
    if is_stand_in {
        rest = format!("{rest} {dot} stand-in");
    }
    let first = cut(&first, room);
    let left = room.saturating_sub(first.chars().count());
    mast.add("   ", theme.ground());
    mast.add(first, theme.style(Role::Text));
    mast.add(cut(&rest, left), theme.style(Role::Quiet));
    mast.to(width.saturating_sub(road.width() + 1));
    let mut line = mast.line();
    line.spans.extend(road.line().spans);
    lines(frame, area, vec![line]);
}
