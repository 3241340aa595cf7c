//! Restore points that a Btrfs volume holds: snapshots of its parts, as the system's own tool lists them.

use std::collections::HashSet;
use std::io;
use std::os::fd::{AsFd as _, AsRawFd as _};
use std::os::unix::fs::MetadataExt as _;
use std::path::Path;
use std::time::Duration;

use jiff::Timestamp;
use jolly_disk::Folder;

use crate::cancel::CancelToken;
use crate::computer::{Target, TargetPath};
use crate::host::{Answer, Tool, mount_of, mounts};

/// Where the tool lies.
pub(crate) const BTRFS_TOOL: [&str; 4] = [
    "/usr/bin/btrfs",
    "/usr/sbin/btrfs",
    "/sbin/btrfs",
    "/bin/btrfs",
];

/// How long it may think: what something holds takes a look at all of it.
const PATIENCE: Duration = Duration::from_secs(30);

/// The inode that the topmost folder of a part of the volume has.
const TOPMOST: u64 = 256;

/// Of more than so many the rest is left: nobody could look at each.
const MOST: usize = 4096;

/// A part of the volume that was made from another one.
#[derive(Clone, Debug, PartialEq, Eq)]
pub struct RestorePoint {
    /// Where it lies.
    pub path: TargetPath,
    /// Its number on the volume, which no other one ever has.
    pub number: u64,
    /// Its own identifier.
    pub uuid: String,
    /// That of the part that it was made from.
    pub source: String,
    /// When it was made, seconds since 1970.
    pub made: i64,
    /// What grows with every change of it.
    pub generation: u64,
}

impl RestorePoint {
    /// Whether it is one of so many of the newest that were made from its source. Those that were made before a run are
    /// nobody's newest but their own.
    pub(crate) fn is_among_newest(&self, all: &[Self], count: u32) -> bool {
        let age = |one: &Self| (one.made, one.number);
        let is_newer = |other: &&Self| {
            other.source == self.source && age(other) > age(self) && !other.is_of_run()
        };
        all.iter().filter(is_newer).count() < count as usize
    }

    fn is_of_run(&self) -> bool {
        self.path.as_bytes().starts_with(OF_RUNS)
    }
}

/// How those are called that are made before a run: so, and by its id.
const OF_RUNS: &[u8] = b".jolly-broom-";

/// The tool with these arguments and, at their end, an open folder; whatever takes its name meanwhile isn't meant.
///
/// # Errors
/// When it isn't there, doesn't answer, or refuses; with its own words.
pub(crate) fn btrfs(
    arguments: &[&str],
    folder: &Folder,
    cancel: &CancelToken,
) -> io::Result<Answer> {
    btrfs_to(arguments, folder, None, cancel)
}

/// The same, with one more argument at the end.
fn btrfs_to(
    arguments: &[&str],
    folder: &Folder,
    to: Option<&str>,
    cancel: &CancelToken,
) -> io::Result<Answer> {
    let number = folder.as_fd().as_raw_fd();
    let opened = format!("/proc/{}/fd/{number}", std::process::id());
    let words = arguments.iter().copied().chain([&*opened]).chain(to);
    let words: Vec<&str> = words.collect();
    let Some(tool) = Tool::at(&BTRFS_TOOL, &words) else {
        let message = "the program btrfs isn't installed here";
        return Err(io::Error::new(io::ErrorKind::Unsupported, message));
    };
    let answer = tool.ask_until(cancel, PATIENCE)?;
    if answer.status.success() {
        return Ok(answer);
    }
    let kind = if answer.errors.contains("not permitted") {
        io::ErrorKind::PermissionDenied
    } else {
        io::ErrorKind::Other
    };
    let words = answer.errors.trim().replace(&opened, "it");
    Err(io::Error::new(kind, words))
}

/// The restore points below a target's root, each looked at where it lies; none on any other file system.
///
/// # Errors
/// When the tool isn't there or may not tell: that takes the administrator.
pub fn restore_points(target: &Target, cancel: &CancelToken) -> io::Result<Vec<RestorePoint>> {
    let mut listed = listed_points(target, cancel)?;
    // Some are listed by another folder than the root.
    listed.retain(|point| is_there(target, point, cancel));
    Ok(listed)
}

