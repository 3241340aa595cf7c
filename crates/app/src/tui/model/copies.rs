//! The lens of what is there twice: pairs of folders that share files, and which side of each goes.

mod versions;

use std::collections::{BTreeSet, HashMap, HashSet};
use std::sync::Arc;

use jolly_core::format::Printable;
use jolly_core::survey::{
    ChosenCopy, Copies, CopyNews, FileSort, FolderPair, PairChoice, Space, Versions, chosen_files,
};
use jolly_core::walk::{FileNumber, FolderNumber};

/// What was found out about copies.
pub(in crate::tui) struct KnownCopies {
    /// The tree that they were looked for in.
    pub space: Arc<Space>,
    pub copies: Copies,
    /// What was said of pairs before, as the scan shows.
    pub said: Vec<PairChoice>,
    /// What all copies take beside one of each, in bytes.
    pub spare: u64,
    /// How many pairs are meant to be the same, and aren't told.
    pub meant: u64,
}

impl KnownCopies {
    /// Where a folder lies.
    pub(in crate::tui) fn place(&self, folder: FolderNumber) -> String {
        self.space.tree.folder_path(folder).to_string()
    }

    /// Where a file lies.
    pub(in crate::tui) fn file(&self, file: FileNumber) -> String {
        self.space.tree.file_path(file).to_string()
    }
}

/// What is said of what is there twice.
#[derive(Clone, Debug, Default, PartialEq, Eq)]
pub(in crate::tui) struct CopiesSaid {
    /// Of pairs.
    pub pairs: Vec<PairChoice>,
    /// Which versions go.
    pub versions: BTreeSet<FileNumber>,
}

/// Copies that were chosen, until the scan that takes them is over.
pub(in crate::tui) struct CopiesToTake {
    pub chosen: Arc<[ChosenCopy]>,
    pub known: Arc<KnownCopies>,
    pub versions: Option<Arc<Versions>>,
    pub said: CopiesSaid,
}

/// What the lens lists.
#[derive(Clone, Copy, Debug, Default, PartialEq, Eq)]
pub(in crate::tui) enum CopyList {
    /// Files with the same contents, by pairs of folders.
    #[default]
    Same,
    /// Recordings in several qualities.
    Recordings,
    /// Pictures in several sizes.
    Pictures,
}

/// A row of the lens.
#[derive(Clone, Copy, Debug, PartialEq, Eq, Hash)]
pub(in crate::tui) enum CopyRow {
    /// A pair, by position.
    Pair(usize),
    /// Files of one sort that a pair shares: the pair by position.
    Sort(usize, FileSort),
    /// What a pair shares: the pair and the group, by position.
    Shared(usize, usize),
    /// A group that fits no pair, by position.
    Rest(usize),
    /// A file of such a group, by both positions.
    RestFile(usize, usize),
    /// What is there in several versions, by position in its list.
    Versions(usize),
    /// One of them, by both positions.
    Version(usize, usize),
}

/// The lens.
pub(in crate::tui) struct CopiesView {
    /// Nothing while they are looked for.
    pub known: Option<Arc<KnownCopies>>,
    /// What is there in several versions, once that was asked for.
    pub versions: Option<Arc<Versions>>,
    /// How far that is.
    pub news: CopyNews,
    pub list: CopyList,
    pub rows: Vec<CopyRow>,
    pub focus: usize,
    /// How many files of each sort opened pairs share, and their bytes.
    pub sums: HashMap<(usize, FileSort), (u64, u64)>,
    /// What the list's versions take beside the first of each, in bytes.
    pub spare: u64,
    /// Pairs and groups whose files are shown.
    pub opened: HashSet<CopyRow>,
    pub said: CopiesSaid,
    /// What was said before each step, to go back to.
    pub before: Vec<CopiesSaid>,
    /// Pairs that are meant to be the same since the lens was opened.
    pub meant: HashSet<usize>,
    /// What goes by that: how many files, and their bytes.
    pub goes: (u64, u64),
}

/// Rows of one kind at most: of more nobody reads the rest.
const MOST: usize = 2_000;

impl CopiesView {
    pub(in crate::tui) fn new() -> Self {
        Self {
            known: None,
            versions: None,
            news: CopyNews::default(),
            list: CopyList::Same,
            rows: Vec::new(),
            focus: 0,
            sums: HashMap::new(),
            spare: 0,
            opened: HashSet::new(),
            said: CopiesSaid::default(),
            before: Vec::new(),
            meant: HashSet::new(),
            goes: (0, 0),
        }
    }

    /// Takes in what was found, and what was said of it before.
    pub(in crate::tui) fn read(&mut self, known: Arc<KnownCopies>, said: CopiesSaid) {
        self.known = Some(known);
        self.said = said;
        self.arrange();
        self.sum_up();
    }

