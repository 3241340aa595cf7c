//! A page or a picture before it is written: what it says, line by line, and the name of its file.

use ratatui::Frame;
use ratatui::layout::Rect;
use ratatui::text::Line;

use crate::handover::PreviewLine;
use crate::tui::draw::{Pieces, cut, left, right, wrap};
use crate::tui::model::{Drawing, ExportView};
use crate::tui::theme::{Role, Theme};
use crate::tui::view::keyline::add_hints;
use crate::tui::view::overlay::{asking, raised};

/// Columns of the patch, and of the text in it.
const WIDE: u16 = 110;
const TEXT: usize = 104;
const FIGURE: usize = 26;

/// Rows of the patch that aren't the page's.
const AROUND: u16 = 12;

pub(super) fn draw(view: &ExportView, theme: &Theme, frame: &mut Frame<'_>, area: Rect) {
    let (quiet, text) = (theme.style(Role::Quiet), theme.style(Role::Text));
    let width = usize::from(area.width.saturating_sub(6)).min(TEXT);
    let room = usize::from(area.height.saturating_sub(AROUND)).clamp(1, 34);
    let mut all = vec![
        Line::styled(view.subject.title(), theme.bold(Role::Straw)),
        Line::default(),
    ];
    match &view.drawing {
        Drawing::UnderWay => all.push(Line::styled("It is being drawn…", quiet)),
        Drawing::Failed(why) => {
            all.push(Line::styled(cut(why, width), theme.style(Role::Ask)));
        }
        Drawing::Done(drawn) => {
            let rows: Vec<Line<'_>> = (drawn.lines.iter())
                .flat_map(|line| rows(theme, line, width))
                .collect();
            // The end of the page is the end of the list.
            let from = view.from.min(rows.len().saturating_sub(room));
            let more = rows.len().saturating_sub(from + room);
            all.extend(rows.into_iter().skip(from).take(room));
            if more > 0 {
                all.push(Line::styled(format!("{more} more lines below"), quiet));
            }
        }
    }
    all.push(Line::default());
    all.push(asking(theme, "save as", &view.name));
    let (says, style) = match (&view.wrong, view.is_written) {
        (Some(wrong), _) => (wrong.as_str(), theme.style(Role::Ask)),
        (None, true) => ("it is being written", text),
        (None, false) => (view.subject.endings(), quiet),
    };
    all.push(Line::styled(cut(says, width), style));
    all.push(Line::default());
    let mut keys = Pieces::default();
    let enter = if view.replaces {
        "replace it"
    } else {
        "write it"
    };
    add_hints(
        theme,
        &mut keys,
        &[("enter", enter), ("↑ ↓", "lines"), ("esc", "back")],
    );
    all.push(keys.line());
    raised(theme, frame, area, WIDE, all);
}

/// A line of the page, in as many rows as it takes.
fn rows(theme: &Theme, row: &PreviewLine, width: usize) -> Vec<Line<'static>> {
    let role = if row.is_quiet {
        Role::Quiet
    } else {
        Role::Text
    };
    let style = if row.is_title {
        theme.bold(role)
    } else {
        theme.style(role)
    };
    let indent = usize::from(row.is_below || row.class.is_some()) * 2;
    let figures = if row.figure.is_empty() { 0 } else { FIGURE };
    let room = width.saturating_sub(indent + figures);
    let says = wrap(&row.says, room);
    let first = says.first().cloned().unwrap_or_default();
    let mut line = Pieces::default();
    match row.class {
        Some(class) => {
            let glyph = format!("{} ", theme.class_glyph(class));
            line.add(glyph, theme.style(Theme::class_role(class)))
        }
        None => line.add(" ".repeat(indent), style),
    };
    line.add(left(&first, room), style);
    if figures > 0 {
        line.add(right(&row.figure, FIGURE), theme.style(Role::Text));
    }
    let more = says.iter().skip(1);
    let more = more.map(|says| Line::styled(format!("{}{says}", " ".repeat(indent)), style));
    std::iter::once(line.line()).chain(more).collect()
}
