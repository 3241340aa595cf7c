//! Trashes: since when something lies in one, and where it lay before.
//!
//! The open trash specification (freedesktop.org, version 1.0) keeps an info file for each thing;
//! a Windows recycle folder an index file `$I…` beside each `$R…`. A macOS trash notes where a
//! thing lay in its folder's own record and keeps no date; moving a thing there is the last change
//! of what the volume keeps about it, and that time counts.

mod together;

use std::collections::HashMap;
use std::io::Read as _;
use std::ops::ControlFlow;

use jiff::civil::DateTime;
use jiff::tz::TimeZone;

use crate::computer::{Layout, Target, TargetPath, fold};
use crate::format::{RECYCLED_MOST, Recycled};
use crate::source::recognise::{shown, shown_windows, thumbnail};

pub use together::together;

/// The most that is read of one `.trashinfo`; a path is no longer than 4 KiB, percent-encoded
/// three times that.
const MOST_INFO: u64 = 16 * 1024;

/// The most that is read of a folder's own record.
const MOST_RECORD: u64 = 4 * 1024 * 1024;

/// What a trash says of one thing in it.
#[derive(Clone, Debug, PartialEq, Eq)]
struct TrashNote {
    time: i64,
    original: Option<String>,
}

/// What a trash says of its contents, by the name that leads to each note.
#[derive(Clone, Debug, Default)]
pub(crate) struct TrashDates {
    layout: Layout,
    notes: HashMap<Vec<u8>, TrashNote>,
    unread: u64,
}

impl TrashDates {
    /// Reads the trash in `root`; what doesn't read has no date.
    pub(crate) fn read(target: &Target, root: &TargetPath) -> Self {
        let mut dates = Self {
            layout: target.layout,
            ..Self::default()
        };
        match target.layout {
            Layout::Linux => {
                if let Ok(info) = root.join(b"info") {
                    dates.read_each(target, &info, MOST_INFO, |name, bytes| {
                        let key = name.strip_suffix(b".trashinfo")?;
                        Some((key.to_vec(), info_file(bytes)))
                    });
                }
            }
            Layout::Windows => dates.read_each(target, root, RECYCLED_MOST, |name, bytes| {
                let key = index_of(name)?;
                let note = Recycled::read(bytes).map(|recycled| TrashNote {
                    time: recycled.time,
                    original: Some(shown_windows(&recycled.original)),
                });
                Some((key, note))
            }),
            Layout::Macos => dates.read_changes(target, root),
        }
        dates
    }

    /// Reads every info file of a folder; `each` says for which thing it stands, and what it says.
    fn read_each(
        &mut self,
        target: &Target,
        path: &TargetPath,
        most: u64,
        each: impl Fn(&[u8], &[u8]) -> Option<(Vec<u8>, Option<TrashNote>)>,
    ) {
        let disk = target.disk();
        let Ok(folder) = disk.open_folder(target.root(), path.as_bytes()) else {
            return;
        };
        let listed = disk.list(&folder, &mut |entry| {
            let name = entry.name.to_bytes();
            // Asked once without its contents, so that only info files are opened.
            if each(name, b"").is_none() {
                return ControlFlow::Continue(());
            }
            let mut bytes = Vec::new();
            let read = disk
                .open_file(&folder, entry.name)
                .and_then(|file| file.take(most).read_to_end(&mut bytes));
            match (read, each(name, &bytes)) {
                (Ok(_), Some((key, Some(note)))) => {
                    self.notes.insert(key, note);
                }
                _ => self.unread += 1,
            }
            ControlFlow::Continue(())
        });
        // What a failed listing didn't tell has no date, and stays.
        drop(listed);
    }

    /// Reads a macOS trash.
    fn read_changes(&mut self, target: &Target, path: &TargetPath) {
        let disk = target.disk();
        let Ok(folder) = disk.open_folder(target.root(), path.as_bytes()) else {
            return;
        };
        let mut record = Vec::new();
        let read = disk
            .open_file(&folder, c".DS_Store")
            .and_then(|file| file.take(MOST_RECORD).read_to_end(&mut record));
        let mut places = read.map(|_| put_back(&record)).unwrap_or_default();
        let listed = disk.list(&folder, &mut |entry| {
            if let Ok(stat) = disk.stat(&folder, entry.name) {
                let name = entry.name.to_bytes().to_vec();
                let original = places.remove(&name);
                let time = stat.changed.seconds;
                self.notes.insert(name, TrashNote { time, original });
            }
            ControlFlow::Continue(())
        });
        drop(listed);
    }

