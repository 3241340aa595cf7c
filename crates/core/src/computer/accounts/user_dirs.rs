//! Where a person keeps downloads, documents and the like: the xdg-user-dirs file of a home.

use crate::computer::TargetPath;

/// The folders of a person that `user-dirs.dirs` names, or their usual names.
#[derive(Clone, Debug, Default, PartialEq, Eq)]
pub(crate) struct UserDirs {
    pub downloads: Option<TargetPath>,
    pub desktop: Option<TargetPath>,
    /// Documents, pictures, music, videos, desktop: guarded. Also those outside the home.
    pub personal: Vec<TargetPath>,
    /// Whether the file says it all: one that says something it can't mean leaves open where its person
    /// keeps things.
    pub is_clear: bool,
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

/// What the file says of one folder.
enum Said {
    /// Nothing.
    Nothing,
    /// Where it is.
    Here(TargetPath),
    /// Something that is no folder of this person's: the home itself, or no path at all.
    Unclear,
}

/// Reads the file's bytes for one home: lines of `KEY="$HOME/below"` or `KEY="/absolute"`, as its own
/// specification says, in whatever encoding. A folder that is the home itself is not taken at its word:
/// all that lies there could be what it speaks of.
pub(crate) fn read(home: &TargetPath, text: &[u8]) -> UserDirs {
    let said = |key: &str| -> Said {
        let lines = text.split(|byte| *byte == b'\n').rev();
        let mut written = lines.filter_map(|line| {
            let rest = line.trim_ascii().strip_prefix(key.as_bytes())?;
            Some(rest.trim_ascii_start().strip_prefix(b"=")?.trim_ascii())
        });
        match written.next() {
            None => Said::Nothing,
            Some(value) => folder(home, value).map_or(Said::Unclear, Said::Here),
        }
    };
    let mut dirs = UserDirs {
        is_clear: true,
        ..UserDirs::default()
    };
    for (number, (key, usual)) in KEYS.into_iter().enumerate() {
        let usual = home.join(usual.as_bytes()).ok();
        let said = match said(key) {
            Said::Nothing => usual.clone(),
            Said::Here(path) => Some(path),
            Said::Unclear => {
                dirs.is_clear = false;
                None
            }
        };
        let is_below = |path: &TargetPath| path.below(home).is_some();
        if number == 0 {
            dirs.downloads = said.filter(is_below);
            continue;
        }
        if number == 1 {
            dirs.desktop = said.clone().filter(is_below);
        }
        // The usual names stay guarded even when the file points elsewhere.
        dirs.personal.extend(said);
        dirs.personal.extend(usual);
    }
    dirs.personal.sort();
    dirs.personal.dedup();
    let personal = &dirs.personal;
    dirs.downloads = dirs
        .downloads
        .filter(|path| personal.iter().all(|own| path.below(own).is_none()));
    dirs
}

/// The folder that a value means; nothing where that is the home, one above it, or no path.
fn folder(home: &TargetPath, value: &[u8]) -> Option<TargetPath> {
    let value = value.strip_prefix(b"\"")?.strip_suffix(b"\"")?;
    // A backslash keeps the letter after it from meaning anything (the shell's rules, which the file
    // follows).
    let mut plain = Vec::with_capacity(value.len());
    let mut letters = value.iter();
    while let Some(letter) = letters.next() {
        match letter {
            b'\\' => plain.push(*letters.next()?),
            b'"' | b'`' => return None,
            letter => plain.push(*letter),
        }
    }
    let path = match plain.strip_prefix(b"$HOME") {
        Some(rest) => {
            TargetPath::from_inside(&[home.as_bytes(), rest.strip_prefix(b"/")?].join(&b'/'))
        }
        None => TargetPath::from_inside(plain.strip_prefix(b"/")?),
    };
    path.ok().filter(|path| home.below(path).is_none())
}

#[cfg(test)]
mod tests {
    use super::*;
    use proptest::prelude::*;

    proptest! {
        #[test]
        fn prop_no_text_makes_a_place_outside_the_home_or_leaves_an_unclear_one_open(
            value in "(\\$HOME/|/home/|/)?\\PC{0,20}", noise in "\\PC{0,40}", bytes in prop::collection::vec(any::<u8>(), 0..9),
        ) {
            let home = TargetPath::new("home/joss").unwrap();
            let text = format!("{noise}\nXDG_DOWNLOAD_DIR=\"{value}\"\nXDG_DESKTOP_DIR=\"{value}\"\n{noise}");
            let text = [text.as_bytes(), &bytes].concat();
            let dirs = read(&home, &text);
            for path in dirs.downloads.iter().chain(&dirs.desktop) {
                prop_assert!(path.below(&home).is_some_and(|below| !below.is_empty()));
            }
            for path in &dirs.personal {
                prop_assert!(home.below(path).is_none());
            }
            // Each of the five is named, or it is said that one isn't.
            prop_assert!(!dirs.is_clear || dirs.personal.len() >= 5);
        }
    }

    #[test]
    fn a_hostile_file_moves_nothing_out_of_the_home_and_hides_nothing() {
        let home = TargetPath::new("home/joss").unwrap();
        let dirs = |value: &[u8]| {
            read(
                &home,
                &[
                    b"XDG_DOWNLOAD_DIR=\"",
                    value,
                    b"\"\nXDG_DESKTOP_DIR=\"",
                    value,
                    b"\"",
                ]
                .concat(),
            )
        };
        let downloads = |value: &str| {
            dirs(value.as_bytes())
                .downloads
                .map(|path| path.to_string())
        };
        assert_eq!(
            read(&home, b"").downloads.unwrap().to_string(),
            "home/joss/Downloads"
        );
        let text = b"XDG_DOWNLOAD_DIR=\"$HOME/in/box/\"";
        assert_eq!(
            read(&home, text).downloads.unwrap().to_string(),
            "home/joss/in/box"
        );
        for bad in [
            "$HOME/",
            "$HOME",
            "$HOME/../pia",
            "/",
            "/home",
            "/home/joss/",
            "relative",
        ] {
            assert_eq!(downloads(bad), None, "{bad}");
            assert!(!dirs(bad.as_bytes()).is_clear, "{bad}");
        }
        for outside in ["/etc", "/home/pia"] {
            assert_eq!(downloads(outside), None, "{outside}");
        }
        let latin = read(&home, b"XDG_PICTURES_DIR=\"$HOME/Fotos\xe9\"\n");
        assert!(latin.is_clear);
        assert!(latin.personal.contains(&home.join(b"Fotos\xe9").unwrap()));
        assert!(latin.personal.contains(&home.join(b"Pictures").unwrap()));
    }

    proptest::proptest! {
        #![proptest_config(crate::fuzz::config())]

        #[test]
        fn fuzz_user_dirs(bytes in crate::fuzz::foreign(&[
            b"# kept\nXDG_DESKTOP_DIR=\"$HOME/Desktop\"\nXDG_DOWNLOAD_DIR=\"/data/down\"\nXDG_DOCUMENTS_DIR=\"$HOME/\"\n",
        ])) {
            let home = TargetPath::new(*b"home/ada").unwrap();
            let dirs = read(&home, &bytes);
            // Whatever stands there: the home itself and what lies above it are nobody's personal folder.
            for own in dirs.personal.iter().chain(&dirs.downloads).chain(&dirs.desktop) {
                proptest::prop_assert!(!own.is_root() && *own != home && home.below(own).is_none(), "{own}");
            }
        }
    }
}
