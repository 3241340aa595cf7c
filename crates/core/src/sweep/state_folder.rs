//! Where this program keeps its logs and dustpans.

use std::fs::{self, DirBuilder, File, OpenOptions};
use std::io;
use std::os::unix::fs::{DirBuilderExt as _, OpenOptionsExt as _};
use std::path::{Path, PathBuf};

/// The state folder: `logs/`, `rehearsals/`, `dustpan/`, `sheets/`, `exclusions/` and `rulebooks/`, readable by
/// nobody else.
#[derive(Clone, Debug, PartialEq, Eq)]
pub struct StateFolder {
    path: PathBuf,
}

/// Why the state folder can't be used.
#[derive(Debug, thiserror::Error)]
#[error("cannot {verb} {}", path.display())]
pub struct StateError {
    /// What was tried.
    pub verb: &'static str,
    /// Where.
    pub path: PathBuf,
    /// What the kernel said.
    pub source: io::Error,
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

    /// Its path.
    pub fn path(&self) -> &Path {
        &self.path
    }

    /// Where the logs are.
    pub fn logs(&self) -> PathBuf {
        self.path.join("logs")
    }

    /// The log of a run.
    pub fn log(&self, run: &str) -> PathBuf {
        self.logs().join(format!("{run}.jsonl"))
    }

    /// The record of a rehearsal.
    pub fn rehearsal(&self, run: &str) -> PathBuf {
        self.rehearsal_folder().join(format!("{run}.jsonl"))
    }

    fn rehearsal_folder(&self) -> PathBuf {
        self.path.join("rehearsals")
    }

    /// The rehearsals that are stored, oldest first.
    ///
    /// # Errors
    /// When the folder is there but can't be read.
    pub fn rehearsals(&self) -> Result<Vec<String>, StateError> {
        runs_in(&self.rehearsal_folder())
    }

    /// Where dustpans are, and the records of all of them.
    pub fn dustpan_folder(&self) -> PathBuf {
        self.path.join("dustpan")
    }

    /// The record of what a run set aside.
    pub fn dustpan_record(&self, run: &str) -> PathBuf {
        self.dustpan_folder().join(format!("{run}.jsonl"))
    }

    /// The dustpan of a run, unless another folder had more room.
    pub fn dustpan(&self, run: &str) -> PathBuf {
        self.dustpan_folder().join(archive_of(run))
    }

    /// The runs that have a dustpan, oldest first.
    ///
    /// # Errors
    /// When the folder is there but can't be read.
    pub fn dustpans(&self) -> Result<Vec<String>, StateError> {
        runs_in(&self.dustpan_folder())
    }

    /// Where the job sheets are.
    pub fn sheets(&self) -> PathBuf {
        self.path.join("sheets")
    }

    /// The job sheet of the computer with this identity; the name says nothing of it.
    pub fn sheet(&self, identity: &str) -> PathBuf {
        self.sheets().join(file_of(identity))
    }

    /// What is excluded on the computer with this identity.
    pub fn exclusions(&self, identity: &str) -> PathBuf {
        self.path.join("exclusions").join(file_of(identity))
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
        for path in [
            self.path.clone(),
            self.logs(),
            self.dustpan_folder(),
            self.rehearsal_folder(),
            self.sheets(),
        ] {
            Self::make_private(&path)?;
        }
        Ok(())
    }

    /// Makes a folder and those above it, mode 0700.
    ///
    /// # Errors
    /// When it can't be made.
    pub fn make_private(path: &Path) -> Result<(), StateError> {
        let made = DirBuilder::new().recursive(true).mode(0o700).create(path);
        made.map_err(|source| StateError {
            verb: "make the folder",
            path: path.to_owned(),
            source,
        })
    }

    /// Makes a new file of a run, mode 0600; it must not be there yet.
    ///
    /// # Errors
    /// When it is there, or can't be made.
    pub fn create(path: &Path) -> Result<File, StateError> {
        let refuse = |source| StateError {
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
    pub fn runs(&self) -> Result<Vec<String>, StateError> {
        runs_in(&self.logs())
    }
}

/// The name of a run's archive.
pub(super) fn archive_of(run: &str) -> String {
    format!("{run}.tar.zst")
}

/// The runs that have a chained file in a folder.
fn runs_in(folder: &Path) -> Result<Vec<String>, StateError> {
    let refuse = |source| StateError {
        verb: "read",
        path: folder.to_owned(),
        source,
    };
    let entries = match fs::read_dir(folder) {
        Ok(entries) => entries,
        Err(error) if error.kind() == io::ErrorKind::NotFound => return Ok(Vec::new()),
        Err(error) => return Err(refuse(error)),
    };
    let mut runs = Vec::new();
    for entry in entries {
        let name = entry.map_err(refuse)?.file_name();
        let run = name.to_str().and_then(|name| name.strip_suffix(".jsonl"));
        runs.extend(run.map(str::to_owned));
    }
    runs.sort();
    Ok(runs)
}
