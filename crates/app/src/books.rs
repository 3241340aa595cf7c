//! The rulebooks in force: named by the person, kept in the configuration folder, built in.

use std::path::{Path, PathBuf};

use etcetera::BaseStrategy as _;
use jolly_core::rulebook::{RuleSet, Rulebook, DocumentError, builtin};
use jolly_core::target::{Layout, Printable};

use crate::exit::{Exit, Refusal};

/// The technician's books first: those named, in the order given, then those of the configuration
/// folder by name; then the built-in one. Of the folder only the books of the layout count.
pub(crate) fn read_rules(layout: Layout, files: &[PathBuf]) -> Result<RuleSet, Refusal> {
    let mut books = Vec::new();
    for file in files {
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
    for file in kept_books()? {
        let (name, text) = read_book(&file)?;
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

/// The folder of the technician's own books.
pub(crate) fn folder() -> Option<PathBuf> {
    let base = etcetera::base_strategy::Xdg::new().ok()?;
    Some(base.config_dir().join("jolly-broom").join("rulebooks"))
}

/// The books in that folder, by name.
fn kept_books() -> Result<Vec<PathBuf>, Refusal> {
    let Some(folder) = folder() else {
        return Ok(Vec::new());
    };
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

/// A rulebook's name and text.
pub(crate) fn read_book(file: &Path) -> Result<(String, String), Refusal> {
    use std::os::unix::ffi::OsStrExt as _;
    let name = Printable(file.as_os_str().as_bytes()).to_string();
    let refuse = |what: String| Refusal {
        exit: Exit::BadInput,
        message: format!("cannot read the rulebook {name}: {what}\n  give a TOML file"),
    };
    let bytes = std::fs::read(file).map_err(|error| refuse(error.to_string()))?;
    let text = String::from_utf8(bytes)
        .ok()
        .ok_or_else(|| refuse("it is not UTF-8 text".to_owned()))?;
    Ok((name, text))
}
