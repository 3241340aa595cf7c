//! A file made anew: built where nobody else can reach it, and given the name of the old one in one step.

use std::ffi::{CStr, CString};
use std::fs::File;
use std::io::{self, Write as _};
use std::os::fd::AsFd as _;
use std::os::unix::fs::MetadataExt as _;

use jolly_disk::{Disk, Folder, Kind, Metadata, Stamp, Stat};

use crate::dustpan::staging::{PART, Staging};
use crate::plan::{FileIdentity, StayReason, Tolerance};
use crate::source::holder::WrittenLog;
use crate::state::RunId;

/// Why a file was not replaced; but for the last, it is as it was.
#[derive(Debug, thiserror::Error)]
pub(crate) enum ReplaceError {
    #[error("{0}")]
    Disk(#[source] io::Error),
    #[error("{what} could not be given to a new one: {source}")]
    Metadata {
        what: &'static str,
        source: io::Error,
    },
    #[error("this volume can't put a new one in its place in one step")]
    NoExchange,
    #[error("it changed at the last moment")]
    Changed,
    /// What was to take its place can't.
    #[error("{0}")]
    Refused(StayReason),
    #[error("it changed at the last moment, and lies beside itself in {0}")]
    Displaced(String),
}

/// A file that is to be replaced.
pub(crate) struct Replaced<'a> {
    pub disk: &'a dyn Disk,
    /// The open folder that holds it.
    pub folder: &'a Folder,
    pub name: &'a CStr,
    /// What it was when it was read.
    pub seen: &'a Stat,
    /// Whether it is this running computer's own, where its programs write meanwhile.
    pub is_live: bool,
}

/// Puts new bytes in the place of a file's, with its owner, mode and attributes.
///
/// # Errors
/// As of [`swap_in`].
pub(crate) fn replace(
    file: &Replaced<'_>,
    bytes: &[u8],
    of: (&RunId, usize),
) -> Result<(), ReplaceError> {
    let fill = &mut |new: &mut File| new.write_all(bytes).map_err(ReplaceError::Disk);
    // Programs see by its last modification that it is another one.
    let (staging, made) = build(file, of, None, fill)?;
    swap_in(file, staging, &made, &|| true)
}

/// Builds a file that is to take the place of another one: with its owner, mode and attributes, and with this last
/// modification, where one is given. `fill` writes its bytes.
///
/// # Errors
/// When it can't be built; nothing is left of it then.
pub(crate) fn build<'a>(
    file: &Replaced<'a>,
    of: (&RunId, usize),
    modified: Option<Stamp>,
    fill: &mut dyn FnMut(&mut File) -> Result<(), ReplaceError>,
) -> Result<(Staging<'a>, Stat), ReplaceError> {
    let Replaced {
        disk,
        folder,
        name,
        seen,
        ..
    } = *file;
    let disk_error = ReplaceError::Disk;
    let old = disk.open_file(folder, name).map_err(disk_error)?;
    // What somebody puts there meanwhile must not lend its attributes.
    if old.metadata().map_err(disk_error)?.ino() != seen.key.inode {
        return Err(ReplaceError::Changed);
    }
    let attributes = disk.attributes(old.as_fd()).map_err(disk_error)?;
    drop(old);
    let staging = Staging::open(disk, folder, of).map_err(disk_error)?;
    let mut new = disk.make_file(staging.folder(), PART).map_err(disk_error)?;
    fill(&mut new)?;
    let written = disk.stat(staging.folder(), PART).map_err(disk_error)?;
    let metadata = Metadata {
        user: seen.user,
        group: seen.group,
        mode: seen.mode,
        accessed: seen.accessed,
        modified: modified.unwrap_or(written.modified),
        attributes,
    };
    let mut lacks = disk.apply_metadata(new.as_fd(), &metadata);
    if let Some(missing) = lacks.pop() {
        return Err(ReplaceError::Metadata {
            what: missing.what,
            source: missing.error,
        });
    }
    new.sync_all().map_err(disk_error)?;
    let made = disk.stat(staging.folder(), PART).map_err(disk_error)?;
    Ok((staging, made))
}

