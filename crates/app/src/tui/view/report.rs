//! The report station: before and after, what went, what stayed and why.

mod went;

use jolly_core::chores::{ChoreEnd, ChoreOutcome};
use jolly_core::computer::Layout;
use jolly_core::plan::Outcome;
use jolly_core::report::Cause;
use ratatui::Frame;
use ratatui::layout::Rect;
use ratatui::text::Line;

use crate::tui::draw::{Pieces, VolumeParts, cut, left, right, volume_bar, wrap};
use crate::tui::model::{Model, Report};
use crate::tui::theme::{Role, Theme};
use crate::tui::view::lines;
use crate::upkeep::end_in_words;
use crate::wording::{self, bytes, count, counted};

/// How many reasons to stay are told; the log has all.
const REASONS: usize = 6;

pub(super) fn draw(model: &Model, theme: &Theme, frame: &mut Frame<'_>, area: Rect) {
    let Some(report) = &model.report else { return };
    let width = usize::from(area.width).saturating_sub(2);
    let height = usize::from(area.height);
    let mut all = head(theme, report, width);
    all.extend(turned_off(theme, model, width));
    all.push(Line::default());
    let tall = if height >= TALL && !theme.is_spoken() {
        3
    } else {
        1
    };
    all.extend(bars(theme, report, width, tall));
    all.push(Line::default());
    all.extend(truth(theme, report, width));
    all.push(Line::default());
    // What stayed asks for something to be done; what went is done.
    all.extend(stayed(theme, report, width));
    all.push(Line::default());
    let room = height.saturating_sub(all.len() + WENT);
    let said = advice(model, theme, report, (width, room));
    if !said.is_empty() {
        all.extend(said);
        all.push(Line::default());
    }
    all.extend(went::draw(
        theme,
        report,
        width,
        height.saturating_sub(all.len()),
    ));
    lines(frame, area, all);
}

/// Rows that the picture of what went needs at least.
const WENT: usize = 4;

/// Advice that is told, each in a line.
const ADVICE: usize = 5;

/// What to tell the customer beside, by what this computer showed.
fn advice(
    model: &Model,
    theme: &Theme,
    report: &Report,
    (width, room): (usize, usize),
) -> Vec<Line<'static>> {
    let shown = ADVICE.min(room.saturating_sub(2));
    if report.advice.is_empty() || shown == 0 {
        return Vec::new();
    }
    let session = model.session.as_ref();
    let layout = session.map_or(Layout::Linux, |session| session.target.layout);
    let (quiet, text) = (theme.style(Role::Quiet), theme.style(Role::Text));
    let mut all = vec![Line::styled(" advice", quiet)];
    for one in report.advice.iter().take(shown) {
        let says = format!("   {}", wording::advice(one, layout));
        all.push(Line::styled(cut(&says, width), text));
    }
    all
}

/// From this height on there is room for large bars.
const TALL: usize = 30;

/// What happened, in one line for the log and one for the customer.
fn head(theme: &Theme, report: &Report, width: usize) -> Vec<Line<'static>> {
    let summary = &report.summary;
    let (quiet, text) = (theme.style(Role::Quiet), theme.style(Role::Text));
    let (state, role) = match (&summary.broke_off, summary.is_stopped) {
        (Some(_), _) => ("The sweep broke off", Role::Ask),
        (None, true) => ("Stopped", Role::Straw),
        (None, false) => ("Swept", Role::Straw),
    };
    let mut first = Pieces::default();
    first.add(format!(" {state}"), theme.bold(role));
    let removed = summary.sum(Outcome::Removed);
    let aside = summary.sum(Outcome::SetAside);
    first.add(
        format!("   {} removed for good", counted(removed.items, "item")),
        text,
    );
    if aside.items > 0 {
        let words = format!("   {} set aside", counted(aside.items, "item"));
        first.add(words, text);
    }
    let shared = summary.sum(Outcome::Shared);
    if shared.items > 0 {
        let share = if shared.items == 1 { "shares" } else { "share" };
        let words = format!("   {} {share} bytes", counted(shared.items, "item"));
        first.add(words, text);
    }
    let log = format!("   log {}", report.run);
    let fits = first.width() + log.len() <= width;
    if fits {
        first.add(log.clone(), quiet);
    }
    let mut all = vec![first.line()];
    if !fits {
        all.push(Line::styled(cut(&log, width), quiet));
    }
    for line in wrap(&report.told, width.saturating_sub(1)) {
        all.push(Line::styled(format!(" {line}"), theme.bold(Role::Text)));
    }
    if let Some(why) = &summary.broke_off {
        let text = format!(" {why}; `jolly-broom log recover` settles the last items");
        all.push(Line::styled(cut(&text, width), theme.style(Role::Ask)));
    }
    if let Some(point) = &report.point {
        let text = format!(
            " {point} holds all as it was before; m lets go of it, and what it holds alone comes back"
        );
        all.push(Line::styled(cut(&text, width), theme.style(Role::Straw)));
    }
    for end in &report.chores {
        let role = match end.outcome {
            ChoreOutcome::Done => Role::Text,
            _ => Role::Ask,
        };
        let text = format!(" {}", end_in_words(end));
        all.push(Line::styled(cut(&text, width), theme.style(role)));
    }
    if report.is_partial {
        let text = " The scan before had been stopped: what lay further on was not weighed.";
        all.push(Line::styled(cut(text, width), theme.style(Role::Ask)));
    }
    all
}

