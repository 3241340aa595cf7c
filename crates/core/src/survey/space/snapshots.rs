//! What snapshots on a Btrfs volume hold alone, asked of the system's own tool.

use std::os::fd::{AsFd as _, AsRawFd as _};

use crate::cancel::CancelToken;
use crate::computer::{Target, TargetPath};
use crate::host::Tool;
use crate::walk::FileTree;

/// Where the tool lies.
const TOOL: [&str; 4] = [
    "/usr/bin/btrfs",
    "/usr/sbin/btrfs",
    "/sbin/btrfs",
    "/bin/btrfs",
];

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
        if !is_part_of_volume(target, path) {
            continue;
        }
        match ask(target, path) {
            Told::Snapshot(snapshot) => found.all.push(snapshot),
            // What is in it is somebody's own.
            Told::Other => {}
            Told::Nothing => found.unknown += 1,
        }
    }
    found
}

/// The inode that the topmost folder of a part has.
const SUBVOLUME: u64 = 256;

fn is_part_of_volume(target: &Target, path: &TargetPath) -> bool {
    let disk = target.disk();
    let inode = disk
        .open_folder(target.root(), path.as_bytes())
        .and_then(|folder| disk.stat_folder(&folder))
        .map(|stat| stat.key.inode);
    target.can_clone && inode.is_ok_and(|inode| inode == SUBVOLUME)
}

/// What the tool says of a part.
enum Told {
    Snapshot(Snapshot),
    /// It is a part of its own, made from nothing.
    Other,
    Nothing,
}

fn ask(target: &Target, path: &TargetPath) -> Told {
    let Ok(folder) = target.disk().open_folder(target.root(), path.as_bytes()) else {
        return Told::Nothing;
    };
    // By the open folder: whatever takes its name meanwhile isn't asked about.
    let number = folder.as_fd().as_raw_fd();
    let opened = format!("/proc/{}/fd/{number}", std::process::id());
    let told = tell(&["subvolume", "show", &opened]);
    let parent = told.as_deref().and_then(|told| after(told, "Parent UUID:"));
    if parent == Some("-") {
        return Told::Other;
    }
    let made = told
        .as_deref()
        .and_then(|told| after(told, "Creation time:"));
    let held = parent.and_then(|_| tell(&["filesystem", "du", "-s", "--raw", &opened]));
    match made.zip(held.as_deref().and_then(exclusive)) {
        Some((made, alone)) => Told::Snapshot(Snapshot {
            path: path.clone(),
            made: made.to_owned(),
            alone,
        }),
        None => Told::Nothing,
    }
}

fn tell(arguments: &[&str]) -> Option<String> {
    let answer = Tool::at(&TOOL, arguments)?.ask().ok()?;
    answer.status.success().then_some(answer.text)
}

/// What stands in a line behind a name.
fn after<'a>(text: &'a str, name: &str) -> Option<&'a str> {
    let mut lines = text.lines().map(str::trim);
    lines
        .find_map(|line| line.strip_prefix(name))
        .map(str::trim)
}

/// The second figure of the line under the heading.
fn exclusive(text: &str) -> Option<u64> {
    let line = text.lines().nth(1)?;
    line.split_whitespace().nth(1)?.parse().ok()
}
