//! What waits in the dustpans, by run, and in each run by folder.

use std::sync::Arc;

use jolly_core::computer::TargetPath;
use jolly_core::dustpan::{Pan, PanItem};
use jolly_core::source::together;

use crate::tui::action::Action;

/// What one folder held.
pub(in crate::tui) struct PanFolder {
    pub path: TargetPath,
    /// Positions of its things among those that the dustpan holds.
    pub items: Vec<usize>,
    pub bytes: u64,
}

/// One dustpan.
pub(in crate::tui) struct DustpanRun {
    pub pan: Arc<Pan>,
    pub items: Vec<PanItem>,
    /// How many of them left their places; the others are copies.
    pub held: usize,
    pub folders: Vec<PanFolder>,
    /// Bytes of what it holds, and of its archive.
    pub bytes: u64,
    pub packed: u64,
    /// How many were brought back.
    pub back: usize,
    /// Whether its archive is here now.
    pub is_here: bool,
}

impl DustpanRun {
    /// What a dustpan holds, ordered by folder. It looks at the disk, so a thread makes it.
    pub(in crate::tui) fn of(pan: Pan) -> Self {
        let mut items: Vec<PanItem> = pan.held().chain(pan.copies()).cloned().collect();
        items.sort_by(|one, other| {
            let key = |item: &PanItem| item.path.folder_bytes().to_vec();
            key(one)
                .cmp(&key(other))
                .then_with(|| one.path.cmp(&other.path))
        });
        let mut folders: Vec<PanFolder> = Vec::new();
        for (at, item) in items.iter().enumerate() {
            let is_known = folders
                .last()
                .is_some_and(|last| last.path.as_bytes() == item.path.folder_bytes());
            if !is_known {
                folders.push(PanFolder {
                    path: item.path.parent().unwrap_or_default(),
                    items: Vec::new(),
                    bytes: 0,
                });
            }
            if let Some(last) = folders.last_mut() {
                last.items.push(at);
                last.bytes = last.bytes.saturating_add(item.size);
            }
        }
        Self {
            bytes: items
                .iter()
                .fold(0, |sum, item| sum.saturating_add(item.size)),
            held: pan.held().count(),
            packed: pan.packed(),
            back: pan.held().filter(|item| item.back.is_some()).count(),
            is_here: pan.is_here(),
            items,
            folders,
            pan: Arc::new(pan),
        }
    }
}

impl DustpanRun {
    /// Whether one of its things, by position, is a copy of what stayed where it is.
    pub(in crate::tui) fn is_copy(&self, item: usize) -> bool {
        self.items.get(item).is_some_and(|item| item.is_copy)
    }
}

/// One row of the view.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub(in crate::tui) enum PanRow {
    Run(usize),
    /// A folder of a run.
    Folder(usize, usize),
    /// A thing in a folder of a run.
    Item(usize, usize, usize),
}

/// The dustpans.
#[derive(Default)]
pub(in crate::tui) struct DustpanView {
    /// None while they are being read.
    pub runs: Option<Vec<DustpanRun>>,
    /// Records that can't be read, in words.
    pub broken: Vec<String>,
    /// The run that is open, and the folder in it.
    pub open: Option<usize>,
    pub open_folder: Option<usize>,
    pub focus: usize,
    /// How many things getting back what is in focus brings.
    pub brings: u64,
    /// Whether something is being brought back.
    pub is_busy: bool,
    /// The row that the next press of the same key brings back or empties.
    pub asks: Option<(Action, usize)>,
}

impl DustpanView {
    /// How many rows there are.
    pub(in crate::tui) fn count(&self) -> usize {
        let runs = self.runs.as_deref().unwrap_or_default();
        let open = self.open.and_then(|open| runs.get(open));
        let folder = open.zip(self.open_folder);
        let things = folder.and_then(|(run, at)| run.folders.get(at));
        runs.len()
            + open.map_or(0, |run| run.folders.len())
            + things.map_or(0, |folder| folder.items.len())
    }

    /// The row at a position.
    pub(in crate::tui) fn row(&self, at: usize) -> Option<PanRow> {
        let runs = self.runs.as_deref()?;
        let Some(open) = self.open.filter(|open| at > *open) else {
            return (at < runs.len()).then_some(PanRow::Run(at));
        };
        let run = runs.get(open)?;
        let below = at - open - 1;
        let things = self
            .open_folder
            .and_then(|folder| Some((folder, run.folders.get(folder)?.items.len())));
        let inside = run.folders.len() + things.map_or(0, |(_, many)| many);
        if below >= inside {
            let at = at - inside;
            return (at < runs.len()).then_some(PanRow::Run(at));
        }
        Some(match things {
            Some((folder, many)) if below > folder && below <= folder + many => {
                PanRow::Item(open, folder, below - folder - 1)
            }
            Some((folder, many)) if below > folder => PanRow::Folder(open, below - many),
            _ => PanRow::Folder(open, below),
        })
    }

