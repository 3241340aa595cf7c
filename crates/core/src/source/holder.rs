//! Holders: files whose items aren't files but entries of a list.
//!
//! A holder is opened for reading without a trace on the target, lists its items, and makes itself anew without some of
//! them or with some more; whatever isn't asked for keeps its exact bytes. How the new one takes the place of the old is
//! the same for all of them (`run/workers/holder.rs`, `dustpan/put_back/entries.rs`). A new kind of holder is a file
//! beside `list.rs`, a word in [`ListFormat`], and a line in [`open`] and [`blank`].

pub(crate) mod address;
pub(crate) mod document;
mod list;

use std::collections::HashSet;
use std::ffi::CStr;
use std::fmt;
use std::io::{self, Read as _};
use std::os::unix::fs::MetadataExt as _;

use jolly_disk::{Disk, Folder, Kind, Stat};
use serde::{Deserialize, Serialize};

use crate::format::xbel::XbelError;
use crate::rule::ListFormat;
use crate::source::holder::list::List;

/// A longer file is left alone, in bytes: real lists have some hundred thousand.
pub(crate) const MOST_BYTES: u64 = 16 << 20;

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
    /// Where its document lies, as the system that wrote it says; none where that is elsewhere.
    pub document: Option<Vec<u8>>,
}

/// Why a holder is left alone.
#[derive(Debug, thiserror::Error)]
pub(crate) enum HolderError {
    #[error("it can't be read: {0}")]
    Read(io::Error),
    #[error("it is larger than 16 MiB")]
    TooLarge,
    #[error("it is no regular file")]
    NoFile,
    #[error("it has other names, too")]
    HasOtherNames,
    #[error("it changed while it was read")]
    Changed,
    #[error(transparent)]
    Xbel(XbelError),
    #[error("made anew it would not be what was meant")]
    NotAsMeant,
}

impl From<XbelError> for HolderError {
    fn from(error: XbelError) -> Self {
        Self::Xbel(error)
    }
}

/// An open holder: what it held when it was read, and what it would be with fewer or more items.
pub(crate) trait Holder: Send {
    /// Its items.
    fn items(&self) -> &[HolderItem];

    /// How many things in it are no items: nobody can say what they are.
    fn unreadable(&self) -> u64;

    /// The item at a position, in an open form from which [`Self::with`] makes it again.
    fn export(&self, at: usize) -> Vec<u8>;

    /// The bytes of the holder without these items.
    fn without(&self, gone: &HashSet<Fingerprint>) -> Result<Vec<u8>, HolderError>;

    /// The bytes of the holder with these exported items behind its own.
    fn with(&self, exported: &[Vec<u8>]) -> Result<Vec<u8>, HolderError>;
}

/// Reads a holder from its bytes.
///
/// # Errors
/// When they aren't in that format, or beyond its limits.
pub(crate) fn open(format: ListFormat, bytes: Vec<u8>) -> Result<Box<dyn Holder>, HolderError> {
    match format {
        ListFormat::Xbel => Ok(Box::new(List::read(bytes)?)),
    }
}

/// The bytes of a holder without an item.
pub(crate) fn blank(format: ListFormat) -> &'static [u8] {
    match format {
        ListFormat::Xbel => crate::format::xbel::EMPTY.as_bytes(),
    }
}

/// Reads a holder of a target; nothing of it is changed, and what was looked at is what was read.
///
/// # Errors
/// When it can't be read, is too large, has other names, changes meanwhile, or isn't in that format.
pub(crate) fn read(
    disk: &dyn Disk,
    (folder, name): (&Folder, &CStr),
    format: ListFormat,
) -> Result<(Stat, Box<dyn Holder>), HolderError> {
    let before = disk.stat(folder, name).map_err(HolderError::Read)?;
    if before.kind != Kind::File {
        return Err(HolderError::NoFile);
    }
    // To make it anew would part it from its other names.
    if before.links > 1 {
        return Err(HolderError::HasOtherNames);
    }
    let file = disk.open_file(folder, name).map_err(HolderError::Read)?;
    let opened = file.metadata().map_err(HolderError::Read)?;
    if opened.ino() != before.key.inode {
        return Err(HolderError::Changed);
    }
    if before.size > MOST_BYTES {
        return Err(HolderError::TooLarge);
    }
    let mut bytes = Vec::new();
    file.take(MOST_BYTES + 1)
        .read_to_end(&mut bytes)
        .map_err(HolderError::Read)?;
    let after = disk.stat(folder, name).map_err(HolderError::Read)?;
    let is_same = after.key == before.key
        && after.size == bytes.len() as u64
        && (after.size, after.modified, after.changed)
            == (before.size, before.modified, before.changed);
    if !is_same {
        return Err(HolderError::Changed);
    }
    Ok((after, open(format, bytes)?))
}
