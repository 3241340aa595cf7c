//! The families of system, and how one is told from what lies on a disk.

use jolly_disk::{Disk, Folder, Kind};
use serde::{Deserialize, Serialize};

use crate::computer::TargetPath;
use crate::computer::places::find;

/// The family of system found on a target.
#[derive(Clone, Copy, Debug, Default, PartialEq, Eq, Hash, Serialize, Deserialize)]
#[serde(rename_all = "lowercase")]
pub enum Layout {
    /// A Linux system.
    #[default]
    Linux,
    /// A Windows system.
    Windows,
    /// A macOS system.
    Macos,
}

impl Layout {
    /// Every layout.
    pub const ALL: [Self; 3] = [Self::Linux, Self::Windows, Self::Macos];

    /// Every layout, by name.
    pub const NAMES: &'static [&'static str] = &["linux", "windows", "macos"];

    /// The name that rulebooks and options use.
    pub fn name(self) -> &'static str {
        match self {
            Self::Linux => "linux",
            Self::Windows => "windows",
            Self::Macos => "macos",
        }
    }

    /// Whether names that differ only in case are the same name there.
    pub fn ignores_case(self) -> bool {
        self != Self::Linux
    }

    /// Whether two names are the same one on this layout.
    pub fn is_same_name(self, one: &[u8], other: &[u8]) -> bool {
        one == other || (self.ignores_case() && fold(one) == fold(other))
    }
}

/// A name in small letters; bytes that aren't text only fold their ASCII letters.
pub(crate) fn fold(name: &[u8]) -> Vec<u8> {
    match std::str::from_utf8(name) {
        Ok(text) => text.to_lowercase().into_bytes(),
        Err(_) => name.to_ascii_lowercase(),
    }
}

impl std::str::FromStr for Layout {
    type Err = UnknownLayout;

    fn from_str(text: &str) -> Result<Self, Self::Err> {
        Self::ALL
            .into_iter()
            .find(|layout| layout.name() == text)
            .ok_or_else(|| UnknownLayout {
                text: text.to_owned(),
            })
    }
}

/// A layout's name that this version doesn't know.
#[derive(Debug, PartialEq, Eq, thiserror::Error)]
#[error(
    "no layout is called \"{}\"; the layouts are: linux, windows, macos",
    crate::format::Printable(text.as_bytes())
)]
pub struct UnknownLayout {
    text: String,
}

/// What only a root of one family has. A folder of that name counts, whatever its case where case
/// doesn't count; the first family of which enough is there has the disk.
struct Signs {
    layout: Layout,
    folders: &'static [&'static str],
    files: &'static [&'static str],
    /// How many of them have to be there.
    enough: usize,
}

const SIGNS: [Signs; 3] = [
    Signs {
        layout: Layout::Windows,
        folders: words! {
            "Windows" "Windows/System32" "Users/*/AppData" "Users/Public" "Program Files" "ProgramData"
            "Documents and Settings" "System Volume Information"
        },
        files: &[],
        enough: 2,
    },
    Signs {
        layout: Layout::Macos,
        folders: &[
            "System/Library",
            "Library",
            "Users/*/Library",
            "Applications",
            "private/var",
            "Users/Shared",
        ],
        files: &["System/Library/CoreServices/SystemVersion.plist"],
        enough: 2,
    },
    Signs {
        layout: Layout::Linux,
        folders: &["home", "var/log", "var/tmp", "var/cache", "var/lib"],
        files: &["etc/passwd", "etc/os-release", "usr/lib/os-release"],
        enough: 1,
    },
];

/// Tells the layout of a root by what lies on it; a volume's label says nothing.
pub(crate) fn recognise(disk: &dyn Disk, root: &Folder) -> Option<Layout> {
    SIGNS.iter().find_map(|signs| {
        let there = |path: &&str, is_wanted: fn(Kind) -> bool| {
            let parts: Vec<&str> = path.split('/').collect();
            find::anything(disk, root, &TargetPath::root(), &parts, signs.layout)
                .iter()
                .any(|(_, kind)| is_wanted(*kind))
        };
        let folders = signs
            .folders
            .iter()
            .filter(|path| there(path, |kind| kind == Kind::Folder));
        // A file of the system may be a link to where the distribution keeps it.
        let files = signs
            .files
            .iter()
            .filter(|path| there(path, |kind| matches!(kind, Kind::File | Kind::Link)));
        (folders.count() + files.count() >= signs.enough).then_some(signs.layout)
    })
}
