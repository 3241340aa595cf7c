//! Folders that are somebody's own: documents, pictures, music, videos, the desktop.

use std::collections::HashSet;

use crate::computer::layout::fold;
use crate::computer::{Layout, TargetPath};

/// The folders of a target that are somebody's own.
///
/// Where it isn't known which folders of a home these are, the home is closed: every folder of it that
/// isn't hidden counts as one.
#[derive(Clone, Debug, Default, PartialEq, Eq)]
pub struct Personal {
    layout: Layout,
    folders: HashSet<Box<[u8]>>,
    closed: HashSet<Box<[u8]>>,
    /// No folder of somebody's own has a longer path, in bytes.
    longest: usize,
}

/// The longest that a name can be, in bytes (pathname(7)), with a slash before it.
const NAME: usize = 256;

/// Folders of a Windows home that hold what programs keep and that nobody sees (its known folders, in
/// small letters).
const HIDDEN_ON_WINDOWS: [&[u8]; 3] = [b"appdata", b"application data", b"local settings"];

impl Personal {
    /// None yet, on a target of this layout.
    pub fn of_layout(layout: Layout) -> Self {
        Self {
            layout,
            ..Self::default()
        }
    }

    /// Adds a folder that is somebody's own.
    pub fn add(&mut self, folder: &TargetPath) {
        self.longest = self.longest.max(folder.as_bytes().len());
        self.folders.insert(folder.as_bytes().into());
    }

    /// Closes a home of which it isn't known where its owner keeps things.
    pub fn close(&mut self, home: &TargetPath) {
        self.longest = self.longest.max(home.as_bytes().len() + NAME);
        self.closed.insert(home.as_bytes().into());
    }

    /// Whether a home is closed.
    pub fn is_closed(&self, home: &TargetPath) -> bool {
        self.closed.contains(home.as_bytes())
    }

    /// Whether a folder is one of them itself.
    pub(crate) fn has(&self, folder: &[u8]) -> bool {
        self.folders.contains(folder) || self.is_of_closed(folder)
    }

    /// Whether a folder is one only because its home is closed.
    fn is_of_closed(&self, folder: &[u8]) -> bool {
        let cut = folder.iter().rposition(|byte| *byte == b'/').unwrap_or(0);
        let (Some(home), Some(name)) = (folder.get(..cut), folder.get(cut + 1..)) else {
            return false;
        };
        !self.closed.is_empty() && self.closed.contains(home) && self.is_seen(name)
    }

    /// Whether the owner of a home sees a folder of it.
    fn is_seen(&self, name: &[u8]) -> bool {
        match self.layout {
            Layout::Windows => {
                !name.starts_with(b".") && !HIDDEN_ON_WINDOWS.contains(&fold(name).as_slice())
            }
            Layout::Macos => !name.starts_with(b".") && !name.eq_ignore_ascii_case(b"library"),
            Layout::Linux => !name.starts_with(b"."),
        }
    }

    /// Those that a path is, or lies in, as paths, from the root down; each with whether it is one only
    /// because its home is closed.
    pub(crate) fn over<'a>(
        &'a self,
        path: &'a TargetPath,
    ) -> impl Iterator<Item = (&'a [u8], bool)> + 'a {
        let bytes = path.as_bytes();
        let slashes = bytes.iter().enumerate().filter(|(_, byte)| **byte == b'/');
        let ends = slashes.map(|(at, _)| at).chain([bytes.len()]);
        let ends = ends.take_while(move |end| *end <= self.longest);
        ends.filter_map(move |end| {
            let folder = bytes.get(..end)?;
            if self.folders.contains(folder) {
                return Some((folder, false));
            }
            self.is_of_closed(folder).then_some((folder, true))
        })
    }

    /// Those that are known by name.
    pub(crate) fn folders(&self) -> impl Iterator<Item = &[u8]> {
        self.folders.iter().map(|folder| &**folder)
    }

    /// The closed homes.
    pub(crate) fn closed(&self) -> impl Iterator<Item = &[u8]> {
        self.closed.iter().map(|home| &**home)
    }
}
