//! Where things stand on the screen: for drawing, and for the mouse.

use ratatui::layout::{Constraint, Layout, Rect};

use crate::tui::model::Station;

/// Lines of the card below a list at weigh, the rule line included: where rows are short the list
/// needs them more.
pub(super) fn card_height(work: Rect) -> u16 {
    if work.height < 24 { 5 } else { 7 }
}

/// The bands of every screen, top to bottom.
pub(super) struct Areas {
    pub mast: Rect,
    pub strip: Rect,
    pub work: Rect,
    pub message: Rect,
    pub keys: Rect,
}

/// The bands of a screen.
pub(super) fn areas(area: Rect) -> Areas {
    let [mast, strip, _, work, message, keys] = Layout::vertical([
        Constraint::Length(1),
        Constraint::Length(2),
        Constraint::Length(1),
        Constraint::Min(10),
        Constraint::Length(1),
        Constraint::Length(1),
    ])
    .areas(area);
    Areas {
        mast,
        strip,
        work,
        message,
        keys,
    }
}

/// Columns between two stations on the road.
pub(super) const ROAD_GAP: usize = 3;

/// The station whose word stands at a column of the mast; the road ends a column before the edge.
pub(super) fn station_at(width: u16, column: usize) -> Option<Station> {
    let words: usize = Station::ROAD.iter().map(|it| it.name().len()).sum();
    let road = words + ROAD_GAP * (Station::ROAD.len() - 1);
    let mut at = usize::from(width).checked_sub(road + 1)?;
    for station in Station::ROAD {
        let end = at + station.name().len();
        if (at..end).contains(&column) {
            return Some(station);
        }
        at = end + ROAD_GAP;
    }
    None
}

/// How many rows of a list at weigh fit, below its heading and above its card.
pub(super) fn list_room(work: Rect) -> usize {
    usize::from(work.height.saturating_sub(card_height(work) + 2))
}

/// The first row of a list that shows, so that the focus and what is around it do.
pub(super) fn first_row(focus: usize, rows: usize, room: usize) -> usize {
    (focus + 2)
        .saturating_sub(room)
        .min(rows.saturating_sub(room))
}

/// How many keys the help shows at once on a screen of so many rows.
pub(super) fn help_room(rows: u16) -> usize {
    // Its title, what the station is for, its last line with their gaps, and the patch's edges.
    usize::from(rows.saturating_sub(7))
}
