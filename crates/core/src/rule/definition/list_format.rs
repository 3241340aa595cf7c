//! Holders whose items a rule can ask for instead of the file: what `entries`, `records` and `values` say.

use serde::{Deserialize, Serialize};

/// A format of files that hold items.
#[derive(Clone, Copy, Debug, PartialEq, Eq, Hash, Serialize, Deserialize)]
#[serde(rename_all = "kebab-case")]
pub enum ListFormat {
    /// Documents that were opened last, in XBEL.
    Xbel,
    /// Which program opens which kind of files, in a `mimeapps.list`.
    MimeApps,
    /// Rows of a database of SQLite.
    Rows,
    /// Keys and values of a registry hive that name files.
    Registry,
    /// Restore points that the file system holds: what holds them is a folder.
    Snapshots,
}

impl ListFormat {
    /// The formats that `entries` can name; rows are asked for by `records`, those of a registry by `values`.
    pub const LISTS: [Self; 3] = [Self::Xbel, Self::MimeApps, Self::Snapshots];

    /// The word that rulebooks use.
    pub fn name(self) -> &'static str {
        match self {
            Self::Xbel => "xbel",
            Self::MimeApps => "mime-apps",
            Self::Rows => "rows",
            Self::Registry => "registry",
            Self::Snapshots => "snapshots",
        }
    }

    /// The list of that name.
    pub fn by_name(name: &str) -> Option<Self> {
        Self::LISTS.into_iter().find(|format| format.name() == name)
    }

    /// Whether the whole of it is copied before anything in it goes: what makes a system work, not what tells of somebody.
    pub fn is_copied_whole(self) -> bool {
        matches!(self, Self::MimeApps | Self::Registry)
    }

    /// What one of its items is, in listings and logs.
    pub fn item_name(self) -> &'static str {
        match self {
            Self::Xbel | Self::MimeApps => "entry",
            Self::Rows => "row",
            Self::Registry => "value",
            Self::Snapshots => "snapshot",
        }
    }
}
