//! Whether something is still the file that was looked at.

use jolly_disk::{FileKey, Kind, Stamp, Stat};

use crate::computer::EntryKind;

/// What must still be so when an item is about to go; of an entry, of the list that it is in.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub struct FileIdentity {
    /// Which file.
    pub key: FileKey,
    /// Its apparent length; not compared for folders.
    pub size: u64,
    /// Last modification; not compared for folders.
    pub modified: Stamp,
    /// Last change; not compared for folders, whose contents go before them.
    pub changed: Stamp,
    /// How many names it had.
    pub links: u32,
}

/// What may have changed of a file that is still the same.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub enum Tolerance {
    /// Nothing.
    Nothing,
    /// Its last change and its number of names, by so many of its names that this run itself has removed.
    OwnNames(u32),
    /// Its last change and its number of names: it was moved, read or stored by this run itself.
    LastChange,
    /// All that is in it: this run itself wrote over it.
    Contents,
}

impl FileIdentity {
    /// What a look shows of a file.
    pub fn of(stat: &Stat) -> Self {
        Self {
            key: stat.key,
            size: stat.size,
            modified: stat.modified,
            changed: stat.changed,
            links: stat.links,
        }
    }

    /// Whether a fresh look shows the same thing. Of a folder only which it is counts: what lies in it goes first, and
    /// changes the rest.
    pub fn matches(&self, kind: EntryKind, stat: &Stat, tolerance: Tolerance) -> bool {
        let is_kind = match kind {
            EntryKind::File | EntryKind::ListEntry => stat.kind == Kind::File,
            EntryKind::Link => stat.kind == Kind::Link,
            EntryKind::Folder => return stat.kind == Kind::Folder && stat.key == self.key,
        };
        is_kind && self.is_same(stat, tolerance)
    }

    /// The same of two looks at things of one kind that is no folder.
    pub fn is_same(&self, stat: &Stat, tolerance: Tolerance) -> bool {
        let is_as_it_was = stat.size == self.size && stat.modified == self.modified;
        let is_untouched = match tolerance {
            Tolerance::Nothing | Tolerance::OwnNames(0) => {
                is_as_it_was && stat.changed == self.changed
            }
            Tolerance::OwnNames(many) => {
                is_as_it_was && stat.links.checked_add(many) == Some(self.links)
            }
            Tolerance::LastChange => is_as_it_was,
            Tolerance::Contents => true,
        };
        stat.key == self.key && is_untouched
    }
}
