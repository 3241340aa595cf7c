//! What is taken, from which age on, what is spared, and the way back.

use std::collections::HashSet;
use std::sync::Arc;

use crate::computer::TargetPath;
use crate::decide::choice::Choices;
use crate::decide::choice::portion::sure_of;
use crate::decide::history::{History, State};
use crate::decide::overlay::Overlay;
use crate::decide::{Choice, Excluded, ExclusionError, Node, Selection, Spares, Thing};
use crate::pile::{PileIndex, Scan, Sum};
use crate::rule::{AgeLimit, Removal};
use crate::source::{FolderId, ItemId, LinkGroup, PileId};

/// What was decided about one pile.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub struct PileDecision {
    /// Whether it is taken: of a survey's pile what that is sure of.
    pub is_taken: bool,
    /// From which age on; none for any age.
    pub limit: Option<AgeLimit>,
    /// How what is taken leaves the target.
    pub by: Removal,
}

/// How a pile stands.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub enum PileState {
    /// What is old enough goes.
    Taken,
    /// It goes but for what is excluded or left by hand; or stays but for what is taken by hand.
    Part,
    /// It stays.
    Left,
    /// It can't be swept now.
    Blocked,
}

impl PileState {
    /// The word that the command line uses.
    pub fn name(self) -> &'static str {
        match self {
            Self::Taken => "taken",
            Self::Part => "part",
            Self::Left => "left",
            Self::Blocked => "blocked",
        }
    }
}

/// Everything decided about one scan.
///
/// # Invariants
/// One row a pile of that scan; `takes` always follows from the state that the history stands at.
#[derive(Clone, Debug)]
pub struct Decisions {
    included: Vec<bool>,
    history: History,
    /// The files with several names, by position, that may go in part: of the others, which lie in
    /// one pile, all names go once the youngest does.
    mixed: Arc<Vec<usize>>,
    takes: Vec<Sum>,
    takes_in_all: Sum,
    found_in_all: Sum,
    /// Items whose bytes don't come back, because another name of the file stays.
    held: Vec<ItemId>,
}

impl Decisions {
    /// Starts from what the rules recommend, as the selection changes and narrows it.
    ///
    /// # Errors
    /// When one of its exclusions is no pattern, or says nothing.
    pub fn new(scan: &Scan, selection: &Selection) -> Result<Self, ExclusionError> {
        let decide = |pile| selection.starts_as(scan, pile);
        let piles = scan.piles.iter().map(decide).collect();
        let exclusions = selection.exclusions.iter().cloned();
        let excluded = exclusions.map(|exclusion| Excluded::find(scan, exclusion));
        let excluded = excluded.collect::<Result<Vec<_>, _>>()?;
        let piles: Vec<PileDecision> = piles;
        let mut choices = Choices::default();
        for (at, _) in piles.iter().enumerate().filter(|(_, one)| one.is_taken) {
            take_sure(scan, PileId(at), &mut choices);
        }
        let first = State::new(scan, piles, excluded, choices);
        let mut decisions = Self {
            included: Vec::new(),
            history: History::new("as the rules recommend", first),
            mixed: Arc::default(),
            takes: Vec::new(),
            takes_in_all: Sum::default(),
            found_in_all: Sum::default(),
            held: Vec::new(),
        };
        decisions.mix(scan);
        decisions.include(scan, selection);
        Ok(decisions)
    }

    /// The same decisions, with the way back, about another scan of the same computer: piles by
    /// rule and account, single things by path. What is new starts as in `self`.
    #[must_use]
    pub fn carry_on(mut self, scan: &Scan, before: &Self, of: &Scan) -> Self {
        self.history = before.history.carried(of, scan, self.history.state());
        self.mix(scan);
        self.count(scan);
        self
    }

    /// Looks only at what a selection names; that is no step that could be taken back.
    pub fn include(&mut self, scan: &Scan, selection: &Selection) {
        let includes = |pile| selection.includes(scan, pile);
        self.included = scan.piles.iter().map(includes).collect();
        let mut found = Sum::default();
        self.shown(scan)
            .for_each(|pile| found.add(scan.pile(pile).found()));
        self.found_in_all = found;
        self.count(scan);
    }

    /// Whether the run looks at the pile at all.
    pub fn includes(&self, pile: PileId) -> bool {
        self.included.get(pile.0).copied().unwrap_or(false)
    }

    /// The piles that the run looks at and that hold anything.
    pub fn shown<'a>(&'a self, scan: &'a Scan) -> impl Iterator<Item = PileId> + 'a {
        let holds = |pile: &PileId| !scan.pile(*pile).is_empty() && self.includes(*pile);
        (0..scan.piles.len()).map(PileId).filter(holds)
    }

