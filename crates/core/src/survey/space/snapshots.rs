//! What snapshots on a Btrfs volume hold alone, asked of the system's own tool.

use crate::cancel::CancelToken;
use crate::computer::{Target, TargetPath, btrfs, open_part, what_it_holds};
use crate::walk::FileTree;

/// A part of the volume that was made from another one.
#[derive(Clone, Debug, PartialEq, Eq)]
pub struct Snapshot {
    /// Where it lies.
    pub path: TargetPath,
    /// When it was made, as the tool says it.
    pub made: String,
    /// What it alone holds, in bytes. What two of them share and nothing else has is in neither.
    pub alone: u64,
}

/// What is known of the snapshots of a volume.
#[derive(Clone, Debug, Default, PartialEq, Eq)]
pub struct Snapshots {
    /// Those that lie below the root, in the order of their paths.
    pub all: Vec<Snapshot>,
    /// How many parts that stand apart the tool said nothing of: it needs the administrator, or isn't there.
    pub unknown: u64,
}

impl Snapshots {
    /// What they hold alone, in bytes, at least.
    pub fn alone(&self) -> u64 {
        let each = self.all.iter().map(|snapshot| snapshot.alone);
        each.fold(0, u64::saturating_add)
    }
}

/// Asks what the snapshots hold that a walk found on the target's volume and left apart.
pub fn snapshots(target: &Target, tree: &FileTree, cancel: &CancelToken) -> Snapshots {
    let mut found = Snapshots::default();
    for path in &tree.apart {
        if cancel.is_cancelled() {
            return found;
        }
        // Another volume may be mounted there.
        if !target.can_clone || open_part(target, path).is_err() {
            continue;
        }
        match ask(target, path, cancel) {
            Told::Snapshot(snapshot) => found.all.push(snapshot),
            // What is in it is somebody's own.
            Told::Other => {}
            Told::Nothing => found.unknown += 1,
        }
    }
    found
}

/// What the tool says of a part.
enum Told {
    Snapshot(Snapshot),
    /// It is a part of its own, made from nothing.
    Other,
    Nothing,
}

fn ask(target: &Target, path: &TargetPath, cancel: &CancelToken) -> Told {
    let Ok(part) = open_part(target, path) else {
        return Told::Nothing;
    };
    let told = btrfs(&["subvolume", "show"], &part, cancel).ok();
    let told = told.map(|answer| answer.text).unwrap_or_default();
    let parent = after(&told, "Parent UUID:");
    if parent == Some("-") {
        return Told::Other;
    }
    let made = after(&told, "Creation time:");
    let held = parent.and_then(|_| what_it_holds(&part, cancel).ok());
    match made.zip(held) {
        Some((made, held)) => Told::Snapshot(Snapshot {
            path: path.clone(),
            made: made.to_owned(),
            alone: held.alone,
        }),
        None => Told::Nothing,
    }
}

/// What stands in a line behind a name.
fn after<'a>(text: &'a str, name: &str) -> Option<&'a str> {
    let mut lines = text.lines().map(str::trim);
    lines
        .find_map(|line| line.strip_prefix(name))
        .map(str::trim)
}
