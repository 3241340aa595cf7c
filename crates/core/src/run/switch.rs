//! Turning off what starts by itself, and on again: by the system's own mechanisms, each change in one step, with what was
//! there before in the hands of whoever asked.

mod registry;

use std::io::{self, Write as _};

use base64::Engine as _;
use base64::engine::general_purpose::STANDARD;
use jiff::Timestamp;
use jolly_disk::{Disk, Folder, Kind, Metadata, Stamp, Stat};

use crate::computer::{Target, TargetPath, WrittenPath, read_whole};
use crate::dustpan::{PART, ReplaceError, Replaced, Staging, replace};
use crate::format::program_records::desktop_entry;
use crate::format::startup_files::{crontab, launchd};
use crate::run::switch::registry::Place;
use crate::state::{FileChange, LockError, RunId, StateFolder, lock};
use crate::survey::{StartEntry, Switch};

/// Why something was not switched; it is as it was.
#[derive(Debug, thiserror::Error)]
#[expect(missing_docs, reason = "the message names the fields")]
pub enum SwitchError {
    #[error("{name} can't be switched: {why}")]
    Fixed { name: String, why: &'static str },
    #[error("{path} is not what it was when it was looked at")]
    Changed { path: TargetPath },
    #[error("{path} can't be understood, so it stays as it is")]
    Strange { path: TargetPath },
    #[error("{path} can't be changed")]
    Disk { path: TargetPath, source: io::Error },
    #[error("{path} can't be changed: {why}")]
    Replace { path: TargetPath, why: String },
    #[error(transparent)]
    Lock(#[from] LockError),
}

/// The most that a file has that is changed here, in bytes.
const MOST: u64 = 1 << 20;

/// A computer on which something is switched.
#[derive(Clone, Copy)]
pub struct Switching<'a> {
    /// The computer.
    pub target: &'a Target,
    /// Where its lock lies.
    pub state: &'a StateFolder,
    /// What tells this from other work on the same folders.
    pub run: &'a RunId,
    /// When it is done.
    pub now: Timestamp,
}

/// Turns an entry off. What is to change is handed to `keep` before anything does, and nothing is done where that fails.
///
/// # Errors
/// When it can't be; then it is as it was.
pub fn switch_off<E: From<SwitchError>>(
    work: Switching<'_>,
    entry: &StartEntry,
    keep: impl FnOnce(&[FileChange]) -> Result<(), E>,
) -> Result<(), E> {
    let switch = entry.switch.as_ref().map_err(|why| fixed(entry, why))?;
    let _lock = lock(work.target, work.state).map_err(SwitchError::from)?;
    let changes = changes(work, switch, false)?;
    keep(&changes)?;
    for (at, change) in changes.iter().enumerate() {
        if let Err(error) = carry_out(work, change) {
            // Of the links of a unit some are gone by then: it is on, or off, and nothing between.
            for done in changes.iter().take(at) {
                put_back(work, done)?;
            }
            return Err(error.into());
        }
    }
    Ok(())
}

/// Undoes one of several changes, which are all of links.
fn put_back(work: Switching<'_>, change: &FileChange) -> Result<(), SwitchError> {
    match change {
        FileChange::Link { path, to } => {
            let path = target_path(path)?;
            make_link(work, &path, &decoded(&path, to)?)
        }
        FileChange::File { .. } | FileChange::Value { .. } => Ok(()),
    }
}

/// Turns on what was changed since it was turned off, as it is now.
fn switch_on_anyway(
    work: Switching<'_>,
    entry: Option<&StartEntry>,
    path: TargetPath,
) -> Result<(), SwitchError> {
    let switch = entry.and_then(|entry| entry.switch.as_ref().ok());
    let Some(switch) = switch else {
        return Err(SwitchError::Changed { path });
    };
    for change in changes(work, switch, true)? {
        carry_out(work, &change)?;
    }
    Ok(())
}

/// Turns an entry on that nobody kept the former state of.
///
/// # Errors
/// When it can't be; then it is as it was.
pub fn switch_on(work: Switching<'_>, entry: &StartEntry) -> Result<(), SwitchError> {
    let switch = entry.switch.as_ref().map_err(|why| fixed(entry, why))?;
    let _lock = lock(work.target, work.state)?;
    for change in changes(work, switch, true)? {
        carry_out(work, &change)?;
    }
    Ok(())
}

/// Brings back what was there before something was turned off. A file that was changed since is only turned on, by
/// `entry` as it is now; where that can't be, it stays.
///
/// # Errors
/// When it can't be; what came back before stays on.
pub fn switch_back(
    work: Switching<'_>,
    changes_before: &[FileChange],
    entry: Option<&StartEntry>,
) -> Result<(), SwitchError> {
    let _lock = lock(work.target, work.state)?;
    for change in changes_before {
        let backwards = match change {
            FileChange::File {
                path,
                before,
                after,
            } => {
                let path = target_path(path)?;
                let now = read(work.target, &path)?.map(|(bytes, _)| bytes);
                if now.as_deref() != Some(&decoded(&path, after)?[..]) {
                    switch_on_anyway(work, entry, path)?;
                    continue;
                }
                let Some(before) = before else {
                    take_away(work, &path, &Taken::File(decoded(&path, after)?))?;
                    continue;
                };
                FileChange::File {
                    path: (&path).into(),
                    before: Some(after.clone()),
                    after: before.clone(),
                }
            }
            FileChange::Value {
                path,
                key,
                name,
                before,
                after,
            } => {
                let hive = &target_path(path)?;
                let place = Place { hive, key, name };
                if registry::value_now(work, &place)? == *after {
                    registry::carry_out(work, &place, (after.as_ref(), before.as_ref()))?;
                } else {
                    switch_on_anyway(work, entry, hive.clone())?;
                }
                continue;
            }
            FileChange::Link { .. } => {
                put_back(work, change)?;
                continue;
            }
        };
        carry_out(work, &backwards)?;
    }
    Ok(())
}

fn fixed(entry: &StartEntry, why: &'static str) -> SwitchError {
    SwitchError::Fixed {
        name: entry.name.clone(),
        why,
    }
}

fn target_path(path: &WrittenPath) -> Result<TargetPath, SwitchError> {
    TargetPath::try_from(path)
        .ok()
        .ok_or_else(|| SwitchError::Strange {
            path: TargetPath::root(),
        })
}

fn decoded(path: &TargetPath, text: &str) -> Result<Vec<u8>, SwitchError> {
    STANDARD
        .decode(text)
        .ok()
        .ok_or_else(|| SwitchError::Strange { path: path.clone() })
}

fn disk_error(path: &TargetPath) -> impl Fn(io::Error) -> SwitchError + '_ {
    move |source| SwitchError::Disk {
        path: path.clone(),
        source,
    }
}

