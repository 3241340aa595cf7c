//! Age bars with the cut line.

use jolly_core::decide::PileState;
use jolly_core::rule::{AgeLimit, BAND_COUNT, BAND_EDGES, Class};
use jolly_core::source::PileId;

use crate::tui::columns::Columns;
use crate::tui::draw::Pieces;
use crate::tui::model::{ClassSum, Weigh};
use crate::tui::theme::{Role, Theme};

/// The bars of a pile.
pub(super) fn pile(
    theme: &Theme,
    line: &mut Pieces<'_>,
    weigh: &Weigh,
    id: PileId,
    columns: &Columns,
) {
    let bars = Bars {
        goes: matches!(
            weigh.decisions.state(&weigh.scan, id),
            PileState::Taken | PileState::Part
        ),
        limit: weigh.decisions.of(id).limit,
        class: weigh.class_of(id),
        bands: columns.bands,
        cells: 3,
    };
    bars.draw(theme, line, &weigh.scan.pile(id).bands);
}

/// The bars of several piles of a class, without a line: each has its own.
pub(super) fn class(
    theme: &Theme,
    line: &mut Pieces<'_>,
    sum: &ClassSum,
    class: Class,
    columns: &Columns,
) {
    let bars = Bars {
        goes: sum.takes.items > 0,
        limit: None,
        class,
        bands: columns.bands,
        cells: 3,
    };
    bars.draw(theme, line, &sum.bands);
}

/// A pile's share of the most that any takes, as a thin bar.
pub(super) fn share(theme: &Theme, bytes: u64, most: u64, width: usize) -> String {
    let [half, whole] = theme.glyphs.share;
    let steps = (width as u128 * 2 * u128::from(bytes))
        .checked_div(u128::from(most))
        .unwrap_or(0);
    let steps = usize::try_from(steps).unwrap_or(0);
    // What is taken shows, however little it is.
    let steps = if bytes > 0 { steps.max(1) } else { 0 };
    whole.repeat(steps / 2) + if steps % 2 == 1 { half } else { "" }
}

/// How bars are drawn.
pub(in crate::tui::view) struct Bars {
    /// Whether what is right of the line goes.
    pub goes: bool,
    pub limit: Option<AgeLimit>,
    pub class: Class,
    /// The first age band of each bar.
    pub bands: &'static [usize],
    /// How wide a bar is.
    pub cells: u64,
}

impl Bars {
    /// Draws a bar for each of the bands, and the cut line.
    pub(in crate::tui::view) fn draw(
        &self,
        theme: &Theme,
        line: &mut Pieces<'_>,
        bands: &[u64; BAND_COUNT],
    ) {
        let limit = self.limit.map_or(0, AgeLimit::as_seconds);
        let held = |at: usize| {
            let first = self.bands.get(at).copied().unwrap_or(BAND_COUNT);
            let end = self.bands.get(at + 1).copied().unwrap_or(BAND_COUNT);
            bands.get(first..end).unwrap_or_default().iter().sum()
        };
        let all: Vec<u64> = (0..self.bands.len()).map(held).collect();
        let most = all.iter().copied().max().unwrap_or(0);
        // The line of what is left is about nothing yet.
        let cut = theme.style(if self.goes { Role::Straw } else { Role::Faint });
        for (at, held) in all.into_iter().enumerate() {
            let (young, old) = self.edges(at);
            let has_cut_before = limit == young && limit > 0;
            let gap = if has_cut_before {
                theme.glyphs.cut
            } else {
                " "
            };
            line.add(gap, cut);
            let glyph = bar(theme, held, most);
            let part = |limit: u64| (limit - young) * self.cells / (old - young);
            // How many of the cells are left of the cut line.
            let kept = match (self.goes, limit) {
                (false, _) => self.cells,
                (true, limit) if limit <= young => 0,
                (true, limit) if limit >= old => self.cells,
                (true, limit) => part(limit),
            };
            let is_inside = limit > young && limit < old;
            for cell in 0..self.cells {
                if is_inside && cell == part(limit) {
                    line.add(theme.glyphs.cut, cut);
                    continue;
                }
                let role = match (held, cell < kept) {
                    (0, _) => Role::Faint,
                    (_, true) => Role::Kept,
                    (_, false) => Theme::class_role(self.class),
                };
                line.add(one(glyph, cell), theme.style(role));
            }
        }
    }

    /// The young and the old edge of a bar in seconds; the last one ends as far again as its oldest
    /// band began.
    fn edges(&self, at: usize) -> (u64, u64) {
        let edge = |band: usize| BAND_EDGES.get(band).copied().unwrap_or(0);
        let young = self.bands.get(at).map_or(0, |band| edge(*band));
        let old = self.bands.get(at + 1).map(|band| edge(*band));
        (young, old.unwrap_or(edge(BAND_COUNT - 1) * 2))
    }
}

/// The cells of a bar, or what stands for an empty band.
fn bar(theme: &Theme, held: u64, most: u64) -> &'static str {
    if held == 0 || most == 0 {
        return theme.glyphs.empty_band;
    }
    let height = (u128::from(held) * 8)
        .div_ceil(u128::from(most))
        .clamp(1, 8);
    let at = usize::try_from(height).unwrap_or(8) - 1;
    theme.glyphs.bars.get(at).copied().unwrap_or(" ")
}

/// One cell of a bar: the sign itself, or that cell of a sign that is three cells wide.
fn one(glyph: &'static str, cell: u64) -> String {
    let mut letters = glyph.chars();
    let first = letters.next().unwrap_or(' ');
    glyph
        .chars()
        .nth(usize::try_from(cell).unwrap_or(0))
        .unwrap_or(first)
        .to_string()
}
