//! Browser profiles, found by their structure, wherever they are and whoever made the browser.

use std::collections::{HashSet, VecDeque};
use std::ops::ControlFlow;

use jolly_disk::{Disk, Folder, Kind};

use crate::computer::{Place, TargetPath};

/// How deep below a starting folder a profile is looked for: maker, family folder, program, profiles
/// folder, profile.
const DEPTH: usize = 5;

/// A folder with more folders in it than this is looked into last: it holds what a program made, and
/// profiles lie beside few others.
const MANY: usize = 100;

/// Folders that hold no profiles and may hold very many folders, in small letters.
const PASSED: [&[u8]; 8] = [
    b"temp",
    b"tmp",
    b"cache",
    b".cache",
    b"caches",
    b"inetcache",
    b"crashpad",
    b"trash",
];

/// Folders looked into for one account before the search gives up; homes of programmers hold
/// hundreds of thousands below their dot folders, and none of them is a browser's.
const MOST_FOLDERS: usize = 4_000;

/// One profile of one account.
#[derive(Clone, Debug, PartialEq, Eq)]
pub(crate) struct Profile {
    pub place: Place,
    pub path: TargetPath,
}

/// Finds the profiles of a home, below `starts` or below the home's dot folders. Returns whether
/// the search was whole, too.
pub(crate) fn find(
    disk: &dyn Disk,
    root: &Folder,
    home: &TargetPath,
    starts: Option<Vec<TargetPath>>,
) -> (Vec<Profile>, bool) {
    let waiting = match starts {
        Some(starts) => starts.into_iter().map(|path| (path, DEPTH)).collect(),
        None => below_dot_folders(disk, root, home),
    };
    search(disk, root, waiting)
}

fn below_dot_folders(
    disk: &dyn Disk,
    root: &Folder,
    home: &TargetPath,
) -> Vec<(TargetPath, usize)> {
    // Newest conventions first; caches hold no profiles and are by far the widest.
    let mut waiting: Vec<(TargetPath, usize)> = Vec::new();
    for start in [".var/app", "snap"] {
        waiting.extend(
            home.join(start.as_bytes())
                .ok()
                .map(|path| (path, DEPTH + 3)),
        );
    }
    for name in names_of(disk, root, home).folders {
        if name.starts_with(b".") && name != b".cache" && name != b".var" {
            waiting.extend(home.join(&name).ok().map(|path| (path, DEPTH)));
        }
    }
    waiting
}

fn search(
    disk: &dyn Disk,
    root: &Folder,
    starts: Vec<(TargetPath, usize)>,
) -> (Vec<Profile>, bool) {
    let mut profiles = Vec::new();
    let mut looked = 0;
    let (mut waiting, mut last) = (VecDeque::from(starts), VecDeque::new());
    while let Some((path, depth)) = waiting.pop_front().or_else(|| last.pop_front()) {
        looked += 1;
        if looked > MOST_FOLDERS {
            return (profiles, false);
        }
        let names = names_of(disk, root, &path);
        if names.has(&["prefs.js"])
            && (names.has(&["times.json"]) || names.has(&["compatibility.ini"]))
            && (names.has(&["places.sqlite"]) || names.has(&["cookies.sqlite"]))
        {
            profiles.push(Profile {
                place: Place::GeckoProfile,
                path,
            });
            continue;
        }
        let is_user_data = names.has(&["Local State"]);
        // Some of the family keep one profile, and it right in that folder.
        if is_user_data
            && names.has(&["Preferences"])
            && (names.has(&["History"]) || names.has(&["Cookies"]))
        {
            profiles.push(Profile {
                place: Place::ChromiumProfile,
                path: path.clone(),
            });
        }
        let is_wide = names.folders.len() > MANY;
        for name in &names.folders {
            let Ok(below) = path.join(name) else { continue };
            if is_user_data {
                let inner = names_of(disk, root, &below);
                // Newer ones keep the cookies a folder deeper on some systems.
                let has_cookies = inner.has(&["Cookies"])
                    || inner.folders.iter().any(|name| {
                        name.eq_ignore_ascii_case(b"Network")
                            && below
                                .join(name)
                                .is_ok_and(|path| names_of(disk, root, &path).has(&["Cookies"]))
                    });
                let has_rows = inner.has(&["History"]) || has_cookies;
                if inner.has(&["Preferences"]) && has_rows {
                    profiles.push(Profile {
                        place: Place::ChromiumProfile,
                        path: below,
                    });
                }
            } else if depth > 1 && !PASSED.contains(&&*name.to_ascii_lowercase()) {
                let queue = if is_wide { &mut last } else { &mut waiting };
                queue.push_back((below, depth - 1));
            }
        }
    }
    profiles.sort_by(|one, other| one.path.cmp(&other.path));
    (profiles, true)
}

