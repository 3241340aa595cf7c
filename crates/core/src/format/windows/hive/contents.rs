//! What a hive holds in meaning, wherever it lies in there, and whether its parts fit together.
//!
//! Each key and each value is a hash over its path and all that it says but the time; their sum is what is compared when a
//! hive is made anew. What isn't sound is never written.

use blake3::Hasher;

use crate::format::windows::hive::{BASE, Hive, HiveError, Key, MOST, NONE, Value, number, short};

/// The sum over some keys and values.
#[derive(Clone, Copy, Debug, Default, PartialEq, Eq)]
pub(super) struct Contents {
    things: u64,
    sum: u128,
}

impl Contents {
    fn add(&mut self, hasher: &Hasher) {
        self.things += 1;
        self.sum = self.sum.wrapping_add(u128::from_le_bytes(half(hasher)));
    }

    pub(super) fn plus(self, other: Self) -> Self {
        Self {
            things: self.things.wrapping_add(other.things),
            sum: self.sum.wrapping_add(other.sum),
        }
    }

    pub(super) fn minus(self, other: Self) -> Self {
        Self {
            things: self.things.wrapping_sub(other.things),
            sum: self.sum.wrapping_sub(other.sum),
        }
    }
}

fn half(hasher: &Hasher) -> [u8; 16] {
    let hash = hasher.finalize();
    hash.as_bytes().first_chunk().copied().unwrap_or_default()
}

/// What stands for the path of a key.
pub(super) type PathHash = [u8; 16];

/// Cells by their place; each is one thing's.
struct Cells {
    used: Vec<u64>,
    claimed: Vec<u64>,
    /// Whether that was found before, and nothing is asked.
    is_known: bool,
}

impl Cells {
    /// Those of a hive that was looked at whole.
    fn known_sound() -> Self {
        Self {
            used: Vec::new(),
            claimed: Vec::new(),
            is_known: true,
        }
    }

    /// Goes through all bins and their cells; none may lack, overlap or stick out.
    fn of(hive: &Hive) -> Option<Self> {
        let length = number(&hive.bytes, 40)? as usize;
        let end = BASE.checked_add(length)?;
        let is_sized = length > 0 && length.is_multiple_of(4096) && length as u64 <= MOST;
        (is_sized && hive.bytes.len() >= end).then_some(())?;
        let words = (length / 8).div_ceil(64);
        let mut cells = Self {
            used: vec![0; words],
            claimed: vec![0; words],
            is_known: false,
        };
        let mut bin = BASE;
        while bin < end {
            let size = number(&hive.bytes, bin + 8)? as usize;
            let is_bin = hive.bytes.get(bin..bin + 4)? == b"hbin"
                && number(&hive.bytes, bin + 4)? as usize == bin - BASE
                && size >= 4096
                && size.is_multiple_of(4096);
            let next = bin.checked_add(size)?;
            (is_bin && next <= end).then_some(())?;
            let mut at = bin + 32;
            while at < next {
                let size = number(&hive.bytes, at)?.cast_signed();
                let room = size.unsigned_abs() as usize;
                (room >= 8 && room.is_multiple_of(8) && at + room <= next).then_some(())?;
                if size < 0 {
                    set(&mut cells.used, (at - BASE) / 8)?;
                }
                at += room;
            }
            bin = next;
        }
        Some(cells)
    }

    fn is_used(&self, offset: u32) -> bool {
        let at = offset as usize / 8;
        let word = self.used.get(at / 64).copied().unwrap_or(0);
        offset.is_multiple_of(8) && word & (1 << (at % 64)) != 0
    }

    /// Notes that a cell is something's; nothing where there is none, or it is something else's already.
    fn claim(&mut self, offset: u32) -> Option<()> {
        if self.is_known {
            return Some(());
        }
        let at = offset as usize / 8;
        let claimed = self.claimed.get(at / 64)? & (1 << (at % 64)) != 0;
        (self.is_used(offset) && !claimed).then_some(())?;
        set(&mut self.claimed, at)
    }

    /// The same for what several things may share; whether it was new.
    fn share(&mut self, offset: u32) -> Option<bool> {
        if self.is_known {
            return Some(false);
        }
        let at = offset as usize / 8;
        if self.claimed.get(at / 64)? & (1 << (at % 64)) != 0 {
            return Some(false);
        }
        self.claim(offset).map(|()| true)
    }
}

fn set(bits: &mut [u64], at: usize) -> Option<()> {
    *bits.get_mut(at / 64)? |= 1 << (at % 64);
    Some(())
}

