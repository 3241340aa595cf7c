//! The lens that shows where the space is: shelves of a folder, and a list of what lies in it.

use std::sync::Arc;

use jiff::Timestamp;
use jolly_core::format::Printable;
use jolly_core::survey::{Part, Shelf, Space};
use jolly_core::walk::{FolderNumber, TreeNews};

/// What is listed below the shelves.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub(in crate::tui) enum SpaceList {
    /// What lies right in the folder, the largest first.
    Here,
    /// The largest of all that nobody used for a year.
    Unused,
    /// What lies in downloads and on the desktop, what can go most easily first.
    Lying,
    /// What grew most since the last visit.
    Grown,
}

/// The lens.
pub(in crate::tui) struct SpaceView {
    /// Nothing while everything is walked.
    pub space: Option<Arc<Space>>,
    /// How far that is.
    pub news: TreeNews,
    /// The folder that the first shelf shows.
    pub folder: FolderNumber,
    pub list: SpaceList,
    pub rows: Vec<Part>,
    pub focus: usize,
    /// Everything on its shelf.
    pub shelves: Vec<Shelf>,
    /// How wide and how many the shelves are, in cells and levels.
    pub extent: (usize, usize),
    /// Ages are counted to here.
    pub now: Timestamp,
}

/// After so many seconds without use nobody uses something any more.
pub(in crate::tui) const UNUSED: i64 = 365 * 86_400;

/// Rows that a list has at most: of more nobody reads the rest.
pub(in crate::tui) const MOST_ROWS: usize = 2_000;

/// The narrowest block that is drawn, in cells.
const NARROWEST: u64 = 1;

impl SpaceView {
    pub(in crate::tui) fn new(now: Timestamp, extent: (usize, usize)) -> Self {
        Self {
            space: None,
            news: TreeNews::default(),
            folder: FolderNumber::ROOT,
            list: SpaceList::Here,
            rows: Vec::new(),
            focus: 0,
            shelves: Vec::new(),
            extent,
            now,
        }
    }

    /// Takes in what was found.
    pub(in crate::tui) fn read(&mut self, space: Arc<Space>) {
        self.space = Some(space);
        self.arrange();
    }

    /// Lays out shelves and rows of the folder.
    pub(in crate::tui) fn arrange(&mut self) {
        let Some(space) = &self.space else { return };
        let (width, levels) = self.extent;
        self.shelves = space.shelves(self.folder, (width as u64, levels), NARROWEST);
        self.rows = match self.list {
            SpaceList::Here => space.largest(self.folder, 0, MOST_ROWS),
            SpaceList::Lying => {
                let lying = space.lying.iter().map(|one| one.part);
                lying.take(MOST_ROWS).collect()
            }
            SpaceList::Grown => space.grew.clone(),
            SpaceList::Unused => space.unused.clone(),
        };
        self.focus = self.focus.min(self.rows.len().saturating_sub(1));
    }

    /// Shows a folder, with a part of it in focus.
    pub(in crate::tui) fn show(&mut self, folder: FolderNumber, focused: Option<Part>) {
        self.folder = folder;
        self.list = SpaceList::Here;
        self.focus = 0;
        self.arrange();
        let found = focused.and_then(|part| self.rows.iter().position(|row| *row == part));
        self.focus = found.unwrap_or(0);
    }

    /// Whether it is known what was where at the last visit.
    pub(in crate::tui) fn knows_before(&self) -> bool {
        let space = self.space.as_ref();
        space.is_some_and(|space| space.before.is_some())
    }

    /// What the row at a position likely is, where that is listed.
    pub(in crate::tui) fn likely(&self, at: usize) -> Option<String> {
        let space = self
            .space
            .as_ref()
            .filter(|_| self.list == SpaceList::Lying);
        space?.lying.get(at).map(|one| one.likely.words())
    }

    /// What is in focus.
    pub(in crate::tui) fn focused(&self) -> Option<Part> {
        self.rows.get(self.focus).copied()
    }

    /// What a row is called: by its name, or where all are listed by its path.
    pub(in crate::tui) fn name_of(&self, part: Part) -> String {
        let Some(space) = &self.space else {
            return String::new();
        };
        match self.list {
            SpaceList::Here => Printable(space.name(part)).to_string(),
            SpaceList::Unused | SpaceList::Lying | SpaceList::Grown => space.path(part).to_string(),
        }
    }
}
