//! Sections: what part of a computer a rule is about, by which the rules are listed.

use serde::{Deserialize, Serialize};

/// A part of a computer.
#[derive(Clone, Copy, Debug, PartialEq, Eq, Hash, PartialOrd, Ord, Serialize, Deserialize)]
#[serde(rename_all = "lowercase")]
pub enum Section {
    /// The system itself.
    System,
    /// Updates, upgrades and packages.
    Updates,
    /// Logs and reports.
    Logs,
    /// Programs in general.
    Programs,
    /// Browsers, and programs on a built-in browser engine.
    Browsers,
    /// Tools for building programs.
    Developer,
    /// Media and games.
    Media,
    /// What somebody made, fetched or looked at.
    Personal,
}

impl Section {
    /// Every section, in the order in which they are listed.
    pub const ALL: [Self; 8] = [
        Self::System,
        Self::Updates,
        Self::Logs,
        Self::Programs,
        Self::Browsers,
        Self::Developer,
        Self::Media,
        Self::Personal,
    ];

    /// The word that rulebooks use.
    pub fn name(self) -> &'static str {
        match self {
            Self::System => "system",
            Self::Updates => "updates",
            Self::Logs => "logs",
            Self::Programs => "programs",
            Self::Browsers => "browsers",
            Self::Developer => "developer",
            Self::Media => "media",
            Self::Personal => "personal",
        }
    }

    /// What it is called where rules are listed.
    pub fn title(self) -> &'static str {
        match self {
            Self::System => "System",
            Self::Updates => "Updates and packages",
            Self::Logs => "Logs and reports",
            Self::Programs => "Programs",
            Self::Browsers => "Browsers",
            Self::Developer => "Developer tools",
            Self::Media => "Media and games",
            Self::Personal => "Personal",
        }
    }

    /// The section of that name.
    pub fn by_name(name: &str) -> Option<Self> {
        Self::ALL.into_iter().find(|section| section.name() == name)
    }
}
