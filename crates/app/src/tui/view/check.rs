//! The check station: what goes, in sentences, and the list itself.

use jolly_core::computer::EntryKind;
use jolly_core::pile::Blocked;
use jolly_core::plan::ManifestItem;
use jolly_core::rule::Removal;
use jolly_core::run::RunSummary;
use ratatui::Frame;
use ratatui::layout::Rect;
use ratatui::text::Line;

use crate::tui::draw::{Pieces, cut, left, right, wrap};
use crate::tui::lookups::shown;
use crate::tui::model::{Check, Model, Rehearsal, WORD};
use crate::tui::theme::{Role, Theme};
use crate::tui::view::lines;
use crate::wording::{bytes, count, counted, day};

/// Where the sentences' second column starts.
const COLUMN: usize = 14;

/// Lines of the station that are not what people notice.
const OTHERS: usize = 16;

/// What the list needs, with its heading.
const LIST: usize = 5;

/// How many programs to close are named.
const CLOSE: usize = 3;

/// Sentences longer than this are hard to follow from line to line.
const READABLE: usize = 100;

pub(super) fn draw(model: &Model, theme: &Theme, frame: &mut Frame<'_>, area: Rect) {
    let Some(check) = &model.check else { return };
    let Some(manifest) = &check.manifest else {
        let text = " Making the list of what goes…";
        return lines(
            frame,
            area,
            vec![Line::styled(text, theme.style(Role::Quiet))],
        );
    };
    let width = usize::from(area.width).saturating_sub(2);
    let mut all = sentences(theme, check, width, usize::from(area.height));
    all.push(Line::default());
    all.extend(rehearsal(theme, check, width));
    all.push(word(theme, check));
    all.push(Line::default());
    let height = usize::from(area.height);
    let is_small = height < all.len() + LIST;
    if is_small {
        if check.scroll == 0 {
            let many = counted(manifest.items.len() as u64, "item");
            let text = theme.keys(&format!(" ↓ reads the list of {many}"));
            all.push(Line::styled(text, theme.style(Role::Quiet)));
            return lines(frame, area, all);
        }
        // On a small screen it is read without what is said of it.
        all.clear();
    } else {
        let rule = format!(" {}", theme.glyphs.rule.repeat(width));
        all.push(Line::styled(rule, theme.style(Role::Faint)));
    }
    let room = height.saturating_sub(all.len() + 1);
    let total = manifest.items.len();
    let first = check.scroll.saturating_sub(usize::from(is_small));
    let first = first.min(total.saturating_sub(room));
    let last = (first + room).min(total);
    let text = format!(
        " Exactly this goes: {} to {} of {}",
        count(first as u64 + u64::from(total > 0)),
        count(last as u64),
        count(total as u64)
    );
    all.push(Line::styled(text, theme.style(Role::Quiet)));
    for item in manifest.items.range(first..first.saturating_add(room)) {
        all.push(entry(theme, &item, width));
    }
    lines(frame, area, all);
}

fn sentences(theme: &Theme, check: &Check, width: usize, height: usize) -> Vec<Line<'static>> {
    if check
        .manifest
        .as_ref()
        .is_some_and(|list| list.items.is_empty())
    {
        let text =
            " Nothing is taken, so nothing goes. What is taken at weigh would be listed here.";
        return vec![Line::styled(text, theme.style(Role::Quiet))];
    }
    let mut all = sums(theme, check, width);
    all.push(Line::default());
    for (who, sentences) in afterwards(check, width, height.saturating_sub(OTHERS)) {
        for (at, line) in sentences.iter().enumerate() {
            all.push(fact(theme, if at == 0 { who } else { "" }, line, width));
        }
    }
    all.push(Line::default());
    for (at, (program, many)) in check.to_close.iter().take(CLOSE).enumerate() {
        let verb = if *many == 1 { "waits" } else { "wait" };
        let text = format!("{program}: {} {verb} for it", counted(*many, "file"));
        all.push(fact(
            theme,
            if at == 0 { "close first" } else { "" },
            &text,
            width,
        ));
    }
    if let (many @ 1.., caveat) = check.overwritten {
        let text = format!("{} first", counted(many, "file"));
        let text = match caveat {
            Some(caveat) => format!("{text}, but nobody can promise anything here: {caveat}"),
            None => text,
        };
        all.push(fact(theme, "written over", &text, width));
    }
    all.push(fact(theme, "stays", &stays(check), width));
    let biggest: Vec<String> = check
        .biggest
        .iter()
        .map(|item| {
            let name = jolly_core::format::Printable(item.path.name()).to_string();
            format!("{} {}", cut(&name, 30), bytes(item.bytes))
        })
        .collect();
    let between = format!("  {}  ", theme.glyphs.dot);
    all.push(fact(theme, "biggest", &biggest.join(&between), width));
    if check.scan.is_partial {
        all.push(fact(
            theme,
            "partial",
            "The scan was stopped: there may be more.",
            width,
        ));
    }
    all
}

