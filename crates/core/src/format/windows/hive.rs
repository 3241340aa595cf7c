//! Registry hives (the format as the specification of the crate `regf` writes it down): read in memory, every offset
//! checked, as far as they are sound.
//!
//! A hive that its system didn't finish writing is made whole from its logs first (`log`); without them it is refused,
//! since nobody can say what of it holds. `change` makes one anew with some keys and values more or fewer, and proves
//! that nothing else is different.

pub(crate) mod change;
mod contents;
mod editor;
mod log;
pub(crate) mod tree;

use std::cell::Cell;

/// Longer hives are none, in bytes: real ones have some hundred million.
pub(crate) const MOST: u64 = 512 << 20;

/// Where the cells begin, and all offsets count from.
const BASE: usize = 4096;

/// Names of a key or value at most, and keys or values in a list.
const MOST_NAME: usize = 1 << 15;
const MOST_LIST: usize = 1 << 21;

/// What stands where a cell would be named, and there is none.
const NONE: u32 = u32::MAX;

/// The most of a value that is read, and the pieces that longer ones come in.
const MOST_VALUE: usize = 1 << 20;
const PIECE: usize = 16_344;

/// Why a hive can't be read.
#[derive(Clone, Copy, Debug, PartialEq, Eq, thiserror::Error)]
pub(crate) enum HiveError {
    #[error("it is no registry hive")]
    NoHive,
    #[error("it is cut short")]
    Truncated,
    #[error("its first block is torn, or of a system that is older than this program reads")]
    Torn,
    #[error("its system broke off while it wrote, and no log beside it says what")]
    Unfinished,
    #[error("its parts don't fit together, so it is never written")]
    Unsound,
    #[error("what is to change isn't there as it was")]
    NotThere,
    #[error("it can't grow that far")]
    Full,
    #[error("made anew it would not be what was meant")]
    NotAsMeant,
}

/// A hive.
#[derive(Debug)]
pub(crate) struct Hive {
    bytes: Vec<u8>,
    /// How many keys and values couldn't be read so far.
    broken: Cell<u64>,
}

/// A key of a hive, as the place of its record.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub(crate) struct Key(usize);

impl Hive {
    /// Reads a hive with the logs beside it.
    ///
    /// # Errors
    /// When it is none, or not whole.
    pub(crate) fn read(bytes: Vec<u8>, logs: &[Vec<u8>]) -> Result<Self, HiveError> {
        if !bytes.starts_with(b"regf") {
            return Err(HiveError::NoHive);
        }
        Self::read_unfinished(if is_finished(&bytes) {
            bytes
        } else {
            log::recovered(bytes, logs)?
        })
    }

    /// Reads a hive as its file is, for what doesn't change while a system is there.
    ///
    /// # Errors
    /// When it is none, or cut short.
    pub(crate) fn read_unfinished(bytes: Vec<u8>) -> Result<Self, HiveError> {
        if !bytes.starts_with(b"regf") {
            return Err(HiveError::NoHive);
        }
        let length = number(&bytes, 40).ok_or(HiveError::Truncated)? as usize;
        if bytes.len() < BASE || bytes.len() - BASE < length {
            return Err(HiveError::Truncated);
        }
        Ok(Self {
            bytes,
            broken: Cell::new(0),
        })
    }

    /// When it was written last, as FILETIME.
    pub(crate) fn written(&self) -> u64 {
        let bytes = self.bytes.get(12..).and_then(|bytes| bytes.first_chunk());
        bytes.map_or(0, |bytes| u64::from_le_bytes(*bytes))
    }

    /// The bytes of the file, with all that its logs say.
    pub(crate) fn as_bytes(&self) -> &[u8] {
        &self.bytes
    }

    /// How many keys and values that were asked for couldn't be read.
    pub(crate) fn broken(&self) -> u64 {
        self.broken.get()
    }

    /// The key that all others lie below.
    pub(crate) fn root(&self) -> Option<Key> {
        self.record(number(&self.bytes, 36)?, *b"nk", 76).map(Key)
    }

