//! The smallest writer of hives: values and keys out of one in memory and into it. What is taken out is overwritten with
//! zeros, so that nothing of it stays readable.
//!
//! Only a hive that was found sound is edited (`contents`): nothing here asks again who else a cell belongs to.

mod lists;

use std::collections::{BTreeSet, HashSet};

use crate::format::windows::hive::tree::{HiveValue, KeyTree, LATIN};
use crate::format::windows::hive::{BASE, Hive, Key, MOST, NONE, PIECE, Value, number, short, sum};

/// A hive that is being edited. What can't be done leaves it half done: then it is thrown away.
pub(super) struct Editor {
    hive: Hive,
    /// Cells that nothing holds, by their size and place; found when one is wanted.
    free: Option<BTreeSet<(usize, usize)>>,
}

impl Editor {
    pub(super) fn of(mut hive: Hive) -> Option<Self> {
        let length = number(&hive.bytes, 40)? as usize;
        hive.bytes.truncate(BASE + length);
        Some(Self { hive, free: None })
    }

    pub(super) fn hive(&self) -> &Hive {
        &self.hive
    }

    /// The bytes of the hive as its system leaves one that it has written to the end.
    pub(super) fn finish(mut self, time: u64) -> Option<Vec<u8>> {
        let next = number(&self.hive.bytes, 4)?.wrapping_add(1);
        self.put(4, next)?;
        self.put(8, next)?;
        self.put_bytes(12, &time.to_le_bytes())?;
        let sum = sum(&self.hive.bytes)?;
        self.put(508, sum)?;
        Some(self.hive.bytes)
    }

    fn get(&self, at: usize) -> Option<u32> {
        number(&self.hive.bytes, at)
    }

    fn put(&mut self, at: usize, word: u32) -> Option<()> {
        self.put_bytes(at, &word.to_le_bytes())
    }

    fn put_bytes(&mut self, at: usize, bytes: &[u8]) -> Option<()> {
        let place = self.hive.bytes.get_mut(at..at.checked_add(bytes.len())?)?;
        place.copy_from_slice(bytes);
        Some(())
    }

    /// Raises a number of a key's record to what something in it needs.
    fn raise(&mut self, at: usize, to: usize) -> Option<()> {
        let to = u32::try_from(to).ok()?;
        let now = self.get(at)?;
        if now < to { self.put(at, to) } else { Some(()) }
    }

    fn release(&mut self, offset: u32) -> Option<()> {
        let (at, room) = self.hive.cell(offset)?;
        self.hive.bytes.get_mut(at..at + room)?.fill(0);
        self.put(at - 4, u32::try_from(room + 4).ok()?)?;
        if let Some(free) = &mut self.free {
            free.insert((room + 4, at - 4));
        }
        Some(())
    }

    /// Puts bytes into a cell of their own.
    fn allocate(&mut self, bytes: &[u8]) -> Option<u32> {
        let need = (bytes.len() + 4).next_multiple_of(8);
        if self.free.is_none() {
            self.free = Some(self.free_cells()?);
        }
        let fits = |free: &BTreeSet<(usize, usize)>| free.range((need, 0)..).next().copied();
        let (size, at) = match self.free.as_ref().and_then(fits) {
            Some(cell) => cell,
            None => self.grow(need)?,
        };
        let free = self.free.as_mut()?;
        free.remove(&(size, at));
        if size > need {
            free.insert((size - need, at + need));
            self.put(at + need, u32::try_from(size - need).ok()?)?;
        }
        self.put(at, u32::try_from(need).ok()?.wrapping_neg())?;
        self.hive.bytes.get_mut(at + 4..at + need)?.fill(0);
        self.put_bytes(at + 4, bytes)?;
        u32::try_from(at - BASE).ok()
    }

    fn free_cells(&self) -> Option<BTreeSet<(usize, usize)>> {
        let (mut free, mut bin) = (BTreeSet::new(), BASE);
        while bin < self.hive.bytes.len() {
            let next = bin + self.get(bin + 8)? as usize;
            let mut at = bin + 32;
            while at < next {
                let size = self.get(at)?.cast_signed();
                if size > 0 {
                    free.insert((size.unsigned_abs() as usize, at));
                }
                at += (size.unsigned_abs() as usize).max(8);
            }
            bin = next.max(bin + 4096);
        }
        Some(free)
    }

