//! Recognisers: what no pattern can say, found by looking inside or around.
//!
//! Each of them says of one name whether it is what its rule looks for, and why, in words. What it
//! can't read it calls unclear, and what is unclear is nobody's.

pub(super) mod account;
pub(super) mod cache_tag;
mod fetched;
pub(crate) mod language;
pub(crate) mod launcher;
mod link;
mod magic;
mod print_job;
mod revision;
mod thumbnail;
pub(super) mod trash;
pub(crate) mod unpacked;

pub(crate) use thumbnail::local_path;

use std::collections::HashMap;
use std::ffi::CStr;
use std::fmt;
use std::io;
use std::sync::{Arc, Mutex, OnceLock, PoisonError};

use jiff::Timestamp;
use jolly_disk::{Disk, Folder, Kind, Stat};

use crate::cancel::CancelToken;
use crate::computer::{Dates, FoldedNames, Target, TargetPath};
use crate::format::{Printable, is_harmless};
use crate::rule::{AgeBy, Detect, FileKind, Guards, ListFormat, Rule, Search};
use crate::source::recognise::fetched::Fetched;
use crate::source::recognise::language::Languages;
use crate::source::recognise::link::Mounts;
use crate::source::recognise::revision::Revisions;
use crate::source::recognise::trash::TrashDates;
use crate::source::{AccountAges, HolderItem, holder, is_tag};

/// Why a recogniser found something, in words that the screens show.
#[derive(Clone, Debug, PartialEq, Eq)]
pub enum Reason {
    /// It was thrown away; with where it lay, where that is known.
    Trashed(Option<String>),
    /// The picture that it is a preview of is gone.
    PictureGone(String),
    /// Its folder bears a cache tag.
    Tagged,
    /// It is a link to something that isn't there.
    LeadsNowhere(String),
    /// It starts a program that is gone.
    ProgramGone(String),
    /// It is a file of settings that can't be read as one.
    Unreadable,
    /// Nobody has used its account for long.
    AccountUnused,
    /// Its marks say that it was fetched, and from where it can be fetched again.
    Fetched,
    /// It was printed, or its printing was given up.
    Printed,
    /// Its unpacked folder lies beside it.
    Unpacked(String),
    /// The document of an entry is gone.
    DocumentGone(String),
    /// All files that it names are gone.
    NamesGone(String),
    /// It is a registry hive, of which each key and value is asked about by itself.
    EachReference,
    /// It is a list, of which each entry is asked about by itself.
    EachEntry,
    /// A newer one is used in its place.
    Replaced,
    /// It is in a language that isn't used here.
    LanguageNotUsed(String),
}

impl fmt::Display for Reason {
    fn fmt(&self, out: &mut fmt::Formatter<'_>) -> fmt::Result {
        match self {
            Self::Trashed(None) => out.write_str("thrown away"),
            Self::Trashed(Some(place)) => write!(out, "thrown away from {place}"),
            Self::Fetched => out.write_str("fetched from a server, by its own marks"),
            Self::Printed => out.write_str("its printing has ended"),
            Self::Unpacked(folder) => write!(out, "unpacked into {folder} beside it"),
            Self::DocumentGone(document) => write!(out, "its document {document} is gone"),
            Self::NamesGone(file) => write!(out, "it names {file}, which is not there"),
            Self::EachReference => {
                out.write_str("of what names files in it that of which all are gone")
            }
            Self::EachEntry => out.write_str("of its entries those whose document is gone"),
            Self::Replaced => out.write_str("neither in use nor registered any more"),
            Self::PictureGone(picture) => write!(out, "its picture {picture} is gone"),
            Self::Tagged => out.write_str("its folder is tagged as a cache"),
            Self::LeadsNowhere(to) => write!(out, "it leads to {to}, which is not there"),
            Self::ProgramGone(program) => {
                write!(out, "it starts {program}, which is not there")
            }
            Self::Unreadable => out.write_str("its program can't read it either"),
            Self::AccountUnused => out.write_str("its account has long not been used"),
            Self::LanguageNotUsed(language) => {
                write!(out, "the language {language} is not used on this computer")
            }
        }
    }
}

/// What a recogniser says of one name.
#[derive(Clone, Debug, PartialEq, Eq)]
pub enum Finding {
    /// It is what the rule looks for.
    Is(Reason),
    /// It is not.
    Not,
    /// It can't be said, and why; so it stays.
    Unclear(&'static str),
}

/// One name that a rule's patterns fit.
#[derive(Clone, Copy, Debug)]
pub struct Candidate<'a> {
    /// Where the rule looks.
    pub search: &'a Search,
    /// The whole path below the target's root.
    pub path: &'a TargetPath,
    /// The open folder that holds it.
    pub folder: &'a Folder,
    /// Its name in there.
    pub name: &'a CStr,
    /// What it is.
    pub kind: Kind,
    /// The item in it that is meant, where it is a holder.
    pub entry: Option<&'a HolderItem>,
}

