//! How this shop starts, beside what is built in.

use jolly_core::decide::PileDecision;
use jolly_core::state::shown_name;
use ratatui::Frame;
use ratatui::layout::Rect;
use ratatui::text::Line;

use crate::session::Session;
use crate::tui::areas::first_row;
use crate::tui::draw::{Pieces, cut, cut_front, left};
use crate::tui::model::{Context, Model, StartsRow, StartsView};
use crate::tui::theme::{Role, Theme};
use crate::tui::view::keyline::{self, hints};
use crate::tui::view::overlay::asking;
use crate::tui::view::{edge, lines, page, raise};

/// Width of what a row speaks of.
const WHAT: usize = 34;
/// Width of how something starts.
const START: usize = 28;

pub(super) fn draw(
    model: &Model,
    view: &StartsView,
    theme: &Theme,
    frame: &mut Frame<'_>,
    area: Rect,
) {
    let [work, message, keys] = page(theme, frame, area);
    let Some(session) = &model.session else {
        return;
    };
    let quiet = theme.style(Role::Quiet);
    let width = usize::from(work.width);
    let mut heading = Pieces::default();
    heading.to(3);
    let said = view.starts.rules.len() + view.starts.classes.len();
    let said = match said {
        0 => "nothing is said yet".to_owned(),
        said => format!("{said} said here"),
    };
    heading.add(left(&said, WHAT), quiet);
    heading.add(left("this shop starts", START), quiet);
    heading.add(left("built in", START), quiet);
    let mut all = vec![
        Line::styled(
            cut(
                " How this shop starts to weigh; what isn't said here starts as its rule recommends",
                width,
            ),
            theme.bold(Role::Straw),
        ),
        heading.line(),
    ];
    let room = usize::from(work.height).saturating_sub(5);
    let first = first_row(view.focus, view.rows.len(), room);
    for (at, row) in view.rows.iter().enumerate().skip(first).take(room) {
        let is_focus = at == view.focus;
        let line = line(theme, session, view, *row, is_focus);
        all.push(if is_focus {
            raise(theme, line, work.width)
        } else {
            line
        });
    }
    all.push(Line::default());
    let file = session.files.starts.as_deref();
    let file = file.map_or_else(|| "no file".to_owned(), shown_name);
    let kept = format!("   kept in {}", cut_front(&file, width.saturating_sub(14)));
    all.push(Line::styled(kept, quiet));
    lines(frame, work, all);
    match &view.asking {
        Some((input, wrong)) => {
            let hint = match wrong {
                Some(wrong) => Line::styled(format!(" {wrong}"), theme.style(Role::Ask)),
                None => Line::styled(" such as 45 days, 6 weeks; empty for any age", quiet),
            };
            lines(
                frame,
                message,
                vec![asking(theme, " older than", input), hint],
            );
            hints(theme, frame, keys, &[("enter", "set"), ("esc", "leave it")]);
        }
        None => keyline::draw(model, Context::Starts, theme, frame, keys),
    }
}

fn line(
    theme: &Theme,
    session: &Session,
    view: &StartsView,
    row: StartsRow,
    is_focus: bool,
) -> Line<'static> {
    let (counts, built_in) = view.counts(session, row);
    let is_said = !view.said(session, row).is_silent();
    let quiet = theme.style(Role::Quiet);
    let mut line = Pieces::default();
    line.add(edge(theme, is_focus), theme.style(Role::Straw));
    match row {
        StartsRow::Class(class) => {
            let text = format!("{} {}", theme.class_glyph(class), class.name());
            let style = theme.bold(Theme::class_role(class));
            line.add(left(&text, WHAT + 2), style);
        }
        StartsRow::Rule(number) => {
            let rule = session.rules.rule(number);
            line.add("  ", quiet);
            line.add(left(&rule.rule.title, WHAT), theme.style(Role::Text));
        }
    }
    let role = if is_said { Role::Straw } else { Role::Text };
    line.add(left(&words(row, counts), START), theme.style(role));
    line.add(left(&words(row, built_in), START), quiet);
    let note = match (row, is_said, counts == built_in) {
        (_, true, _) => "said here",
        (StartsRow::Rule(_), false, false) => "by its class",
        _ => "",
    };
    line.add(note, theme.style(role));
    line.line()
}

fn words(row: StartsRow, start: PileDecision) -> String {
    let taken = if start.is_taken { "taken" } else { "left" };
    match (row, start.limit) {
        (StartsRow::Class(_), None) => taken.to_owned(),
        (StartsRow::Class(_), Some(limit)) => format!("{taken}, at least {limit}"),
        (StartsRow::Rule(_), None) => format!("{taken}, any age"),
        (StartsRow::Rule(_), Some(limit)) => format!("{taken}, older than {limit}"),
    }
}
