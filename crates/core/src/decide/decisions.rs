//! What is taken, from which age on, and the way back.

use crate::decide::{Exclusion, Selection};
use crate::rulebook::AgeLimit;
use crate::scan::{ItemId, LinkGroup, PileId, Scan, Sum};
use crate::target::TargetPath;

/// What was decided about one pile.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub struct PileDecision {
    /// Whether it is taken.
    pub is_taken: bool,
    /// From which age on; none for any age.
    pub limit: Option<AgeLimit>,
}

/// How a pile stands.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub enum PileState {
    /// What is old enough goes.
    Taken,
    /// It goes but for what is excluded.
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

/// The spared items of one pile, as positions in its order.
#[derive(Clone, Debug, Default)]
struct Spared {
    positions: Vec<usize>,
    sums: Vec<u64>,
}

/// One step that can be taken back.
#[derive(Clone, Debug)]
struct Step {
    what: String,
    changes: Vec<(PileId, PileDecision, PileDecision)>,
}

/// Everything decided about one scan.
///
/// # Invariants
/// One row a pile of that scan; `takes` always follows from `piles` and `spared`.
#[derive(Clone, Debug)]
pub struct Decisions {
    piles: Vec<PileDecision>,
    included: Vec<bool>,
    spared: Vec<Spared>,
    exclusions: Vec<Exclusion>,
    /// The files with several names, by position, that may go in part: of the others, which lie in
    /// one pile, all names go once the youngest does.
    mixed: Vec<usize>,
    takes: Vec<Sum>,
    done: Vec<Step>,
    undone: Vec<Step>,
}

impl Decisions {
    /// Starts from what the rules recommend, narrowed by a selection.
    pub fn new(scan: &Scan, selection: &Selection) -> Self {
        let included: Vec<bool> = scan
            .piles
            .iter()
            .map(|pile| selection.includes(scan, pile))
            .collect();
        let piles = scan
            .piles
            .iter()
            .map(|pile| {
                let rule = &scan.rules.rule(pile.rule).rule;
                PileDecision {
                    is_taken: selection.takes_all || rule.starts_taken(),
                    limit: rule.age.limit.max(selection.older_than),
                }
            })
            .collect();
        let mut decisions = Self {
            piles,
            included,
            spared: vec![Spared::default(); scan.piles.len()],
            exclusions: selection.exclusions.clone(),
            mixed: Vec::new(),
            takes: Vec::new(),
            done: Vec::new(),
            undone: Vec::new(),
        };
        decisions.spare(scan, selection);
        let is_mixed = |group: &LinkGroup| {
            let pile = scan.arena.pile(group.carrier);
            let mut members = group.members.iter();
            members.any(|member| {
                scan.arena.pile(*member) != pile || decisions.is_spared(scan, *member)
            })
        };
        let groups = scan.links.iter().enumerate();
        decisions.mixed = groups
            .filter(|(_, group)| is_mixed(group))
            .map(|(at, _)| at)
            .collect();
        decisions.count(scan);
        decisions
    }

    fn spare(&mut self, scan: &Scan, selection: &Selection) {
        if selection.exclusions.is_empty() {
            return;
        }
        for (pile, spared) in scan.piles.iter().zip(&mut self.spared) {
            let mut sum = 0_u64;
            spared.sums.push(sum);
            for (position, item) in pile.items().enumerate() {
                let path = scan.arena.path(item);
                // Where a thing of a trash is spared, what describes it is, too.
                let described = scan.described(item, &path);
                let mut paths = std::iter::once(&path).chain(&described);
                let spares = |path: &TargetPath| {
                    selection
                        .exclusions
                        .iter()
                        .any(|exclusion| exclusion.spares(path))
                };
                if paths.any(spares) {
                    spared.positions.push(position);
                    sum = sum.saturating_add(scan.arena.frees(item));
                    spared.sums.push(sum);
                }
            }
        }
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
        self.piles[pile.0]
    }

    /// How a pile stands.
    pub fn state(&self, scan: &Scan, pile: PileId) -> PileState {
        let decision = self.of(pile);
        if scan.pile(pile).blocked.is_some() {
            PileState::Blocked
        } else if !decision.is_taken {
            PileState::Left
        } else if self.spared_count(scan, pile) > 0 {
            PileState::Part
        } else {
            PileState::Taken
        }
    }

    /// Whether an exclusion spares a path.
    pub fn spares_path(&self, path: &TargetPath) -> bool {
        self.exclusions
            .iter()
            .any(|exclusion| exclusion.spares(path))
    }

    /// How many items of a pile are old enough but excluded.
    pub fn spared_count(&self, scan: &Scan, pile: PileId) -> usize {
        let older = scan.pile(pile).count_older(self.of(pile).limit);
        self.spared[pile.0]
            .positions
            .partition_point(|position| *position < older)
    }

