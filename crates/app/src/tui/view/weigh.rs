//! The weigh station: the ages lens and the card.

mod card;
mod columns;

use ratatui::Frame;
use ratatui::layout::Rect;
use ratatui::text::Line;

use jolly_core::decide::PileState;
use jolly_core::rulebook::{BAND_COUNT, BAND_EDGES, Class};
use jolly_core::scan::{PileId, Sum};

use crate::tui::draw::{Pieces, left, right};
use crate::tui::model::{Model, Row, Weigh};
use crate::tui::theme::{Role, Theme};
use crate::tui::view::lines;
use crate::wording::{bytes, count};
use columns::Columns;

/// Lines of the card below the list, the rule line included.
const CARD: u16 = 5;

pub(super) fn draw(model: &Model, theme: &Theme, frame: &mut Frame<'_>, area: Rect) {
    let Some(weigh) = &model.weigh else { return };
    let columns = Columns::fit(usize::from(area.width));
    let room = usize::from(area.height.saturating_sub(CARD + 2));
    // Headings and gaps around the focus stay in sight.
    let first = (weigh.focus + 2)
        .saturating_sub(room)
        .min(weigh.rows.len().saturating_sub(room));
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
    all.push(Line::default());
    let used = u16::try_from(all.len())
        .unwrap_or(area.height)
        .min(area.height - CARD);
    lines(
        frame,
        Rect {
            height: used,
            ..area
        },
        all,
    );
    let card = Rect {
        y: area.y + used,
        height: area.height - used,
        ..area
    };
    card::draw(theme, weigh, frame, card);
}

/// The whole row in focus stands out, to the edge.
fn raise<'a>(theme: &Theme, mut line: Line<'a>, width: u16) -> Line<'a> {
    let missing = usize::from(width).saturating_sub(line.width());
    line.spans.push(" ".repeat(missing).into());
    for span in &mut line.spans {
        span.style = theme.raised().patch(span.style);
    }
    line
}

fn edge(theme: &Theme, is_focus: bool) -> &'static str {
    if is_focus { theme.glyphs.focus } else { " " }
}

fn heading(
    theme: &Theme,
    weigh: &Weigh,
    class: Class,
    columns: &Columns,
    is_focus: bool,
) -> Line<'static> {
    let role = Theme::class_role(class);
    let (mut takes, mut found) = (Sum::default(), Sum::default());
    for id in weigh.decisions.shown(&weigh.scan) {
        let pile = weigh.scan.pile(id);
        if weigh.scan.rules.rule(pile.rule).rule.class == class {
            takes.add(weigh.decisions.takes(id));
            found.add(pile.found());
        }
    }
    let mut line = Pieces::default();
    line.add(edge(theme, is_focus), theme.style(Role::Straw));
    line.add(
        format!("{} {}", theme.class_glyph(class), title(class)),
        theme.bold(role),
    );
    line.add(format!("  {}", class.meaning()), theme.style(Role::Quiet));
    line.to(columns.takes_at());
    let takes = if takes.items == 0 {
        theme.glyphs.none.to_owned()
    } else {
        bytes(takes.bytes)
    };
    line.add(right(&takes, columns::SIZE), theme.style(role));
    if columns.has_found {
        line.add(
            right(&bytes(found.bytes), columns::SIZE),
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
    bars(theme, &mut line, weigh, id, columns);
    let limit = decisions.of(id).limit;
    let limit = limit.map_or_else(|| "any age".to_owned(), |limit| limit.to_string());
    let limit_role = if goes { Role::Text } else { Role::Quiet };
    line.add(
        format!(" {}", left(&limit, columns::LIMIT - 1)),
        theme.style(limit_role),
    );
    let takes = decisions.takes(id);
    let none = theme.glyphs.none.to_owned();
    let takes = if goes && takes.items > 0 {
        bytes(takes.bytes)
    } else {
        none
    };
    line.add(right(&takes, columns::SIZE), theme.style(Role::Text));
    let found = pile.found();
    if columns.has_found {
        line.add(
            right(&bytes(found.bytes), columns::SIZE),
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
        (None, spared) if columns.has_files => format!("{} spared", count(spared as u64)),
        (None, _) => "spared".to_owned(),
    };
    line.add(format!("  {note}"), theme.style(Role::Straw));
    line.line()
}

/// The age bars with the cut line.
fn bars(theme: &Theme, line: &mut Pieces<'_>, weigh: &Weigh, id: PileId, columns: &Columns) {
    let pile = weigh.scan.pile(id);
    let class = weigh.scan.rules.rule(pile.rule).rule.class;
    let goes = matches!(
        weigh.decisions.state(&weigh.scan, id),
        PileState::Taken | PileState::Part
    );
    let limit = weigh
        .decisions
        .of(id)
        .limit
        .map_or(0, jolly_core::rulebook::AgeLimit::as_seconds);
    let most = pile.bands.iter().copied().max().unwrap_or(0);
    // The line of a pile that is left is about nothing yet.
    let cut = theme.style(if goes { Role::Straw } else { Role::Faint });
    for band in columns.first_band..BAND_COUNT {
        let (young, old) = edges(band);
        let has_cut_before = limit == young && limit > 0;
        let gap = if has_cut_before {
            theme.glyphs.cut
        } else {
            " "
        };
        line.add(gap, cut);
        let held = pile.bands.get(band).copied().unwrap_or(0);
        let glyph = bar(theme, held, most);
        // How many of the three cells are left of the cut line.
        let kept = match (goes, limit) {
            (false, _) => 3,
            (true, limit) if limit <= young => 0,
            (true, limit) if limit >= old => 3,
            (true, limit) => usize::try_from((limit - young) * 3 / (old - young)).unwrap_or(3),
        };
        let kept_role = if held == 0 { Role::Faint } else { Role::Kept };
        let goes_role = if held == 0 {
            Role::Faint
        } else {
            Theme::class_role(class)
        };
        let is_inside = limit > young && limit < old;
        for cell in 0..3 {
            if is_inside
                && cell == usize::try_from((limit - young) * 3 / (old - young)).unwrap_or(0)
            {
                line.add(theme.glyphs.cut, cut);
            } else {
                let role = if cell < kept { kept_role } else { goes_role };
                line.add(one(glyph, cell), theme.style(role));
            }
        }
    }
}

/// The young and the old edge of a band; the last one ends as far again as it began.
fn edges(band: usize) -> (u64, u64) {
    let young = BAND_EDGES.get(band).copied().unwrap_or(0);
    (
        young,
        BAND_EDGES.get(band + 1).copied().unwrap_or(young * 2),
    )
}

/// Three cells of a bar, or what stands for an empty band.
fn bar(theme: &Theme, held: u64, most: u64) -> &'static str {
    if held == 0 || most == 0 {
        return theme.glyphs.empty_band;
    }
    let height = (u128::from(held) * 8)
        .div_ceil(u128::from(most))
        .clamp(1, 8);
    let at = usize::try_from(height).unwrap_or(8) - 1;
    theme.glyphs.bars.get(at).copied().unwrap_or(" ")
}

/// One cell of a bar: the sign itself, or that cell of a sign that is three cells wide.
fn one(glyph: &'static str, cell: usize) -> String {
    let mut letters = glyph.chars();
    let first = letters.next().unwrap_or(' ');
    glyph.chars().nth(cell).unwrap_or(first).to_string()
}
