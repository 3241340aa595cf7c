//! Why an item goes or stays, and what each exclusion holds back.

use crate::decide::{Choice, Decisions, Excluded, Reach};
use crate::pile::{Scan, Sum};
use crate::rule::AgeLimit;
use crate::source::{FolderId, ItemId, PileId};

/// Why an item goes or stays.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub enum Disposition {
    /// It is old enough, and its pile or a folder above it is taken.
    Goes,
    /// It was taken by hand, whatever its age.
    GoesByHand,
    /// It is younger than its pile's limit.
    Young(AgeLimit),
    /// An exclusion spares it: its position among all.
    Excluded(usize),
    /// It, or a folder above it, was left by hand.
    LeftByHand,
    /// What it describes stays.
    StaysWithThing,
    /// Its pile is left.
    PileLeft,
    /// Its pile can't be swept now.
    Blocked,
    /// The run doesn't look at its pile.
    NotIncluded,
}

impl Decisions {
    /// Why an item goes or stays.
    pub fn standing(&self, scan: &Scan, item: ItemId) -> Disposition {
        let id = scan.arena.pile(item);
        let (pile, decision) = (scan.pile(id), self.of(id));
        if !self.includes(id) {
            return Disposition::NotIncluded;
        }
        let position = pile.position(item, scan.arena.time(item)).unwrap_or(0);
        let spares = |one: &Excluded| {
            !one.exclusion.is_suspended
                && (one.reach.of_pile(id)).is_some_and(|marked| marked.has(position))
        };
        if let Some(at) = self.exclusions().iter().position(spares) {
            return Disposition::Excluded(at);
        }
        let choices = &self.choices();
        let overlay = self.overlay(id);
        if pile.blocked.is_some() {
            return Disposition::Blocked;
        }
        if overlay.is_some_and(|overlay| overlay.stays.has(position)) {
            return match choices.of_item(scan, item) {
                Some(Choice::Leave) => Disposition::LeftByHand,
                Some(Choice::Take) | None => Disposition::StaysWithThing,
            };
        }
        if overlay.is_some_and(|overlay| overlay.by_hand.has(position)) {
            return Disposition::GoesByHand;
        }
        let is_asked = overlay.is_some_and(|overlay| overlay.asked.has(position));
        match decision.limit {
            _ if !self.takes_whole(scan, id) && !is_asked => Disposition::PileLeft,
            Some(limit) if scan.age(item) < limit.as_seconds() => Disposition::Young(limit),
            Some(_) | None => Disposition::Goes,
        }
    }

    /// What an exclusion holds back: what its piles' limits would let go.
    pub fn held_by(&self, scan: &Scan, reach: &Reach) -> Sum {
        let mut sum = Sum::default();
        for id in reach.piles() {
            let decision = self.of(id);
            let pile = scan.pile(id);
            if self.takes_whole(scan, id) && self.includes(id) && pile.blocked.is_none() {
                let older = pile.count_older(decision.limit);
                sum.add(reach.before(scan, id, older));
            }
        }
        sum
    }

    /// The exclusion that spares a whole folder of a pile by where it lies: its position among all.
    pub fn exclusion_of(&self, scan: &Scan, pile: PileId, folder: FolderId) -> Option<usize> {
        let all = self.exclusions();
        if all.is_empty() {
            return None;
        }
        let path = scan.arena.folder_path(folder);
        let pile = scan.pile(pile);
        let rule = &scan.rules.rule(pile.rule).id;
        let account = scan.account_name(pile);
        let is_whole = |one: &Excluded| {
            let spares = &one.exclusion.spares;
            let is_plain = spares.larger_than.is_none() && spares.younger_than.is_none();
            !one.exclusion.is_suspended
                && is_plain
                && one.matcher.fits_owner(rule, account)
                && one.matcher.fits_path(&path)
        };
        all.iter().position(is_whole)
    }
}
