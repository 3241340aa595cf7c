//! The ways in which things leave a target.

use serde::{Deserialize, Serialize};

/// How an item leaves the target.
#[derive(Clone, Copy, Debug, PartialEq, Eq, PartialOrd, Ord, Hash, Serialize, Deserialize)]
#[serde(rename_all = "kebab-case")]
pub enum Removal {
    /// For good.
    Remove,
    /// Packed into the dustpan first.
    SetAside,
    /// For good, its bytes written over first.
    Overwrite,
    /// Of a copy: its own bytes for good. Its name stays, and shares those of the file that stays until somebody
    /// writes to either.
    Clone,
    /// Of a copy: its own bytes for good. Its name stays, and is one more of the file that stays.
    HardLink,
    /// Packed into an archive beside it; no list has that.
    Pack,
    /// Of such an archive: what it holds comes out of it. No list has that.
    Unpack,
}

impl Removal {
    /// Every way that a list may have, the gentlest first.
    pub const ALL: [Self; 5] = [
        Self::SetAside,
        Self::Clone,
        Self::HardLink,
        Self::Remove,
        Self::Overwrite,
    ];

    /// The way of this name, unless it is one for copies: no book and no start speaks of those.
    pub fn of_rules(name: &str) -> Option<Self> {
        let mut of_rules = Self::ALL.into_iter().filter(|by| !by.keeps_name());
        of_rules.find(|by| by.name() == name)
    }

    /// Whether what leaves in this way is found under its name afterwards, with the same contents.
    pub fn keeps_name(self) -> bool {
        matches!(self, Self::Clone | Self::HardLink)
    }

    /// The word that rulebooks and logs use.
    pub fn name(self) -> &'static str {
        match self {
            Self::Remove => "remove",
            Self::SetAside => "set-aside",
            Self::Overwrite => "overwrite",
            Self::Clone => "clone",
            Self::HardLink => "hard-link",
            Self::Pack => "pack",
            Self::Unpack => "unpack",
        }
    }

    /// What happens, in words.
    pub fn words(self) -> &'static str {
        match self {
            Self::Remove => "goes for good",
            Self::SetAside => "is set aside in the dustpan",
            Self::Overwrite => "is written over and goes for good",
            Self::Clone => "keeps its name and shares the bytes of the one that stays",
            Self::HardLink => "becomes one more name of the one that stays",
            Self::Pack => "is packed beside itself",
            Self::Unpack => "comes out of its archive",
        }
    }
}