    /// What was decided about a pile.
    pub fn of(&self, pile: PileId) -> PileDecision {
        self.history.state().piles[pile.0]
    }

    pub(super) fn overlay(&self, pile: PileId) -> Option<&Overlay> {
        self.history.state().overlay(pile)
    }

    /// Whether all of a pile that is old enough goes, unless something else was chosen for it. Of a survey's pile only what
    /// is chosen does.
    pub fn takes_whole(&self, scan: &Scan, pile: PileId) -> bool {
        self.of(pile).is_taken && scan.survey_of(pile).is_none()
    }

    /// How a pile stands.
    pub fn state(&self, scan: &Scan, pile: PileId) -> PileState {
        let is_taken = self.takes_whole(scan, pile);
        if scan.pile(pile).blocked.is_some() {
            PileState::Blocked
        } else if !is_taken && self.takes(pile).items == 0 {
            PileState::Left
        } else if scan.survey_of(pile).is_some() {
            let goes = self.takes(pile).items == scan.pile(pile).found().items;
            if goes {
                PileState::Taken
            } else {
                PileState::Part
            }
        } else if !is_taken || self.spared_count(scan, pile) > 0 {
            PileState::Part
        } else {
            PileState::Taken
        }
    }

    /// How many items of a pile are old enough, but excluded or left by hand.
    pub fn spared_count(&self, scan: &Scan, pile: PileId) -> u64 {
        let Some(overlay) = self.overlay(pile) else {
            return 0;
        };
        let older = scan.pile(pile).count_older(self.of(pile).limit);
        overlay.stays.before(scan, scan.pile(pile), older).items
    }

    /// What goes of a pile.
    pub fn takes(&self, pile: PileId) -> Sum {
        self.takes.get(pile.0).copied().unwrap_or_default()
    }

    /// What goes in all.
    pub fn takes_in_all(&self) -> Sum {
        self.takes_in_all
    }

    /// What was found in all the piles that are looked at.
    pub fn found_in_all(&self) -> Sum {
        self.found_in_all
    }

    /// Items whose bytes don't come back, because another name of the file stays.
    pub fn held_back(&self) -> &[ItemId] {
        &self.held
    }

