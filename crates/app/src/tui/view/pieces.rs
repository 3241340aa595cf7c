//! Files that lie in the most pieces, and what puts them together.

use jolly_core::format::Printable;
use jolly_core::survey::InPieces;
use ratatui::Frame;
use ratatui::layout::Rect;
use ratatui::text::Line;

use crate::tui::draw::{Pieces, cut_front, right, wrap};
use crate::tui::theme::{Role, Theme};
use crate::tui::view::keyline::add_hints;
use crate::tui::view::overlay::raised;
use crate::wording::{bytes, count, in_pieces, mends_pieces};

/// Columns of the patch, of the text in it, of a number, of a size.
const WIDE: u16 = 104;
const TEXT: usize = 96;
const MANY: usize = 8;
const SIZE: usize = 12;

pub(super) fn draw(found: &InPieces, theme: &Theme, frame: &mut Frame<'_>, area: Rect) {
    let width = usize::from(area.width.saturating_sub(6)).min(TEXT);
    let (quiet, text) = (theme.style(Role::Quiet), theme.style(Role::Text));
    let mut all = vec![
        Line::styled(in_pieces(found), theme.bold(Role::Straw)),
        Line::default(),
    ];
    let mut heading = Pieces::default();
    heading.add(right("pieces", MANY), quiet);
    heading.add(right("size", SIZE), quiet);
    all.push(heading.line());
    for (pieces, size, path) in &found.worst {
        let mut line = Pieces::default();
        line.add(right(&count(*pieces), MANY), theme.style(Role::Straw));
        line.add(right(&bytes(*size), SIZE), quiet);
        let path = Printable(path.as_bytes()).to_string();
        let room = width.saturating_sub(MANY + SIZE + 2);
        line.add(format!("  {}", cut_front(&path, room)), text);
        all.push(line.line());
    }
    all.push(Line::default());
    let says = wrap(&mends_pieces(found), width);
    all.extend(says.into_iter().map(|line| Line::styled(line, text)));
    all.push(Line::default());
    let mut keys = Pieces::default();
    add_hints(theme, &mut keys, &[("esc", "back")]);
    all.push(keys.line());
    raised(theme, frame, area, WIDE, all);
}
