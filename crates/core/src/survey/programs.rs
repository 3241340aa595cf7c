//! The programs of a target by its own records, and what each really occupies.
//!
//! `packages`, `bundles`, `sealed`, `executables` and `windows` read what package managers and systems note; `launchers`
//! gives programs the names that people know; `footprint` finds the folders that are theirs and measures them. Nothing of
//! a target is changed, and what couldn't be read is told: then the inventory isn't whole.

mod belongs;
mod bundles;
mod executables;
pub(super) mod footprint;
mod launchers;
pub(super) mod names;
pub(in crate::survey) mod packages;
mod recent;
mod sealed;
pub(super) mod uninstall;
pub(super) mod windows;

use std::collections::{HashMap, HashSet};
use std::ffi::CString;
use std::io;

use jolly_disk::Kind;
use serde::Serialize;

use crate::cancel::CancelToken;
use crate::computer::{Layout, Target, TargetPath, read_whole};
use crate::format::ProcessorPart;
use crate::survey::extensions;
use crate::survey::folders::names_in;
pub use crate::survey::programs::belongs::Belongs;
use crate::survey::programs::names::{Known, normal};

/// What says that a program is there.
#[derive(Clone, Copy, Debug, PartialEq, Eq, PartialOrd, Ord, Serialize)]
#[serde(rename_all = "kebab-case")]
pub enum ProgramSource {
    /// The package database of dpkg.
    Dpkg,
    /// The package database of RPM.
    Rpm,
    /// The package database of pacman.
    Pacman,
    /// The package database of apk.
    Apk,
    /// A flatpak.
    Flatpak,
    /// A snap.
    Snap,
    /// A profile of nix.
    Nix,
    /// A program that is one file, with all that it needs.
    AppImage,
    /// A program file that no package owns.
    Executable,
    /// A folder of a program that no package owns.
    Folder,
    /// A launcher whose program is there, and that nothing else tells of.
    Launcher,
    /// The record by which Windows removes it.
    UninstallRecord,
    /// A packaged app of Windows.
    PackagedApp,
    /// An application bundle.
    Bundle,
    /// An installer's receipt.
    Receipt,
}

impl ProgramSource {
    /// Whether a package database says so.
    pub fn is_package(self) -> bool {
        matches!(self, Self::Dpkg | Self::Rpm | Self::Pacman | Self::Apk)
    }

    /// In a word or two, for a table.
    pub fn short(self) -> &'static str {
        match self {
            Self::Dpkg => "dpkg",
            Self::Rpm => "RPM",
            Self::Pacman => "pacman",
            Self::Apk => "apk",
            Self::Flatpak => "flatpak",
            Self::Snap => "snap",
            Self::Nix => "nix",
            Self::AppImage => "AppImage",
            Self::Executable => "program file",
            Self::Folder => "folder",
            Self::Launcher => "launcher",
            Self::UninstallRecord => "uninstall record",
            Self::PackagedApp => "packaged app",
            Self::Bundle => "bundle",
            Self::Receipt => "receipt",
        }
    }

    /// In words.
    pub fn words(self) -> &'static str {
        match self {
            Self::Dpkg => "a package of dpkg",
            Self::Rpm => "a package of RPM",
            Self::Pacman => "a package of pacman",
            Self::Apk => "a package of apk",
            Self::Flatpak => "a flatpak",
            Self::Snap => "a snap",
            Self::Nix => "in a profile of nix",
            Self::AppImage => "one file with all that it needs",
            Self::Executable => "a program file that no package owns",
            Self::Folder => "a folder that no package owns",
            Self::Launcher => "a launcher whose program is there",
            Self::UninstallRecord => "recorded for uninstalling",
            Self::PackagedApp => "a packaged app",
            Self::Bundle => "an application bundle",
            Self::Receipt => "an installer's receipt",
        }
    }
}

