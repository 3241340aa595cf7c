//! One entry of the archive, as POSIX 1003.1-2001 (pax) and GNU tar write it: long names in entries
//! of their own, exact times and extended attributes in pax records.

pub(crate) mod bytes;
#[cfg(test)]
mod tests;

use std::io::{self, Read, Write};

use jolly_disk::{Attribute, Metadata, Stamp};
use tar::{Archive, EntryType, Header};

/// An archive is made of blocks.
pub(crate) const BLOCK: usize = 512;

/// What attributes are called in pax records; GNU tar and others read them so.
const ATTRIBUTE: &[u8] = b"SCHILY.xattr.";

/// What a file with holes is told by, in GNU tar's sparse format 1.0.
const SPARSE: [(&[u8], &[u8]); 2] = [(b"GNU.sparse.major", b"1"), (b"GNU.sparse.minor", b"0")];
const SPARSE_NAME: &[u8] = b"GNU.sparse.name";
const SPARSE_SIZE: &[u8] = b"GNU.sparse.realsize";

/// The most that is read of the records before an entry.
const MOST_RECORDS: u64 = 16 << 20;

/// What an entry is.
#[derive(Clone, Debug, PartialEq, Eq)]
pub(crate) enum Body {
    /// A file of so many bytes, which follow.
    File(u64),
    /// A file with holes; a map of its pieces follows, and then they.
    Sparse {
        /// Its length.
        size: u64,
        /// How many bytes follow.
        stored: u64,
    },
    Folder,
    /// A symbolic link, and where it leads.
    Link(Vec<u8>),
}

impl Body {
    /// Its length in bytes, holes included; nothing for what has none.
    pub(crate) fn size(&self) -> u64 {
        match self {
            Self::File(size) | Self::Sparse { size, .. } => *size,
            Self::Folder | Self::Link(_) => 0,
        }
    }

    /// How many bytes of it an archive holds.
    pub(crate) fn stored(&self) -> u64 {
        match self {
            Self::File(stored) | Self::Sparse { stored, .. } => *stored,
            Self::Folder | Self::Link(_) => 0,
        }
    }
}

/// One entry without its bytes.
#[derive(Clone, Debug, PartialEq, Eq)]
pub(crate) struct ArchiveEntry {
    pub path: Vec<u8>,
    pub body: Body,
    pub metadata: Metadata,
}

impl ArchiveEntry {
    /// Writes everything that stands before the bytes.
    pub(crate) fn write_head(&self, out: &mut dyn Write) -> io::Result<()> {
        let records = self.records();
        if !records.is_empty() {
            write_extra(out, EntryType::XHeader, &records)?;
        }
        let mut header = match self.body {
            // Others look for the records of a file with holes in an archive of that standard alone.
            Body::Sparse { .. } => Header::new_ustar(),
            _ => Header::new_gnu(),
        };
        let old = header.as_old_mut();
        put(&mut old.name, &self.path);
        if self.path.len() > old.name.len() {
            write_extra(out, EntryType::GNULongName, &ended(&self.path))?;
        }
        if let Body::Link(to) = &self.body {
            put(&mut old.linkname, to);
            if to.len() > old.linkname.len() {
                write_extra(out, EntryType::GNULongLink, &ended(to))?;
            }
        }
        let (kind, size) = match &self.body {
            Body::File(size) | Body::Sparse { stored: size, .. } => (EntryType::Regular, *size),
            Body::Folder => (EntryType::Directory, 0),
            Body::Link(_) => (EntryType::Symlink, 0),
        };
        header.set_entry_type(kind);
        header.set_size(size);
        header.set_mode(self.metadata.mode);
        header.set_uid(self.metadata.user.into());
        header.set_gid(self.metadata.group.into());
        header.set_mtime(u64::try_from(self.metadata.modified.seconds).unwrap_or(0));
        header.set_cksum();
        out.write_all(header.as_bytes())
    }

    /// A hash that everything but the bytes has gone into, the way it is written.
    pub(crate) fn hasher(&self) -> blake3::Hasher {
        let mut hasher = blake3::Hasher::new();
        // Writing into a hash can't fail; were it to, no hash would fit.
        drop(self.write_head(&mut hasher));
        hasher
    }

    /// The pax records: times to the nanosecond, and attributes.
    fn records(&self) -> Vec<u8> {
        let mut records = Vec::new();
        let metadata = &self.metadata;
        for (key, stamp) in [("mtime", metadata.modified), ("atime", metadata.accessed)] {
            record(&mut records, key.as_bytes(), written(stamp).as_bytes());
        }
        if let Body::Sparse { size, .. } = &self.body {
            for (key, value) in SPARSE {
                record(&mut records, key, value);
            }
            record(&mut records, SPARSE_NAME, &self.path);
            record(&mut records, SPARSE_SIZE, size.to_string().as_bytes());
        }
        for attribute in &metadata.attributes {
            record(
                &mut records,
                &[ATTRIBUTE, &key_of(&attribute.name)].concat(),
                &attribute.value,
            );
        }
        records
    }

