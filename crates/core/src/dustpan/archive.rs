//! Where set-aside items wait: one tar in zstd a run, readable by ordinary tools, and a record of
//! what is in it.

mod copy;
pub(crate) mod source;

use std::ffi::CStr;
use std::io;
use std::path::{Path, PathBuf};
use std::sync::atomic::{AtomicBool, Ordering};

use jiff::{SignedDuration, Timestamp};
use jolly_disk::{Disk, Folder, Stat};

use crate::cancel::CancelToken;
use crate::computer::Target;
use crate::dustpan::archive::source::{
    PIECE, Source, SourceError, SourceRead, metadata_of, open_source, write_entry,
};
use crate::dustpan::entry;
use crate::dustpan::entry::{ArchiveEntry, Body};
use crate::dustpan::frames::{Frame, Frames};
use crate::dustpan::proof::read_back;
use crate::dustpan::record::{FORMAT, Line, Packed, PackedKind, VERSION};
use crate::format::RandomAccess;
use crate::plan::{ItemOutcome, ManifestItem, Moment, StayReason, TargetMark};
use crate::state::{Journal, JournalError, RunId, StateError, StateFolder, archive_of};

/// For how long a dustpan is kept.
pub const KEPT_DAYS: i64 = 30;

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
    pub run: &'a RunId,
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
/// What the writer took is safe only when the prover has proven its frame; once anything has failed,
/// everything is refused.
pub struct Dustpan {
    path: PathBuf,
    frames: Frames,
    record: Journal,
    /// Where the next frame begins.
    at: u64,
    /// How many things are in the frames before.
    closed: u64,
    is_shut: AtomicBool,
}

/// The half that packs.
pub(crate) struct Writer<'a> {
    path: &'a Path,
    frames: &'a mut Frames,
    at: &'a mut u64,
    closed: &'a mut u64,
    /// What is in the open frame.
    open: Vec<Packed>,
    buffer: Vec<u8>,
    is_shut: &'a AtomicBool,
}

/// The half that makes sure.
pub(crate) struct Verifier<'a> {
    path: &'a Path,
    record: &'a mut Journal,
    is_shut: &'a AtomicBool,
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
        // Whoever wants to empty it asks for this; it ends with the descriptor.
        file.lock().map_err(|source| DustpanError::Write {
            path: path.clone(),
            source,
        })?;
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
            identity: new.target.identity().as_str().to_owned(),
            label: mark.label,
            archive: path.clone(),
        })?;
        record.sync()?;
        Ok(Self {
            path,
            frames: Frames::new(file),
            record,
            at: 0,
            closed: 0,
            is_shut: AtomicBool::new(false),
        })
    }

    /// Where it is.
    pub fn path(&self) -> &Path {
        &self.path
    }

    /// The device that it lies on, as a file's key tells it.
    pub(crate) fn device(&self) -> Option<u64> {
        self.frames.device().ok()
    }

    /// Bytes that it takes so far.
    pub fn packed(&self) -> u64 {
        self.frames.len().unwrap_or(0)
    }

    /// Its two halves, for two threads.
    pub(crate) fn halves(&mut self) -> (Writer<'_>, Verifier<'_>) {
        let (path, is_shut) = (self.path.as_path(), &self.is_shut);
        let writer = Writer {
            path,
            frames: &mut self.frames,
            at: &mut self.at,
            closed: &mut self.closed,
            open: Vec::new(),
            buffer: vec![0; PIECE],
            is_shut,
        };
        let record = &mut self.record;
        (
            writer,
            Verifier {
                path,
                record,
                is_shut,
            },
        )
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
        let ended = self.frames.end().map_err(write)?;
        ended
            .map_or(Ok(()), |file| file.sync_data())
            .map_err(write)?;
        Ok(self.record.sync()?)
    }
}