/// Why a program is there.
#[derive(Clone, Copy, Debug, Default, PartialEq, Eq, PartialOrd, Ord, Serialize)]
#[serde(rename_all = "kebab-case")]
pub enum Reason {
    /// Somebody wanted it.
    ByHand,
    /// Another program needs it, or needed it when it came.
    Dependency,
    /// It came with the system.
    System,
    /// Nothing says why.
    #[default]
    Unknown,
}

impl Reason {
    /// In words.
    pub fn words(self) -> &'static str {
        match self {
            Self::ByHand => "installed by hand",
            Self::Dependency => "came as a dependency",
            Self::System => "came with the system",
            Self::Unknown => "nothing says why it is there",
        }
    }
}

/// What something occupies, in bytes of the disk.
#[derive(Clone, Copy, Debug, Default, PartialEq, Eq, Serialize)]
pub struct Occupied {
    /// The program itself.
    pub program: u64,
    /// What it keeps for people: settings and data.
    pub data: u64,
    /// What it can make again.
    pub cache: u64,
    /// What it noted while it ran.
    pub logs: u64,
}

impl Occupied {
    /// Everything together.
    pub fn all(&self) -> u64 {
        let parts = [self.program, self.data, self.cache, self.logs];
        parts.into_iter().fold(0, u64::saturating_add)
    }

    fn add(&mut self, other: &Self) {
        self.program = self.program.saturating_add(other.program);
        self.data = self.data.saturating_add(other.data);
        self.cache = self.cache.saturating_add(other.cache);
        self.logs = self.logs.saturating_add(other.logs);
    }
}

/// A folder or file that is a program's.
#[derive(Clone, Debug, PartialEq, Eq)]
pub struct Footprint {
    /// Where it is.
    pub path: TargetPath,
    /// Whose it is, by position in the target's accounts.
    pub account: Option<usize>,
    /// What it holds.
    pub bytes: Occupied,
    /// Why it is the program's, in words.
    pub evidence: String,
    /// When something in it changed last, seconds since 1970.
    pub changed: Option<i64>,
    /// The folders in it, or itself, that hold only what the program can make again or noted while it ran.
    pub renewable: Vec<TargetPath>,
}

/// One program.
#[derive(Clone, Debug, PartialEq, Eq)]
pub struct Program {
    /// What its source knows it by.
    pub id: String,
    /// What people call it.
    pub name: String,
    /// Its version; empty where nothing says it.
    pub version: String,
    /// What says that it is there.
    pub source: ProgramSource,
    /// Who made it, where that is said.
    pub maker: Option<String>,
    /// Why it is there.
    pub reason: Reason,
    /// Whether menus show it.
    pub has_launcher: bool,
    /// When it was installed or renewed, seconds since 1970.
    pub installed: Option<i64>,
    /// When it was used last, seconds since 1970: as its system records it, else when its own files changed last.
    pub last_used: Option<i64>,
    /// What it occupies.
    pub bytes: Occupied,
    /// Where.
    pub footprint: Vec<Footprint>,
    /// Of a browser: what was added to its profiles, by name.
    pub extensions: Vec<String>,
    /// Of one that runs on several processors: its parts.
    pub processors: Option<Processors>,
    /// The names by which what is its is known, in their normal form.
    names: Vec<(String, Known)>,
    /// Folders and files that records name as its program, with whose they are.
    pub(super) own: Vec<(TargetPath, Option<usize>)>,
}

/// The parts of a program that runs on several processors.
#[derive(Clone, Debug, PartialEq, Eq)]
pub struct Processors {
    /// Each processor once, with what is for it.
    pub parts: Vec<ProcessorPart>,
    /// The processor of the computer, where something on it says so.
    pub own: Option<&'static str>,
    /// Whether the program is signed as a whole: then none of it may go.
    pub is_sealed: bool,
}

impl Processors {
    /// What is for processors that the computer doesn't have, in bytes; none where that isn't known.
    pub fn others(&self) -> Option<u64> {
        let own = self.own?;
        let others = self.parts.iter().filter(|part| part.processor != own);
        Some(others.map(|part| part.bytes).sum())
    }
}

