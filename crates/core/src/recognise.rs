//! Recognisers: what no pattern can say, found by looking inside or around.
//!
//! Each of them says of one name whether it is what its rule looks for, and why, in words. What it
//! can't read it calls unclear, and what is unclear is nobody's.

mod account;
mod cache_tag;
mod language;
mod launcher;
mod link;
mod thumbnail;
mod trash;

pub use account::is_old_account;
pub use cache_tag::{bears_tag, is_tag};
pub use trash::{TrashNotes, described, oldest_in_trash};

use std::collections::HashMap;
use std::ffi::CStr;
use std::fmt;
use std::sync::{Arc, Mutex, OnceLock, PoisonError};

use jiff::Timestamp;
use jolly_disk::{Folder, Kind, Stat};

use crate::rulebook::{AgeBy, Detect, Rule, Search};
use crate::target::{Printable, Target, TargetPath, is_harmless};
use language::Languages;
use trash::TrashDates;

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
    /// It is in a language that isn't used here.
    LanguageNotUsed(String),
}

impl fmt::Display for Reason {
    fn fmt(&self, out: &mut fmt::Formatter<'_>) -> fmt::Result {
        match self {
            Self::Trashed(None) => out.write_str("thrown away"),
            Self::Trashed(Some(place)) => write!(out, "thrown away from {place}"),
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
}

/// The recognisers of one target, with what they remember between two looks.
pub struct Recogniser<'a> {
    target: &'a Target,
    now: Timestamp,
    trashes: Mutex<HashMap<TargetPath, Arc<OnceLock<TrashDates>>>>,
    /// The folder last asked for a tag, and the answer: items come folder by folder.
    tagged: Mutex<Option<(TargetPath, bool)>>,
    languages: OnceLock<Languages>,
}

impl<'a> Recogniser<'a> {
    /// The recognisers of a target; ages count from `now`.
    pub fn new(target: &'a Target, now: Timestamp) -> Self {
        Self {
            target,
            now,
            trashes: Mutex::default(),
            tagged: Mutex::default(),
            languages: OnceLock::new(),
        }
    }

    /// Forgets what was seen of folders, which others may have changed since.
    pub fn forget(&self) {
        let trashes = self.trashes.lock();
        trashes.unwrap_or_else(PoisonError::into_inner).clear();
        let tagged = self.tagged.lock();
        *tagged.unwrap_or_else(PoisonError::into_inner) = None;
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
                if !is_tag(candidate.name) && self.is_tagged(candidate) {
                    Finding::Is(Reason::Tagged)
                } else {
                    Finding::Not
                }
            }
            Detect::BrokenLink => link::look(target, candidate),
            Detect::BrokenLauncher => launcher::look(target, candidate),
            Detect::OldAccount => account::look(target, rule, candidate.search, self.now),
            Detect::LanguageNotUsed => self
                .languages
                .get_or_init(|| Languages::of(target))
                .look(candidate),
        }
    }

    /// Whether a folder between the rule's root and a name, that root included, bears a tag.
    fn is_tagged(&self, candidate: &Candidate<'_>) -> bool {
        let folder = candidate.path.parent().unwrap_or_default();
        let mut tagged = self.tagged.lock().unwrap_or_else(PoisonError::into_inner);
        if let Some((known, answer)) = &*tagged
            && *known == folder
        {
            return *answer;
        }
        let answer = cache_tag::is_below_tag(self.target, &candidate.search.root, &folder);
        *tagged = Some((folder, answer));
        answer
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
            return self.target.accounts.get(search.account?)?.last_used;
        }
        match rule.age.by {
            AgeBy::Changed | AgeBy::Touched => Some(time_of_itself(rule.age.by, stat)),
            AgeBy::Trashed => {
                let below = path.below(&search.root)?;
                self.trash(&search.root).get()?.of(below)
            }
        }
    }

    /// Notes of a trash that could not be read in whole: how many of its names have no date.
    pub fn undated(&self, root: &TargetPath) -> u64 {
        self.trash(root).get().map_or(0, TrashDates::unread)
    }
}

/// The time that an age counts from where a look at the thing itself tells it, seconds since 1970.
pub fn time_of_itself(by: AgeBy, stat: &Stat) -> i64 {
    match by {
        // Whoever lists a folder touches it, so a touch says nothing of a folder.
        AgeBy::Touched if stat.kind != Kind::Folder => {
            stat.modified.seconds.max(stat.accessed.seconds)
        }
        AgeBy::Changed | AgeBy::Touched | AgeBy::Trashed => stat.modified.seconds,
    }
}

/// A path or name out of a file, made harmless and short enough to show.
fn shown(bytes: &[u8]) -> String {
    const MOST: usize = 200;
    Printable(bytes.get(..MOST).unwrap_or(bytes)).to_string()
}

/// A path as Windows writes it, made harmless and short enough to show: its folders are divided by
/// backslashes, so these stand for nothing else.
fn shown_windows(path: &str) -> String {
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
