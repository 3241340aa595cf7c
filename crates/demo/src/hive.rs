//! Registry hives whose keys are as old as they are said to be.

use regf::{HiveBuilder, KeyTreeNode};

use crate::DemoError;

/// Where the cells of a hive begin, and where its first block has its sum.
const BASE: usize = 4096;
const SUM: usize = 508;

/// The bytes of a hive all keys of which were written at one moment, seconds since 1970.
pub(crate) fn hive(tree: KeyTreeNode, written: i64) -> Result<Vec<u8>, DemoError> {
    let built = HiveBuilder::from_tree(tree).and_then(|mut hive| hive.build());
    let mut bytes = built.map_err(|error| DemoError::Record(error.to_string()))?;
    let ticks = u64::try_from(written + 11_644_473_600).unwrap_or(0) * 10_000_000;
    let put = |bytes: &mut Vec<u8>, at: usize| {
        if let Some(place) = bytes.get_mut(at..at + 8) {
            place.copy_from_slice(&ticks.to_le_bytes());
        }
    };
    put(&mut bytes, 12);
    let mut at = BASE;
    while let Some(size) = word(&bytes, at) {
        if bytes.get(at..at + 4) == Some(b"hbin") {
            put(&mut bytes, at + 20);
            at += 32;
            continue;
        }
        if bytes.get(at + 4..at + 6) == Some(b"nk") {
            put(&mut bytes, at + 8);
        }
        at += (size.cast_signed().unsigned_abs() as usize).max(8);
    }
    let sum = (0..SUM).step_by(4).filter_map(|at| word(&bytes, at));
    let sum = sum.fold(0, |sum, word| sum ^ word);
    if let Some(place) = bytes.get_mut(SUM..SUM + 4) {
        place.copy_from_slice(&sum.to_le_bytes());
    }
    Ok(bytes)
}

fn word(bytes: &[u8], at: usize) -> Option<u32> {
    Some(u32::from_le_bytes(*bytes.get(at..)?.first_chunk()?))
}