    /// The key at a path below the root, its parts between backslashes; letters' case doesn't count.
    pub(crate) fn key(&self, path: &str) -> Option<Key> {
        path.split('\\').try_fold(self.root()?, |key, part| {
            let wanted = part.to_uppercase();
            let mut keys = self.subkeys(key).into_iter();
            keys.find(|(name, _)| name.to_uppercase() == wanted)
                .map(|(_, key)| key)
        })
    }

    /// The keys right below a key, with their names.
    pub(crate) fn subkeys(&self, key: Key) -> Vec<(String, Key)> {
        let mut records = Vec::new();
        if number(&self.bytes, key.0 + 20).is_some_and(|many| many > 0) {
            let listed = number(&self.bytes, key.0 + 28)
                .and_then(|list| self.gather(list, true, &mut records));
            self.count_broken(listed.is_none());
        }
        let named = records.into_iter().filter_map(|record| {
            let key = self.record(record, *b"nk", 76);
            let named = key.and_then(|key| Some((self.key_name(key)?, Key(key))));
            self.count_broken(named.is_none());
            named
        });
        named.collect()
    }

    /// The names of a key's values, with the place of each.
    pub(crate) fn values(&self, key: Key) -> Vec<(String, Value)> {
        let many = number(&self.bytes, key.0 + 36).unwrap_or(0) as usize;
        if many == 0 {
            return Vec::new();
        }
        let list = number(&self.bytes, key.0 + 40).and_then(|list| self.cell(list));
        let Some((at, _)) = list.filter(|(_, room)| many <= room / 4 && many <= MOST_LIST) else {
            self.count_broken(true);
            return Vec::new();
        };
        let found = (0..many).filter_map(|step| {
            let record = number(&self.bytes, at + step * 4)
                .and_then(|record| self.record(record, *b"vk", 20));
            let named = record.and_then(|record| {
                let is_latin = short(&self.bytes, record + 16)? & 1 != 0;
                let length = short(&self.bytes, record + 2)?;
                Some((self.name(record + 20, length, is_latin)?, Value(record)))
            });
            self.count_broken(named.is_none());
            named
        });
        found.collect()
    }

    fn value(&self, key: Key, name: &str) -> Option<Value> {
        let mut values = self.values(key).into_iter();
        values
            .find(|(own, _)| own.eq_ignore_ascii_case(name))
            .map(|(_, value)| value)
    }

    /// A value that is text.
    pub(crate) fn text(&self, key: Key, name: &str) -> Option<String> {
        self.text_of(self.value(key, name)?)
    }

    /// The text that a value is.
    pub(crate) fn text_of(&self, value: Value) -> Option<String> {
        let data = self.data(value)?;
        let (words, _) = data.as_chunks::<2>();
        let letters = words.iter().map(|word| u16::from_le_bytes(*word));
        let letters: Vec<u16> = letters.take_while(|letter| *letter != 0).collect();
        let text = String::from_utf16_lossy(&letters).trim().to_owned();
        (!text.is_empty()).then_some(text)
    }

    /// A value that is a number of 32 bits.
    pub(crate) fn number(&self, key: Key, name: &str) -> Option<u32> {
        let data = self.data(self.value(key, name)?)?;
        Some(u32::from_le_bytes(*data.first_chunk()?))
    }

    /// The bytes of a value.
    pub(crate) fn data(&self, value: Value) -> Option<Vec<u8>> {
        let data = self.read_data(value);
        self.count_broken(data.is_none());
        data
    }

    fn read_data(&self, Value(at): Value) -> Option<Vec<u8>> {
        let length = number(&self.bytes, at + 4)?;
        if length >> 31 == 1 || length == 0 {
            let length = (length & 7).min(4) as usize;
            return Some(self.bytes.get(at + 8..at + 8 + length)?.to_vec());
        }
        let length = (length as usize).min(MOST_VALUE);
        let holder = number(&self.bytes, at + 8)?;
        let (cell, room) = self.cell(holder)?;
        let is_in_pieces =
            length > room.max(PIECE) && self.bytes.get(cell..cell + 2) == Some(b"db");
        if !is_in_pieces {
            let length = length.min(room);
            return Some(self.bytes.get(cell..cell + length)?.to_vec());
        }
        let pieces = short(&self.bytes, cell + 2)?;
        let (list, _) = self.cell(number(&self.bytes, cell + 4)?)?;
        let mut data = Vec::new();
        for step in 0..pieces {
            let (piece, room) = self.cell(number(&self.bytes, list + step * 4)?)?;
            let length = room.min(PIECE).min(length.saturating_sub(data.len()));
            data.extend_from_slice(self.bytes.get(piece..piece + length)?);
        }
        Some(data)
    }