    /// Adds a bin at the end, with one free cell.
    fn grow(&mut self, need: usize) -> Option<(usize, usize)> {
        let size = (need + 32).next_multiple_of(4096);
        let (at, length) = (self.hive.bytes.len(), self.hive.bytes.len() - BASE + size);
        (length as u64 <= MOST).then_some(())?;
        self.hive.bytes.resize(at + size, 0);
        self.put_bytes(at, b"hbin")?;
        self.put(at + 4, u32::try_from(at - BASE).ok()?)?;
        self.put(at + 8, u32::try_from(size).ok()?)?;
        self.put(at + 32, u32::try_from(size - 32).ok()?)?;
        self.put(40, u32::try_from(length).ok()?)?;
        let cell = (size - 32, at + 32);
        self.free.as_mut()?.insert(cell);
        Some(cell)
    }

    /// Notes when a key was written last.
    pub(super) fn touch(&mut self, Key(key): Key, time: u64) -> Option<()> {
        self.put_bytes(key + 4, &time.to_le_bytes())
    }

    /// Takes a value out.
    pub(super) fn remove_value(&mut self, Key(key): Key, Value(value): Value) -> Option<()> {
        let many = self.get(key + 36)? as usize;
        let list = self.get(key + 40)?;
        let (at, _) = self.hive.cell(list)?;
        let offset = offset_of(value)?;
        let position = (0..many).find(|step| self.get(at + step * 4) == Some(offset))?;
        let cells = self.hive.data_cells(Value(value))?;
        self.close_gap(at, (position, many, 4))?;
        self.put(key + 36, u32::try_from(many - 1).ok()?)?;
        if many == 1 {
            self.release(list)?;
            self.put(key + 40, NONE)?;
        }
        for cell in cells.into_iter().chain([offset]) {
            self.release(cell)?;
        }
        Some(())
    }

    /// Moves the entries behind a position of a list one place nearer, and clears the last.
    fn close_gap(
        &mut self,
        first: usize,
        (position, many, step): (usize, usize, usize),
    ) -> Option<()> {
        let end = first + many * step;
        let bytes = &mut self.hive.bytes;
        bytes.get(first..end)?;
        bytes.copy_within(first + (position + 1) * step..end, first + position * step);
        bytes.get_mut(end - step..end)?.fill(0);
        Some(())
    }

    /// Gives a value other bytes of the same number, where they are.
    pub(super) fn overwrite(&mut self, value: Value, data: &[u8]) -> Option<()> {
        let cells = self.hive.data_cells(value)?;
        let at = match &cells[..] {
            [] => value.0 + 8,
            [cell] => self.hive.cell(*cell)?.0,
            _ => return None,
        };
        self.put_bytes(at, data)
    }

    /// Puts a value behind those of a key.
    pub(super) fn add_value(&mut self, Key(key): Key, value: &HiveValue) -> Option<()> {
        let (name, is_latin) = written(&value.name);
        let mut record = b"vk".to_vec();
        record.extend(u16::try_from(name.len()).ok()?.to_le_bytes());
        let (length, place) = self.store(&value.data)?;
        for word in [length, place, value.kind, u32::from(is_latin)] {
            record.extend(word.to_le_bytes());
        }
        record.extend(&name);
        let record = self.allocate(&record)?;
        let many = self.get(key + 36)? as usize;
        let list = self.get(key + 40)?;
        let known = (many > 0).then(|| self.hive.cell(list)).flatten();
        match known {
            Some((at, room)) if room >= (many + 1) * 4 => self.put(at + many * 4, record)?,
            known => {
                let mut entries = match known {
                    Some((at, _)) => self.hive.bytes.get(at..at + many * 4)?.to_vec(),
                    None => Vec::new(),
                };
                entries.extend(record.to_le_bytes());
                let longer = self.allocate(&entries)?;
                if known.is_some() {
                    self.release(list)?;
                }
                self.put(key + 40, longer)?;
            }
        }
        self.put(key + 36, u32::try_from(many + 1).ok()?)?;
        self.raise(key + 60, value.name.encode_utf16().count() * 2)?;
        self.raise(key + 64, value.data.len())
    }

