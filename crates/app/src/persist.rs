//! What is remembered from visit to visit: exclusions, how the shop starts, extra places.

use std::os::unix::fs::MetadataExt as _;
use std::path::{Path, PathBuf};

use jolly_core::decide::{
    Exclusion, Scope, Starts, change_exclusions, change_starts, read_exclusions, read_starts,
};
use jolly_core::error_chain;
use jolly_core::state::{KeptError, StateFolder, read_text, shown_name, write_whole};
use jolly_core::survey::{Belongs, MeantTheSame};
use serde::{Deserialize, Serialize};

use crate::exit::Refusal;

/// Where what is remembered of a computer lies.
#[derive(Clone, Debug)]
pub(crate) struct Files {
    /// What is excluded on all computers.
    pub everywhere: Option<PathBuf>,
    /// What is excluded on this one.
    pub computer: PathBuf,
    /// How the shop starts.
    pub starts: Option<PathBuf>,
    /// Which names belong to which program, on all computers.
    pub belongs: Option<PathBuf>,
    /// The same, on this one.
    pub computer_belongs: PathBuf,
    /// Which folders of this one are meant to be the same.
    pub meant_the_same: PathBuf,
    /// What this person has done before.
    pub done: Option<PathBuf>,
    /// The computer's own rulebook.
    pub rulebook: PathBuf,
}

impl Files {
    /// The files of a computer.
    pub(crate) fn of(state: &StateFolder, identity: &str, config: Option<&Path>) -> Self {
        Self {
            everywhere: config.map(|config| config.join("exclusions.toml")),
            computer: state.exclusions(identity),
            starts: config.map(|config| config.join("start.toml")),
            belongs: config.map(|config| config.join("belongs.toml")),
            computer_belongs: state.belongs(identity),
            meant_the_same: state.meant_the_same(identity),
            done: config.map(|config| config.join("done.toml")),
            rulebook: state.rulebook(identity),
        }
    }

    /// Whether anything is kept for the computer itself; its job sheet lies elsewhere.
    pub(crate) fn keeps_something(&self) -> bool {
        let own = [
            &self.computer,
            &self.computer_belongs,
            &self.rulebook,
            &self.meant_the_same,
        ];
        own.iter().any(|file| file.exists())
    }

    /// The file of the exclusions that count there.
    pub(crate) fn exclusions(&self, scope: Scope) -> Option<&Path> {
        match scope {
            Scope::Run => None,
            Scope::Computer => Some(&self.computer),
            Scope::Everywhere => self.everywhere.as_deref(),
        }
    }

    /// Everything that is excluded, for all computers first.
    pub(crate) fn read_exclusions(&self) -> Result<Vec<Exclusion>, KeptError> {
        let mut all = Vec::new();
        for scope in [Scope::Everywhere, Scope::Computer] {
            let Some(path) = self.exclusions(scope) else {
                continue;
            };
            if let Some(text) = read_text(path)? {
                all.extend(read_exclusions(&shown_name(path), &text, scope)?);
            }
        }
        Ok(all)
    }

    /// How the shop starts.
    pub(crate) fn read_starts(&self) -> Result<Starts, KeptError> {
        let Some(path) = &self.starts else {
            return Ok(Starts::default());
        };
        match read_text(path)? {
            Some(text) => Ok(read_starts(&shown_name(path), &text)?),
            None => Ok(Starts::default()),
        }
    }

    /// Which names belong to which program: what is built in, and what the technician adds.
    pub(crate) fn read_belongs(&self) -> Result<Belongs, KeptError> {
        let mut belongs = Belongs::built_in();
        let files = self.belongs.iter().chain([&self.computer_belongs]);
        for path in files {
            if let Some(text) = read_text(path)? {
                belongs.add(&shown_name(path), &text)?;
            }
        }
        Ok(belongs)
    }

    /// Which folders of the computer are meant to be the same.
    pub(crate) fn read_meant_the_same(&self) -> Result<MeantTheSame, KeptError> {
        let path = &self.meant_the_same;
        match read_text(path)? {
            Some(text) => Ok(MeantTheSame::read(&shown_name(path), &text)?),
            None => Ok(MeantTheSame::default()),
        }
    }

    /// What this person has done before, by the names of the stations. A file that can't be read is
    /// none: it only leaves out lines of help.
    pub(crate) fn read_done(&self) -> Vec<String> {
        let text = self.done.as_deref().and_then(|path| read_text(path).ok()?);
        let read = text.and_then(|text| toml::from_str::<DoneFile>(&text).ok());
        read.map_or_else(Vec::new, |read| read.done)
    }

