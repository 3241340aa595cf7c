//! The sweep station: the strip empties.

use jolly_core::plan::Outcome;
use jolly_core::rule::Class;
use jolly_core::run::ClassProgress;
use ratatui::Frame;
use ratatui::layout::Rect;
use ratatui::text::Line;

use crate::tui::draw::{Pieces, cut_front, left, right, shares};
use crate::tui::model::{Model, Sweeping};
use crate::tui::theme::{Role, Theme};
use crate::tui::view::lines;
use crate::wording::{age, bytes, count, counted};

/// Rows of the chart at most, and the least that shows anything.
const TALLEST: usize = 10;
const LOWEST: usize = 3;

/// How many samples the width shows at least.
const SHORTEST: usize = 20;

/// Columns of the chart's axis.
const AXIS: usize = 12;

pub(super) fn draw(model: &Model, theme: &Theme, frame: &mut Frame<'_>, area: Rect) {
    let Some(sweeping) = &model.sweeping else {
        return;
    };
    let width = usize::from(area.width).saturating_sub(2);
    let (text, quiet) = (theme.style(Role::Text), theme.style(Role::Quiet));
    let elapsed = sweeping.worked(model.clock);
    let mut head = Pieces::default();
    let is_held = sweeping.held.0.is_some();
    let state = match (sweeping.is_stopping, is_held) {
        (true, _) => " Stopping",
        (false, true) => " Paused",
        (false, false) if sweeping.done == sweeping.of => " Finishing",
        (false, false) => " Sweeping",
    };
    head.add(state, theme.bold(Role::Straw));
    head.add(format!("   {} ", count(sweeping.done)), text);
    head.add(format!("of {} items", count(sweeping.of)), quiet);
    head.add(format!("   {:.1} s", elapsed.as_secs_f64()), text);
    if let Some(left) = sweeping.left(model.clock) {
        head.add(format!("   about {} left", age_or_seconds(left)), quiet);
    }
    if sweeping.done == sweeping.of {
        head.add("   the disk writes what is still in memory", quiet);
    } else if is_held {
        head.add("   nothing is touched meanwhile; p goes on", quiet);
    }
    let mut all = vec![head.line(), Line::default()];
    let mut heading = Pieces::default();
    heading.to(width.saturating_sub(OUTCOMES + 28));
    for name in ["freed", "of", "removed", "set aside", "stayed"] {
        let wide = if matches!(name, "freed" | "of") {
            12
        } else {
            OUTCOMES / 3
        };
        heading.add(right(name, wide), quiet);
    }
    all.push(heading.line());
    for (class, planned) in &sweeping.planned {
        let progress = sweeping.classes.get(class).copied().unwrap_or_default();
        all.push(class_line(theme, *class, &progress, *planned, width));
    }
    all.push(Line::default());
    let mut now = Pieces::default();
    now.add(" now  ", quiet);
    now.add(cut_front(&sweeping.last, width.saturating_sub(8)), text);
    all.push(now.line());
    all.push(outcomes(theme, sweeping, width));
    all.push(Line::default());
    let room = usize::from(area.height).saturating_sub(all.len() + 3);
    if room >= LOWEST && !theme.is_spoken() {
        all.extend(chart(theme, sweeping, width, room.min(TALLEST)));
    }
    lines(frame, area, all);
}

/// Width of the counts of a class.
const OUTCOMES: usize = 33;

/// How many items came to what; what nothing came to is left out where there is no room for it.
fn outcomes(theme: &Theme, sweeping: &Sweeping, width: usize) -> Line<'static> {
    let told = |outcome: Outcome| {
        let sum = sweeping.outcomes.get(&outcome).copied().unwrap_or_default();
        // Few runs have copies that keep their name, and no sweep packs anything.
        let is_rare = matches!(outcome, Outcome::Shared | Outcome::Packed);
        let is_told = !is_rare || sum.items > 0;
        is_told.then(|| {
            let name = format!(" {}   ", outcome.name());
            (sum.items, count(sum.items), name)
        })
    };
    let all: Vec<(u64, String, String)> = Outcome::ALL.into_iter().filter_map(told).collect();
    let wide: usize = all
        .iter()
        .map(|(_, many, name)| many.len() + name.len())
        .sum();
    let mut line = Pieces::default();
    line.add(" ", theme.style(Role::Quiet));
    for (items, many, name) in all {
        if items > 0 || wide <= width {
            let role = if items == 0 { Role::Faint } else { Role::Text };
            line.add(many, theme.style(role));
            line.add(name, theme.style(Role::Quiet));
        }
    }
    line.line()
}

