//! Keys and values apart from any hive, as exactly as they can be read: what is taken out of a hive, and goes back.

use crate::format::is_harmless;
use crate::format::windows::hive::{Hive, Key, NONE, PIECE, Value, number, short};

/// A value of a key.
#[derive(Clone, Debug, PartialEq, Eq)]
pub(crate) struct HiveValue {
    /// Its name; empty for that which a key has without one.
    pub name: String,
    /// Its type, as a number.
    pub kind: u32,
    /// Its bytes.
    pub data: Vec<u8>,
}

/// A key with all that is below it.
#[derive(Clone, Debug, PartialEq, Eq)]
pub(crate) struct KeyTree {
    /// Its own name.
    pub name: String,
    /// When it was written last, as FILETIME.
    pub time: u64,
    /// What it is besides a plain key, as its record says.
    pub flags: u16,
    /// The bytes of its class; most have none.
    pub class: Vec<u8>,
    /// Who may do what with it, as its record says.
    pub security: Vec<u8>,
    /// Its values.
    pub values: Vec<HiveValue>,
    /// The keys right below it.
    pub keys: Vec<Self>,
}

/// Keys and values that are read at once at most, how deep they lie, and the bytes of all values.
const MOST_KEYS: usize = 4_096;
const DEPTH: usize = 24;
const MOST_BYTES: usize = 1 << 20;

/// Whether a name is one and the same wherever it is written down: no letter of it was made up, and none breaks a line.
pub(crate) fn is_plain(name: &str) -> bool {
    name.chars()
        .all(|letter| is_harmless(letter) && letter != '\u{fffd}')
}

/// The flag of a name in Latin-1, that of a key which stands for another, and that of one that must stay.
pub(super) const LATIN: u16 = 0x20;
const STANDS_FOR_ANOTHER: u16 = 0x10;
const MUST_STAY: u16 = 0x08;

/// What may still be read.
struct Room {
    keys: usize,
    bytes: usize,
}

impl Hive {
    /// A value as exactly as it is there; nothing where that can't be said.
    pub(crate) fn whole_value(&self, name: &str, value: Value) -> Option<HiveValue> {
        is_plain(name).then_some(())?;
        Some(HiveValue {
            name: name.to_owned(),
            kind: number(&self.bytes, value.0 + 12)?,
            data: self.whole_data(value, MOST_BYTES)?,
        })
    }

    /// A key with all below it; nothing where anything of it can't be read, or there is very much of it.
    pub(crate) fn tree(&self, name: &str, key: Key) -> Option<KeyTree> {
        let mut room = Room {
            keys: MOST_KEYS,
            bytes: MOST_BYTES,
        };
        self.tree_within(name, key, DEPTH, &mut room)
    }

    fn tree_within(&self, name: &str, key: Key, depth: usize, room: &mut Room) -> Option<KeyTree> {
        let at = key.0;
        let flags = u16::try_from(short(&self.bytes, at + 2)?).ok()?;
        let is_own = flags & (STANDS_FOR_ANOTHER | MUST_STAY) == 0;
        (is_own && depth > 0 && is_plain(name) && !name.contains('\\')).then_some(())?;
        // Counted before anything is read: what says that it has millions is not followed.
        let many = number(&self.bytes, at + 36)? as usize;
        room.keys = room.keys.checked_sub(1 + many)?;
        let values = self.values(key);
        (values.len() == many).then_some(())?;
        let keys = self.listed_keys(at, room.keys)?;
        let mut tree = KeyTree {
            name: name.to_owned(),
            time: self.time(key)?,
            flags: flags & !LATIN,
            class: self.class(key)?,
            security: self.security(key)?,
            values: Vec::with_capacity(values.len()),
            keys: Vec::with_capacity(keys.len()),
        };
        for (name, value) in values {
            let value = self.whole_value(&name, value)?;
            room.bytes = room.bytes.checked_sub(value.data.len())?;
            tree.values.push(value);
        }
        for offset in keys {
            let key = self.record(offset, *b"nk", 76)?;
            let name = self.key_name(key)?;
            let below = self.tree_within(&name, Key(key), depth - 1, room)?;
            tree.keys.push(below);
        }
        Some(tree)
    }

