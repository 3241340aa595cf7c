//! Putting one thing back where it was.

mod entries;

use std::collections::{BTreeMap, HashMap};
use std::ffi::{CStr, CString};
use std::fs::File;
use std::io::{self, Read};
use std::os::fd::AsFd as _;
use std::os::unix::fs::FileExt as _;

use jolly_disk::{Disk, FileKey, Folder, Kind, Metadata, NotApplied, Piece, Stat};

use crate::cancel::CancelToken;
use crate::computer::{Target, TargetPath};
use crate::dustpan::entry::bytes::{PIECE, each_piece, pieces_of, write_bytes};
use crate::dustpan::entry::{ArchiveEntry, Body};
use crate::dustpan::put_back::entries::GatheredEntries;
use crate::dustpan::staging::{PART, Staging, is_empty, is_ours, is_own_file, own_name};
use crate::dustpan::{PanItem, RestoreOutcome};
use crate::state::RunId;

/// A folder that was made on the way.
///
/// # Invariants
/// Until it has got its traits it holds a mark: a restore that dies is known by it when it is run again.
struct Made {
    /// Which one: somebody else may put another in its place meanwhile.
    key: FileKey,
    /// What it had; for one that the dustpan doesn't hold, the owner of what is in it.
    metadata: Metadata,
    /// Its number in the dustpan, when that holds it.
    number: Option<usize>,
}

/// Puts things back on one target.
pub(crate) struct PutBack<'a> {
    target: &'a Target,
    run: &'a RunId,
    cancel: &'a CancelToken,
    made: BTreeMap<TargetPath, Made>,
    /// Folders of the runner's alone that were empty before something came into them: a restore may have died
    /// before it could leave its mark there.
    bare: HashMap<TargetPath, FileKey>,
    /// The name of the mark in a folder that was made.
    mark: CString,
    /// Entries that wait to go back, by their list.
    entries: BTreeMap<TargetPath, GatheredEntries>,
}

/// What the kernel's refusal means for something that was to come back.
fn refused(error: &io::Error) -> RestoreOutcome {
    match error.kind() {
        io::ErrorKind::AlreadyExists => RestoreOutcome::Exists,
        io::ErrorKind::PermissionDenied => {
            RestoreOutcome::Denied("the system doesn't let us".to_owned())
        }
        io::ErrorKind::ReadOnlyFilesystem => {
            RestoreOutcome::Denied("the volume is read-only".to_owned())
        }
        io::ErrorKind::StorageFull | io::ErrorKind::QuotaExceeded => {
            RestoreOutcome::Failed("the volume is full".to_owned())
        }
        io::ErrorKind::NotADirectory => {
            RestoreOutcome::Failed("something that is no folder stands on its way".to_owned())
        }
        _ if error.raw_os_error() == Some(40) => {
            RestoreOutcome::Failed("a link stands on its way".to_owned())
        }
        _ => RestoreOutcome::Failed(error.to_string()),
    }
}

fn missing(not_applied: &[NotApplied]) -> Option<String> {
    let words = not_applied.iter().map(|missing| {
        format!(
            "{} could not be given back: {}",
            missing.what, missing.error
        )
    });
    let words: Vec<String> = words.collect();
    (!words.is_empty()).then(|| words.join("; "))
}

/// What a file comes back without.
fn lacking(not_applied: &[NotApplied], item: &PanItem) -> Option<String> {
    let names = (item.names > 1).then(|| {
        format!(
            "it had {} names, and comes back as a file of its own",
            item.names
        )
    });
    let words: Vec<String> = missing(not_applied).into_iter().chain(names).collect();
    (!words.is_empty()).then(|| words.join("; "))
}

impl<'a> PutBack<'a> {
    pub(crate) fn new(target: &'a Target, run: &'a RunId, cancel: &'a CancelToken) -> Self {
        Self {
            target,
            run,
            cancel,
            made: BTreeMap::new(),
            bare: HashMap::new(),
            mark: own_name(run, "folder"),
            entries: BTreeMap::new(),
        }
    }

