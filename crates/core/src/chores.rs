//! Upkeep of the running system that isn't files: each is done by a tool of its own, in view, with a log.
//!
//! What a chore would do is looked up first (`look`), by simulations and by what the system's own services tell; `run` has the
//! tools do it, one after the other, and tells what came of each. A tool that says nothing for too long is interrupted. A
//! chore of another system than the running one isn't there at all.

mod look;
mod run;

pub use look::{Surroundings, chores};
pub use run::{ChoreEnd, ChoreOrder, ChoreOutcome, run_chore};

use std::time::Duration;

use jiff::Timestamp;

use crate::host::Tool;

/// Which chore it is.
#[derive(Clone, Copy, Debug, PartialEq, Eq, PartialOrd, Ord, Hash)]
pub enum ChoreId {
    /// Names of other machines that the system remembers.
    NameCache,
    /// What was copied last.
    Clipboard,
    /// The list of fonts.
    FontCache,
    /// The pictures of programs, packed for menus.
    IconCaches,
    /// Which program opens what.
    MenuCaches,
    /// Packages that were downloaded and installed.
    PackageCache,
    /// Packages that came along and that nothing needs.
    UnneededPackages,
    /// The system's journal.
    Journal,
    /// Putting files together that lie in pieces.
    Pieces,
    /// Telling flash disks what is empty.
    Trim,
}

impl ChoreId {
    /// All of them, in the order in which they are done: what frees something before the disks are told what is empty.
    pub const ALL: [Self; 10] = [
        Self::UnneededPackages,
        Self::PackageCache,
        Self::Journal,
        Self::FontCache,
        Self::IconCaches,
        Self::MenuCaches,
        Self::NameCache,
        Self::Clipboard,
        Self::Pieces,
        Self::Trim,
    ];

    /// Its name on the command line and in logs.
    pub fn name(self) -> &'static str {
        match self {
            Self::NameCache => "name-cache",
            Self::Clipboard => "clipboard",
            Self::FontCache => "font-cache",
            Self::IconCaches => "icon-caches",
            Self::MenuCaches => "menu-caches",
            Self::PackageCache => "package-cache",
            Self::UnneededPackages => "unneeded-packages",
            Self::Journal => "journal",
            Self::Pieces => "pieces",
            Self::Trim => "trim",
        }
    }

    /// The chore of a name.
    pub fn of(name: &str) -> Option<Self> {
        Self::ALL.into_iter().find(|one| one.name() == name)
    }

    /// What it is called.
    pub fn title(self) -> &'static str {
        match self {
            Self::NameCache => "Name cache",
            Self::Clipboard => "Clipboard",
            Self::FontCache => "Font cache",
            Self::IconCaches => "Icon caches",
            Self::MenuCaches => "Menu caches",
            Self::PackageCache => "Package cache",
            Self::UnneededPackages => "Packages nothing needs",
            Self::Journal => "System journal",
            Self::Pieces => "Files in pieces",
            Self::Trim => "Trim of flash disks",
        }
    }

    /// What it does, and what that frees or mends.
    pub fn does(self) -> &'static str {
        match self {
            Self::NameCache => {
                "Forgets the addresses of other machines: a site that moved is found again."
            }
            Self::Clipboard => "Empties what was copied last: nobody can paste it any more.",
            Self::FontCache => {
                "Lists the fonts anew: missing or wrong letters in programs go away."
            }
            Self::IconCaches => "Packs the icons anew: missing or wrong icons in menus go away.",
            Self::MenuCaches => {
                "Lists anew which program opens what: menus show what is installed."
            }
            Self::PackageCache => {
                "Removes downloaded packages that are installed already; they can be downloaded again."
            }
            Self::UnneededPackages => {
                "Removes packages that came along with others and that nothing needs any more."
            }
            Self::Journal => {
                "Removes what the system wrote into its journal more than four weeks ago."
            }
            Self::Pieces => {
                "Puts files together that lie in pieces on a disk that turns: reading them gets faster."
            }
            Self::Trim => "Tells flash disks what is empty: they stay fast.",
        }
    }

    /// How long its tool may say nothing.
    fn patience(self) -> Duration {
        match self {
            Self::NameCache | Self::Clipboard => Duration::from_secs(10),
            Self::FontCache | Self::IconCaches | Self::MenuCaches => Duration::from_mins(2),
            Self::PackageCache | Self::Journal => Duration::from_mins(5),
            Self::UnneededPackages | Self::Pieces | Self::Trim => Duration::from_mins(30),
        }
    }

    /// Whether its tool is killed when the interrupt doesn't end it: a package manager would leave things half done.
    fn may_be_killed(self) -> bool {
        self != Self::UnneededPackages
    }
}

/// A step of a chore.
#[derive(Clone, Debug, PartialEq, Eq)]
pub enum ChoreStep {
    /// A tool does it.
    Tool(Tool),
    /// The terminal is asked to (xterm's control sequences, OSC 52); it gives no answer.
    Terminal,
}

/// A chore, as it stands now.
#[derive(Clone, Debug)]
pub struct Chore {
    /// Which one.
    pub id: ChoreId,
    /// How it is done; or why it can't be, in words.
    pub can: Result<Vec<ChoreStep>, String>,
    /// What it would give back, in bytes, where that can be told.
    pub gives: Option<u64>,
    /// What else its simulation tells.
    pub facts: Vec<String>,
    /// Packages that it would remove.
    pub packages: Vec<String>,
    /// When it was done last, as far as that is known.
    pub last: Option<Timestamp>,
}
