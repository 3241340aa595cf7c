//! What stands before a station: all keys, and one-line questions.

use ratatui::Frame;
use ratatui::layout::{Constraint, Rect};
use ratatui::style::Style;
use ratatui::text::Line;
use ratatui::widgets::{Block, Clear, Padding, Paragraph};
use tui_input::Input;

use crate::tui::areas::help_room;
use crate::tui::draw::{Pieces, cut, cut_line, left};
use crate::tui::keys;
use crate::tui::model::{Context, Model, Overlay, Station};
use crate::tui::theme::{Role, Theme};

/// Draws a question of one line.
pub(super) fn draw(
    model: &Model,
    overlay: &Overlay,
    theme: &Theme,
    frame: &mut Frame<'_>,
    area: Rect,
) {
    match overlay {
        // The others draw themselves.
        Overlay::Rulebooks(_)
        | Overlay::Exclude(_)
        | Overlay::Exclusions(_)
        | Overlay::Sites(_)
        | Overlay::Programs(_)
        | Overlay::Space(_)
        | Overlay::Copies(_)
        | Overlay::Uninstall(_)
        | Overlay::Belongs(_)
        | Overlay::Decided(_)
        | Overlay::Dustpan(_)
        | Overlay::Runs(_)
        | Overlay::Startup(_)
        | Overlay::Starts(_)
        | Overlay::Place(_)
        | Overlay::Export(_)
        | Overlay::Packing(_)
        | Overlay::Wipe(_)
        | Overlay::Languages(_)
        | Overlay::Pieces(_)
        | Overlay::Upkeep(_)
        | Overlay::Help(..) => {}
        Overlay::ExactAge(input, wrong) => {
            let hint = wrong.clone().unwrap_or_else(|| {
                "such as 45 days, 6 weeks, 2 years; empty for any age".to_owned()
            });
            let role = if wrong.is_some() {
                Role::Ask
            } else {
                Role::Quiet
            };
            question(theme, frame, area, ("older than", input), (&hint, role));
        }
        Overlay::Save(input, wrong) => {
            let hint = "a new file; `jolly-broom sweep --plan` carries out exactly this list";
            let (hint, role) = match wrong {
                Some(wrong) => (wrong.as_str(), Role::Ask),
                None => (hint, Role::Quiet),
            };
            question(theme, frame, area, ("save as", input), (hint, role));
        }
        Overlay::Open(input, folders) => {
            folder_question(theme, frame, area, input, folders);
        }
        Overlay::Find(input, behind) => {
            let hint = match (behind, model.station_context()) {
                (Some(_), _) => "words of a row; n goes on to the next one",
                (None, Context::Inside) => "part of a name; n goes on to the next one",
                (None, Context::Check) => {
                    "words of a path, title, account or class; empty shows all again"
                }
                (None, _) => "words of a title, account or rule; n goes on to the next one",
            };
            question(theme, frame, area, ("find", input), (hint, Role::Quiet));
        }
    }
}

/// How many folders a completion shows.
const OFFERED: usize = 8;

fn folder_question(
    theme: &Theme,
    frame: &mut Frame<'_>,
    area: Rect,
    input: &Input,
    folders: &[String],
) {
    let mut lines = vec![asking(theme, "open", input)];
    if folders.is_empty() {
        let hint = "the folder where a disk is mounted; tab completes";
        lines.push(Line::styled(hint, theme.style(Role::Quiet)));
    }
    for folder in folders.iter().take(OFFERED) {
        let name = jolly_core::format::Printable(folder.as_bytes()).to_string();
        lines.push(Line::styled(
            format!("     {}", cut(&name, 64)),
            theme.style(Role::Text),
        ));
    }
    if folders.len() > OFFERED {
        let more = format!("     and {} more", folders.len() - OFFERED);
        lines.push(Line::styled(more, theme.style(Role::Quiet)));
    }
    raised(theme, frame, area, 76, lines);
}

/// Columns of the keys.
const LABEL: usize = 14;

/// All keys that count there.
pub(super) fn help(
    context: Context,
    from: usize,
    theme: &Theme,
    frame: &mut Frame<'_>,
    area: Rect,
) {
    let title = format!("Keys at {}", context.name());
    let hint = context.station().map_or("", Station::hint);
    let mut lines = vec![
        Line::styled(title, theme.bold(Role::Straw)),
        Line::styled(hint, theme.style(Role::Quiet)),
        Line::default(),
    ];
    let room = help_room(area.height);
    let rows = keys::at(context);
    for row in rows.skip(from).take(room) {
        let mut line = Pieces::default();
        line.add(
            left(&theme.keys(row.label), LABEL),
            theme.style(Role::Straw),
        );
        line.add(row.says, theme.style(Role::Text));
        lines.push(line.line());
    }
    lines.push(Line::default());
    let words = if keys::help_rows(context) > room {
        "↑ ↓ show more; any other key closes this."
    } else {
        "Any key closes this."
    };
    lines.push(Line::styled(theme.keys(words), theme.style(Role::Quiet)));
    raised(theme, frame, area, 98, lines);
}

/// One line to type in, with a word before it and a hint below.
fn question(
    theme: &Theme,
    frame: &mut Frame<'_>,
    area: Rect,
    (asks, input): (&str, &Input),
    (hint, role): (&str, Role),
) {
    let line = asking(theme, asks, input);
    let hint = Line::styled(hint.to_owned(), theme.style(role));
    raised(theme, frame, area, 76, vec![line, hint]);
}

/// A line that is typed, with a word before it and the cursor in it.
pub(super) fn asking(theme: &Theme, asks: &str, input: &Input) -> Line<'static> {
    let mut line = Pieces::default();
    line.add(format!("{asks} "), theme.style(Role::Straw));
    let before: String = input.value().chars().take(input.cursor()).collect();
    let after: String = input.value().chars().skip(input.cursor() + 1).collect();
    let under = input.value().chars().nth(input.cursor()).unwrap_or(' ');
    line.add(before, theme.style(Role::Text));
    let cursor = Style::new().add_modifier(ratatui::style::Modifier::REVERSED);
    line.add(under.to_string(), cursor);
    line.add(after, theme.style(Role::Text));
    line.line()
}

/// Lines on a raised patch in the middle.
pub(super) fn raised(
    theme: &Theme,
    frame: &mut Frame<'_>,
    area: Rect,
    width: u16,
    mut lines: Vec<Line<'_>>,
) {
    let height = u16::try_from(lines.len())
        .unwrap_or(u16::MAX)
        .saturating_add(2);
    // Where hardly anything would be seen beside it, nothing is.
    let width = if area.width < width.saturating_add(8) {
        area.width
    } else {
        width
    };
    let patch = area.centered(
        Constraint::Length(width),
        Constraint::Length(height.min(area.height)),
    );
    frame.render_widget(Clear, patch);
    for line in &mut lines {
        cut_line(line, usize::from(patch.width.saturating_sub(6)));
    }
    let block = Block::new()
        .style(theme.ground().patch(theme.raised()))
        .padding(Padding::new(3, 3, 1, 1));
    frame.render_widget(Paragraph::new(lines).block(block), patch);
}
