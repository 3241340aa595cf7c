//! Files with several names: their bytes come back only with the last one.

use std::collections::HashMap;

use jiff::Timestamp;

use crate::rule::age_at;
use crate::source::{Arena, ItemId};

/// A file of which every name is an item.
#[derive(Clone, Debug, PartialEq, Eq)]
pub struct LinkGroup {
    /// The name that its bytes are counted with: the youngest.
    pub carrier: ItemId,
    /// Every name, the carrier included.
    pub members: Vec<ItemId>,
    /// What comes back when all of them go.
    pub bytes: u64,
}

/// Counts the bytes of each file with several names once, with its youngest name, and not at all
/// when a name of it lies where no rule looks.
pub(crate) fn gather(arena: &mut Arena, now: Timestamp) -> Vec<LinkGroup> {
    if !arena.has_links {
        return Vec::new();
    }
    let mut by_key: HashMap<_, Vec<ItemId>> = HashMap::new();
    for item in arena.items() {
        if arena.links(item) > 1 {
            by_key.entry(arena.key(item)).or_default().push(item);
        }
    }
    let mut groups = Vec::new();
    for members in by_key.into_values() {
        for member in &members {
            arena.set_frees(*member, 0);
        }
        // Of one age, by path: two scans choose the same.
        let age = |item: &ItemId| (age_at(arena.time(*item), now), arena.path(*item));
        let Some(carrier) = members.iter().min_by_key(|item| age(item)).copied() else {
            continue;
        };
        let is_complete = members.len() == arena.links(carrier) as usize;
        if is_complete {
            let bytes = arena.allocated(carrier);
            arena.set_frees(carrier, bytes);
            groups.push(LinkGroup {
                carrier,
                members,
                bytes,
            });
        }
    }
    groups.sort_by_key(|group| group.carrier);
    groups
}