/// The same as they are listed, without a look at each.
///
/// A restore point is a snapshot that can't be written to. What a system starts from, what is mounted anywhere, and
/// what came here as a backup from another volume is none.
///
/// # Errors
/// As of [`restore_points`].
pub(crate) fn listed_points(
    target: &Target,
    cancel: &CancelToken,
) -> io::Result<Vec<RestorePoint>> {
    let Some(mount) = mount_of(target.root_path()).filter(|mount| mount.kind == "btrfs") else {
        return Ok(Vec::new());
    };
    let list = ["subvolume", "list", "-s", "-r", "-u", "-q", "-R"];
    let answer = btrfs(&list, target.root(), cancel)?;
    let start = btrfs(&["subvolume", "get-default"], target.root(), cancel)?;
    let start = start
        .text
        .split_ascii_whitespace()
        .nth(1)
        .map(str::to_owned);
    let mounted = mounts()
        .into_iter()
        .filter(|one| one.volume == mount.volume);
    let mounted: HashSet<u64> = mounted.filter_map(|one| one.part).collect();
    let above = below_its_part(target.root_path());
    let mut found: Vec<RestorePoint> = Vec::new();
    for told in answer.text.lines().filter_map(read_line).take(MOST) {
        let below = match above.as_slice() {
            [] => Some(told.path.as_bytes()),
            above => {
                (told.path.as_bytes().strip_prefix(above)).and_then(|rest| rest.strip_prefix(b"/"))
            }
        };
        let path = below.and_then(|below| TargetPath::new(below).ok());
        let is_used = mounted.contains(&told.point.number)
            || start.as_deref() == Some(&*told.point.number.to_string());
        if let Some(path) = path.filter(|path| !path.is_root() && !is_used) {
            found.push(RestorePoint { path, ..told.point });
        }
    }
    found.sort_by(|one, other| one.path.cmp(&other.path));
    Ok(found)
}

/// Where a folder lies below the topmost folder of the part that it is in.
fn below_its_part(root: &Path) -> Vec<u8> {
    use std::os::unix::ffi::OsStrExt as _;
    let is_topmost =
        |path: &Path| std::fs::symlink_metadata(path).is_ok_and(|it| it.ino() == TOPMOST);
    let part = root.ancestors().find(|path| is_topmost(path));
    let below = part.and_then(|part| root.strip_prefix(part).ok());
    below.map_or_else(Vec::new, |below| below.as_os_str().as_bytes().to_vec())
}

/// A line of the tool's list.
struct ListedPoint {
    path: String,
    point: RestorePoint,
}

fn read_line(line: &str) -> Option<ListedPoint> {
    let (facts, path) = line.split_once(" path ")?;
    let words: Vec<&str> = facts.split_ascii_whitespace().collect();
    let after = |name: &str| {
        let at = words.iter().position(|word| *word == name)?;
        words.get(at + 1).copied()
    };
    let date = words.iter().position(|word| *word == "otime")?;
    let [day, time] = words.get(date + 1..date + 3)? else {
        return None;
    };
    let made: Timestamp = format!("{day}T{time}Z").parse().ok()?;
    let text = |name| after(name).map(str::to_owned);
    if after("received_uuid").is_some_and(|from| from != "-") {
        return None;
    }
    Some(ListedPoint {
        path: path.to_owned(),
        point: RestorePoint {
            path: TargetPath::default(),
            number: after("ID")?.parse().ok()?,
            uuid: text("uuid")?,
            source: text("parent_uuid")?,
            made: made.as_second(),
            generation: after("gen")?.parse().ok()?,
        },
    })
}

/// Whether what lies at its path is the one that was told.
fn is_there(target: &Target, point: &RestorePoint, cancel: &CancelToken) -> bool {
    let opened = open_part(target, &point.path);
    let number = opened.and_then(|part| number_of(&part, cancel));
    number.is_ok_and(|number| number == point.number)
}

/// Has the file system let go of a restore point; none other ever has its number.
///
/// # Errors
/// As of [`btrfs`].
pub(crate) fn delete_point(target: &Target, number: u64) -> io::Result<()> {
    let number = number.to_string();
    let delete = [
        "subvolume",
        "delete",
        "--commit-each",
        "--subvolid",
        &number,
    ];
    btrfs(&delete, target.root(), &CancelToken::default()).map(drop)
}

/// The restore point that is made before a run, by the run's id.
fn point_of_run(run: &str) -> TargetPath {
    TargetPath::new([OF_RUNS, run.as_bytes()].concat()).unwrap_or_default()
}

/// Whether a restore point of all that lies below a target's root can be made: the root is a part of a Btrfs volume of its
/// own, and the administrator runs this.
pub fn may_make_point(target: &Target) -> bool {
    let is_btrfs = mount_of(target.root_path())
        .is_some_and(|mount| mount.kind == "btrfs" && !mount.is_read_only);
    is_btrfs && jolly_disk::runner() == 0 && target.key().inode == TOPMOST
}