/// The folder that a tag marks, and the tag's owner.
type Tag = (TargetPath, u32);

/// The recognisers of one target, with what they remember between two looks.
pub struct Recogniser<'a> {
    target: &'a Target,
    now: Timestamp,
    cancel: CancelToken,
    accounts: Arc<AccountAges>,
    /// The guards of the target's own places alone.
    guards: OnceLock<Guards>,
    trashes: Mutex<HashMap<TargetPath, Arc<OnceLock<TrashDates>>>>,
    /// The folder last asked for a tag, and the answer: items come folder by folder.
    tagged: Mutex<Option<(TargetPath, Option<Tag>)>>,
    languages: OnceLock<Languages>,
    mounts: OnceLock<Mounts>,
    folded: FoldedNames,
    fetched: Fetched,
    revisions: OnceLock<Revisions>,
}

impl<'a> Recogniser<'a> {
    /// What ends that which takes long.
    pub(crate) fn cancel(&self) -> &CancelToken {
        &self.cancel
    }

    /// The recognisers of a target; ages count from `now`. What takes long ends when it is cancelled.
    pub fn new(target: &'a Target, now: Timestamp, cancel: &CancelToken) -> Self {
        Self::with(target, now, cancel, Arc::new(AccountAges::of(target)))
    }

    /// The same, with what is known of the accounts already.
    pub fn with(
        target: &'a Target,
        now: Timestamp,
        cancel: &CancelToken,
        accounts: Arc<AccountAges>,
    ) -> Self {
        Self {
            target,
            now,
            cancel: cancel.clone(),
            accounts,
            guards: OnceLock::new(),
            trashes: Mutex::default(),
            tagged: Mutex::default(),
            languages: OnceLock::new(),
            mounts: OnceLock::new(),
            folded: FoldedNames::default(),
            fetched: Fetched::default(),
            revisions: OnceLock::new(),
        }
    }

    /// The moment that ages count from.
    pub fn now(&self) -> Timestamp {
        self.now
    }

    /// Forgets what was seen of folders, which others may have changed since.
    pub fn forget(&self) {
        let trashes = self.trashes.lock();
        trashes.unwrap_or_else(PoisonError::into_inner).clear();
        let tagged = self.tagged.lock();
        *tagged.unwrap_or_else(PoisonError::into_inner) = None;
        self.folded.forget();
    }

    /// Whether a name is what the rule looks for. Rules without a recogniser find whatever their
    /// patterns fit, and are not asked here.
    pub fn look(&self, rule: &Rule, detect: Detect, candidate: &Candidate<'_>) -> Finding {
        let target = self.target;
        match detect {
            Detect::Trash => {
                let below = candidate.path.below(&candidate.search.root);
                let trash = self.trash(&candidate.search.root);
                let original = trash.get().zip(below);
                Finding::Is(Reason::Trashed(
                    original.and_then(|(dates, below)| dates.original(below)),
                ))
            }
            Detect::ThumbnailWithoutPicture => thumbnail::look(target, candidate),
            Detect::CacheTagged => {
                let folder = candidate.path.parent().unwrap_or_default();
                let marked = self.marked(&candidate.search.root, &folder);
                let user = || {
                    let stat = target.disk().stat(candidate.folder, candidate.name);
                    stat.ok().map(|stat| stat.user)
                };
                let is_marked = !is_tag(candidate.name)
                    && marked.is_some_and(|(_, owner)| user() == Some(owner));
                if is_marked {
                    Finding::Is(Reason::Tagged)
                } else {
                    Finding::Not
                }
            }
            Detect::BrokenLink => {
                let mounts = self.mounts.get_or_init(|| Mounts::of(target));
                link::look(target, mounts, candidate)
            }
            Detect::BrokenLauncher => launcher::look(target, candidate),
            Detect::OldAccount => {
                let when = (self.now, &self.cancel);
                if self.accounts.is_old(target, rule, candidate.search, when) {
                    Finding::Is(Reason::AccountUnused)
                } else {
                    Finding::Not
                }
            }
            Detect::LanguageNotUsed => self
                .languages
                .get_or_init(|| Languages::of(target))
                .look(target, candidate),
            Detect::FetchedPackage => self.fetched.look(target, candidate),
            Detect::PrintJobDone => print_job::look(target, candidate),
            Detect::DocumentGone if rule.entries == Some(ListFormat::MimeApps) => {
                holder::openers::look(target, candidate)
            }
            Detect::DocumentGone if rule.entries.is_some() => {
                holder::document::look(target, candidate)
            }
            Detect::DocumentGone => launcher::recent_link::look(target, &self.folded, candidate),
            Detect::ReferenceGone => holder::registry::look(target, &self.folded, rule, candidate),
            Detect::UnpackedArchive => unpacked::look(target, candidate),
            Detect::ReplacedRevision => self
                .revisions
                .get_or_init(|| Revisions::of(target))
                .look(target, candidate),
        }
    }

