//! Copies of what is dearest in a browser profile, put into the dustpan before a row of it goes.

use std::collections::HashMap;
use std::ffi::{CStr, CString};
use std::io;

use jolly_disk::{Disk, Folder, Kind, Stat};

use crate::cancel::CancelToken;
use crate::computer::{EntryKind, Target, TargetPath};
use crate::dustpan::Writer;
use crate::plan::{FileIdentity, ItemOutcome, ManifestItem, StayReason};
use crate::rule::Removal;
use crate::source::holder::bookmarks::read_bookmarks;
use crate::state::RunId;
use crate::survey::{Profile, profile_of};

/// Makes the copies of one run.
pub(crate) struct ProfileCopier<'a> {
    target: &'a Target,
    run: &'a RunId,
    /// What became of those of each profile.
    done: HashMap<TargetPath, Result<(), ItemOutcome>>,
    /// The database that was asked about last, and the answer: its rows follow each other.
    last: Option<(TargetPath, Result<(), ItemOutcome>)>,
}

impl<'a> ProfileCopier<'a> {
    pub(crate) fn of(target: &'a Target, run: &'a RunId) -> Self {
        Self {
            target,
            run,
            done: HashMap::new(),
            last: None,
        }
    }

    /// Has the copies made of the profile that a row is of, if that has not been done.
    ///
    /// # Errors
    /// When they can't be made: then no row of that profile may go.
    pub(crate) fn make(
        &mut self,
        writer: &mut Writer<'_>,
        row: &ManifestItem,
        stop: &CancelToken,
    ) -> Result<(), ItemOutcome> {
        writer.check_open()?;
        let database = row.file();
        if let Some((last, made)) = &self.last
            && *last == *database
        {
            return made.clone();
        }
        let made = match profile_of(self.target, &database) {
            None => Ok(()),
            Some(profile) => {
                if let Some(made) = self.done.get(&profile.path) {
                    made.clone()
                } else {
                    let made = self.copy(writer, (&profile, row), stop);
                    self.done.insert(profile.path, made.clone());
                    made
                }
            }
        };
        self.last = Some((database.into_owned(), made.clone()));
        made
    }

    fn copy(
        &self,
        writer: &mut Writer<'_>,
        (profile, row): (&Profile, &ManifestItem),
        stop: &CancelToken,
    ) -> Result<(), ItemOutcome> {
        let disk = &**self.target.disk();
        let failed = |what: &str, why: &dyn std::fmt::Display| {
            ItemOutcome::stays(StayReason::NotCopied(format!("{what}: {why}")))
        };
        let folder = disk
            .open_folder(self.target.root(), profile.path.as_bytes())
            .map_err(|error| failed("its profile", &error))?;
        let copy_file = |writer: &mut Writer<'_>, name: &CStr, most: u64| {
            let Some(stat) = file_there(disk, &folder, name)? else {
                return Ok(());
            };
            if stat.size > most {
                return Err(ItemOutcome::stays(StayReason::TooLongToCopy));
            }
            let Some(item) = item_of(row, &profile.path, name, &stat) else {
                return Ok(());
            };
            writer.store_copy((disk, &folder), &item, &stat, stop)
        };
        for (name, most) in profile.copied() {
            let copied = if name == profile.bookmarks() {
                match read_bookmarks(disk, (&folder, name), profile.family) {
                    Ok(None) => Ok(()),
                    Ok(Some(bytes)) => {
                        self.write(writer, (disk, &folder), (profile, row), bytes, stop)
                    }
                    // What can't be taken apart is copied whole.
                    Err(_unread) => copy_file(writer, name, most),
                }
            } else {
                copy_file(writer, name, most)
            };
            copied.map_err(|outcome| failed(&name.to_string_lossy(), &why(&outcome)))?;
        }
        Ok(())
    }

    /// Stores bookmarks as the file that browsers read in, with the owner and mode of those that were read.
    fn write(
        &self,
        writer: &mut Writer<'_>,
        (disk, folder): (&dyn Disk, &Folder),
        (profile, row): (&Profile, &ManifestItem),
        bytes: Vec<u8>,
        stop: &CancelToken,
    ) -> Result<(), ItemOutcome> {
        let stat = disk.stat(folder, profile.bookmarks());
        let stat = stat.map_err(|error| ItemOutcome::of_error(&error, "look at"))?;
        let file = CString::new(format!("bookmarks-{}.html", self.run)).unwrap_or_default();
        match item_of(row, &profile.path, &file, &stat) {
            Some(item) => writer.store_written_copy(&item, &stat, bytes, stop),
            None => Ok(()),
        }
    }
}

fn why(outcome: &ItemOutcome) -> String {
    let reason = outcome.reason.as_ref();
    reason.map_or_else(String::new, ToString::to_string)
}

/// A file of a profile, if one is there; a link is none, for it leads elsewhere.
fn file_there(disk: &dyn Disk, folder: &Folder, name: &CStr) -> Result<Option<Stat>, ItemOutcome> {
    match disk.stat(folder, name) {
        Ok(stat) => Ok((stat.kind == Kind::File).then_some(stat)),
        Err(error) if error.kind() == io::ErrorKind::NotFound => Ok(None),
        Err(error) => Err(ItemOutcome::of_error(&error, "look at")),
    }
}

/// What a dustpan notes of a copy: whose it is, and where it lay.
fn item_of(
    row: &ManifestItem,
    profile: &TargetPath,
    name: &CStr,
    stat: &Stat,
) -> Option<ManifestItem> {
    Some(ManifestItem {
        path: profile.join(name.to_bytes()).ok()?,
        kind: EntryKind::File,
        entry: None,
        by: Removal::SetAside,
        bytes: 0,
        held: stat.allocated,
        size: stat.size,
        identity: FileIdentity::of(stat),
        after: None,
        unit: None,
        ..row.clone()
    })
}
