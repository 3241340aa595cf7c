//! The open trash specification (freedesktop.org, version 1.0): dates and original places.

use std::collections::HashMap;
use std::io::Read as _;
use std::ops::ControlFlow;

use jiff::civil::DateTime;
use jiff::tz::TimeZone;
use jolly_disk::{Disk, Folder};

use crate::target::{Target, TargetPath};

/// The most that is read of one `.trashinfo`; a path is no longer than 4 KiB, percent-encoded
/// three times that.
const MOST_INFO: u64 = 16 * 1024;

/// What a trash says of its contents: for each name in `files`, when it was thrown away.
#[derive(Clone, Debug, Default)]
pub(super) struct TrashDates {
    dates: HashMap<Vec<u8>, i64>,
}

impl TrashDates {
    /// Reads every `.trashinfo` of the trash in `root`; what doesn't read has no date.
    pub(super) fn read(disk: &dyn Disk, target: &Folder, root: &TargetPath) -> Self {
        let mut dates = HashMap::new();
        let info = root.join(b"info").ok();
        let folder = info.and_then(|path| disk.open_folder(target, path.as_bytes()).ok());
        let Some(folder) = folder else {
            return Self { dates };
        };
        let listed = disk.list(&folder, &mut |entry| {
            if let Some(name) = entry.name.to_bytes().strip_suffix(b".trashinfo")
                && let Ok(file) = disk.open_file(&folder, entry.name)
            {
                let mut text = Vec::new();
                if file.take(MOST_INFO).read_to_end(&mut text).is_ok()
                    && let Some(date) = deletion_date(&text)
                {
                    dates.insert(name.to_vec(), date);
                }
            }
            ControlFlow::Continue(())
        });
        // What a failed listing didn't tell has no date, and stays.
        drop(listed);
        Self { dates }
    }

    /// When the thing was thrown away that a path below the trash belongs to.
    pub(super) fn of(&self, below: &[u8]) -> Option<i64> {
        let name = match below.strip_prefix(b"info/") {
            Some(name) => name.strip_suffix(b".trashinfo")?,
            None => below
                .strip_prefix(b"files/")?
                .split(|byte| *byte == b'/')
                .next()?,
        };
        self.dates.get(name).copied()
    }
}

/// What an info file of the trash in `root` describes.
pub(super) fn described(root: &TargetPath, path: &TargetPath) -> Option<TargetPath> {
    let name = path
        .below(root)?
        .strip_prefix(b"info/")?
        .strip_suffix(b".trashinfo")?;
    root.join(&[b"files/", name].concat()).ok()
}

/// When what a path below a trash belongs to was thrown away, in seconds since 1970; `below` is
/// the path below `trash`.
pub fn trash_date(target: &Target, trash: &TargetPath, below: &[u8]) -> Option<i64> {
    TrashDates::read(&**target.disk(), target.root(), trash).of(below)
}

/// The date in a `.trashinfo`, in seconds since 1970. The specification writes it in local time.
fn deletion_date(text: &[u8]) -> Option<i64> {
    let mut lines = text.split(|byte| *byte == b'\n').map(<[u8]>::trim_ascii);
    lines
        .find(|line| !line.is_empty())
        .filter(|line| *line == b"[Trash Info]")?;
    let date = lines.find_map(|line| line.strip_prefix(b"DeletionDate="))?;
    let date: DateTime = std::str::from_utf8(date).ok()?.trim().parse().ok()?;
    Some(
        date.to_zoned(TimeZone::system())
            .ok()?
            .timestamp()
            .as_second(),
    )
}

#[cfg(test)]
mod tests {
    use super::*;
    use proptest::prelude::*;

    proptest! {
        #[test]
        fn prop_arbitrary_bytes_are_no_panic_and_no_date(bytes in proptest::collection::vec(any::<u8>(), 0..80)) {
            prop_assert_eq!(deletion_date(&bytes), None);
        }
    }

    #[test]
    fn only_a_whole_info_file_has_a_date() {
        let with = |date: &str| deletion_date(format!("[Trash Info]\nPath=a\n{date}\n").as_bytes());
        assert!(with("DeletionDate=2026-05-01T10:00:00").is_some());
        assert_eq!(with("DeletionDate=2026-13-01T10:00:00"), None);
        assert_eq!(with("DeletionDate="), None);
        assert_eq!(
            deletion_date(b"Path=a\nDeletionDate=2026-05-01T10:00:00\n"),
            None
        );
    }
}