/// What each person notices, in at most `room` lines where that is enough for a line each: the
/// longest are cut first, and say so.
fn afterwards(check: &Check, width: usize, room: usize) -> Vec<(&str, Vec<String>)> {
    let wide = width.saturating_sub(COLUMN).min(READABLE);
    let mut all: Vec<(&str, Vec<String>)> = check
        .afterwards
        .iter()
        .map(|(who, sentences)| (who.as_str(), wrap(&sentences.join(" "), wide)))
        .collect();
    let count =
        |all: &[(&str, Vec<String>)]| all.iter().map(|(_, lines)| lines.len()).sum::<usize>();
    while count(&all) > room {
        let longest = all.iter_mut().max_by_key(|(_, lines)| lines.len());
        let Some((_, lines)) = longest.filter(|(_, lines)| lines.len() > 1) else {
            break;
        };
        lines.pop();
        if let Some(last) = lines.last_mut() {
            *last = format!(
                "{} …",
                cut(last.trim_end_matches(" …"), wide.saturating_sub(2))
            );
        }
    }
    all
}

/// What goes for good, what is set aside, and which folders go with them.
fn sums(theme: &Theme, check: &Check, width: usize) -> Vec<Line<'static>> {
    let (text, quiet, straw) = (
        theme.style(Role::Text),
        theme.style(Role::Quiet),
        theme.bold(Role::Straw),
    );
    let mut all = Vec::new();
    let mut first = Pieces::default();
    first
        .add(" You are about to remove ", text)
        .add(counted(check.gone.items, "item"), straw);
    first
        .add(" for good: ", text)
        .add(bytes(check.gone.bytes), straw)
        .add(".", text);
    all.push(first.line());
    if check.aside.items > 0 {
        let mut second = Pieces::default();
        let verb = if check.aside.items == 1 { "is" } else { "are" };
        let until = check
            .until
            .map(|until| format!(" at least until {}", day(until)));
        let until = until.unwrap_or_default();
        let many = counted(check.aside.items, "item");
        second.add(format!(" {many} {verb} set aside{until}: "), text);
        second.add(bytes(check.aside.bytes), text);
        if let Some(packs) = check.packs {
            second.add(format!(", about {} packed", bytes(packs)), text);
        }
        second.add(". Each can be brought back.", quiet);
        all.push(second.line());
        all.push(room(theme, check, width));
    }
    if let Some(manifest) = &check.manifest
        && manifest.folders.items > 0
    {
        let folders = counted(manifest.folders.items, "folder");
        let verb = if manifest.folders.items == 1 {
            "is"
        } else {
            "are"
        };
        all.push(Line::styled(
            format!(" {folders} that {verb} empty afterwards go, too."),
            quiet,
        ));
    }
    all
}

/// Where the dustpan goes, and whether that frees anything.
fn room(theme: &Theme, check: &Check, width: usize) -> Line<'static> {
    let (words, role) = match &check.room {
        Err(why) => (format!("{why}."), Role::Ask),
        Ok(None) => (String::new(), Role::Quiet),
        Ok(Some(room)) => {
            let place = room.folder.as_ref().map_or_else(
                || "with the logs".to_owned(),
                |folder| format!("at {}", shown(folder)),
            );
            let needs = bytes(room.needs);
            let free = bytes(room.free);
            let frees = if room.is_targets {
                "the same volume, so only what packing saves comes back"
            } else {
                "another volume, so all of it comes back"
            };
            let words = format!("It lies {place}, on {frees}; needs up to {needs} of {free}.");
            (words, Role::Quiet)
        }
    };
    Line::styled(cut(&format!(" {words}"), width), theme.style(role))
}

