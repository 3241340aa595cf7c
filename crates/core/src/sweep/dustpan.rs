//! Where set-aside items wait: one tar in zstd a run, readable by ordinary tools, and a record of
//! what is in it.

mod empty;
mod entry;
mod frames;
mod record;
mod room;

pub use empty::{Emptied, EmptyError, empty, empty_expired};
pub use record::{Pan, PanItem};
pub use room::{ON_TARGET, Room, RoomError, find_room};

pub(super) use empty::resume;
pub(super) use entry::{Body, Entry, each_entry};
pub(super) use frames::read_frame;
pub(super) use record::Line;

use std::fs::File;
use std::io::{self, Read, Write};
use std::os::fd::AsFd as _;
use std::path::{Path, PathBuf};

use jiff::{SignedDuration, Timestamp};
use jolly_disk::{Disk, Folder, Kind, Stat, Traits};

use crate::decide::{ManifestItem, TargetMark};
use crate::sweep::check::Verdict;
use crate::sweep::state_folder::archive_of;
use crate::sweep::{Journal, JournalError, Outcome, StateError, StateFolder};
use crate::target::Target;
use frames::Frames;
use record::{FORMAT, Packed, PackedKind, VERSION};

/// For how long a dustpan is kept.
pub const KEPT_DAYS: i64 = 30;

/// How much of a file is read at once.
const PIECE: usize = 256 * 1024;

/// Why the dustpan can't take anything more.
#[derive(Debug, thiserror::Error)]
#[expect(missing_docs, reason = "the message names the fields")]
pub enum DustpanError {
    #[error("cannot make the dustpan")]
    Create {
        #[from]
        source: StateError,
    },
    #[error("the dustpan {} can't be written: {source}", path.display())]
    Write { path: PathBuf, source: io::Error },
    #[error("what was written to the dustpan {} does not read back the same: {source}", path.display())]
    ReadBack { path: PathBuf, source: io::Error },
    #[error("the record of the dustpan can't be written")]
    Record {
        #[from]
        source: JournalError,
    },
}

/// Which run fills a dustpan, and where it lies.
pub struct NewDustpan<'a> {
    /// The run's id.
    pub run: &'a str,
    /// When the run starts.
    pub started: Timestamp,
    /// Where its things lie.
    pub target: &'a Target,
    /// The folder of the archive; none for the state folder's own.
    pub folder: Option<&'a Path>,
}

/// The dustpan of one run.
///
/// # Invariants
/// What `store` took is safe only after the next `sync`; once writing has failed, everything is
/// refused.
pub struct Dustpan {
    path: PathBuf,
    frames: Frames,
    record: Journal,
    /// What is in the open frame.
    open: Vec<Packed>,
    /// Where the open frame begins.
    at: u64,
    /// How many things are in the frames before.
    closed: u64,
    buffer: Vec<u8>,
    is_shut: bool,
}

impl Dustpan {
    /// Makes the dustpan of a run.
    ///
    /// # Errors
    /// When its files can't be made.
    pub fn create(state: &StateFolder, new: &NewDustpan<'_>) -> Result<Self, DustpanError> {
        state.make()?;
        let path = match new.folder {
            None => state.dustpan(new.run),
            Some(folder) => {
                StateFolder::make_private(folder)?;
                folder.join(archive_of(new.run))
            }
        };
        let file = StateFolder::create(&path)?;
        let record = state.dustpan_record(new.run);
        let sink = Box::new(StateFolder::create(&record)?);
        let mut record = Journal::new(record, sink);
        let days = SignedDuration::from_hours(24 * KEPT_DAYS);
        let mark = TargetMark::of(new.target);
        record.write(&Line::Start {
            format: FORMAT.to_owned(),
            version: VERSION,
            run: new.run.to_owned(),
            started: new.started,
            until: new.started.saturating_add(days).unwrap_or(Timestamp::MAX),
            target: mark.root,
            identity: new.target.identity(),
            label: mark.label,
            archive: path.clone(),
        })?;
        record.sync()?;
        Ok(Self {
            path,
            frames: Frames::new(file),
            record,
            open: Vec::new(),
            at: 0,
            closed: 0,
            buffer: vec![0; PIECE],
            is_shut: false,
        })
    }

    /// Where it is.
    pub fn path(&self) -> &Path {
        &self.path
    }

    /// Bytes that it takes so far.
    pub fn packed(&self) -> u64 {
        self.frames.len().unwrap_or(0)
    }

    /// Takes one item's bytes; gives the number of the thing in here.
    pub(super) fn store(
        &mut self,
        disk: &dyn Disk,
        folder: &Folder,
        item: &ManifestItem,
        stat: &Stat,
    ) -> Result<u64, Verdict> {
        if self.is_shut {
            let reason = "the dustpan can't be written";
            return Err(Verdict::stays(Outcome::Failed, reason));
        }
        let name = item.path.to_name();
        let read = |error: io::Error| Verdict::of_error(&error, "read");
        let mut traits = Traits {
            user: stat.user,
            group: stat.group,
            mode: stat.mode,
            accessed: stat.accessed,
            modified: stat.modified,
            attributes: Vec::new(),
        };
        let (body, kind, source) = match stat.kind {
            Kind::Other => {
                let reason = "it is no longer a file";
                return Err(Verdict::stays(Outcome::Changed, reason));
            }
            Kind::Folder => {
                let opened = disk.open_folder(folder, name.to_bytes()).map_err(read)?;
                traits.attributes = disk.attributes(opened.as_fd()).map_err(read)?;
                (Body::Folder, PackedKind::Folder, None)
            }
            Kind::Link => {
                let to = disk.read_link(folder, &name).map_err(read)?;
                (Body::Link(to), PackedKind::Link, None)
            }
            Kind::File => {
                let file = disk.open_file(folder, &name).map_err(read)?;
                traits.attributes = disk.attributes(file.as_fd()).map_err(read)?;
                (Body::File(stat.size), PackedKind::File, Some(file))
            }
        };
        let entry = Entry {
            path: item.path.as_bytes().to_vec(),
            body,
            traits,
        };
        let mut packed = Packed::of(item, kind, stat.allocated);
        let written = self.append(&entry, source, &mut packed);
        let failed = self.latch(written)?;
        packed.broken = failed.is_some();
        let number = self.closed + self.open.len() as u64;
        self.open.push(packed);
        match failed {
            None => Ok(number),
            Some(Some(error)) => Err(read(error)),
            Some(None) => Err(Verdict::stays(Outcome::Changed, "it shrank meanwhile")),
        }
    }

