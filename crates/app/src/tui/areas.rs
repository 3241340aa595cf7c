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

/// Rows above the shelves of the space lens: its title and its sums.
pub(super) const SPACE_HEAD: usize = 2;

/// Rows of one level of shelves.
pub(super) const SPACE_LEVEL: usize = 2;

/// Columns and levels that the shelves of the space lens have on a screen of that size.
pub(super) fn space_extent((columns, rows): (u16, u16)) -> (usize, usize) {
    const MOST_LEVELS: usize = 6;
    let levels = usize::from(rows.saturating_sub(12)) / 5;
    let columns = usize::from(columns).saturating_sub(2);
    (columns, levels.clamp(2, MOST_LEVELS))
}

/// What stands in a row of the space lens.
pub(super) enum SpaceSpot {
    /// A level of the shelves.
    Level(usize),
    /// A row of the list, from the first that shows.
    Row(usize),
}

/// Rows above the work of every screen.
const ABOVE_WORK: usize = 4;

/// What stands in a row of the screen while the space lens does.
pub(super) fn space_at(size: (u16, u16), row: usize) -> Option<SpaceSpot> {
    let (_, levels) = space_extent(size);
    let row = row.checked_sub(ABOVE_WORK + SPACE_HEAD)?;
    if row < levels * SPACE_LEVEL {
        return Some(SpaceSpot::Level(row / SPACE_LEVEL));
    }
    // Between them are a gap and the heading of the list.
    let row = row.checked_sub(levels * SPACE_LEVEL + 2)?;
    (row < space_room(size, false)).then_some(SpaceSpot::Row(row))
}

/// Rows of a list in the space lens, below the shelves, a gap and its heading; without shelves where all is spoken.
pub(super) fn space_room(size: (u16, u16), is_spoken: bool) -> usize {
    // The line of words and the key line stand below.
    const OUTSIDE: usize = ABOVE_WORK + 2 + 1;
    let (_, levels) = space_extent(size);
    let shelves = if is_spoken {
        0
    } else {
        levels * SPACE_LEVEL + 1
    };
    usize::from(size.1).saturating_sub(OUTSIDE + SPACE_HEAD + shelves + 1)
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
