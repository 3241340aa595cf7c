//! The rules in force, one by one: what each says, where it looks, what it found.

use jolly_core::rule::{CompiledRule, Example, Section};
use ratatui::Frame;
use ratatui::layout::{Constraint, Layout, Rect};
use ratatui::text::Line;

use crate::tui::draw::{Pieces, cut, left, right, wrap};
use crate::tui::model::{Context, Model, RuleRow, Rulebooks};
use crate::tui::theme::{Role, Theme};
use crate::tui::view::keyline::{self, hints};
use crate::tui::view::overlay::asking;
use crate::tui::view::{lines, page};
use crate::wording::{bytes, count, counted};

/// Columns of what a line of the card is about.
const ABOUT: usize = 12;

/// What the view is, and how many rules there are.
fn title(theme: &Theme, view: &Rulebooks) -> Line<'static> {
    let mut line = Pieces::default();
    line.add(" Rules: what they look for", theme.bold(Role::Straw));
    let off = view.rows.iter().filter(|row| row.is_off).count();
    let words = match off {
        0 => format!("   {} in force", view.rows.len()),
        off => format!("   {} in force, {off} off", view.rows.len() - off),
    };
    line.add(words, theme.style(Role::Quiet));
    line.line()
}

/// A section, and what its rules found in all.
fn section(
    theme: &Theme,
    view: &Rulebooks,
    section: Option<Section>,
    width: usize,
) -> Line<'static> {
    let title = section.map_or("Your own", Section::title);
    let own = view.rows.iter().filter(|row| row.section == section);
    let found: Option<u64> = own.map(|row| Some(row.found?.0.bytes)).sum();
    let mut line = Pieces::default();
    line.add(format!(" {title}"), theme.style(Role::Quiet));
    if let Some(found) = found {
        line.to(width.saturating_sub(14));
        line.add(right(&bytes(found), 12), theme.style(Role::Quiet));
    }
    line.line()
}

pub(super) fn draw(
    model: &Model,
    view: &Rulebooks,
    theme: &Theme,
    frame: &mut Frame<'_>,
    area: Rect,
) {
    let Some(session) = model.looked_at() else {
        return;
    };
    let [work, message, keys] = page(theme, frame, area);
    let share = (area.width * 2 / 5).clamp(36, 58);
    let [list, _, card] = Layout::horizontal([
        Constraint::Length(share),
        Constraint::Length(2),
        Constraint::Min(30),
    ])
    .areas(work);
    let heading = Rect { height: 1, ..list };
    lines(frame, heading, vec![title(theme, view)]);
    let list = Rect {
        y: list.y + 1,
        height: list.height.saturating_sub(1),
        ..list
    };
    let room = usize::from(list.height);
    let mut rows = Vec::new();
    let mut focus = 0;
    for (at, row) in view.rows.iter().enumerate() {
        let above = at.checked_sub(1).and_then(|above| view.rows.get(above));
        if above.is_none_or(|above| above.section != row.section) {
            rows.push(section(theme, view, row.section, usize::from(list.width)));
        }
        if at == view.focus {
            focus = rows.len();
        }
        let rule = session.rules.rule(row.rule);
        let width = usize::from(list.width);
        rows.push(list_row(theme, row, rule, at == view.focus, width));
    }
    let first = (focus + 3)
        .saturating_sub(room)
        .min(rows.len().saturating_sub(room));
    lines(
        frame,
        list,
        rows.into_iter().skip(first).take(room).collect(),
    );
    if let Some(row) = view.rows.get(view.focus) {
        let rule = session.rules.rule(row.rule);
        let width = usize::from(card.width).saturating_sub(1);
        lines(frame, card, rule_card(theme, row, rule, width));
    }
    let told = match (&view.asking, &view.answer) {
        (Some(input), _) => vec![asking(theme, " path to explain", input)],
        (None, Some(answer)) => wrap(answer, usize::from(area.width).saturating_sub(2))
            .into_iter()
            .map(|text| Line::styled(format!(" {text}"), theme.style(Role::Straw)))
            .collect(),
        (None, None) => {
            let told = model.message.iter();
            told.map(|text| Line::styled(format!(" {text}"), theme.style(Role::Straw)))
                .collect()
        }
    };
    lines(frame, message, told);
    match view.asking {
        Some(_) => hints(theme, frame, keys, &[("enter", "ask"), ("esc", "leave it")]),
        None => keyline::draw(model, Context::Rulebooks, theme, frame, keys),
    }
}

