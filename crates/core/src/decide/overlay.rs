//! What single choices and exclusions change about a pile, beside its age limit.

use std::collections::HashMap;
use std::sync::Arc;

use crate::decide::choice::Choices;
use crate::decide::marked::Marked;
use crate::decide::reach::frees;
use crate::decide::{Choice, Excluded, Node};
use crate::pile::{Pile, PileIndex, Scan, Sum};
use crate::source::{FolderId, ItemId, PileId};

/// What stands beside the age limit of one pile.
///
/// # Invariants
/// No position is in two of the three.
#[derive(Clone, Debug, PartialEq, Eq)]
pub(super) struct Overlay {
    /// Excluded or left by hand: stays whatever its age.
    pub(super) stays: Marked,
    /// In a folder that is taken by hand: goes when it is old enough, even if the pile is left.
    pub(super) asked: Marked,
    /// Taken by hand: goes whatever its age.
    pub(super) by_hand: Marked,
}

/// One row a pile; nothing where nothing was chosen or excluded.
pub(super) type Overlays = Arc<Vec<Option<Arc<Overlay>>>>;

/// Puts together what exclusions and choices change.
pub(super) fn overlays(scan: &Scan, excluded: &[Excluded], choices: &Choices) -> Overlays {
    let of_pile = |id| Overlay::of(scan, id, excluded, choices, None).map(Arc::new);
    Arc::new((0..scan.piles.len()).map(PileId).map(of_pile).collect())
}

impl Overlay {
    /// What exclusions and choices change about one pile, faster with its index.
    pub(super) fn of(
        scan: &Scan,
        id: PileId,
        excluded: &[Excluded],
        choices: &Choices,
        index: Option<&PileIndex>,
    ) -> Option<Self> {
        let active = excluded.iter().filter(|one| !one.exclusion.is_suspended);
        let marks: Vec<&Marked> = active.filter_map(|one| one.reach.of_pile(id)).collect();
        let is_chosen = choices.has_any_in(scan, id);
        if marks.is_empty() && !is_chosen {
            return None;
        }
        let pile = scan.pile(id);
        let nothing = || Marked::none_of(pile.len());
        let mut overlay = Self {
            stays: nothing(),
            asked: nothing(),
            by_hand: nothing(),
        };
        let has_infos = scan.notes.has_any_of(id);
        let has_units = scan.units.has_any_of(id);
        let is_more = is_chosen || has_infos || has_units;
        if let ([only], false) = (marks.as_slice(), is_more) {
            // Its sums are known.
            overlay.stays.clone_from(only);
            return Some(overlay);
        }
        for marked in marks {
            overlay.stays.unite(marked);
        }
        if is_chosen {
            overlay.choose(scan, id, choices, index);
        }
        if has_infos {
            overlay.follow_what_is_described(scan, id);
        }
        if has_units {
            overlay.keep_units_whole(scan, id);
        }
        for marked in [&mut overlay.stays, &mut overlay.asked, &mut overlay.by_hand] {
            match index.map(PileIndex::frees) {
                Some(known) => marked.sum_up(&|at| known.get(at).copied().unwrap_or(0)),
                None => marked.sum_up(&|at| frees(scan, pile, at)),
            }
        }
        Some(overlay)
    }

    fn choose(&mut self, scan: &Scan, id: PileId, choices: &Choices, index: Option<&PileIndex>) {
        let by_folder = choices.by_folder(&scan.arena, id);
        let of_folder = |folder: FolderId| by_folder.get(folder.as_index()).copied();
        for (position, item) in scan.pile(id).items().enumerate() {
            // What is excluded stays, whatever was chosen.
            if self.stays.has(position) {
                continue;
            }
            let known = index.and_then(|index| index.folders().get(position).copied());
            let folder = known.unwrap_or_else(|| scan.arena.folder(item));
            let Some(above) = of_folder(folder) else {
                continue;
            };
            let own = above.has_items.then(|| choices.of(Node::Item(item)));
            match (own.flatten(), above.choice) {
                (Some(Choice::Take), _) => self.by_hand.set(position),
                (Some(Choice::Leave), _) | (None, Some(Choice::Leave)) => self.stays.set(position),
                (None, Some(Choice::Take)) => self.asked.set(position),
                (None, None) => {}
            }
        }
    }

