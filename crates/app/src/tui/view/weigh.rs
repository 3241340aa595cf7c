//! The weigh station: the ages lens and the card.

mod bars;
mod card;
mod inside;

use ratatui::Frame;
use ratatui::layout::Rect;
use ratatui::text::Line;

use jolly_core::decide::PileState;
use jolly_core::rule::Class;
use jolly_core::source::PileId;

use crate::tui::areas::{CARD, first_row, list_room};
use crate::tui::columns::{self, Columns};
use crate::tui::draw::{Pieces, left, right};
use crate::tui::model::{Model, Row, Weigh};
use crate::tui::theme::{Role, Theme};
use crate::tui::view::{edge, lines, raise};
use crate::wording::count;

pub(super) fn draw(model: &Model, theme: &Theme, frame: &mut Frame<'_>, area: Rect) {
    let Some(weigh) = &model.weigh else { return };
    if let Some(view) = &weigh.inside {
        return inside::draw(theme, weigh, view, frame, area);
    }
    let columns = Columns::fit(usize::from(area.width));
    let room = list_room(area);
    let first = first_row(weigh.focus, weigh.rows.len(), room);
    let mut all = vec![columns.heading(theme)];
    for (at, row) in weigh.rows.iter().enumerate().skip(first).take(room) {
        let is_focus = at == weigh.focus;
        let line = match row {
            Row::Gap => Line::default(),
            Row::Heading(class) => heading(theme, weigh, *class, &columns, is_focus),
            Row::Pile(id) => pile(theme, weigh, *id, &columns, is_focus),
        };
        all.push(if is_focus {
            raise(theme, line, area.width)
        } else {
            line
        });
    }
    if weigh.rows.is_empty() {
        let text =
            "   Nothing has piled up where the rules look. Piles of old files would be here.";
        all.push(Line::styled(text, theme.style(Role::Quiet)));
    }
    with_card(frame, area, all, |frame, card| {
        card::draw(theme, weigh, frame, card);
    });
}

/// Draws a list and, right below it, its card.
fn with_card(
    frame: &mut Frame<'_>,
    area: Rect,
    mut list: Vec<Line<'_>>,
    card: impl FnOnce(&mut Frame<'_>, Rect),
) {
    list.push(Line::default());
    let used = u16::try_from(list.len())
        .unwrap_or(area.height)
        .min(area.height - CARD);
    let height = used;
    lines(frame, Rect { height, ..area }, list);
    let below = Rect {
        y: area.y + used,
        height: area.height - used,
        ..area
    };
    card(frame, below);
}

fn heading(
    theme: &Theme,
    weigh: &Weigh,
    class: Class,
    columns: &Columns,
    is_focus: bool,
) -> Line<'static> {
    let role = Theme::class_role(class);
    let sum = weigh.classes.get(&class).copied().unwrap_or_default();
    let is_folded = weigh.folded.contains(&class);
    let mut line = Pieces::default();
    line.add(edge(theme, is_focus), theme.style(Role::Straw));
    line.add(
        format!("{} {}", theme.class_glyph(class), title(class)),
        theme.bold(role),
    );
    if is_folded {
        let room = columns.bands_at().saturating_sub(line.width());
        let words = left(&format!("  folded {}", theme.glyphs.dot), room);
        line.add(words, theme.style(Role::Quiet));
        bars::class(theme, &mut line, &sum, class, columns);
    } else {
        line.add(format!("  {}", class.meaning()), theme.style(Role::Quiet));
    }
    line.to(columns.takes_at());
    let takes = if sum.takes.items == 0 {
        theme.glyphs.none.to_owned()
    } else {
        theme.size(sum.takes.bytes, sum.takes_estimates())
    };
    line.add(right(&takes, columns::SIZE), theme.style(role));
    if columns.has_found {
        line.add(
            right(
                &theme.size(sum.found.bytes, sum.finds_estimates()),
                columns::SIZE,
            ),
            theme.style(Role::Quiet),
        );
    }
    line.line()
}

/// A class's word as a heading.
fn title(class: Class) -> &'static str {
    match class {
        Class::Spent => "Spent",
        Class::Regrows => "Regrows",
        Class::Felt => "Felt",
        Class::Ask => "Ask",
    }
}

fn pile(
    theme: &Theme,
    weigh: &Weigh,
    id: PileId,
    columns: &Columns,
    is_focus: bool,
) -> Line<'static> {
    let (scan, decisions) = (&weigh.scan, &weigh.decisions);
    let pile = scan.pile(id);
    let rule = &scan.rules.rule(pile.rule).rule;
    let role = Theme::class_role(rule.class);
    let state = decisions.state(scan, id);
    let goes = matches!(state, PileState::Taken | PileState::Part);
    let mut line = Pieces::default();
    line.add(edge(theme, is_focus), theme.style(Role::Straw));
    line.add(format!("{} ", theme.state_glyph(state)), theme.style(role));
    line.add(left(&rule.title, columns.title), theme.style(Role::Text));
    if columns.has_account {
        let account = scan.account_name(pile).unwrap_or("system");
        line.add(left(account, columns::ACCOUNT), theme.style(Role::Quiet));
    }
    bars::pile(theme, &mut line, weigh, id, columns);
    let limit = decisions.of(id).limit;
    let limit = limit.map_or_else(|| "any age".to_owned(), |limit| limit.to_string());
    let limit_role = if goes { Role::Text } else { Role::Quiet };
    line.add(
        format!(" {}", left(&limit, columns::LIMIT - 1)),
        theme.style(limit_role),
    );
    let is_estimated = scan.is_estimated(id);
    let takes = decisions.takes(id);
    let none = theme.glyphs.none.to_owned();
    let takes = if goes && takes.items > 0 {
        theme.size(takes.bytes, is_estimated)
    } else {
        none
    };
    line.add(right(&takes, columns::SIZE), theme.style(Role::Text));
    let found = pile.found();
    if columns.has_found {
        line.add(
            right(&theme.size(found.bytes, is_estimated), columns::SIZE),
            theme.style(Role::Quiet),
        );
    }
    if columns.has_files {
        line.add(
            right(&count(found.items), columns::FILES),
            theme.style(Role::Quiet),
        );
    }
    let spared = decisions.spared_count(scan, id);
    let note = match (&pile.blocked, spared) {
        (Some(_), _) => "locked".to_owned(),
        (None, 0) => String::new(),
        (None, spared) if columns.has_files => format!("{} spared", count(spared)),
        (None, _) => "spared".to_owned(),
    };
    line.add(format!("  {note}"), theme.style(Role::Straw));
    line.line()
}