    /// Puts the bytes of a value where its record can name them: how long they are, and where.
    fn store(&mut self, data: &[u8]) -> Option<(u32, u32)> {
        let length = u32::try_from(data.len()).ok()?;
        if let Some(more) = 4_usize.checked_sub(data.len()) {
            let mut word = data.to_vec();
            word.extend(std::iter::repeat_n(0, more));
            return Some((length | 1 << 31, number(&word, 0)?));
        }
        // Before version 1.4 there were no pieces.
        let is_in_pieces = data.len() > PIECE && self.get(24)? >= 4;
        if !is_in_pieces {
            return Some((length, self.allocate(data)?));
        }
        let mut list = Vec::new();
        for piece in data.chunks(PIECE) {
            list.extend(self.allocate(piece)?.to_le_bytes());
        }
        let many = u16::try_from(list.len() / 4).ok()?;
        let list = self.allocate(&list)?;
        let mut holder = b"db".to_vec();
        holder.extend(many.to_le_bytes());
        holder.extend(list.to_le_bytes());
        Some((length, self.allocate(&holder)?))
    }

    /// Takes a key out with all below it.
    pub(super) fn remove_key(&mut self, Key(parent): Key, Key(key): Key) -> Option<()> {
        let offset = offset_of(key)?;
        self.unlist(parent, offset)?;
        let mut waiting = vec![offset];
        while let Some(offset) = waiting.pop() {
            let at = self.hive.cell(offset)?.0;
            let values = self.hive.values(Key(at));
            (values.len() == self.get(at + 36)? as usize).then_some(())?;
            for (_, value) in values {
                self.remove_value(Key(at), value)?;
            }
            if self.get(at + 20)? > 0 {
                let list = self.get(at + 28)?;
                for leaf in self.hive.leaves(list)? {
                    waiting.extend(self.hive.leaf(leaf)?);
                    if leaf != list {
                        self.release(leaf)?;
                    }
                }
                self.release(list)?;
            }
            if !self.hive.class(Key(at))?.is_empty() {
                self.release(self.get(at + 48)?)?;
            }
            self.part_from_security(self.get(at + 44)?)?;
            self.release(offset)?;
        }
        Some(())
    }

    /// Takes a key out of the list of the one that it lies in.
    fn unlist(&mut self, parent: usize, offset: u32) -> Option<()> {
        let list = self.get(parent + 28)?;
        let leaves = self.hive.leaves(list)?;
        let held = leaves.iter().enumerate().find_map(|(at, leaf)| {
            let keys = self.hive.leaf(*leaf)?;
            let position = keys.iter().position(|key| *key == offset)?;
            Some((at, *leaf, position, keys.len()))
        });
        let (place, leaf, position, many) = held?;
        let at = self.hive.cell(leaf)?.0;
        let step = self.hive.step_of(at)?;
        self.close_gap(at + 4, (position, many, step))?;
        self.put_bytes(at + 2, &u16::try_from(many - 1).ok()?.to_le_bytes())?;
        let keys = self.get(parent + 20)?.checked_sub(1)?;
        self.put(parent + 20, keys)?;
        if many == 1 {
            self.release(leaf)?;
            if leaf != list {
                let at = self.hive.cell(list)?.0;
                self.close_gap(at + 4, (place, leaves.len(), 4))?;
                let fewer = u16::try_from(leaves.len() - 1).ok()?;
                self.put_bytes(at + 2, &fewer.to_le_bytes())?;
                if fewer == 0 {
                    self.release(list)?;
                }
            }
        }
        if keys == 0 {
            self.put(parent + 28, NONE)?;
        }
        Some(())
    }

    /// One key fewer has a record of who may do what; the last takes it along.
    fn part_from_security(&mut self, offset: u32) -> Option<()> {
        let at = self.hive.record(offset, *b"sk", 20)?;
        match self.get(at + 12)? {
            0 => Some(()),
            1 => {
                let (next, last) = (self.get(at + 4)?, self.get(at + 8)?);
                if next == offset {
                    return Some(());
                }
                let (next_at, last_at) = (self.hive.cell(next)?.0, self.hive.cell(last)?.0);
                self.put(last_at + 4, next)?;
                self.put(next_at + 8, last)?;
                self.release(offset)
            }
            many => self.put(at + 12, many - 1),
        }
    }

