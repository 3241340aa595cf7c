//! Job sheets: what is remembered of computers from visit to visit, in one store.
//!
//! A sheet is known by its computer's identity, never by a name or a path. `store` keeps them, `exchange` carries them
//! from bench to bench.

pub(crate) mod exchange;
pub(crate) mod store;

use std::collections::BTreeSet;
use std::path::PathBuf;

use jiff::Timestamp;
use serde::{Deserialize, Serialize};

use crate::computer::{Layout, Volume, WrittenPath};
use crate::format::text::text_id::text_id;

text_id! {
    /// The id of a sheet: twelve letters of a hash of its computer's identity, which says nothing of it.
    SheetId
}

impl SheetId {
    /// The id of the sheet of a computer.
    pub fn of(identity: &str) -> Self {
        let hash = blake3::hash(identity.as_bytes()).to_hex();
        Self::from(hash.get(..12).unwrap_or(&hash))
    }
}

/// A number of items and their bytes, as a sheet keeps them.
#[derive(Clone, Copy, Debug, Default, PartialEq, Eq, Serialize, Deserialize)]
#[serde(deny_unknown_fields)]
pub struct Kept {
    /// How many.
    pub items: u64,
    /// What they hold.
    pub bytes: u64,
}

/// What one rule found for one account at a visit.
#[derive(Clone, Debug, PartialEq, Eq, Serialize, Deserialize)]
#[serde(deny_unknown_fields)]
pub struct VisitPile {
    /// The rule's whole id.
    pub rule: String,
    /// What it was called.
    pub title: String,
    /// Its class.
    pub class: String,
    /// Whose it was; none for the system.
    pub account: Option<String>,
    /// Everything in it.
    pub found: Kept,
    /// What was to go.
    pub takes: Kept,
    /// How it stood.
    pub state: String,
    /// What it held by age band, in bytes.
    pub bands: Vec<u64>,
}

/// A run of a visit.
#[derive(Clone, Debug, PartialEq, Eq, Serialize, Deserialize)]
#[serde(deny_unknown_fields)]
pub struct VisitRun {
    /// The run.
    pub run: String,
    /// When it ended.
    pub ended: Timestamp,
    /// What was free after it, in bytes.
    pub free: u64,
    /// What went, by rule and account.
    pub went: Vec<WentOf>,
    /// What it means for the customer.
    #[serde(default)]
    pub told: Told,
}

/// What a run means for the customer, in words, as the technician saw it.
#[derive(Clone, Debug, Default, PartialEq, Eq, Serialize, Deserialize)]
#[serde(deny_unknown_fields)]
pub struct Told {
    /// What will be noticed, and by whom.
    pub noticed: Vec<Noticed>,
    /// What to think of beside.
    pub advice: Vec<String>,
    /// When the next visit is worth it, where that can be said.
    pub next_visit: Option<Timestamp>,
    /// What went wrong; nothing where nothing did.
    #[serde(default, skip_serializing_if = "Option::is_none")]
    pub failed: Option<String>,
}

/// Something that somebody will notice.
#[derive(Clone, Debug, PartialEq, Eq, Serialize, Deserialize)]
#[serde(deny_unknown_fields)]
pub struct Noticed {
    /// The accounts that it concerns, or everyone.
    pub who: Vec<String>,
    /// What, in a sentence.
    pub what: String,
}

/// What went of one rule's things of one account.
#[derive(Clone, Debug, PartialEq, Eq, Serialize, Deserialize)]
#[serde(deny_unknown_fields)]
pub struct WentOf {
    /// The rule's whole id.
    pub rule: String,
    /// Whose it was; none for the system.
    pub account: Option<String>,
    /// What came back.
    pub sum: Kept,
}

/// A sign that showed at a visit.
#[derive(Clone, Debug, PartialEq, Eq, Serialize, Deserialize)]
#[serde(deny_unknown_fields)]
pub struct VisitSign {
    /// In words.
    pub says: String,
    /// What it could give back, in bytes.
    pub gives: u64,
}