    /// The topmost folder from `root` down to `folder` that a tag marks, with whose it is.
    fn marked(&self, root: &TargetPath, folder: &TargetPath) -> Option<(TargetPath, u32)> {
        let mut tagged = self.tagged.lock().unwrap_or_else(PoisonError::into_inner);
        if let Some((known, answer)) = &*tagged
            && known == folder
        {
            return answer.clone();
        }
        let guards = || Guards::new(&self.target.places, Vec::new());
        let guards = self.guards.get_or_init(guards);
        let answer = cache_tag::marked(self.target, guards, root, folder);
        *tagged = Some((folder.clone(), answer.clone()));
        answer
    }

    /// The folder that goes whole or stays with what lies right in `folder`, for the rule of a search; none
    /// where each thing goes by itself.
    pub fn unit(&self, rule: &Rule, search: &Search, folder: &TargetPath) -> Option<TargetPath> {
        if rule.detect == Some(Detect::CacheTagged) {
            return self.marked(&search.root, folder).map(|(path, _)| path);
        }
        if rule.detect == Some(Detect::FetchedPackage) {
            return Some(folder.clone());
        }
        let below = folder.below(&search.root)?;
        let first = below.split(|byte| *byte == b'/').next()?;
        let is_unit = rule.whole && !first.is_empty();
        is_unit.then(|| search.root.join(first).ok()).flatten()
    }

    /// Whether a file is one of these kinds inside.
    ///
    /// # Errors
    /// When it can't be opened or read.
    pub fn looks_like(&self, folder: &Folder, name: &CStr, kinds: &[FileKind]) -> io::Result<bool> {
        looks_like(&**self.target.disk(), folder, name, kinds)
    }

    /// The dates of a trash, read by whoever asks first.
    fn trash(&self, root: &TargetPath) -> Arc<OnceLock<TrashDates>> {
        let mut trashes = self.trashes.lock().unwrap_or_else(PoisonError::into_inner);
        let dates = Arc::clone(trashes.entry(root.clone()).or_default());
        drop(trashes);
        dates.get_or_init(|| TrashDates::read(self.target, root));
        dates
    }

    /// The time that an age counts from, seconds since 1970; none when it isn't known.
    pub fn time(
        &self,
        rule: &Rule,
        search: &Search,
        path: &TargetPath,
        stat: &Stat,
    ) -> Option<i64> {
        if rule.detect == Some(Detect::OldAccount) {
            let account = search.account?;
            return self.accounts.last_used(self.target, account, &self.cancel);
        }
        match rule.age.by {
            AgeBy::Arrived | AgeBy::Touched | AgeBy::Modified => {
                Some(time_of_itself(rule.age.by, self.target.dates, stat))
            }
            AgeBy::Trashed => {
                let below = path.below(&search.root)?;
                self.trash(&search.root).get()?.of(below)
            }
            // Whoever has the list knows it.
            AgeBy::Row => None,
        }
    }

    /// Notes of a trash that could not be read in whole: how many of its names have no date.
    pub fn undated(&self, root: &TargetPath) -> u64 {
        self.trash(root).get().map_or(0, TrashDates::unread)
    }
}

/// Whether a file is one of these kinds inside, whatever it is called.
///
/// # Errors
/// When it can't be opened or read.
pub fn looks_like(
    disk: &dyn Disk,
    folder: &Folder,
    name: &CStr,
    kinds: &[FileKind],
) -> io::Result<bool> {
    magic::is_one_of(disk, folder, name, kinds)
}

/// The time that an age counts from where a look at the thing itself tells it, seconds since 1970.
pub fn time_of_itself(by: AgeBy, dates: Dates, stat: &Stat) -> i64 {
    let arrived = match dates {
        Dates::Kept => stat.arrived(),
        Dates::Written => stat.modified,
    };
    match by {
        // Whoever lists a folder touches it, so a touch says nothing of a folder.
        AgeBy::Touched if stat.kind != Kind::Folder => arrived.max(stat.accessed).seconds,
        AgeBy::Arrived | AgeBy::Touched => arrived.seconds,
        AgeBy::Modified | AgeBy::Trashed | AgeBy::Row => stat.modified.seconds,
    }
}

/// A path or name out of a file, made harmless and short enough to show.
pub(super) fn shown(bytes: &[u8]) -> String {
    const MOST: usize = 200;
    Printable(bytes.get(..MOST).unwrap_or(bytes)).to_string()
}

/// A path as Windows writes it, made harmless and short enough to show: its folders are divided by
/// backslashes, so these stand for nothing else.
pub(super) fn shown_windows(path: &str) -> String {
    const MOST: usize = 200;
    let letters = path.chars().take(MOST).map(|letter| {
        if is_harmless(letter) {
            letter.to_string()
        } else {
            letter.escape_unicode().to_string()
        }
    });
    letters.collect()
}
