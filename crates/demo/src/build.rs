//! Building a demo computer.

use std::fs;
use std::io;
use std::path::{Path, PathBuf};

use jolly_disk::{Distrust, make_trusted_folder};

use crate::contents::Chance;
use crate::program::HELD;
use crate::system::LOCKED;
use crate::tree::{DAY, TreeBuilder};
use crate::{copies, examples, macos, people, programs, system, windows};

/// Which of the demo computers.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub enum DemoLayout {
    /// The till computer.
    Linux,
    /// The office notebook.
    Windows,
    /// The dock of the boat-yard's tablet.
    Macos,
}

impl DemoLayout {
    /// Every demo computer.
    pub const ALL: [Self; 3] = [Self::Linux, Self::Windows, Self::Macos];

    /// The folder that it is built in, beside its sisters.
    pub fn folder(self) -> &'static str {
        match self {
            Self::Linux => "till",
            Self::Windows => "office",
            Self::Macos => "yard",
        }
    }

    /// The name that rulebooks use.
    pub fn name(self) -> &'static str {
        match self {
            Self::Linux => "linux",
            Self::Windows => "windows",
            Self::Macos => "macos",
        }
    }

    /// What the computer is called.
    pub fn label(self) -> &'static str {
        match self {
            Self::Linux => "till computer",
            Self::Windows => "office notebook",
            Self::Macos => "yard dock",
        }
    }
}

/// Why a demo computer can't be built.
#[derive(Debug, thiserror::Error)]
#[expect(missing_docs, reason = "the message names the fields")]
pub enum DemoError {
    #[error("{} is not empty", path.display())]
    NotEmpty { path: PathBuf },
    #[error("a demo computer is built only where nobody else has a hand in it")]
    Doubted {
        #[from]
        source: Distrust,
    },
    #[error("cannot {verb} {}", path.display())]
    Disk {
        verb: &'static str,
        path: PathBuf,
        source: io::Error,
    },
    #[error("cannot fill the database {}", path.display())]
    Database {
        path: PathBuf,
        source: rusqlite::Error,
    },
    #[error("cannot make a record of programs: {0}")]
    Record(String),
    #[error("cannot read the {layout} rulebook's examples")]
    Rulebook {
        layout: &'static str,
        source: toml::de::Error,
    },
}

impl DemoError {
    pub(crate) fn at(verb: &'static str, path: &Path) -> impl FnOnce(io::Error) -> Self + use<> {
        let path = path.to_owned();
        move |source| Self::Disk { verb, path, source }
    }
}

/// The size of the stand-in volume, in bytes.
const CAPACITY: u64 = 4 << 30;

/// Builds a demo computer in `root`, which must be empty or absent; ages count back from `now`,
/// seconds since 1970. Beside it comes a folder that a link in the demo points out to and that
/// must survive everything; its path is returned.
///
/// # Errors
/// When `root` holds anything, or the disk refuses.
pub fn build(root: &Path, layout: DemoLayout, now: i64) -> Result<PathBuf, DemoError> {
    refuse_filled(root)?;
    // Nobody else may have a hand in it, or could put a link in the way of what is written.
    make_trusted_folder(root)?;
    let root = root.canonicalize().map_err(DemoError::at("find", root))?;
    set_mode(&root, 0o700)?;
    let tree = TreeBuilder::new(&root, now)?;
    let mut name = root.file_name().unwrap_or_default().to_owned();
    name.push("-next-door");
    let next_door = root.with_file_name(name);
    refuse_filled(&next_door)?;
    make_trusted_folder(&next_door)?;
    set_mode(&next_door, 0o755)?;
    let outside = TreeBuilder::new(&next_door, now)?;
    outside.text(
        "boat-licences.txt",
        "Must still be here after every sweep.\n",
        400 * DAY,
    )?;
    let (name, label) = (layout.name(), layout.label());
    tree.text(
        ".otter-quay.toml",
        format!(
            "# A stand-in volume: free space is its capacity less what is allocated below here.\n\
             label = \"{label}\"\nowner = \"Otter Quay Boat Hire\"\nlayout = \"{name}\"\n\
             capacity = {CAPACITY}\n"
        ),
        400 * DAY,
    )?;
    let mut chance = Chance::new(0x0077_e201);
    match layout {
        DemoLayout::Linux => {
            system::build(&tree, &mut chance, &next_door)?;
            programs::linux(&tree)?;
            people::build(&tree, &mut chance)?;
            copies::build(&tree)?;
            tree.file(HELD, 3 << 20, 40 * DAY)?;
        }
        DemoLayout::Windows => {
            windows::build(&tree, &mut chance, &next_door)?;
            programs::windows(&tree)?;
        }
        DemoLayout::Macos => {
            macos::build(&tree, &mut chance, &next_door)?;
            programs::macos(&tree)?;
        }
    }
    examples::build(&tree, layout)?;
    tree.age_folders()?;
    tree.mode(".otter-quay.toml", 0o644)?;
    set_mode(&root, 0o755)?;
    Ok(next_door)
}

/// Which demo computer is in a folder; none where it holds something else.
pub fn built_in(root: &Path) -> Option<DemoLayout> {
    let text = fs::read_to_string(root.join(".otter-quay.toml")).ok()?;
    let is_it = |layout: &DemoLayout| {
        text.contains(&format!("\nlayout = \"{}\"\n", layout.name()))
            && text.contains(&format!("\nlabel = \"{}\"\n", layout.label()))
    };
    DemoLayout::ALL.into_iter().find(is_it)
}

/// Refuses a folder that holds anything.
fn refuse_filled(folder: &Path) -> Result<(), DemoError> {
    match fs::read_dir(folder).map(|mut entries| entries.next().is_some()) {
        Ok(true) => Err(DemoError::NotEmpty {
            path: folder.to_owned(),
        }),
        Ok(false) => Ok(()),
        Err(error) if error.kind() == io::ErrorKind::NotFound => Ok(()),
        Err(error) => Err(DemoError::at("read", folder)(error)),
    }
}

fn set_mode(folder: &Path, mode: u32) -> Result<(), DemoError> {
    use std::os::unix::fs::PermissionsExt as _;
    let permissions = fs::Permissions::from_mode(mode);
    fs::set_permissions(folder, permissions).map_err(DemoError::at("change", folder))
}

/// Builds only the examples of a layout's rulebook in `root`: some megabytes, for volumes on which
/// every byte has to be written.
///
/// # Errors
/// When the disk refuses.
pub fn build_examples(root: &Path, layout: DemoLayout, now: i64) -> Result<(), DemoError> {
    let tree = TreeBuilder::new(root, now)?;
    examples::build(&tree, layout)?;
    tree.age_folders()
}

/// Opens the folder that nobody may read, so that an ordinary person can throw the demo away.
///
/// # Errors
/// What the disk says.
pub fn make_removable(root: &Path) -> Result<(), DemoError> {
    use std::os::unix::fs::PermissionsExt as _;
    let locked = root.join(LOCKED);
    match fs::set_permissions(&locked, fs::Permissions::from_mode(0o700)) {
        Err(error) if error.kind() != io::ErrorKind::NotFound => {
            Err(DemoError::at("open", &locked)(error))
        }
        _ => Ok(()),
    }
}
