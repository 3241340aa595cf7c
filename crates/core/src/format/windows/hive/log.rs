//! Logs of hives as Windows writes them since 8.1: laid over a hive in memory that its system didn't finish.

use crate::format::windows::hive::{BASE, HiveError, MOST, has_sum, number, sum};

/// The block that a log begins with, and what its entries lie on.
const BLOCK: usize = 512;

/// The head of an entry.
const HEAD: usize = 40;

/// Where a log says which entry comes first, and of which type it is.
const FIRST: usize = 4;
const KIND: usize = 28;

/// The type of such logs.
const NEW: u32 = 6;

/// One entry: which, how long the hive is with it, and its pages.
struct Entry<'a> {
    sequence: u32,
    length: u32,
    pages: u32,
    bytes: &'a [u8],
}

/// The hash of entries (Marvin32, with the seed 0x82EF4D887A4E55C5).
fn marvin(data: &[u8]) -> u64 {
    let (mut low, mut high) = (0x7A4E_55C5_u32, 0x82EF_4D88_u32);
    let mut mix = |word: u32| {
        low = low.wrapping_add(word);
        high ^= low;
        low = low.rotate_left(20).wrapping_add(high);
        high = high.rotate_left(9) ^ low;
        low = low.rotate_left(27).wrapping_add(high);
        high = high.rotate_left(19);
    };
    let (words, rest) = data.as_chunks::<4>();
    for word in words {
        mix(u32::from_le_bytes(*word));
    }
    let rest = rest.iter().rev();
    mix(rest.fold(0x80, |word, byte| word << 8 | u32::from(*byte)));
    mix(0);
    u64::from(low) | u64::from(high) << 32
}

fn long(bytes: &[u8], at: usize) -> Option<u64> {
    Some(u64::from_le_bytes(*bytes.get(at..)?.first_chunk()?))
}

/// The whole entries of a log, from its first on, as far as both hashes of each are right.
fn entries(log: &[u8]) -> Vec<Entry<'_>> {
    let mut found = Vec::new();
    if !log.starts_with(b"regf") || number(log, KIND) != Some(NEW) || !has_sum(log) {
        return found;
    }
    let Some(mut sequence) = number(log, FIRST) else {
        return found;
    };
    let mut rest = log.get(BLOCK..).unwrap_or_default();
    while let Some(entry) = entry(rest).filter(|entry| entry.sequence == sequence) {
        rest = rest.get(entry.bytes.len()..).unwrap_or_default();
        sequence = sequence.wrapping_add(1);
        found.push(entry);
    }
    found
}

fn entry(bytes: &[u8]) -> Option<Entry<'_>> {
    let size = number(bytes, 4)? as usize;
    if !bytes.starts_with(b"HvLE") || size < BLOCK || !size.is_multiple_of(BLOCK) {
        return None;
    }
    let bytes = bytes.get(..size)?;
    let is_sound = marvin(bytes.get(HEAD..)?) == long(bytes, 24)?
        && marvin(bytes.get(..32)?) == long(bytes, 32)?;
    let length = number(bytes, 16)?;
    (is_sound && length.is_multiple_of(4096) && u64::from(length) <= MOST).then_some(Entry {
        sequence: number(bytes, 12)?,
        length,
        pages: number(bytes, 20)?,
        bytes,
    })
}

impl Entry<'_> {
    /// Writes its pages into a hive.
    fn lay_over(&self, hive: &mut Vec<u8>) -> Option<()> {
        hive.resize(BASE + self.length as usize, 0);
        let many = self.pages as usize;
        let mut from = HEAD.checked_add(many.checked_mul(8)?)?;
        for page in 0..many {
            let at = BASE.checked_add(number(self.bytes, HEAD + page * 8)? as usize)?;
            let size = number(self.bytes, HEAD + 4 + page * 8)? as usize;
            let written = self.bytes.get(from..from.checked_add(size)?)?;
            hive.get_mut(at..at.checked_add(size)?)?
                .copy_from_slice(written);
            from += size;
        }
        hive.get_mut(40..44)?
            .copy_from_slice(&self.length.to_le_bytes());
        Some(())
    }
}

