//! Holders: files whose items aren't files but entries of a list, rows of a database, or keys and values of a registry.
//!
//! A holder is opened for reading without a trace on the target, lists its items, and makes itself anew without some of
//! them or with some more; whatever isn't asked for keeps its exact bytes. How the new one takes the place of the old is
//! the same for all of them (`run/workers/list.rs`, `dustpan/put_back/entries.rs`). A new kind of holder is a file
//! beside `list.rs`, a word in [`ListFormat`], and a line in [`Wanted::of`], [`read`] and [`blank`].

pub(crate) mod address;
pub(crate) mod bookmarks;
pub(crate) mod document;
mod list;
pub(crate) mod openers;
pub(crate) mod registry;
mod rows;
pub(crate) mod site_storage;

use std::collections::{BTreeSet, HashSet};
use std::ffi::{CStr, CString};
use std::fmt;
use std::io::{self, Read as _};
use std::os::unix::fs::MetadataExt as _;
use std::sync::Arc;

use jiff::Timestamp;
use jolly_disk::{Disk, Folder, Kind, Stat};
use serde::{Deserialize, Serialize};

use crate::cancel::CancelToken;
use crate::computer::Target;
use crate::format::sqlite::{Image, SqliteError, is_hot};
use crate::format::windows::hive::HiveError;
use crate::format::xbel::XbelError;
use crate::rule::{ListFormat, RecordSet, ReferenceKind};
use crate::source::holder::list::List;
use crate::source::holder::openers::Openers;
use crate::source::holder::registry::Registry;
use crate::source::holder::rows::{Beside, Database, Rows, SchemaError};

/// A longer list is left alone, in bytes: real ones have some hundred thousand.
pub(crate) const MOST_BYTES: u64 = 16 << 20;

/// A longer database is left alone, in bytes: a browser keeps its own at some ten million, and whole ones are held in
/// memory.
const MOST_DATABASE: u64 = 512 << 20;

/// What tells an item of a holder from any other, and from itself with other contents: the first half of the BLAKE3
/// of its exported form.
#[derive(Clone, Copy, Debug, PartialEq, Eq, Hash, PartialOrd, Ord, Serialize, Deserialize)]
#[serde(into = "String", try_from = "String")]
pub struct Fingerprint(u128);

impl Fingerprint {
    /// That of an exported item.
    pub fn of(exported: &[u8]) -> Self {
        let hash = blake3::hash(exported);
        let half = hash.as_bytes().first_chunk().copied().unwrap_or_default();
        Self(u128::from_le_bytes(half))
    }

    /// Its bytes.
    pub(crate) fn to_bytes(self) -> [u8; 16] {
        self.0.to_le_bytes()
    }
}

impl fmt::Display for Fingerprint {
    fn fmt(&self, out: &mut fmt::Formatter<'_>) -> fmt::Result {
        write!(out, "{:032x}", self.0)
    }
}

impl From<Fingerprint> for String {
    fn from(fingerprint: Fingerprint) -> Self {
        fingerprint.to_string()
    }
}

impl TryFrom<String> for Fingerprint {
    type Error = std::num::ParseIntError;

    fn try_from(text: String) -> Result<Self, Self::Error> {
        u128::from_str_radix(&text, 16).map(Self)
    }
}

/// One item of a holder.
#[derive(Clone, Debug, PartialEq, Eq)]
pub struct HolderItem {
    /// What it is called, as one part of a path below the holder (`holder/address.rs`).
    pub name: Vec<u8>,
    /// The time its age counts from, seconds since 1970; none where the holder says none.
    pub time: Option<i64>,
    /// By how much the holder is shorter without it, in bytes.
    pub size: u64,
    /// What it was when it was looked at.
    pub fingerprint: Fingerprint,
    /// Where its document lies, or all that a registry may mean by it, as the system that wrote it says; none where that is
    /// elsewhere.
    pub leads_to: Vec<Vec<u8>>,
    /// Of a row, the set that it is of.
    pub set: Option<Arc<RecordSet>>,
    /// Of a key or value of a registry, its sort.
    pub reference: Option<ReferenceKind>,
}

impl HolderItem {
    /// Of a row, the table that it stands in.
    pub fn table(&self) -> Option<&str> {
        self.set.as_ref().map(|set| &*set.table)
    }
}

/// What a holder is read for.
#[derive(Clone, Copy, Debug)]
pub(crate) enum Wanted<'a> {
    /// The entries of a list.
    Entries,
    /// The programs that open something.
    Openers,
    /// The keys and values of a registry hive that name files.
    References,
    /// The rows of these sets; a row is of the first that fits it.
    Rows(&'a [Arc<RecordSet>]),
    /// Restore points, which no file holds.
    Points,
}