impl Program {
    fn new(source: ProgramSource, id: &str, name: &str) -> Self {
        let mut program = Self {
            id: id.to_owned(),
            name: name.to_owned(),
            version: String::new(),
            source,
            maker: None,
            reason: Reason::Unknown,
            has_launcher: false,
            installed: None,
            last_used: None,
            bytes: Occupied::default(),
            footprint: Vec::new(),
            extensions: Vec::new(),
            processors: None,
            names: Vec::new(),
            own: Vec::new(),
        };
        program.know(id, Known::Identifier);
        program.know(name, Known::Title);
        program
    }

    /// Notes a name that is its.
    fn know(&mut self, name: &str, known: Known) {
        let name = normal(name);
        if !name.is_empty() && !self.names.iter().any(|(own, _)| *own == name) {
            self.names.push((name, known));
        }
    }

    /// Notes that it was used.
    fn used(&mut self, when: Option<i64>) {
        self.last_used = self.last_used.max(when);
    }

    /// Whether somebody would look for it among programs: it has a place in menus, or was put there by hand.
    pub fn is_own_program(&self) -> bool {
        self.has_launcher || !matches!(self.reason, Reason::Dependency | Reason::System)
    }
}

/// All programs of a target.
#[derive(Clone, Debug, Default, PartialEq, Eq)]
pub struct Inventory {
    /// Every program, by name.
    pub programs: Vec<Program>,
    /// Records that couldn't be read, and why: then more may be there.
    pub unread: Vec<(TargetPath, String)>,
    /// Packages that were removed and whose settings were kept.
    pub removed: Vec<String>,
    /// Packages that were removed from here, and when, in seconds since 1970.
    pub removed_here: Vec<(String, i64)>,
    /// Folders of the system in which packages have something, and files that they have there.
    pub(crate) owned: HashSet<String>,
}

/// More programs are not listed: real systems have some thousand packages.
const MOST_PROGRAMS: usize = 200_000;

/// An inventory while it is taken.
struct Gathering<'a> {
    target: &'a Target,
    cancel: &'a CancelToken,
    programs: Vec<Program>,
    unread: Vec<(TargetPath, String)>,
    /// Program files and launchers that packages own, by path.
    owned: HashMap<String, usize>,
    /// Packages that are gone but for their settings.
    removed: Vec<String>,
    /// What packages have in folders of the system, down to the name right in them.
    owned_folders: HashSet<String>,
}

/// Which package has a program: the package's name by the program's path, `bin` and `sbin` within `usr`. Nothing of systems
/// that have no packages.
pub(in crate::survey) fn package_owners(
    target: &Target,
    cancel: &CancelToken,
) -> HashMap<String, String> {
    let mut gathering = Gathering::of(target, cancel);
    if target.layout == Layout::Linux {
        packages::gather(&mut gathering);
    }
    let Gathering {
        owned, programs, ..
    } = gathering;
    let named = owned.into_iter().filter_map(|(path, at)| {
        let program = programs.get(at)?;
        Some((path, program.id.clone()))
    });
    named.collect()
}

/// The programs of a target by its records, without what they occupy beside what those say; what is known so far when it
/// is cancelled.
pub fn inventory(target: &Target, belongs: &Belongs, cancel: &CancelToken) -> Inventory {
    let mut gathering = Gathering::of(target, cancel);
    match target.layout {
        Layout::Linux => {
            packages::gather(&mut gathering);
            sealed::gather(&mut gathering);
            executables::gather(&mut gathering);
            launchers::gather(&mut gathering);
            recent::gather(&mut gathering);
        }
        Layout::Windows => windows::gather(&mut gathering),
        Layout::Macos => {
            bundles::gather(&mut gathering);
            executables::gather(&mut gathering);
        }
    }
    belongs.tell(&mut gathering.programs);
    let order = |program: &Program| {
        (
            program.name.to_lowercase(),
            program.id.clone(),
            program.source,
        )
    };
    gathering.programs.sort_by_cached_key(order);
    Inventory {
        programs: gathering.programs,
        unread: gathering.unread,
        removed: gathering.removed,
        removed_here: Vec::new(),
        owned: gathering.owned_folders,
    }
}

