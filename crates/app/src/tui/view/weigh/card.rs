//! The card: what the row in focus is, and what happens afterwards.

use jolly_core::computer::Layout;
use jolly_core::decide::PileState;
use jolly_core::rule::{BAND_COUNT, Detect, Removal};
use jolly_core::source::PileId;
use ratatui::Frame;
use ratatui::layout::Rect;
use ratatui::text::Line;

use crate::tui::draw::{Pieces, cut, wrap};
use crate::tui::model::{Row, Weigh};
use crate::tui::theme::{Role, Theme};
use crate::tui::view::lines;
use crate::wording::{
    age, band_words, bytes, count, counted, goes_words, limit_words, state_words,
};

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
        Some(Row::Small(class)) => {
            let text = format!(
                "   {}: each holds less than 10 MiB and less than a hundredth of its class. enter shows them one by one; space takes or leaves them all.",
                weigh.small_words(*class),
            );
            let lines = wrap(&text, width.saturating_sub(2)).into_iter();
            all.extend(
                lines.map(|line| Line::styled(format!("   {line}"), theme.style(Role::Text))),
            );
        }
        Some(Row::Gap) | None => {}
    }
    lines(frame, area, all);
}

/// What its owner notices, and how fast it comes back.
fn afterwards(theme: &Theme, weigh: &Weigh, id: PileId, width: usize) -> Pieces<'static> {
    let after = &weigh.scan.rules.rule(weigh.scan.pile(id).rule).rule.after;
    let mut line = Pieces::default();
    line.add("   afterwards  ", theme.style(Role::Quiet));
    let weekly = match weigh.arranged.weekly.get(&id).copied().unwrap_or(0) {
        0 => String::new(),
        weekly => format!("   comes back  {} a week", bytes(weekly)),
    };
    let room = width.saturating_sub(line.width() + weekly.len());
    line.add(cut(after, room), theme.style(Role::Text));
    line.add(weekly, theme.style(Role::Straw));
    line
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
    let second = afterwards(theme, weigh, id, width);
    let third = state(theme, weigh, id, width);
    let mut fourth = biggest(theme, weigh, id);
    fourth.add("   in use  ", quiet);
    let held = weigh.users.as_ref().map(|held| held.piles.get(&id));
    match held {
        Some(Some((1, program))) => fourth.add(format!("1 file, by {program}"), text),
        Some(Some((files, program))) => fourth.add(
            format!("{} files, by {program} and others", count(*files)),
            text,
        ),
        Some(None) => fourth.add("nothing that is seen", text),
        None => fourth.add("being looked for", quiet),
    };
    let mut fifth = Pieces::default();
    let roots: Vec<String> = scan.roots_of(pile).map(ToString::to_string).collect();
    fifth
        .add("   where  ", quiet)
        .add(cut(&roots.join(", "), width.saturating_sub(70)), text);
    fifth
        .add("   rule  ", quiet)
        .add(compiled.id.to_string(), text);
    fifth
        .add("   aged by  ", quiet)
        .add(rule.age.by.words(), text);
    let mut sixth = Pieces::default();
    sixth.add("   bars  ", quiet);
    let tallest = (0..BAND_COUNT).max_by_key(|band| pile.bands.get(*band));
    let most = tallest.map_or_else(String::new, |band| {
        let held = pile.bands.get(band).copied().unwrap_or(0);
        format!(
            "the tallest: {} {}",
            theme.size(held, scan.is_estimated(id)),
            band_words(band, band + 1)
        )
    });
    sixth.add(most, text);
    let legend = format!(
        "   grey stays, colour goes, {} is the age limit",
        theme.glyphs.cut
    );
    sixth.add(legend, quiet);
    let mut all = vec![first, second, third, fourth, fifth];
    if rule.detect == Some(Detect::OldAccount) {
        all.push(of_account(theme, scan.target.layout, owner));
        return all.into_iter().map(Pieces::line).collect();
    }
    // What isn't drawn needs no words.
    if !theme.is_spoken() {
        all.push(sixth);
    }
    all.into_iter().map(Pieces::line).collect()
}

/// What can be done about an account that nobody uses.
fn of_account(theme: &Theme, layout: Layout, name: &str) -> Pieces<'static> {
    let (quiet, text) = (theme.style(Role::Quiet), theme.style(Role::Text));
    let removes = match layout {
        Layout::Linux => format!("`userdel {name}` removes it there"),
        Layout::Windows => format!("`net user {name} /delete` removes it there"),
        Layout::Macos => format!("`sysadminctl -deleteUser {name}` removes it there"),
    };
    let mut line = Pieces::default();
    line.add("   rescue  ", quiet);
    line.add(
        "z packs what was kept into an archive on another disk",
        text,
    );
    line.add("   the account itself  ", quiet);
    line.add(removes, text);
    line
}

/// How the pile stands, in words: its mark, what of it goes, and how.
fn state(theme: &Theme, weigh: &Weigh, id: PileId, width: usize) -> Pieces<'static> {
    let (quiet, text) = (theme.style(Role::Quiet), theme.style(Role::Text));
    let (scan, decisions) = (&weigh.scan, &weigh.decisions);
    let state = decisions.state(scan, id);
    let mut line = Pieces::default();
    let sign = format!(" {} ", theme.state_glyph(state));
    line.add(sign, theme.style(Theme::class_role(weigh.class_of(id))));
    line.add(format!("{}  ", state_words(state)), quiet);
    if let Some(why) = &scan.pile(id).blocked {
        let why = cut(&format!("it {why}"), width.saturating_sub(line.width()));
        line.add(why, theme.style(Role::Straw));
        return line;
    }
    let (takes, found) = (decisions.takes(id), scan.pile(id).found());
    let given = decisions.of(id).limit;
    let limit = limit_words(given);
    let by = decisions.of(id).by;
    if takes.items > 0 {
        let of = format!("{} of {}", count(takes.items), counted(found.items, "item"));
        line.add(format!("{of}, {limit}: it {}", by.words()), text);
        if by == Removal::SetAside && weigh.is_dustpan_on_target {
            line.add(FREES_LITTLE, theme.style(Role::Straw));
        }
    } else {
        let old = scan.pile(id).count_older(decisions.of(id).limit);
        let words = match (state, old) {
            (PileState::Left, _) => {
                format!("space takes {}; it then {}", goes_words(given), by.words())
            }
            _ => format!("nothing in it is {limit}"),
        };
        line.add(words, text);
    }
    line
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