impl<'a> Wanted<'a> {
    /// What is wanted of a holder in a format; of rows, these.
    pub(crate) fn of(format: ListFormat, sets: &'a [Arc<RecordSet>]) -> Self {
        match format {
            ListFormat::Xbel => Self::Entries,
            ListFormat::MimeApps => Self::Openers,
            ListFormat::Rows => Self::Rows(sets),
            ListFormat::Registry => Self::References,
            ListFormat::Snapshots => Self::Points,
        }
    }
}

/// Why a holder is left alone.
#[derive(Debug, thiserror::Error)]
pub(crate) enum HolderError {
    #[error("it can't be read: {0}")]
    Read(io::Error),
    #[error("it is larger than this program reads")]
    TooLarge,
    #[error("to read it takes more memory than there is")]
    NoMemory,
    #[error("it is no list of what opens what")]
    NoList,
    #[error("it is empty")]
    Empty,
    #[error("it is no regular file")]
    NoFile,
    #[error("it has other names, too")]
    HasOtherNames,
    #[error("it changed while it was read")]
    Changed,
    #[error(transparent)]
    Xbel(XbelError),
    #[error(transparent)]
    Hive(#[from] HiveError),
    #[error("its system is only asleep, and has it open")]
    Asleep,
    #[error(transparent)]
    Database(#[from] SqliteError),
    #[error(transparent)]
    Schema(#[from] SchemaError),
    #[error("it is damaged")]
    Damaged,
    #[error("it took too long, or all was stopped")]
    Interrupted,
    #[error("SQLite refuses it: {0}")]
    Sqlite(rusqlite::Error),
    #[error("a row can't be written down: {0}")]
    Json(serde_json::Error),
    #[error("the bookmarks beside it can't be read{}", why(.0.as_ref()))]
    Bookmarks(Option<serde_json::Error>),
    #[error("made anew it would not be what was meant")]
    NotAsMeant,
}

fn why(error: Option<&serde_json::Error>) -> String {
    error.map_or_else(String::new, |error| format!(": {error}"))
}

impl From<XbelError> for HolderError {
    fn from(error: XbelError) -> Self {
        Self::Xbel(error)
    }
}

impl From<rusqlite::Error> for HolderError {
    fn from(error: rusqlite::Error) -> Self {
        use rusqlite::ErrorCode::{
            DatabaseCorrupt, NotADatabase, OperationInterrupted, OutOfMemory,
        };
        match error.sqlite_error_code() {
            Some(DatabaseCorrupt) => Self::Damaged,
            Some(NotADatabase) => Self::Database(SqliteError::NoDatabase),
            Some(OutOfMemory) => Self::NoMemory,
            Some(OperationInterrupted) => Self::Interrupted,
            _ => Self::Sqlite(error),
        }
    }
}

/// Positions of items that couldn't come back, since something else stands where only one can.
pub(crate) type Refused = BTreeSet<usize>;

/// An open holder: what it held when it was read, and what it would be with fewer or more items.
pub(crate) trait Holder: Send {
    /// Its items.
    fn items(&self) -> &[HolderItem];

    /// How many things in it are no items: nobody can say what they are.
    fn unreadable(&self) -> u64;

    /// When it is made anew, for those that note that; else they note no other time than they have.
    fn changes_at(&mut self, _moment: Timestamp) {}

    /// The item at a position, in an open form from which [`Self::with`] makes it again.
    fn export(&mut self, at: usize) -> Result<Vec<u8>, HolderError>;

    /// What tells an exported item from others; nothing when it is none.
    fn fingerprint_of(&self, exported: &[u8]) -> Option<Fingerprint>;

    /// The bytes of the holder without these items. Nothing else is asked of it afterwards.
    fn without(&mut self, gone: &HashSet<Fingerprint>) -> Result<Vec<u8>, HolderError>;

    /// The bytes of the holder with these exported items behind its own, and which of them something stood in the way of.
    /// Nothing else is asked of it afterwards.
    fn with(&mut self, exported: &[Vec<u8>]) -> Result<(Vec<u8>, Refused), HolderError>;
}

/// A holder of a target that was read.
pub(crate) struct ReadHolder {
    /// What was looked at is what was read.
    pub stat: Stat,
    pub holder: Box<dyn Holder>,
    /// The write-ahead log beside a database, where it holds anything; and the database as it is with it.
    pub log: Option<WrittenLog>,
}

/// A write-ahead log that was read with its database.
pub(crate) struct WrittenLog {
    pub stat: Stat,
    /// The bytes of the database with all that the log holds.
    pub settled: Vec<u8>,
}

/// A holder without an item, where one can be made anew.
///
/// # Errors
/// When only its own program can.
pub(crate) fn blank(format: ListFormat) -> Result<Box<dyn Holder>, HolderError> {
    match format {
        ListFormat::Xbel => {
            let empty = crate::format::xbel::EMPTY.as_bytes().to_vec();
            Ok(Box::new(List::read(empty)?))
        }
        ListFormat::MimeApps => Ok(Box::new(Openers::read(b"", 0)?)),
        ListFormat::Rows | ListFormat::Registry | ListFormat::Snapshots => {
            Err(HolderError::Read(io::ErrorKind::NotFound.into()))
        }
    }
}

/// Reads a holder of a target; nothing of it is changed, and what was looked at is what was read. Once it is cancelled
/// nothing more is asked of a database, now or later.
///
/// # Errors
/// When it can't be read, is too large, has other names, changes meanwhile, or isn't in that format.
pub(crate) fn read(
    target: &Target,
    (folder, name): (&Folder, &CStr),
    wanted: Wanted<'_>,
    cancel: &CancelToken,
) -> Result<ReadHolder, HolderError> {
    let disk = &**target.disk();
    let sets = match wanted {
        Wanted::Entries => {
            let (stat, bytes) = read_file(disk, (folder, name), MOST_BYTES)?;
            return Ok(ReadHolder {
                stat,
                holder: Box::new(List::read(bytes)?),
                log: None,
            });
        }
        Wanted::Openers => {
            let (stat, bytes) = read_file(disk, (folder, name), MOST_BYTES)?;
            let holder = Box::new(Openers::read(&bytes, stat.modified.seconds)?);
            return Ok(ReadHolder {
                stat,
                holder,
                log: None,
            });
        }
        Wanted::References => {
            let (stat, hive) = registry::read_hive(target, (folder, name))?;
            return Ok(ReadHolder {
                stat,
                holder: Box::new(Registry::of(name.to_bytes(), hive)?),
                log: None,
            });
        }
        Wanted::Points => return Err(HolderError::NoFile),
        Wanted::Rows(sets) => sets,
    };
    let ReadImage { stat, image, log } = read_image(disk, (folder, name))?;
    let beside = Beside {
        bookmarked: bookmarked(disk, folder, sets)?,
    };
    let holder = Box::new(Rows::open(image, sets, &beside, cancel)?);
    Ok(ReadHolder { stat, holder, log })
}

/// A database that was read, with its write-ahead log.
struct ReadImage {
    stat: Stat,
    image: Image,
    log: Option<WrittenLog>,
}

/// Reads a database for what it says, without any of its rows going.
///
/// # Errors
/// As of [`read`].
pub(crate) fn read_database(
    disk: &dyn Disk,
    place: (&Folder, &CStr),
    cancel: &CancelToken,
) -> Result<Database, HolderError> {
    Ok(Database::open(&read_image(disk, place)?.image, cancel)?)
}

fn read_image(disk: &dyn Disk, (folder, name): (&Folder, &CStr)) -> Result<ReadImage, HolderError> {
    let side = |ending: &str| {
        let name = [name.to_bytes(), ending.as_bytes()].concat();
        CString::new(name).unwrap_or_default()
    };
    let journal = read_side(disk, folder, &side("-journal"), 512)?;
    if journal.is_some_and(|(_, journal)| is_hot(&journal)) {
        return Err(SqliteError::HotJournal.into());
    }
    let (stat, bytes) = read_file(disk, (folder, name), MOST_DATABASE)?;
    // Browsers leave such files behind when they break off early.
    if bytes.is_empty() {
        return Err(HolderError::Empty);
    }
    let log = read_side(disk, folder, &side("-wal"), MOST_DATABASE)?;
    let whole = bytes.len() as u64 + log.as_ref().map_or(0, |(_, log)| log.len() as u64);
    if !has_memory_for(whole) {
        return Err(HolderError::NoMemory);
    }
    let image = Image::new(bytes, log.as_ref().map_or(&[], |(_, log)| &log[..]))?;
    // What was read is what is there, if nothing was written meanwhile.
    let again = disk.stat(folder, name).map_err(HolderError::Read)?;
    if !again.is_unchanged_since(&stat) {
        return Err(HolderError::Changed);
    }
    let log = match log {
        Some((stat, _)) if image.has_log => Some(WrittenLog {
            stat,
            settled: image.written(),
        }),
        Some(_) | None => None,
    };
    Ok(ReadImage { stat, image, log })
}

/// Whether there is memory for some bytes of a database, several times over: as read, in SQLite, compacted, written.
fn has_memory_for(bytes: u64) -> bool {
    use procfs::Current as _;
    let known = procfs::Meminfo::current().ok();
    let available = known.and_then(|known| known.mem_available);
    available.is_none_or(|available| bytes.saturating_mul(4) < available)
}

/// Reads one file that must be regular and have one name.
fn read_file(
    disk: &dyn Disk,
    (folder, name): (&Folder, &CStr),
    most: u64,
) -> Result<(Stat, Vec<u8>), HolderError> {
    let before = disk.stat(folder, name).map_err(HolderError::Read)?;
    if before.kind != Kind::File {
        return Err(HolderError::NoFile);
    }
    // To make it anew would part it from its other names.
    if before.links > 1 {
        return Err(HolderError::HasOtherNames);
    }
    if before.size > most {
        return Err(HolderError::TooLarge);
    }
    let file = disk.open_file(folder, name).map_err(HolderError::Read)?;
    let opened = file.metadata().map_err(HolderError::Read)?;
    if opened.ino() != before.key.inode {
        return Err(HolderError::Changed);
    }
    let mut bytes = Vec::with_capacity(usize::try_from(before.size).unwrap_or(0));
    file.take(most + 1)
        .read_to_end(&mut bytes)
        .map_err(HolderError::Read)?;
    let after = disk.stat(folder, name).map_err(HolderError::Read)?;
    if !after.is_unchanged_since(&before) || after.size != bytes.len() as u64 {
        return Err(HolderError::Changed);
    }
    Ok((after, bytes))
}

/// Reads a file beside a database, of which only the beginning may count; nothing where there is none.
fn read_side(
    disk: &dyn Disk,
    folder: &Folder,
    name: &CStr,
    most: u64,
) -> Result<Option<(Stat, Vec<u8>)>, HolderError> {
    let stat = match disk.stat(folder, name) {
        Ok(stat) => stat,
        Err(error) if error.kind() == io::ErrorKind::NotFound => return Ok(None),
        Err(error) => return Err(HolderError::Read(error)),
    };
    if stat.kind != Kind::File {
        return Err(HolderError::NoFile);
    }
    if stat.size == 0 {
        return Ok(None);
    }
    if most < MOST_DATABASE {
        let file = disk.open_file(folder, name).map_err(HolderError::Read)?;
        let mut bytes = Vec::new();
        file.take(most)
            .read_to_end(&mut bytes)
            .map_err(HolderError::Read)?;
        return Ok(Some((stat, bytes)));
    }
    read_file(disk, (folder, name), most).map(Some)
}

/// The addresses that the bookmarks beside a database name, where rows of it depend on them.
fn bookmarked(
    disk: &dyn Disk,
    folder: &Folder,
    sets: &[Arc<RecordSet>],
) -> Result<BTreeSet<String>, HolderError> {
    let mut addresses = BTreeSet::new();
    let files: BTreeSet<&str> = rows::known_tables(sets)
        .flat_map(|known| known.bookmarks)
        .copied()
        .collect();
    for file in files {
        let name = CString::new(file).unwrap_or_default();
        if file.ends_with(".sqlite") {
            let known = bookmarks::addresses_in_database(disk, (folder, &name))
                .map_err(|_unread| HolderError::Bookmarks(None))?;
            addresses.extend(known);
            continue;
        }
        let bytes = match read_file(disk, (folder, &name), MOST_BYTES) {
            Ok((_, bytes)) => bytes,
            Err(HolderError::Read(error)) if error.kind() == io::ErrorKind::NotFound => continue,
            Err(_unread) => return Err(HolderError::Bookmarks(None)),
        };
        let json: serde_json::Value =
            serde_json::from_slice(&bytes).map_err(|error| HolderError::Bookmarks(Some(error)))?;
        gather_addresses(&json, &mut addresses);
    }
    Ok(addresses)
}

fn gather_addresses(json: &serde_json::Value, addresses: &mut BTreeSet<String>) {
    match json {
        serde_json::Value::Array(all) => all.iter().for_each(|it| gather_addresses(it, addresses)),
        serde_json::Value::Object(all) => {
            for (key, value) in all {
                match value {
                    serde_json::Value::String(address) if key == "url" => {
                        addresses.insert(address.clone());
                    }
                    value => gather_addresses(value, addresses),
                }
            }
        }
        _ => {}
    }
}