/// What no longer starts by itself.
fn turned_off(theme: &Theme, model: &Model, width: usize) -> Option<Line<'static>> {
    let swept = &model.session.as_ref()?.identity;
    let own = model.turned_off.iter();
    let own = own.filter(|one| one.computer == *swept);
    let names: Vec<&str> = own.map(|one| one.name.as_str()).collect();
    if names.is_empty() {
        return None;
    }
    let says = format!(" No longer starts by itself: {}.", names.join(", "));
    Some(Line::styled(cut(&says, width), theme.style(Role::Text)))
}

/// The disk before and after, as large as there is room.
fn bars(theme: &Theme, report: &Report, width: usize, tall: usize) -> Vec<Line<'static>> {
    let (before, after) = (report.summary.free_before, report.summary.free_after);
    let used = report.size.saturating_sub(after.max(before));
    let mut all = Vec::new();
    let freed = after.saturating_sub(before);
    let rows = [
        ("before", report.size.saturating_sub(before), 0, before),
        ("after", used, freed, after.saturating_sub(freed)),
    ];
    for (number, (name, kept, freed, free)) in rows.into_iter().enumerate() {
        if number > 0 && tall > 1 {
            all.push(Line::default());
        }
        for row in 0..tall {
            let is_middle = row == tall / 2;
            let mut line = Pieces::default();
            let label = if is_middle { name } else { "" };
            line.add(format!(" {}", left(label, 8)), theme.style(Role::Quiet));
            let parts = VolumeParts {
                kept,
                swept: freed,
                free,
                ..VolumeParts::default()
            };
            volume_bar(theme, &mut line, parts, width.saturating_sub(30));
            if is_middle {
                let style = if number == 0 {
                    theme.style(Role::Text)
                } else {
                    theme.bold(Role::Straw)
                };
                line.add(right(&bytes(freed.saturating_add(free)), 12), style);
                line.add(" free", theme.style(Role::Quiet));
            }
            all.push(line.line());
        }
    }
    all
}

/// Predicted, rehearsed, measured and seen again: in one line when they agree, else each explained.
fn truth(theme: &Theme, report: &Report, width: usize) -> Vec<Line<'static>> {
    let summary = &report.summary;
    let agrees = summary.free_predicted == summary.free_after;
    let compared = summary.compared.as_ref();
    let is_as_rehearsed = compared.is_none_or(|comparison| comparison.differs == 0);
    let is_gone = report
        .verified
        .as_ref()
        .is_some_and(|verified| verified.takes.items == 0);
    if agrees && is_as_rehearsed && is_gone {
        let rehearsed = compared.map_or_else(String::new, |comparison| {
            let same = count(comparison.same);
            format!(" {same} of {same} went as rehearsed.")
        });
        let words = format!(
            "Predicted {}, measured {}.{rehearsed} Scanned again: what was taken is gone.",
            bytes(summary.free_predicted),
            bytes(summary.free_after),
        );
        let all = wrap(&words, width.saturating_sub(1)).into_iter();
        let style = theme.style(Role::Quiet);
        return all
            .map(|line| Line::styled(format!(" {line}"), style))
            .collect();
    }
    let mut all = space(theme, report, width);
    all.extend(compared_lines(theme, report, width));
    all.push(verified(theme, report));
    all
}

/// Predicted against measured, and the difference explained.
fn space(theme: &Theme, report: &Report, width: usize) -> Vec<Line<'static>> {
    let summary = &report.summary;
    let (quiet, text) = (theme.style(Role::Quiet), theme.style(Role::Text));
    let mut line = Pieces::default();
    line.add(" predicted ", quiet)
        .add(bytes(summary.free_predicted), text);
    line.add("   measured ", quiet)
        .add(bytes(summary.free_after), text);
    if summary.free_predicted == summary.free_after {
        line.add("   they agree to the byte", quiet);
        return vec![line.line()];
    }
    let difference = summary.free_predicted.abs_diff(summary.free_after);
    let is_less = summary.free_after < summary.free_predicted;
    let word = if is_less { "less" } else { "more" };
    line.add(format!("   {} {word}:", bytes(difference)), quiet);
    let mut all = vec![line.line()];
    for (cause, size) in &report.explained {
        let mut line = Pieces::default();
        line.add(right(&bytes(*size), 14), text);
        let room = width.saturating_sub(16);
        line.add(format!("  {}", cut(&because(cause), room)), quiet);
        all.push(line.line());
    }
    all
}

