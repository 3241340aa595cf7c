//! Databases of SQLite as files (the database file format and the WAL-mode file format of its documentation): a whole
//! image out of the file and the write-ahead log beside it, without a path that SQLite would have to open.

const MAGIC: &[u8; 16] = b"SQLite format 3\0";

/// The header of a database.
const HEADER: usize = 100;

/// The header of a write-ahead log, and of each frame in it.
const WAL_HEADER: usize = 32;
const FRAME_HEADER: usize = 24;

/// What a write-ahead log begins with; the last bit says in which order its sums count bytes.
const WAL_MAGIC: u32 = 0x377f_0682;

/// Where the versions of writing and reading stand; 2 stands for a write-ahead log, 1 for a rollback journal.
const VERSIONS: std::ops::RangeInclusive<usize> = 18..=19;

/// Why a file can't be read as a database.
#[derive(Clone, Copy, Debug, PartialEq, Eq, thiserror::Error)]
pub(crate) enum SqliteError {
    #[error("it is no SQLite database, or it is encrypted")]
    NoDatabase,
    #[error("it is cut short")]
    Truncated,
    #[error("its write-ahead log is not of this database")]
    StrangeLog,
    #[error("its browser broke off while it wrote; it has to start and end once")]
    HotJournal,
}

/// A whole database, as it reads.
#[derive(Debug)]
pub(crate) struct Image {
    /// Its bytes, with all that the log holds; marked as one with a rollback journal.
    pub bytes: Vec<u8>,
    /// Whether its program keeps a write-ahead log.
    pub keeps_log: bool,
    /// Whether the log held anything that the file doesn't.
    pub has_log: bool,
}

impl Image {
    /// Puts a database together with its write-ahead log.
    ///
    /// # Errors
    /// When it is none, or not whole.
    pub(crate) fn new(mut bytes: Vec<u8>, log: &[u8]) -> Result<Self, SqliteError> {
        let page = page_size(&bytes).ok_or(SqliteError::NoDatabase)?;
        let has_log = apply_log(&mut bytes, log, page)?;
        if page_size(&bytes) != Some(page) {
            return Err(SqliteError::NoDatabase);
        }
        let pages = big_endian(&bytes, 28).unwrap_or(0) as usize;
        if !bytes.len().is_multiple_of(page) || bytes.len() / page < pages {
            return Err(SqliteError::Truncated);
        }
        let versions = bytes.get_mut(VERSIONS).ok_or(SqliteError::NoDatabase)?;
        let keeps_log = versions == [2, 2];
        versions.fill(1);
        Ok(Self {
            bytes,
            keeps_log,
            has_log,
        })
    }
}

impl Image {
    /// The bytes as they are written to a disk.
    pub(crate) fn written(&self) -> Vec<u8> {
        let mut bytes = self.bytes.clone();
        if self.keeps_log {
            mark_as_logged(&mut bytes);
        }
        bytes
    }
}

/// Marks the bytes of a database as one whose program keeps a write-ahead log.
pub(crate) fn mark_as_logged(bytes: &mut [u8]) {
    if let Some(versions) = bytes.get_mut(VERSIONS) {
        versions.fill(2);
    }
}

/// Whether a rollback journal waits to be played back: it has a header that wasn't cleared.
pub(crate) fn is_hot(journal: &[u8]) -> bool {
    journal.first().is_some_and(|byte| *byte != 0)
}

/// The length of its pages, when this is the beginning of a database.
fn page_size(bytes: &[u8]) -> Option<usize> {
    let header = bytes.get(..HEADER)?;
    let written = u16::from_be_bytes(*header.get(16..)?.first_chunk()?);
    let page = if written == 1 {
        1 << 16
    } else {
        usize::from(written)
    };
    let is_one = header.starts_with(MAGIC) && page.is_power_of_two() && page >= 512;
    is_one.then_some(page)
}

fn big_endian(bytes: &[u8], at: usize) -> Option<u32> {
    Some(u32::from_be_bytes(*bytes.get(at..)?.first_chunk()?))
}

/// The running sum of a log over some bytes, eight at a time.
fn sum(mut sums: [u32; 2], bytes: &[u8], is_big: bool) -> [u32; 2] {
    for pair in bytes.chunks_exact(8) {
        let word = |at: usize| {
            let word = pair.get(at..).and_then(<[u8]>::first_chunk).copied();
            let word = word.unwrap_or_default();
            if is_big {
                u32::from_be_bytes(word)
            } else {
                u32::from_le_bytes(word)
            }
        };
        sums[0] = sums[0].wrapping_add(word(0)).wrapping_add(sums[1]);
        sums[1] = sums[1].wrapping_add(word(4)).wrapping_add(sums[0]);
    }
    sums
}

