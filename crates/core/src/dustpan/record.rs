//! What a dustpan holds, and what became of it: JSON Lines beside the archive, chained as a log is.

use std::collections::HashMap;
use std::ffi::OsStr;
use std::fs::File;
use std::path::{Component, Path, PathBuf};

use jiff::Timestamp;
use jolly_disk::Stat;
use serde::{Deserialize, Serialize};

use crate::computer::{AccountName, TargetPath, WrittenPath};
use crate::dustpan::ON_TARGET;
use crate::format::Printable;
use crate::plan::{ManifestItem, WrittenPlace, shown_place};
use crate::rule::{ListFormat, RuleId};
use crate::source::holder::address::shown_item;
use crate::state::{LogError, RunId, StateError, StateFolder, archive_of, each_line};

/// The format's name in the first line.
pub(crate) const FORMAT: &str = "jolly-broom/dustpan";
pub(crate) const VERSION: u32 = 1;

/// One line.
#[derive(Clone, Debug, Serialize, Deserialize)]
#[serde(tag = "line", rename_all = "lowercase")]
pub(crate) enum Line {
    /// The first: whose things these are, and until when they are kept.
    Start {
        format: String,
        version: u32,
        run: RunId,
        started: Timestamp,
        until: Timestamp,
        target: String,
        identity: String,
        label: String,
        /// The archive.
        archive: PathBuf,
    },
    /// A frame that is on the disk and was read back; in the order of its entries.
    Frame { at: u64, items: Vec<Packed> },
    /// Things that were packed and yet stayed where they were, by their numbers in here.
    Stayed { items: Vec<u64> },
    /// Things that were brought back, by their numbers in here.
    Back { when: Timestamp, items: Vec<u64> },
    /// The archive is gone.
    Emptied { when: Timestamp, freed: u64 },
}

/// One thing in a frame.
#[derive(Clone, Debug, PartialEq, Eq, Serialize, Deserialize)]
pub(crate) struct Packed {
    pub kind: PackedKind,
    #[serde(flatten)]
    pub path: WrittenPath,
    pub rule: RuleId,
    #[serde(default, skip_serializing_if = "Option::is_none")]
    pub account: Option<AccountName>,
    /// The list that it is an entry of: the path's last part names the entry, the rest is the list's path.
    #[serde(default, skip_serializing_if = "Option::is_none")]
    pub list: Option<ListFormat>,
    /// Its apparent length.
    pub size: u64,
    /// What it held on its disk; less than its length for a file with holes.
    pub held: u64,
    /// How many names it had on its disk: each that is set aside is kept as a file of its own.
    #[serde(default = "one_name", skip_serializing_if = "is_one_name")]
    pub names: u32,
    /// BLAKE3 of its entry in the archive as it was written, without padding, in hex.
    pub hash: String,
    /// It stays where it is, and this is a copy in case something goes wrong with it.
    #[serde(default, skip_serializing_if = "is_not")]
    pub copy: bool,
    /// It could not be read whole, so it stayed, and what is in the archive is no copy of it.
    #[serde(default, skip_serializing_if = "is_not")]
    pub broken: bool,
}

#[derive(Clone, Copy, Debug, PartialEq, Eq, Serialize, Deserialize)]
#[serde(rename_all = "lowercase")]
pub(crate) enum PackedKind {
    File,
    Folder,
    Link,
}

/// Whether a path is where this program puts the archive of a run: by the run's name, in the state
/// folder's own folder of dustpans or in one of that purpose on another volume.
fn is_archive_of(state: &StateFolder, run: &RunId, archive: &Path) -> bool {
    let folder = archive.parent();
    let is_ours = folder.is_some_and(|folder| {
        folder == state.dustpan_folder() || folder.file_name() == Some(OsStr::new(ON_TARGET))
    });
    let is_plain = archive.is_absolute()
        && archive
            .components()
            .all(|part| !matches!(part, Component::ParentDir));
    is_plain && is_ours && archive.file_name() == Some(OsStr::new(&archive_of(run)))
}

fn one_name() -> u32 {
    1
}

#[expect(clippy::trivially_copy_pass_by_ref, reason = "the serialiser asks so")]
fn is_one_name(names: &u32) -> bool {
    *names <= 1
}

#[expect(clippy::trivially_copy_pass_by_ref, reason = "the serialiser asks so")]
fn is_not(broken: &bool) -> bool {
    !*broken
}

