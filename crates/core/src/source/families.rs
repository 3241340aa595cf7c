//! Families of things of which the newest stay.

use std::collections::HashMap;
use std::ffi::CString;

use jolly_disk::Stat;

use crate::rule::KeepNewest;
use crate::source::{FolderId, ItemKind, PileId};
use crate::walk::PlaceId;

/// An item that waits until its whole family is known.
pub(crate) struct FamilyCandidate {
    pub folder: FolderId,
    /// The device of its folder.
    pub device: u64,
    /// The place it is counted with, by position.
    pub place: PlaceId,
    pub name: CString,
    pub kind: ItemKind,
    pub stat: Stat,
    pub time: i64,
    pub pile: PileId,
    pub keep: KeepNewest,
    /// Whether it is its pile's; what a recogniser leaves still counts as one of its family.
    pub is_owned: bool,
}

/// Items that may go: of each family all but the newest. `is_whole` says whether all names of a
/// folder are known; of a family that isn't, nothing goes.
pub(crate) fn going(
    waiting: Vec<FamilyCandidate>,
    is_whole: &dyn Fn(FolderId) -> bool,
) -> Vec<FamilyCandidate> {
    let mut families: HashMap<(PileId, FolderId, Vec<u8>), Vec<FamilyCandidate>> = HashMap::new();
    for item in waiting {
        let key = item.keep.per.key(item.name.to_bytes()).to_vec();
        families
            .entry((item.pile, item.folder, key))
            .or_default()
            .push(item);
    }
    let mut going = Vec::new();
    for ((_, folder, _), mut family) in families {
        if !is_whole(folder) {
            continue;
        }
        newest_first(&mut family, |item| {
            (item.time, counted(item.name.to_bytes()))
        });
        let kept = family.first().map_or(0, |item| item.keep.count as usize);
        going.extend(family.into_iter().skip(kept).filter(|item| item.is_owned));
    }
    // The order of a hash map is by chance; the arena's is not.
    going.sort_by(|one, other| (one.folder, &one.name).cmp(&(other.folder, &other.name)));
    going
}

/// A name so that numbers in it compare as numbers: `9` comes before `10`.
pub(crate) fn counted(name: &[u8]) -> Vec<u8> {
    let mut key = Vec::with_capacity(name.len() + 4);
    for run in name.chunk_by(|one, other| one.is_ascii_digit() == other.is_ascii_digit()) {
        if run.first().is_some_and(u8::is_ascii_digit) {
            let zeros = run.iter().take_while(|byte| **byte == b'0').count();
            let digits = run.get(zeros..).unwrap_or_default();
            key.push(b'0');
            key.push(u8::try_from(digits.len()).unwrap_or(u8::MAX));
            key.extend(digits);
        } else {
            key.extend(run);
        }
    }
    key
}

/// Orders a family: the newest first, of one age the later name first.
pub(crate) fn newest_first<T>(family: &mut [T], by: impl Fn(&T) -> (i64, Vec<u8>)) {
    family.sort_by_key(|item| std::cmp::Reverse(by(item)));
}
