//! Where this program keeps its logs and dustpans.

use std::fs::{self, File, OpenOptions};
use std::io;
use std::os::unix::fs::OpenOptionsExt as _;
use std::path::{Path, PathBuf};

use jolly_disk::{Distrust, make_trusted_folder, trusted_file, trusted_folder};

use crate::state::RunId;

/// The state folder: `logs/`, `rehearsals/`, `commands/`, `wipes/`, `dustpan/`, `exclusions/`, `belongs/`, `rulebooks/` and `locks/`,
/// readable by nobody else.
///
/// # Invariants
/// It and every file in it belong to this process's user or to root, and so does the way to it; nobody
/// else may write there ([`jolly_disk::trusted_file`]). What isn't so is not used.
#[derive(Clone, Debug, PartialEq, Eq)]
pub struct StateFolder {
    path: PathBuf,
}

/// Why the state folder can't be used.
#[derive(Debug, thiserror::Error)]
#[expect(missing_docs, reason = "the message names the fields")]
pub enum StateError {
    #[error("cannot {verb} {}", path.display())]
    Disk {
        verb: &'static str,
        path: PathBuf,
        source: io::Error,
    },
    #[error("what is kept from visit to visit can't be trusted")]
    Doubted { source: Distrust },
}

impl From<Distrust> for StateError {
    fn from(error: Distrust) -> Self {
        match error {
            Distrust::Disk { verb, path, source } => Self::Disk { verb, path, source },
            source => Self::Doubted { source },
        }
    }
}

impl StateError {
    /// Whether what is there can't be trusted, and isn't just unusable.
    pub fn is_doubt(&self) -> bool {
        matches!(self, Self::Doubted { source } if source.is_doubt())
    }
}

/// The name of a computer's files; it says nothing of the computer.
fn file_of(identity: &str) -> String {
    let hash = blake3::hash(identity.as_bytes()).to_hex();
    format!("{}.toml", hash.get(..32).unwrap_or(&hash))
}

impl StateFolder {
    /// The folder at this path; nothing is touched yet.
    pub fn new(path: PathBuf) -> Self {
        Self { path }
    }

    /// The folder at this path, which need not be there yet.
    ///
    /// # Errors
    /// When it, a folder in it or one on the way to it belongs to somebody else, or others may write
    /// there.
    pub fn open(path: PathBuf) -> Result<Self, StateError> {
        let state = Self { path };
        for folder in state.folders() {
            trusted_folder(&folder)?;
        }
        Ok(state)
    }

    /// It and every folder in it.
    fn folders(&self) -> [PathBuf; 10] {
        [
            self.path.clone(),
            self.logs(),
            self.dustpan_folder(),
            self.rehearsal_folder(),
            self.command_folder(),
            self.wipe_folder(),
            self.path.join("exclusions"),
            self.path.join("belongs"),
            self.path.join("rulebooks"),
            self.locks(),
        ]
    }

    /// Where the locks are that keep two sweeps of one target apart.
    pub fn locks(&self) -> PathBuf {
        self.path.join("locks")
    }

    /// Opens a file of the folder to be read; nothing when it isn't there.
    ///
    /// # Errors
    /// When it can't be trusted, or can't be read.
    pub fn open_file(path: &Path) -> Result<Option<File>, StateError> {
        Ok(trusted_file(path)?)
    }

    /// Opens a file of the folder to be gone on with.
    ///
    /// # Errors
    /// When it isn't there, can't be trusted, or can't be written.
    pub fn reopen(path: &Path) -> Result<File, StateError> {
        let refuse = |source| StateError::Disk {
            verb: "go on with",
            path: path.to_owned(),
            source,
        };
        Self::open_file(path)?.ok_or_else(|| refuse(io::ErrorKind::NotFound.into()))?;
        // Nobody else can have put another file there since.
        OpenOptions::new().append(true).open(path).map_err(refuse)
    }

    /// Its path.
    pub fn path(&self) -> &Path {
        &self.path
    }

    /// Where the logs are.
    pub fn logs(&self) -> PathBuf {
        self.path.join("logs")
    }

    /// The log of a run.
    pub fn log(&self, run: &RunId) -> PathBuf {
        self.logs().join(format!("{run}.jsonl"))
    }

    /// The record of a rehearsal.
    pub fn rehearsal(&self, run: &RunId) -> PathBuf {
        self.rehearsal_folder().join(format!("{run}.jsonl"))
    }

    pub(crate) fn rehearsal_folder(&self) -> PathBuf {
        self.path.join("rehearsals")
    }

    /// The rehearsals that are stored, oldest first.
    ///
    /// # Errors
    /// When the folder is there but can't be read.
    pub fn rehearsals(&self) -> Result<Vec<RunId>, StateError> {
        runs_in(&self.rehearsal_folder())
    }

    /// The log of a tool of the system that was run.
    pub fn command(&self, run: &RunId) -> PathBuf {
        self.command_folder().join(format!("{run}.jsonl"))
    }

    pub(crate) fn command_folder(&self) -> PathBuf {
        self.path.join("commands")
    }

