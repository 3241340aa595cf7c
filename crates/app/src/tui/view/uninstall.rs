//! Removing a program: what its package manager would do, the word, the command's own terminal, how it ended.

use jolly_core::format::Printable;
use jolly_core::run::CommandEnd;
use jolly_core::survey::{Uninstall, Unwanted};
use ratatui::Frame;
use ratatui::layout::Rect;
use ratatui::style::Style;
use ratatui::text::{Line, Span};

use crate::tui::draw::{Pieces, cut, left, right, wrap};
use crate::tui::model::{Model, UninstallStage, UninstallView};
use crate::tui::theme::{Role, Theme};
use crate::tui::view::keyline::add_hints;
use crate::tui::view::overlay::asking;
use crate::tui::view::{lines, page};
use crate::wording::{bytes, counted};

/// Columns of a package's name and size.
const NAME: usize = 40;
const SIZE: usize = 12;

pub(super) fn draw(
    model: &Model,
    view: &UninstallView,
    theme: &Theme,
    frame: &mut Frame<'_>,
    area: Rect,
) {
    let [work, message, keys] = page(theme, frame, area);
    let (width, height) = (usize::from(work.width), usize::from(work.height));
    let quiet = theme.style(Role::Quiet);
    let title = match view.unwanted {
        Unwanted::Program(..) => format!(" Remove {}", view.name),
        Unwanted::Unneeded => " Remove what nothing needs".to_owned(),
    };
    let mut rows = vec![Line::styled(cut(&title, width), theme.bold(Role::Straw))];
    let hints: &[(&str, &str)] = match &view.stage {
        UninstallStage::Asking => {
            rows.push(Line::styled(
                " Asking the package manager what it would do …",
                quiet,
            ));
            &[("esc", "back")]
        }
        UninstallStage::Refused(why, advice) => {
            rows.extend(refused(theme, why, advice, width));
            &[("esc", "back")]
        }
        UninstallStage::Shown(would, input, wrong) => {
            rows.extend(told(theme, would, width));
            let room = height.saturating_sub(rows.len() + 4);
            rows.extend(packages(theme, would, width, room));
            rows.push(Line::default());
            let word = Printable(would.word.as_bytes()).to_string();
            let line = asking(theme, &format!(" type {word} to start it"), input);
            rows.push(line);
            if let Some(wrong) = wrong {
                rows.push(Line::styled(format!("   {wrong}"), theme.style(Role::Ask)));
            }
            &[("enter", "start it"), ("esc", "leave it")]
        }
        UninstallStage::Runs(would, screen) => {
            rows.extend(told(theme, would, width));
            rows.extend(terminal(theme, screen.screen(), width));
            &[("", "It runs; every key goes to it, ctrl-c too.")]
        }
        UninstallStage::Over(would, screen, end) => {
            rows.extend(told(theme, would, width));
            rows.extend(terminal(theme, screen.screen(), width));
            let says = how_it_ended(theme, end, width);
            lines(frame, message, vec![Line::default(), says]);
            match end {
                Ok(end) if end.code == Some(0) => &[
                    ("enter", "scan again, and look at what it left"),
                    ("esc", "back"),
                ],
                _ => &[("esc", "back")],
            }
        }
    };
    lines(frame, work, rows);
    if let Some(text) = &model.message {
        let line = Line::styled(format!(" {}", cut(text, width)), theme.style(Role::Straw));
        lines(frame, message, vec![Line::default(), line]);
    }
    let mut line = Pieces::default();
    line.add(" ", quiet);
    add_hints(theme, &mut line, hints);
    lines(frame, keys, vec![line.line()]);
}

fn how_it_ended(theme: &Theme, end: &Result<CommandEnd, String>, width: usize) -> Line<'static> {
    let (says, role) = match end {
        Ok(end) => match end.code {
            Some(0) => ("It ended well".to_owned(), Role::Straw),
            Some(code) => (format!("It ended with {code}"), Role::Ask),
            None => ("A signal ended it".to_owned(), Role::Ask),
        },
        Err(why) => (Printable(why.as_bytes()).to_string(), Role::Ask),
    };
    let log = end.as_ref().ok().map(|end| end.log.display().to_string());
    let log = log.map_or_else(String::new, |log| format!("; what it said is in {log}"));
    let text = Printable(format!("{says}{log}").as_bytes()).to_string();
    Line::styled(cut(&format!(" {text}"), width), theme.style(role))
}

