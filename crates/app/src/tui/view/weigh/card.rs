//! The card: what the row in focus is, and what happens afterwards.

use jolly_core::rule::Removal;
use jolly_core::source::PileId;
use ratatui::Frame;
use ratatui::layout::Rect;
use ratatui::text::Line;

use crate::tui::draw::{Pieces, cut};
use crate::tui::model::{Row, Weigh};
use crate::tui::theme::{Role, Theme};
use crate::tui::view::lines;
use crate::wording::{age, count};

/// What setting aside gains where the dustpan lies on the same disk.
const FREES_LITTLE: &str = " on this same disk: it frees little";

pub(super) fn draw(theme: &Theme, weigh: &Weigh, frame: &mut Frame<'_>, area: Rect) {
    let width = usize::from(area.width).saturating_sub(2);
    let rule = format!(" {}", theme.glyphs.rule.repeat(width));
    let mut all = vec![Line::styled(rule, theme.style(Role::Faint))];
    match weigh.rows.get(weigh.focus) {
        Some(Row::Pile(id)) => all.extend(pile(theme, weigh, *id, width)),
        Some(Row::Heading(class)) => {
            let what = if class.starts_taken() {
                "starts taken"
            } else {
                "starts left"
            };
            let how = class.removal().words();
            let text = format!(
                " {}: {}. It {what}, and {how}. enter folds it.",
                class.name(),
                class.meaning()
            );
            all.push(Line::styled(cut(&text, width), theme.style(Role::Text)));
        }
        Some(Row::Gap) | None => {}
    }
    lines(frame, area, all);
}

fn pile(theme: &Theme, weigh: &Weigh, id: PileId, width: usize) -> Vec<Line<'static>> {
    let scan = &weigh.scan;
    let pile = scan.pile(id);
    let compiled = scan.rules.rule(pile.rule);
    let rule = &compiled.rule;
    let quiet = theme.style(Role::Quiet);
    let text = theme.style(Role::Text);
    let mut first = Pieces::default();
    let role = Theme::class_role(rule.class);
    first.add(
        format!(" {} ", theme.class_glyph(rule.class)),
        theme.style(role),
    );
    first.add(rule.title.clone(), theme.bold(Role::Text));
    let owner = scan.account_name(pile).unwrap_or("the system");
    first.add(format!(" of {owner}   "), quiet);
    first.add(cut(&rule.about, width.saturating_sub(first.width())), text);
    let mut second = Pieces::default();
    second.add("   afterwards  ", quiet);
    let by = weigh.decisions.of(id).by;
    let how = by.words();
    let frees_little = by == Removal::SetAside && weigh.is_dustpan_on_target;
    let frees = if frees_little { FREES_LITTLE } else { "" };
    let room = width.saturating_sub(second.width() + how.len() + frees.len() + 8);
    second.add(cut(&rule.after, room), text);
    second.add("   it ", quiet).add(how, text);
    second.add(frees, theme.style(Role::Straw));
    let mut third = Pieces::default();
    let roots: Vec<String> = scan.roots_of(pile).map(ToString::to_string).collect();
    third
        .add("   where  ", quiet)
        .add(cut(&roots.join(", "), width.saturating_sub(70)), text);
    third
        .add("   rule  ", quiet)
        .add(compiled.id.to_string(), text);
    third
        .add("   aged by  ", quiet)
        .add(rule.age.by.words(), text);
    let fourth = biggest(theme, weigh, id);
    let mut fifth = Pieces::default();
    fifth.add("   in use  ", quiet);
    let held = weigh.users.as_ref().map(|held| held.piles.get(&id));
    match held {
        Some(Some((1, program))) => fifth.add(format!("1 file, by {program}"), text),
        Some(Some((files, program))) => fifth.add(
            format!("{} files, by {program} and others", count(*files)),
            text,
        ),
        Some(None) => fifth.add("nothing that is seen", text),
        None => fifth.add("being looked for", quiet),
    };
    if let Some(why) = &pile.blocked {
        fifth.add(
            format!("   can't be taken now: it {why}"),
            theme.style(Role::Straw),
        );
    }
    [first, second, third, fourth, fifth]
        .map(Pieces::line)
        .into()
}

/// The biggest of a pile's items, with what each frees and its age.
fn biggest<'a>(theme: &Theme, weigh: &Weigh, id: PileId) -> Pieces<'a> {
    let (quiet, text) = (theme.style(Role::Quiet), theme.style(Role::Text));
    let (scan, pile) = (&weigh.scan, weigh.scan.pile(id));
    let mut line = Pieces::default();
    line.add("   biggest  ", quiet);
    for (at, item) in pile.biggest.iter().take(2).enumerate() {
        let separator = if at > 0 { "   " } else { "" };
        let name = scan.shown_name(*item);
        line.add(format!("{separator}{} ", cut(&name, 34)), text);
        let facts = format!(
            "{} {} {}",
            theme.size(scan.arena.frees(*item), scan.is_estimated(id)),
            theme.glyphs.dot,
            age(scan.age(*item))
        );
        line.add(facts, quiet);
    }
    line
}
