//! One pile from inside: which folders are open, and which rows that makes. Rows are worked out
//! when they are asked for: a folder of a million files is one segment.

use std::collections::{HashMap, HashSet};
use std::sync::Arc;

use jolly_core::decide::{Arrangement, Decisions, EntryId, Inside, InsideOrder, Others};
use jolly_core::pile::{Scan, Sum};
use jolly_core::source::PileId;

/// One row.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub(in crate::tui) enum InsideRow {
    /// A folder or an item of the pile.
    Entry(EntryId),
    /// Something in a folder that is not of the pile, by position.
    Other(EntryId, usize),
    /// More of that kind than is told.
    More(EntryId),
}

/// Rows that follow each other in one folder.
#[derive(Clone, Copy, Debug)]
struct Segment {
    first_row: usize,
    len: usize,
    depth: usize,
    folder: EntryId,
    part: Part,
}

#[derive(Clone, Copy, Debug)]
enum Part {
    /// Its entries, from this one on.
    Entries(usize),
    /// What is not of the pile.
    Others,
    /// That there is more.
    More,
}

/// The tree of a pile, once it has been opened.
pub(in crate::tui) struct OpenPile {
    pub inside: Arc<Inside>,
    pub arrangement: Arc<Arrangement>,
    /// What goes of each folder.
    pub takes: Vec<Sum>,
}

/// One pile from inside.
pub(in crate::tui) struct InsideView {
    pub pile: PileId,
    /// None while it is being opened.
    pub opened: Option<OpenPile>,
    pub order: InsideOrder,
    /// What it waits for; other answers are dropped.
    pub ticket: u32,
    /// Row in focus.
    pub focus: usize,
    pub found_last: Option<EntryId>,
    open: HashSet<EntryId>,
    others: HashMap<EntryId, Others>,
    segments: Vec<Segment>,
}

impl InsideView {
    /// A pile that is being opened.
    pub(in crate::tui) fn opening(pile: PileId, order: InsideOrder, ticket: u32) -> Self {
        Self {
            pile,
            opened: None,
            order,
            ticket,
            focus: 0,
            found_last: None,
            open: HashSet::new(),
            others: HashMap::new(),
            segments: Vec::new(),
        }
    }

    /// How many rows there are.
    pub(in crate::tui) fn len(&self) -> usize {
        self.segments
            .last()
            .map_or(0, |last| last.first_row + last.len)
    }

    /// A row and how deep it lies.
    pub(in crate::tui) fn row(&self, at: usize) -> Option<(InsideRow, usize)> {
        let next = self
            .segments
            .partition_point(|segment| segment.first_row <= at);
        let segment = self.segments.get(next.checked_sub(1)?)?;
        let offset = at - segment.first_row;
        if offset >= segment.len {
            return None;
        }
        let row = match segment.part {
            Part::Entries(from) => {
                let opened = self.opened.as_ref()?;
                let entries = opened.arrangement.of(segment.folder);
                InsideRow::Entry(*entries.get(from + offset)?)
            }
            Part::Others => InsideRow::Other(segment.folder, offset),
            Part::More => InsideRow::More(segment.folder),
        };
        Some((row, segment.depth))
    }

    /// The row in focus.
    pub(in crate::tui) fn focused(&self) -> Option<InsideRow> {
        self.row(self.focus).map(|(row, _)| row)
    }

    /// Whether a folder is open.
    pub(in crate::tui) fn is_open(&self, folder: EntryId) -> bool {
        self.open.contains(&folder)
    }

    /// What lies in a folder and is not of the pile, once it is known.
    pub(in crate::tui) fn others(&self, folder: EntryId) -> Option<&Others> {
        self.others.get(&folder)
    }

    /// Takes in the opened pile, or a new order of it; the focus stays where it is.
    pub(in crate::tui) fn show(&mut self, opened: OpenPile) {
        let focused = self.focused();
        self.order = opened.arrangement.order;
        self.opened = Some(opened);
        self.lay_out();
        self.focus_on(focused);
    }

    /// Opens or closes a folder.
    pub(in crate::tui) fn set_open(&mut self, folder: EntryId, is_open: bool) {
        let focused = self.focused();
        if is_open {
            self.open.insert(folder);
        } else {
            self.open.remove(&folder);
        }
        self.lay_out();
        self.focus_on(focused);
    }

    /// Where a pile has just a few folders at its top, opens those that hold little; says which.
    pub(in crate::tui) fn open_few(&mut self) -> Vec<EntryId> {
        const FEW: usize = 3;
        const LITTLE: usize = 60;
        let Some(opened) = &self.opened else {
            return Vec::new();
        };
        let top = opened.arrangement.of(opened.inside.top());
        if top.len() > FEW {
            return Vec::new();
        }
        let is_little = |id: &&EntryId| (1..LITTLE).contains(&opened.arrangement.of(**id).len());
        let few: Vec<EntryId> = top.iter().filter(is_little).copied().collect();
        self.open.extend(&few);
        self.lay_out();
        few
    }

