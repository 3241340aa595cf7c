//! Rules and rulebooks, as they are meant.

pub(super) mod age;
pub(super) mod detect;
pub(super) mod file_kind;
pub(super) mod list_format;
pub(super) mod records;
pub(super) mod reference_kind;
pub(super) mod removal;
pub(super) mod section;

use std::sync::Arc;

use serde::{Deserialize, Serialize};

use crate::computer::{Layout, Place};
use crate::rule::{
    AgeLimit, Detect, FileKind, ListFormat, RecordSet, ReferenceKind, Removal, Section, Survey,
};

/// What removal means to the computer's owner.
#[derive(Clone, Copy, Debug, PartialEq, Eq, Hash, PartialOrd, Ord, Serialize, Deserialize)]
#[serde(rename_all = "lowercase")]
pub enum Class {
    /// Finished with, nobody reads it again.
    Spent,
    /// Its program builds it again when needed.
    Regrows,
    /// The person will notice it is gone.
    Felt,
    /// May be somebody's own.
    Ask,
}

impl Class {
    /// All classes, in the order in which they are shown.
    pub const ALL: [Self; 4] = [Self::Spent, Self::Regrows, Self::Felt, Self::Ask];

    /// The word that rulebooks and options use.
    pub fn name(self) -> &'static str {
        match self {
            Self::Spent => "spent",
            Self::Regrows => "regrows",
            Self::Felt => "felt",
            Self::Ask => "ask",
        }
    }

    /// The class of that name.
    pub fn by_name(name: &str) -> Option<Self> {
        Self::ALL.into_iter().find(|class| class.name() == name)
    }

    /// What it means, in a few words.
    pub fn meaning(self) -> &'static str {
        match self {
            Self::Spent => "finished with; nobody reads it again",
            Self::Regrows => "its program builds it again when needed",
            Self::Felt => "the person will notice it is gone",
            Self::Ask => "may be somebody's own",
        }
    }

    /// Whether piles of this class start taken when their rule doesn't say.
    pub fn starts_taken(self) -> bool {
        matches!(self, Self::Spent | Self::Regrows)
    }

    /// How its items are removed when the rule doesn't say.
    pub fn removal(self) -> Removal {
        match self {
            Self::Spent | Self::Regrows => Removal::Remove,
            Self::Felt | Self::Ask => Removal::SetAside,
        }
    }
}

impl Class {
    /// Whether a technician may have its items leave in this way. To write over bytes is for what
    /// is somebody's, not for what a program put down.
    pub fn allows(self, by: Removal) -> bool {
        let is_personal = matches!(self, Self::Felt | Self::Ask);
        (is_personal || by != Removal::Overwrite) && !by.keeps_name()
    }
}

/// Which time an item's age is counted from.
#[derive(Clone, Copy, Debug, Default, PartialEq, Eq, Hash, Serialize, Deserialize)]
#[serde(rename_all = "lowercase")]
pub enum AgeBy {
    /// How long it has been here as it is: the latest of modification, status change and birth. A copy or
    /// an archive brings a modification of its own along, but neither of the others.
    #[default]
    Arrived,
    /// The latest of these and last access.
    Touched,
    /// The last modification alone: for what is renamed as a matter of routine.
    Modified,
    /// The trash's own date.
    Trashed,
    /// What a list says of its entry.
    Row,
}

impl AgeBy {
    /// Every time that an item can have.
    pub const ALL: [Self; 5] = [
        Self::Arrived,
        Self::Touched,
        Self::Modified,
        Self::Trashed,
        Self::Row,
    ];

    /// What counts where a rule doesn't say.
    pub(crate) fn usual_of(entries: Option<ListFormat>) -> Self {
        if entries.is_some() {
            Self::Row
        } else {
            Self::Arrived
        }
    }

    /// The word that rulebooks use.
    pub fn name(self) -> &'static str {
        match self {
            Self::Arrived => "arrived",
            Self::Touched => "touched",
            Self::Modified => "modified",
            Self::Trashed => "trashed",
            Self::Row => "row",
        }
    }

    /// In words, for the card of a pile.
    pub fn words(self) -> &'static str {
        match self {
            Self::Arrived => "arrival here",
            Self::Touched => "last touch",
            Self::Modified => "last modification",
            Self::Trashed => "date of trashing",
            Self::Row => "its own date",
        }
    }
}

/// The age limit that a rule starts with, and the time it counts from.
#[derive(Clone, Copy, Debug, Default, PartialEq, Eq)]
pub struct AgeRule {
    /// None: any age.
    pub limit: Option<AgeLimit>,
    /// The time that counts.
    pub by: AgeBy,
}

/// What makes one family of things, of which the newest stay.
#[derive(Clone, Copy, Debug, PartialEq, Eq, Hash)]
pub enum Family {
    /// Everything in one folder.
    Folder,
    /// What is called alike in one folder, but for the numbers: versions, rotations, copies.
    Stem,
    /// Restore points of one part of the volume, wherever they lie.
    Source,
}