fn list_row(
    theme: &Theme,
    row: &RuleRow,
    rule: &CompiledRule,
    is_focus: bool,
    width: usize,
) -> Line<'static> {
    let mut line = Pieces::default();
    let edge = if is_focus { theme.glyphs.focus } else { " " };
    line.add(edge, theme.style(Role::Straw));
    let class = rule.rule.class;
    let role = if row.is_off {
        Role::Faint
    } else {
        Theme::class_role(class)
    };
    line.add(format!("{} ", theme.class_glyph(class)), theme.style(role));
    let title = if row.is_off { Role::Quiet } else { Role::Text };
    let style = if is_focus {
        theme.bold(title)
    } else {
        theme.style(title)
    };
    line.add(left(&rule.rule.title, width.saturating_sub(16)), style);
    let found = match row.found {
        _ if row.is_off => "off".to_owned(),
        None => String::new(),
        Some((found, _)) if found.items == 0 => theme.glyphs.none.to_owned(),
        Some((found, _)) => bytes(found.bytes),
    };
    line.add(right(&found, 11), theme.style(Role::Quiet));
    line.line()
}

/// One rule whole: its book, its words, where it looks here, what it found, text and examples.
fn rule_card(
    theme: &Theme,
    row: &RuleRow,
    compiled: &CompiledRule,
    width: usize,
) -> Vec<Line<'static>> {
    let rule = &compiled.rule;
    let quiet = theme.style(Role::Quiet);
    let role = Theme::class_role(rule.class);
    let mut all = Vec::new();
    let mut head = Pieces::default();
    head.add(
        format!("{} ", theme.class_glyph(rule.class)),
        theme.style(role),
    );
    head.add(rule.title.clone(), theme.bold(Role::Text));
    head.add(
        format!("   {}: {}", rule.class.name(), rule.class.meaning()),
        theme.style(role),
    );
    all.push(head.line());
    let mut add = |about: &str, says: &str, style| {
        let mut about = about;
        for part in wrap(says, width.saturating_sub(ABOUT)) {
            let mut line = Pieces::default();
            line.add(left(about, ABOUT), quiet).add(part, style);
            all.push(line.line());
            about = "";
        }
    };
    for (about, says, role) in said(row, compiled) {
        add(about, &says, theme.style(role));
    }
    for (at, example) in rule.examples.iter().enumerate() {
        add(
            if at == 0 { "examples" } else { "" },
            &example_line(example),
            quiet,
        );
    }
    all
}

/// What a rule says of itself and where it looks here: what it is about, the words, and how loud.
fn said(row: &RuleRow, compiled: &CompiledRule) -> Vec<(&'static str, String, Role)> {
    let rule = &compiled.rule;
    let limit = rule.age.limit.map_or_else(
        || "any age".to_owned(),
        |limit| format!("older than {limit} by {}", rule.age.by.words()),
    );
    let places: Vec<String> = rule.within.iter().map(ToString::to_string).collect();
    let (here, role) = match (&row.found, row.roots.is_empty()) {
        (None, _) => ("a scan tells".to_owned(), Role::Quiet),
        (Some(_), true) => ("none of these places is there".to_owned(), Role::Quiet),
        (Some(_), false) => (row.roots.join("  "), Role::Text),
    };
    let id = format!("{}, {} line {}", compiled.id, compiled.file, compiled.line);
    let takes = format!("{limit}; {}", rule.removal().words());
    let mut all = vec![
        ("about", rule.about.clone(), Role::Text),
        ("afterwards", rule.after.clone(), Role::Text),
        ("rule", id, Role::Text),
        ("takes", takes, Role::Text),
    ];
    let more = more_keys(rule).into_iter();
    all.extend(more.map(|(about, says)| (about, says, Role::Text)));
    all.push(("in", places.join("  "), Role::Text));
    // A list that a rule doesn't have has no line.
    all.push(("take", rule.take.join("  "), Role::Text));
    all.push(("spare", rule.spare.join("  "), Role::Text));
    all.push(("looks in", here, role));
    if let Some((found, takes)) = row.found {
        let says = format!(
            "{} in {}; {} of them taken",
            bytes(found.bytes),
            counted(found.items, "item"),
            count(takes.items)
        );
        all.push(("found", says, Role::Text));
    }
    all
}

/// The keys that only some rules have, in words.
fn more_keys(rule: &jolly_core::rule::Rule) -> Vec<(&'static str, String)> {
    let mut more = Vec::new();
    if let Some(detect) = rule.detect {
        more.push(("recognises", detect.words().to_owned()));
    }
    if let Some(size) = rule.larger_than {
        more.push(("only", format!("files of at least {}", bytes(size))));
    }
    if let Some(keep) = rule.keep_newest {
        more.push((
            "keeps",
            format!("the newest {} of each {}", keep.count, keep.per.name()),
        ));
    }
    if !rule.busy.is_empty() {
        more.push(("waits for", rule.busy.join(", ")));
    }
    if rule.needs.is_some() {
        more.push(("needs", "the administrator".to_owned()));
    }
    more
}

fn example_line(example: &Example) -> String {
    let aged = example
        .aged
        .map_or_else(String::new, |aged| format!(", {aged} old"));
    cut(
        &format!("{}: {}{aged}", example.verdict.name(), example.path),
        200,
    )
}