impl Packed {
    pub(crate) fn of(item: &ManifestItem, kind: PackedKind, stat: &Stat) -> Self {
        Self {
            kind,
            path: WrittenPath::from(&item.path),
            rule: item.rule.clone(),
            account: item.account.clone(),
            list: item.entry.map(|entry| entry.list),
            size: 0,
            held: stat.allocated,
            names: if kind == PackedKind::File {
                stat.links
            } else {
                1
            },
            hash: String::new(),
            copy: false,
            broken: false,
        }
    }
}

/// One thing that a dustpan holds.
#[derive(Clone, Debug)]
pub struct PanItem {
    /// Where it lay.
    pub path: TargetPath,
    /// The rule that had it.
    pub rule: RuleId,
    /// Whose it was.
    pub account: Option<AccountName>,
    /// Whether it is a folder, of which what it held stands apart.
    pub is_folder: bool,
    /// The format of the list that it was an entry of, if it was one.
    pub list: Option<ListFormat>,
    /// Its apparent length.
    pub size: u64,
    /// When it was brought back last.
    pub back: Option<Timestamp>,
    pub(crate) held: u64,
    /// How many names it had on its disk.
    pub(crate) names: u32,
    pub(crate) hash: String,
    /// Which of the frames it is in.
    pub(crate) frame: usize,
    /// Whether it ever left the target, or is a whole copy of something that didn't.
    pub(crate) has_left: bool,
    /// Whether it stayed where it is, and this is a copy in case something goes wrong with it.
    pub is_copy: bool,
}

impl PanItem {
    /// Whether it is among what was asked for: all but the copies where no path is named, else what lies there or
    /// below; of copies only the one that is named itself, for what they are of is there still.
    pub fn is_wanted(&self, paths: &[TargetPath]) -> bool {
        let is_below = || paths.iter().any(|path| self.path.below(path).is_some());
        if self.is_copy {
            return paths.contains(&self.path);
        }
        paths.is_empty() || is_below()
    }

    /// What it is called, for people: its name, and of an entry its document.
    pub fn shown_name(&self) -> String {
        match self.list {
            None => Printable(self.path.name()).to_string(),
            Some(format) => shown_item(format, self.path.name()),
        }
    }

    /// Where it lay, for people.
    pub fn shown(&self) -> String {
        shown_place(&self.path, self.list)
    }

    /// Where it lay, as a listing prints it.
    pub fn place(&self) -> WrittenPlace {
        WrittenPlace::of(&self.path, self.list)
    }
}

/// A dustpan as its record tells it.
#[derive(Clone, Debug)]
pub struct Pan {
    /// The run that filled it.
    pub run: RunId,
    /// When that run started.
    pub started: Timestamp,
    /// Until when it is kept.
    pub until: Timestamp,
    /// The target's root then, made harmless.
    pub target: String,
    /// What tells the computer from others.
    pub identity: String,
    /// What the computer was called.
    pub label: String,
    /// Where the archive is.
    pub archive: PathBuf,
    /// When it was emptied.
    pub emptied: Option<Timestamp>,
    /// Everything packed, in the order of the archive; what never left is not told outside.
    pub(crate) items: Vec<PanItem>,
    /// Where each frame begins.
    pub(crate) frames: Vec<u64>,
    /// The hash of the record's last line, and where that ends.
    pub(crate) tail: (String, u64),
}

impl Pan {
    /// Reads the dustpan of a run; nothing when it set nothing aside.
    ///
    /// # Errors
    /// When its record is there and can't be read, or was altered.
    pub fn read(state: &StateFolder, run: &RunId) -> Result<Option<Self>, LogError> {
        let path = state.dustpan_record(run);
        if !path.is_file() {
            return Ok(None);
        }
        let mut pan: Option<Self> = None;
        let mut is_other = false;
        let tail = each_line(&path, &mut |line: Line| {
            match (&mut pan, line) {
                (
                    None,
                    Line::Start {
                        format, version, ..
                    },
                ) if format != FORMAT || version != VERSION => {
                    is_other = true;
                }
                (None, start) => pan = Self::begin(start),
                (Some(pan), line) => pan.take(line),
            }
            !is_other
        })?;
        if is_other {
            return Err(LogError::OtherVersion { path });
        }
        let mut pan = pan.ok_or_else(|| LogError::NeverBegan { path: path.clone() })?;
        if pan.run != *run || !is_archive_of(state, run, &pan.archive) {
            return Err(LogError::OtherRun { path });
        }
        pan.tail = tail;
        Ok(Some(pan))
    }