    /// A unit stays when any part of it does, and goes by hand only when all of it does.
    fn keep_units_whole(&mut self, scan: &Scan, id: PileId) {
        let unit_of = |item: ItemId| scan.units.of(id, scan.arena.folder(item));
        let mut units: HashMap<usize, Parts> = HashMap::new();
        for (position, item) in scan.pile(id).items().enumerate() {
            if let Some(unit) = unit_of(item) {
                units.entry(unit).or_default().count(self, position);
            }
        }
        for (position, item) in scan.pile(id).items().enumerate() {
            let Some(parts) = unit_of(item).and_then(|unit| units.get(&unit)) else {
                continue;
            };
            if parts.stay > 0 {
                self.by_hand.unset(position);
                self.asked.unset(position);
                self.stays.set(position);
            } else if parts.by_hand > 0 && parts.by_hand < parts.items {
                self.by_hand.unset(position);
                if parts.by_hand + parts.asked == parts.items {
                    self.asked.set(position);
                }
            } else if parts.asked > 0 && parts.asked < parts.items {
                self.asked.unset(position);
            }
        }
    }

    /// An info file follows the thing it describes: it stays when any of that stays, and goes
    /// with all of it.
    fn follow_what_is_described(&mut self, scan: &Scan, id: PileId) {
        let pile = scan.pile(id);
        let infos = scan.notes.all().iter().enumerate();
        let own: HashMap<usize, ItemId> = infos
            .filter(|(_, note)| note.pile == id)
            .map(|(at, note)| (at, note.info))
            .collect();
        let mut things: HashMap<usize, Parts> = HashMap::new();
        for (position, item) in pile.items().enumerate() {
            let Some(note) = scan.notes.of(&scan.arena, item) else {
                continue;
            };
            things.entry(note).or_default().count(self, position);
        }
        for (note, thing) in things {
            let position = own
                .get(&note)
                .and_then(|info| pile.position(*info, scan.arena.time(*info)));
            let Some(position) = position else { continue };
            let is_excluded = self.stays.has(position);
            for marked in [&mut self.stays, &mut self.asked, &mut self.by_hand] {
                marked.unset(position);
            }
            if is_excluded || thing.stay > 0 {
                self.stays.set(position);
            } else if thing.by_hand == thing.items {
                self.by_hand.set(position);
            } else if thing.by_hand + thing.asked == thing.items {
                self.asked.set(position);
            }
        }
    }

    /// What goes of a pile whose oldest `older` items are old enough.
    pub(super) fn takes(&self, scan: &Scan, pile: &Pile, is_taken: bool, older: usize) -> Sum {
        let before = |marked: &Marked| marked.before(scan, pile, older);
        if is_taken {
            let mut sum = minus(pile.first(&scan.arena, older), before(&self.stays));
            sum.add(minus(self.by_hand.all(), before(&self.by_hand)));
            sum
        } else {
            let mut sum = before(&self.asked);
            sum.add(self.by_hand.all());
            sum
        }
    }

    /// Whether one item goes.
    pub(super) fn goes(&self, position: usize, is_taken: bool, older: usize) -> bool {
        let is_wanted = is_taken || self.asked.has(position);
        self.by_hand.has(position) || (position < older && is_wanted && !self.stays.has(position))
    }
}

/// What became of the parts of one thing.
#[derive(Default)]
struct Parts {
    items: usize,
    stay: usize,
    by_hand: usize,
    asked: usize,
}

impl Parts {
    fn count(&mut self, overlay: &Overlay, position: usize) {
        self.items += 1;
        self.stay += usize::from(overlay.stays.has(position));
        self.by_hand += usize::from(overlay.by_hand.has(position));
        self.asked += usize::from(overlay.asked.has(position));
    }
}

fn minus(sum: Sum, less: Sum) -> Sum {
    Sum {
        items: sum.items.saturating_sub(less.items),
        bytes: sum.bytes.saturating_sub(less.bytes),
    }
}
