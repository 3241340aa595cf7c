//! Pieces of lines: text cut and filled to a width, bars.

use ratatui::style::Style;
use ratatui::text::{Line, Span};
use unicode_truncate::UnicodeTruncateStr as _;
use unicode_width::UnicodeWidthStr as _;

use crate::tui::theme::{Role, Theme};

/// Text cut to a width, with `…` where something is missing.
pub(super) fn cut(text: &str, width: usize) -> String {
    if text.width() <= width {
        return text.to_owned();
    }
    let Some(room) = width.checked_sub(1) else {
        return String::new();
    };
    let (shown, _) = text.unicode_truncate(room);
    format!("{shown}…")
}

/// Cuts a line to a width, with `…` where something is missing; blanks at its end are nothing.
pub(super) fn cut_line(line: &mut Line<'_>, width: usize) {
    if line.width() <= width || line.to_string().trim_end().width() <= width {
        return;
    }
    let mut room = width.saturating_sub(1);
    let at = line.spans.iter().position(|span| {
        let fits = span.width() <= room;
        room -= if fits { span.width() } else { 0 };
        !fits
    });
    let Some((at, span)) = at.and_then(|at| Some((at, line.spans.get(at)?))) else {
        return;
    };
    let (shown, _) = span.content.unicode_truncate(room);
    let cut = Span::styled(format!("{shown}…"), span.style);
    line.spans.truncate(at);
    line.spans.push(cut);
}

/// A title without its last words, as many as it takes to fit; the letters of a first word too long
/// are cut.
pub(super) fn drop_words(title: &str, width: usize) -> String {
    const JOIN: [&str; 7] = ["of", "in", "for", "and", "the", "by", "to"];
    let mut words: Vec<&str> = title.split(' ').collect();
    while words.len() > 1 && (words.join(" ").width() > width || ends_open(&words, &JOIN, title)) {
        words.pop();
    }
    cut(&words.join(" "), width)
}

/// Whether the last word that is left joins to one that is gone.
fn ends_open(words: &[&str], joining: &[&str], title: &str) -> bool {
    let is_short = words.join(" ").len() < title.len();
    is_short && words.last().is_some_and(|last| joining.contains(last))
}

/// Text cut to a width from its front: of a path, the end says most.
pub(super) fn cut_front(text: &str, width: usize) -> String {
    if text.width() <= width {
        return text.to_owned();
    }
    let Some(room) = width.checked_sub(1) else {
        return String::new();
    };
    let (shown, _) = text.unicode_truncate_start(room);
    format!("…{shown}")
}

/// Text broken between words into lines of at most a width.
pub(super) fn wrap(text: &str, width: usize) -> Vec<String> {
    let mut lines: Vec<String> = Vec::new();
    for word in text.split_whitespace() {
        match lines.last_mut() {
            Some(line) if line.width() + 1 + word.width() <= width => {
                line.push(' ');
                line.push_str(word);
            }
            _ => lines.push(cut(word, width)),
        }
    }
    lines
}

/// Text cut and filled to exactly a width, at the left.
pub(super) fn left(text: &str, width: usize) -> String {
    let shown = cut(text, width);
    let missing = width.saturating_sub(shown.width());
    shown + &" ".repeat(missing)
}

/// Text cut and filled to exactly a width, at the right.
pub(super) fn right(text: &str, width: usize) -> String {
    let shown = cut(text, width);
    " ".repeat(width.saturating_sub(shown.width())) + &shown
}

/// A line being put together.
#[derive(Default)]
pub(super) struct Pieces<'a> {
    spans: Vec<Span<'a>>,
    width: usize,
}

impl<'a> Pieces<'a> {
    /// Adds a piece.
    pub(super) fn add(&mut self, text: impl Into<String>, style: Style) -> &mut Self {
        let text = text.into();
        self.width += text.width();
        self.spans.push(Span::styled(text, style));
        self
    }

    /// Fills up to a column.
    pub(super) fn to(&mut self, column: usize) -> &mut Self {
        let missing = column.saturating_sub(self.width);
        self.add(" ".repeat(missing), Style::new())
    }

    /// How wide it is.
    pub(super) fn width(&self) -> usize {
        self.width
    }

    /// The line.
    pub(super) fn line(self) -> Line<'a> {
        Line::from(self.spans)
    }
}

/// Shares `width` cells between parts in proportion; a part that is not nothing gets a cell.
pub(super) fn shares<const N: usize>(parts: [u64; N], width: usize) -> [usize; N] {
    let whole: u128 = parts.iter().map(|part| u128::from(*part)).sum();
    let mut cells = [0_usize; N];
    if whole == 0 || width == 0 {
        return cells;
    }
    for (cell, part) in cells.iter_mut().zip(parts) {
        let exact = u128::from(part) * width as u128 / whole;
        *cell = usize::try_from(exact)
            .unwrap_or(width)
            .max(usize::from(part > 0))
            .min(width);
    }
    // What rounding lost or won is the biggest part's.
    let used: usize = cells.iter().sum();
    if let Some(biggest) = cells.iter_mut().max_by_key(|cell| **cell) {
        *biggest = (*biggest + width).saturating_sub(used);
    }
    cells
}

/// What a volume's bytes are.
#[derive(Clone, Copy, Debug, Default)]
pub(super) struct VolumeParts {
    pub kept: u64,
    /// To be swept.
    pub swept: u64,
    pub free: u64,
    /// Neither used nor to be filled.
    pub reserved: u64,
}

/// The volume as one bar: kept, to be swept, free, and apart what its file system reserves.
pub(super) fn volume_bar(theme: &Theme, pieces: &mut Pieces<'_>, parts: VolumeParts, width: usize) {
    if theme.is_spoken() {
        return;
    }
    let parts = [parts.kept, parts.swept, parts.free, parts.reserved];
    let [kept, swept, free, reserved] = shares(parts, width);
    match theme.fill(Role::KeptOnVolume) {
        Some(style) => pieces.add(" ".repeat(kept), style),
        None => pieces.add(theme.glyphs.kept.repeat(kept), theme.style(Role::Text)),
    };
    pieces.add(theme.glyphs.swept.repeat(swept), theme.style(Role::Straw));
    pieces.add(theme.glyphs.free.repeat(free), theme.style(Role::Faint));
    pieces.add(theme.glyphs.rule.repeat(reserved), theme.style(Role::Faint));
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn shares_fill_the_width_and_hide_nothing() {
        assert_eq!(shares([98, 1, 1], 10), [8, 1, 1]);
        assert_eq!(shares([1, 1, 0], 10), [5, 5, 0]);
        assert_eq!(shares([0, 0, 0], 10), [0, 0, 0]);
        assert_eq!(
            shares([u64::MAX, 1, u64::MAX], 10).iter().sum::<usize>(),
            10
        );
        assert_eq!(cut("Installers", 5), "Inst…");
        assert_eq!(cut_front("/mnt/office", 7), "…office");
        assert_eq!(cut_front("/mnt", 4), "/mnt");
        assert_eq!(left("é", 3), "é  ");
        assert_eq!(drop_words("Build caches in projects", 19), "Build caches");
        assert_eq!(drop_words("Thumbnails", 5), "Thum…");
    }
}