/// Puts all that was committed in a log into the pages; whether there was anything.
fn apply_log(bytes: &mut Vec<u8>, log: &[u8], page: usize) -> Result<bool, SqliteError> {
    let Some(header) = log.get(..WAL_HEADER) else {
        return Ok(false);
    };
    let Some(magic) = big_endian(header, 0).filter(|magic| magic & !1 == WAL_MAGIC) else {
        // One that was reset holds zeros; anything else is none, and SQLite passes it by.
        return Ok(false);
    };
    let is_big = magic & 1 == 1;
    let mut sums = sum([0, 0], &header[..24], is_big);
    let is_whole = sums.map(Some) == [big_endian(header, 24), big_endian(header, 28)];
    if !is_whole {
        return Ok(false);
    }
    if big_endian(header, 8).map(|size| size as usize) != Some(page) {
        return Err(SqliteError::StrangeLog);
    }
    let salts = &header[16..24];
    let frames = log[WAL_HEADER..].chunks_exact(FRAME_HEADER + page);
    let (mut waiting, mut pages) = (Vec::new(), None);
    for frame in frames {
        let (head, data) = frame.split_at(FRAME_HEADER);
        sums = sum(sum(sums, &head[..8], is_big), data, is_big);
        let is_whole = sums.map(Some) == [big_endian(head, 16), big_endian(head, 20)];
        let number = big_endian(head, 0).unwrap_or(0) as usize;
        if !is_whole || &head[8..16] != salts || number == 0 {
            break;
        }
        waiting.push((number, data));
        let commit = big_endian(head, 4).unwrap_or(0) as usize;
        if commit == 0 {
            continue;
        }
        // A log can't hold more pages than a database that is longer by all of it.
        let most = bytes.len() / page + log.len() / page + 1;
        for (number, data) in waiting.drain(..) {
            if number > most {
                return Err(SqliteError::StrangeLog);
            }
            let end = number * page;
            if bytes.len() < end {
                bytes.resize(end, 0);
            }
            bytes[end - page..end].copy_from_slice(data);
        }
        pages = Some(commit);
    }
    let Some(pages) = pages else {
        return Ok(false);
    };
    if bytes.len() / page < pages {
        return Err(SqliteError::Truncated);
    }
    bytes.truncate(pages * page);
    Ok(true)
}

#[cfg(test)]
mod tests {
    use rusqlite::Connection;

    use super::*;

    #[test]
    fn what_only_the_log_holds_is_read_and_what_wasnt_committed_is_not() {
        let dir = tempfile::tempdir().unwrap();
        let path = dir.path().join("a.db");
        let writer = Connection::open(&path).unwrap();
        writer
            .execute_batch(
                "PRAGMA journal_mode=WAL; PRAGMA wal_autocheckpoint=0; CREATE TABLE t(a);",
            )
            .unwrap();
        for number in 0..100 {
            writer
                .execute("INSERT INTO t VALUES(?1)", [number])
                .unwrap();
        }
        writer
            .execute_batch("BEGIN; DELETE FROM t; PRAGMA cache_spill=1;")
            .unwrap();
        let read = |name: &str| std::fs::read(dir.path().join(name)).unwrap_or_default();
        let (bytes, log) = (read("a.db"), read("a.db-wal"));
        let count = |log: &[u8]| -> Option<i64> {
            let image = Image::new(bytes.clone(), log).ok()?;
            let mut reader = Connection::open_in_memory().ok()?;
            let length = image.bytes.len();
            reader
                .deserialize_read_exact("main", &image.bytes[..], length, true)
                .ok()?;
            let many = reader.query_row("SELECT count(*) FROM t", [], |row| row.get(0));
            many.ok()
        };
        assert_eq!(count(&log), Some(100));
        // Whatever is cut off a log or wrong in it, what is read was committed once.
        let mut last = 100;
        for end in (0..log.len()).rev().step_by(701) {
            let many = count(&log[..end]).unwrap_or(0);
            assert!(many <= last, "{end}: {many} after {last}");
            last = many;
        }
        let mut broken = log.clone();
        let middle = broken.len() / 2;
        broken[middle] ^= 1;
        assert!(count(&broken).unwrap_or(0) < 100);
    }

    #[test]
    fn what_is_no_whole_database_is_told() {
        let error = |bytes: &[u8]| Image::new(bytes.to_vec(), &[]).map(drop).unwrap_err();
        assert_eq!(error(b""), SqliteError::NoDatabase);
        assert_eq!(error(&[7; 8192]), SqliteError::NoDatabase);
        let dir = tempfile::tempdir().unwrap();
        let path = dir.path().join("a.db");
        let writer = Connection::open(&path).unwrap();
        writer
            .execute_batch("CREATE TABLE t(a); CREATE TABLE u(a);")
            .unwrap();
        let bytes = std::fs::read(path).unwrap();
        assert!(Image::new(bytes.clone(), &[]).is_ok());
        assert_eq!(error(&bytes[..bytes.len() - 1]), SqliteError::Truncated);
        assert_eq!(error(&bytes[..4096]), SqliteError::Truncated);
        assert!(is_hot(&[0xd9, 0xd5]) && !is_hot(&[0; 512]) && !is_hot(&[]));
    }
}
