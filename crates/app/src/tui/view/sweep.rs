//! The sweep station: the strip empties.

use jolly_core::plan::Outcome;
use jolly_core::rule::Class;
use ratatui::Frame;
use ratatui::layout::Rect;
use ratatui::text::Line;

use crate::tui::draw::{Pieces, left, right, shares};
use crate::tui::model::{Model, Sweeping};
use crate::tui::theme::{Role, Theme};
use crate::tui::view::lines;
use crate::wording::{age, bytes, count, counted};

/// Rows of the chart.
const CHART: usize = 4;

/// Columns of one sample in it.
const SAMPLE: usize = 2;

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
        head.add("   what changed is brought to the disk", quiet);
    } else if is_held {
        head.add("   nothing is touched meanwhile; p goes on", quiet);
    }
    let mut all = vec![head.line(), Line::default()];
    for (class, planned) in &sweeping.planned {
        let freed = sweeping.freed.get(class).copied().unwrap_or(0);
        all.push(class_line(theme, *class, freed, *planned, width));
        all.push(Line::default());
    }
    all.push(outcomes(theme, sweeping, width));
    all.push(Line::default());
    let most = sweeping.rate.iter().copied().max().unwrap_or(0);
    let each = sweeping.sample().as_secs_f64();
    let a_second = u128::from(most) * 1000 / sweeping.sample().as_millis().max(1);
    let peak = bytes(u64::try_from(a_second).unwrap_or(u64::MAX));
    let heading = format!(" freed per second, {each:.1} s a bar; peak {peak}/s");
    all.push(Line::styled(heading, quiet));
    all.extend(chart(theme, sweeping, width));
    lines(frame, area, all);
}

/// How many items came to what; what nothing came to is left out where there is no room for it.
fn outcomes(theme: &Theme, sweeping: &Sweeping, width: usize) -> Line<'static> {
    let told = |outcome: Outcome| {
        let sum = sweeping.outcomes.get(&outcome).copied().unwrap_or_default();
        (
            sum.items,
            count(sum.items),
            format!(" {}   ", outcome.name()),
        )
    };
    let all = Outcome::ALL.map(told);
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
    freed: u64,
    planned: u64,
    width: usize,
) -> Line<'static> {
    let role = Theme::class_role(class);
    let mut line = Pieces::default();
    line.add(format!(" {} ", theme.class_glyph(class)), theme.style(role));
    line.add(left(class.name(), 10), theme.bold(role));
    let wide = width.saturating_sub(46);
    let [done, rest] = shares([freed, planned.saturating_sub(freed)], wide);
    match theme.fill(role) {
        Some(style) => line.add(" ".repeat(done), style),
        None => line.add(theme.glyphs.kept.repeat(done), theme.style(role)),
    };
    line.add(theme.glyphs.swept.repeat(rest), theme.style(Role::Faint));
    line.add(right(&bytes(freed), 12), theme.style(Role::Text));
    line.add(format!(" of {}", bytes(planned)), theme.style(Role::Quiet));
    line.line()
}

/// Bars, one column a sample, a few rows high.
fn chart(theme: &Theme, sweeping: &Sweeping, width: usize) -> Vec<Line<'static>> {
    let most = sweeping.rate.iter().copied().max().unwrap_or(0).max(1);
    let levels = (CHART * 8) as u128;
    (0..CHART)
        .rev()
        .map(|row| {
            let cells: String = sweeping
                .rate
                .iter()
                .take(width / SAMPLE)
                .map(|bytes| {
                    let height = u128::from(*bytes) * levels / u128::from(most);
                    let inside = usize::try_from(height)
                        .unwrap_or(0)
                        .saturating_sub(row * 8)
                        .min(8);
                    let bars = &theme.glyphs.bars;
                    let bar = inside.checked_sub(1).and_then(|at| bars.get(at).copied());
                    bar.unwrap_or(" ").repeat(SAMPLE)
                })
                .collect();
            Line::styled(format!(" {cells}"), theme.style(Role::Straw))
        })
        .collect()
}