impl Family {
    /// Every family.
    pub const ALL: [Self; 3] = [Self::Folder, Self::Stem, Self::Source];

    /// The word that rulebooks use.
    pub fn name(self) -> &'static str {
        match self {
            Self::Folder => "folder",
            Self::Stem => "stem",
            Self::Source => "source",
        }
    }

    /// What a name shares with its family: nothing of it, or its stem.
    pub fn key(self, name: &[u8]) -> &[u8] {
        match self {
            Self::Folder | Self::Source => b"",
            Self::Stem => stem(name),
        }
    }
}

/// What a name says before its last version, without what divides the two: `tidewatch` of
/// `tidewatch_2.1_amd64.deb`, `report` of `report (2).pdf` and of `report.pdf`, `syslog` of `syslog.2.gz`,
/// `toolkit-3-themes` of `toolkit-3-themes_12.snap`, `base18` of `base18_2829.snap`. A version is made of parts
/// that begin with a digit; one that a name begins with is passed over.
fn stem(name: &[u8]) -> &[u8] {
    let divides = |byte: &u8| b" ._-()[]".contains(byte);
    let mut parts: Vec<(usize, &[u8])> = Vec::new();
    let mut from = 0;
    for part in name.split(divides) {
        if !part.is_empty() {
            parts.push((from, part));
        }
        from += part.len() + 1;
    }
    let is_version = |at: usize| {
        let begins = |part: &[u8]| part.first().is_some_and(u8::is_ascii_digit);
        let above = at.checked_sub(1).and_then(|above| parts.get(above));
        // `x86_64` is a processor.
        let is_processor = above.is_some_and(|(_, part)| *part == b"x86");
        parts.get(at).is_some_and(|(_, part)| begins(part)) && !is_processor
    };
    let Some(first) = (0..parts.len()).find(|at| !is_version(*at)) else {
        return name;
    };
    let last = (first..parts.len()).rfind(|at| is_version(*at));
    let end = match last {
        Some(last) => {
            let before = (first..last).rfind(|at| !is_version(*at));
            before.map_or(first, |before| before)
        }
        // Without a version only what the name ends on is no part of it.
        None => parts.len().saturating_sub(2).max(first),
    };
    let start = parts.get(first).map_or(0, |(from, _)| *from);
    let end = parts
        .get(end)
        .map_or(name.len(), |(from, part)| from + part.len());
    name.get(start..end).unwrap_or(name)
}

/// How many of each family stay, the newest.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub struct KeepNewest {
    /// How many; at least one.
    pub count: u32,
    /// What makes a family.
    pub per: Family,
}

/// What a rule needs before its piles can be swept.
#[derive(Clone, Copy, Debug, PartialEq, Eq, Hash, Serialize, Deserialize)]
#[serde(rename_all = "lowercase")]
pub enum Need {
    /// The rights of the administrator.
    Administrator,
}

/// Where a rule looks: a place, and a path of patterns below it.
#[derive(Clone, Debug, PartialEq, Eq)]
pub struct Within {
    /// The named folder.
    pub place: Place,
    /// Parts below it, each a name or a pattern of one; empty for the place itself.
    pub below: Vec<String>,
}

impl std::fmt::Display for Within {
    fn fmt(&self, out: &mut std::fmt::Formatter<'_>) -> std::fmt::Result {
        write!(out, "{{{}}}", self.place.name())?;
        self.below
            .iter()
            .try_for_each(|part| write!(out, "/{part}"))
    }
}

/// What a rulebook says of one path, and so what an example may expect.
#[derive(Clone, Copy, Debug, PartialEq, Eq, Serialize, Deserialize)]
#[serde(rename_all = "kebab-case")]
pub enum Verdict {
    /// It goes.
    Taken,
    /// It would go, but is younger than the age limit.
    Young,
    /// A rule takes its kind but names it as spared.
    Spared,
    /// A guard stands above it.
    Guarded,
    /// No rule has it, or not this one.
    NotMine,
}

impl Verdict {
    /// The word that examples use.
    pub fn name(self) -> &'static str {
        match self {
            Self::Taken => "taken",
            Self::Young => "young",
            Self::Spared => "spared",
            Self::Guarded => "guarded",
            Self::NotMine => "not-mine",
        }
    }
}

/// A test that a rule carries with it.
#[derive(Clone, Debug, PartialEq, Eq)]
pub struct Example {
    /// A path below a target's root.
    pub path: String,
    /// Its age.
    pub aged: Option<AgeLimit>,
    /// What it is inside, for rules that ask.
    pub contents: Option<FileKind>,
    /// What the rule says of it.
    pub verdict: Verdict,
}

