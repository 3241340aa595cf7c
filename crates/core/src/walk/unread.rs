//! What a scan could not read.

use std::collections::BTreeMap;
use std::io;

use jolly_disk::FileKey;

/// A place that was not, or only partly, read.
#[derive(Clone, Debug, PartialEq, Eq)]
pub struct Unread {
    /// The place, made harmless.
    pub place: String,
    /// Why, in words.
    pub reason: String,
    /// How many folders or entries this holds for.
    pub count: u64,
}

/// Gathers what could not be read, counted by place and reason.
#[derive(Default)]
pub(crate) struct Gatherer(BTreeMap<(String, String), u64>);

impl Gatherer {
    pub(crate) fn add(&mut self, place: String, reason: &str, count: u64) {
        *self.0.entry((place, reason.to_owned())).or_default() += count;
    }

    pub(crate) fn extend(&mut self, other: Self) {
        for (about, count) in other.0 {
            *self.0.entry(about).or_default() += count;
        }
    }

    pub(crate) fn into_list(self) -> Vec<Unread> {
        self.0
            .into_iter()
            .map(|((place, reason), count)| Unread {
                place,
                reason,
                count,
            })
            .collect()
    }
}

/// The inode that the topmost folder of a Btrfs subvolume has.
const SUBVOLUME: u64 = 256;

/// Why a folder on another device than the one that it lies in is not read.
pub(crate) fn apart(key: FileKey) -> &'static str {
    if key.inode == SUBVOLUME {
        "a part of the volume apart, such as a snapshot"
    } else {
        "another volume"
    }
}

/// A kernel's refusal in words that say what to do about it, where something can be done.
pub(crate) fn reason(error: &io::Error) -> String {
    // The kernel's ELOOP has no stable name in the standard library yet.
    if error.raw_os_error() == Some(40) {
        return "a link, and links are not followed".to_owned();
    }
    match error.kind() {
        io::ErrorKind::PermissionDenied => "needs the administrator".to_owned(),
        io::ErrorKind::CrossesDevices => "another volume is mounted here".to_owned(),
        io::ErrorKind::NotFound => "vanished while it was walked".to_owned(),
        io::ErrorKind::NotADirectory => "a link or a file, not a folder".to_owned(),
        _ => format!("the disk says: {error}"),
    }
}
