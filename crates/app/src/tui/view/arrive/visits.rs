//! What is known from earlier visits: free space over time, what has grown since the last one, when it will be full.

use jolly_core::report::Regrown;
use jolly_core::state::{Sheet, Visit};

use crate::tui::draw::wrap;
use crate::tui::model::{Arrived, Model};
use crate::tui::theme::Theme;
use crate::wording::{bytes, counted, full_again};

/// Visits that are drawn.
const DRAWN: usize = 12;

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
    let mut told = vec![("visits", visits(sheet))];
    if !theme.is_spoken() {
        told.push(("", over_time(theme, sheet)));
    }
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

/// How many there were, since when, and what went in all.
fn visits(sheet: &Sheet) -> String {
    let many = counted(sheet.visits.len() as u64, "visit");
    let swept: u64 = sheet.visits.iter().map(Visit::swept).sum();
    let first = sheet.visits.first().map(|visit| visit.started);
    let since = first.map_or_else(String::new, |first| {
        format!(" since {}", first.strftime("%-d %b %Y"))
    });
    format!("{many}{since}, {} swept", bytes(swept))
}

/// Each visit as bars: what was free of its volume when it began, what was found, and what went.
fn over_time(theme: &Theme, sheet: &Sheet) -> String {
    let skip = sheet.visits.len().saturating_sub(DRAWN);
    let shown = sheet.visits.get(skip..).unwrap_or_default();
    let most = |of: fn(&Visit) -> u64| shown.iter().map(of).max().unwrap_or(0);
    let (found, swept) = (most(Visit::found), most(Visit::swept));
    format!(
        "free {} · found {} · swept {}",
        bars(theme, shown, &|visit| (visit.free, visit.size)),
        bars(theme, shown, &|visit| (visit.found(), found)),
        bars(theme, shown, &|visit| (visit.swept(), swept)),
    )
}

/// A bar for each visit: a part of a whole.
fn bars(theme: &Theme, visits: &[Visit], of: &dyn Fn(&Visit) -> (u64, u64)) -> String {
    let all = theme.glyphs.bars;
    let highest = all.len().saturating_sub(1);
    let bar = |visit: &Visit| {
        let (part, whole) = of(visit);
        let steps = u128::from(part) * all.len() as u128 / u128::from(whole.max(1));
        let at = usize::try_from(steps).unwrap_or(highest).min(highest);
        all.get(at).copied().unwrap_or(" ")
    };
    visits.iter().map(bar).collect()
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