    /// The dustpans that still hold something, oldest first; an unreadable one is an error in its
    /// place.
    ///
    /// # Errors
    /// When their folder can't be read.
    pub fn all(state: &StateFolder) -> Result<Vec<Result<Self, LogError>>, StateError> {
        let runs = state.dustpans()?;
        let pans = runs
            .iter()
            .filter_map(|run| Self::read(state, run).transpose());
        let is_full = |pan: &Result<Self, LogError>| match pan {
            Ok(pan) => pan.emptied.is_none() && pan.held().chain(pan.copies()).next().is_some(),
            Err(LogError::NeverBegan { .. }) => false,
            Err(_) => true,
        };
        Ok(pans.filter(is_full).collect())
    }

    /// What it holds: everything that left the target, brought back or not.
    pub fn held(&self) -> impl Iterator<Item = &PanItem> {
        let items = self.items.iter();
        items.filter(|item| item.has_left && !item.is_copy)
    }

    /// Safety copies of what stayed where it is.
    pub fn copies(&self) -> impl Iterator<Item = &PanItem> {
        let items = self.items.iter();
        items.filter(|item| item.has_left && item.is_copy)
    }

    /// Bytes that the archive takes; nought when it isn't there.
    pub fn packed(&self) -> u64 {
        let archive = self.open_archive().ok().flatten();
        let metadata = archive.and_then(|archive| archive.metadata().ok());
        metadata.map_or(0, |archive| archive.len())
    }

    /// Whether the archive is where the record says, and can be trusted.
    pub fn is_here(&self) -> bool {
        self.open_archive().is_ok_and(|archive| archive.is_some())
    }

    /// Opens the archive; nothing when it isn't there. Its record has said that it is this run's, in a
    /// folder of dustpans.
    ///
    /// # Errors
    /// When it is no regular file, belongs to somebody else, or others may write to it or its folder.
    pub(crate) fn open_archive(&self) -> Result<Option<File>, StateError> {
        StateFolder::open_file(&self.archive)
    }

    fn begin(line: Line) -> Option<Self> {
        let Line::Start {
            run,
            started,
            until,
            target,
            identity,
            label,
            archive,
            ..
        } = line
        else {
            return None;
        };
        Some(Self {
            run,
            started,
            until,
            target,
            identity,
            label,
            archive,
            emptied: None,
            items: Vec::new(),
            frames: Vec::new(),
            tail: (String::new(), 0),
        })
    }

    fn take(&mut self, line: Line) {
        match line {
            Line::Start { .. } => {}
            Line::Frame { at, items } => {
                let frame = self.frames.len();
                self.frames.push(at);
                let items = items.into_iter().map(|packed| PanItem {
                    path: TargetPath::try_from(&packed.path).unwrap_or_default(),
                    rule: packed.rule,
                    account: packed.account,
                    is_folder: packed.kind == PackedKind::Folder,
                    list: packed.list,
                    size: packed.size,
                    back: None,
                    held: packed.held,
                    names: packed.names,
                    hash: packed.hash,
                    frame,
                    has_left: !packed.broken,
                    is_copy: packed.copy,
                });
                self.items.extend(items);
            }
            Line::Stayed { items } => {
                self.each(&items, |item| item.has_left = false);
            }
            Line::Back { when, items } => {
                self.each(&items, |item| item.back = Some(when));
            }
            Line::Emptied { when, .. } => self.emptied = Some(when),
        }
    }

    /// Does something to the things with these numbers.
    fn each(&mut self, numbers: &[u64], change: impl Fn(&mut PanItem)) {
        for number in numbers {
            let at = usize::try_from(*number).unwrap_or(usize::MAX);
            self.items.get_mut(at).into_iter().for_each(&change);
        }
    }

    /// What a log says of a set-aside thing: where it is by now.
    pub(crate) fn whereabouts(&self, item: &PanItem) -> String {
        let day = |time: Timestamp| time.strftime("%Y-%m-%d").to_string();
        match (item.back, self.emptied) {
            (Some(back), _) => format!("brought back on {}", day(back)),
            (None, Some(emptied)) => format!("the dustpan was emptied on {}", day(emptied)),
            (None, None) => format!("in the dustpan until {}", day(self.until)),
        }
    }

    /// The numbers of what left the target, as far as is known, by path.
    pub(crate) fn numbers(&self) -> HashMap<&TargetPath, u64> {
        let numbered = self.items.iter().zip(0..);
        numbered
            .filter(|(item, _)| item.has_left && !item.is_copy)
            .map(|(item, number)| (&item.path, number))
            .collect()
    }

    /// The items by path, for a log that names them.
    pub(crate) fn by_path(&self) -> HashMap<&TargetPath, &PanItem> {
        self.held().map(|item| (&item.path, item)).collect()
    }
}