/// A file's bytes and what it is; nothing where there is none.
fn read(target: &Target, path: &TargetPath) -> Result<Option<(Vec<u8>, Stat)>, SwitchError> {
    let disk = &**target.disk();
    let failed = disk_error(path);
    let folder = match disk.open_folder(target.root(), path.folder_bytes()) {
        Err(error) if error.kind() == io::ErrorKind::NotFound => return Ok(None),
        folder => folder.map_err(&failed)?,
    };
    let stat = match disk.stat(&folder, path.as_name()) {
        Err(error) if error.kind() == io::ErrorKind::NotFound => return Ok(None),
        stat => stat.map_err(&failed)?,
    };
    // A file with another name is changed under both, or torn apart.
    if stat.kind != Kind::File || stat.links > 1 {
        return Err(SwitchError::Strange { path: path.clone() });
    }
    let bytes = read_whole(disk, &folder, path.as_name(), MOST).map_err(&failed)?;
    Ok(Some((bytes, stat)))
}

/// What has to change so that something is off, or on.
fn changes(work: Switching<'_>, switch: &Switch, on: bool) -> Result<Vec<FileChange>, SwitchError> {
    let target = work.target;
    let strange = |path: &TargetPath| SwitchError::Strange { path: path.clone() };
    let gone = |path: &TargetPath| SwitchError::Changed { path: path.clone() };
    let there = |path: &TargetPath| {
        let read = read(target, path)?.ok_or_else(|| gone(path))?;
        Ok::<_, SwitchError>(read.0)
    };
    let file = |path: &TargetPath, before: Option<&[u8]>, after: &[u8]| FileChange::File {
        path: path.into(),
        before: before.map(|bytes| STANDARD.encode(bytes)),
        after: STANDARD.encode(after),
    };
    Ok(match switch {
        Switch::Override { of, own } => {
            if read(target, own)?.is_some() || on {
                return Err(gone(own));
            }
            let entry = desktop_entry::hidden(&there(of)?, true).ok_or_else(|| strange(of))?;
            vec![file(own, None, &entry)]
        }
        Switch::OwnEntry(path) => {
            let before = there(path)?;
            let after = desktop_entry::hidden(&before, !on).ok_or_else(|| strange(path))?;
            vec![file(path, Some(&before), &after)]
        }
        Switch::CronLine { file: path, line } => {
            let before = there(path)?;
            let after = crontab::switched(&before, line, on).ok_or_else(|| gone(path))?;
            vec![file(path, Some(&before), &after)]
        }
        Switch::Mark { list, label } => {
            let before = read(target, list)?.map(|(bytes, _)| bytes);
            let after = launchd::marked(before.as_deref(), label, !on);
            let after = after.ok().ok_or_else(|| strange(list))?;
            vec![file(list, before.as_deref(), &after)]
        }
        Switch::Registry {
            hive,
            key,
            name,
            way,
        } => {
            let place = Place { hive, key, name };
            vec![registry::change(work, &place, (*way, on))?]
        }
        Switch::Links(links) => {
            let mut changes = Vec::new();
            for path in links {
                let disk = &**target.disk();
                let folder = disk.open_folder(target.root(), path.folder_bytes());
                let folder = folder.map_err(disk_error(path))?;
                let to = disk
                    .read_link(&folder, path.as_name())
                    .map_err(disk_error(path))?;
                changes.push(FileChange::Link {
                    path: path.into(),
                    to: STANDARD.encode(to),
                });
            }
            changes
        }
    })
}

