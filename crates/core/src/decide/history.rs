//! Every state that the decisions went through, so that each step can be taken back.

use std::collections::HashMap;
use std::sync::Arc;

use crate::decide::choice::{Choices, same_nodes};
use crate::decide::overlay::{Overlay, Overlays, overlays};
use crate::decide::{Excluded, Node, PileDecision};
use crate::pile::{Pile, PileIndex, Scan};
use crate::source::PileId;

/// Everything decided, at one moment. What a step leaves alone is shared with the state before.
#[derive(Clone, Debug)]
pub(super) struct State {
    pub(super) piles: Arc<Vec<PileDecision>>,
    pub(super) excluded: Arc<Vec<Excluded>>,
    pub(super) choices: Arc<Choices>,
    /// What exclusions and choices change; follows from them, and is worked out when it is needed:
    /// the state that counts always has it.
    overlays: Option<Overlays>,
}

impl PartialEq for State {
    fn eq(&self, other: &Self) -> bool {
        let exclusions = |state: &Self| -> Vec<_> {
            let all = state.excluded.iter();
            all.map(|one| one.exclusion.clone()).collect()
        };
        self.piles == other.piles
            && self.choices == other.choices
            && exclusions(self) == exclusions(other)
    }
}

impl State {
    pub(super) fn new(
        scan: &Scan,
        piles: Vec<PileDecision>,
        excluded: Vec<Excluded>,
        choices: Choices,
    ) -> Self {
        Self {
            overlays: Some(overlays(scan, &excluded, &choices)),
            piles: Arc::new(piles),
            excluded: Arc::new(excluded),
            choices: Arc::new(choices),
        }
    }

    pub(super) fn with_piles(&self, piles: Vec<PileDecision>) -> Self {
        Self {
            piles: Arc::new(piles),
            ..self.clone()
        }
    }

    /// The same with other choices, which differ in these piles only; one of them may have an
    /// index.
    pub(super) fn with_choices(
        self,
        scan: &Scan,
        choices: Choices,
        piles: &[PileId],
        index: Option<(PileId, &PileIndex)>,
    ) -> Self {
        if choices == *self.choices {
            return self;
        }
        let mut state = Self {
            choices: Arc::new(choices),
            ..self
        };
        state.overlay_again(scan, piles, index);
        state
    }

    /// The same with other exclusions.
    pub(super) fn with_excluded(&self, scan: &Scan, excluded: Vec<Excluded>) -> Self {
        let has = |all: &[Excluded], one: &Excluded| {
            all.iter().any(|known| {
                Arc::ptr_eq(&known.reach, &one.reach)
                    && known.exclusion.is_suspended == one.exclusion.is_suspended
            })
        };
        let gone = self.excluded.iter().filter(|one| !has(&excluded, one));
        let new = excluded.iter().filter(|one| !has(&self.excluded, one));
        let mut piles: Vec<PileId> = gone.chain(new).flat_map(|one| one.reach.piles()).collect();
        piles.sort_unstable();
        piles.dedup();
        let mut state = Self {
            excluded: Arc::new(excluded),
            ..self.clone()
        };
        state.overlay_again(scan, &piles, None);
        state
    }

    /// Works out what exclusions and choices change, where that was not needed yet.
    fn apply_pending(&mut self, scan: &Scan) {
        let (excluded, choices) = (&self.excluded, &self.choices);
        self.overlays
            .get_or_insert_with(|| overlays(scan, excluded, choices));
    }

    /// Works out anew what is changed about some piles; the others keep what they have.
    fn overlay_again(
        &mut self,
        scan: &Scan,
        piles: &[PileId],
        index: Option<(PileId, &PileIndex)>,
    ) {
        let Some(known) = &self.overlays else { return };
        let mut overlays = Vec::clone(known);
        for id in piles {
            let index = index.filter(|(of, _)| of == id).map(|(_, index)| index);
            if let Some(overlay) = overlays.get_mut(id.0) {
                let new = Overlay::of(scan, *id, &self.excluded, &self.choices, index);
                *overlay = new.map(Arc::new);
            }
        }
        self.overlays = Some(Arc::new(overlays));
    }

    /// Whether both change the same beside the age limits.
    pub(super) fn has_overlays_of(&self, other: &Self) -> bool {
        match (&self.overlays, &other.overlays) {
            (Some(own), Some(other)) => Arc::ptr_eq(own, other),
            _ => false,
        }
    }

