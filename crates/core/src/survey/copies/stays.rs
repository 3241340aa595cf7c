//! Which side of a pair had better stay: the tidier place, then the one that has more, then the older.

use crate::computer::{Target, TargetPath};
use crate::survey::copies::FolderPair;
use crate::walk::{FileTree, FolderNumber};

/// One side of a pair.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub enum Side {
    /// The first folder.
    A,
    /// The other one.
    B,
}

/// Why a side is suggested to stay.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub enum StaysFor {
    /// It lies among documents, pictures, music or videos.
    Tidier,
    /// The other one lies among downloads, or is called as what was dumped somewhere for now.
    OtherIsDumped,
    /// It has files that the other one lacks.
    More,
    /// It was there earlier.
    Older,
}

impl StaysFor {
    /// The reason in words.
    pub fn words(self) -> &'static str {
        match self {
            Self::Tidier => "it lies among documents, pictures, music or videos",
            Self::OtherIsDumped => "the other one looks like it was put down for now",
            Self::More => "it has files that the other one lacks",
            Self::Older => "it was there earlier",
        }
    }
}

/// Words in names of folders that were put down for now, in small letters.
const DUMPED: &[&str] = words! {
    "download" "desktop" "stick" "usb" "dump" "copy" "kopie" "copie" "copia" "old" "backup" "temp" "tmp" "new folder"
};

/// How tidy a place is: the lower, the tidier.
#[derive(Clone, Copy, PartialEq, Eq, PartialOrd, Ord)]
enum Tidiness {
    Personal,
    Elsewhere,
    Dumped,
}

fn tidiness(target: &Target, path: &TargetPath) -> Tidiness {
    let parts = path
        .parts()
        .map(|part| String::from_utf8_lossy(part).to_lowercase());
    // How the folders above a home are called says nothing.
    let home = target.accounts.iter().map(|account| &account.home);
    let above = home
        .filter(|home| path.below(home).is_some())
        .map(|home| home.parts().count())
        .max();
    let is_dump = |part: String| DUMPED.iter().any(|word| part.contains(word));
    if parts.skip(above.unwrap_or(0)).any(is_dump) {
        return Tidiness::Dumped;
    }
    let mut personal = target.places.personal.over(path);
    if personal.any(|(_, is_of_closed)| !is_of_closed) {
        Tidiness::Personal
    } else {
        Tidiness::Elsewhere
    }
}

/// Suggests which side stays.
pub(super) fn suggest(
    target: &Target,
    tree: &FileTree,
    pair: &FolderPair,
) -> Option<(Side, StaysFor)> {
    let place = |folder| tidiness(target, &tree.folder_path(folder));
    let (a, b) = (place(pair.a), place(pair.b));
    if a != b {
        let (side, worse) = if a < b { (Side::A, b) } else { (Side::B, a) };
        let why = if worse == Tidiness::Dumped {
            StaysFor::OtherIsDumped
        } else {
            StaysFor::Tidier
        };
        return Some((side, why));
    }
    if pair.only_a != pair.only_b {
        let side = if pair.only_a > pair.only_b {
            Side::A
        } else {
            Side::B
        };
        return Some((side, StaysFor::More));
    }
    let oldest = |folder| oldest_in(tree, folder);
    match oldest(pair.a).cmp(&oldest(pair.b)) {
        std::cmp::Ordering::Less => Some((Side::A, StaysFor::Older)),
        std::cmp::Ordering::Greater => Some((Side::B, StaysFor::Older)),
        std::cmp::Ordering::Equal => None,
    }
}

/// When the oldest file right in a folder was changed last; for a folder of folders its own last change.
fn oldest_in(tree: &FileTree, folder: FolderNumber) -> i64 {
    let files = tree.files_in(folder).filter_map(|file| tree.file(file));
    let oldest = files.map(|known| known.modified).min();
    oldest.unwrap_or_else(|| tree.modified(folder))
}
