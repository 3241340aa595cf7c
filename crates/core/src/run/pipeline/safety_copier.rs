//! Copies that are put into the dustpan first: of what is dearest in a browser profile before a row of it goes, and of a
//! whole registry hive or list of settings before anything in it does.

use std::collections::HashMap;
use std::ffi::{CStr, CString};
use std::io::{self, Read as _};

use jolly_disk::{Disk, Folder, Kind, Stat};

use crate::cancel::CancelToken;
use crate::computer::{EntryKind, Target, TargetPath};
use crate::dustpan::Writer;
use crate::format::windows::hive;
use crate::plan::{FileIdentity, ItemOutcome, ManifestItem, StayReason};
use crate::rule::Removal;
use crate::source::holder::bookmarks::read_bookmarks;
use crate::source::holder::registry::logs_beside;
use crate::state::RunId;
use crate::survey::{Profile, profile_of};

/// Makes the copies of one run.
pub(crate) struct SafetyCopier<'a> {
    target: &'a Target,
    run: &'a RunId,
    /// What became of those of each profile and each holder.
    done: HashMap<TargetPath, Result<(), ItemOutcome>>,
    /// The holder that was asked about last, and the answer: its items follow each other.
    last: Option<(TargetPath, Result<(), ItemOutcome>)>,
}

impl<'a> SafetyCopier<'a> {
    pub(crate) fn of(target: &'a Target, run: &'a RunId) -> Self {
        Self {
            target,
            run,
            done: HashMap::new(),
            last: None,
        }
    }

    /// Has the copies made that an item needs, if that has not been done.
    ///
    /// # Errors
    /// When they can't be made: then nothing of that profile or holder may go.
    pub(crate) fn make(
        &mut self,
        writer: &mut Writer<'_>,
        item: &ManifestItem,
        stop: &CancelToken,
    ) -> Result<(), ItemOutcome> {
        writer.check_open()?;
        let holder = item.file();
        if let Some((last, made)) = &self.last
            && *last == *holder
        {
            return made.clone();
        }
        let profile = item.is_row().then(|| profile_of(self.target, &holder));
        let made = match profile {
            // A row of no profile.
            Some(None) => Ok(()),
            Some(Some(profile)) => {
                if let Some(made) = self.done.get(&profile.path) {
                    made.clone()
                } else {
                    let made = self.copy(writer, (&profile, item), stop);
                    self.done.insert(profile.path, made.clone());
                    made
                }
            }
            None => {
                if let Some(made) = self.done.get(&*holder) {
                    made.clone()
                } else {
                    let made = self.copy_whole(writer, (&holder, item), stop);
                    self.done.insert(holder.clone().into_owned(), made.clone());
                    made
                }
            }
        };
        self.last = Some((holder.into_owned(), made.clone()));
        made
    }

    /// Copies a holder as it is, a hive with what its system wrote beside it and not yet into it.
    fn copy_whole(
        &self,
        writer: &mut Writer<'_>,
        (holder, item): (&TargetPath, &ManifestItem),
        stop: &CancelToken,
    ) -> Result<(), ItemOutcome> {
        let disk = &**self.target.disk();
        let failed = |why: &dyn std::fmt::Display| {
            ItemOutcome::stays(StayReason::NotCopied(format!("{holder}: {why}")))
        };
        let holding = holder.parent().unwrap_or_default();
        let folder = disk
            .open_folder(self.target.root(), holding.as_bytes())
            .map_err(|error| failed(&error))?;
        let logs = if item.is_of_registry() {
            let head = read_head(disk, &folder, holder.as_name());
            let logs = head.and_then(|head| logs_beside(disk, &folder, holder.name(), &head));
            logs.map_err(|error| failed(&error))?
        } else {
            Vec::new()
        };
        for name in std::iter::once(holder.as_name().to_owned()).chain(logs) {
            let Some(stat) = file_there(disk, &folder, &name)? else {
                return Err(failed(&"it is no file any more"));
            };
            if stat.size > hive::MOST {
                return Err(ItemOutcome::stays(StayReason::TooLongToCopy));
            }
            // What goes out of the holder lies below its own name, in an archive that anybody can unpack.
            let (stem, ending) = name
                .to_bytes()
                .split_at(holder.name().len().min(name.count_bytes()));
            let beside = [stem, format!("-{}", self.run).as_bytes(), ending].concat();
            let beside = CString::new(beside).unwrap_or_default();
            if let Some(copy) = item_of(item, &holding, &beside, &stat) {
                let place = (disk, &folder, &*name);
                let copied = writer.store_copy(place, &copy, &stat, stop);
                copied.map_err(|outcome| failed(&why(&outcome)))?;
            }
        }
        Ok(())
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
            writer.store_copy((disk, &folder, name), &item, &stat, stop)
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

/// The first block of a hive, which says whether it is finished.
fn read_head(disk: &dyn Disk, folder: &Folder, name: &CStr) -> io::Result<Vec<u8>> {
    const BLOCK: u64 = 4096;
    let mut head = Vec::new();
    let file = disk.open_file(folder, name)?;
    file.take(BLOCK).read_to_end(&mut head)?;
    Ok(head)
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