    fn note(&self, below: &[u8]) -> Option<&TrashNote> {
        let first = below.split(|byte| *byte == b'/').next()?;
        match self.layout {
            Layout::Linux => {
                let name = match below.strip_prefix(b"info/") {
                    Some(name) => name.strip_suffix(b".trashinfo")?,
                    None => below
                        .strip_prefix(b"files/")?
                        .split(|byte| *byte == b'/')
                        .next()?,
                };
                self.notes.get(name)
            }
            Layout::Windows => self.notes.get(&fold(first.get(2..)?)),
            Layout::Macos => self.notes.get(first),
        }
    }

    /// When the thing was thrown away that a path below the trash belongs to.
    pub(crate) fn of(&self, below: &[u8]) -> Option<i64> {
        Some(self.note(below)?.time)
    }

    /// Where it lay before.
    pub(crate) fn original(&self, below: &[u8]) -> Option<String> {
        self.note(below)?.original.clone()
    }

    /// How many info files could not be read.
    pub(crate) fn unread(&self) -> u64 {
        self.unread
    }
}

/// What a trash notes of its things, for whoever looks inside.
pub struct TrashNotes(TrashDates);

impl TrashNotes {
    /// Reads the trash in `root`; what doesn't read is not noted.
    pub fn read(target: &Target, root: &TargetPath) -> Self {
        Self(TrashDates::read(target, root))
    }

    /// Whether a path below the trash is a whole thing that was thrown away.
    pub fn is_thing(&self, below: &[u8]) -> bool {
        let name = match self.0.layout {
            Layout::Linux => below.strip_prefix(b"files/"),
            Layout::Windows => Some(below).filter(|below| index_of(below).is_none()),
            Layout::Macos => Some(below),
        };
        name.is_some_and(|name| !name.is_empty() && !name.contains(&b'/'))
    }

    /// When the thing was thrown away, seconds since 1970, and where it lay before.
    pub fn of(&self, below: &[u8]) -> Option<(i64, Option<String>)> {
        let note = self.0.note(below)?;
        Some((note.time, note.original.clone()))
    }
}

/// Since when the oldest thing has lain in the trash in `root`, seconds since 1970.
pub fn oldest_in_trash(target: &Target, root: &TargetPath) -> Option<i64> {
    let dates = TrashDates::read(target, root);
    dates.notes.values().map(|note| note.time).min()
}

/// The key of a recycle folder's index file: what follows `$I`, in small letters.
fn index_of(name: &[u8]) -> Option<Vec<u8>> {
    let is_index = name.get(..2)?.eq_ignore_ascii_case(b"$i");
    is_index.then(|| fold(name.get(2..).unwrap_or_default()))
}

/// What an info or index file of the trash in `root` describes.
pub fn described(layout: Layout, root: &TargetPath, path: &TargetPath) -> Option<TargetPath> {
    let below = path.below(root)?;
    match layout {
        Layout::Linux => {
            let name = below.strip_prefix(b"info/")?.strip_suffix(b".trashinfo")?;
            root.join(&[b"files/", name].concat()).ok()
        }
        Layout::Windows => {
            index_of(below)?;
            root.join(&[b"$R", below.get(2..)?].concat()).ok()
        }
        Layout::Macos => None,
    }
}

/// What a `.trashinfo` says. The specification writes its date in local time.
fn info_file(text: &[u8]) -> Option<TrashNote> {
    let lines = || text.split(|byte| *byte == b'\n').map(<[u8]>::trim_ascii);
    lines()
        .find(|line| !line.is_empty())
        .filter(|line| *line == b"[Trash Info]")?;
    let value = |key: &[u8]| lines().find_map(|line| line.strip_prefix(key));
    let date = std::str::from_utf8(value(b"DeletionDate=")?).ok()?;
    let date: DateTime = date.trim().parse().ok()?;
    let moment = date.to_zoned(TimeZone::system()).ok()?;
    // Percent signs are resolved as in an address; a path that isn't one is shown as it stands.
    let original = value(b"Path=").map(|path| {
        let address = format!("file:///{}", String::from_utf8_lossy(path));
        match thumbnail::local_path(&address) {
            Some(resolved) => shown(resolved.get(1..).unwrap_or_default()),
            None => shown(path),
        }
    });
    Some(TrashNote {
        time: moment.timestamp().as_second(),
        original,
    })
}