/// Makes a change, if what it starts from is still there.
fn carry_out(work: Switching<'_>, change: &FileChange) -> Result<(), SwitchError> {
    match change {
        FileChange::Link { path, to } => {
            let path = target_path(path)?;
            let to = decoded(&path, to)?;
            take_away(work, &path, &Taken::Link(to))
        }
        FileChange::Value {
            path,
            key,
            name,
            before,
            after,
        } => {
            let hive = &target_path(path)?;
            let place = Place { hive, key, name };
            registry::carry_out(work, &place, (before.as_ref(), after.as_ref()))
        }
        FileChange::File {
            path,
            before,
            after,
        } => {
            let path = target_path(path)?;
            let after = decoded(&path, after)?;
            let now = read(work.target, &path)?;
            match (before, now) {
                (None, None) => make_file(work, &path, &after),
                (Some(before), Some((now, seen))) if decoded(&path, before)? == now => {
                    let disk = &**work.target.disk();
                    let folder = disk.open_folder(work.target.root(), path.folder_bytes());
                    let replaced = Replaced {
                        disk,
                        folder: &folder.map_err(disk_error(&path))?,
                        name: path.as_name(),
                        seen: &seen,
                        is_live: work.target.is_live,
                    };
                    replace(&replaced, &after, (work.run, 0)).map_err(|error| match error {
                        ReplaceError::Changed => SwitchError::Changed { path: path.clone() },
                        other => SwitchError::Replace {
                            path: path.clone(),
                            why: other.to_string(),
                        },
                    })
                }
                _ => Err(SwitchError::Changed { path }),
            }
        }
    }
}

/// What is taken away.
enum Taken {
    File(Vec<u8>),
    Link(Vec<u8>),
}

/// Takes a name away whose content is known.
///
/// # Safety argument
/// It is moved into a folder that nobody else can enter and looked at there: only what was meant is thrown away, anything
/// else goes back under its name.
fn take_away(work: Switching<'_>, path: &TargetPath, taken: &Taken) -> Result<(), SwitchError> {
    let (disk, failed) = (&**work.target.disk(), disk_error(path));
    let folder = disk
        .open_folder(work.target.root(), path.folder_bytes())
        .map_err(&failed)?;
    let staging = Staging::open(disk, &folder, (work.run, 0)).map_err(&failed)?;
    disk.move_name(&folder, path.as_name(), staging.folder(), PART)
        .map_err(&failed)?;
    let is_it = match taken {
        Taken::File(bytes) => {
            let is_file = disk
                .stat(staging.folder(), PART)
                .is_ok_and(|stat| stat.kind == Kind::File);
            is_file && read_whole(disk, staging.folder(), PART, MOST).is_ok_and(|now| now == *bytes)
        }
        Taken::Link(to) => disk
            .read_link(staging.folder(), PART)
            .is_ok_and(|now| now == *to),
    };
    if is_it {
        return Ok(());
    }
    if staging.publish(path.as_name()).is_err() {
        // Somebody else has the name by now: what came out lies beside it.
        staging.leave();
    }
    Err(SwitchError::Changed { path: path.clone() })
}