    /// Lays the rows out; the focus stays on its row.
    pub(in crate::tui) fn arrange(&mut self) {
        let Some(known) = self.known.clone() else {
            return;
        };
        let focused = self.rows.get(self.focus).copied();
        self.rows.clear();
        match self.list {
            CopyList::Same => self.arrange_same(&known),
            CopyList::Recordings | CopyList::Pictures => self.arrange_versions(),
        }
        let same = self.rows.iter().position(|row| Some(*row) == focused);
        self.focus = same.unwrap_or(self.focus.min(self.rows.len().saturating_sub(1)));
    }

    fn arrange_same(&mut self, known: &KnownCopies) {
        for (at, pair) in known.copies.pairs.iter().enumerate().take(MOST) {
            let row = CopyRow::Pair(at);
            self.rows.push(row);
            if self.opened.contains(&row) {
                self.arrange_pair(known, at, pair);
            }
        }
        for at in known.copies.rest.iter().take(MOST) {
            let row = CopyRow::Rest(*at);
            self.rows.push(row);
            if self.opened.contains(&row) {
                let files = known.copies.groups.get(*at);
                let files = files.map_or(0, |group| group.files.len().min(MOST));
                self.rows
                    .extend((0..files).map(|file| CopyRow::RestFile(*at, file)));
            }
        }
    }

    /// What a pair shares; where it is of several sorts, sort by sort.
    fn arrange_pair(&mut self, known: &KnownCopies, at: usize, pair: &FolderPair) {
        let sorts = known.copies.by_sort(pair);
        let is_one = sorts.len() == 1;
        for (sort, sum) in sorts {
            let row = CopyRow::Sort(at, sort);
            if !is_one {
                self.rows.push(row);
                self.sums.insert((at, sort), sum);
            }
            if is_one || self.opened.contains(&row) {
                let of = |group: &usize| known.copies.groups.get(*group).map(|group| group.sort);
                let own = pair.groups.iter().filter(|group| of(group) == Some(sort));
                let own = own.take(MOST).map(|group| CopyRow::Shared(at, *group));
                self.rows.extend(own);
            }
        }
    }

    /// Works out anew how much goes.
    pub(in crate::tui) fn sum_up(&mut self) {
        let Some(known) = &self.known else { return };
        let chosen = chosen_files(&known.copies, &known.space.tree, &self.said.pairs);
        let mut goes: BTreeSet<FileNumber> = chosen.into_iter().map(|(goes, _)| goes).collect();
        goes.extend(&self.said.versions);
        let sizes = goes.iter().filter_map(|file| known.space.tree.file(*file));
        let bytes = sizes.fold(0, |sum: u64, file| sum.saturating_add(file.size));
        self.goes = (goes.len() as u64, bytes);
    }

    /// What is said of a pair.
    pub(in crate::tui) fn said_of(&self, pair: usize) -> Option<&PairChoice> {
        let mut said = self.said.pairs.iter();
        said.find(|choice| choice.pair == pair)
    }

    /// The pair in focus, or whose files are.
    pub(in crate::tui) fn focused_pair(&self) -> Option<(usize, &FolderPair)> {
        let (CopyRow::Pair(at) | CopyRow::Sort(at, _) | CopyRow::Shared(at, _)) =
            *self.rows.get(self.focus)?
        else {
            return None;
        };
        Some((at, self.known.as_ref()?.copies.pairs.get(at)?))
    }

    /// What a row is called, to be found by.
    pub(in crate::tui) fn name_of(&self, row: CopyRow) -> String {
        let Some(known) = &self.known else {
            return String::new();
        };
        let group = |at: usize| known.copies.groups.get(at);
        let name = |at: usize, file: usize| {
            let file = group(at).and_then(|group| group.files.get(file));
            file.map_or_else(String::new, |file| known.file(*file))
        };
        match row {
            CopyRow::Pair(at) => known.copies.pairs.get(at).map_or_else(String::new, |pair| {
                format!("{} {}", known.place(pair.a), known.place(pair.b))
            }),
            CopyRow::Sort(_, sort) => sort.plural().to_owned(),
            CopyRow::Shared(_, at) | CopyRow::Rest(at) => group(at)
                .and_then(|group| group.files.first())
                .map_or_else(String::new, |file| {
                    Printable(known.space.tree.file_name(*file)).to_string()
                }),
            CopyRow::RestFile(at, file) => name(at, file),
            CopyRow::Versions(at) => self.name_of_versions(at),
            CopyRow::Version(at, file) => {
                let version = self.version(at, file);
                version.map_or_else(String::new, |version| known.file(version.file))
            }
        }
    }
}