    /// The computer's own rulebook, by name and text.
    pub(crate) fn read_rulebook(&self) -> Result<Option<(String, String)>, KeptError> {
        let text = read_text(&self.rulebook)?;
        Ok(text.map(|text| (shown_name(&self.rulebook), text)))
    }
}

/// The file of what a person has done before.
#[derive(Serialize, Deserialize)]
struct DoneFile {
    done: Vec<String>,
}

/// Keeps what a person has done before, in a home of their own: an administrator who works in somebody
/// else's makes no folder there.
pub(crate) fn keep_done(files: &Files, names: &[String]) -> Result<(), KeptError> {
    let path = files.done.as_deref().ok_or_else(nowhere)?;
    let mut above = path.ancestors().skip(1);
    let nearest = above.find_map(|folder| std::fs::metadata(folder).ok());
    if nearest.is_none_or(|folder| folder.uid() != jolly_disk::runner()) {
        return Ok(());
    }
    let file = DoneFile {
        done: names.to_vec(),
    };
    let list = toml::to_string(&file).unwrap_or_default();
    let text = format!("# Steps that were done before: their line of help is left out.\n{list}");
    write_whole(path, &text)
}

/// What to do about a file that can't be used.
pub(crate) fn refuse(error: &KeptError) -> Refusal {
    let advice = match error {
        KeptError::Document(_) => "",
        KeptError::Disk { .. } => "make that file readable, or move it away",
        KeptError::Doubted { .. } => {
            "make it and the folders above it yours, for nobody else to write to, or move it away"
        }
    };
    Refusal::bad_input(error, advice)
}

/// Keeps changed exclusions in the files of their scopes; those of one run are kept nowhere.
pub(crate) fn keep_exclusions(
    files: &Files,
    before: &[Exclusion],
    after: &[Exclusion],
) -> Result<(), String> {
    let changed = || -> Result<(), KeptError> {
        for scope in [Scope::Everywhere, Scope::Computer] {
            let of_scope = |all: &[Exclusion]| -> Vec<Exclusion> {
                let own = all.iter().filter(|one| one.scope == scope);
                own.cloned().collect()
            };
            let (old, new) = (of_scope(before), of_scope(after));
            if old == new {
                continue;
            }
            let path = files.exclusions(scope).ok_or_else(nowhere)?;
            let text = read_text(path)?;
            let text = change_exclusions(&shown_name(path), text.as_deref(), &old, &new)?;
            write_whole(path, &text)?;
        }
        Ok(())
    };
    changed().map_err(|error| not_kept(&error))
}

/// There is no configuration folder to keep anything in.
fn nowhere() -> KeptError {
    KeptError::Disk {
        verb: "find",
        path: PathBuf::from("the configuration folder"),
        source: std::io::ErrorKind::NotFound.into(),
    }
}

/// Keeps that a name belongs to a program, on this computer or on all.
pub(crate) fn keep_belongs(files: &Files, scope: Scope, said: (&str, &str)) -> Result<(), String> {
    let changed = || -> Result<(), KeptError> {
        let path = match scope {
            Scope::Everywhere => files.belongs.as_deref().ok_or_else(nowhere)?,
            Scope::Run | Scope::Computer => &files.computer_belongs,
        };
        let text = read_text(path)?;
        let text = Belongs::write_name(&shown_name(path), text.as_deref(), said)?;
        write_whole(path, &text)
    };
    changed().map_err(|error| not_kept(&error))
}

/// Keeps that two folders are meant to be the same, or are not any more.
pub(crate) fn keep_meant_the_same(
    files: &Files,
    folders: (&str, &str),
    is_meant: bool,
) -> Result<(), String> {
    let changed = || -> Result<(), KeptError> {
        let path = &files.meant_the_same;
        let text = read_text(path)?;
        let text = MeantTheSame::write(&shown_name(path), text.as_deref(), folders, is_meant)?;
        write_whole(path, &text)
    };
    changed().map_err(|error| not_kept(&error))
}

/// Keeps how the shop starts.
pub(crate) fn keep_starts(files: &Files, before: &Starts, after: &Starts) -> Result<(), String> {
    let changed = || -> Result<(), KeptError> {
        let path = files.starts.as_deref().ok_or_else(nowhere)?;
        let text = read_text(path)?;
        let text = change_starts(&shown_name(path), text.as_deref(), before, after)?;
        write_whole(path, &text)
    };
    changed().map_err(|error| not_kept(&error))
}

fn not_kept(error: &KeptError) -> String {
    let story = error_chain(error);
    let first = story.lines().take(2).map(str::trim).collect::<Vec<_>>();
    format!(
        "It counts for now, but is not remembered: {}",
        first.join(" ")
    )
}