    /// What pax records and a header say.
    fn read(header: &Header, extra: Extra) -> Result<Self, io::Error> {
        let mut metadata = Metadata {
            user: narrow(header.uid()?)?,
            group: narrow(header.gid()?)?,
            mode: header.mode()? & 0o7777,
            ..Metadata::default()
        };
        let seconds = i64::try_from(header.mtime()?).unwrap_or(i64::MAX);
        metadata.modified = Stamp { seconds, nanos: 0 };
        metadata.accessed = metadata.modified;
        let mut sparse = Sparse::default();
        for (key, value) in records_of(&extra.records)? {
            match key {
                SPARSE_NAME => sparse.name = Some(value.to_vec()),
                SPARSE_SIZE => sparse.size = Some(read_number(value)?),
                key if key.starts_with(b"GNU.sparse.") => {
                    sparse.known += usize::from(SPARSE.contains(&(key, value)));
                }
                b"mtime" => metadata.modified = read_stamp(value)?,
                b"atime" => metadata.accessed = read_stamp(value)?,
                _ => {
                    if let Some(name) = key.strip_prefix(ATTRIBUTE) {
                        metadata.attributes.push(Attribute {
                            name: name_of(name),
                            value: value.to_vec(),
                        });
                    }
                }
            }
        }
        let old = header.as_old();
        let body = match header.entry_type() {
            EntryType::Directory => Body::Folder,
            EntryType::Symlink => Body::Link(extra.link.unwrap_or_else(|| cut(&old.linkname))),
            EntryType::Regular | EntryType::Continuous => match sparse.size {
                Some(size) if sparse.known == SPARSE.len() => Body::Sparse {
                    size,
                    stored: header.entry_size()?,
                },
                None if sparse.known == 0 => Body::File(header.entry_size()?),
                _ => return Err(invalid("a file's holes are written in another way")),
            },
            _ => return Err(invalid("an entry is no file, folder or symbolic link")),
        };
        let name = sparse.name.filter(|_| matches!(body, Body::Sparse { .. }));
        Ok(Self {
            path: name.or(extra.name).unwrap_or_else(|| cut(&old.name)),
            body,
            metadata,
        })
    }
}

/// What records say of a file's holes.
#[derive(Default)]
struct Sparse {
    /// How many of the records are there that say how the map is written.
    known: usize,
    name: Option<Vec<u8>>,
    size: Option<u64>,
}

fn read_number(digits: &[u8]) -> io::Result<u64> {
    let text = std::str::from_utf8(digits).ok();
    let number = text.and_then(|text| text.parse().ok());
    number.ok_or_else(|| invalid("a number can't be read"))
}

/// An attribute's name as a key: an equals sign ends a key, so it and the percent sign are written as GNU
/// tar writes them.
fn key_of(name: &[u8]) -> Vec<u8> {
    let mut key = Vec::with_capacity(name.len());
    for byte in name {
        match byte {
            b'%' => key.extend_from_slice(b"%25"),
            b'=' => key.extend_from_slice(b"%3D"),
            byte => key.push(*byte),
        }
    }
    key
}

/// An attribute's name out of a key.
fn name_of(key: &[u8]) -> Vec<u8> {
    let mut name = Vec::with_capacity(key.len());
    let mut rest = key;
    while let Some((byte, after)) = rest.split_first() {
        let (byte, after) = if let Some(after) = rest.strip_prefix(b"%3D") {
            (b'=', after)
        } else if let Some(after) = rest.strip_prefix(b"%25") {
            (b'%', after)
        } else {
            (*byte, after)
        };
        name.push(byte);
        rest = after;
    }
    name
}

/// Writes zeros up to the end of the block that so many bytes end in.
pub(crate) fn pad(out: &mut dyn Write, size: u64) -> io::Result<()> {
    let over = usize::try_from(size % BLOCK as u64).unwrap_or(0);
    let zeros = [0; BLOCK];
    let missing = (BLOCK - over) % BLOCK;
    out.write_all(zeros.get(..missing).unwrap_or_default())
}

/// Writes the two empty blocks that end an archive.
pub(crate) fn write_end(out: &mut dyn Write) -> io::Result<()> {
    out.write_all(&[0; 2 * BLOCK])
}

/// What stands before an entry in entries of its own.
#[derive(Default)]
struct Extra {
    records: Vec<u8>,
    name: Option<Vec<u8>>,
    link: Option<Vec<u8>>,
}

