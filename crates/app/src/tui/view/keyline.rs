//! The key line: what matters here, from the one table.

use ratatui::Frame;
use ratatui::layout::Rect;

use crate::tui::draw::Pieces;
use crate::tui::keys;
use crate::tui::model::{Context, Model};
use crate::tui::theme::{Role, Theme};
use crate::tui::view::lines;

/// The keys of a station or a view.
pub(super) fn draw(
    model: &Model,
    context: Context,
    theme: &Theme,
    frame: &mut Frame<'_>,
    area: Rect,
) {
    let width = usize::from(area.width);
    let mut line = Pieces::default();
    line.add(" ", theme.ground());
    for (_, row) in keys::on_line(model, context, width) {
        line.add(theme.keys(row.label), theme.style(Role::Straw));
        line.add(format!(" {}   ", row.says), theme.style(Role::Quiet));
    }
    lines(frame, area, vec![line.line()]);
}

/// The keys of a line that is typed, which the table doesn't serve.
pub(super) fn hints(theme: &Theme, frame: &mut Frame<'_>, area: Rect, all: &[(&str, &str)]) {
    let mut line = Pieces::default();
    line.add(" ", theme.ground());
    add_hints(theme, &mut line, all);
    lines(frame, area, vec![line.line()]);
}

/// Keys and what they do, on a line.
pub(super) fn add_hints(theme: &Theme, line: &mut Pieces<'_>, all: &[(&str, &str)]) {
    for (key, says) in all {
        line.add(theme.keys(key), theme.style(Role::Straw));
        line.add(format!(" {says}   "), theme.style(Role::Quiet));
    }
}
