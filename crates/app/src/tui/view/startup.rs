//! What starts by itself: each with its program, and the one in focus told in full.

use jolly_core::decide::PileState;
use ratatui::Frame;
use ratatui::layout::{Constraint, Layout, Rect};
use ratatui::text::Line;

use crate::startup::StartRow;
use crate::tui::areas::first_row;
use crate::tui::draw::{Pieces, cut, left, right, wrap};
use crate::tui::model::{Context, Model, StartupView};
use crate::tui::theme::{Role, Theme};
use crate::tui::view::{edge, keyline, lines, page, raise};
use crate::wording::{age, bytes, date};

/// Rows of the card.
const CARD: u16 = 8;

/// Columns of a row: account, source, size; the name takes the rest.
const ACCOUNT: usize = 11;
const SOURCE: usize = 16;
const SIZE: usize = 11;

/// How wide a name is: narrow terminals leave room for what is said of it.
fn name_width(width: usize) -> usize {
    const WIDE: usize = 30;
    const NARROW: usize = 19;
    if width < 100 { NARROW } else { WIDE }
}

pub(super) fn draw(
    model: &Model,
    view: &StartupView,
    theme: &Theme,
    frame: &mut Frame<'_>,
    area: Rect,
) {
    let [work, message, keys] = page(theme, frame, area);
    let [list, card] = Layout::vertical([Constraint::Min(4), Constraint::Length(CARD)]).areas(work);
    lines(frame, list, rows(theme, view, list));
    if let Some(row) = view.focused() {
        let width = usize::from(card.width).saturating_sub(1);
        lines(frame, card, told(theme, row, width));
    }
    let width = usize::from(area.width).saturating_sub(2);
    let said = model.message.as_deref().map(|text| (text, Role::Straw));
    let unread = view.unread.first().map(|text| (text.as_str(), Role::Ask));
    let line = said
        .or(unread)
        .map(|(text, role)| Line::styled(format!(" {}", cut(text, width)), theme.style(role)));
    lines(frame, message, line.into_iter().collect());
    keyline::draw(model, Context::Startup, theme, frame, keys);
}

fn rows(theme: &Theme, view: &StartupView, area: Rect) -> Vec<Line<'static>> {
    let quiet = theme.style(Role::Quiet);
    let mut title = Pieces::default();
    title.add(" What starts by itself", theme.bold(Role::Straw));
    let (on, off) = view.counts();
    if view.rows.is_some() {
        let off = match off {
            0 => String::new(),
            off => format!(", {off} turned off here"),
        };
        title.add(format!("   {on} on{off}"), quiet);
    }
    let mut heading = Pieces::default();
    heading.add(left("     account", ACCOUNT + 5), quiet);
    heading.add(left("name", name_width(area.width.into())), quiet);
    heading.add(left("by", SOURCE), quiet);
    heading.add(right("program", SIZE), quiet);
    let mut all = vec![title.line(), heading.line()];
    let rows = view.rows.as_deref().unwrap_or_default();
    match &view.rows {
        None => all.push(Line::styled("   Looking…", quiet)),
        Some(rows) if rows.is_empty() => {
            all.push(Line::styled("   Nothing starts by itself here.", quiet));
        }
        Some(_) => {}
    }
    let room = usize::from(area.height).saturating_sub(all.len() + 1);
    let first = first_row(view.focus, rows.len(), room);
    for (at, row) in rows.iter().enumerate().skip(first).take(room) {
        let is_focus = at == view.focus;
        let line = row_line(theme, row, is_focus, usize::from(area.width));
        all.push(if is_focus {
            raise(theme, line, area.width)
        } else {
            line
        });
    }
    all
}

/// The mark of an entry: on, off, or not to be switched.
fn mark(theme: &Theme, row: &StartRow) -> &'static str {
    theme.state_glyph(match (row.stays.is_some(), row.is_on) {
        (true, _) => PileState::Blocked,
        (false, true) => PileState::Taken,
        (false, false) => PileState::Left,
    })
}

