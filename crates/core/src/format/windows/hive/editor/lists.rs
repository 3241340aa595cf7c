//! The lists in which a key has those right below it.

use crate::format::windows::hive::NONE;
use crate::format::windows::hive::editor::Editor;

/// Keys in one list at most; more are a list of lists.
const IN_A_LIST: usize = 500;

impl Editor {
    /// Puts a key into the list of the one that it lies in, which is in the order of capital letters.
    pub(super) fn list(&mut self, parent: usize, (name, offset): (&str, u32)) -> Option<()> {
        let many = self.get(parent + 20)?;
        let list = if many == 0 {
            NONE
        } else {
            self.get(parent + 28)?
        };
        let mut keys: Vec<(Vec<u16>, u32)> = Vec::new();
        let mut mark = if self.get(24)? >= 5 { *b"lh" } else { *b"lf" };
        for leaf in self.hive.leaves(list)? {
            mark = *self
                .hive
                .bytes
                .get(self.hive.cell(leaf)?.0..)?
                .first_chunk()?;
            for key in self.hive.leaf(leaf)? {
                let name = self.hive.key_name(self.hive.cell(key)?.0)?;
                keys.push((capitals(&name), key));
            }
        }
        let name = capitals(name);
        let place = keys.partition_point(|(known, _)| *known < name);
        keys.insert(place, (name, offset));
        let old = self.hive.leaves(list)?;
        let new = self.write_lists(mark, &keys)?;
        for leaf in old.into_iter().filter(|leaf| *leaf != list) {
            self.release(leaf)?;
        }
        if list != NONE {
            self.release(list)?;
        }
        self.put(parent + 28, new)?;
        self.put(parent + 20, many + 1)
    }

    fn write_lists(&mut self, mark: [u8; 2], keys: &[(Vec<u16>, u32)]) -> Option<u32> {
        let mut leaves = Vec::new();
        for chunk in keys.chunks(IN_A_LIST) {
            let mut leaf = mark.to_vec();
            leaf.extend(u16::try_from(chunk.len()).ok()?.to_le_bytes());
            for (name, key) in chunk {
                leaf.extend(key.to_le_bytes());
                match &mark {
                    b"lh" => leaf.extend(hash(name).to_le_bytes()),
                    b"lf" => leaf.extend(self.hint(*key)?),
                    _ => {}
                }
            }
            leaves.push(self.allocate(&leaf)?);
        }
        if let [only] = leaves[..] {
            return Some(only);
        }
        let mut list = b"ri".to_vec();
        list.extend(u16::try_from(leaves.len()).ok()?.to_le_bytes());
        list.extend(leaves.iter().flat_map(|leaf| leaf.to_le_bytes()));
        self.allocate(&list)
    }

    /// The first four letters of a key's name, as the older lists have them.
    fn hint(&self, key: u32) -> Option<[u8; 4]> {
        let name = self.hive.key_name(self.hive.cell(key)?.0)?;
        let mut hint = [0; 4];
        if name.is_ascii() {
            for (place, letter) in hint.iter_mut().zip(name.bytes()) {
                *place = letter;
            }
        }
        Some(hint)
    }
}

/// A name in capital letters, as lists are ordered by: letters that become several stay.
fn capitals(name: &str) -> Vec<u16> {
    let capital = |letter: char| {
        let mut all = letter.to_uppercase();
        match (all.next(), all.next()) {
            (Some(one), None) => one,
            _ => letter,
        }
    };
    let name: String = name.chars().map(capital).collect();
    name.encode_utf16().collect()
}

/// The hash of a name in capital letters, as the newer lists have it.
fn hash(name: &[u16]) -> u32 {
    let add = |hash: u32, letter: &u16| hash.wrapping_mul(37).wrapping_add(u32::from(*letter));
    name.iter().fold(0, add)
}