    /// A record that says the same of who may do what; a new one in the ring where there is none.
    fn security_like(&mut self, near: u32, descriptor: &[u8]) -> Option<u32> {
        let (mut offset, mut seen) = (near, HashSet::new());
        while seen.insert(offset) {
            let at = self.hive.record(offset, *b"sk", 20)?;
            if self.hive.descriptor(at)? == descriptor {
                let many = self.get(at + 12)?.checked_add(1)?;
                self.put(at + 12, many)?;
                return Some(offset);
            }
            offset = self.get(at + 4)?;
        }
        let near_at = self.hive.cell(near)?.0;
        let next = self.get(near_at + 4)?;
        let mut record = b"sk\0\0".to_vec();
        let length = u32::try_from(descriptor.len()).ok()?;
        for word in [next, near, 1, length] {
            record.extend(word.to_le_bytes());
        }
        record.extend(descriptor);
        let new = self.allocate(&record)?;
        let next_at = self.hive.cell(next)?.0;
        self.put(near_at + 4, new)?;
        self.put(next_at + 8, new)?;
        Some(new)
    }

    /// Puts a key with all below it in a key that has none of its name.
    pub(super) fn add_key(&mut self, parent: Key, tree: &KeyTree) -> Option<()> {
        let mut waiting = vec![(parent.0, tree)];
        while let Some((parent, tree)) = waiting.pop() {
            let key = self.add_empty_key(parent, tree)?;
            for value in &tree.values {
                self.add_value(Key(key), value)?;
            }
            waiting.extend(tree.keys.iter().map(|child| (key, child)));
        }
        Some(())
    }

    fn add_empty_key(&mut self, parent: usize, tree: &KeyTree) -> Option<usize> {
        let (name, is_latin) = written(&tree.name);
        let near = self.get(parent + 44)?;
        let security = if tree.security.is_empty() {
            let descriptor = self.hive.security(Key(parent))?;
            self.security_like(near, &descriptor)?
        } else {
            self.security_like(near, &tree.security)?
        };
        let class = match &tree.class[..] {
            [] => NONE,
            class => self.allocate(class)?,
        };
        let mut record = b"nk".to_vec();
        let flags = tree.flags | if is_latin { LATIN } else { 0 };
        record.extend(flags.to_le_bytes());
        record.extend(tree.time.to_le_bytes());
        for word in [
            0,
            offset_of(parent)?,
            0,
            0,
            NONE,
            NONE,
            0,
            NONE,
            security,
            class,
        ] {
            record.extend(word.to_le_bytes());
        }
        record.extend([0; 20]);
        record.extend(u16::try_from(name.len()).ok()?.to_le_bytes());
        record.extend(u16::try_from(tree.class.len()).ok()?.to_le_bytes());
        record.extend(&name);
        let offset = self.allocate(&record)?;
        self.list(parent, (&tree.name, offset))?;
        let longest = short(&self.hive.bytes, parent + 52)?;
        let length = tree.name.encode_utf16().count() * 2;
        let longest = u16::try_from(longest.max(length)).ok()?;
        self.put_bytes(parent + 52, &longest.to_le_bytes())?;
        self.raise(parent + 56, tree.class.len())?;
        Some(self.hive.cell(offset)?.0)
    }
}

/// The offset by which the cell of a record is named.
fn offset_of(record: usize) -> Option<u32> {
    u32::try_from(record.checked_sub(BASE + 4)?).ok()
}

/// A name as a record holds it, and whether that is in Latin-1.
fn written(name: &str) -> (Vec<u8>, bool) {
    let latin: Option<Vec<u8>> = name
        .chars()
        .map(|letter| u8::try_from(letter).ok())
        .collect();
    match latin {
        Some(latin) => (latin, true),
        None => (
            name.encode_utf16().flat_map(u16::to_le_bytes).collect(),
            false,
        ),
    }
}