/// Puts what was built, or named, in a staging folder in the place of a file, unless `is_still` says afterwards that it
/// isn't what it was.
///
/// # Safety argument
/// The new file is in a folder that nobody else can enter. The two names are exchanged, and what came out is
/// looked at where nobody else can reach it: only what was read before is thrown away. Anything else goes back under its
/// name, and of what is in that folder then only the new file is thrown away. So at any moment the name holds the old
/// bytes or the new ones, and nothing that somebody wrote meanwhile is lost.
///
/// Drivers of foreign volumes can't exchange names, such as that of NTFS through FUSE. On a disk on the bench, whose own
/// system doesn't run, the new file then takes the name of the old one right after a last look.
///
/// # Errors
/// When the names can't be exchanged, or the file changed; then it is as it was, but where the error says otherwise.
pub(crate) fn swap_in(
    file: &Replaced<'_>,
    staging: Staging<'_>,
    made: &Stat,
    is_still: &dyn Fn() -> bool,
) -> Result<(), ReplaceError> {
    let Replaced {
        disk,
        folder,
        name,
        seen,
        is_live,
    } = *file;
    let inside = (staging.folder(), PART);
    let is_seen = |now: &Stat| {
        now.kind == Kind::File && FileIdentity::of(seen).is_same(now, Tolerance::LastChange)
    };
    match exchange(disk, inside, (folder, name)) {
        Err(ReplaceError::NoExchange) if !is_live => {
            if !disk.stat(folder, name).is_ok_and(|now| is_seen(&now)) || !is_still() {
                return Err(give_up(disk, staging, made, ReplaceError::Changed));
            }
            let replaced = disk.replace_name(inside, (folder, name));
            let refused = |error| give_up(disk, staging, made, ReplaceError::Disk(error));
            return replaced.map_err(refused);
        }
        Err(error) => return Err(give_up(disk, staging, made, error)),
        Ok(()) => {}
    }
    let came_out = disk.stat(staging.folder(), PART);
    if came_out.is_ok_and(|now| is_seen(&now)) && is_still() {
        return Ok(());
    }
    // Somebody was faster: theirs goes back under its name, and ours away.
    if exchange(disk, inside, (folder, name)).is_err() {
        return Err(ReplaceError::Displaced(staging.leave()));
    }
    let back = disk.stat(staging.folder(), PART);
    if back.is_ok_and(|now| now.key != made.key) {
        // And faster again: the newest is what they meant to be there, and takes the place of their last one.
        return match exchange(disk, inside, (folder, name)) {
            Ok(()) => Err(ReplaceError::Changed),
            Err(_) => Err(ReplaceError::Displaced(staging.leave())),
        };
    }
    Err(give_up(disk, staging, made, ReplaceError::Changed))
}

/// Puts a database with all that its write-ahead log holds in its place, and takes the log away; the database as it is
/// then.
///
/// # Safety argument
/// The log is applied before it goes, and to apply it once more changes nothing: wherever this breaks off, the database
/// reads the same. The log leaves through a folder that nobody else can enter, and goes back when it isn't the one that
/// was read.
///
/// # Errors
/// As of [`replace`].
pub(crate) fn settle_log(
    file: &Replaced<'_>,
    log: &WrittenLog,
    of: (&RunId, usize),
) -> Result<Stat, ReplaceError> {
    let Replaced {
        disk, folder, name, ..
    } = *file;
    let is_read = |now: &Stat| {
        now.kind == Kind::File && FileIdentity::of(&log.stat).is_same(now, Tolerance::LastChange)
    };
    let log_name = log_of(name);
    let there = disk.stat(folder, &log_name);
    if !there.is_ok_and(|now| is_read(&now)) {
        return Err(ReplaceError::Changed);
    }
    replace(file, &log.settled, of)?;
    let settled = disk.stat(folder, name).map_err(ReplaceError::Disk)?;
    let staging = Staging::open(disk, folder, number_of_log(of)).map_err(ReplaceError::Disk)?;
    disk.move_name(folder, &log_name, staging.folder(), PART)
        .map_err(ReplaceError::Disk)?;
    let moved = disk.stat(staging.folder(), PART);
    if moved.is_ok_and(|now| is_read(&now)) {
        return Ok(settled);
    }
    match disk.move_name(staging.folder(), PART, folder, &log_name) {
        Ok(()) => Err(ReplaceError::Changed),
        Err(_) => Err(ReplaceError::Displaced(staging.leave())),
    }
}

