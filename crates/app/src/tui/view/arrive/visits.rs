//! What is known from earlier visits: free space over time, what has grown since the last one, when it will be full.

use jolly_core::report::Regrown;
use jolly_core::state::{Sheet, Visit};

use crate::tui::draw::wrap;
use crate::tui::model::{Arrived, Model};
use crate::tui::theme::Theme;
use crate::wording::{bytes, counted, full_again};

/// Visits that are drawn.
const DRAWN: usize = 24;

/// Piles that are named of what has grown.
const NAMED: usize = 3;

/// What is told, line by line, each sentence with what it is about; on a low screen signs matter more than the rest of a
/// sentence.
pub(super) fn lines(
    model: &Model,
    theme: &Theme,
    arrived: &Arrived,
    (width, is_high): (usize, bool),
) -> Vec<(&'static str, String)> {
    let told = told(model, theme, arrived).into_iter();
    let wrapped = told.flat_map(|(about, says)| {
        let lines = wrap(&says, width);
        let shown = if is_high { lines.len() } else { 1 };
        let about = std::iter::once(about).chain(std::iter::repeat(""));
        about.zip(lines).take(shown).collect::<Vec<_>>()
    });
    wrapped.collect()
}

fn told(model: &Model, theme: &Theme, arrived: &Arrived) -> Vec<(&'static str, String)> {
    let was_here = arrived.session.visit_number() > 1;
    let Some(sheet) = arrived.sheet().filter(|_| was_here) else {
        return Vec::new();
    };
    let mut told = vec![("visits", over_time(theme, sheet))];
    if !sheet.note.is_empty() {
        let note = jolly_core::format::Printable(sheet.note.as_bytes()).to_string();
        told.push(("note", note));
    }
    let is_own = model.is_chosen(&arrived.session);
    let weigh = model.weigh.as_ref().filter(|_| is_own);
    if let Some(regrown) = weigh.and_then(|weigh| weigh.regrown.as_ref()) {
        told.push(("grown", grown(regrown)));
    }
    told.push((
        "full again",
        full_again(
            arrived.forecast.as_ref(),
            arrived.now,
            arrived.session.little,
        ),
    ));
    told
}

/// Each visit as a bar of what was free of its volume when it began.
fn over_time(theme: &Theme, sheet: &Sheet) -> String {
    let many = counted(sheet.visits.len() as u64, "visit");
    let swept: u64 = sheet.visits.iter().map(Visit::swept).sum();
    let first = sheet.visits.first().map(|visit| visit.started);
    let since = first.map_or_else(String::new, |first| {
        format!(" since {}", first.strftime("%-d %b %Y"))
    });
    let skip = sheet.visits.len().saturating_sub(DRAWN);
    let bars: String = sheet
        .visits
        .iter()
        .skip(skip)
        .map(|visit| bar(theme, visit))
        .collect();
    let drawn = if theme.is_spoken() {
        String::new()
    } else {
        format!("   free {bars}")
    };
    format!("{many}{since}, {} swept{drawn}", bytes(swept))
}

fn bar(theme: &Theme, visit: &Visit) -> &'static str {
    let all = theme.glyphs.bars;
    let steps = all.len() as u64;
    let at = visit
        .free
        .saturating_mul(steps)
        .checked_div(visit.size.max(1))
        .unwrap_or(0);
    let at = usize::try_from(at)
        .unwrap_or(0)
        .min(all.len().saturating_sub(1));
    all.get(at).copied().unwrap_or(" ")
}

fn grown(regrown: &Regrown) -> String {
    let since = regrown.since.strftime("%-d %b");
    if regrown.piles.is_empty() {
        return format!("nothing of what the rules find since {since}");
    }
    let named = regrown.piles.iter().take(NAMED).map(|one| {
        let whose = one.account.as_ref().map_or_else(String::new, |name| {
            let name = jolly_core::format::Printable(name.as_bytes());
            format!(" of {name}")
        });
        format!("{}{whose} {}", one.title, bytes(one.grown()))
    });
    let named: Vec<String> = named.collect();
    let whole = bytes(regrown.grown());
    format!("{whole} since {since}: {}", named.join(", "))
}
