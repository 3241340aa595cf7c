//! A run of items as columns: some fifty bytes an item, and its name.

use jolly_disk::Stamp;

use crate::source::arena::shard::NewItem;
use crate::source::{Fingerprint, FolderId, ItemKind, PileId};

/// Items in one chunk.
pub(crate) const CHUNK: usize = 1 << 14;

/// Bytes of a name that room is made for at once.
const USUAL_NAME: usize = 20;

/// Bytes in a block as the kernel counts them.
const BLOCK: u64 = 512;

/// A row that has left the scan again.
const TOMBSTONE: u32 = PILES;

/// Piles that a chunk can tell apart.
const PILES: u32 = (1 << 28) - 1;

/// Bits beside the pile's number.
const IS_LINK: u32 = 1 << 31;
const HAS_MORE_NAMES: u32 = 1 << 30;
const IS_STRANGE: u32 = 1 << 29;
const IS_ENTRY: u32 = 1 << 28;

const NANOS: i64 = 1_000_000_000;

/// What only few items have: a table beside the columns, ordered by row.
#[derive(Debug)]
struct SideTable<T>(Vec<(u16, T)>);

impl<T> Default for SideTable<T> {
    fn default() -> Self {
        Self(Vec::new())
    }
}

impl<T> SideTable<T> {
    fn push(&mut self, row: usize, value: T) {
        // A row lies within its chunk, so it fits.
        self.0.push((u16::try_from(row).unwrap_or(u16::MAX), value));
    }

    fn position(&self, row: usize) -> Option<usize> {
        self.0
            .binary_search_by_key(&row, |(row, _)| usize::from(*row))
            .ok()
    }

    fn get(&self, row: usize) -> Option<&T> {
        self.0.get(self.position(row)?).map(|(_, value)| value)
    }

    fn get_mut(&mut self, row: usize) -> Option<&mut T> {
        let at = self.position(row)?;
        self.0.get_mut(at).map(|(_, value)| value)
    }
}

/// What the columns have no room for, of a file with times or sizes out of the ordinary.
#[derive(Debug)]
struct Overflow {
    device: Option<u64>,
    allocated: u64,
    time: i64,
    modified: Stamp,
    changed: Stamp,
}

/// How many names a file has, and what it frees.
#[derive(Debug)]
struct NameBytes {
    links: u32,
    frees: u64,
}

/// Items as columns.
///
/// # Invariants
/// Every column has one row an item; names end with a NUL and lie within `names`.
#[derive(Debug, Default)]
pub(crate) struct Chunk {
    names: Vec<u8>,
    folder: Vec<FolderId>,
    name: Vec<u32>,
    inode: Vec<u64>,
    size: Vec<u64>,
    blocks: Vec<u32>,
    time: Vec<u32>,
    modified: Vec<i64>,
    changed: Vec<i64>,
    pile: Vec<u32>,
    several: SideTable<NameBytes>,
    strange: SideTable<Overflow>,
    entries: SideTable<Fingerprint>,
}

fn as_nanos(stamp: Stamp) -> Option<i64> {
    let whole = stamp.seconds.checked_mul(NANOS)?;
    whole.checked_add(i64::from(stamp.nanos))
}

fn as_stamp(nanos: i64) -> Stamp {
    Stamp {
        seconds: nanos.div_euclid(NANOS),
        nanos: u32::try_from(nanos.rem_euclid(NANOS)).unwrap_or(0),
    }
}

impl Chunk {
    pub(crate) fn new() -> Self {
        Self {
            names: Vec::with_capacity(CHUNK * USUAL_NAME),
            folder: Vec::with_capacity(CHUNK),
            name: Vec::with_capacity(CHUNK),
            inode: Vec::with_capacity(CHUNK),
            size: Vec::with_capacity(CHUNK),
            blocks: Vec::with_capacity(CHUNK),
            time: Vec::with_capacity(CHUNK),
            modified: Vec::with_capacity(CHUNK),
            changed: Vec::with_capacity(CHUNK),
            pile: Vec::with_capacity(CHUNK),
            ..Self::default()
        }
    }

    pub(crate) fn len(&self) -> usize {
        self.pile.len()
    }

    pub(crate) fn is_full(&self) -> bool {
        self.len() >= CHUNK
    }

    /// Gives back the room that the names did not need.
    pub(crate) fn close(&mut self) {
        self.names.shrink_to_fit();
    }

