//! The weigh station: the ages lens and the card.

pub(super) mod bars;
mod card;
mod inside;

use ratatui::Frame;
use ratatui::layout::Rect;
use ratatui::text::Line;

use jolly_core::decide::PileState;
use jolly_core::pile::Blocked;
use jolly_core::rule::{Class, Removal};
use jolly_core::source::PileId;

use crate::tui::areas::{card_height, first_row, list_room};
use crate::tui::columns::{self, Columns};
use crate::tui::draw::{Pieces, drop_words, left, right};
use crate::tui::model::{ClassSum, Model, Order, Row, Weigh};
use crate::tui::theme::{Role, Theme};
use crate::tui::view::{edge, lines, raise};
use crate::wording::{bytes, count};

pub(super) fn draw(model: &Model, theme: &Theme, frame: &mut Frame<'_>, area: Rect) {
    let Some(weigh) = &model.weigh else { return };
    if let Some(view) = &weigh.inside {
        return inside::draw(theme, weigh, view, frame, area);
    }
    let has_class = !weigh.arranged.order.has_headings();
    let mut columns = Columns::fit(usize::from(area.width), has_class);
    if theme.is_spoken() {
        columns.leave_out_bars();
    }
    let room = list_room(area);
    let first = first_row(weigh.focus, weigh.rows.len(), room);
    let mut all = vec![columns.heading(theme)];
    for (at, row) in weigh.rows.iter().enumerate().skip(first).take(room) {
        let is_focus = at == weigh.focus;
        let line = match row {
            Row::Gap => Line::default(),
            Row::Heading(class) => heading(theme, weigh, *class, &columns, is_focus),
            Row::Small(class) => small(theme, weigh, *class, &columns, is_focus),
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
    let below = weigh.rows.len().saturating_sub(first + room);
    with_card(theme, frame, area, (all, below), |frame, card| {
        card::draw(theme, weigh, frame, card);
    });
}

/// Draws a list, how many rows of it stand below, and right below that its card.
fn with_card(
    theme: &Theme,
    frame: &mut Frame<'_>,
    area: Rect,
    (mut list, below): (Vec<Line<'_>>, usize),
    card: impl FnOnce(&mut Frame<'_>, Rect),
) {
    let more = match below {
        0 => String::new(),
        below => format!("   {} more below", count(below as u64)),
    };
    list.push(Line::styled(more, theme.style(Role::Quiet)));
    let used = u16::try_from(list.len())
        .unwrap_or(area.height)
        .min(area.height - card_height(area));
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
    let is_folded = weigh.arranged.folded.contains(&class);
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
    figures(theme, &mut line, &sum, columns, role);
    if columns.has_files {
        line.add(" ".repeat(columns::FILES), theme.style(Role::Quiet));
    }
    let whole = weigh.decisions.takes_in_all().bytes;
    if columns.share > 0 && sum.takes.bytes > 0 {
        let share = format!(" {}", percent(sum.takes.bytes, whole));
        line.add(share, theme.style(role));
    }
    line.line()
}

/// A part of a whole in words: "38 %".
fn percent(part: u64, whole: u64) -> String {
    let hundredths = u128::from(part) * 100 / u128::from(whole.max(1));
    match hundredths {
        0 => "< 1 %".to_owned(),
        hundredths => format!("{hundredths} %"),
    }
}

/// What several piles take, and of how much.
fn figures(theme: &Theme, line: &mut Pieces<'_>, sum: &ClassSum, columns: &Columns, role: Role) {
    let takes = if sum.takes.items == 0 {
        theme.glyphs.none.to_owned()
    } else {
        theme.size(sum.takes.bytes, sum.takes_estimates())
    };
    line.add(right(&takes, columns::SIZE), theme.style(role));
    if columns.has_found {
        let found = theme.size(sum.found.bytes, sum.finds_estimates());
        line.add(right(&found, columns::SIZE), theme.style(Role::Quiet));
    }
}

/// The small piles of a class, as one row.
fn small(
    theme: &Theme,
    weigh: &Weigh,
    class: Class,
    columns: &Columns,
    is_focus: bool,
) -> Line<'static> {
    let sum = weigh.small_sums.get(&class).copied().unwrap_or_default();
    let is_open = weigh.arranged.opened.contains(&class);
    let sign = if is_open {
        theme.glyphs.open
    } else {
        theme.glyphs.closed
    };
    let state = theme.state_glyph(sum.state());
    let mut line = Pieces::default();
    line.add(edge(theme, is_focus), theme.style(Role::Straw));
    line.add(format!("{state} "), theme.style(Theme::class_role(class)));
    let words = format!("{sign} {}", weigh.small_words(class));
    line.add(
        left(&words, columns.title + columns::ACCOUNT),
        theme.style(Role::Quiet),
    );
    bars::class(theme, &mut line, &sum, class, columns);
    line.to(columns.takes_at());
    figures(theme, &mut line, &sum, columns, Role::Text);
    if columns.has_files {
        let items = right(&count(sum.found.items), columns::FILES);
        line.add(items, theme.style(Role::Quiet));
    }
    share(theme, &mut line, (weigh, class), sum.takes.bytes, columns);
    if sum.blocked() > 0 {
        note(theme, &mut line, "locked", columns);
    }
    line.line()
}

/// The share of what is taken, as a bar.
fn share(
    theme: &Theme,
    line: &mut Pieces<'_>,
    (weigh, class): (&Weigh, Class),
    bytes: u64,
    columns: &Columns,
) {
    if columns.share == 0 {
        return;
    }
    let bar = bars::share(theme, bytes, weigh.most_taken, columns.share - 1);
    line.add(" ", theme.style(Role::Quiet));
    line.add(
        left(&bar, columns.share - 1),
        theme.style(Theme::class_role(class)),
    );
}

/// What has to be known of a row, at its end.
fn note(theme: &Theme, line: &mut Pieces<'_>, words: &str, columns: &Columns) {
    line.to(columns.share_at() + columns.share);
    line.add(format!(" {words}"), theme.style(Role::Straw));
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
    if columns.has_class {
        let sign = format!("{} ", theme.class_glyph(rule.class));
        line.add(sign, theme.style(role));
    }
    let title = drop_words(&rule.title, columns.title);
    line.add(left(&title, columns.title), theme.style(Role::Text));
    let account = scan.account_name(pile).unwrap_or("system");
    let account = left(account, columns::ACCOUNT - 1);
    // A title may fill its column.
    line.add(format!(" {account}"), theme.style(Role::Quiet));
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
    let found = pile.found();
    let held = theme.size(found.bytes, is_estimated);
    let (takes_words, takes_role) = if goes && takes.items > 0 {
        (theme.size(takes.bytes, is_estimated), Role::Text)
    } else if columns.has_found {
        (theme.glyphs.none.to_owned(), Role::Text)
    } else {
        // Nowhere else would be said what a pile that stays holds.
        (format!("({held})"), Role::Quiet)
    };
    line.add(right(&takes_words, columns::SIZE), theme.style(takes_role));
    if columns.has_found {
        line.add(right(&held, columns::SIZE), theme.style(Role::Quiet));
    }
    if columns.has_files {
        line.add(
            right(&count(found.items), columns::FILES),
            theme.style(Role::Quiet),
        );
    }
    share(theme, &mut line, (weigh, rule.class), takes.bytes, columns);
    if let Some(words) = note_of(weigh, id, goes, columns) {
        note(theme, &mut line, &words, columns);
    }
    line.line()
}

/// What has to be known of a pile beside its figures, the gravest first: that it can't be taken, that
/// some of it is spared, that it goes another way than its rule says, that a program holds some of it.
fn note_of(weigh: &Weigh, id: PileId, goes: bool, columns: &Columns) -> Option<String> {
    let (scan, decisions) = (&weigh.scan, &weigh.decisions);
    let pile = scan.pile(id);
    let weekly = weigh.arranged.weekly.get(&id);
    if let Some(weekly) = weekly.filter(|_| weigh.arranged.order == Order::Regrowth) {
        // In this order the note is what a week brings.
        return Some(format!("+{}", bytes(*weekly).replace(' ', "")));
    }
    match pile.blocked {
        None => {}
        Some(Blocked::OnlySeen(_)) => return Some("only seen".to_owned()),
        Some(Blocked::NeedsAdministrator | Blocked::Busy(_)) => return Some("locked".to_owned()),
    }
    let spared = decisions.spared_count(scan, id);
    if spared > 0 {
        let words = format!("{} spared", count(spared));
        let fits = columns.fits_note(&words);
        return Some(if fits { words } else { "spared".to_owned() });
    }
    let by = decisions.of(id).by;
    let is_own = by == scan.rules.rule(pile.rule).rule.removal();
    let way = match by {
        Removal::SetAside => "aside",
        Removal::Remove => "for good",
        Removal::Overwrite => "over",
        Removal::Clone => "cloned",
        Removal::HardLink => "linked",
        Removal::Pack | Removal::Unpack => "packed",
    };
    if goes && !is_own && columns.fits_note(way) {
        return Some(way.to_owned());
    }
    let users = weigh.users.as_ref()?;
    let is_held = goes && users.piles.contains_key(&id);
    is_held.then(|| "in use".to_owned())
}