    fn disk(&self) -> &'a dyn Disk {
        &**self.target.disk()
    }

    /// Puts one thing back.
    ///
    /// # Errors
    /// When its bytes can't be read: the dustpan is damaged.
    pub(crate) fn put(
        &mut self,
        entry: &ArchiveEntry,
        item: &PanItem,
        number: usize,
        bytes: &mut dyn Read,
    ) -> io::Result<RestoreOutcome> {
        if entry.path != item.path.as_bytes() {
            return Err(io::Error::from(io::ErrorKind::InvalidData));
        }
        // A file's bytes belong to its hash, which is asked when they are written.
        let has_bytes = matches!(entry.body, Body::File(_) | Body::Sparse { .. });
        if !has_bytes && !is_whole(entry, item) {
            return Ok(RestoreOutcome::Damaged);
        }
        if let (Body::Folder, Some(made)) = (&entry.body, self.made.get_mut(&item.path)) {
            made.metadata = entry.metadata.clone();
            made.number = Some(number);
            return Ok(RestoreOutcome::There);
        }
        let folder = match self.parent(&item.path, &entry.metadata) {
            Ok(folder) => folder,
            Err(error) => return Ok(refused(&error)),
        };
        let (disk, name) = (self.disk(), item.path.as_name());
        match disk.stat(&folder, name) {
            Ok(there) => return self.meet(&folder, (entry, item, number), &there, bytes),
            Err(error) if error.kind() == io::ErrorKind::NotFound => {}
            Err(error) => return Ok(refused(&error)),
        }
        if entry.body == Body::Folder {
            let made = self.make(&folder, &item.path, (entry.metadata.clone(), Some(number)));
            return Ok(made.map_or_else(|error| refused(&error), |_| RestoreOutcome::There));
        }
        let staging = match Staging::open(disk, &folder, (self.run, number)) {
            Ok(staging) => staging,
            Err(error) => return Ok(refused(&error)),
        };
        match &entry.body {
            Body::Link(to) => {
                let made = disk.make_link(staging.folder(), PART, to);
                let not_applied = disk.apply_link_metadata(staging.folder(), PART, &entry.metadata);
                Ok(match made.and_then(|()| staging.publish(name)) {
                    Ok(()) => missing(&not_applied)
                        .map_or(RestoreOutcome::There, RestoreOutcome::RestoredPartly),
                    Err(error) => refused(&error),
                })
            }
            _ => self.file((&staging, name), entry, item, bytes),
        }
    }

    /// What becomes of something when its name is taken. A restore that died may have brought it back, and
    /// then it is there, although no record says so; whatever else is there stays as it is.
    fn meet(
        &mut self,
        folder: &Folder,
        (entry, item, number): (&ArchiveEntry, &PanItem, usize),
        there: &Stat,
        bytes: &mut dyn Read,
    ) -> io::Result<RestoreOutcome> {
        let (disk, name) = (self.disk(), item.path.as_name());
        let is_same = match &entry.body {
            Body::Folder => {
                let resumed = (disk.open_folder(folder, name.to_bytes()).ok())
                    .and_then(|opened| self.resume(&item.path, &opened, Some(&entry.metadata)));
                return Ok(resumed.map_or(RestoreOutcome::Exists, |key| {
                    self.take_over(&item.path, key, (entry.metadata.clone(), Some(number)));
                    RestoreOutcome::There
                }));
            }
            Body::Link(to) => {
                there.kind == Kind::Link && disk.read_link(folder, name).is_ok_and(|now| now == *to)
            }
            Body::File(size) | Body::Sparse { size, .. } => {
                there.kind == Kind::File
                    && there.size == *size
                    && item.back.is_none()
                    && match disk.open_file(folder, name) {
                        Ok(file) => self.is_same(&file, entry, bytes)?,
                        Err(_) => false,
                    }
            }
        };
        if is_same {
            Staging::clear(disk, folder, (self.run, number));
        }
        let metadata = &entry.metadata;
        let is_dressed = (there.user, there.group) == (metadata.user, metadata.group)
            && there.modified == metadata.modified
            && (there.kind == Kind::Link || there.mode & 0o7777 == metadata.mode & 0o7777);
        Ok(match (is_same && item.back.is_none(), is_dressed) {
            (false, _) => RestoreOutcome::Exists,
            (true, true) => RestoreOutcome::There,
            (true, false) => {
                RestoreOutcome::RestoredPartly("its bytes were there already".to_owned())
            }
        })
    }

    /// Whether a file holds what the dustpan does.
    fn is_same(&self, file: &File, entry: &ArchiveEntry, bytes: &mut dyn Read) -> io::Result<bool> {
        let (pieces, map) = pieces_of(entry, bytes)?;
        if let Body::Sparse { size, .. } = &entry.body
            && !map.is_empty()
            && !jolly_disk::pieces(file, *size).is_ok_and(|now| now == filled(&pieces))
        {
            return Ok(false);
        }
        let mut there = vec![0; PIECE];
        let mut is_same = true;
        each_piece(&pieces, bytes, self.cancel, &mut |at, some| {
            let there = there.get_mut(..some.len()).unwrap_or_default();
            is_same = is_same && file.read_exact_at(there, at).is_ok() && there == some;
            Ok(())
        })??;
        Ok(is_same)
    }

    /// Which folder this is, when a restore of this dustpan made it and died before it was done.
    fn resume(
        &self,
        path: &TargetPath,
        folder: &Folder,
        metadata: Option<&Metadata>,
    ) -> Option<FileKey> {
        let disk = self.disk();
        let stat = disk.stat_folder(folder).ok()?;
        let is_marked = is_own_file(disk, folder, &self.mark);
        let is_done = metadata.is_some_and(|metadata| stat.user == metadata.user);
        if is_ours(disk, folder) {
            // It may have died before it could leave its mark.
            let is_bare = || self.bare.get(path) == Some(&stat.key) || self.is_bare(folder);
            return (is_marked || (metadata.is_some() && is_bare())).then_some(stat.key);
        }
        (is_marked && is_done).then_some(stat.key)
    }

    /// Has a folder get its traits at the end.
    fn take_over(
        &mut self,
        path: &TargetPath,
        key: FileKey,
        (metadata, number): (Metadata, Option<usize>),
    ) {
        let made = Made {
            key,
            metadata,
            number,
        };
        self.made.insert(path.clone(), made);
    }

    /// Whether a folder is the runner's alone and holds nothing.
    fn is_bare(&self, folder: &Folder) -> bool {
        let disk = self.disk();
        disk.is_private(folder) && is_empty(disk, folder).unwrap_or(false)
    }

    /// Makes a folder, which nobody else can enter until it gets its traits.
    ///
    /// # Safety argument
    /// It is opened without following a link, and must be the runner's, closed to all others and empty, so
    /// that nothing in it is anybody else's; [`Self::finish`] gives nothing to another one.
    fn make(
        &mut self,
        above: &Folder,
        path: &TargetPath,
        (metadata, number): (Metadata, Option<usize>),
    ) -> io::Result<Folder> {
        let (disk, name) = (self.disk(), path.as_name());
        disk.make_folder(above, name)?;
        let folder = disk.open_folder(above, name.to_bytes())?;
        if !is_ours(disk, &folder) || !is_empty(disk, &folder)? {
            return Err(io::Error::other("something else took its place meanwhile"));
        }
        let key = disk.stat_folder(&folder)?.key;
        disk.make_file(&folder, &self.mark)?;
        self.take_over(path, key, (metadata, number));
        Ok(folder)
    }

    /// Remembers how a folder was that is only on the way to something.
    pub(crate) fn note_folder_metadata(
        &mut self,
        entry: &ArchiveEntry,
        item: &PanItem,
        number: usize,
    ) {
        if !is_whole(entry, item) {
            return;
        }
        if let Some(key) = self.bare.remove(&item.path) {
            self.take_over(&item.path, key, (entry.metadata.clone(), Some(number)));
        } else if let Some(made) = self.made.get_mut(&item.path) {
            made.metadata = entry.metadata.clone();
            made.number = Some(number);
        }
    }

    /// Gives the folders that were made what they had, deepest first, since whatever comes into a
    /// folder moves its times; the numbers of those that the dustpan holds, with what is missing.
    pub(crate) fn finish(self) -> Vec<(usize, Option<String>)> {
        let disk = self.disk();
        let mut finished = Vec::new();
        for (path, made) in self.made.iter().rev() {
            let opened = disk.open_folder(self.target.root(), path.as_bytes());
            let same = opened.and_then(|folder| {
                let key = disk.stat_folder(&folder)?.key;
                (key == made.key)
                    .then_some(folder)
                    .ok_or_else(|| io::Error::other("something else took its place meanwhile"))
            });
            let lacks = match same {
                Ok(folder) => {
                    // Whoever dies in between leaves the mark; to take it away the folder must be writable.
                    let mut writable = made.metadata.clone();
                    writable.mode |= 0o300;
                    drop(disk.apply_metadata(folder.as_fd(), &writable));
                    drop(disk.unlink(&folder, &self.mark));
                    missing(&disk.apply_metadata(folder.as_fd(), &made.metadata))
                }
                Err(error) => Some(error.to_string()),
            };
            finished.extend(made.number.map(|number| (number, lacks)));
        }
        finished
    }

    /// The open folder that holds a path; made where it is gone.
    fn parent(&mut self, path: &TargetPath, of: &Metadata) -> io::Result<Folder> {
        let disk = self.disk();
        let root = self.target.root();
        let Some(folder) = path.parent() else {
            return Err(io::Error::from(io::ErrorKind::InvalidInput));
        };
        let is_made = self.made.contains_key(&folder);
        match disk.open_folder(root, folder.as_bytes()) {
            Err(error) if error.kind() == io::ErrorKind::NotFound && !folder.is_root() => {}
            Ok(opened) if !is_made && !folder.is_root() => {
                if self.is_bare(&opened) {
                    let key = disk.stat_folder(&opened)?.key;
                    self.bare.insert(folder, key);
                } else if is_own_file(disk, &opened, &self.mark)
                    && let Some(key) = self.resume(&folder, &opened, None)
                {
                    let metadata = on_the_way(&disk.stat_folder(&opened)?, of);
                    self.take_over(&folder, key, (metadata, None));
                }
                return Ok(opened);
            }
            opened => return opened,
        }
        let above = self.parent(&folder, of)?;
        let metadata = on_the_way(&disk.stat_folder(&above)?, of);
        self.make(&above, &folder, (metadata, None))
    }

    /// Writes a file where nobody else can reach it, and gives it its name when it is whole.
    fn file(
        &self,
        (staging, name): (&Staging<'_>, &CStr),
        entry: &ArchiveEntry,
        item: &PanItem,
        bytes: &mut dyn Read,
    ) -> io::Result<RestoreOutcome> {
        let disk = self.disk();
        let file = match disk.make_file(staging.folder(), PART) {
            Ok(file) => file,
            Err(error) => return Ok(refused(&error)),
        };
        let has_holes = item.held < item.size && matches!(entry.body, Body::File(_));
        Ok(
            match write_bytes(&file, (entry, has_holes), bytes, self.cancel)? {
                Ok(hash) if hash == item.hash => {
                    let not_applied = disk.apply_metadata(file.as_fd(), &entry.metadata);
                    match file.sync_data().and_then(|()| staging.publish(name)) {
                        Ok(()) => lacking(&not_applied, item)
                            .map_or(RestoreOutcome::There, RestoreOutcome::RestoredPartly),
                        Err(error) => refused(&error),
                    }
                }
                Ok(_) => RestoreOutcome::Damaged,
                Err(error) => refused(&error),
            },
        )
    }
}

/// What a folder gets that was made only because something is in it. Nobody knows what it was: it becomes its
/// contents' owner's, and nobody else's.
fn on_the_way(above: &Stat, of: &Metadata) -> Metadata {
    Metadata {
        mode: 0o700,
        accessed: above.accessed,
        modified: above.modified,
        attributes: Vec::new(),
        ..of.clone()
    }
}

/// Whether an entry without bytes is as it was written.
fn is_whole(entry: &ArchiveEntry, item: &PanItem) -> bool {
    entry.hasher().finalize().to_hex().as_str() == item.hash
}

/// Without the empty ones.
fn filled(pieces: &[Piece]) -> Vec<Piece> {
    let filled = pieces.iter().filter(|piece| piece.len > 0);
    filled.copied().collect()
}
