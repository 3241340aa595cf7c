//! Every state that the decisions went through, so that each step can be taken back.

use std::sync::Arc;

use crate::decide::PileDecision;
use crate::decide::choice::Choices;
use crate::decide::overlay::{Overlay, Overlays, overlays};
use crate::decide::reach::Excluded;
use crate::scan::{PileId, PileIndex, Scan};

/// Everything decided, at one moment. What a step leaves alone is shared with the state before.
#[derive(Clone, Debug)]
pub(super) struct State {
    pub(super) piles: Arc<Vec<PileDecision>>,
    pub(super) excluded: Arc<Vec<Excluded>>,
    pub(super) choices: Arc<Choices>,
    /// What exclusions and choices change; follows from them.
    pub(super) overlays: Overlays,
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
            overlays: overlays(scan, &excluded, &choices),
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

    /// Works out anew what is changed about some piles; the others keep what they have.
    fn overlay_again(
        &mut self,
        scan: &Scan,
        piles: &[PileId],
        index: Option<(PileId, &PileIndex)>,
    ) {
        let mut overlays = Vec::clone(&self.overlays);
        for id in piles {
            let index = index.filter(|(of, _)| of == id).map(|(_, index)| index);
            if let Some(overlay) = overlays.get_mut(id.0) {
                let new = Overlay::of(scan, *id, &self.excluded, &self.choices, index);
                *overlay = new.map(Arc::new);
            }
        }
        self.overlays = Arc::new(overlays);
    }

    /// Whether both change the same beside the age limits.
    pub(super) fn has_overlays_of(&self, other: &Self) -> bool {
        Arc::ptr_eq(&self.overlays, &other.overlays)
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

    pub(super) fn walk_to(&mut self, step: usize) {
        self.at = step.min(self.steps.len() - 1);
    }

    /// The same history about another scan of the same computer; piles that are new there start as
    /// in `fresh`.
    pub(super) fn carried(&self, from: &Scan, to: &Scan, fresh: &State) -> Self {
        let carrier = Carrier::new(from, to, fresh);
        let mut steps: Vec<Step> = Vec::with_capacity(self.steps.len());
        let mut before: Option<&Step> = None;
        for step in &self.steps {
            let known = steps.last().map(|known| &known.state);
            let state = carrier.carry(&step.state, before.map(|step| &step.state), known);
            let what = step.what.clone();
            steps.push(Step { what, state });
            before = Some(step);
        }
        Self { steps, at: self.at }
    }
}

/// Carries states from one scan to another.
struct Carrier<'a> {
    from: &'a Scan,
    to: &'a Scan,
    fresh: &'a State,
    /// For each pile of the scan before, the same one now.
    pile_of: Vec<Option<PileId>>,
}

impl<'a> Carrier<'a> {
    fn new(from: &'a Scan, to: &'a Scan, fresh: &'a State) -> Self {
        let same = |pile: &crate::scan::Pile| {
            let rule = to.rules.by_id(&from.rules.rule(pile.rule).id)?;
            let name = from.account_name(pile);
            let mut accounts = to.target.accounts.iter();
            let account = match name {
                Some(name) => Some(accounts.position(|account| account.name == name)?),
                None => None,
            };
            to.pile_of(rule, account)
        };
        Self {
            from,
            to,
            fresh,
            pile_of: from.piles.iter().map(same).collect(),
        }
    }

    /// Carries one state; what it shares with the state before it, it shares again.
    fn carry(&self, state: &State, before: Option<&State>, carried: Option<&State>) -> State {
        let mut piles = Vec::clone(&self.fresh.piles);
        for (decision, pile) in state.piles.iter().zip(&self.pile_of) {
            if let Some(new) = pile.and_then(|pile| piles.get_mut(pile.0)) {
                *new = *decision;
            }
        }
        let known = before.zip(carried);
        if let Some((_, carried)) = known.filter(|(before, _)| state.has_overlays_of(before)) {
            return carried.with_piles(piles);
        }
        let mut excluded: Vec<Excluded> = Vec::with_capacity(state.excluded.len());
        for one in state.excluded.iter() {
            let mut seen = self.fresh.excluded.iter();
            let mut seen_before = carried.iter().flat_map(|state| state.excluded.iter());
            let is_it = |known: &&Excluded| known.exclusion.spares == one.exclusion.spares;
            let known = seen.find(is_it).or_else(|| seen_before.find(is_it));
            let found = match known {
                Some(known) => Some(Excluded {
                    exclusion: one.exclusion.clone(),
                    ..known.clone()
                }),
                // It was read once, so it reads again.
                None => Excluded::find(self.to, one.exclusion.clone()).ok(),
            };
            excluded.extend(found);
        }
        let choices = state.choices.carried(self.from, self.to, &self.pile_of);
        State::new(self.to, piles, excluded, choices)
    }
}
