//! What became of each item.

use std::collections::BTreeMap;

use serde::{Deserialize, Serialize};

use crate::pile::Sum;
use crate::rule::Removal;

/// What became of one item.
#[derive(Clone, Copy, Debug, PartialEq, Eq, Hash, PartialOrd, Ord, Serialize, Deserialize)]
#[serde(rename_all = "kebab-case")]
pub enum Outcome {
    /// It is gone for good.
    Removed,
    /// It is in the dustpan.
    SetAside,
    /// It is there under its name, and its bytes are those of another file: what they took came back.
    Shared,
    /// It is in an archive beside where it lay.
    Packed,
    /// A program holds it; it stays.
    InUse,
    /// It is no longer what was shown; it stays.
    Changed,
    /// It went by itself.
    Gone,
    /// A guard, a rule or a folder that isn't empty stands before it; it stays.
    Refused,
    /// The system doesn't let us; it stays.
    Denied,
    /// The disk failed; it stays.
    Failed,
}

impl Outcome {
    /// All outcomes, in the order in which they are told.
    pub const ALL: [Self; 10] = [
        Self::Removed,
        Self::SetAside,
        Self::Shared,
        Self::Packed,
        Self::InUse,
        Self::Changed,
        Self::Gone,
        Self::Refused,
        Self::Denied,
        Self::Failed,
    ];

    /// The word that logs use.
    pub fn name(self) -> &'static str {
        match self {
            Self::Removed => "removed",
            Self::SetAside => "set-aside",
            Self::Shared => "shared",
            Self::Packed => "packed",
            Self::InUse => "in-use",
            Self::Changed => "changed",
            Self::Gone => "gone",
            Self::Refused => "refused",
            Self::Denied => "denied",
            Self::Failed => "failed",
        }
    }

    /// What becomes of what leaves in a way and doesn't stay.
    pub fn of(by: Removal) -> Self {
        match by {
            Removal::Remove | Removal::Overwrite | Removal::Unpack => Self::Removed,
            Removal::SetAside => Self::SetAside,
            Removal::Clone | Removal::HardLink => Self::Shared,
            Removal::Pack => Self::Packed,
        }
    }

    /// Whether the item's own bytes are still on the target.
    pub fn stays(self) -> bool {
        !matches!(
            self,
            Self::Removed | Self::SetAside | Self::Shared | Self::Packed | Self::Gone
        )
    }

    /// What the technician can do about it.
    pub fn advice(self) -> &'static str {
        match self {
            Self::Removed | Self::SetAside | Self::Shared | Self::Packed | Self::Gone => "",
            Self::InUse => "close the program and try again",
            Self::Changed => "scan again and look at it as it is now",
            Self::Refused => "it is guarded, or its folder holds something that stays",
            Self::Denied => "run as the administrator",
            Self::Failed => "check the disk",
        }
    }
}

/// How many items, and bytes, had each outcome.
pub type OutcomeSums = BTreeMap<Outcome, Sum>;

/// Items that stayed for one reason.
#[derive(Clone, Debug, PartialEq, Eq)]
pub struct Stayed {
    /// The outcome.
    pub outcome: Outcome,
    /// The reason in words.
    pub reason: String,
    /// How many, and the bytes they would have freed.
    pub sum: Sum,
    /// One of them, made harmless.
    pub example: String,
}