/// A key that waits to be looked at.
struct Waiting {
    offset: u32,
    /// The key that it lies in; none of the first.
    parent: Option<u32>,
    above: PathHash,
}

impl Hive {
    /// What the whole hive holds.
    ///
    /// # Errors
    /// When its parts don't fit together.
    pub(super) fn contents(&self) -> Result<Contents, HiveError> {
        let sum = || {
            let root = number(&self.bytes, 36)?;
            let mut cells = Cells::of(self)?;
            self.security_ring(root, &mut cells)?;
            self.sum_of(root, PathHash::default(), &mut cells)
        };
        sum().ok_or(HiveError::Unsound)
    }

    /// What a key of a sound hive holds with all below it; `above` stands for the key that it lies in.
    pub(super) fn contents_of(&self, key: Key, above: PathHash) -> Option<Contents> {
        let offset = u32::try_from(key.0.checked_sub(BASE + 4)?).ok()?;
        self.sum_of(offset, above, &mut Cells::known_sound())
    }

    /// What a value of a key holds.
    pub(super) fn contents_of_value(&self, path: PathHash, value: Value) -> Option<Contents> {
        let mut sum = Contents::default();
        sum.add(&self.hash_of_value(path, value)?);
        Some(sum)
    }

    /// Claims the records of who may do what: a ring, each naming the one before it and the one behind it.
    fn security_ring(&self, root: u32, cells: &mut Cells) -> Option<()> {
        let root = self.record(root, *b"nk", 76)?;
        let first = number(&self.bytes, root + 44)?;
        let (mut at, mut before) = (first, None);
        loop {
            let record = self.record(at, *b"sk", 20)?;
            if !cells.share(at)? {
                return None;
            }
            self.descriptor(record)?;
            let (next, last) = (
                number(&self.bytes, record + 4)?,
                number(&self.bytes, record + 8)?,
            );
            (before.is_none() || before == Some(last)).then_some(())?;
            before = Some(at);
            if next == first {
                let first = self.record(first, *b"sk", 20)?;
                return (number(&self.bytes, first + 8)? == at).then_some(());
            }
            at = next;
        }
    }

    fn sum_of(&self, offset: u32, above: PathHash, cells: &mut Cells) -> Option<Contents> {
        let mut sum = Contents::default();
        let mut waiting = vec![Waiting {
            offset,
            parent: None,
            above,
        }];
        while let Some(Waiting {
            offset,
            parent,
            above,
        }) = waiting.pop()
        {
            cells.claim(offset)?;
            let at = self.record(offset, *b"nk", 76)?;
            let is_child = parent.is_none_or(|parent| number(&self.bytes, at + 16) == Some(parent));
            is_child.then_some(())?;
            let path = self.path_hash(Key(at), above)?;
            sum.add(&self.hash_of_key(Key(at), path, cells)?);
            for value in self.claimed_values(at, cells)? {
                sum.add(&self.hash_of_value(path, value)?);
            }
            let many = number(&self.bytes, at + 20)? as usize;
            if many == 0 {
                continue;
            }
            let keys = self.claimed_keys(number(&self.bytes, at + 28)?, cells)?;
            (keys.len() == many).then_some(())?;
            waiting.extend(keys.into_iter().map(|child| Waiting {
                offset: child,
                parent: Some(offset),
                above: path,
            }));
        }
        Some(sum)
    }

    /// What stands for the path of a key that lies below another.
    pub(super) fn path_hash(&self, Key(at): Key, above: PathHash) -> Option<PathHash> {
        let mut hasher = Hasher::new();
        hasher.update(&above);
        let is_latin = short(&self.bytes, at + 2)? & 0x20 != 0;
        let name = (at + 76, short(&self.bytes, at + 72)?, is_latin);
        self.add_name(&mut hasher, name)?;
        Some(half(&hasher))
    }

    /// A name, the same in both ways of writing it down.
    fn add_name(
        &self,
        hasher: &mut Hasher,
        (at, length, is_latin): (usize, usize, bool),
    ) -> Option<()> {
        let room = self.bytes.get(at..at.checked_add(length)?)?;
        if is_latin {
            for letter in room {
                hasher.update(&[*letter, 0]);
            }
        } else {
            hasher.update(room);
        }
        Some(())
    }