fn row_line(theme: &Theme, row: &StartRow, is_focus: bool, width: usize) -> Line<'static> {
    let (quiet, text) = (theme.style(Role::Quiet), theme.style(Role::Text));
    let style = if row.is_on && row.stays.is_none() {
        text
    } else {
        quiet
    };
    let mut line = Pieces::default();
    line.add(edge(theme, is_focus), theme.style(Role::Straw));
    line.add(format!(" {}  ", mark(theme, row)), style);
    let whose = row.account.as_deref().unwrap_or("system");
    line.add(left(whose, ACCOUNT), quiet);
    line.add(left(&row.name, name_width(width)), style);
    line.add(left(&row.source.replace('-', " "), SOURCE), quiet);
    let size = match row.bytes {
        0 => String::new(),
        held => bytes(held),
    };
    line.add(right(&size, SIZE), quiet);
    let (note, role) = match (row.is_gone, row.off_since, row.stays) {
        (true, ..) => ("its program is gone".to_owned(), Role::Ask),
        (_, Some(when), _) => (format!("off since {}", date(when.as_second())), Role::Straw),
        (_, None, Some(why)) if row.is_on => (why.to_owned(), Role::Quiet),
        (_, None, Some(why)) => (format!("off; {why}"), Role::Quiet),
        (_, None, None) if !row.is_on => ("off".to_owned(), Role::Quiet),
        _ => (String::new(), Role::Quiet),
    };
    let room = width.saturating_sub(line.width() + 3);
    line.add(format!("  {}", cut(&note, room)), theme.style(role));
    line.line()
}

/// How it is turned off, in words.
fn how(row: &StartRow) -> String {
    if let Some(why) = row.stays {
        return format!("stays: {why}");
    }
    let when = match row.when {
        "at boot" => "start",
        _ => "sign-in",
    };
    format!("{}; it counts from the next {when}", row.how)
}

fn told(theme: &Theme, row: &StartRow, width: usize) -> Vec<Line<'static>> {
    let (quiet, text) = (theme.style(Role::Quiet), theme.style(Role::Text));
    let mut all = vec![Line::styled(
        theme.glyphs.rule.repeat(width),
        theme.style(Role::Faint),
    )];
    let mut first = Pieces::default();
    first.add(format!(" {}", row.name), theme.bold(Role::Text));
    if let Some(says) = &row.says {
        first.add(format!("   {}", cut(says, width / 2)), quiet);
    }
    all.push(first.line());
    let mut fact = |about: &str, says: &str| {
        for (at, part) in wrap(says, width.saturating_sub(12))
            .into_iter()
            .enumerate()
            .take(2)
        {
            let mut line = Pieces::default();
            line.add(
                format!(" {}", left(if at == 0 { about } else { "" }, 10)),
                quiet,
            );
            line.add(part, text);
            all.push(line.line());
        }
    };
    let gone = if row.is_gone {
        "  (not there any more)"
    } else {
        ""
    };
    let when = if row.when.is_empty() {
        String::new()
    } else {
        format!("{}: ", row.when)
    };
    fact("starts", &format!("{when}{}{gone}", row.command));
    if let Some(made_by) = &row.made_by {
        fact("made by", made_by);
    }
    if let Some(runs) = row.running {
        let memory = bytes(runs.memory);
        let many = match runs.processes {
            1 => "1 process".to_owned(),
            many => format!("{many} processes"),
        };
        let used = age(runs.seconds);
        fact(
            "runs now",
            &format!("{many}, {memory} of memory, {used} of processor time"),
        );
    }
    let changed = row
        .changed
        .map_or_else(String::new, |at| format!(", changed {}", date(at)));
    if !row.file.is_empty() {
        fact("said in", &format!("{}{changed}", row.file));
    }
    fact("off", &how(row));
    all
}
