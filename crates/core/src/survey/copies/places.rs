//! Where copies are looked for: among what people keep, not in programs, packages, repositories, backups' own stores,
//! what synchronises folders, or places of the system.

use std::collections::HashSet;

use crate::computer::{Layout, Target, TargetPath};
use crate::rule::is_system_folder;
use crate::walk::{FileTree, FolderNumber};

/// Folders of a home that hold what programs keep, in small letters.
const OF_PROGRAMS: [&str; 6] = [
    "appdata",
    "application data",
    "local settings",
    "library",
    "applications",
    "snap",
];

/// Folders that packages and builds are put together in, wherever they lie.
const OF_PACKAGES: &[&str] = words! {
    "node_modules" "bower_components" "site-packages" "dist-packages" "__pycache__" "deriveddata" "venv"
    "$recycle.bin" "system volume information" "lost+found" "found.000"
};

/// Endings of folders that stand for one thing: programs and libraries of macOS, and images in bands.
const BUNDLES: &[&str] = words! {
    ".app" ".framework" ".bundle" ".plugin" ".kext" ".xcodeproj" ".photoslibrary" ".musiclibrary" ".tvlibrary"
    ".imovielibrary" ".fcpbundle" ".sparsebundle" ".backupbundle" ".backupdb"
};

/// What lies right in a folder that is no place for copies, all of a set.
const TOLD_BY: [&[&str]; 14] = [
    // Repositories, with their working trees.
    &[".git"],
    &[".hg"],
    &[".svn"],
    &[".bzr"],
    &[".jj"],
    &["objects", "refs", "HEAD"],
    // Environments of programs.
    &["pyvenv.cfg"],
    &["conda-meta"],
    // What says of itself that it can be made again.
    &["CACHEDIR.TAG"],
    // Stores of backups, by their parts.
    &["config", "data", "index", "keys", "snapshots"],
    &["config", "data", "README"],
    &["chunks", "snapshots"],
    // Mail, a file a message.
    &["cur", "new", "tmp"],
    // What synchronises folders keeps its own notes.
    &[".stfolder"],
];

/// Which folders of a tree are looked in, by position.
pub(super) fn looked_in(target: &Target, tree: &FileTree, below: &[TargetPath]) -> Vec<bool> {
    let mut looked_in: Vec<bool> = Vec::new();
    let is_wanted = |path: &TargetPath| {
        below.is_empty()
            || below
                .iter()
                .any(|top| path == top || path.below(top).is_some())
    };
    let homes: HashSet<&TargetPath> = target
        .accounts
        .iter()
        .map(|account| &account.home)
        .collect();
    for folder in tree.folders() {
        let parent = tree.parent(folder);
        // What is shut above is shut below; folders above those that are named are only on the way.
        let is_open = parent.is_none_or(|parent| looked_in.get(parent.index()) == Some(&true));
        let may =
            is_open && (folder == FolderNumber::ROOT || is_place(target, tree, folder, &homes));
        looked_in.push(may);
    }
    if below.is_empty() {
        return looked_in;
    }
    for folder in tree.folders() {
        if let Some(known) = looked_in.get_mut(folder.index()) {
            *known &= is_wanted(&tree.folder_path(folder));
        }
    }
    looked_in
}

fn is_place(
    target: &Target,
    tree: &FileTree,
    folder: FolderNumber,
    homes: &HashSet<&TargetPath>,
) -> bool {
    let name = String::from_utf8_lossy(tree.folder_name(folder)).to_lowercase();
    let is_bundle = BUNDLES.iter().any(|ending| name.ends_with(ending));
    if name.starts_with('.') || OF_PACKAGES.contains(&name.as_str()) || is_bundle {
        return false;
    }
    let path = tree.folder_path(folder);
    if is_system_folder(target.layout, &path) || is_own_of_system(target.layout, &path) {
        return false;
    }
    let is_in_home = path.parent().is_some_and(|above| homes.contains(&above));
    if is_in_home && OF_PROGRAMS.contains(&name.as_str()) {
        return false;
    }
    // A folder may hold a million names: they are gone through once.
    let marks = || TOLD_BY.iter().copied().flatten();
    let mut has: HashSet<&str> = HashSet::new();
    let folders = tree.folders_in(folder).map(|it| tree.folder_name(it));
    let files = tree.files_in(folder).map(|it| tree.file_name(it));
    for name in folders.chain(files) {
        has.extend(marks().filter(|mark| mark.as_bytes().eq_ignore_ascii_case(name)));
    }
    !TOLD_BY
        .iter()
        .any(|set| set.iter().all(|mark| has.contains(mark)))
}

/// Places that the system works in and that no guard needs to name.
fn is_own_of_system(layout: Layout, path: &TargetPath) -> bool {
    let tops: &[&[u8]] = match layout {
        Layout::Linux => &[b"var", b"tmp", b"root"],
        Layout::Windows => &[
            b"msocache",
            b"$windows.~bt",
            b"$windows.~ws",
            b"windows.old",
        ],
        Layout::Macos => &[b"private", b"cores", b"var", b"tmp", b"etc"],
    };
    path.parent().is_some_and(|above| above.is_root())
        && tops.iter().any(|top| path.name().eq_ignore_ascii_case(top))
}
