//! What is worked on: the root, its layout, accounts, places and volume.

mod account;
mod in_use;
mod opened;
mod path;
mod place;
mod printable;
mod profile;
mod user_dirs;
mod volume;

pub use account::Account;
pub use in_use::{Holder, InUse};
pub use opened::{Target, TargetError};
pub use path::{PathError, TargetPath, WrittenPath};
pub use place::{Place, Places};
pub use printable::{Printable, is_harmless};
pub use volume::Volume;

use serde::{Deserialize, Serialize};

/// The family of system found on a target.
#[derive(Clone, Copy, Debug, PartialEq, Eq, Hash, Serialize, Deserialize)]
#[serde(rename_all = "lowercase")]
pub enum Layout {
    /// A Linux system.
    Linux,
}

impl Layout {
    /// Every layout that this version knows, by name.
    pub const NAMES: &'static [&'static str] = &["linux"];

    /// The name that rulebooks and options use.
    pub fn name(self) -> &'static str {
        match self {
            Self::Linux => "linux",
        }
    }
}

impl std::str::FromStr for Layout {
    type Err = UnknownLayout;

    fn from_str(text: &str) -> Result<Self, Self::Err> {
        match text {
            "linux" => Ok(Self::Linux),
            _ => Err(UnknownLayout {
                text: text.to_owned(),
            }),
        }
    }
}

/// A layout's name that this version doesn't know.
#[derive(Debug, PartialEq, Eq, thiserror::Error)]
#[error("no layout is called \"{text}\"; this version knows: linux")]
pub struct UnknownLayout {
    text: String,
}