impl Writer<'_> {
    /// Takes one item's bytes; gives the number of the thing in here.
    pub(crate) fn store(
        &mut self,
        (disk, folder): (&dyn Disk, &Folder),
        item: &ManifestItem,
        stat: &Stat,
        stop: &CancelToken,
    ) -> Result<u64, ItemOutcome> {
        self.store_named((disk, folder, item.path.as_name()), item, stat, stop)
    }

    /// The same of a name in a folder, under the path of the item.
    pub(super) fn store_named(
        &mut self,
        (disk, folder, name): (&dyn Disk, &Folder, &CStr),
        item: &ManifestItem,
        stat: &Stat,
        stop: &CancelToken,
    ) -> Result<u64, ItemOutcome> {
        self.check_open()?;
        let opened = open_source(disk, (folder, name), stat, item.path.as_bytes());
        let (entry, source) = opened.map_err(|error| match error {
            SourceError::Replaced => ItemOutcome::stays(StayReason::Replaced(Moment::WhileStored)),
            SourceError::NoLongerFile => ItemOutcome::stays(StayReason::NoLongerFile),
            SourceError::Read(error) => ItemOutcome::of_error(&error, "read"),
        })?;
        let kind = match entry.body {
            Body::Folder => PackedKind::Folder,
            Body::Link(_) => PackedKind::Link,
            Body::File(_) | Body::Sparse { .. } => PackedKind::File,
        };
        let packed = Packed::of(item, kind, stat);
        self.take(&entry, source, packed, stop)
    }

    /// Whether it still takes anything.
    ///
    /// # Errors
    /// Once anything has failed.
    pub(crate) fn check_open(&self) -> Result<(), ItemOutcome> {
        if self.is_shut.load(Ordering::SeqCst) {
            return Err(ItemOutcome::stays(StayReason::DustpanShut));
        }
        Ok(())
    }

    /// Takes an entry of a list, as it is exported; `list` is a look at that, whose owner and mode it gets.
    pub(crate) fn store_entry(
        &mut self,
        item: &ManifestItem,
        list: &Stat,
        exported: Vec<u8>,
        stop: &CancelToken,
    ) -> Result<u64, ItemOutcome> {
        self.check_open()?;
        let size = exported.len() as u64;
        let entry = ArchiveEntry {
            path: item.path.as_bytes().to_vec(),
            body: Body::File(size),
            metadata: metadata_of(list),
        };
        let packed = Packed {
            held: size,
            ..Packed::of(item, PackedKind::File, list)
        };
        let source = Source::whole(RandomAccess::Memory(exported), size);
        self.take(&entry, Some(source), packed, stop)
    }

    /// Writes an entry, and notes it among what is in the open frame; its number in here.
    fn take(
        &mut self,
        entry: &ArchiveEntry,
        source: Option<Source>,
        mut packed: Packed,
        stop: &CancelToken,
    ) -> Result<u64, ItemOutcome> {
        let read = |error: io::Error| ItemOutcome::of_error(&error, "read");
        let written = self.append(entry, source, &mut packed, stop);
        let read_through = self.latch(written)?;
        packed.broken = !matches!(read_through, SourceRead::Whole);
        let number = *self.closed + self.open.len() as u64;
        self.open.push(packed);
        match read_through {
            SourceRead::Whole => Ok(number),
            SourceRead::Failed(error) => Err(read(error)),
            SourceRead::Short => Err(ItemOutcome::stays(StayReason::ShrankWhileStored)),
        }
    }

    /// Writes an entry; what went wrong with reading its bytes, if anything did.
    fn append(
        &mut self,
        entry: &ArchiveEntry,
        source: Option<Source>,
        packed: &mut Packed,
        stop: &CancelToken,
    ) -> io::Result<SourceRead> {
        if source.is_some() {
            packed.size = entry.body.size();
        }
        let (outcome, hash) = write_entry(self.frames, (entry, source), &mut self.buffer, stop)?;
        packed.hash = hash;
        Ok(outcome)
    }

    /// Drops what was written since the last frame: nothing of it is needed any more.
    ///
    /// # Errors
    /// When it can't be taken back; then nothing more is taken.
    pub(crate) fn abandon(&mut self) -> Result<(), DustpanError> {
        self.open.clear();
        self.frames.abandon(*self.at).map_err(|source| {
            self.is_shut.store(true, Ordering::SeqCst);
            let path = self.path.to_owned();
            DustpanError::Write { path, source }
        })
    }

    fn latch<T>(&mut self, result: io::Result<T>) -> Result<T, ItemOutcome> {
        result.map_err(|error| {
            self.is_shut.store(true, Ordering::SeqCst);
            let reason = format!("the dustpan can't be written: {error}");
            ItemOutcome::stays(StayReason::DustpanFailed(reason))
        })
    }

    /// Ends the frame; nothing when nothing was packed.
    ///
    /// # Errors
    /// When it can't be written; then nothing in it is safe.
    pub(crate) fn close(&mut self) -> Result<Option<Frame>, DustpanError> {
        let items = std::mem::take(&mut self.open);
        let closed = if self.is_shut.load(Ordering::SeqCst) {
            Err(io::Error::other("an earlier write failed"))
        } else {
            self.frames
                .end()
                .and_then(|ended| Ok((ended, self.frames.len()?)))
        };
        let (ended, len) = closed.map_err(|source| {
            self.is_shut.store(true, Ordering::SeqCst);
            let path = self.path.to_owned();
            DustpanError::Write { path, source }
        })?;
        let at = std::mem::replace(self.at, len);
        *self.closed += items.len() as u64;
        Ok(ended.map(|file| Frame { file, at, items }))
    }
}

impl Verifier<'_> {
    /// Whether anything has failed: then nothing that was not proven yet is safe.
    pub(crate) fn is_shut(&self) -> bool {
        self.is_shut.load(Ordering::SeqCst)
    }

    /// Brings a frame to the disk, reads it back from there, and notes it.
    ///
    /// # Errors
    /// When any of that fails; then nothing in it is safe.
    pub(crate) fn prove(&mut self, frame: Frame, stop: &CancelToken) -> Result<(), DustpanError> {
        let proven = self.try_prove(frame, stop);
        if proven.is_err() {
            self.is_shut.store(true, Ordering::SeqCst);
        }
        proven
    }

    fn try_prove(&mut self, frame: Frame, stop: &CancelToken) -> Result<(), DustpanError> {
        let path = || self.path.to_owned();
        frame
            .file
            .sync_data()
            .map_err(|source| DustpanError::Write {
                path: path(),
                source,
            })?;
        read_back(self.path, &frame, stop).map_err(|source| DustpanError::ReadBack {
            path: path(),
            source,
        })?;
        let (at, items) = (frame.at, frame.items);
        self.record.write(&Line::Frame { at, items })?;
        Ok(self.record.sync()?)
    }

    /// Notes which things stayed where they were, although they are in here.
    pub(crate) fn note_stayed(&mut self, items: Vec<u64>) {
        if !items.is_empty() {
            // Without the note they are offered, and found to be there still.
            drop(self.record.write(&Line::Stayed { items }));
        }
    }
}
