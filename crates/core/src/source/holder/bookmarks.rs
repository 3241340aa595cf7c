//! The bookmarks of a browser profile, in the form that every browser reads in.

use std::collections::BTreeMap;
use std::ffi::CStr;
use std::io;

use jolly_disk::{Disk, Folder};

use crate::cancel::CancelToken;
use crate::format::Family;
use crate::format::bookmark_file::{Bookmark, bookmark_file, read_chromium};
use crate::source::holder::{HolderError, MOST_BYTES, read_database, read_file};

/// The bookmarks in a file of a profile, as a file that browsers read in; nothing where there are none.
///
/// # Errors
/// When they can't be read, or not as what they should be.
pub(crate) fn read_bookmarks(
    disk: &dyn Disk,
    place: (&Folder, &CStr),
    family: Family,
) -> Result<Option<Vec<u8>>, HolderError> {
    let read = match family {
        Family::Chromium => read_file(disk, place, MOST_BYTES).and_then(|(_, json)| {
            read_chromium(&json).map_err(|error| HolderError::Bookmarks(Some(error)))
        }),
        Family::Gecko => read_gecko(disk, place),
    };
    match read {
        Ok(bookmarks) if bookmarks.is_empty() => Ok(None),
        Ok(bookmarks) => Ok(Some(bookmark_file(&bookmarks))),
        Err(HolderError::Read(error)) if error.kind() == io::ErrorKind::NotFound => Ok(None),
        Err(error) => Err(error),
    }
}

/// The addresses of all bookmarks in a database of the Gecko family; none where it isn't there.
///
/// # Errors
/// When it can't be read.
pub(super) fn addresses_in_database(
    disk: &dyn Disk,
    place: (&Folder, &CStr),
) -> Result<Vec<String>, HolderError> {
    match read_database(disk, place, &CancelToken::default()) {
        Ok(database) => {
            let mut addresses = Vec::new();
            database.ask(
                &["moz_bookmarks.fk", "moz_places.url"],
                "SELECT p.url FROM moz_bookmarks b JOIN moz_places p ON p.id = b.fk",
                &mut |row| {
                    addresses.extend(row.get::<_, String>(0).ok());
                    Ok(())
                },
            )?;
            Ok(addresses)
        }
        Err(HolderError::Read(error)) if error.kind() == io::ErrorKind::NotFound => Ok(Vec::new()),
        Err(error) => Err(error),
    }
}

/// What a row of its bookmarks is.
const PAGE: i64 = 1;
const FOLDER: i64 = 2;

/// The folder in which it keeps labels of pages, which are folders with the same pages once more.
const LABELS: &str = "tags________";

/// A row of the bookmarks, and where it stands.
struct Row {
    id: i64,
    kind: i64,
    name: String,
    address: Option<String>,
    added: Option<i64>,
}

fn read_gecko(disk: &dyn Disk, place: (&Folder, &CStr)) -> Result<Vec<Bookmark>, HolderError> {
    let database = read_database(disk, place, &CancelToken::default())?;
    let mut by_parent: BTreeMap<i64, Vec<Row>> = BTreeMap::new();
    let mut labels = None;
    database.ask(
        &["moz_bookmarks.guid", "moz_bookmarks.fk", "moz_places.url"],
        "SELECT b.id, b.type, b.parent, b.title, b.dateAdded, b.guid, p.url FROM moz_bookmarks b \
        LEFT JOIN moz_places p ON p.id = b.fk ORDER BY b.parent, b.position, b.id",
        &mut |row| {
            // Values of another type than they should have are as good as none.
            let text = |at: usize| row.get::<_, String>(at).ok();
            let number = |at: usize| row.get::<_, i64>(at).ok();
            let id = row.get(0)?;
            if text(5).as_deref() == Some(LABELS) {
                labels = Some(id);
                return Ok(());
            }
            by_parent
                .entry(number(2).unwrap_or(0))
                .or_default()
                .push(Row {
                    id,
                    kind: number(1).unwrap_or(0),
                    name: text(3).unwrap_or_default(),
                    address: text(6),
                    added: number(4).map(|at| at / 1_000_000),
                });
            Ok(())
        },
    )?;
    if let Some(labels) = labels {
        let folders = by_parent.remove(&labels).unwrap_or_default();
        for label in folders {
            by_parent.remove(&label.id);
        }
    }
    // The root stands above nothing, and a folder that nothing leads to is a root of its own.
    let mut bookmarks = Vec::new();
    while let Some((&parent, _)) = by_parent.first_key_value() {
        bookmarks.extend(within(&mut by_parent, parent, 0));
    }
    Ok(bookmarks.into_iter().filter(holds_any).collect())
}

/// Folders within folders, beyond which they stand beside each other.
const DEEPEST: usize = 60;

/// What is in a folder; each is taken out, so that a circle of folders ends.
fn within(by_parent: &mut BTreeMap<i64, Vec<Row>>, parent: i64, depth: usize) -> Vec<Bookmark> {
    let rows = by_parent.remove(&parent).unwrap_or_default();
    let mut bookmarks = Vec::new();
    for row in rows {
        match (row.kind, row.address) {
            (PAGE, Some(address)) => bookmarks.push(Bookmark::Page {
                name: row.name,
                address,
                added: row.added,
            }),
            (FOLDER, _) if depth < DEEPEST => bookmarks.push(Bookmark::Folder {
                within: within(by_parent, row.id, depth + 1),
                name: row.name,
            }),
            _ => {}
        }
    }
    bookmarks
}

/// Whether there is a page in it.
fn holds_any(bookmark: &Bookmark) -> bool {
    match bookmark {
        Bookmark::Page { .. } => true,
        Bookmark::Folder { within, .. } => within.iter().any(holds_any),
    }
}