fn fact(theme: &Theme, name: &str, text: &str, width: usize) -> Line<'static> {
    let mut line = Pieces::default();
    line.add(
        format!(" {}", left(name, COLUMN - 1)),
        theme.style(Role::Quiet),
    );
    line.add(
        cut(text, width.saturating_sub(COLUMN)),
        theme.style(Role::Text),
    );
    line.line()
}

fn stays(check: &Check) -> String {
    let scan = &check.scan;
    let mut parts = vec![format!("{} guarded", count(scan.guarded))];
    if check.spared > 0 {
        parts.push(format!("{} excluded or left by hand", count(check.spared)));
    }
    let unread: u64 = scan.unread.iter().map(|unread| unread.count).sum();
    if unread > 0 {
        parts.push(format!("{} not read", count(unread)));
    }
    let mut locked = 0;
    for pile in &scan.piles {
        // Those that wait for a program are told where it is named.
        if pile.blocked == Some(Blocked::NeedsAdministrator) {
            locked += pile.found().items;
        }
    }
    if locked > 0 {
        parts.push(format!("{} need the administrator", count(locked)));
    }
    parts.push("what is in use is skipped and named".to_owned());
    parts.join(" · ")
}

fn rehearsal(theme: &Theme, check: &Check, width: usize) -> Vec<Line<'static>> {
    let mut all = match &check.rehearsal {
        Rehearsal::None => return Vec::new(),
        Rehearsal::UnderWay => vec![fact(theme, "rehearsal", "under way…", width)],
        Rehearsal::Failed(message) => vec![fact(theme, "rehearsal", message, width)],
        Rehearsal::Done(summary, _) => predicted(theme, summary, width),
    };
    all.push(Line::default());
    all
}

fn predicted(theme: &Theme, summary: &RunSummary, width: usize) -> Vec<Line<'static>> {
    let parts: Vec<String> = summary
        .outcomes
        .iter()
        .map(|(outcome, sum)| format!("{} {}", count(sum.items), outcome.name()))
        .collect();
    let text = format!("predicts {}; nothing was removed yet", parts.join(" · "));
    let mut all = vec![fact(theme, "rehearsed", &text, width)];
    for stayed in summary.stayed.iter().take(3) {
        let text = format!(
            "{} {}: {}, such as {}",
            count(stayed.sum.items),
            stayed.outcome.name(),
            stayed.reason,
            stayed.example
        );
        all.push(fact(theme, "would stay", &text, width));
    }
    all
}

/// The word that starts, with what has been typed of it.
fn word(theme: &Theme, check: &Check) -> Line<'static> {
    let mut line = Pieces::default();
    line.add(" Type  ", theme.style(Role::Quiet));
    let rest = WORD.strip_prefix(check.typed.as_str()).unwrap_or(WORD);
    line.add(check.typed.clone(), theme.bold(Role::Straw));
    line.add(rest, theme.bold(Role::Text));
    line.add(
        "  to start. What goes for good can't be brought back.",
        theme.style(Role::Quiet),
    );
    line.line()
}

fn entry(theme: &Theme, item: &ManifestItem, width: usize) -> Line<'static> {
    let mut line = Pieces::default();
    let by = match item.by {
        Removal::Remove | Removal::Overwrite => "for good",
        Removal::SetAside => "set aside",
    };
    line.add(format!("   {}", left(by, 11)), theme.style(Role::Quiet));
    let size = match item.kind {
        EntryKind::Folder => "folder".to_owned(),
        EntryKind::File | EntryKind::Link => bytes(item.bytes),
        EntryKind::ListEntry => theme.size(item.bytes, true),
    };
    line.add(right(&size, 11), theme.style(Role::Text));
    let path = item.shown();
    line.add(
        format!("  {}", cut(&path, width.saturating_sub(28))),
        theme.style(Role::Text),
    );
    line.line()
}