/// The write-ahead log of a database.
fn log_of(name: &CStr) -> CString {
    CString::new([name.to_bytes(), b"-wal"].concat()).unwrap_or_default()
}

/// The number under which the log of a thing leaves: no run has so many things.
fn number_of_log((run, number): (&RunId, usize)) -> (&RunId, usize) {
    (run, usize::MAX - number)
}

/// Ends without a new file. Whatever isn't surely ours stays where it is.
fn give_up(disk: &dyn Disk, staging: Staging<'_>, made: &Stat, why: ReplaceError) -> ReplaceError {
    match disk.stat(staging.folder(), PART) {
        Ok(now) if now.key == made.key => why,
        Ok(_) | Err(_) => ReplaceError::Displaced(staging.leave()),
    }
}

fn exchange(
    disk: &dyn Disk,
    one: (&Folder, &CStr),
    other: (&Folder, &CStr),
) -> Result<(), ReplaceError> {
    disk.exchange_names(one, other).map_err(|error| {
        if error.kind() == io::ErrorKind::Unsupported {
            ReplaceError::NoExchange
        } else {
            ReplaceError::Disk(error)
        }
    })
}

/// What a run that died left beside a file that it was replacing.
#[derive(Debug, PartialEq, Eq)]
pub(crate) enum LeftBeside {
    /// Nothing.
    Nothing,
    /// A copy that nobody needs, and that is gone now.
    Cleared,
    /// What stood under the name is there, as nothing else does: it went back.
    PutBack,
    /// Something that somebody else wrote may be in there, under this name: it was left.
    Left(CString),
}

/// Clears up what a run left that died while it replaced a file that had this inode.
pub(crate) fn clear_up(
    disk: &dyn Disk,
    (folder, name): (&Folder, &CStr),
    of: (&RunId, usize),
    inode: u64,
) -> LeftBeside {
    if let Some((own, inside)) = Staging::left(disk, folder, number_of_log(of)) {
        // The database holds all that this log does: back under its name, it changes nothing.
        drop(disk.move_name(&inside, PART, folder, &log_of(name)));
        drop(disk.remove_folder(folder, &own));
    }
    let Some((own, inside)) = Staging::left(disk, folder, of) else {
        return LeftBeside::Nothing;
    };
    let part = disk.stat(&inside, PART).ok();
    let named = disk.stat(folder, name).ok();
    let is_known = |stat: &Stat| stat.key.inode == inode;
    let left = match (&part, &named) {
        (None, _) => LeftBeside::Cleared,
        (Some(part), None) if is_known(part) => match disk.move_name(&inside, PART, folder, name) {
            Ok(()) => LeftBeside::PutBack,
            Err(_) => return LeftBeside::Left(own),
        },
        // One of the two is what was shown, and the other was made from it.
        (Some(part), Some(named)) if is_known(part) != is_known(named) => {
            drop(disk.unlink(&inside, PART));
            LeftBeside::Cleared
        }
        (Some(_), _) => return LeftBeside::Left(own),
    };
    drop(disk.remove_folder(folder, &own));
    left
}
