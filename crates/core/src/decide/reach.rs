//! What one exclusion spares of one scan.

use std::sync::Arc;

use crate::cancel::CancelToken;
use crate::computer::TargetPath;
use crate::decide::exclusion::Below;
use crate::decide::marked::Marked;
use crate::decide::{Exclusion, ExclusionError, Matcher, Spares};
use crate::pile::{Pile, Scan, Sum};
use crate::rule::NfaStates;
use crate::source::PileId;

/// Items between two looks whether anybody still wants to know.
const LOOKS: usize = 4096;

/// What one exclusion spares of one scan, whatever else is decided.
#[derive(Clone, Debug, Default, PartialEq, Eq)]
pub struct Reach {
    piles: Vec<(PileId, Marked)>,
    /// What it spares.
    pub found: Sum,
}

impl Reach {
    /// Holds what is spared against every item of a scan; nothing comes back when it is cancelled.
    ///
    /// # Errors
    /// When it is no pattern, or says nothing.
    pub fn of(
        scan: &Scan,
        spares: &Spares,
        cancel: &CancelToken,
    ) -> Result<Option<Self>, ExclusionError> {
        let matcher = spares.matcher(scan.target.layout)?;
        // Neighbours in age lie in any folder: each path is put together once.
        let stand = |id| {
            let path = scan.arena.folder_path(id);
            let below = matcher.below(&path);
            if below != Below::Some {
                return (below, TargetPath::default(), None);
            }
            let reached = matcher.reached_in(&path);
            (below, path, reached)
        };
        let folders: Vec<(Below, TargetPath, Option<NfaStates>)> =
            scan.arena.folders().map(|(id, _)| stand(id)).collect();
        let mut reach = Self::default();
        for id in (0..scan.piles.len()).map(PileId) {
            let pile = scan.pile(id);
            let rule = &*scan.rules.rule(pile.rule).id;
            if !matcher.fits_owner(rule, scan.account_name(pile)) {
                continue;
            }
            let mut marked = Marked::none_of(pile.len());
            for (position, item) in pile.items().enumerate() {
                if position % LOOKS == 0 && cancel.is_cancelled() {
                    return Ok(None);
                }
                let fits_path = || {
                    let folder = scan.arena.folder(item);
                    match folders.get(folder.as_index()) {
                        Some((Below::All, ..)) => true,
                        Some((Below::Some, path, reached)) => {
                            matcher.fits_name((path, *reached), scan.arena.name(item))
                        }
                        Some((Below::None, ..)) | None => false,
                    }
                };
                if matcher.fits_figures(Some(scan.arena.size(item)), scan.age(item)) && fits_path()
                {
                    marked.set(position);
                }
            }
            // What describes a spared thing is spared with it, also where that holds no item itself.
            let has_notes = scan.notes.has_any_of(id);
            let notes = scan.notes.all().iter().filter(|_| has_notes);
            for note in notes.filter(|note| note.pile == id) {
                let thing = scan.described(note.info, &scan.arena.path(note.info));
                let time = scan.arena.time(note.info);
                if thing.is_some_and(|thing| matcher.fits_path(&thing))
                    && matcher.fits_figures(None, scan.age(note.info))
                    && let Some(position) = pile.position(note.info, time)
                {
                    marked.set(position);
                }
            }
            if !marked.is_empty() {
                marked.sum_up(&|position| frees(scan, pile, position));
                reach.found.add(marked.all());
                reach.piles.push((id, marked));
            }
        }
        Ok(Some(reach))
    }

    /// What it spares of one pile.
    pub(super) fn of_pile(&self, pile: PileId) -> Option<&Marked> {
        // They were found in this order.
        let at = self.piles.binary_search_by_key(&pile, |(id, _)| *id).ok()?;
        self.piles.get(at).map(|(_, marked)| marked)
    }

    /// Whether it spares everything of every pile that holds anything.
    pub fn is_everything(&self, scan: &Scan) -> bool {
        let found: u64 = scan.piles.iter().map(|pile| pile.found().items).sum();
        found > 0 && self.found.items == found
    }

    /// What it spares of the oldest `count` items of a pile.
    pub(super) fn before(&self, scan: &Scan, pile: PileId, count: usize) -> Sum {
        self.of_pile(pile).map_or_else(Sum::default, |marked| {
            marked.before(scan, scan.pile(pile), count)
        })
    }

    /// The piles that it spares anything of.
    pub fn piles(&self) -> impl Iterator<Item = PileId> {
        self.piles.iter().map(|(pile, _)| *pile)
    }
}

/// What the item at a position frees.
pub(super) fn frees(scan: &Scan, pile: &Pile, position: usize) -> u64 {
    pile.item_at(position)
        .map_or(0, |item| scan.arena.frees(item))
}

/// An exclusion that counts, with what it spares of the scan.
#[derive(Clone, Debug)]
pub struct Excluded {
    /// What was said.
    pub exclusion: Exclusion,
    /// What that spares.
    pub reach: Arc<Reach>,
    /// Holds it against folders.
    pub(super) matcher: Arc<Matcher>,
}

impl Excluded {
    /// An exclusion with what it spares, found out before.
    ///
    /// # Errors
    /// When it is no pattern, or says nothing.
    pub fn new(
        scan: &Scan,
        exclusion: Exclusion,
        reach: Arc<Reach>,
    ) -> Result<Self, ExclusionError> {
        let matcher = exclusion.spares.matcher(scan.target.layout)?;
        Ok(Self {
            exclusion,
            reach,
            matcher: Arc::new(matcher),
        })
    }

    /// Finds out what an exclusion spares.
    ///
    /// # Errors
    /// When it is no pattern, or says nothing.
    pub fn find(scan: &Scan, exclusion: Exclusion) -> Result<Self, ExclusionError> {
        let never = CancelToken::default();
        let reach = Reach::of(scan, &exclusion.spares, &never)?.unwrap_or_default();
        Self::new(scan, exclusion, Arc::new(reach))
    }
}
