//! Where a person keeps downloads, documents and the like: the xdg-user-dirs file of a home.

use crate::target::TargetPath;

/// The folders of a person that `user-dirs.dirs` names, or their usual names.
#[derive(Clone, Debug, Default, PartialEq, Eq)]
pub(super) struct UserDirs {
    pub downloads: Option<TargetPath>,
    pub desktop: Option<TargetPath>,
    /// Documents, pictures, music, videos: guarded.
    pub personal: Vec<TargetPath>,
}

/// The keys of the file and the names that hold where it says nothing.
const KEYS: [(&str, &str); 6] = [
    ("XDG_DOWNLOAD_DIR", "Downloads"),
    ("XDG_DESKTOP_DIR", "Desktop"),
    ("XDG_DOCUMENTS_DIR", "Documents"),
    ("XDG_PICTURES_DIR", "Pictures"),
    ("XDG_MUSIC_DIR", "Music"),
    ("XDG_VIDEOS_DIR", "Videos"),
];

/// Reads the file's text for one home. A folder that is the home itself, or lies outside it, is
/// not taken at its word: the person who wrote it may not be the one who sweeps.
pub(super) fn read(home: &TargetPath, text: &str) -> UserDirs {
    let folder = |key: &str, usual: &str| -> Option<TargetPath> {
        let written = text.lines().rev().find_map(|line| {
            line.trim()
                .strip_prefix(key)?
                .trim_start()
                .strip_prefix('=')
                .map(str::trim)
        });
        match written {
            None => home.join(usual.as_bytes()).ok(),
            Some(value) => {
                let value = value.strip_prefix('"')?.strip_suffix('"')?;
                let path = match value.strip_prefix("$HOME/") {
                    Some(rest) => home.join(rest.trim_end_matches('/').as_bytes()).ok()?,
                    None => TargetPath::from_inside(value.strip_prefix('/')?.as_bytes()).ok()?,
                };
                path.below(home)
                    .is_some_and(|below| !below.is_empty())
                    .then_some(path)
            }
        }
    };
    let [downloads, desktop, personal @ ..] = KEYS.map(|(key, usual)| folder(key, usual));
    // The usual names stay guarded even when the file points elsewhere.
    let usual = KEYS
        .iter()
        .skip(2)
        .filter_map(|(_, usual)| home.join(usual.as_bytes()).ok());
    let mut personal: Vec<TargetPath> = personal.into_iter().flatten().chain(usual).collect();
    personal.sort();
    personal.dedup();
    let downloads = downloads.filter(|path| personal.iter().all(|own| path.below(own).is_none()));
    UserDirs {
        downloads,
        desktop,
        personal,
    }
}

#[cfg(test)]
mod tests {
    use super::*;
    use proptest::prelude::*;

    proptest! {
        #[test]
        fn prop_no_text_leads_out_of_the_home(
            value in "(\\$HOME/|/home/|/)?\\PC{0,20}", noise in "\\PC{0,40}",
        ) {
            let home = TargetPath::new("home/joss").unwrap();
            let text = format!("{noise}\nXDG_DOWNLOAD_DIR=\"{value}\"\nXDG_DESKTOP_DIR=\"{value}\"\n{noise}");
            let dirs = read(&home, &text);
            for path in dirs.downloads.iter().chain(&dirs.desktop).chain(&dirs.personal) {
                prop_assert!(path.below(&home).is_some_and(|below| !below.is_empty()));
            }
        }
    }

    #[test]
    fn a_hostile_file_moves_nothing_out_of_the_home() {
        let home = TargetPath::new("home/joss").unwrap();
        let read = |text: &str| read(&home, text).downloads.map(|path| path.to_string());
        assert_eq!(read("").as_deref(), Some("home/joss/Downloads"));
        assert_eq!(
            read("XDG_DOWNLOAD_DIR=\"$HOME/in/box/\"").as_deref(),
            Some("home/joss/in/box")
        );
        for bad in [
            "$HOME/",
            "$HOME/../pia",
            "/etc",
            "/home/pia",
            "$HOME/Documents",
            "relative",
        ] {
            assert_eq!(read(&format!("XDG_DOWNLOAD_DIR=\"{bad}\"")), None, "{bad}");
        }
    }
}