/// A short time in words.
fn age_or_seconds(time: std::time::Duration) -> String {
    match time.as_secs() {
        seconds @ ..60 => counted(seconds, "second"),
        seconds => age(seconds),
    }
}

fn class_line(
    theme: &Theme,
    class: Class,
    progress: &ClassProgress,
    planned: u64,
    width: usize,
) -> Line<'static> {
    let role = Theme::class_role(class);
    let freed = progress.freed();
    let mut line = Pieces::default();
    line.add(format!(" {} ", theme.class_glyph(class)), theme.style(role));
    line.add(left(class.name(), 9), theme.bold(role));
    let wide = width.saturating_sub(OUTCOMES + 42);
    let [done, rest] = shares([freed, planned.saturating_sub(freed)], wide);
    match theme.fill(role) {
        Some(style) => line.add(" ".repeat(done), style),
        None => line.add(theme.glyphs.kept.repeat(done), theme.style(role)),
    };
    line.add(theme.glyphs.swept.repeat(rest), theme.style(Role::Faint));
    line.to(width.saturating_sub(OUTCOMES + 28));
    line.add(right(&bytes(freed), 12), theme.style(Role::Text));
    line.add(right(&bytes(planned), 12), theme.style(Role::Quiet));
    for sum in [progress.removed, progress.aside, progress.stayed] {
        let role = if sum.items == 0 {
            Role::Faint
        } else {
            Role::Text
        };
        line.add(right(&count(sum.items), OUTCOMES / 3), theme.style(role));
    }
    line.line()
}

/// What came back in each moment, from the start until now over the whole width: bytes a second
/// upwards, time to the right.
fn chart(theme: &Theme, sweeping: &Sweeping, width: usize, rows: usize) -> Vec<Line<'static>> {
    let quiet = theme.style(Role::Quiet);
    let most = sweeping.rate.iter().copied().max().unwrap_or(0).max(1);
    let sample = sweeping.sample();
    let a_second = |bytes: u64| {
        let rate = u128::from(bytes) * 1000 / sample.as_millis().max(1);
        u64::try_from(rate).unwrap_or(u64::MAX)
    };
    let columns = width.saturating_sub(AXIS + 2);
    // A sweep that has just begun fills a part; a long one all of it.
    let samples = sweeping.rate.len().max(SHORTEST);
    let levels = (rows * 8) as u128;
    let mut all = vec![Line::styled(" freed a second", quiet)];
    for row in (0..rows).rev() {
        let label = match row {
            top if top + 1 == rows => bytes(a_second(most)),
            0 => "0".to_owned(),
            middle if middle == rows / 2 => {
                let part = most * middle as u64 / rows as u64;
                bytes(a_second(part))
            }
            _ => String::new(),
        };
        let mut line = Pieces::default();
        line.add(right(&label, AXIS - 1), quiet);
        line.add(format!(" {}", theme.glyphs.axis), theme.style(Role::Faint));
        let cells: String = (0..columns)
            .map(|column| {
                let at = column * samples / columns.max(1);
                let held = sweeping.rate.get(at).copied().unwrap_or(0);
                let height = u128::from(held) * levels / u128::from(most);
                let height = usize::try_from(height).unwrap_or(0);
                let inside = height.saturating_sub(row * 8).min(8);
                let bar = inside
                    .checked_sub(1)
                    .and_then(|at| theme.glyphs.bars.get(at).copied());
                bar.unwrap_or(" ")
            })
            .collect();
        line.add(cells, theme.style(Role::Straw));
        all.push(line.line());
    }
    let end = sample.as_secs_f64() * samples as f64;
    let mut times = Pieces::default();
    times.to(AXIS + 1);
    times.add("0 s", quiet);
    let middle = format!("{:.1} s", end / 2.0);
    times.to(AXIS + 1 + columns / 2);
    times.add(middle, quiet);
    let last = format!("{end:.1} s");
    times.to((AXIS + 1 + columns).saturating_sub(last.len()));
    times.add(last, quiet);
    all.push(times.line());
    all
}