/// The same, with what each program really occupies.
pub fn programs(target: &Target, belongs: &Belongs, cancel: &CancelToken) -> Inventory {
    let mut found = inventory(target, belongs, cancel);
    footprint::measure(target, &mut found, cancel);
    for extension in extensions(target, cancel).0 {
        let profile = &extension.profile.path;
        let has = |program: &&mut Program| {
            let mut held = program.footprint.iter();
            held.any(|held| profile.below(&held.path).is_some())
        };
        if let Some(program) = found.programs.iter_mut().find(has)
            && !program.extensions.contains(&extension.name)
        {
            program.extensions.push(extension.name);
        }
    }
    found
}

impl<'a> Gathering<'a> {
    fn of(target: &'a Target, cancel: &'a CancelToken) -> Self {
        Self {
            target,
            cancel,
            programs: Vec::new(),
            unread: Vec::new(),
            owned: HashMap::new(),
            removed: Vec::new(),
            owned_folders: HashSet::new(),
        }
    }

    fn is_over(&self) -> bool {
        self.cancel.is_cancelled() || self.programs.len() >= MOST_PROGRAMS
    }

    /// Adds a program; its position.
    fn add(&mut self, program: Program) -> usize {
        self.programs.push(program);
        self.programs.len() - 1
    }

    /// Reads a file of records; what can't be read is noted, unless it isn't there.
    fn read(&mut self, path: &TargetPath, most: u64) -> Option<Vec<u8>> {
        match read_at(self.target, path, most) {
            Ok(bytes) => Some(bytes),
            Err(error) => {
                if !is_absent(&error) {
                    self.unread.push((path.clone(), error.to_string()));
                }
                None
            }
        }
    }

    /// What is in a folder, by name; what can't be listed is noted, unless it isn't there.
    fn names(&mut self, folder: &TargetPath) -> Vec<(CString, Kind)> {
        let disk = &**self.target.disk();
        match disk.open_folder(self.target.root(), folder.as_bytes()) {
            Ok(opened) => {
                let mut names = names_in(disk, &opened);
                names.sort();
                names
            }
            Err(error) => {
                if !is_absent(&error) {
                    self.unread.push((folder.clone(), error.to_string()));
                }
                Vec::new()
            }
        }
    }

    /// The homes of all accounts, by position.
    fn homes(&self) -> Vec<TargetPath> {
        let accounts = self.target.accounts.iter();
        accounts.map(|account| account.home.clone()).collect()
    }

    /// The same, as text; what isn't any is told apart by a mark.
    fn read_text(&mut self, path: &TargetPath, most: u64) -> Option<String> {
        let bytes = self.read(path, most)?;
        Some(String::from_utf8_lossy(&bytes).into_owned())
    }
}

/// Whether nothing is there; what a link stands in the way of is there, and isn't followed.
fn is_absent(error: &io::Error) -> bool {
    error.kind() == io::ErrorKind::NotFound
}

/// Reads a regular file at a path.
pub(super) fn read_at(target: &Target, path: &TargetPath, most: u64) -> io::Result<Vec<u8>> {
    let disk = &**target.disk();
    let folder = disk.open_folder(target.root(), path.folder_bytes())?;
    read_whole(disk, &folder, path.as_name(), most)
}

/// A path that this program names itself.
pub(super) fn place(path: &str) -> TargetPath {
    TargetPath::new(path).unwrap_or_default()
}

/// A path below another; the same where it can't be one.
pub(super) fn below(folder: &TargetPath, name: &[u8]) -> TargetPath {
    folder.join(name).unwrap_or_else(|_| folder.clone())
}

/// A name for a call of the disk.
fn c_name(name: &[u8]) -> CString {
    CString::new(name).unwrap_or_default()
}
