//! The strip: the volume as one bar, and its figures.

use ratatui::Frame;
use ratatui::layout::Rect;

use crate::tui::draw::{Pieces, VolumeParts, left, volume_bar};
use crate::tui::model::{Model, Station};
use crate::tui::theme::{Role, Theme};
use crate::tui::view::lines;
use crate::wording::bytes;

/// What the strip says: bytes.
struct Figures {
    parts: VolumeParts,
    found: Option<u64>,
}

/// Of a volume at least so much of the whole, one part in that many, is worth a word.
const WORTH_A_WORD: u64 = 100;

/// Columns before the bar.
const LABEL: usize = 6;

pub(super) fn draw(model: &Model, theme: &Theme, frame: &mut Frame<'_>, area: Rect) {
    let Some(figures) = figures(model) else {
        return;
    };
    let mut bar = Pieces::default();
    let is_part = model.weigh.as_ref().is_some_and(|it| it.scan.is_partial);
    let is_part = is_part && model.station != Station::Arrive && !is_scanning(model);
    // There is no room for more words at the least width, and this must not go unsaid.
    let (label, role) = if is_part {
        ("part", Role::Ask)
    } else {
        ("disk", Role::Quiet)
    };
    bar.add(format!(" {} ", left(label, LABEL - 2)), theme.style(role));
    let width = usize::from(area.width).saturating_sub(LABEL + 6);
    let Figures { parts, found } = figures;
    volume_bar(theme, &mut bar, parts, width);
    let mut text = Pieces::default();
    let quiet = theme.style(Role::Quiet);
    let is_narrow = area.width < 100;
    let dot = if is_narrow {
        ", ".to_owned()
    } else {
        format!("  {}  ", theme.glyphs.dot)
    };
    text.to(if is_narrow { 1 } else { LABEL });
    let kept = if model.station == Station::Arrive {
        "used "
    } else if is_narrow {
        "kept "
    } else {
        "kept on disk "
    };
    text.add(kept, quiet)
        .add(bytes(parts.kept), theme.style(Role::Text));
    let is_scanning = is_scanning(model);
    if model.station == Station::Arrive {
        text.add(format!("{dot}free "), quiet)
            .add(bytes(parts.free), theme.style(Role::Text));
        let whole = (parts.kept.saturating_add(parts.free)).saturating_add(parts.reserved);
        text.add(format!(" of {}", bytes(whole)), quiet);
        if parts.reserved.saturating_mul(WORTH_A_WORD) >= whole && parts.reserved > 0 {
            text.add(format!("{dot}{} reserved", bytes(parts.reserved)), quiet);
        }
        return lines(frame, area, vec![bar.line(), text.line()]);
    }
    let word = if is_scanning {
        "found so far"
    } else {
        "to sweep"
    };
    text.add(format!("{dot}{word} "), quiet);
    text.add(bytes(parts.swept), theme.style(Role::Straw));
    if let Some(found) = found {
        text.add(format!(" of {} found", bytes(found)), quiet);
    }
    text.add(format!("{dot}free "), quiet)
        .add(bytes(parts.free), theme.style(Role::Text));
    // While a scan is under way nothing has been decided, so nothing is promised.
    if !is_scanning {
        let after = parts.free.saturating_add(parts.swept);
        text.add(format!(" {} ", theme.glyphs.arrow), quiet);
        text.add(bytes(after), theme.style(Role::Straw));
    }
    if is_part && !is_narrow {
        let words = format!("{dot}a part: the scan was stopped");
        text.add(words, theme.style(Role::Ask));
    }
    lines(frame, area, vec![bar.line(), text.line()]);
}

/// Whether a scan is under way, so that nothing is decided yet.
fn is_scanning(model: &Model) -> bool {
    model.station == Station::Scan && (model.scanning.took.is_none() || model.weigh.is_none())
}

fn figures(model: &Model) -> Option<Figures> {
    if model.station == Station::Arrive {
        let volume = model.bench.focused()?.arrived()?.arrival.volume?;
        let parts = VolumeParts {
            kept: volume.used,
            swept: 0,
            free: volume.free,
            reserved: volume.reserved(),
        };
        return Some(Figures { parts, found: None });
    }
    // Nothing is known of a computer that is still being opened.
    model.session.as_ref()?;
    if is_scanning(model) {
        let (_, found) = model.scanning.sums();
        let volume = model.weigh.as_ref().map(|weigh| weigh.scan.volume);
        let volume = volume.unwrap_or(model.facts.volume);
        let swept = found.min(volume.used);
        let parts = VolumeParts {
            kept: volume.used - swept,
            swept,
            free: volume.free,
            reserved: volume.reserved(),
        };
        return Some(Figures { parts, found: None });
    }
    let weigh = model.weigh.as_ref()?;
    let volume = weigh.scan.volume;
    if let (Station::Sweep, Some(sweeping)) = (model.station, &model.sweeping) {
        let freed = sweeping.freed_in_all();
        let planned = sweeping.planned_in_all();
        let parts = VolumeParts {
            kept: volume.used.saturating_sub(planned),
            swept: planned.saturating_sub(freed),
            free: volume.free.saturating_add(freed),
            reserved: volume.reserved(),
        };
        return Some(Figures { parts, found: None });
    }
    let swept = weigh.decisions.takes_in_all().bytes;
    Some(Figures {
        parts: VolumeParts {
            kept: volume.used.saturating_sub(swept),
            swept,
            free: volume.free,
            reserved: volume.reserved(),
        },
        found: Some(weigh.decisions.found_in_all().bytes),
    })
}