/// A fact of a computer at a visit.
#[derive(Clone, Debug, PartialEq, Eq, Serialize, Deserialize)]
#[serde(deny_unknown_fields)]
pub struct VisitFact {
    /// What it is about.
    pub name: String,
    /// What it was.
    pub value: String,
}

/// One sitting with a computer.
#[derive(Clone, Debug, PartialEq, Eq, Serialize, Deserialize)]
#[serde(deny_unknown_fields)]
pub struct Visit {
    /// When it began.
    pub started: Timestamp,
    /// How long it took, in seconds, as far as is known.
    pub seconds: u64,
    /// The size of its volume, in bytes.
    pub size: u64,
    /// What its volume held at the beginning, in bytes.
    pub used: u64,
    /// What was free at the beginning, in bytes.
    pub free: u64,
    /// Whether it was scanned to the end.
    pub is_whole: bool,
    /// What it was.
    pub facts: Vec<VisitFact>,
    /// What showed that it needed care.
    pub signs: Vec<VisitSign>,
    /// What was found.
    pub piles: Vec<VisitPile>,
    /// What was done.
    pub runs: Vec<VisitRun>,
    /// What a person had decided when they left before anything was swept.
    #[serde(default)]
    pub decided: Vec<Decided>,
}

/// Within so many seconds a computer that comes back, and at which nothing was swept, is at the same visit still.
pub(crate) const SAME_VISIT: i64 = 12 * 3_600;

impl Visit {
    /// Whether whoever comes at this moment is at the same visit still.
    pub fn goes_on_at(&self, moment: Timestamp) -> bool {
        let passed = moment.as_second() - self.started.as_second();
        passed == 0 || (self.runs.is_empty() && (0..SAME_VISIT).contains(&passed))
    }

    /// What was free when it ended.
    pub fn free_after(&self) -> u64 {
        self.runs.last().map_or(self.free, |run| run.free)
    }

    /// What was found in all, in bytes.
    pub fn found(&self) -> u64 {
        let all = self.piles.iter().map(|pile| pile.found.bytes);
        all.fold(0, u64::saturating_add)
    }

    /// What went in all, in bytes.
    pub fn swept(&self) -> u64 {
        let went = self.runs.iter().flat_map(|run| &run.went);
        went.fold(0, |sum: u64, went| sum.saturating_add(went.sum.bytes))
    }

    /// What went of one rule's things of one account, in bytes.
    pub fn swept_of(&self, rule: &str, account: Option<&str>) -> u64 {
        let went = self.runs.iter().flat_map(|run| &run.went);
        let own = went.filter(|went| went.rule == rule && went.account.as_deref() == account);
        own.fold(0, |sum: u64, went| sum.saturating_add(went.sum.bytes))
    }
}

/// What a scan adds to a visit.
#[derive(Clone, Debug)]
pub struct VisitScan {
    /// The volume.
    pub volume: Volume,
    /// Whether it was scanned to the end.
    pub is_whole: bool,
    /// What was found.
    pub piles: Vec<VisitPile>,
}

/// What a first look adds to a visit.
#[derive(Clone, Debug, Default)]
pub struct VisitLook {
    /// What the computer is.
    pub facts: Vec<VisitFact>,
    /// What showed that it needs care.
    pub signs: Vec<VisitSign>,
}

/// What may go at a computer without a person.
#[derive(Clone, Debug, Default, PartialEq, Eq, Serialize, Deserialize)]
#[serde(deny_unknown_fields)]
pub struct Allowance {
    /// The classes; never `ask`.
    pub classes: BTreeSet<String>,
    /// Only when less than so many percent of its volume are free.
    pub below: Option<u8>,
    /// At most so many bytes at once.
    pub at_most: Option<u64>,
    /// At most so many minutes at once; what is not reached goes the next time.
    #[serde(default)]
    pub minutes: Option<u32>,
}