    fn hash_of_key(&self, key: Key, path: PathHash, cells: &mut Cells) -> Option<Hasher> {
        let at = key.0;
        let name_end = 76_usize.checked_add(short(&self.bytes, at + 72)?)?;
        (name_end <= self.room_at(at)?).then_some(())?;
        let class = self.class(key)?;
        let named = number(&self.bytes, at + 48)?;
        if !class.is_empty() {
            cells.claim(named)?;
        }
        // It was found in the ring.
        let security = number(&self.bytes, at + 44)?;
        if cells.share(security)? {
            return None;
        }
        let mut hasher = Hasher::new();
        let flags = short(&self.bytes, at + 2)? & !0x20;
        hasher.update(b"key").update(&path);
        hasher.update(&(flags as u64).to_le_bytes());
        hasher.update(&(class.len() as u64).to_le_bytes());
        hasher.update(&class).update(&self.security(key)?);
        Some(hasher)
    }

    fn room_at(&self, at: usize) -> Option<usize> {
        let size = number(&self.bytes, at.checked_sub(4)?)?.cast_signed();
        (size.unsigned_abs() as usize).checked_sub(4)
    }

    fn hash_of_value(&self, path: PathHash, value: Value) -> Option<Hasher> {
        let at = value.0;
        let length = short(&self.bytes, at + 2)?;
        (20_usize.checked_add(length)? <= self.room_at(at)?).then_some(())?;
        let is_latin = short(&self.bytes, at + 16)? & 1 != 0;
        let mut hasher = Hasher::new();
        hasher.update(b"value").update(&path);
        self.add_name(&mut hasher, (at + 20, length, is_latin))?;
        hasher.update(&[0xff, 0xff, 0xff]);
        hasher.update(&number(&self.bytes, at + 12)?.to_le_bytes());
        let most = usize::try_from(MOST).unwrap_or(usize::MAX);
        hasher.update(&self.whole_data(value, most)?);
        Some(hasher)
    }

    fn claimed_values(&self, key: usize, cells: &mut Cells) -> Option<Vec<Value>> {
        let many = number(&self.bytes, key + 36)? as usize;
        if many == 0 {
            return Some(Vec::new());
        }
        let list = number(&self.bytes, key + 40)?;
        cells.claim(list)?;
        let (at, room) = self.cell(list)?;
        (many <= room / 4).then_some(())?;
        let mut values = Vec::with_capacity(many);
        for step in 0..many {
            let offset = number(&self.bytes, at + step * 4)?;
            cells.claim(offset)?;
            let value = Value(self.record(offset, *b"vk", 20)?);
            for cell in self.data_cells(value)? {
                cells.claim(cell)?;
            }
            values.push(value);
        }
        Some(values)
    }

    /// The keys that a list names, or the lists that it names.
    fn claimed_keys(&self, list: u32, cells: &mut Cells) -> Option<Vec<u32>> {
        let mut keys = Vec::new();
        for leaf in self.leaves(list)? {
            cells.claim(leaf)?;
            keys.extend(self.leaf(leaf)?);
        }
        if self.is_of_lists(list)? {
            cells.claim(list)?;
        }
        Some(keys)
    }

    /// Whether a list is one of lists.
    pub(super) fn is_of_lists(&self, list: u32) -> Option<bool> {
        let (at, _) = self.cell(list)?;
        Some(self.bytes.get(at..at + 2)? == b"ri")
    }

    /// The lists of keys under a list: itself, or those that it names.
    pub(super) fn leaves(&self, list: u32) -> Option<Vec<u32>> {
        if list == NONE {
            return Some(Vec::new());
        }
        if !self.is_of_lists(list)? {
            return Some(vec![list]);
        }
        let (at, room) = self.cell(list)?;
        let many = short(&self.bytes, at + 2)?;
        (4 + many * 4 <= room).then_some(())?;
        (0..many)
            .map(|step| number(&self.bytes, at + 4 + step * 4))
            .collect()
    }

    /// The keys of a list that names keys.
    pub(super) fn leaf(&self, list: u32) -> Option<Vec<u32>> {
        let (at, room) = self.cell(list)?;
        let step = self.step_of(at)?;
        let many = short(&self.bytes, at + 2)?;
        (4 + many * step <= room).then_some(())?;
        (0..many)
            .map(|entry| number(&self.bytes, at + 4 + entry * step))
            .collect()
    }

    /// How long an entry of a list of keys is, in bytes.
    pub(super) fn step_of(&self, at: usize) -> Option<usize> {
        match self.bytes.get(at..at + 2)? {
            b"lf" | b"lh" => Some(8),
            b"li" => Some(4),
            _ => None,
        }
    }
}
