//! Finding folders below one that is open, part by part, as the layout compares names.

use std::ffi::OsStr;
use std::io;
use std::ops::ControlFlow;
use std::os::unix::ffi::OsStrExt as _;
use std::path::Path;

use globset::{GlobBuilder, GlobMatcher};
use jolly_disk::{Disk, Folder, Kind};

use crate::computer::{Layout, TargetPath};

/// Most paths that one search unfolds to; a tree with more is not a place any more.
const MOST_PATHS: usize = 10_000;

/// One part of a path to be found.
enum GlobPart<'a> {
    Name(&'a str),
    Pattern(GlobMatcher),
}

/// Whether a part is a pattern and not just a name.
pub(crate) fn is_pattern(part: &str) -> bool {
    part.contains(['*', '?', '[', '{'])
}

/// A name as a part that is no pattern, whatever letters it holds.
pub(crate) fn literal(name: &str) -> String {
    if is_pattern(name) {
        globset::escape(name)
    } else {
        name.to_owned()
    }
}

fn read(part: &str, layout: Layout) -> GlobPart<'_> {
    let glob = || {
        GlobBuilder::new(part)
            .literal_separator(true)
            .case_insensitive(layout.ignores_case())
            .build()
            .ok()
    };
    match is_pattern(part).then(glob).flatten() {
        Some(glob) => GlobPart::Pattern(glob.compile_matcher()),
        None => GlobPart::Name(part),
    }
}

impl GlobPart<'_> {
    fn fits(&self, name: &[u8], layout: Layout) -> bool {
        match self {
            Self::Name(part) => layout.is_same_name(part.as_bytes(), name),
            Self::Pattern(glob) => glob.is_match(Path::new(OsStr::from_bytes(name))),
        }
    }
}

/// Follows `parts` below `base`: names as the layout compares them, patterns to everything they
/// match. Every folder on the way is opened without following a link. Returns what is there, with
/// what it is, in the order of the names; `note` hears of folders that can't be read.
pub(crate) fn anything_noting(
    disk: &dyn Disk,
    root: &Folder,
    base: &TargetPath,
    parts: &[&str],
    layout: Layout,
    note: &mut dyn FnMut(&TargetPath, io::Error),
) -> Vec<(TargetPath, Kind)> {
    let mut found = vec![(base.clone(), Kind::Folder)];
    for part in parts {
        let part = read(part, layout);
        let mut next = Vec::new();
        for (path, kind) in &found {
            if *kind != Kind::Folder {
                continue;
            }
            match matching(disk, root, path, &part, layout) {
                Ok(names) => next.extend(names),
                Err(error) => note(path, error),
            }
        }
        next.truncate(MOST_PATHS);
        found = next;
    }
    found
}

/// As [`anything_noting`], when nobody wants to hear of what can't be read.
pub(crate) fn anything(
    disk: &dyn Disk,
    root: &Folder,
    base: &TargetPath,
    parts: &[&str],
    layout: Layout,
) -> Vec<(TargetPath, Kind)> {
    anything_noting(disk, root, base, parts, layout, &mut |_, _| {})
}

/// The folders among them.
pub(crate) fn folders(
    disk: &dyn Disk,
    root: &Folder,
    base: &TargetPath,
    parts: &[&str],
    layout: Layout,
) -> Vec<TargetPath> {
    anything(disk, root, base, parts, layout)
        .into_iter()
        .filter(|(_, kind)| *kind == Kind::Folder)
        .map(|(path, _)| path)
        .collect()
}

fn matching(
    disk: &dyn Disk,
    root: &Folder,
    path: &TargetPath,
    part: &GlobPart<'_>,
    layout: Layout,
) -> io::Result<Vec<(TargetPath, Kind)>> {
    let folder = disk.open_folder(root, path.as_bytes())?;
    let mut found = Vec::new();
    if let GlobPart::Name(name) = part
        && !layout.ignores_case()
    {
        let Ok(below) = path.join(name.as_bytes()) else {
            return Ok(found);
        };
        match disk.stat(&folder, below.as_name()) {
            Ok(stat) => found.push((below, stat.kind)),
            Err(error) if error.kind() == io::ErrorKind::NotFound => {}
            Err(error) => return Err(error),
        }
        return Ok(found);
    }
    disk.list(&folder, &mut |entry| {
        if part.fits(entry.name.to_bytes(), layout) {
            let kind = entry
                .kind
                .or_else(|| disk.stat(&folder, entry.name).ok().map(|stat| stat.kind));
            let below = path.join(entry.name.to_bytes());
            found.extend(below.ok().zip(kind));
        }
        ControlFlow::Continue(())
    })?;
    found.sort_by(|one, other| one.0.cmp(&other.0));
    Ok(found)
}