/// Why it can't be done, and what can.
fn refused(theme: &Theme, why: &str, advice: &str, width: usize) -> Vec<Line<'static>> {
    let room = width.saturating_sub(4);
    let why = format!("It can't be done here: {}.", Printable(why.as_bytes()));
    let said = [(why, Role::Ask), (sentence(advice), Role::Text)];
    let wrapped = said.into_iter().flat_map(|(text, role)| {
        let line = |text: String| Line::styled(format!("   {text}"), theme.style(role));
        wrap(&text, room).into_iter().map(line).collect::<Vec<_>>()
    });
    std::iter::once(Line::default()).chain(wrapped).collect()
}

fn sentence(text: &str) -> String {
    let mut letters = text.chars();
    let first = letters.next().map(|it| it.to_uppercase().to_string());
    first.map_or_else(String::new, |first| format!("{first}{}.", letters.as_str()))
}

/// What would be done, in two lines.
fn told(theme: &Theme, would: &Uninstall, width: usize) -> Vec<Line<'static>> {
    let quiet = theme.style(Role::Quiet);
    let many = would.removes.len() as u64;
    let held = would.removes.iter().map(|one| one.bytes);
    let held = held.fold(0, u64::saturating_add);
    let size = if held > 0 {
        format!(", {}", bytes(held))
    } else {
        String::new()
    };
    let says = if would.is_simulated {
        let many = counted(many, "package");
        format!(
            "   by its own simulation that removes {many}{size}; settings and what it wrote stay, and are found afterwards"
        )
    } else {
        format!(
            "   {} can't say beforehand what goes along",
            would.manager.name()
        )
    };
    let mut command = Pieces::default();
    command.add("   command  ", quiet);
    let text = cut(&would.command.to_string(), width.saturating_sub(12));
    command.add(text, theme.style(Role::Text));
    vec![
        command.line(),
        Line::styled(cut(&says, width), quiet),
        Line::default(),
    ]
}

/// What goes along, as far as there is room; programs of their own stand out.
fn packages(theme: &Theme, would: &Uninstall, width: usize, room: usize) -> Vec<Line<'static>> {
    let quiet = theme.style(Role::Quiet);
    let shown = if would.removes.len() > room {
        room.saturating_sub(1)
    } else {
        room
    };
    let mut all: Vec<&_> = would.removes.iter().collect();
    all.sort_by_key(|one| (!one.is_own_program, std::cmp::Reverse(one.bytes)));
    let row = |one: &&jolly_core::survey::RemovedPackage| {
        let mut line = Pieces::default();
        let name = Printable(one.name.as_bytes()).to_string();
        let name = left(&format!("   {}", cut(&name, NAME - 4)), NAME);
        line.add(name, theme.style(Role::Text));
        let size = if one.bytes > 0 {
            bytes(one.bytes)
        } else {
            "–".to_owned()
        };
        line.add(right(&size, SIZE), quiet);
        let is_it = matches!(&would.unwanted, Unwanted::Program(_, id) if *id == one.name);
        if one.is_own_program && !is_it {
            line.add("   a program of its own", theme.style(Role::Ask));
        }
        line.line()
    };
    let mut rows: Vec<Line<'static>> = all.iter().take(shown).map(row).collect();
    let more = all.len().saturating_sub(shown);
    if more > 0 {
        let text = format!("   and {} more", counted(more as u64, "package"));
        rows.push(Line::styled(cut(&text, width), quiet));
    }
    rows
}

/// The terminal of the command.
fn terminal(theme: &Theme, screen: &vt100::Screen, width: usize) -> Vec<Line<'static>> {
    let (rows, columns) = screen.size();
    let faint = theme.style(Role::Faint);
    let rule = || Line::styled(theme.glyphs.rule.repeat(width), faint);
    let cursor = (!screen.hide_cursor()).then(|| screen.cursor_position());
    let line = |row: u16| {
        let mut spans: Vec<Span<'static>> = vec![Span::raw("  ")];
        for column in 0..columns.get() {
            let cell = screen.cell(row, column);
            if cell.is_some_and(vt100::Cell::is_wide_continuation) {
                continue;
            }
            let text = cell.map(vt100::Cell::contents).unwrap_or_default();
            let text = if text.is_empty() { " " } else { text };
            let text = Printable(text.as_bytes()).to_string();
            let is_bold = cell.is_some_and(vt100::Cell::bold);
            let style = match (cursor == Some((row, column)), is_bold) {
                (true, _) => Style::new().reversed(),
                (false, true) => theme.bold(Role::Text),
                (false, false) => theme.style(Role::Text),
            };
            match spans.last_mut().filter(|last| last.style == style) {
                Some(last) => last.content.to_mut().push_str(&text),
                None => spans.push(Span::styled(text, style)),
            }
        }
        Line::from(spans)
    };
    let mut all = vec![rule()];
    all.extend((0..rows.get()).map(line));
    all.push(rule());
    all
}
