//! What lies in downloads and on the desktop, by what it likely is: a list to tidy up by, which only suggests.
//!
//! Only names are asked, and what lies beside them: nothing is read.

mod file_sort;

use crate::computer::{Place, Target};
use crate::format::Printable;
pub use file_sort::FileSort;

use crate::survey::programs::names::forms;
use crate::survey::space::{Part, Space};
use crate::survey::{Inventory, Program};
use crate::walk::FolderNumber;

/// What something likely is; what can go most easily comes first.
#[derive(Clone, Debug, PartialEq, Eq)]
pub enum Likely {
    /// A download that broke off.
    Torn,
    /// An installer whose program is there.
    Installed(String),
    /// An archive beside the folder that has its files.
    Unpacked(String),
    /// An installer.
    Installer,
    /// A disk image.
    DiskImage,
    /// An archive.
    Archive,
    /// Music or a film.
    Recording,
    /// A folder.
    Folder,
    /// A picture.
    Picture,
    /// A document.
    Document,
    /// Nothing that its name says.
    Other,
}

impl Likely {
    /// What it likely is, in words.
    pub fn words(&self) -> String {
        match self {
            Self::Torn => "a download that broke off".to_owned(),
            Self::Installed(program) => format!("an installer; {program} is installed"),
            Self::Unpacked(folder) => format!("an archive; {folder} has its files"),
            Self::Installer => "an installer".to_owned(),
            Self::DiskImage => "a disk image".to_owned(),
            Self::Archive => "an archive".to_owned(),
            Self::Recording => "music or a film".to_owned(),
            Self::Folder => "a folder".to_owned(),
            Self::Picture => "a picture".to_owned(),
            Self::Document => "a document".to_owned(),
            Self::Other => String::new(),
        }
    }
}

/// One thing right in such a folder.
#[derive(Clone, Debug, PartialEq, Eq)]
pub struct Lying {
    /// What it is.
    pub part: Part,
    /// What it likely is.
    pub likely: Likely,
}

/// What lies right in the downloads and on the desktop of every account: what can go most easily first, and of that the
/// largest.
pub fn lying(target: &Target, space: &Space, inventory: &Inventory) -> Vec<Lying> {
    let places = [Place::Downloads, Place::Desktop].into_iter();
    let folders = places.flat_map(|place| target.places.of(place));
    let folders = folders.filter_map(|(_, path)| space.tree.find(path));
    let mut found: Vec<Lying> = Vec::new();
    for folder in folders {
        let beside = Beside {
            space,
            folder,
            programs: &inventory.programs,
        };
        let parts = space.parts(folder, 0).into_iter();
        found.extend(parts.map(|part| Lying {
            likely: beside.likely(part),
            part,
        }));
    }
    let size = |part: Part| std::cmp::Reverse(space.held(part).bytes);
    found.sort_by_cached_key(|one| (one.likely.rank(), size(one.part), space.path(one.part)));
    found
}

impl Likely {
    /// How easily such a thing can go: the lower, the more.
    fn rank(&self) -> u8 {
        match self {
            Self::Torn => 0,
            Self::Installed(_) => 1,
            Self::Unpacked(_) => 2,
            Self::Installer => 3,
            Self::DiskImage => 4,
            Self::Archive => 5,
            Self::Recording => 6,
            Self::Folder => 7,
            Self::Picture => 8,
            Self::Document => 9,
            Self::Other => 10,
        }
    }
}

/// A name without its version and what follows it: `tidewatch` of `tidewatch_2.1_amd64`.
fn before_version(stem: &str) -> &str {
    let letters = stem.char_indices().zip(stem.chars().skip(1));
    let mut breaks = letters
        .filter(|((_, letter), next)| matches!(letter, ' ' | '-' | '_') && next.is_ascii_digit());
    let end = breaks.next().map_or(stem.len(), |((at, _), _)| at);
    stem.get(..end).unwrap_or(stem)
}

/// What is asked about something that lies in a folder.
struct Beside<'a> {
    space: &'a Space,
    folder: FolderNumber,
    programs: &'a [Program],
}

impl Beside<'_> {
    fn likely(&self, part: Part) -> Likely {
        if matches!(part, Part::Folder(_)) {
            return Likely::Folder;
        }
        let (sort, ending) = FileSort::of(self.space.name(part));
        match sort {
            FileSort::Torn => Likely::Torn,
            FileSort::Installer => {
                let name = String::from_utf8_lossy(self.space.name(part)).to_lowercase();
                let stem = name.get(..name.len().saturating_sub(ending));
                let program = stem.and_then(|stem| self.program(stem));
                program.map_or(Likely::Installer, Likely::Installed)
            }
            FileSort::Archive => {
                let folder = self.folder_of(part, ending);
                folder.map_or(Likely::Archive, Likely::Unpacked)
            }
            FileSort::DiskImage => Likely::DiskImage,
            FileSort::Music | FileSort::Film => Likely::Recording,
            FileSort::Picture => Likely::Picture,
            FileSort::Document => Likely::Document,
            FileSort::Other => Likely::Other,
        }
    }

    /// The program that is there and that an installer is called as.
    fn program(&self, stem: &str) -> Option<String> {
        let called = forms(before_version(stem));
        let mut own = self.programs.iter().filter(|one| one.is_own_program());
        let is_it = |one: &&Program| {
            let names = forms(&one.name).into_iter().chain(forms(&one.id));
            names.into_iter().any(|name| called.contains(&name))
        };
        own.find(is_it)
            .map(|one| Printable(one.name.as_bytes()).to_string())
    }

    /// The folder beside an archive that bears its name and holds something.
    fn folder_of(&self, part: Part, ending: usize) -> Option<String> {
        let name = self.space.name(part);
        let stem = name.get(..name.len().checked_sub(ending)?)?;
        let tree = &self.space.tree;
        let mut folders = tree.folders_in(self.folder);
        let folder = folders.find(|folder| tree.folder_name(*folder) == stem)?;
        let holds = self.space.held(Part::Folder(folder)).files > 0;
        holds.then(|| Printable(stem).to_string())
    }
}
