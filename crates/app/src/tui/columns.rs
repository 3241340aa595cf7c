//! Which columns fit, and where they stand.

use jolly_core::rule::{BAND_COUNT, BAND_NAMES};
use ratatui::text::Line;

use crate::tui::draw::{Pieces, left, right};
use crate::tui::theme::{Role, Theme};

/// Width of an account's name.
pub(in crate::tui) const ACCOUNT: usize = 9;
/// Width of an age limit.
pub(in crate::tui) const LIMIT: usize = 12;
/// Width of a size.
pub(in crate::tui) const SIZE: usize = 11;
/// Width of a count of files.
pub(in crate::tui) const FILES: usize = 9;
/// Width of one age band: a gap and three cells.
const BAND: usize = 4;
/// The edge and the mark.
const MARKS: usize = 3;
/// Fewer bands than this say nothing.
const FEWEST_BANDS: usize = 4;
/// What titles give up before a column has to go.
const TITLE_GIVES: usize = 5;
/// The note at the end: a count with its word, or where room is short the word alone.
const NOTE: usize = 14;
const SHORT_NOTE: usize = 8;

/// Which columns fit.
pub(in crate::tui) struct Columns {
    pub title: usize,
    pub has_account: bool,
    pub first_band: usize,
    pub has_found: bool,
    pub has_files: bool,
}

impl Columns {
    /// The columns for a width. They drop out in this order: files, found, age bands from the
    /// young end, account; titles are cut a little before an account goes.
    pub(in crate::tui) fn fit(width: usize) -> Self {
        let mut columns = Self {
            title: 24,
            has_account: true,
            first_band: 0,
            has_found: true,
            has_files: true,
        };
        if columns.width() > width {
            columns.has_files = false;
        }
        if columns.width() > width {
            columns.has_found = false;
        }
        while columns.width() > width && columns.first_band < BAND_COUNT - FEWEST_BANDS {
            columns.first_band += 1;
        }
        if columns.width() > width + TITLE_GIVES {
            columns.has_account = false;
        }
        let missing = columns.width().saturating_sub(width);
        columns.title = columns.title.saturating_sub(missing);
        // Wide terminals give the titles room.
        columns.title += width.saturating_sub(columns.width()).min(12);
        columns
    }

    fn width(&self) -> usize {
        let found = if self.has_found { SIZE } else { 0 };
        let files = if self.has_files { FILES } else { 0 };
        let note = if self.has_files { NOTE } else { SHORT_NOTE };
        self.takes_at() + SIZE + found + files + note
    }

    /// Where the takes start.
    pub(in crate::tui) fn takes_at(&self) -> usize {
        self.bands_at() + (BAND_COUNT - self.first_band) * BAND + LIMIT
    }

    /// The age band at a column of the screen, if one is there.
    pub(in crate::tui) fn band_at(&self, column: usize) -> Option<usize> {
        let offset = column.checked_sub(self.bands_at())?;
        let band = self.first_band + offset / BAND;
        (band < BAND_COUNT).then_some(band)
    }

    /// Where the age bands start.
    pub(in crate::tui) fn bands_at(&self) -> usize {
        MARKS + self.title + if self.has_account { ACCOUNT } else { 0 }
    }

    /// The line above the list.
    pub(in crate::tui) fn heading(&self, theme: &Theme) -> Line<'static> {
        let quiet = theme.style(Role::Quiet);
        let mut line = Pieces::default();
        line.to(self.bands_at());
        for name in BAND_NAMES.iter().skip(self.first_band) {
            // A band's name stands at its young edge, where the cut line would be.
            line.add(left(&format!(" {name}"), BAND), quiet);
        }
        line.add(left(" older than", LIMIT), quiet);
        line.add(right("takes", SIZE), quiet);
        if self.has_found {
            line.add(right("of", SIZE), quiet);
        }
        if self.has_files {
            line.add(right("files", FILES), quiet);
        }
        line.line()
    }
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn columns_drop_out_in_their_order_and_always_fit() {
        for width in 80..260 {
            let columns = Columns::fit(width);
            assert!(columns.width() <= width, "{width}");
            assert!(columns.has_found || !columns.has_files);
            assert!(!columns.has_found || columns.first_band == 0);
        }
        let full = Columns::fit(142);
        assert!(full.has_files && full.first_band == 0 && full.has_account);
        assert!(!Columns::fit(80).has_found);
    }
}