/// Makes a restore point of a target before a run; where it lies.
///
/// # Errors
/// When none can be made there, or the tool refuses; with its own words.
pub fn make_point(target: &Target, run: &str) -> io::Result<TargetPath> {
    if !may_make_point(target) {
        let message = "only the administrator can, of a part of a Btrfs volume";
        return Err(io::Error::new(io::ErrorKind::Unsupported, message));
    }
    let point = point_of_run(run);
    let number = target.root().as_fd().as_raw_fd();
    let place = format!("/proc/{}/fd/{number}/{point}", std::process::id());
    let words = ["subvolume", "snapshot", "-r"];
    // The tool is told what it is made of before where it comes to.
    btrfs_to(&words, target.root(), Some(&place), &CancelToken::default())?;
    Ok(point)
}

/// The restore point that was made before a run, if it is there still.
///
/// # Errors
/// As of [`restore_points`].
pub fn point_before(target: &Target, run: &str) -> io::Result<Option<RestorePoint>> {
    let path = point_of_run(run);
    let never = CancelToken::default();
    let mut listed = listed_points(target, &never)?;
    listed.retain(|point| point.path == path && is_there(target, point, &never));
    Ok(listed.pop())
}

/// Lets go of a restore point that was made before a run.
///
/// # Errors
/// When the tool isn't there, doesn't answer, or refuses; with its own words.
pub fn let_go_of_point(target: &Target, point: &RestorePoint) -> io::Result<()> {
    delete_point(target, point.number)?;
    settle_volume(target)
}

/// Waits until the volume has given back what was let go of.
///
/// # Errors
/// As of [`btrfs`].
pub(crate) fn settle_volume(target: &Target) -> io::Result<()> {
    btrfs(
        &["filesystem", "sync"],
        target.root(),
        &CancelToken::default(),
    )
    .map(drop)
}

/// Opens the topmost folder of a part of the volume.
///
/// # Errors
/// When it can't be opened, or is no such folder.
pub(crate) fn open_part(target: &Target, path: &TargetPath) -> io::Result<Folder> {
    let disk = target.disk();
    let folder = disk.open_folder(target.root(), path.as_bytes())?;
    if disk.stat_folder(&folder)?.key.inode == TOPMOST {
        Ok(folder)
    } else {
        Err(io::Error::other("it is no part of its own"))
    }
}

/// The number of the part of the volume that an open folder is in.
///
/// # Errors
/// As of [`btrfs`].
pub(crate) fn number_of(part: &Folder, cancel: &CancelToken) -> io::Result<u64> {
    let answer = btrfs(&["inspect-internal", "rootid"], part, cancel)?;
    let number = answer.text.trim().parse();
    number.map_err(|_no_number| io::Error::other("its number isn't known"))
}

/// What a restore point holds, in bytes.
#[derive(Clone, Copy, Debug, Default, PartialEq, Eq)]
pub(crate) struct HeldBytes {
    /// In all.
    pub whole: u64,
    /// That nothing else does.
    pub alone: u64,
}

/// What a restore point holds.
///
/// # Errors
/// As of [`btrfs`], and when the tool says none.
pub(crate) fn what_it_holds(part: &Folder, cancel: &CancelToken) -> io::Result<HeldBytes> {
    let answer = btrfs(&["filesystem", "du", "-s", "--raw"], part, cancel)?;
    let line = answer.text.lines().nth(1).unwrap_or_default();
    let mut figures = line.split_whitespace().map(str::parse);
    match (figures.next(), figures.next()) {
        (Some(Ok(whole)), Some(Ok(alone))) => Ok(HeldBytes { whole, alone }),
        _ => Err(io::Error::other("the tool doesn't say")),
    }
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn a_line_of_the_list_is_read_whatever_the_name() {
        let line = "ID 260 gen 8 cgen 8 top level 256 otime 2026-11-30 22:42:05 \
                    parent_uuid 9ccad8f8-28e3 received_uuid - uuid 5311b07a-9c9a path home/a path b";
        let told = read_line(line).unwrap();
        assert_eq!(told.path, "home/a path b");
        let point = told.point;
        assert_eq!((point.number, point.generation), (260, 8));
        assert_eq!(
            (&*point.uuid, &*point.source),
            ("5311b07a-9c9a", "9ccad8f8-28e3")
        );
        assert_eq!(point.made, 1_796_078_525);
        let received = line.replace("received_uuid -", "received_uuid 5311b07a");
        for broken in ["", "ID x path y", &line.replace("otime", "time"), &received] {
            assert!(read_line(broken).is_none());
        }
    }
}