fn because(cause: &Cause) -> String {
    match cause {
        Cause::Stayed => "stayed (see below)".to_owned(),
        Cause::NotReached => "was not reached".to_owned(),
        Cause::Dustpan => "is what the dustpan takes, which lies on the same volume".to_owned(),
        Cause::Linked => "belongs to files of which another name stayed".to_owned(),
        Cause::Held(program) => {
            format!("is still held by {program}, and comes back when it lets go")
        }
        Cause::LessFromDatabases => {
            "less than was estimated came back from databases".to_owned()
        }
        Cause::MoreFromDatabases => {
            "more than was estimated: databases were compacted".to_owned()
        }
        Cause::Unknown => {
            "is missing for no known reason: another program wrote meanwhile, or a snapshot keeps it"
                .to_owned()
        }
        Cause::MoreFreed => "more: another program removed something meanwhile".to_owned(),
    }
}

/// How many differences from the rehearsal are told; the log has all.
const DIFFERENCES: usize = 3;

/// What the rehearsal predicted, against what became.
fn compared_lines(theme: &Theme, report: &Report, width: usize) -> Vec<Line<'static>> {
    let Some(comparison) = &report.summary.compared else {
        return Vec::new();
    };
    let (quiet, text) = (theme.style(Role::Quiet), theme.style(Role::Text));
    let mut first = Pieces::default();
    first.add(" ", quiet);
    if comparison.differs == 0 {
        let all = count(comparison.same);
        first.add(format!("{all} of {all} went as rehearsed"), text);
        return vec![first.line()];
    }
    let (same, differ) = (count(comparison.same), count(comparison.differs));
    first.add(
        format!("{same} went as rehearsed, {differ} otherwise:"),
        text,
    );
    let mut all = vec![first.line()];
    for one in comparison.differences.iter().take(DIFFERENCES) {
        let (predicted, actual) = (one.predicted.name(), one.actual.name());
        let words = format!(
            "   {}: predicted {predicted}, {actual}: {}",
            one.path, one.why
        );
        all.push(Line::styled(cut(&words, width), quiet));
    }
    all
}

fn stayed(theme: &Theme, report: &Report, width: usize) -> Vec<Line<'static>> {
    let summary = &report.summary;
    if summary.stayed.is_empty() {
        let text = if summary.is_stopped {
            " What was not reached stays as it was."
        } else {
            " Nothing of the list stayed."
        };
        return vec![Line::styled(text, theme.style(Role::Quiet))];
    }
    let mut all = Vec::new();
    for stayed in summary.stayed.iter().take(REASONS) {
        let mut line = Pieces::default();
        let many = format!(
            " {} stayed, {}: ",
            count(stayed.sum.items),
            stayed.outcome.name()
        );
        line.add(many, theme.style(Role::Straw));
        let text = format!("{}, such as {}", stayed.reason, stayed.example);
        line.add(
            cut(&text, width.saturating_sub(line.width())),
            theme.style(Role::Text),
        );
        all.push(line.line());
        all.push(Line::styled(
            format!("   {}", stayed.outcome.advice()),
            theme.style(Role::Quiet),
        ));
    }
    if let Some(left) = &report.left {
        let what = match left.paths.len() as u64 {
            1 => "it".to_owned(),
            many => format!("these {} items", count(many)),
        };
        let text = format!(" t tries {what} again, now or after a restart, from arrive.");
        all.push(Line::styled(cut(&text, width), theme.style(Role::Text)));
    }
    let more = summary.stayed.len().saturating_sub(REASONS);
    if more > 0 {
        let text = format!(" {more} more reasons are in the log.");
        all.push(Line::styled(text, theme.style(Role::Quiet)));
    }
    all
}

fn verified(theme: &Theme, report: &Report) -> Line<'static> {
    let mut line = Pieces::default();
    match &report.verified {
        None => line.add(" Scanning again to make sure…", theme.style(Role::Quiet)),
        Some(verified) if verified.takes.items == 0 => {
            line.add(" Scanned again: ", theme.style(Role::Quiet));
            line.add("what was taken is gone.", theme.bold(Role::Straw))
        }
        Some(verified) if report.summary.is_stopped => {
            line.add(" Scanned again: ", theme.style(Role::Quiet));
            let rest = format!(
                "{}, {}",
                counted(verified.takes.items, "item"),
                bytes(verified.takes.bytes)
            );
            line.add(format!("{rest} were not reached."), theme.style(Role::Text))
        }
        Some(verified) => {
            line.add(" Scanned again: ", theme.style(Role::Quiet));
            let rest = format!(
                "{}, {}",
                counted(verified.takes.items, "item"),
                bytes(verified.takes.bytes)
            );
            let said = counted(verified.stayed.items, "item");
            let again = if report.chores.iter().any(ChoreEnd::has_built_anew) {
                " Chores have built caches anew."
            } else {
                ""
            };
            line.add(
                format!("{rest} would still go; the report says {said} stayed.{again}"),
                theme.style(Role::Text),
            )
        }
    };
    line.line()
}