    /// The keys right below one, if they are as many as it says and no more than these.
    fn listed_keys(&self, at: usize, most: usize) -> Option<Vec<u32>> {
        let many = number(&self.bytes, at + 20)? as usize;
        let mut keys = Vec::new();
        if many == 0 {
            return Some(keys);
        }
        (many <= most).then_some(())?;
        for leaf in self.leaves(number(&self.bytes, at + 28)?)? {
            keys.extend(self.leaf(leaf)?);
            (keys.len() <= many).then_some(())?;
        }
        (keys.len() == many).then_some(keys)
    }

    /// When a key was written last, as FILETIME.
    pub(crate) fn time(&self, key: Key) -> Option<u64> {
        let bytes = self.bytes.get(key.0 + 4..)?.first_chunk()?;
        Some(u64::from_le_bytes(*bytes))
    }

    /// The bytes of a key's class.
    pub(super) fn class(&self, Key(at): Key) -> Option<Vec<u8>> {
        let length = short(&self.bytes, at + 74)?;
        let offset = number(&self.bytes, at + 48)?;
        if length == 0 || offset == NONE {
            return Some(Vec::new());
        }
        let (cell, room) = self.cell(offset)?;
        let bytes = self.bytes.get(cell..cell + length)?;
        (length <= room).then(|| bytes.to_vec())
    }

    /// Who may do what with a key, as its record says.
    pub(super) fn security(&self, Key(at): Key) -> Option<Vec<u8>> {
        let record = self.record(number(&self.bytes, at + 44)?, *b"sk", 20)?;
        self.descriptor(record).map(<[u8]>::to_vec)
    }

    pub(super) fn descriptor(&self, record: usize) -> Option<&[u8]> {
        let length = number(&self.bytes, record + 16)? as usize;
        let room = number(&self.bytes, record - 4)?
            .cast_signed()
            .unsigned_abs() as usize;
        (length <= room.checked_sub(24)?).then_some(())?;
        self.bytes.get(record + 20..record + 20 + length)
    }

    /// The bytes of a value with none missing.
    pub(super) fn whole_data(&self, Value(at): Value, most: usize) -> Option<Vec<u8>> {
        let length = number(&self.bytes, at + 4)?;
        if length >> 31 == 1 {
            let length = (length & !(1 << 31)) as usize;
            (length <= 4).then_some(())?;
            return Some(self.bytes.get(at + 8..at + 8 + length)?.to_vec());
        }
        let length = length as usize;
        if length == 0 {
            return Some(Vec::new());
        }
        (length <= most).then_some(())?;
        let mut data = Vec::with_capacity(length);
        let pieces = self.data_pieces(Value(at))?;
        // A cell is rounded up: that of a piece can have room for more than a piece.
        let each = if pieces.len() > 1 { PIECE } else { length };
        for piece in pieces {
            let (cell, room) = self.cell(piece)?;
            let wanted = room.min(each).min(length - data.len());
            data.extend_from_slice(self.bytes.get(cell..cell + wanted)?);
        }
        (data.len() == length).then_some(data)
    }

    /// The cells that hold a value's bytes, in order; none where its record does.
    fn data_pieces(&self, value: Value) -> Option<Vec<u32>> {
        let cells = self.data_cells(value)?;
        Some(match &cells[..] {
            [_, _, pieces @ ..] if cells.len() > 1 => pieces.to_vec(),
            _ => cells,
        })
    }

    /// Every cell that a value has beside its record: that of its bytes, or what names its pieces, their list, and they.
    pub(super) fn data_cells(&self, Value(at): Value) -> Option<Vec<u32>> {
        let length = number(&self.bytes, at + 4)?;
        if length >> 31 == 1 || length == 0 {
            return Some(Vec::new());
        }
        let holder = number(&self.bytes, at + 8)?;
        let (cell, room) = self.cell(holder)?;
        let length = length as usize;
        if length <= room {
            return Some(vec![holder]);
        }
        (length > PIECE && self.bytes.get(cell..cell + 2)? == b"db").then_some(())?;
        let many = short(&self.bytes, cell + 2)?;
        let list = number(&self.bytes, cell + 4)?;
        let (names, room) = self.cell(list)?;
        (many > 1 && many * 4 <= room && many == length.div_ceil(PIECE)).then_some(())?;
        let mut cells = vec![holder, list];
        for step in 0..many {
            cells.push(number(&self.bytes, names + step * 4)?);
        }
        Some(cells)
    }
}