/// What was decided about one pile when a person swept last.
#[derive(Clone, Debug, PartialEq, Eq, Serialize, Deserialize)]
#[serde(deny_unknown_fields)]
pub struct Decided {
    /// The rule's whole id.
    pub rule: String,
    /// Whose it is; none for the system.
    pub account: Option<String>,
    /// Whether it was taken.
    pub is_taken: bool,
    /// From which age on, as rulebooks write it; none for any age.
    pub limit: Option<String>,
    /// How it leaves, as rulebooks write it; none where its rule says.
    #[serde(default, skip_serializing_if = "Option::is_none")]
    pub by: Option<String>,
}

/// Something that started by itself and was turned off, with what was there before.
#[derive(Clone, Debug, PartialEq, Eq, Serialize, Deserialize)]
#[serde(deny_unknown_fields)]
pub struct SwitchedOff {
    /// Its id.
    pub id: String,
    /// What it is called.
    pub name: String,
    /// Where it stood, in a word.
    pub source: String,
    /// Whose it is; none for the system.
    pub account: Option<String>,
    /// What it starts.
    pub command: String,
    /// When it was turned off.
    pub when: Timestamp,
    /// What was changed for that.
    pub changes: Vec<FileChange>,
}

/// A value of a registry: its type, and its bytes in base64.
#[derive(Clone, Debug, PartialEq, Eq, Serialize, Deserialize)]
#[serde(deny_unknown_fields)]
pub struct ValueData {
    /// Its type, as a number.
    pub kind: u32,
    /// Its bytes.
    pub data: String,
}

/// A change of one name on a computer, or of one value of its registry; bytes are in base64 (RFC 4648).
#[derive(Clone, Debug, PartialEq, Eq, Serialize, Deserialize)]
#[serde(deny_unknown_fields, rename_all = "lowercase")]
pub enum FileChange {
    /// A file got other bytes.
    File {
        /// Where it is.
        path: WrittenPath,
        /// What it held; nothing where there was none.
        before: Option<String>,
        /// What it holds since.
        after: String,
    },
    /// A value of a registry hive became another.
    Value {
        /// The hive.
        path: WrittenPath,
        /// The path of its key.
        key: String,
        /// Its name.
        name: String,
        /// What it was; nothing where there was none.
        before: Option<ValueData>,
        /// What it is since; nothing where it was taken away.
        after: Option<ValueData>,
    },
    /// A symbolic link was taken away.
    Link {
        /// Where it was.
        path: WrittenPath,
        /// Where it led to.
        to: String,
    },
}

/// Everything remembered of one computer.
#[derive(Clone, Debug, PartialEq, Eq, Serialize, Deserialize)]
#[serde(deny_unknown_fields)]
pub struct Sheet {
    /// Its id.
    pub sheet: SheetId,
    /// What tells the computer from others.
    pub identity: String,
    /// What the computer calls itself.
    pub label: String,
    /// Its family of system.
    pub layout: Layout,
    /// Where it was opened last, when that path is text.
    pub root: Option<PathBuf>,
    /// Whose it is, as the technician says; empty where they said nothing.
    pub name: String,
    /// What the technician noted of it.
    pub note: String,
    /// Rules, by whole id, that are turned off for it.
    pub rules_off: BTreeSet<String>,
    /// What may go without a person, where that was said at this bench.
    #[serde(default)]
    pub allowed: Option<Allowance>,
    /// What was decided when a person swept here last.
    #[serde(default)]
    pub decided: Vec<Decided>,
    /// What was turned off there, at this bench: with bytes of the customer's files, which go into no export.
    #[serde(skip)]
    pub switched: Vec<SwitchedOff>,
    /// Its visits, oldest first.
    pub visits: Vec<Visit>,
}

impl Sheet {
    /// The last visit.
    pub fn last_visit(&self) -> Option<&Visit> {
        self.visits.last()
    }

    /// What people call the computer.
    pub fn shown_name(&self) -> &str {
        if self.name.is_empty() {
            &self.label
        } else {
            &self.name
        }
    }
}
