//! What stands in a registry, turned off and on by one value of a hive that is made anew.

use std::io::{self, Write as _};
use std::path::PathBuf;

use base64::Engine as _;
use base64::engine::general_purpose::STANDARD;
use jolly_disk::{Folder, Stat};

use crate::computer::TargetPath;
use crate::dustpan::{ReplaceError, Replaced, replace};
use crate::format::windows::filetime;
use crate::format::windows::hive::Hive;
use crate::format::windows::hive::change::{Change, changed};
use crate::format::windows::hive::tree::HiveValue;
use crate::host::InUse;
use crate::run::switch::{SwitchError, Switching, decoded, disk_error};
use crate::source::holder::registry::read_hive;
use crate::state::{FileChange, SheetId, StateFolder, ValueData};
use crate::survey::RegistryWay;

/// Types of values: bytes, and a number of 32 bits.
const BYTES: u32 = 3;
const WORD: u32 = 4;

/// How a service starts: by itself, and when something asks for it.
const BY_ITSELF: u32 = 2;
const BY_HAND: u32 = 3;

/// A value of a hive of a computer.
pub(super) struct Place<'a> {
    pub hive: &'a TargetPath,
    pub key: &'a str,
    pub name: &'a str,
}

/// A hive that was read to be changed.
struct OpenHive {
    folder: Folder,
    stat: Stat,
    hive: Hive,
}

fn open(work: Switching<'_>, path: &TargetPath) -> Result<OpenHive, SwitchError> {
    let disk = &**work.target.disk();
    let folder = disk.open_folder(work.target.root(), path.folder_bytes());
    let folder = folder.map_err(disk_error(path))?;
    let stays = |why: String| SwitchError::Replace {
        path: path.clone(),
        why,
    };
    let read = read_hive(work.target, (&folder, path.as_name()));
    let (stat, hive) = read.map_err(|error| stays(error.to_string()))?;
    if let Some(program) = InUse::read().user_of(stat.key) {
        return Err(stays(format!("{} has it open", program.program)));
    }
    Ok(OpenHive { folder, stat, hive })
}

/// What has to change in a hive so that something is off, or on.
pub(super) fn change(
    work: Switching<'_>,
    place: &Place<'_>,
    (way, on): (RegistryWay, bool),
) -> Result<FileChange, SwitchError> {
    let hive = open(work, place.hive)?.hive;
    let before = hive.value_at(place.key, place.name);
    let gone = || SwitchError::Changed {
        path: place.hive.clone(),
    };
    let after = match way {
        RegistryWay::Mark => {
            let mut mark = vec![if on { 2 } else { 3 }, 0, 0, 0];
            let when = if on { 0 } else { filetime::ticks(work.now) };
            mark.extend(when.to_le_bytes());
            Some((BYTES, mark))
        }
        RegistryWay::Aside if !on && before.is_some() => None,
        RegistryWay::ByHand if before.is_some() => {
            let start = if on { BY_ITSELF } else { BY_HAND };
            Some((WORD, start.to_le_bytes().to_vec()))
        }
        RegistryWay::Aside | RegistryWay::ByHand => return Err(gone()),
    };
    let written = |(kind, data): (u32, Vec<u8>)| ValueData {
        kind,
        data: STANDARD.encode(data),
    };
    Ok(FileChange::Value {
        path: place.hive.into(),
        key: place.key.to_owned(),
        name: place.name.to_owned(),
        before: before.map(|value| written((value.kind, value.data))),
        after: after.map(written),
    })
}

/// What a value is now.
pub(super) fn value_now(
    work: Switching<'_>,
    place: &Place<'_>,
) -> Result<Option<ValueData>, SwitchError> {
    let value = open(work, place.hive)?.hive.value_at(place.key, place.name);
    Ok(value.map(|value| ValueData {
        kind: value.kind,
        data: STANDARD.encode(value.data),
    }))
}

/// Makes a change of a value that is as it is said to be; the hive goes whole into the state folder first.
pub(super) fn carry_out(
    work: Switching<'_>,
    place: &Place<'_>,
    (before, after): (Option<&ValueData>, Option<&ValueData>),
) -> Result<(), SwitchError> {
    let OpenHive { folder, stat, hive } = open(work, place.hive)?;
    let value_of = |data: &ValueData| {
        Ok::<_, SwitchError>(HiveValue {
            name: place.name.to_owned(),
            kind: data.kind,
            data: decoded(place.hive, &data.data)?,
        })
    };
    let now = hive.value_at(place.key, place.name);
    let said = before.map(value_of).transpose()?;
    let is_as_said = match (&now, &said) {
        (None, None) => true,
        (Some(now), Some(said)) => now.kind == said.kind && now.data == said.data,
        _ => false,
    };
    let has_changed = || SwitchError::Changed {
        path: place.hive.clone(),
    };
    if !is_as_said {
        return Err(has_changed());
    }
    let key = place.key.to_owned();
    let change = match (now, after) {
        (_, Some(after)) => Change::SetValue {
            key,
            value: value_of(after)?,
        },
        (Some(value), None) => Change::RemoveValue { key, value },
        (None, None) => return Ok(()),
    };
    let stays = |why: String| SwitchError::Replace {
        path: place.hive.clone(),
        why,
    };
    keep_copy(work, place.hive, hive.as_bytes())
        .map_err(|error| stays(format!("it can't be copied first: {error}")))?;
    let time = filetime::ticks(work.now);
    let bytes = changed(hive, &[change], time).map_err(|error| stays(error.to_string()))?;
    let replaced = Replaced {
        disk: &**work.target.disk(),
        folder: &folder,
        name: place.hive.as_name(),
        seen: &stat,
        is_live: work.target.is_live,
    };
    replace(&replaced, &bytes, (work.run, 0)).map_err(|error| match error {
        ReplaceError::Changed => has_changed(),
        other => stays(other.to_string()),
    })
}

/// Copies of one hive that are kept: the first, and the newest of the others.
const MOST_COPIES: usize = 10;

/// Packs a hive into the state folder as it is before a change. When there are enough the oldest makes room, but for the
/// first: that is how the computer came.
fn keep_copy(work: Switching<'_>, path: &TargetPath, bytes: &[u8]) -> io::Result<()> {
    const LEVEL: i32 = 3;
    let folder = work.state.hives();
    StateFolder::make_private(&folder).map_err(io::Error::other)?;
    let computer = SheetId::of(work.target.identity().as_str());
    let place = blake3::hash(path.as_bytes()).to_hex();
    let name = String::from_utf8_lossy(path.name()).into_owned();
    let start = format!("{computer}-{}-{name}", place.get(..6).unwrap_or_default());
    let copies: Vec<PathBuf> = (0..MOST_COPIES)
        .map(|number| folder.join(format!("{start}-{number}.zst")))
        .collect();
    let free = copies.iter().find(|copy| !copy.exists());
    let written = |copy: &&PathBuf| copy.metadata().and_then(|known| known.modified()).ok();
    let oldest = || copies.iter().skip(1).min_by_key(written);
    let copy = free.or_else(oldest).ok_or(io::ErrorKind::NotFound)?;
    let mut file = tempfile::NamedTempFile::new_in(&folder)?;
    file.write_all(&zstd::encode_all(bytes, LEVEL)?)?;
    file.as_file().sync_all()?;
    file.persist(copy).map_err(|error| error.error)?;
    Ok(())
}