    /// The row in focus.
    pub(in crate::tui) fn focused(&self) -> Option<PanRow> {
        self.row(self.focus)
    }

    /// What getting a row back brings: its run, the paths with what belongs to them, and how many
    /// things that is.
    pub(in crate::tui) fn brings(
        &self,
        row: PanRow,
    ) -> Option<(&DustpanRun, Vec<TargetPath>, u64)> {
        let (run, path) = self.named(row)?;
        let paths = together(&path);
        let is_wanted = |item: &&PanItem| item.is_wanted(&paths);
        let many = run.items.iter().filter(is_wanted).count() as u64;
        Some((run, paths, many))
    }

    /// Counts anew what is in focus.
    pub(in crate::tui) fn count_brings(&mut self) {
        let brings = self.focused().and_then(|row| self.brings(row));
        self.brings = brings.map_or(0, |(_, _, many)| many);
    }

    /// The run of a row, and the path that it names in there; the root for all of it.
    pub(in crate::tui) fn named(&self, row: PanRow) -> Option<(&DustpanRun, TargetPath)> {
        let runs = self.runs.as_deref()?;
        match row {
            PanRow::Run(run) => Some((runs.get(run)?, TargetPath::root())),
            PanRow::Folder(run, folder) => {
                let run = runs.get(run)?;
                Some((run, run.folders.get(folder)?.path.clone()))
            }
            PanRow::Item(run, folder, item) => {
                let run = runs.get(run)?;
                let at = run.folders.get(folder)?.items.get(item)?;
                Some((run, run.items.get(*at)?.path.clone()))
            }
        }
    }
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn every_row_is_told_once_and_in_order_whatever_is_open() {
        let run = |folders: &[usize]| {
            let folder = |many: &usize| PanFolder {
                path: TargetPath::root(),
                items: (0..*many).collect(),
                bytes: 0,
            };
            folders.iter().map(folder).collect::<Vec<_>>()
        };
        let all = [run(&[2, 1]), run(&[3, 2, 1]), run(&[1])];
        for open in [None, Some(0), Some(1), Some(2)] {
            for open_folder in [None, Some(0), Some(1), Some(2)] {
                let mut wanted = Vec::new();
                for (at, folders) in all.iter().enumerate() {
                    wanted.push(PanRow::Run(at));
                    for (folder, held) in folders.iter().enumerate().filter(|_| open == Some(at)) {
                        wanted.push(PanRow::Folder(at, folder));
                        if open_folder == Some(folder) {
                            let items = 0..held.items.len();
                            wanted.extend(items.map(|item| PanRow::Item(at, folder, item)));
                        }
                    }
                }
                let view = DustpanView {
                    runs: Some(sample(&all)),
                    open,
                    open_folder,
                    ..DustpanView::default()
                };
                let told: Vec<PanRow> = (0..view.count()).filter_map(|at| view.row(at)).collect();
                assert_eq!(told, wanted, "{open:?} {open_folder:?}");
                assert_eq!(view.row(view.count()), None);
            }
        }
    }

    fn sample(all: &[Vec<PanFolder>]) -> Vec<DustpanRun> {
        let dir = tempfile::tempdir().unwrap();
        let state = jolly_core::state::StateFolder::new(dir.path().join("state"));
        let root = dir.path().join("root");
        std::fs::create_dir_all(root.join("etc")).unwrap();
        let disk = Arc::new(jolly_disk::RealDisk);
        let layout = Some(jolly_core::computer::Layout::Linux);
        let target = jolly_core::computer::Target::open(disk, &root, layout, &|_| None).unwrap();
        let new = jolly_core::dustpan::NewDustpan {
            run: &"one".parse().unwrap(),
            started: jiff::Timestamp::UNIX_EPOCH,
            target: &target,
            folder: None,
        };
        drop(jolly_core::dustpan::Dustpan::create(&state, &new).unwrap());
        let pan = Pan::read(&state, &"one".parse().unwrap()).unwrap().unwrap();
        let folders = |folders: &Vec<PanFolder>| {
            let copy = |folder: &PanFolder| PanFolder {
                path: folder.path.clone(),
                items: folder.items.clone(),
                bytes: 0,
            };
            folders.iter().map(copy).collect()
        };
        all.iter()
            .map(|of| DustpanRun {
                folders: folders(of),
                ..DustpanRun::of(pan.clone())
            })
            .collect()
    }
}