/// An unfinished hive with all that its logs say; all entries from the hive's own second number on, without a gap.
pub(super) fn recovered(mut hive: Vec<u8>, logs: &[Vec<u8>]) -> Result<Vec<u8>, HiveError> {
    if !has_sum(&hive) {
        return Err(HiveError::Torn);
    }
    let synced = number(&hive, 8).ok_or(HiveError::Truncated)?;
    let mut all: Vec<Entry<'_>> = logs.iter().flat_map(|log| entries(log)).collect();
    all.retain(|entry| entry.sequence >= synced);
    all.sort_by_key(|entry| entry.sequence);
    all.dedup_by_key(|entry| entry.sequence);
    let first = all.first().map(|entry| entry.sequence);
    // What came before the first entry must be in the hive itself.
    let mut next = first
        .filter(|first| first - synced <= 1)
        .ok_or(HiveError::Unfinished)?;
    for entry in &all {
        if entry.sequence != next {
            break;
        }
        entry.lay_over(&mut hive).ok_or(HiveError::Unfinished)?;
        next = next.wrapping_add(1);
    }
    let last = next.wrapping_sub(1).to_le_bytes();
    for at in [4, 8] {
        if let Some(place) = hive.get_mut(at..at + 4) {
            place.copy_from_slice(&last);
        }
    }
    let sum = sum(&hive).ok_or(HiveError::Truncated)?;
    if let Some(place) = hive.get_mut(508..512) {
        place.copy_from_slice(&sum.to_le_bytes());
    }
    Ok(hive)
}

#[cfg(test)]
mod tests {
    use super::*;

    /// The head of an entry of a real log, and the hash beside it.
    #[test]
    fn the_hash_is_that_of_a_real_entry() {
        let mut head = b"HvLE".to_vec();
        for word in [11_776_u32, 1, 4064, 16_445_440, 2] {
            head.extend(word.to_le_bytes());
        }
        head.extend(9_224_533_926_344_046_332_u64.to_le_bytes());
        assert_eq!(marvin(&head), 17_775_315_420_625_959_254);
    }

    fn put(bytes: &mut [u8], at: usize, word: u32) {
        bytes[at..at + 4].copy_from_slice(&word.to_le_bytes());
    }

    fn sign(bytes: &mut [u8]) {
        let sum = sum(bytes).unwrap();
        put(bytes, 508, sum);
    }

    /// An unfinished hive as `old` was, and the log that makes it `new`.
    fn unfinished(old: &[u8], new: &[u8]) -> (Vec<u8>, Vec<u8>) {
        let sequence = number(old, 4).unwrap() + 1;
        let pages = (BASE..new.len()).step_by(4096);
        let pages: Vec<usize> = pages
            .filter(|at| old.get(*at..at + 4096) != new.get(*at..at + 4096))
            .collect();
        let word = |many: usize| u32::try_from(many).unwrap().to_le_bytes();
        let mut body: Vec<u8> = pages
            .iter()
            .flat_map(|at| [word(at - BASE), word(4096)])
            .flatten()
            .collect();
        for at in &pages {
            body.extend_from_slice(&new[*at..at + 4096]);
        }
        body.resize((HEAD + body.len()).next_multiple_of(BLOCK) - HEAD, 0);
        let mut entry = b"HvLE".to_vec();
        for word in [
            word(HEAD + body.len()),
            [0; 4],
            sequence.to_le_bytes(),
            word(new.len() - BASE),
            word(pages.len()),
        ] {
            entry.extend(word);
        }
        entry.extend(marvin(&body).to_le_bytes());
        entry.extend(marvin(&entry).to_le_bytes());
        entry.extend(body);
        let mut hive = old.to_vec();
        put(&mut hive, 4, sequence);
        sign(&mut hive);
        let mut log = hive[..BLOCK].to_vec();
        put(&mut log, FIRST, sequence);
        put(&mut log, KIND, NEW);
        sign(&mut log);
        log.extend(entry);
        (hive, log)
    }

    #[test]
    fn an_unfinished_hive_is_what_its_log_says_and_refused_without() {
        use regf::{DataType, HiveBuilder, KeyTreeNode, KeyTreeValue};

        use crate::format::windows::hive::Hive;

        let with = |value: u8| {
            let mut tree = KeyTreeNode::new("root");
            tree.get_or_create_path("Software")
                .values
                .push(KeyTreeValue {
                    name: "tide".to_owned(),
                    data_type: DataType::Binary,
                    data: vec![value; 9000],
                });
            HiveBuilder::from_tree(tree).unwrap().build().unwrap()
        };
        let read = |hive: &Hive| {
            let key = hive.key("software").unwrap();
            hive.data(hive.values(key)[0].1).unwrap()[0]
        };
        let (hive, log) = unfinished(&with(1), &with(2));
        let whole = Hive::read(hive.clone(), std::slice::from_ref(&log)).unwrap();
        assert_eq!(read(&whole), 2);
        assert_eq!(
            read(&Hive::read(with(1), std::slice::from_ref(&log)).unwrap()),
            1
        );
        let mut damaged = log;
        damaged[BLOCK + HEAD + 100] ^= 1;
        for logs in [vec![], vec![damaged], vec![b"regf".to_vec()]] {
            assert_eq!(
                Hive::read(hive.clone(), &logs).unwrap_err(),
                HiveError::Unfinished
            );
        }
    }
}
