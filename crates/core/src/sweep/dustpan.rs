//! Where set-aside items wait: one tar in zstd a run, readable by ordinary tools.

use std::fs::File;
use std::io::{self, Read, Write};
use std::path::{Path, PathBuf};

use jolly_disk::{Disk, Folder, Kind, Stat};
use tar::{EntryType, Header};

use crate::decide::ManifestItem;
use crate::sweep::check::Verdict;
use crate::sweep::{Outcome, StateError, StateFolder};

/// Fast, and within a few percent of what slower levels save.
const LEVEL: i32 = 1;

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
}

/// The dustpan of one run.
///
/// # Invariants
/// What `store` took is safe only after the next `sync`; once writing has failed, everything is
/// refused.
pub struct Dustpan {
    path: PathBuf,
    archive: tar::Builder<Frames>,
    is_shut: bool,
}

/// A file of zstd frames: each is ended and brought to the disk before its originals may go.
struct Frames {
    file: File,
    open: Option<zstd::Encoder<'static, File>>,
}

impl Write for Frames {
    fn write(&mut self, bytes: &[u8]) -> io::Result<usize> {
        let encoder = match self.open.take() {
            Some(encoder) => encoder,
            None => zstd::Encoder::new(self.file.try_clone()?, LEVEL)?,
        };
        self.open.insert(encoder).write(bytes)
    }

    fn flush(&mut self) -> io::Result<()> {
        self.open.as_mut().map_or(Ok(()), Write::flush)
    }
}

impl Frames {
    fn end(&mut self) -> io::Result<()> {
        if let Some(encoder) = self.open.take() {
            encoder.finish()?.sync_data()?;
        }
        Ok(())
    }
}

impl Dustpan {
    /// Makes the dustpan of a run.
    ///
    /// # Errors
    /// When the file can't be made.
    pub fn create(state: &StateFolder, run: &str) -> Result<Self, DustpanError> {
        state.make()?;
        let path = state.dustpan(run);
        let file = StateFolder::create(&path)?;
        let archive = tar::Builder::new(Frames { file, open: None });
        Ok(Self {
            path,
            archive,
            is_shut: false,
        })
    }

    /// Where it is.
    pub fn path(&self) -> &Path {
        &self.path
    }

    /// Takes one item's bytes.
    pub(super) fn store(
        &mut self,
        disk: &dyn Disk,
        folder: &Folder,
        item: &ManifestItem,
        stat: &Stat,
    ) -> Result<(), Verdict> {
        if self.is_shut {
            return Err(Verdict::stays(
                Outcome::Failed,
                "the dustpan can't be written",
            ));
        }
        let name = item.path.to_name();
        let mut header = header(stat);
        let read = |error: &io::Error| Verdict::of_error(error, "read");
        match stat.kind {
            Kind::Other => Err(Verdict::stays(Outcome::Changed, "it is no longer a file")),
            Kind::Folder => {
                header.set_entry_type(EntryType::Directory);
                self.append(&mut header, item, &mut io::empty()).map(drop)
            }
            Kind::Link => {
                let to = disk
                    .read_link(folder, &name)
                    .map_err(|error| read(&error))?;
                header.set_entry_type(EntryType::Symlink);
                self.append_link(&mut header, item, &to)
            }
            Kind::File => {
                let file = disk
                    .open_file(folder, &name)
                    .map_err(|error| read(&error))?;
                header.set_entry_type(EntryType::Regular);
                header.set_size(stat.size);
                // Exactly the promised length: a file that grows or shrinks meanwhile must not
                // break the archive for the others.
                let mut exact = Exact {
                    file,
                    left: stat.size,
                    is_short: false,
                    failed: None,
                };
                self.append(&mut header, item, &mut exact)?;
                match (exact.failed, exact.is_short) {
                    (Some(error), _) => Err(read(&error)),
                    (None, true) => Err(Verdict::stays(Outcome::Changed, "it shrank meanwhile")),
                    (None, false) => Ok(()),
                }
            }
        }
    }

    fn append(
        &mut self,
        header: &mut Header,
        item: &ManifestItem,
        bytes: &mut dyn Read,
    ) -> Result<(), Verdict> {
        let path = as_path(item.path.as_bytes());
        let appended = self.archive.append_data(header, path, bytes);
        self.latch(appended)
    }

    fn append_link(
        &mut self,
        header: &mut Header,
        item: &ManifestItem,
        to: &[u8],
    ) -> Result<(), Verdict> {
        let path = as_path(item.path.as_bytes());
        let appended = self.archive.append_link(header, path, as_path(to));
        self.latch(appended)
    }

    fn latch(&mut self, result: io::Result<()>) -> Result<(), Verdict> {
        result.map_err(|error| {
            self.is_shut = true;
            Verdict::stays(
                Outcome::Failed,
                format!("the dustpan can't be written: {error}"),
            )
        })
    }

    /// Brings everything taken so far to the disk.
    ///
    /// # Errors
    /// When it can't be; then nothing taken since the last time is safe.
    pub fn sync(&mut self) -> Result<(), DustpanError> {
        let ended = if self.is_shut {
            Err(io::Error::other("an earlier write failed"))
        } else {
            self.archive.get_mut().end()
        };
        self.refuse_unless(ended)
    }

    /// Ends the archive.
    ///
    /// # Errors
    /// When its end can't be written; what it holds stays readable.
    pub fn finish(&mut self) -> Result<(), DustpanError> {
        let finished = self
            .archive
            .finish()
            .and_then(|()| self.archive.get_mut().end());
        self.refuse_unless(finished)
    }

    fn refuse_unless(&mut self, result: io::Result<()>) -> Result<(), DustpanError> {
        result.map_err(|source| {
            self.is_shut = true;
            DustpanError::Write {
                path: self.path.clone(),
                source,
            }
        })
    }
}

fn as_path(bytes: &[u8]) -> &Path {
    use std::os::unix::ffi::OsStrExt as _;
    Path::new(std::ffi::OsStr::from_bytes(bytes))
}

fn header(stat: &Stat) -> Header {
    let mut header = Header::new_gnu();
    header.set_size(0);
    header.set_mode(stat.mode);
    header.set_uid(stat.user.into());
    header.set_gid(stat.group.into());
    header.set_mtime(u64::try_from(stat.modified.seconds).unwrap_or(0));
    header
}

/// Reads exactly so many bytes of a file: cuts what is longer, fills what is shorter with zeros,
/// and remembers that it did.
struct Exact {
    file: File,
    left: u64,
    is_short: bool,
    failed: Option<io::Error>,
}

impl Read for Exact {
    fn read(&mut self, buffer: &mut [u8]) -> io::Result<usize> {
        let most = usize::try_from(self.left)
            .unwrap_or(usize::MAX)
            .min(buffer.len());
        let Some(buffer) = buffer.get_mut(..most).filter(|buffer| !buffer.is_empty()) else {
            return Ok(0);
        };
        let read = if self.is_short || self.failed.is_some() {
            Ok(0)
        } else {
            self.file.read(buffer)
        };
        let read = match read {
            Ok(0) => {
                self.is_short |= self.failed.is_none();
                buffer.fill(0);
                most
            }
            Ok(read) => read,
            Err(error) if error.kind() == io::ErrorKind::Interrupted => return Err(error),
            Err(error) => {
                self.failed = Some(error);
                buffer.fill(0);
                most
            }
        };
        self.left -= read as u64;
        Ok(read)
    }
}
