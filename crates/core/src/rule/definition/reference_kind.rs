//! What a registry holds of references to files: what `values` says.

use serde::{Deserialize, Serialize};

/// A sort of keys and values of a registry that name files by their full path, by what a person would notice of them.
#[derive(Clone, Copy, Debug, PartialEq, Eq, Hash, Serialize, Deserialize)]
#[serde(rename_all = "kebab-case")]
pub enum ReferenceKind {
    /// What is started when somebody signs in.
    RunEntries,
    /// Records by which programs are listed and uninstalled.
    UninstallRecords,
    /// What opens files of a kind, and where programs are found by name.
    Associations,
    /// Parts of programs that others use, and files that several share.
    RegisteredParts,
}

impl ReferenceKind {
    /// Every sort.
    pub const ALL: [Self; 4] = [
        Self::RunEntries,
        Self::UninstallRecords,
        Self::Associations,
        Self::RegisteredParts,
    ];

    /// The word that rulebooks use.
    pub fn name(self) -> &'static str {
        match self {
            Self::RunEntries => "run-entries",
            Self::UninstallRecords => "uninstall-records",
            Self::Associations => "associations",
            Self::RegisteredParts => "registered-parts",
        }
    }

    /// The sort of that name.
    pub fn by_name(name: &str) -> Option<Self> {
        Self::ALL.into_iter().find(|kind| kind.name() == name)
    }
}
