//! The rulebooks in force: named by the person, kept in the configuration folder, built in.

use std::path::{Path, PathBuf};

use etcetera::BaseStrategy as _;
use jolly_core::computer::Layout;
use jolly_core::error_chain;
use jolly_core::format::{DocumentError, Printable};
use jolly_core::rule::{RuleSet, Rulebook, builtin};
use jolly_core::state::MOST_BYTES;
use jolly_disk::{Distrust, read_regular, read_trusted};

use crate::exit::{Exit, Refusal};

/// The rulebooks that may be in force.
pub(crate) struct Shelf<'a> {
    /// Named by the person, in the order given.
    pub named: &'a [PathBuf],
    /// The computer's own, by name and text.
    pub own: Option<(String, String)>,
    /// The technician's configuration folder.
    pub config: Option<&'a Path>,
}

/// The technician's books first: those named, then the computer's own, then those of the
/// configuration folder by name; then the built-in one. Of the kept ones only the books of the
/// layout count.
pub(crate) fn read_rules(layout: Layout, shelf: &Shelf<'_>) -> Result<RuleSet, Refusal> {
    let mut books = Vec::new();
    for file in shelf.named {
        let (name, text) = read_book(file)?;
        let (book, _) = Rulebook::parse(&name, &text).map_err(|error| refuse(&error))?;
        if book.layout != layout {
            return Err(Refusal {
                exit: Exit::BadInput,
                message: format!(
                    "the rulebook {name} is for {}, and this target is {}\n  \
                     leave it out, or name the target's layout with --layout",
                    book.layout.name(),
                    layout.name()
                ),
            });
        }
        books.push((name, text));
    }
    let mut kept: Vec<(String, String)> = shelf.own.clone().into_iter().collect();
    for file in kept_books(shelf.config)? {
        kept.push(read_book(&file)?);
    }
    for (name, text) in kept {
        let (book, _) = Rulebook::parse(&name, &text).map_err(|error| refuse(&error))?;
        if book.layout == layout {
            books.push((name, text));
        }
    }
    books.push(builtin(layout));
    RuleSet::compile(&books).map_err(|error| refuse(&error))
}

fn refuse(error: &DocumentError) -> Refusal {
    Refusal {
        exit: Exit::BadInput,
        message: error.to_string(),
    }
}

/// The technician's own folder, unless the options name one.
pub(crate) fn config_folder(given: Option<&Path>) -> Option<PathBuf> {
    if let Some(folder) = given {
        return Some(folder.to_owned());
    }
    let base = etcetera::base_strategy::Xdg::new().ok()?;
    Some(base.config_dir().join("jolly-broom"))
}

/// The books in that folder, by name.
fn kept_books(config: Option<&Path>) -> Result<Vec<PathBuf>, Refusal> {
    let Some(folder) = config.map(|config| config.join("rulebooks")) else {
        return Ok(Vec::new());
    };
    match jolly_disk::trusted_folder(&folder) {
        Ok(Some(_)) => {}
        Ok(None) => return Ok(Vec::new()),
        Err(error) => {
            let advice = "make it and the folders above it yours, for nobody else to write to, or move it away";
            return Err(Refusal::bad_input(&error, advice));
        }
    }
    let entries = match std::fs::read_dir(&folder) {
        Ok(entries) => entries,
        Err(error) if error.kind() == std::io::ErrorKind::NotFound => return Ok(Vec::new()),
        Err(error) => {
            return Err(Refusal {
                exit: Exit::BadInput,
                message: format!(
                    "cannot read the folder of rulebooks {}: {error}\n  make it readable, or move it away",
                    folder.display()
                ),
            });
        }
    };
    let mut books: Vec<PathBuf> = entries
        .flatten()
        .map(|entry| entry.path())
        .filter(|path| path.extension().is_some_and(|ending| ending == "toml"))
        .collect();
    books.sort();
    Ok(books)
}

/// The name and text of a rulebook that is to be obeyed: nobody else can have written it.
pub(crate) fn read_book(file: &Path) -> Result<(String, String), Refusal> {
    let bytes = read_trusted(file, MOST_BYTES);
    let absent = || Distrust::Disk {
        verb: "read",
        path: file.to_owned(),
        source: std::io::ErrorKind::NotFound.into(),
    };
    text_of(file, bytes.and_then(|bytes| bytes.ok_or_else(absent)))
}

/// The name and text of a rulebook that is only to be checked, whoever wrote it.
pub(crate) fn read_book_to_check(file: &Path) -> Result<(String, String), Refusal> {
    text_of(file, read_regular(file, MOST_BYTES))
}

fn text_of(file: &Path, bytes: Result<Vec<u8>, Distrust>) -> Result<(String, String), Refusal> {
    use std::os::unix::ffi::OsStrExt as _;
    let name = Printable(file.as_os_str().as_bytes()).to_string();
    let refuse = |what: String| Refusal {
        exit: Exit::BadInput,
        message: format!("cannot read the rulebook {name}: {what}\n  give a TOML file"),
    };
    let bytes = bytes.map_err(|error| refuse(error_chain(&error)))?;
    let text = String::from_utf8(bytes)
        .ok()
        .ok_or_else(|| refuse("it is not UTF-8 text".to_owned()))?;
    Ok((name, text))
}