    /// Adds an item; whether there was room.
    pub(crate) fn push(&mut self, new: &NewItem<'_>) -> bool {
        let row = self.len();
        let (Ok(name), Ok(pile)) = (u32::try_from(self.names.len()), u32::try_from(new.pile.0))
        else {
            return false;
        };
        if self.is_full() || pile >= TOMBSTONE {
            return false;
        }
        let stat = new.stat;
        let blocks = u32::try_from(stat.allocated / BLOCK).ok();
        let blocks = blocks.filter(|blocks| u64::from(*blocks) * BLOCK == stat.allocated);
        let time = u32::try_from(new.time).ok();
        let (modified, changed) = (as_nanos(stat.modified), as_nanos(stat.changed));
        let device = (stat.key.device != new.device).then_some(stat.key.device);
        let is_plain = blocks.is_some()
            && time.is_some()
            && modified.is_some()
            && changed.is_some()
            && device.is_none();
        let mut word = pile;
        if new.kind == ItemKind::Link {
            word |= IS_LINK;
        }
        if let Some(fingerprint) = new.entry {
            word |= IS_ENTRY;
            self.entries.push(row, fingerprint);
        }
        if stat.links > 1 {
            word |= HAS_MORE_NAMES;
            let (links, frees) = (stat.links, stat.allocated);
            self.several.push(row, NameBytes { links, frees });
        }
        if !is_plain {
            word |= IS_STRANGE;
            let strange = Overflow {
                device,
                allocated: stat.allocated,
                time: new.time,
                modified: stat.modified,
                changed: stat.changed,
            };
            self.strange.push(row, strange);
        }
        self.names.extend_from_slice(new.name);
        self.names.push(0);
        self.folder.push(new.folder);
        self.name.push(name);
        self.inode.push(stat.key.inode);
        self.size.push(stat.size);
        self.blocks.push(blocks.unwrap_or(0));
        self.time.push(time.unwrap_or(0));
        self.modified.push(modified.unwrap_or(0));
        self.changed.push(changed.unwrap_or(0));
        self.pile.push(word);
        true
    }

    fn strange(&self, row: usize) -> Option<&Overflow> {
        (self.pile[row] & IS_STRANGE != 0)
            .then(|| self.strange.get(row))
            .flatten()
    }

    fn several(&self, row: usize) -> Option<&NameBytes> {
        (self.pile[row] & HAS_MORE_NAMES != 0)
            .then(|| self.several.get(row))
            .flatten()
    }

    pub(crate) fn folder(&self, row: usize) -> FolderId {
        self.folder[row]
    }

    pub(crate) fn name(&self, row: usize) -> &[u8] {
        let start = self.name[row] as usize;
        let end = match self.name.get(row + 1) {
            Some(next) => *next as usize,
            None => self.names.len(),
        };
        // Without the NUL.
        self.names
            .get(start..end.saturating_sub(1))
            .unwrap_or_default()
    }

    pub(crate) fn inode(&self, row: usize) -> u64 {
        self.inode[row]
    }

    /// Its device, where it isn't that of its folder.
    pub(crate) fn strange_device(&self, row: usize) -> Option<u64> {
        self.strange(row)?.device
    }

    pub(crate) fn kind(&self, row: usize) -> ItemKind {
        let word = self.pile[row];
        if word & IS_ENTRY != 0 {
            ItemKind::Entry
        } else if word & IS_LINK != 0 {
            ItemKind::Link
        } else {
            ItemKind::File
        }
    }

    /// What tells an entry of a holder from others; none for a file.
    pub(crate) fn fingerprint(&self, row: usize) -> Option<Fingerprint> {
        let is_entry = self.pile[row] & IS_ENTRY != 0;
        is_entry.then(|| self.entries.get(row).copied()).flatten()
    }

    pub(crate) fn size(&self, row: usize) -> u64 {
        self.size[row]
    }

    pub(crate) fn allocated(&self, row: usize) -> u64 {
        match self.strange(row) {
            Some(strange) => strange.allocated,
            None => u64::from(self.blocks[row]) * BLOCK,
        }
    }

    pub(crate) fn frees(&self, row: usize) -> u64 {
        match self.several(row) {
            Some(names) => names.frees,
            None => self.allocated(row),
        }
    }

    pub(crate) fn set_frees(&mut self, row: usize, bytes: u64) {
        if let Some(names) = self.several.get_mut(row) {
            names.frees = bytes;
        }
    }

    pub(crate) fn time(&self, row: usize) -> i64 {
        match self.strange(row) {
            Some(strange) => strange.time,
            None => i64::from(self.time[row]),
        }
    }