    fn count_broken(&self, is_broken: bool) {
        self.broken.set(self.broken.get() + u64::from(is_broken));
    }

    /// A cell in use: where its data begins, and how much room it has.
    fn cell(&self, offset: u32) -> Option<(usize, usize)> {
        let at = BASE.checked_add(offset as usize)?;
        let size = number(&self.bytes, at)?.cast_signed();
        if !offset.is_multiple_of(8) || size > -8 {
            return None;
        }
        let room = size.unsigned_abs() as usize - 4;
        self.bytes.get(at + 4..(at + 4).checked_add(room)?)?;
        Some((at + 4, room))
    }

    /// A cell that holds such a record.
    fn record(&self, offset: u32, mark: [u8; 2], least: usize) -> Option<usize> {
        let (at, room) = self.cell(offset)?;
        (room >= least && self.bytes.get(at..at + 2)? == mark).then_some(at)
    }

    fn key_name(&self, key: usize) -> Option<String> {
        let is_latin = short(&self.bytes, key + 2)? & 0x20 != 0;
        self.name(key + 76, short(&self.bytes, key + 72)?, is_latin)
    }

    fn name(&self, at: usize, length: usize, is_latin: bool) -> Option<String> {
        let bytes = self.bytes.get(at..at + length.min(MOST_NAME))?;
        if is_latin {
            return Some(bytes.iter().copied().map(char::from).collect());
        }
        let (words, _) = bytes.as_chunks::<2>();
        let letters: Vec<u16> = words.iter().map(|it| u16::from_le_bytes(*it)).collect();
        Some(String::from_utf16_lossy(&letters))
    }

    /// Gathers the records that a list names; a list of lists is one level deep.
    fn gather(&self, list: u32, is_outer: bool, records: &mut Vec<u32>) -> Option<()> {
        let (at, room) = self.cell(list)?;
        let mark: [u8; 2] = *self.bytes.get(at..)?.first_chunk()?;
        let many = short(&self.bytes, at + 2)?;
        let step = if matches!(&mark, b"lf" | b"lh") { 8 } else { 4 };
        if 4 + many * step > room || records.len() + many > MOST_LIST {
            return None;
        }
        for entry in 0..many {
            let record = number(&self.bytes, at + 4 + entry * step)?;
            match &mark {
                b"lf" | b"lh" | b"li" => records.push(record),
                b"ri" if is_outer => self.gather(record, false, records)?,
                _ => return None,
            }
        }
        Some(())
    }
}

/// A value of a hive, as the place of its record.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub(crate) struct Value(usize);

/// Whether its system wrote all that it meant to: then no log beside it counts.
pub(crate) fn is_finished(bytes: &[u8]) -> bool {
    has_sum(bytes) && number(bytes, 4) == number(bytes, 8)
}

/// Whether the first block is as it was written.
fn has_sum(bytes: &[u8]) -> bool {
    sum(bytes).is_some_and(|sum| number(bytes, 508) == Some(sum))
}

/// The sum of the first block: its 127 words, each against the others; 0 and all bits are never written.
fn sum(bytes: &[u8]) -> Option<u32> {
    let mut words = (0..127).map(|at| number(bytes, at * 4));
    let sum = words.try_fold(0, |sum, word| Some(sum ^ word?))?;
    Some(match sum {
        0 => 1,
        u32::MAX => u32::MAX - 1,
        sum => sum,
    })
}

fn number(bytes: &[u8], at: usize) -> Option<u32> {
    Some(u32::from_le_bytes(*bytes.get(at..)?.first_chunk()?))
}

fn short(bytes: &[u8], at: usize) -> Option<usize> {
    let word = *bytes.get(at..)?.first_chunk()?;
    Some(usize::from(u16::from_le_bytes(word)))
}

#[cfg(test)]
mod tests;