    /// What goes of a pile.
    pub fn takes(&self, pile: PileId) -> Sum {
        self.takes[pile.0]
    }

    /// What goes in all.
    pub fn takes_in_all(&self) -> Sum {
        let mut sum = Sum::default();
        self.takes.iter().for_each(|takes| sum.add(*takes));
        sum
    }

    /// What was found in all the piles that are looked at.
    pub fn found_in_all(&self, scan: &Scan) -> Sum {
        let mut sum = Sum::default();
        self.shown(scan)
            .for_each(|pile| sum.add(scan.pile(pile).found()));
        sum
    }

    /// The items of a pile that go, oldest first.
    pub fn taken_items<'a>(&'a self, scan: &'a Scan, pile: PileId) -> impl Iterator<Item = ItemId> {
        let count = if self.goes(scan, pile) {
            scan.pile(pile).count_older(self.of(pile).limit)
        } else {
            0
        };
        let spared = &self.spared[pile.0].positions;
        scan.pile(pile)
            .items()
            .take(count)
            .enumerate()
            .filter(move |(position, _)| spared.binary_search(position).is_err())
            .map(|(_, item)| item)
    }

    /// Whether anything of a pile may go.
    fn goes(&self, scan: &Scan, pile: PileId) -> bool {
        self.includes(pile) && self.of(pile).is_taken && scan.pile(pile).blocked.is_none()
    }

    /// Whether one item goes.
    pub fn takes_item(&self, scan: &Scan, item: ItemId) -> bool {
        let id = scan.arena.pile(item);
        let is_old_enough = match self.of(id).limit {
            None => true,
            Some(limit) => scan.age(item) >= limit.as_seconds(),
        };
        self.goes(scan, id) && is_old_enough && !self.is_spared(scan, item)
    }

    /// Whether an exclusion spares an item.
    fn is_spared(&self, scan: &Scan, item: ItemId) -> bool {
        let id = scan.arena.pile(item);
        let positions = &self.spared[id.0].positions;
        !positions.is_empty()
            && scan
                .pile(id)
                .position(item, scan.arena.time(item))
                .is_some_and(|position| positions.binary_search(&position).is_ok())
    }

    fn count(&mut self, scan: &Scan) {
        self.takes = (0..scan.piles.len())
            .map(PileId)
            .map(|id| {
                if !self.goes(scan, id) {
                    return Sum::default();
                }
                let pile = scan.pile(id);
                let older = pile.count_older(self.of(id).limit);
                let mut sum = pile.first(&scan.arena, older);
                let spared = &self.spared[id.0];
                let count = spared
                    .positions
                    .partition_point(|position| *position < older);
                sum.items -= count as u64;
                sum.bytes -= spared.sums.get(count).copied().unwrap_or(0);
                sum
            })
            .collect();
        // A file with several names frees its bytes only when all of them go.
        for group in self.mixed.iter().filter_map(|at| scan.links.get(*at)) {
            let all_go = || {
                group
                    .members
                    .iter()
                    .all(|member| self.takes_item(scan, *member))
            };
            if self.takes_item(scan, group.carrier) && !all_go() {
                let takes = &mut self.takes[scan.arena.pile(group.carrier).0];
                takes.bytes = takes.bytes.saturating_sub(group.bytes);
            }
        }
    }

    /// Changes the decision about some piles, as one step.
    pub fn decide(&mut self, scan: &Scan, what: &str, wanted: &[(PileId, PileDecision)]) -> bool {
        let changes: Vec<_> = wanted
            .iter()
            .map(|(pile, after)| (*pile, self.of(*pile), *after))
            .filter(|(_, before, after)| before != after)
            .collect();
        if changes.is_empty() {
            return false;
        }
        for (pile, _, after) in &changes {
            self.piles[pile.0] = *after;
        }
        self.done.push(Step {
            what: what.to_owned(),
            changes,
        });
        self.undone.clear();
        self.count(scan);
        true
    }

    /// Takes the last step back; says what it was.
    pub fn undo(&mut self, scan: &Scan) -> Option<String> {
        let step = self.done.pop()?;
        for (pile, before, _) in &step.changes {
            self.piles[pile.0] = *before;
        }
        let what = step.what.clone();
        self.undone.push(step);
        self.count(scan);
        Some(what)
    }

    /// Does again what was last taken back; says what it was.
    pub fn redo(&mut self, scan: &Scan) -> Option<String> {
        let step = self.undone.pop()?;
        for (pile, _, after) in &step.changes {
            self.piles[pile.0] = *after;
        }
        let what = step.what.clone();
        self.done.push(step);
        self.count(scan);
        Some(what)
    }
}
