//! The rows of the check: what is noticed, what has to be known, and the list.

use jolly_core::plan::ManifestItem;

use jolly_core::report::Notice;

use crate::tui::model::check::Check;

/// One row.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub(in crate::tui) enum CheckRow {
    /// Something that will be noticed.
    Notice(usize),
    /// What comes of little, in one row.
    Small,
    /// What nobody notices, in one line.
    Unnoticed,
    /// Something that has to be known.
    Fact(usize),
    /// How long the list is, and what of it shows.
    List,
    /// A pile of the list.
    Pile(usize),
    /// A folder of the open pile.
    Folder(usize),
    /// An item of the open folder, by its place in the list's order.
    Item(usize),
    /// White space.
    Gap,
}

impl Check {
    /// How many notices are told one by one.
    fn told(&self) -> usize {
        if self.is_small_open {
            return self.notices.len();
        }
        self.notices
            .iter()
            .filter(|notice| !notice.is_small)
            .count()
    }

    /// How many rows of notices there are, with the one of the small ones.
    fn notice_rows(&self) -> usize {
        self.told() + usize::from(self.small().count() > 0)
    }

    /// The notices that come of little.
    pub(in crate::tui) fn small(&self) -> impl Iterator<Item = &Notice> {
        self.notices.iter().filter(|notice| notice.is_small)
    }

    /// How many rows stand before the list's.
    fn above(&self) -> usize {
        self.notice_rows() + self.known.len() + 4
    }

    /// How many rows there are.
    pub(in crate::tui) fn count(&self) -> usize {
        self.above() + self.list.piles.len() + self.folders() + self.items()
    }

    /// How many folders show.
    fn folders(&self) -> usize {
        let pile = self.open_pile.and_then(|open| self.list.piles.get(open));
        pile.map_or(0, |pile| pile.folders.len())
    }

    /// How many items show.
    fn items(&self) -> usize {
        let folder = self
            .open_folder
            .and_then(|open| self.list.folders.get(open));
        folder.map_or(0, |folder| folder.items.len())
    }

    /// The row at a place.
    pub(in crate::tui) fn row(&self, at: usize) -> Option<CheckRow> {
        let (notices, known) = (self.notice_rows(), self.known.len());
        let large = self.notices.len() - self.small().count();
        let Some(below) = at.checked_sub(self.above()) else {
            return Some(if at < large {
                CheckRow::Notice(at)
            } else if at < notices && at == large {
                CheckRow::Small
            } else if at < notices {
                CheckRow::Notice(at - 1)
            } else if at == notices {
                CheckRow::Unnoticed
            } else if at == notices + 1 || at == notices + 2 + known {
                CheckRow::Gap
            } else if at < notices + 2 + known {
                CheckRow::Fact(at - notices - 2)
            } else {
                CheckRow::List
            });
        };
        let piles = self.list.piles.len();
        let Some(open) = self.open_pile else {
            return (below < piles).then_some(CheckRow::Pile(below));
        };
        if below <= open {
            return Some(CheckRow::Pile(below));
        }
        let below = below - open - 1;
        let shown = self.folders() + self.items();
        if below >= shown {
            let pile = open + 1 + below - shown;
            return (pile < piles).then_some(CheckRow::Pile(pile));
        }
        let first = self.list.piles.get(open)?.folders.start;
        let Some(folder) = self.open_folder else {
            return Some(CheckRow::Folder(first + below));
        };
        let before = folder - first;
        if below <= before {
            return Some(CheckRow::Folder(first + below));
        }
        let below = below - before - 1;
        let items = self.list.folders.get(folder)?.items.clone();
        Some(match below.checked_sub(items.len()) {
            None => CheckRow::Item(items.start + below),
            Some(after) => CheckRow::Folder(folder + 1 + after),
        })
    }

    /// Where what has to be known begins.
    pub(in crate::tui) fn place_of_facts(&self) -> usize {
        self.notice_rows() + 2
    }

    /// The row in focus.
    pub(in crate::tui) fn focused(&self) -> Option<CheckRow> {
        self.row(self.focus)
    }

    /// Where a pile of the list stands.
    pub(in crate::tui) fn place_of_pile(&self, pile: usize) -> usize {
        let opened = self.open_pile.is_some_and(|open| pile > open);
        let shown = if opened {
            self.folders() + self.items()
        } else {
            0
        };
        self.above() + pile + shown
    }

    /// An item of the list.
    pub(in crate::tui) fn item(&self, place: usize) -> Option<ManifestItem> {
        let number = self.list.order.get(place)?;
        self.manifest.as_ref()?.items.get(*number as usize)
    }

    /// Opens or closes the row in focus; a consequence leads to its first pile.
    pub(in crate::tui) fn turn(&mut self) {
        match self.focused() {
            Some(CheckRow::Notice(at)) => {
                if let Some(notice) = self.notices.get(at)
                    && self.list.words.is_empty()
                {
                    let pile = notice.pile;
                    self.open(pile);
                }
            }
            Some(CheckRow::Small) => self.is_small_open = !self.is_small_open,
            Some(CheckRow::Pile(pile)) if self.open_pile == Some(pile) => {
                self.open_pile = None;
                self.open_folder = None;
                self.focus = self.place_of_pile(pile);
            }
            Some(CheckRow::Pile(pile)) => self.open(pile),
            Some(CheckRow::Folder(folder)) => {
                let is_open = self.open_folder == Some(folder);
                let pile = self.open_pile.unwrap_or(0);
                let first = self
                    .list
                    .piles
                    .get(pile)
                    .map_or(0, |pile| pile.folders.start);
                self.open_folder = (!is_open).then_some(folder);
                self.focus = self.place_of_pile(pile) + 1 + folder - first;
            }
            Some(CheckRow::Item(_)) => {
                if let (Some(folder), Some(pile)) = (self.open_folder.take(), self.open_pile) {
                    let first = self
                        .list
                        .piles
                        .get(pile)
                        .map_or(0, |pile| pile.folders.start);
                    self.focus = self.place_of_pile(pile) + 1 + folder - first;
                }
            }
            Some(CheckRow::Unnoticed | CheckRow::Fact(_) | CheckRow::List | CheckRow::Gap)
            | None => {}
        }
    }

    /// Opens a pile; a single folder in it at once.
    fn open(&mut self, pile: usize) {
        self.open_pile = Some(pile);
        let folders = self.list.piles.get(pile).map(|pile| pile.folders.clone());
        self.open_folder = folders
            .filter(|range| range.len() == 1)
            .map(|range| range.start);
        self.focus = self.place_of_pile(pile);
    }
}