    pub(crate) fn set_time(&mut self, row: usize, time: i64) {
        let is_strange = self.pile[row] & IS_STRANGE != 0;
        match (
            self.strange.get_mut(row).filter(|_| is_strange),
            u32::try_from(time),
        ) {
            (Some(strange), _) => strange.time = time,
            (None, Ok(time)) => self.time[row] = time,
            // Out of the ordinary by now: as near as the column can say, and never older than it was.
            (None, Err(_)) => self.time[row] = if time > 0 { u32::MAX } else { self.time[row] },
        }
    }

    pub(crate) fn modified(&self, row: usize) -> Stamp {
        match self.strange(row) {
            Some(strange) => strange.modified,
            None => as_stamp(self.modified[row]),
        }
    }

    pub(crate) fn changed(&self, row: usize) -> Stamp {
        match self.strange(row) {
            Some(strange) => strange.changed,
            None => as_stamp(self.changed[row]),
        }
    }

    pub(crate) fn links(&self, row: usize) -> u32 {
        self.several(row).map_or(1, |names| names.links)
    }

    pub(crate) fn pile(&self, row: usize) -> PileId {
        PileId((self.pile[row] & PILES) as usize)
    }

    /// Whether the row still is an item.
    pub(crate) fn is_item(&self, row: usize) -> bool {
        self.pile[row] & PILES != TOMBSTONE
    }

    pub(crate) fn drop_item(&mut self, row: usize) {
        self.pile[row] |= TOMBSTONE;
    }
}

#[cfg(test)]
mod tests {
    use jolly_disk::{FileKey, Kind, Stat};
    use proptest::prelude::*;

    use super::*;

    fn arb_stamp() -> impl Strategy<Value = Stamp> {
        let seconds = prop_oneof![any::<i64>(), -10_000_000_000..10_000_000_000_i64];
        (seconds, 0..1_000_000_000_u32).prop_map(|(seconds, nanos)| Stamp { seconds, nanos })
    }

    fn arb_item() -> impl Strategy<Value = (Vec<u8>, Stat, i64, usize)> {
        let name = proptest::collection::vec(1..=255_u8, 1..=255);
        let numbers = (any::<u64>(), any::<u64>(), 0..4_u64, 0..4_u32);
        let times = (arb_stamp(), arb_stamp(), any::<i64>());
        (name, numbers, times, 0..1000_usize).prop_map(|(name, numbers, times, pile)| {
            let (size, inode, device, links) = numbers;
            let stat = Stat {
                key: FileKey { device, inode },
                kind: Kind::File,
                is_mount: false,
                is_fixed: false,
                size,
                allocated: size.rotate_left(7),
                links,
                user: 0,
                group: 0,
                mode: 0,
                accessed: times.0,
                modified: times.0,
                changed: times.1,
                born: None,
            };
            (name, stat, times.2, pile)
        })
    }

    proptest! {
        #[test]
        fn prop_a_chunk_gives_back_exactly_what_was_put_in(
            items in proptest::collection::vec(arb_item(), 0..60),
        ) {
            let mut chunk = Chunk::new();
            for (name, stat, time, pile) in &items {
                let new = NewItem {
                    folder: FolderId(7),
                    device: 1,
                    name,
                    kind: ItemKind::File,
                    stat,
                    time: *time,
                    pile: PileId(*pile),
                    entry: stat.links.is_multiple_of(2).then(|| Fingerprint::of(name)),
                };
                prop_assert!(chunk.push(&new));
            }
            chunk.close();
            for (row, (name, stat, time, pile)) in items.iter().enumerate() {
                prop_assert_eq!(chunk.name(row), name);
                prop_assert_eq!(chunk.inode(row), stat.key.inode);
                prop_assert_eq!(chunk.strange_device(row).unwrap_or(1), stat.key.device);
                prop_assert_eq!(chunk.size(row), stat.size);
                prop_assert_eq!(chunk.allocated(row), stat.allocated);
                prop_assert_eq!(chunk.modified(row), stat.modified);
                prop_assert_eq!(chunk.changed(row), stat.changed);
                prop_assert_eq!(chunk.links(row), stat.links.max(1));
                prop_assert_eq!(chunk.time(row), *time);
                prop_assert_eq!(chunk.pile(row), PileId(*pile));
                let entry = stat.links.is_multiple_of(2).then(|| Fingerprint::of(name));
                prop_assert_eq!(chunk.fingerprint(row), entry);
            }
        }
    }
}