    /// Writes an entry; what went wrong with reading its bytes, if anything did.
    #[expect(
        clippy::option_option,
        reason = "an error, or too few bytes without one"
    )]
    fn append(
        &mut self,
        entry: &Entry,
        source: Option<File>,
        packed: &mut Packed,
    ) -> io::Result<Option<Option<io::Error>>> {
        entry.write_head(&mut self.frames)?;
        let mut hasher = blake3::Hasher::new();
        let mut failed = None;
        if let (Body::File(size), Some(mut file)) = (&entry.body, source) {
            packed.size = *size;
            let mut left = *size;
            while left > 0 {
                // Exactly the promised length: a file that grows or shrinks meanwhile must not break
                // the archive for the others.
                let most = usize::try_from(left).unwrap_or(PIECE).min(PIECE);
                let piece = self.buffer.get_mut(..most).unwrap_or_default();
                let read = match (&failed, file.read(piece)) {
                    (_, Err(error)) if error.kind() == io::ErrorKind::Interrupted => continue,
                    (None, Ok(read)) if read > 0 => read,
                    (known, read) => {
                        if known.is_none() {
                            failed = Some(read.err());
                        }
                        piece.fill(0);
                        most
                    }
                };
                let piece = piece.get(..read).unwrap_or_default();
                hasher.update(piece);
                self.frames.write_all(piece)?;
                left -= read as u64;
            }
            entry::pad(&mut self.frames, *size)?;
        }
        packed.hash = hasher.finalize().to_hex().to_string();
        Ok(failed)
    }

    fn latch<T>(&mut self, result: io::Result<T>) -> Result<T, Verdict> {
        result.map_err(|error| {
            self.is_shut = true;
            let reason = format!("the dustpan can't be written: {error}");
            Verdict::stays(Outcome::Failed, reason)
        })
    }

    /// Brings everything taken so far to the disk, reads it back from there, and notes it.
    ///
    /// # Errors
    /// When any of that fails; then nothing taken since the last time is safe.
    pub fn sync(&mut self) -> Result<(), DustpanError> {
        if self.open.is_empty() && !self.is_shut {
            return Ok(());
        }
        let path = || self.path.clone();
        if self.is_shut {
            let source = io::Error::other("an earlier write failed");
            return Err(DustpanError::Write {
                path: path(),
                source,
            });
        }
        self.is_shut = true;
        let write = |source| DustpanError::Write {
            path: path(),
            source,
        };
        self.frames.end().map_err(write)?;
        self.read_back().map_err(|source| DustpanError::ReadBack {
            path: path(),
            source,
        })?;
        let items = std::mem::take(&mut self.open);
        self.closed += items.len() as u64;
        self.record.write(&Line::Frame { at: self.at, items })?;
        self.record.sync()?;
        self.at = self.frames.len().map_err(write)?;
        self.is_shut = false;
        Ok(())
    }

    /// Reads the last frame as it lies there, and compares every entry with what was packed.
    fn read_back(&self) -> io::Result<()> {
        let differs = || io::Error::new(io::ErrorKind::InvalidData, "it differs");
        let mut wanted = self.open.iter();
        let mut buffer = vec![0; PIECE];
        each_entry(read_frame(&self.path, self.at)?, &mut |entry, bytes| {
            let packed = wanted.next().ok_or_else(differs)?;
            let hash = hash_of(bytes, &mut buffer)?;
            let path = crate::target::TargetPath::try_from(&packed.path).unwrap_or_default();
            let is_same = hash == packed.hash && entry.path == path.as_bytes();
            if is_same { Ok(()) } else { Err(differs()) }
        })?;
        wanted.next().map_or(Ok(()), |_| Err(differs()))
    }

    /// Notes which things stayed where they were, although they are in here.
    pub(super) fn note_stayed(&mut self, items: Vec<u64>) {
        if !items.is_empty() && !self.is_shut {
            // Without the note they are offered, and found to be there still.
            drop(self.record.write(&Line::Stayed { items }));
        }
    }

    /// Ends the archive.
    ///
    /// # Errors
    /// When its end can't be written; what it holds stays readable.
    pub fn finish(&mut self) -> Result<(), DustpanError> {
        let write = |source| DustpanError::Write {
            path: self.path.clone(),
            source,
        };
        entry::write_end(&mut self.frames).map_err(write)?;
        self.frames.end().map_err(write)?;
        Ok(self.record.sync()?)
    }
}

/// The hash of all that comes, BLAKE3 in hex.
fn hash_of(bytes: &mut dyn Read, buffer: &mut [u8]) -> io::Result<String> {
    let mut hasher = blake3::Hasher::new();
    loop {
        match bytes.read(buffer) {
            Ok(0) => return Ok(hasher.finalize().to_hex().to_string()),
            Ok(read) => hasher.update(buffer.get(..read).unwrap_or_default()),
            Err(error) if error.kind() == io::ErrorKind::Interrupted => continue,
            Err(error) => return Err(error),
        };
    }
}