    /// What exclusions and choices change about a pile.
    pub(super) fn overlay(&self, pile: PileId) -> Option<&Overlay> {
        self.overlays.as_ref()?.get(pile.0)?.as_deref()
    }
}

/// One step, and how things were after it.
#[derive(Clone, Debug)]
struct Step {
    what: String,
    state: State,
}

/// Every state, and the one that counts.
///
/// # Invariants
/// There is at least one step, the beginning, and `at` is one of them.
#[derive(Clone, Debug)]
pub(super) struct History {
    steps: Vec<Step>,
    at: usize,
}

impl History {
    pub(super) fn new(what: &str, state: State) -> Self {
        Self {
            steps: vec![Step {
                what: what.to_owned(),
                state,
            }],
            at: 0,
        }
    }

    /// The state that counts.
    pub(super) fn state(&self) -> &State {
        &self.steps[self.at].state
    }

    /// Every state.
    pub(super) fn states(&self) -> impl Iterator<Item = &State> {
        self.steps.iter().map(|step| &step.state)
    }

    pub(super) fn at(&self) -> usize {
        self.at
    }

    pub(super) fn names(&self) -> impl Iterator<Item = &str> {
        self.steps.iter().map(|step| step.what.as_str())
    }

    /// Goes on from where we stand; what was taken back is forgotten.
    pub(super) fn push(&mut self, what: &str, state: State) {
        self.steps.truncate(self.at + 1);
        let what = what.to_owned();
        self.steps.push(Step { what, state });
        self.at += 1;
    }

    pub(super) fn walk_to(&mut self, scan: &Scan, step: usize) {
        self.at = step.min(self.steps.len() - 1);
        if let Some(step) = self.steps.get_mut(self.at) {
            step.state.apply_pending(scan);
        }
    }

    /// The same history about another scan of the same computer; piles that are new there start as
    /// in `fresh`.
    pub(super) fn carried(&self, from: &Scan, to: &Scan, fresh: &State) -> Self {
        let mut carrier = Carrier::new(self, from, to, fresh);
        let steps = self.steps.iter().map(|step| Step {
            what: step.what.clone(),
            state: carrier.carry(&step.state),
        });
        let mut carried = Self {
            steps: steps.collect(),
            at: self.at,
        };
        carried.walk_to(to, self.at);
        carried
    }
}

/// Carries states from one scan to another.
struct Carrier<'a> {
    to: &'a Scan,
    fresh: &'a State,
    /// For each pile of the scan before, the same one now.
    pile_of: Vec<Option<PileId>>,
    /// For everything that was ever chosen, the same thing now.
    node_of: HashMap<Node, Node>,
    /// The exclusions that were met, with what they spare now.
    met: Vec<Excluded>,
}

impl<'a> Carrier<'a> {
    fn new(history: &History, from: &Scan, to: &'a Scan, fresh: &'a State) -> Self {
        let same = |pile: &Pile| to.pile_of(&from.key_of(pile));
        let pile_of: Vec<_> = from.piles.iter().map(same).collect();
        let steps = history.steps.iter();
        let nodes = steps.flat_map(|step| step.state.choices.nodes()).collect();
        Self {
            node_of: same_nodes(&nodes, from, to, &pile_of),
            to,
            fresh,
            pile_of,
            met: Vec::clone(&fresh.excluded),
        }
    }

    fn carry(&mut self, state: &State) -> State {
        let mut piles = Vec::clone(&self.fresh.piles);
        for (decision, pile) in state.piles.iter().zip(&self.pile_of) {
            if let Some(new) = pile.and_then(|pile| piles.get_mut(pile.0)) {
                *new = *decision;
            }
        }
        let excluded = state.excluded.iter();
        let excluded = excluded.filter_map(|one| self.meet(one)).collect();
        State {
            piles: Arc::new(piles),
            excluded: Arc::new(excluded),
            choices: Arc::new(state.choices.carried(&self.node_of)),
            overlays: None,
        }
    }

    /// An exclusion with what it spares now, found out once.
    fn meet(&mut self, one: &Excluded) -> Option<Excluded> {
        let spares = &one.exclusion.spares;
        let met = self.met.iter();
        let known = met
            .clone()
            .find(|known| known.exclusion.spares == *spares)
            .cloned();
        let known = known.or_else(|| {
            // It was read once, so it reads again.
            let found = Excluded::find(self.to, one.exclusion.clone()).ok()?;
            self.met.push(found.clone());
            Some(found)
        })?;
        Some(Excluded {
            exclusion: one.exclusion.clone(),
            ..known
        })
    }
}
