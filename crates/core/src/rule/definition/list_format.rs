//! Lists whose entries a rule can ask for instead of the file: what `entries` says.

use serde::{Deserialize, Serialize};

/// A format of lists.
#[derive(Clone, Copy, Debug, PartialEq, Eq, Hash, Serialize, Deserialize)]
#[serde(rename_all = "kebab-case")]
pub enum ListFormat {
    /// Documents that were opened last, in XBEL.
    Xbel,
}

impl ListFormat {
    /// Every format.
    pub const ALL: [Self; 1] = [Self::Xbel];

    /// The word that rulebooks use.
    pub fn name(self) -> &'static str {
        match self {
            Self::Xbel => "xbel",
        }
    }

    /// The format of that name.
    pub fn by_name(name: &str) -> Option<Self> {
        Self::ALL.into_iter().find(|format| format.name() == name)
    }
}