/// What to take, where, how old, and what happens afterwards.
#[derive(Clone, Debug, PartialEq, Eq)]
pub struct Rule {
    /// Its id within the book.
    pub id: String,
    /// What the thing is, in plain words.
    pub title: String,
    /// What part of a computer it is about, where the rule says so.
    pub section: Option<Section>,
    /// What its removal means.
    pub class: Class,
    /// What these things are.
    pub about: String,
    /// What their owner notices afterwards.
    pub after: String,
    /// Where to look.
    pub within: Vec<Within>,
    /// What to take below each of them; empty for everything.
    pub take: Vec<String>,
    /// What not to take of that.
    pub spare: Vec<String>,
    /// How old.
    pub age: AgeRule,
    /// Whether folders that the removal leaves empty go too.
    pub empty_folders: bool,
    /// Why nothing of it goes, where it is only to be seen.
    pub only_seen: Option<String>,
    /// What it needs.
    pub needs: Option<Need>,
    /// Whether its piles start taken; by class where the rule doesn't say.
    pub starts_taken: Option<bool>,
    /// How its items leave; by class where the rule doesn't say.
    pub by: Option<Removal>,
    /// Items of holders in this format instead of the files.
    pub entries: Option<ListFormat>,
    /// Which rows, where these are asked for.
    pub records: Option<Arc<RecordSet>>,
    /// Which keys and values of a registry, where these are asked for.
    pub values: Option<ReferenceKind>,
    /// A recogniser.
    pub detect: Option<Detect>,
    /// Only files that are one of these inside, whatever they are called; any where it says nothing.
    pub looks_like: Vec<FileKind>,
    /// Whether what lies in a folder right below one of its roots goes together or stays.
    pub whole: bool,
    /// Only items of at least this many bytes.
    pub larger_than: Option<u64>,
    /// How many of each family stay.
    pub keep_newest: Option<KeepNewest>,
    /// Families of programs; while one of them runs, the pile can't be swept.
    pub busy: Vec<String>,
    /// The survey that says what it takes; no rulebook can say so.
    pub survey: Option<Survey>,
    /// Its own tests.
    pub examples: Vec<Example>,
}

impl Rule {
    /// Whether some of what it takes only goes together: a part of it alone would be worth nothing, or break
    /// the rest.
    pub fn takes_units(&self) -> bool {
        self.whole
            || matches!(
                self.detect,
                Some(Detect::CacheTagged | Detect::FetchedPackage)
            )
    }

    /// Whether its piles start taken.
    pub fn starts_taken(&self) -> bool {
        self.starts_taken
            .unwrap_or_else(|| self.class.starts_taken())
    }

    /// How its items leave the target.
    pub fn removal(&self) -> Removal {
        self.by.unwrap_or_else(|| self.class.removal())
    }

    /// The ways in which its items may leave the target, the gentlest first: its own, and those of its
    /// class.
    pub fn ways(&self) -> Vec<Removal> {
        // A list is made anew without its entries: what was theirs on the disk is no file to write over.
        let is_possible = |by: Removal| match self.entries {
            None => true,
            // The file system itself lets go of them, and gives nobody their blocks to pack.
            Some(ListFormat::Snapshots) => by == Removal::Remove,
            Some(_) => by != Removal::Overwrite,
        };
        let is_of_copy = |by: Removal| self.survey == Some(Survey::Copies) && by.keeps_name();
        if self.only_seen.is_some() {
            return Vec::new();
        }
        let may = |by: &Removal| {
            *by == self.removal() || is_of_copy(*by) || (self.class.allows(*by) && is_possible(*by))
        };
        Removal::ALL.into_iter().filter(may).collect()
    }
}

/// Rules for one layout.
#[derive(Clone, Debug, PartialEq, Eq)]
pub struct Rulebook {
    /// The first half of its rules' ids.
    pub id: String,
    /// The family of system that it speaks of.
    pub layout: Layout,
    /// What it is for.
    pub about: String,
    /// Its rules; the order counts.
    pub rules: Vec<Rule>,
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn versions_rotations_and_copies_share_a_stem() {
        for (names, key) in [
            (
                &["tidewatch_2.1_amd64.deb", "tidewatch_11.snap"][..],
                "tidewatch",
            ),
            (
                &["report (2).pdf", "report.pdf", "report-2024.pdf"],
                "report",
            ),
            (
                &["tidewatch-2.1.x86_64.rpm", "tidewatch-2.0.x86_64.rpm"],
                "tidewatch",
            ),
            (&["base18_2829.snap", "base18_2846.snap"], "base18"),
            (&["toolkit-3-themes_12.snap"], "toolkit-3-themes"),
            (&["syslog", "syslog.1", "syslog.2.gz"], "syslog"),
            (&["2024-05-01-backup.tar", "backup.tar"], "backup"),
            (&["001.jpg"], "jpg"),
            (&["2024"], "2024"),
            (&["..."], "..."),
        ] {
            for name in names {
                let found = Family::Stem.key(name.as_bytes());
                assert_eq!(String::from_utf8_lossy(found), key, "{name}");
            }
        }
        assert_eq!(Family::Folder.key(b"x"), b"");
    }
}