    /// The tools that were run, oldest first.
    ///
    /// # Errors
    /// When the folder is there but can't be read.
    pub fn stored_commands(&self) -> Result<Vec<RunId>, StateError> {
        runs_in(&self.command_folder())
    }

    /// The record of a volume or disk that was written over.
    pub fn wipe(&self, run: &RunId) -> PathBuf {
        self.wipe_folder().join(format!("{run}.jsonl"))
    }

    fn wipe_folder(&self) -> PathBuf {
        self.path.join("wipes")
    }

    /// What was written over, oldest first.
    ///
    /// # Errors
    /// When the folder is there but can't be read.
    pub fn stored_wipes(&self) -> Result<Vec<RunId>, StateError> {
        runs_in(&self.wipe_folder())
    }

    /// Where dustpans are, and the records of all of them.
    pub fn dustpan_folder(&self) -> PathBuf {
        self.path.join("dustpan")
    }

    /// The record of what a run set aside.
    pub fn dustpan_record(&self, run: &RunId) -> PathBuf {
        self.dustpan_folder().join(format!("{run}.jsonl"))
    }

    /// The dustpan of a run, unless another folder had more room.
    pub fn dustpan(&self, run: &RunId) -> PathBuf {
        self.dustpan_folder().join(archive_of(run))
    }

    /// The runs that have a dustpan, oldest first.
    ///
    /// # Errors
    /// When the folder is there but can't be read.
    pub fn dustpans(&self) -> Result<Vec<RunId>, StateError> {
        runs_in(&self.dustpan_folder())
    }

    /// Where registry hives lie packed as they were before something in them was turned off or on.
    pub fn hives(&self) -> PathBuf {
        self.path.join("hives")
    }

    /// The store of all job sheets.
    pub fn sheet_store(&self) -> PathBuf {
        self.path.join("sheets.sqlite")
    }

    /// What is excluded on the computer with this identity.
    pub fn exclusions(&self, identity: &str) -> PathBuf {
        self.path.join("exclusions").join(file_of(identity))
    }

    /// Which names belong to which program on the computer with this identity.
    pub fn belongs(&self, identity: &str) -> PathBuf {
        self.path.join("belongs").join(file_of(identity))
    }

    /// Which folders are meant to be the same on the computer with this identity.
    pub fn meant_the_same(&self, identity: &str) -> PathBuf {
        self.path.join("same").join(file_of(identity))
    }

    /// Where the space of the computer with this identity was at the last look, and at the one of the visit before.
    pub fn space_looks(&self, identity: &str) -> [PathBuf; 2] {
        let folder = self.path.join("space");
        let file = file_of(identity);
        [folder.join(&file), folder.join("before").join(file)]
    }

    /// The own rulebook of the computer with this identity.
    pub fn rulebook(&self, identity: &str) -> PathBuf {
        self.path.join("rulebooks").join(file_of(identity))
    }

    /// Makes the folders, mode 0700.
    ///
    /// # Errors
    /// When they can't be made.
    pub fn make(&self) -> Result<(), StateError> {
        for path in self.folders() {
            Self::make_private(&path)?;
        }
        Ok(())
    }

    /// Makes a folder and those above it, mode 0700.
    ///
    /// # Errors
    /// When it can't be made, or can't be trusted.
    pub fn make_private(path: &Path) -> Result<(), StateError> {
        make_trusted_folder(path)?;
        Ok(())
    }

    /// Makes a new file of a run, mode 0600; it must not be there yet.
    ///
    /// # Errors
    /// When it is there, or can't be made.
    pub fn create(path: &Path) -> Result<File, StateError> {
        let refuse = |source| StateError::Disk {
            verb: "make",
            path: path.to_owned(),
            source,
        };
        let file = OpenOptions::new()
            .append(true)
            .create_new(true)
            .mode(0o600)
            .open(path)
            .map_err(refuse)?;
        // The name itself has to survive a power cut, too.
        if let Some(folder) = path.parent() {
            File::open(folder)
                .and_then(|folder| folder.sync_all())
                .map_err(refuse)?;
        }
        Ok(file)
    }

    /// The runs that have a log, oldest first.
    ///
    /// # Errors
    /// When the folder is there but can't be read.
    pub fn runs(&self) -> Result<Vec<RunId>, StateError> {
        runs_in(&self.logs())
    }
}

/// The name of a run's archive.
pub(crate) fn archive_of(run: &RunId) -> String {
    format!("{run}.tar.zst")
}

/// The runs that have a chained file in a folder.
fn runs_in(folder: &Path) -> Result<Vec<RunId>, StateError> {
    let refuse = |source| StateError::Disk {
        verb: "read",
        path: folder.to_owned(),
        source,
    };
    trusted_folder(folder)?;
    let entries = match fs::read_dir(folder) {
        Ok(entries) => entries,
        Err(error) if error.kind() == io::ErrorKind::NotFound => return Ok(Vec::new()),
        Err(error) => return Err(refuse(error)),
    };
    let mut runs = Vec::new();
    for entry in entries {
        let name = entry.map_err(refuse)?.file_name();
        let run = name.to_str().and_then(|name| name.strip_suffix(".jsonl"));
        runs.extend(run.and_then(|run| run.parse::<RunId>().ok()));
    }
    runs.sort();
    Ok(runs)
}