    /// Takes in what lies in a folder and is not of the pile.
    pub(in crate::tui) fn set_others(&mut self, folder: EntryId, others: Others) {
        let focused = self.focused();
        self.others.insert(folder, others);
        self.lay_out();
        self.focus_on(focused);
    }

    /// Opens what leads to an entry, and moves there; says which folders that opened.
    pub(in crate::tui) fn reveal(&mut self, id: EntryId) -> Vec<EntryId> {
        let mut opened = Vec::new();
        if let Some(pile) = &self.opened {
            let top = pile.inside.top();
            let mut at = pile.inside.parent(id);
            while let Some(folder) = at.filter(|folder| *folder != top) {
                if self.open.insert(folder) {
                    opened.push(folder);
                }
                at = pile.inside.parent(folder);
            }
        }
        self.lay_out();
        self.focus_on(Some(InsideRow::Entry(id)));
        opened
    }

    fn focus_on(&mut self, row: Option<InsideRow>) {
        let at = row.and_then(|row| self.row_of(row));
        let last = self.len().saturating_sub(1);
        self.focus = at.unwrap_or(self.focus).min(last);
    }

    /// Where a row stands now.
    fn row_of(&self, row: InsideRow) -> Option<usize> {
        let opened = self.opened.as_ref()?;
        let mut own = self.segments.iter();
        match row {
            InsideRow::Entry(id) => {
                let folder = opened.inside.parent(id)?;
                let entries = opened.arrangement.of(folder);
                let at = entries.iter().position(|entry| *entry == id)?;
                own.find_map(|segment| match segment.part {
                    Part::Entries(from) if segment.folder == folder => {
                        let offset = at.checked_sub(from)?;
                        (offset < segment.len).then_some(segment.first_row + offset)
                    }
                    _ => None,
                })
            }
            InsideRow::Other(folder, at) => own
                .find(|one| matches!(one.part, Part::Others) && one.folder == folder)
                .map(|segment| segment.first_row + at),
            InsideRow::More(folder) => own
                .find(|one| matches!(one.part, Part::More) && one.folder == folder)
                .map(|segment| segment.first_row),
        }
    }

    /// Works out the segments of what is open.
    fn lay_out(&mut self) {
        let mut segments = Vec::new();
        if let Some(opened) = &self.opened {
            let mut layout = Layout {
                view: self,
                opened,
                segments: &mut segments,
                rows: 0,
            };
            layout.folder(opened.inside.top(), 0);
        }
        self.segments = segments;
    }

    /// Adds up what goes of each folder.
    pub(in crate::tui) fn sum_up(&mut self, scan: &Scan, decisions: &Decisions) {
        if let Some(opened) = &mut self.opened {
            opened.takes = opened.inside.takes(scan, decisions);
        }
    }
}

impl OpenPile {
    /// What goes of an entry.
    pub(in crate::tui) fn takes(&self, scan: &Scan, decisions: &Decisions, id: EntryId) -> Sum {
        if let Some(position) = self.inside.position(id) {
            let goes = decisions.going(scan, self.inside.pile());
            return if goes.is_some_and(|goes| goes.has(position)) {
                self.inside.found(scan, id)
            } else {
                Sum::default()
            };
        }
        self.inside.takes_of(&self.takes, id)
    }
}

/// Works out segments.
struct Layout<'a> {
    view: &'a InsideView,
    opened: &'a OpenPile,
    segments: &'a mut Vec<Segment>,
    rows: usize,
}

impl Layout<'_> {
    fn folder(&mut self, folder: EntryId, depth: usize) {
        let entries = self.opened.arrangement.of(folder);
        let inside = &self.opened.inside;
        // Few are open, and there may be a million to look through.
        let own = self.view.open.iter();
        let mut open: Vec<(usize, EntryId)> = own
            .filter(|id| inside.parent(**id) == Some(folder))
            .filter_map(|id| Some((entries.iter().position(|entry| entry == id)?, *id)))
            .collect();
        open.sort_unstable();
        let mut from = 0;
        for (at, id) in open {
            self.push(folder, depth, Part::Entries(from), at + 1 - from);
            self.folder(id, depth + 1);
            from = at + 1;
        }
        self.push(folder, depth, Part::Entries(from), entries.len() - from);
        if let Some(others) = self.view.others.get(&folder) {
            self.push(folder, depth, Part::Others, others.all.len());
            self.push(folder, depth, Part::More, usize::from(others.has_more));
        }
    }

    fn push(&mut self, folder: EntryId, depth: usize, part: Part, len: usize) {
        if len > 0 {
            self.segments.push(Segment {
                first_row: self.rows,
                len,
                depth,
                folder,
                part,
            });
            self.rows += len;
        }
    }
}
