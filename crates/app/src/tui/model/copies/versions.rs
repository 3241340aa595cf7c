//! The lists of what is there in several versions.

use jolly_core::survey::{Version, VersionFacts, VersionGroup};

use crate::tui::model::copies::{CopiesView, CopyList, CopyRow, MOST};

impl CopiesView {
    /// What the list holds; nothing of files that are the same.
    pub(in crate::tui) fn groups(&self) -> &[VersionGroup] {
        let versions = self.versions.as_deref();
        versions.map_or(&[], |versions| match self.list {
            CopyList::Same => &[],
            CopyList::Recordings => &versions.recordings,
            CopyList::Pictures => &versions.pictures,
        })
    }

    /// One version of what is in the list.
    pub(in crate::tui) fn version(&self, group: usize, at: usize) -> Option<&Version> {
        self.groups().get(group)?.versions.get(at)
    }

    /// The group in focus, or whose version is, with that one.
    pub(in crate::tui) fn focused_versions(&self) -> Option<(usize, Option<usize>)> {
        match *self.rows.get(self.focus)? {
            CopyRow::Versions(group) => Some((group, None)),
            CopyRow::Version(group, at) => Some((group, Some(at))),
            _ => None,
        }
    }

    /// How many files the look for what is listed could not read.
    pub(in crate::tui) fn unread(&self) -> u64 {
        let unread = match self.list {
            CopyList::Same => self.known.as_ref().map(|known| &known.copies.unread),
            _ => self.versions.as_ref().map(|versions| &versions.unread),
        };
        unread.map_or(0, |places| places.iter().map(|place| place.count).sum())
    }

    pub(super) fn arrange_versions(&mut self) {
        let groups = self.groups().iter().enumerate().take(MOST);
        let mut rows = Vec::new();
        for (number, group) in groups {
            let row = CopyRow::Versions(number);
            rows.push(row);
            if self.opened.contains(&row) {
                let all = 0..group.versions.len().min(MOST);
                rows.extend(all.map(|at| CopyRow::Version(number, at)));
            }
        }
        self.rows = rows;
        let spare = self.groups().iter().map(VersionGroup::spare);
        self.spare = spare.fold(0, u64::saturating_add);
    }

    /// What a group is called: of a recording its title and who plays it, of a picture when it was taken and with what.
    pub(in crate::tui) fn name_of_versions(&self, group: usize) -> String {
        let first = self.version(group, 0);
        first.map_or_else(String::new, |version| match &version.facts {
            VersionFacts::Recording(of) => format!("{}, {}", of.title, of.artist),
            VersionFacts::Picture(of) => format!("{}, {}", of.taken, of.camera),
        })
    }
}
