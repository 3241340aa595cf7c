//! What a file is by its name alone.

use crate::source::archive_ending;

/// What a file is by its name alone.
#[derive(Clone, Copy, Debug, PartialEq, Eq, Hash, PartialOrd, Ord)]
pub enum FileSort {
    /// Pictures.
    Picture,
    /// Music and speech.
    Music,
    /// Films.
    Film,
    /// What people write and read.
    Document,
    /// Archives.
    Archive,
    /// Images of disks.
    DiskImage,
    /// What installs a program.
    Installer,
    /// Downloads that broke off.
    Torn,
    /// Nothing that the name says.
    Other,
}

/// Endings of names, in small letters.
const TORN: &[&str] = &[
    ".part",
    ".crdownload",
    ".partial",
    ".opdownload",
    ".download",
    ".!ut",
];
const INSTALLERS: &[&str] = words! {
    ".exe" ".msi" ".msix" ".deb" ".rpm" ".pkg" ".dmg" ".run" ".appimage" ".snap" ".flatpakref" ".flatpak" ".apk"
};
/// Archives beside those that rules know.
const ARCHIVES: &[&str] = &[".tar", ".gz", ".bz2", ".xz", ".zst", ".cab"];
const DISK_IMAGES: &[&str] = &[".iso", ".img", ".vhd", ".vhdx", ".vmdk", ".qcow2", ".wim"];
const MUSIC: &[&str] = &[
    ".mp3", ".flac", ".ogg", ".oga", ".opus", ".m4a", ".aac", ".wav", ".aif", ".aiff", ".wma",
];
const FILMS: &[&str] = &[
    ".mp4", ".mkv", ".mov", ".avi", ".webm", ".wmv", ".m4v", ".mpg", ".mpeg",
];
const PICTURES: &[&str] = &[
    ".jpg", ".jpeg", ".png", ".gif", ".heic", ".webp", ".tif", ".tiff", ".bmp", ".svg", ".raw",
    ".dng",
];
const DOCUMENTS: &[&str] = &[
    ".pdf", ".odt", ".ods", ".odp", ".doc", ".docx", ".xls", ".xlsx", ".ppt", ".pptx", ".txt",
    ".md", ".rtf", ".csv", ".epub", ".pages", ".numbers",
];

impl FileSort {
    /// What a file of this name is, and how many bytes of the name say so.
    pub fn of(name: &[u8]) -> (Self, usize) {
        let small = name.to_ascii_lowercase();
        let ends = |endings: &[&'static str]| {
            let mut endings = endings.iter();
            let ending = endings.find(|ending| small.ends_with(ending.as_bytes()));
            ending.map(|ending| ending.len())
        };
        let archive = archive_ending(&small).map(<[u8]>::len);
        [
            (ends(TORN), Self::Torn),
            (ends(INSTALLERS), Self::Installer),
            (archive.or_else(|| ends(ARCHIVES)), Self::Archive),
            (ends(DISK_IMAGES), Self::DiskImage),
            (ends(MUSIC), Self::Music),
            (ends(FILMS), Self::Film),
            (ends(PICTURES), Self::Picture),
            (ends(DOCUMENTS), Self::Document),
        ]
        .into_iter()
        .find_map(|(ending, sort)| Some((sort, ending?)))
        .unwrap_or((Self::Other, 0))
    }

    /// Files of this sort, in words.
    pub fn plural(self) -> &'static str {
        match self {
            Self::Picture => "pictures",
            Self::Music => "music",
            Self::Film => "films",
            Self::Document => "documents",
            Self::Archive => "archives",
            Self::DiskImage => "disk images",
            Self::Installer => "installers",
            Self::Torn => "downloads that broke off",
            Self::Other => "other files",
        }
    }
}
