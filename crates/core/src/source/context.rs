//! What a walk stands on: the target, the rules and where they look, the guards, the memory.

use std::collections::{HashMap, HashSet};
use std::sync::Arc;

use jiff::Timestamp;
use jolly_disk::{Folder, Stat};

use crate::computer::{Target, TargetPath};
use crate::host::is_rotating;
use crate::rule::{CompiledRule, Guards, RuleNumber, RuleSet, Search};
use crate::source::previous::PreviousScan;
use crate::source::{AccountAges, Owner, PileId};

/// What a walk stands on.
pub(crate) struct WalkContext<'a> {
    pub target: &'a Target,
    pub rules: &'a RuleSet,
    pub searches: &'a [Search],
    pub guards: &'a Guards,
    pub now: Timestamp,
    /// How old the accounts are, as far as that was asked.
    pub accounts: Arc<AccountAges>,
    /// What is known from a scan before.
    pub memory: Option<PreviousScan<'a>>,
    /// Whether a folder's last change moves with every change of its names.
    pub keeps_changes: bool,
    /// Whether its disk turns: then it is read in the order in which things lie.
    pub has_to_seek: bool,
    starts: HashMap<&'a TargetPath, Vec<usize>>,
    /// Every folder above the root of a search.
    ways: HashSet<TargetPath>,
    /// Whether a search names restore points.
    pub has_points: bool,
    pub owners: Vec<Owner>,
    pile_of: Vec<PileId>,
}

impl<'a> WalkContext<'a> {
    pub(crate) fn new(
        target: &'a Target,
        (rules, searches): (&'a RuleSet, &'a [Search]),
        guards: &'a Guards,
        (now, accounts): (Timestamp, Arc<AccountAges>),
        memory: Option<PreviousScan<'a>>,
    ) -> Self {
        let mut starts: HashMap<&TargetPath, Vec<usize>> = HashMap::new();
        let mut piles: HashMap<(RuleNumber, Option<usize>), PileId> = HashMap::new();
        let (mut owners, mut pile_of) = (Vec::new(), Vec::new());
        let mut ways = HashSet::new();
        for (at, search) in searches.iter().enumerate() {
            starts.entry(&search.root).or_default().push(at);
            let mut way = search.root.parent();
            while let Some(path) = way.filter(|path| !ways.contains(path)) {
                way = path.parent();
                ways.insert(path);
            }
            let (rule, account) = (search.rule, search.account);
            let pile = piles.entry((rule, account)).or_insert_with(|| {
                owners.push(Owner { rule, account });
                PileId(owners.len() - 1)
            });
            pile_of.push(*pile);
        }
        Self {
            target,
            rules,
            searches,
            guards,
            now,
            accounts,
            memory,
            keeps_changes: target.disk().keeps_changes(target.root()),
            has_to_seek: target.volume_device().and_then(is_rotating) == Some(true),
            starts,
            ways,
            has_points: searches.iter().any(|search| search.points.is_some()),
            owners,
            pile_of,
        }
    }

    /// A search.
    pub(crate) fn search(&self, at: usize) -> &'a Search {
        &self.searches[at]
    }

    /// The rule of a search.
    pub(crate) fn rule(&self, search: usize) -> &'a CompiledRule {
        self.rules.of_search(&self.searches[search])
    }

    /// The searches that start at a folder.
    pub(crate) fn starts_at(&self, path: &TargetPath) -> &[usize] {
        self.starts.get(path).map_or(&[], Vec::as_slice)
    }

    /// Whether a search starts somewhere below a folder.
    pub(crate) fn leads_on(&self, folder: &TargetPath) -> bool {
        self.ways.contains(folder)
    }

    /// Opens a folder, from a folder above it that is held open with the length of its path, or else
    /// from the root.
    pub(crate) fn open_folder(
        &self,
        held: Option<&(Arc<Folder>, usize)>,
        path: &TargetPath,
    ) -> std::io::Result<(Stat, Arc<Folder>)> {
        let whole = path.as_bytes();
        let from_held = held.and_then(|(folder, length)| Some((folder, whole.get(length + 1..)?)));
        let (base, below) = match from_held {
            Some((folder, below)) => (&**folder, below),
            None => (self.target.root(), whole),
        };
        let disk = self.target.disk();
        let folder = disk.open_folder(base, below)?;
        Ok((disk.stat_folder(&folder)?, Arc::new(folder)))
    }

    /// The pile of a search.
    pub(crate) fn pile_of(&self, search: usize) -> PileId {
        self.pile_of[search]
    }

    /// The rule that a pile is of.
    pub(crate) fn rule_of_pile(&self, pile: PileId) -> Option<&'a CompiledRule> {
        Some(self.rules.rule(self.owners.get(pile.0)?.rule))
    }
}
