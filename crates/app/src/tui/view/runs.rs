//! Earlier runs, and what each did.

use jiff::tz::TimeZone;
use jolly_core::run::{LogState, LogSummary};
use ratatui::Frame;
use ratatui::layout::{Constraint, Layout, Rect};
use ratatui::text::Line;

use crate::tui::areas::first_row;
use crate::tui::draw::{Pieces, cut, cut_front, left, right};
use crate::tui::model::{Context, Model, RunsView};
use crate::tui::theme::{Role, Theme};
use crate::tui::view::{edge, keyline, lines, page, raise};
use crate::wording::{bytes, count, counted};

/// From this width on a run's row says how it ended and how much went.
const WIDE: u16 = 56;

/// How many reasons and how many of the biggest are told; the log has all.
const TOLD: usize = 6;

pub(super) fn draw(
    model: &Model,
    view: &RunsView,
    theme: &Theme,
    frame: &mut Frame<'_>,
    area: Rect,
) {
    let [work, message, keys] = page(theme, frame, area);
    let share = (work.width / 2).clamp(36, 62);
    let [list, _, card] = Layout::horizontal([
        Constraint::Length(share),
        Constraint::Length(2),
        Constraint::Min(30),
    ])
    .areas(work);
    lines(frame, list, rows(theme, view, list));
    if let Some(log) = view.focused() {
        let width = usize::from(card.width).saturating_sub(1);
        lines(frame, card, told(theme, log, width));
    }
    let broken = view.broken.iter().take(2);
    let width = usize::from(area.width).saturating_sub(2);
    let broken =
        broken.map(|why| Line::styled(format!(" {}", cut(why, width)), theme.style(Role::Ask)));
    lines(frame, message, broken.collect());
    keyline::draw(model, Context::Runs, theme, frame, keys);
}

fn rows(theme: &Theme, view: &RunsView, area: Rect) -> Vec<Line<'static>> {
    let quiet = theme.style(Role::Quiet);
    let mut title = Pieces::default();
    title.add(" Earlier runs", theme.bold(Role::Straw));
    let runs = view.runs.as_deref().unwrap_or_default();
    if !runs.is_empty() {
        let words = format!("   {}", counted(runs.len() as u64, "run"));
        title.add(words, quiet);
    }
    let mut heading = Pieces::default();
    heading.add(left("   started", 22), quiet);
    if area.width >= WIDE {
        heading.add(left("ended", 12), quiet);
        heading.add(right("went", 10), quiet);
    }
    heading.add(right("freed", 11), quiet);
    let mut all = vec![title.line(), heading.line()];
    match &view.runs {
        None => all.push(Line::styled("   Reading the logs…", quiet)),
        Some(runs) if runs.is_empty() => {
            let text = "   No run of this computer yet. Every sweep stands here with its log.";
            all.push(Line::styled(cut(text, usize::from(area.width)), quiet));
        }
        Some(_) => {}
    }
    let room = usize::from(area.height).saturating_sub(all.len() + 1);
    let first = first_row(view.focus, runs.len(), room);
    for (at, log) in runs.iter().enumerate().skip(first).take(room) {
        let is_focus = at == view.focus;
        let line = row(theme, log, is_focus, area.width);
        all.push(if is_focus {
            raise(theme, line, area.width)
        } else {
            line
        });
    }
    all
}

/// What went of a run: how many, and bytes.
fn went(log: &LogSummary) -> (u64, u64) {
    let all = log.sums.went().iter();
    all.fold((0, 0), |(items, bytes), one| {
        (
            items + one.sum.items,
            u64::saturating_add(bytes, one.sum.bytes),
        )
    })
}

fn state(log: &LogSummary) -> &'static str {
    match log.state {
        LogState::Finished => "finished",
        LogState::Stopped => "stopped",
        LogState::Interrupted => "broke off",
        LogState::Recovered => "settled",
        LogState::Rehearsed => "rehearsed",
    }
}

fn row(theme: &Theme, log: &LogSummary, is_focus: bool, width: u16) -> Line<'static> {
    let mut line = Pieces::default();
    line.add(edge(theme, is_focus), theme.style(Role::Straw));
    let started = log.started.to_zoned(TimeZone::system());
    let started = started.strftime("  %e %b %Y %H:%M").to_string();
    line.add(left(&started, 21), theme.style(Role::Text));
    let (items, freed) = went(log);
    if width >= WIDE {
        line.add(left(state(log), 12), theme.style(Role::Quiet));
        line.add(right(&count(items), 10), theme.style(Role::Text));
    }
    line.add(right(&bytes(freed), 11), theme.style(Role::Text));
    line.line()
}

/// What one run did: its outcomes, what stayed and why, the biggest that went.
fn told(theme: &Theme, log: &LogSummary, width: usize) -> Vec<Line<'static>> {
    let (quiet, text) = (theme.style(Role::Quiet), theme.style(Role::Text));
    let mut all = Vec::new();
    let mut fact = |about: &str, says: &str| {
        let mut line = Pieces::default();
        line.add(left(about, 11), quiet);
        line.add(cut(says, width.saturating_sub(11)), text);
        all.push(line.line());
    };
    fact("log", &format!("{}, {}", log.run, state(log)));
    fact("computer", &format!("{}, {}", log.label, log.target));
    if let (before, Some(after)) = log.free {
        fact(
            "free",
            &format!("{} before, {} after", bytes(before), bytes(after)),
        );
    }
    if log.is_partial {
        fact("partial", "the scan before had been stopped");
    }
    for (at, (outcome, sum)) in log.sums.outcomes().iter().enumerate() {
        let about = if at == 0 { "outcomes" } else { "" };
        let items = count(sum.items);
        fact(
            about,
            &format!("{:<10} {items:>9}  {}", outcome.name(), bytes(sum.bytes)),
        );
    }
    if log.unsettled > 0 {
        let items = counted(log.unsettled, "item");
        fact(
            "unsettled",
            &format!("{items}; `jolly-broom log recover` looks what became of them"),
        );
    }
    all.push(Line::default());
    for stayed in log.sums.stayed().take(TOLD) {
        let says = format!(
            "{} stayed, {}: {}, such as {}",
            count(stayed.sum.items),
            stayed.outcome.name(),
            stayed.reason,
            stayed.example
        );
        all.push(Line::styled(cut(&says, width), theme.style(Role::Straw)));
        let advice = format!("  {}", stayed.outcome.advice());
        all.push(Line::styled(cut(&advice, width), quiet));
    }
    if log.sums.stayed().next().is_none() {
        all.push(Line::styled("Nothing of its list stayed.", quiet));
    }
    all.push(Line::default());
    for large in log.sums.biggest().iter().take(TOLD) {
        let mut line = Pieces::default();
        line.add(right(&bytes(large.bytes), 10), text);
        let place = cut_front(&large.place, width.saturating_sub(12));
        line.add(format!("  {place}"), text);
        all.push(line.line());
    }
    all
}