    /// The items of a pile that go, oldest first.
    pub fn taken_items<'a>(&'a self, scan: &'a Scan, pile: PileId) -> impl Iterator<Item = ItemId> {
        let goes = self.going(scan, pile);
        let items = scan.pile(pile).items().enumerate();
        let items = items.take(goes.as_ref().map_or(0, Going::end));
        items
            .filter(move |(position, _)| goes.as_ref().is_some_and(|goes| goes.has(*position)))
            .map(|(_, item)| item)
    }

    /// Which positions of a pile go; nothing when none may.
    pub fn going(&self, scan: &Scan, pile: PileId) -> Option<Going<'_>> {
        let decision = self.of(pile);
        let may_go = self.includes(pile) && scan.pile(pile).blocked.is_none();
        may_go.then(|| Going {
            overlay: self.overlay(pile),
            is_taken: self.takes_whole(scan, pile),
            older: scan.pile(pile).count_older(decision.limit),
            len: scan.pile(pile).len(),
        })
    }

    /// Whether one item goes.
    pub fn takes_item(&self, scan: &Scan, item: ItemId) -> bool {
        let id = scan.arena.pile(item);
        let position = scan.pile(id).position(item, scan.arena.time(item));
        let goes = self.going(scan, id);
        goes.is_some_and(|goes| position.is_some_and(|position| goes.has(position)))
    }

    /// Whether a folder that is empty once the items are gone goes with them.
    pub fn takes_emptied(&self, scan: &Scan, pile: PileId, folder: FolderId) -> bool {
        let state = self.history.state();
        let choice = state.choices.of_folder(&scan.arena, pile, folder);
        let is_wanted = match choice {
            Some(Choice::Take) => true,
            Some(Choice::Leave) => false,
            None => self.takes_whole(scan, pile),
        };
        is_wanted && self.includes(pile) && scan.pile(pile).blocked.is_none()
    }

    /// Whether an exclusion spares a folder: `age` is its own, in seconds.
    pub fn spares_folder(&self, scan: &Scan, pile: PileId, folder: FolderId, age: u64) -> bool {
        if self.exclusions().is_empty() {
            return false;
        }
        let path = scan.arena.folder_path(folder);
        let pile = scan.pile(pile);
        let thing = Thing {
            path: &path,
            rule: &scan.rules.rule(pile.rule).id,
            account: scan.account_name(pile),
            size: None,
            age,
        };
        let mut active = self.exclusions().iter();
        active.any(|one| !one.exclusion.is_suspended && one.matcher.spares(&thing))
    }

    pub(super) fn choices(&self) -> &Choices {
        &self.history.state().choices
    }

    /// What was chosen by hand for exactly this thing.
    pub fn choice(&self, node: Node) -> Option<Choice> {
        self.history.state().choices.of(node)
    }

    /// What is excluded, in the order in which it was said.
    pub fn exclusions(&self) -> &[Excluded] {
        &self.history.state().excluded
    }

    /// Finds the files of which some names may go and others stay.
    fn mix(&mut self, scan: &Scan) {
        let is_odd = |item: ItemId| {
            let id = scan.arena.pile(item);
            let position = scan.pile(id).position(item, scan.arena.time(item));
            self.overlay(id).zip(position).is_some_and(|(overlay, at)| {
                overlay.stays.has(at) || overlay.asked.has(at) || overlay.by_hand.has(at)
            })
        };
        let is_mixed = |group: &LinkGroup| {
            let pile = scan.arena.pile(group.carrier);
            let mut members = group.members.iter();
            members.any(|member| scan.arena.pile(*member) != pile || is_odd(*member))
        };
        let groups = scan.links.iter().enumerate();
        let mixed = groups.filter(|(_, group)| is_mixed(group));
        self.mixed = Arc::new(mixed.map(|(at, _)| at).collect());
    }

    /// Adds up what goes.
    fn count(&mut self, scan: &Scan) {
        let takes = (0..scan.piles.len()).map(PileId).map(|id| {
            self.going(scan, id)
                .map_or_else(Sum::default, |goes| goes.sum(scan, id))
        });
        self.takes = takes.collect();
        // A file with several names frees its bytes only when all of them go.
        let mut held = Vec::new();
        for group in self.mixed.iter().filter_map(|at| scan.links.get(*at)) {
            let mut members = group.members.iter();
            let is_held = self.takes_item(scan, group.carrier)
                && !members.all(|member| self.takes_item(scan, *member));
            if is_held {
                held.push(group.carrier);
                if let Some(takes) = self.takes.get_mut(scan.arena.pile(group.carrier).0) {
                    takes.bytes = takes.bytes.saturating_sub(group.bytes);
                }
            }
        }
        self.held = held;
        let mut sum = Sum::default();
        self.takes.iter().for_each(|takes| sum.add(*takes));
        self.takes_in_all = sum;
    }

    /// Takes the next step to a state; says whether anything has changed by it.
    fn go_on(&mut self, scan: &Scan, what: &str, state: State) -> bool {
        if state == *self.history.state() {
            return false;
        }
        let has_same_overlays = state.has_overlays_of(self.history.state());
        self.history.push(what, state);
        if !has_same_overlays {
            self.mix(scan);
        }
        self.count(scan);
        true
    }

    /// Changes the decision about some piles, as one step. To take or leave a pile as a whole
    /// forgets what was chosen by hand in it; to take that of a survey takes what is sure.
    pub fn decide(&mut self, scan: &Scan, what: &str, wanted: &[(PileId, PileDecision)]) -> bool {
        let before = self.history.state();
        let mut piles = Vec::clone(&before.piles);
        let mut turned = Vec::new();
        for (pile, after) in wanted {
            if let Some(decision) = piles.get_mut(pile.0) {
                if decision.is_taken != after.is_taken {
                    turned.push(*pile);
                }
                *decision = *after;
            }
        }
        let mut choices = Choices::clone(&before.choices);
        choices.forget(scan, &turned);
        let is_taken = |pile: &PileId| piles.get(pile.0).is_some_and(|one| one.is_taken);
        for pile in turned.iter().filter(|pile| is_taken(pile)) {
            take_sure(scan, *pile, &mut choices);
        }
        let state = before
            .with_piles(piles)
            .with_choices(scan, choices, &turned, None);
        self.go_on(scan, what, state)
    }

    /// Takes or leaves a single thing, or lets its pile decide again, as one step; faster with an
    /// index of its pile.
    pub fn choose(
        &mut self,
        scan: &Scan,
        what: &str,
        (node, choice): (Node, Option<Choice>),
        index: Option<&PileIndex>,
    ) -> bool {
        let before = self.history.state();
        let pile = node.pile(scan);
        let mut choices = Choices::clone(&before.choices);
        choices.set(scan, node, choice);
        let index = index.map(|index| (pile, index));
        let state = before.clone().with_choices(scan, choices, &[pile], index);
        self.go_on(scan, what, state)
    }

    /// Takes or leaves several things, as one step.
    pub fn choose_all(&mut self, scan: &Scan, what: &str, nodes: &[Node], choice: Choice) -> bool {
        let before = self.history.state();
        let mut choices = Choices::clone(&before.choices);
        let mut piles: Vec<PileId> = nodes.iter().map(|node| node.pile(scan)).collect();
        piles.sort_unstable();
        piles.dedup();
        for node in nodes {
            choices.set(scan, *node, Some(choice));
        }
        let state = before.clone().with_choices(scan, choices, &piles, None);
        self.go_on(scan, what, state)
    }

    /// Takes exactly these things, whatever their age, and leaves all the rest, as one step; says how
    /// many of them were found. What is excluded stays excluded.
    pub fn take_only(&mut self, scan: &Scan, what: &str, paths: &HashSet<TargetPath>) -> usize {
        let before = self.history.state();
        let mut piles = Vec::clone(&before.piles);
        for pile in &mut piles {
            pile.is_taken = false;
        }
        let mut choices = Choices::default();
        let found = scan.arena.find_items(paths);
        for (_, item) in &found {
            choices.set(scan, Node::Item(*item), Some(Choice::Take));
        }
        let all: Vec<PileId> = (0..scan.piles.len()).map(PileId).collect();
        let state = before
            .with_piles(piles)
            .with_choices(scan, choices, &all, None);
        self.go_on(scan, what, state);
        found.len()
    }

    /// Changes what is excluded, as one step.
    pub fn exclude(&mut self, scan: &Scan, what: &str, excluded: Vec<Excluded>) -> bool {
        let state = self.history.state().with_excluded(scan, excluded);
        self.go_on(scan, what, state)
    }

    /// Takes the last step back; says what it was.
    pub fn undo(&mut self, scan: &Scan) -> Option<String> {
        let at = self.history.at();
        let what = self.history.names().nth(at)?.to_owned();
        self.walk_to(scan, at.checked_sub(1)?);
        Some(what)
    }

    /// Does again what was last taken back; says what it was.
    pub fn redo(&mut self, scan: &Scan) -> Option<String> {
        let next = self.history.at() + 1;
        let what = self.history.names().nth(next)?.to_owned();
        self.walk_to(scan, next);
        Some(what)
    }

    /// Goes back or forth to how things were after a step; the first is the beginning.
    pub fn walk_to(&mut self, scan: &Scan, step: usize) {
        let before = self.history.state().clone();
        self.history.walk_to(scan, step);
        if !self.history.state().has_overlays_of(&before) {
            self.mix(scan);
        }
        self.count(scan);
    }

    /// Whether the same was excluded at any step, undone ones included.
    pub fn was_ever_excluded(&self, spares: &Spares) -> bool {
        let mut states = self.history.states();
        states.any(|state| {
            let mut all = state.excluded.iter();
            all.any(|one| one.exclusion.spares == *spares)
        })
    }

    /// What was decided, step by step from the beginning, and at which of these we stand.
    pub fn steps(&self) -> (Vec<&str>, usize) {
        (self.history.names().collect(), self.history.at())
    }
}