/// The folder below `{cache}` that mirrors a profile: the same path as below the configuration
/// folder, or as below the home without the leading dot. What runs in a sandbox of its own has these folders
/// there.
pub(crate) fn mirror(
    profile: &TargetPath,
    home: &TargetPath,
    config: &TargetPath,
    cache: &TargetPath,
) -> Option<TargetPath> {
    if let Some(below) = profile.below(config) {
        return cache.join(below).ok();
    }
    let below = profile.below(home)?;
    if let Some(sandboxed) = in_sandbox(below) {
        return home.join(&sandboxed).ok();
    }
    cache.join(below.strip_prefix(b".")?).ok()
}

/// The same of a profile in the sandbox of a packaged program: `.var/app/ID/…` has its caches in `cache`,
/// `snap/NAME/VERSION/…` in `.cache` of the folder that all versions share.
fn in_sandbox(below: &[u8]) -> Option<Vec<u8>> {
    let parts: Vec<&[u8]> = below.split(|byte| *byte == b'/').collect();
    let (base, rest) = match &parts[..] {
        [b".var", b"app", id, rest @ ..] => ([b".var/app/", *id, b"/cache"].concat(), rest),
        [b"snap", name, _, rest @ ..] => ([b"snap/", *name, b"/common/.cache"].concat(), rest),
        _ => return None,
    };
    let rest = match rest {
        [b"config" | b".config" | b"data", rest @ ..] => rest.join(&b'/'),
        rest => {
            let rest = rest.join(&b'/');
            rest.strip_prefix(b".")
                .map_or_else(|| rest.clone(), <[u8]>::to_vec)
        }
    };
    Some([&base[..], b"/", &rest].concat())
}

#[derive(Default)]
struct ProfileNames {
    /// In small letters: a copy of a disk may have lost the case of its names.
    files: HashSet<Vec<u8>>,
    folders: Vec<Vec<u8>>,
}

impl ProfileNames {
    fn has(&self, files: &[&str]) -> bool {
        files
            .iter()
            .all(|name| self.files.contains(&name.as_bytes().to_ascii_lowercase()))
    }
}

/// A folder's files and folders; nothing where it can't be read.
fn names_of(disk: &dyn Disk, root: &Folder, path: &TargetPath) -> ProfileNames {
    let mut names = ProfileNames::default();
    let Ok(folder) = disk.open_folder(root, path.as_bytes()) else {
        return names;
    };
    let listed = disk.list(&folder, &mut |entry| {
        let kind = entry
            .kind
            .or_else(|| disk.stat(&folder, entry.name).ok().map(|is| is.kind));
        match kind {
            Some(Kind::File) => {
                names
                    .files
                    .insert(entry.name.to_bytes().to_ascii_lowercase());
            }
            Some(Kind::Folder) => names.folders.push(entry.name.to_bytes().to_vec()),
            Some(Kind::Link | Kind::Other) | None => {}
        }
        ControlFlow::Continue(())
    });
    // What was told before a failure still says what it says.
    drop(listed);
    names
}
