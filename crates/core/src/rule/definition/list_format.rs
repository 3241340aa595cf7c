//! Holders whose items a rule can ask for instead of the file: what `entries` and `records` say.

use serde::{Deserialize, Serialize};

/// A format of files that hold items.
#[derive(Clone, Copy, Debug, PartialEq, Eq, Hash, Serialize, Deserialize)]
#[serde(rename_all = "kebab-case")]
pub enum ListFormat {
    /// Documents that were opened last, in XBEL.
    Xbel,
    /// Rows of a database of SQLite.
    Rows,
}

impl ListFormat {
    /// The formats that `entries` can name; rows are asked for by `records`.
    pub const LISTS: [Self; 1] = [Self::Xbel];

    /// The word that rulebooks use.
    pub fn name(self) -> &'static str {
        match self {
            Self::Xbel => "xbel",
            Self::Rows => "rows",
        }
    }

    /// The list of that name.
    pub fn by_name(name: &str) -> Option<Self> {
        Self::LISTS.into_iter().find(|format| format.name() == name)
    }

    /// What one of its items is, in listings and logs.
    pub fn item_name(self) -> &'static str {
        match self {
            Self::Xbel => "entry",
            Self::Rows => "row",
        }
    }
}