/// Whose a new name is to be: as the folder that it lies in.
fn owner_of(disk: &dyn Disk, folder: &Folder) -> io::Result<(u32, u32)> {
    let stat = disk.stat_folder(folder)?;
    Ok((stat.user, stat.group))
}

/// Opens the folder of a path; makes those that are missing, as those above them are.
fn open_or_make(disk: &dyn Disk, root: &Folder, path: &TargetPath) -> io::Result<Folder> {
    let mut at = disk.open_folder(root, b"")?;
    for part in path.parent().unwrap_or_default().parts() {
        let name = std::ffi::CString::new(part).map_err(io::Error::other)?;
        let next = match disk.open_folder(&at, part) {
            Err(error) if error.kind() == io::ErrorKind::NotFound => {
                disk.make_folder(&at, &name)?;
                let made = disk.open_folder(&at, part)?;
                let (above, modified) = (disk.stat_folder(&at)?, disk.stat_folder(&made)?.modified);
                let owner = (above.user, above.group);
                give(disk, &made, (owner, modified), above.mode & 0o777)?;
                made
            }
            next => next?,
        };
        at = next;
    }
    Ok(at)
}

/// Gives something new its owner and mode.
fn give(
    disk: &dyn Disk,
    of: &impl std::os::fd::AsFd,
    ((user, group), modified): ((u32, u32), Stamp),
    mode: u32,
) -> io::Result<()> {
    let metadata = Metadata {
        user,
        group,
        mode,
        accessed: modified,
        modified,
        attributes: Vec::new(),
    };
    match disk.apply_metadata(of.as_fd(), &metadata).pop() {
        Some(missing) if disk_keeps(&missing.error) => Err(missing.error),
        _ => Ok(()),
    }
}

/// Whether what couldn't be given matters: a volume that keeps no owners can't give any.
fn disk_keeps(error: &io::Error) -> bool {
    error.kind() != io::ErrorKind::Unsupported
}

fn make_file(work: Switching<'_>, path: &TargetPath, bytes: &[u8]) -> Result<(), SwitchError> {
    let (disk, failed) = (&**work.target.disk(), disk_error(path));
    let folder = open_or_make(disk, work.target.root(), path).map_err(&failed)?;
    let staging = Staging::open(disk, &folder, (work.run, 0)).map_err(&failed)?;
    let mut file = disk.make_file(staging.folder(), PART).map_err(&failed)?;
    file.write_all(bytes).map_err(&failed)?;
    let owner = owner_of(disk, &folder).map_err(&failed)?;
    let made = disk.stat(staging.folder(), PART).map_err(&failed)?;
    give(disk, &file, (owner, made.modified), 0o644).map_err(&failed)?;
    file.sync_all().map_err(&failed)?;
    staging
        .publish(path.as_name())
        .map_err(|error| match error.kind() {
            io::ErrorKind::AlreadyExists => SwitchError::Changed { path: path.clone() },
            _ => failed(error),
        })
}

/// Makes a link again; one that is there and leads to the same is it.
fn make_link(work: Switching<'_>, path: &TargetPath, to: &[u8]) -> Result<(), SwitchError> {
    let (disk, failed) = (&**work.target.disk(), disk_error(path));
    let folder = open_or_make(disk, work.target.root(), path).map_err(&failed)?;
    let owner = owner_of(disk, &folder).map_err(&failed)?;
    let staging = Staging::open(disk, &folder, (work.run, 0)).map_err(&failed)?;
    disk.make_link(staging.folder(), PART, to)
        .map_err(&failed)?;
    let made = disk.stat(staging.folder(), PART).map_err(&failed)?;
    let metadata = Metadata {
        user: owner.0,
        group: owner.1,
        mode: 0o777,
        accessed: made.modified,
        modified: made.modified,
        attributes: Vec::new(),
    };
    // A link of the runner's works as well as one of its owner's.
    drop(disk.apply_link_metadata(staging.folder(), PART, &metadata));
    match staging.publish(path.as_name()) {
        Ok(()) => Ok(()),
        Err(error) if error.kind() == io::ErrorKind::AlreadyExists => {
            let is_it = disk
                .read_link(&folder, path.as_name())
                .is_ok_and(|now| now == to);
            if is_it {
                Ok(())
            } else {
                Err(SwitchError::Changed { path: path.clone() })
            }
        }
        Err(error) => Err(failed(error)),
    }
}