/// Takes what a survey is sure of in a pile of its own; of other piles nothing.
fn take_sure(scan: &Scan, pile: PileId, choices: &mut Choices) {
    for node in sure_of(scan, pile) {
        choices.set(scan, node, Some(Choice::Take));
    }
}

/// Which positions of a pile go.
pub struct Going<'a> {
    overlay: Option<&'a Overlay>,
    is_taken: bool,
    /// How many are old enough.
    older: usize,
    len: usize,
}

impl Going<'_> {
    /// Whether a position goes.
    pub fn has(&self, position: usize) -> bool {
        match self.overlay {
            Some(overlay) => overlay.goes(position, self.is_taken, self.older),
            None => self.is_taken && position < self.older,
        }
    }

    /// Whether just the first positions go, and how many: nothing beside the age limit counts.
    pub fn just_first(&self) -> Option<usize> {
        let older = if self.is_taken { self.older } else { 0 };
        self.overlay.is_none().then_some(older)
    }

    /// From here on nothing goes.
    fn end(&self) -> usize {
        self.just_first().unwrap_or(self.len)
    }

    fn sum(&self, scan: &Scan, id: PileId) -> Sum {
        let pile = scan.pile(id);
        match self.overlay {
            Some(overlay) => overlay.takes(scan, pile, self.is_taken, self.older),
            None => pile.first(&scan.arena, self.end()),
        }
    }
}