/// Where the things of a macOS trash lay, by name, out of the folder's own record: each note is a
/// name (its length in UTF-16 units and the units, big-endian), `ptbLustr`, and a path likewise.
fn put_back(record: &[u8]) -> HashMap<Vec<u8>, String> {
    const MARK: &[u8] = b"ptbLustr";
    // No path is longer, in units.
    const LONGEST: usize = 4096;
    let units_at = |at: usize| -> Option<usize> {
        let field = record.get(at..at.checked_add(4)?)?;
        usize::try_from(u32::from_be_bytes(field.try_into().ok()?)).ok()
    };
    let text_at = |at: usize| -> Option<(String, usize)> {
        let length = units_at(at)
            .filter(|units| *units <= LONGEST)?
            .checked_mul(2)?;
        let end = at.checked_add(4)?.checked_add(length)?;
        let bytes = record.get(at + 4..end)?;
        let units: Vec<u16> = bytes
            .chunks_exact(2)
            .map(|pair| u16::from_be_bytes([pair[0], pair[1]]))
            .collect();
        Some((String::from_utf16(&units).ok()?, end))
    };
    let mut places = HashMap::new();
    let marks = record.windows(MARK.len()).enumerate();
    for (at, _) in marks.filter(|(_, window)| *window == MARK) {
        // The name ends where the mark begins; its length stands before it.
        let name = (1..=255_usize).find_map(|units| {
            let start = at.checked_sub(units * 2 + 4)?;
            (units_at(start)? == units).then(|| text_at(start))?
        });
        if let (Some((name, _)), Some((place, _))) = (name, text_at(at + MARK.len())) {
            places.insert(name.into_bytes(), shown(place.as_bytes()));
        }
    }
    places
}

#[cfg(test)]
mod tests {
    use super::*;
    use proptest::prelude::*;

    proptest! {
        #[test]
        fn prop_arbitrary_bytes_are_no_panic_and_no_date(bytes in proptest::collection::vec(any::<u8>(), 0..80)) {
            prop_assert_eq!(info_file(&bytes), None);
            let marked = [&bytes[..], b"ptbLustr", &bytes].concat();
            prop_assert!(put_back(&marked).len() <= 2);
        }
    }

    #[test]
    fn only_a_whole_info_file_has_a_date() {
        let with =
            |date: &str| info_file(format!("[Trash Info]\nPath=/a/b%20c\n{date}\n").as_bytes());
        let note = with("DeletionDate=2026-05-01T10:00:00").unwrap();
        assert_eq!(note.original.as_deref(), Some("/a/b c"));
        assert_eq!(with("DeletionDate=2026-13-01T10:00:00"), None);
        assert_eq!(with("DeletionDate="), None);
        assert_eq!(
            info_file(b"Path=a\nDeletionDate=2026-05-01T10:00:00\n"),
            None
        );
    }

    #[test]
    fn the_original_place_is_read_out_of_a_folders_record() {
        let text = |text: &str| {
            let units: Vec<u8> = text.encode_utf16().flat_map(u16::to_be_bytes).collect();
            [
                &u32::try_from(units.len() / 2).unwrap().to_be_bytes()[..],
                &units,
            ]
            .concat()
        };
        let record = [
            &b"Bud1...."[..],
            &text("old.mov"),
            b"ptbLustr",
            &text("Users/pia/Desktop/"),
        ]
        .concat();
        let places = put_back(&record);
        assert_eq!(
            places.get(&b"old.mov"[..]).map(String::as_str),
            Some("Users/pia/Desktop/")
        );
        for cut in 0..record.len() {
            assert!(put_back(&record[..cut]).is_empty(), "cut at {cut}");
        }
    }

    proptest::proptest! {
        #![proptest_config(crate::fuzz::config())]

        #[test]
        fn fuzz_trash_notes(bytes in crate::fuzz::foreign(&[
            b"[Trash Info]\nPath=/home/ada/a%20b\nDeletionDate=2026-01-01T00:00:00\n",
            b"\0\0\0\x02\0a\0bptbLustr\0\0\0\x03\0x\0/\0y",
        ])) {
            let places = put_back(&bytes);
            proptest::prop_assert!(places.len() <= bytes.len() / 8);
            drop(info_file(&bytes));
        }
    }
}
