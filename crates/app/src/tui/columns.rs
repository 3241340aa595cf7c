//! Which columns fit, and where they stand.

use jolly_core::rule::{BAND_COUNT, BAND_NAMES};
use ratatui::text::Line;

use crate::tui::draw::{Pieces, left, right};
use crate::tui::theme::{Role, Theme};

/// Width of an account's name.
pub(in crate::tui) const ACCOUNT: usize = 9;
/// Width of an age limit.
pub(in crate::tui) const LIMIT: usize = 11;
/// Width of a size.
pub(in crate::tui) const SIZE: usize = 10;
/// Width of a count of files.
pub(in crate::tui) const FILES: usize = 9;
/// Width of one age band: a gap and three cells.
const BAND: usize = 4;
/// The edge and the mark.
const MARKS: usize = 3;
/// The sign of the class, where no heading says it.
const CLASS: usize = 2;
/// The share of all that is taken: a gap and the bar.
const SHARE: usize = 9;
/// Where there is room, the bar of a share is longer, up to this.
const LONGEST_SHARE: usize = 41;
/// What wide terminals give the titles.
const TITLE_GETS: usize = 8;
/// The note at the end: a count with its word, or where room is short the word alone.
const NOTE: usize = 9;
const SHORT_NOTE: usize = 7;

/// The bands that bars are drawn for, each up to the next: all of them, or merged into four.
pub(in crate::tui) const ALL_BANDS: [usize; BAND_COUNT] = [0, 1, 2, 3, 4, 5, 6, 7, 8, 9, 10, 11];
const MERGED_BANDS: [usize; 4] = [0, 4, 6, 8];

/// Which columns fit.
pub(in crate::tui) struct Columns {
    pub title: usize,
    pub has_class: bool,
    /// The first age band of each bar.
    pub bands: &'static [usize],
    pub has_found: bool,
    pub has_files: bool,
    /// Width of the share, none where it doesn't fit.
    pub share: usize,
    note: usize,
}

impl Columns {
    /// The columns for a width, with the sign of the class where rows stand below no heading. They
    /// give way in this order: share, files; the age bands merge into four; found; titles.
    pub(in crate::tui) fn fit(width: usize, has_class: bool) -> Self {
        let mut columns = Self {
            title: 24,
            has_class,
            bands: &ALL_BANDS,
            has_found: true,
            has_files: true,
            share: if has_class { SHARE - CLASS } else { SHARE },
            note: NOTE,
        };
        if columns.width() > width {
            columns.share = 0;
        }
        if columns.width() > width {
            columns.has_files = false;
            columns.note = SHORT_NOTE;
        }
        if columns.width() > width {
            columns.bands = &MERGED_BANDS;
        }
        if columns.width() > width {
            columns.has_found = false;
        }
        let missing = columns.width().saturating_sub(width);
        columns.title = columns.title.saturating_sub(missing);
        // Wide terminals give the titles room, and longer bars.
        let spare = width.saturating_sub(columns.width());
        let title = (spare / 4).min(TITLE_GETS);
        columns.title += title;
        if columns.share > 0 {
            columns.share = (columns.share + spare - title).min(LONGEST_SHARE);
        }
        columns
    }

    fn width(&self) -> usize {
        self.share_at() + self.share + self.note
    }

    /// Where the share starts, behind the figures.
    pub(in crate::tui) fn share_at(&self) -> usize {
        let found = if self.has_found { SIZE } else { 0 };
        let files = if self.has_files { FILES } else { 0 };
        self.takes_at() + SIZE + found + files
    }

    /// Where the takes start.
    pub(in crate::tui) fn takes_at(&self) -> usize {
        self.bands_at() + self.bands.len() * BAND + LIMIT
    }

    /// The age bands at a column of the screen, the first and the one behind the last, if any are
    /// there.
    pub(in crate::tui) fn bands_under(&self, column: usize) -> Option<(usize, usize)> {
        let at = column.checked_sub(self.bands_at())? / BAND;
        let first = *self.bands.get(at)?;
        let end = self.bands.get(at + 1).copied().unwrap_or(BAND_COUNT);
        Some((first, end))
    }

    /// Where the age bands start.
    pub(in crate::tui) fn bands_at(&self) -> usize {
        self.title_at() + self.title + ACCOUNT
    }

    /// Where titles start.
    pub(in crate::tui) fn title_at(&self) -> usize {
        MARKS + if self.has_class { CLASS } else { 0 }
    }

    /// Leaves out what is drawn.
    pub(in crate::tui) fn leave_out_bars(&mut self) {
        self.bands = &[];
        self.share = 0;
    }

    /// Whether a note fits at the end of a row.
    pub(in crate::tui) fn fits_note(&self, words: &str) -> bool {
        words.len() < self.note
    }

    /// The line above the list.
    pub(in crate::tui) fn heading(&self, theme: &Theme) -> Line<'static> {
        let quiet = theme.style(Role::Quiet);
        let mut line = Pieces::default();
        line.to(self.bands_at());
        for band in self.bands {
            // A band's name stands at its young edge, where the cut line would be.
            let name = BAND_NAMES.get(*band).copied().unwrap_or_default();
            line.add(left(&format!(" {name}"), BAND), quiet);
        }
        line.add(left(" older than", LIMIT), quiet);
        line.add(right("takes", SIZE), quiet);
        if self.has_found {
            line.add(right("of", SIZE), quiet);
        }
        if self.has_files {
            line.add(right("items", FILES), quiet);
        }
        if self.share > 0 {
            line.add(" share", quiet);
        }
        line.line()
    }
}

#[cfg(test)]
mod tests {
    use super::*;
    use crate::tui::draw::drop_words;

    #[test]
    fn columns_give_way_in_their_order_and_always_fit() {
        for width in 80..260 {
            for has_class in [false, true] {
                let columns = Columns::fit(width, has_class);
                assert!(columns.width() <= width, "{width}");
                let is_merged = columns.bands.len() == MERGED_BANDS.len();
                assert!(columns.share == 0 || columns.has_files);
                assert!(!columns.has_files || !is_merged);
                assert!(columns.has_found || is_merged);
            }
        }
        assert!(Columns::fit(142, false).share >= SHARE);
    }

    /// Titles are read whole on the screens that people have.
    #[test]
    fn titles_of_all_rules_fit_their_column() {
        for text in [
            include_str!("../../../../rulebooks/linux.toml"),
            include_str!("../../../../rulebooks/windows.toml"),
            include_str!("../../../../rulebooks/macos.toml"),
        ] {
            let titles = text.lines().filter(|line| line.starts_with("title"));
            let titles: Vec<_> = titles.filter_map(|line| line.split('"').nth(1)).collect();
            assert!(titles.len() > 40, "{}", titles.len());
            for title in titles {
                for (width, has_class) in [(80, false), (142, false), (142, true)] {
                    let room = Columns::fit(width, has_class).title;
                    assert!(title.chars().count() <= room, "{title} at {width}");
                }
                // Where a sign stands before it, words go, and no letters.
                let room = Columns::fit(80, true).title;
                let shown = drop_words(title, room);
                assert!(title.starts_with(&shown) && shown.len() <= room && shown.len() >= 3);
            }
        }
    }
}
