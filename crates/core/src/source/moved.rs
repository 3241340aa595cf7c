//! Files that were moved from one folder to another while both were walked, and so seen twice.

use std::collections::{HashMap, HashSet};

use jiff::Timestamp;
use jolly_disk::FileKey;

use crate::source::{Arena, ItemId};

/// Takes the earlier look of each file that was seen twice out of the scan; says how many those
/// were. A rename moves the last change of what it renames, so only what has changed since the
/// scan began can have been seen elsewhere before.
pub(crate) fn drop_earlier_sightings(arena: &mut Arena, began: Timestamp) -> u64 {
    let since = began.as_second() - 1;
    if arena.latest.is_none_or(|latest| latest < since) {
        return 0;
    }
    // Entries have the key of their holder, which is read once.
    let is_file = |item: &ItemId| arena.fingerprint(*item).is_none();
    let is_fresh = |item: &ItemId| arena.links(*item) == 1 && arena.changed(*item).seconds >= since;
    let fresh: Vec<ItemId> = arena
        .items()
        .filter(|item| is_fresh(item) && is_file(item))
        .collect();
    let inodes: HashSet<u64> = fresh.iter().map(|item| arena.key(*item).inode).collect();
    let mut latest: HashMap<FileKey, ItemId> = HashMap::new();
    let mut stale = Vec::new();
    for item in arena.items().filter(is_file) {
        let key = arena.key(item);
        if !inodes.contains(&key.inode) || arena.links(item) != 1 {
            continue;
        }
        match latest.insert(key, item) {
            Some(known) if arena.changed(known) > arena.changed(item) => {
                latest.insert(key, known);
                stale.push(item);
            }
            Some(known) => stale.push(known),
            None => {}
        }
    }
    let count = stale.len() as u64;
    for item in stale {
        arena.drop_item(item);
    }
    count
}