/// Reads entry after entry, each with its bytes.
///
/// # Errors
/// What reading says, what `each` says, and `InvalidData` for what is no such archive.
pub(crate) fn each_entry(
    archive: impl Read,
    each: &mut dyn FnMut(ArchiveEntry, &mut dyn Read) -> io::Result<()>,
) -> io::Result<()> {
    let mut archive = Archive::new(archive);
    let mut extra = Extra::default();
    // Raw: the records before an entry are read here, by their lengths, whatever bytes they hold.
    for entry in archive.entries()?.raw(true) {
        let mut entry = entry?;
        let kind = entry.header().entry_type();
        let is_extra = matches!(
            kind,
            EntryType::XHeader | EntryType::GNULongName | EntryType::GNULongLink
        );
        if !is_extra {
            let header = entry.header().clone();
            let known = ArchiveEntry::read(&header, std::mem::take(&mut extra))?;
            each(known, &mut entry)?;
            continue;
        }
        let mut bytes = Vec::new();
        entry.by_ref().take(MOST_RECORDS).read_to_end(&mut bytes)?;
        let name = || Some(cut(&bytes));
        match kind {
            EntryType::GNULongName => extra.name = name(),
            EntryType::GNULongLink => extra.link = name(),
            _ => extra.records = bytes,
        }
    }
    Ok(())
}

fn invalid(what: &str) -> io::Error {
    io::Error::new(io::ErrorKind::InvalidData, what)
}

fn narrow(number: u64) -> io::Result<u32> {
    let narrow = u32::try_from(number).ok();
    narrow.ok_or_else(|| invalid("an owner's number is too large"))
}

fn put(field: &mut [u8], bytes: &[u8]) {
    for (to, from) in field.iter_mut().zip(bytes) {
        *to = *from;
    }
}

/// A field up to its first NUL.
fn cut(field: &[u8]) -> Vec<u8> {
    let text = field.split(|byte| *byte == 0).next();
    text.unwrap_or_default().to_vec()
}

fn ended(bytes: &[u8]) -> Vec<u8> {
    [bytes, b"\0"].concat()
}

fn write_extra(out: &mut dyn Write, kind: EntryType, bytes: &[u8]) -> io::Result<()> {
    let mut header = Header::new_gnu();
    put(&mut header.as_old_mut().name, b"././@LongLink");
    header.set_entry_type(kind);
    header.set_size(bytes.len() as u64);
    header.set_mode(0o600);
    header.set_uid(0);
    header.set_gid(0);
    header.set_mtime(0);
    header.set_cksum();
    out.write_all(header.as_bytes())?;
    out.write_all(bytes)?;
    pad(out, bytes.len() as u64)
}

/// One record: its own whole length in digits, a blank, key, `=`, value, a line break.
fn record(records: &mut Vec<u8>, key: &[u8], value: &[u8]) {
    let rest = key.len() + value.len() + 3;
    let mut len = rest + 1;
    while rest + len.to_string().len() != len {
        len = rest + len.to_string().len();
    }
    records.extend_from_slice(format!("{len} ").as_bytes());
    records.extend_from_slice(key);
    records.push(b'=');
    records.extend_from_slice(value);
    records.push(b'\n');
}

fn records_of(mut bytes: &[u8]) -> io::Result<Vec<(&[u8], &[u8])>> {
    let broken = || invalid("the records before an entry are broken");
    let mut found = Vec::new();
    while !bytes.is_empty() {
        let blank = bytes.iter().position(|byte| *byte == b' ');
        let blank = blank.ok_or_else(broken)?;
        let digits = std::str::from_utf8(bytes.get(..blank).unwrap_or_default()).ok();
        let len: usize = digits
            .and_then(|digits| digits.parse().ok())
            .ok_or_else(broken)?;
        let line = bytes.get(blank + 1..len).ok_or_else(broken)?;
        let line = line.strip_suffix(b"\n").ok_or_else(broken)?;
        let equals = line.iter().position(|byte| *byte == b'=');
        let (key, value) = line.split_at(equals.ok_or_else(broken)?);
        found.push((key, value.get(1..).unwrap_or_default()));
        bytes = bytes.get(len..).unwrap_or_default();
    }
    Ok(found)
}

/// Seconds with nine digits behind the point; before 1970 with a minus before all of it.
fn written(stamp: Stamp) -> String {
    let whole = i128::from(stamp.seconds) * 1_000_000_000 + i128::from(stamp.nanos);
    let sign = if whole < 0 { "-" } else { "" };
    let whole = whole.unsigned_abs();
    format!(
        "{sign}{}.{:09}",
        whole / 1_000_000_000,
        whole % 1_000_000_000
    )
}

fn read_stamp(text: &[u8]) -> io::Result<Stamp> {
    let broken = || invalid("a time can't be read");
    let text = std::str::from_utf8(text).ok().ok_or_else(broken)?;
    let (sign, text) = match text.strip_prefix('-') {
        Some(rest) => (-1, rest),
        None => (1, text),
    };
    let (seconds, behind) = text.split_once('.').unwrap_or((text, ""));
    let seconds: i128 = seconds.parse().ok().ok_or_else(broken)?;
    let digits: String = format!("{behind:0<9}").chars().take(9).collect();
    let nanos: i128 = digits.parse().ok().ok_or_else(broken)?;
    let whole = sign * (seconds * 1_000_000_000 + nanos);
    Ok(Stamp {
        seconds: i64::try_from(whole.div_euclid(1_000_000_000))
            .ok()
            .ok_or_else(broken)?,
        nanos: u32::try_from(whole.rem_euclid(1_000_000_000)).unwrap_or(0),
    })
}
