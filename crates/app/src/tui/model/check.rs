//! What is about to happen, in facts that make sentences.

use std::collections::{BTreeMap, BTreeSet, HashMap, HashSet};
use std::sync::Arc;

use jolly_core::decide::{Decisions, EntryKind, Manifest, ManifestItem, make_manifest};
use jolly_core::rulebook::{Class, Removal, RuleNumber};
use jolly_core::scan::{Scan, Sum};
use jolly_core::sweep::{Predictions, RunSummary};

/// How many of the biggest items are named.
const BIGGEST: usize = 3;

/// What a rule says afterwards when nobody notices anything.
const NOTHING: &str = "Nothing changes for anybody.";

/// The word that starts a sweep.
pub(in crate::tui) const WORD: &str = "sweep";

/// A rehearsal, before and after.
pub(in crate::tui) enum Rehearsal {
    None,
    UnderWay,
    Failed(String),
    Done(Box<RunSummary>, Arc<Predictions>),
}

/// The check station.
pub(in crate::tui) struct Check {
    pub scan: Arc<Scan>,
    /// None while it is being made.
    pub manifest: Option<Arc<Manifest>>,
    /// What goes for good.
    pub gone: Sum,
    /// What is set aside.
    pub aside: Sum,
    /// How many items are old enough, but excluded or left by hand.
    pub spared: u64,
    /// What goes, by class.
    pub planned: BTreeMap<Class, u64>,
    /// For each account, or the system, what its owner notices.
    pub afterwards: Vec<(String, Vec<String>)>,
    /// The biggest things that go.
    pub biggest: Vec<ManifestItem>,
    pub rehearsal: Rehearsal,
    /// How much of the word has been typed.
    pub typed: String,
    /// The first line of the list that shows.
    pub scroll: usize,
}

impl Check {
    /// A check whose manifest is being made.
    pub(in crate::tui) fn waiting(scan: Arc<Scan>) -> Self {
        Self {
            scan,
            manifest: None,
            gone: Sum::default(),
            aside: Sum::default(),
            spared: 0,
            planned: BTreeMap::new(),
            afterwards: Vec::new(),
            biggest: Vec::new(),
            rehearsal: Rehearsal::None,
            typed: String::new(),
            scroll: 0,
        }
    }

    /// The list of what was decided, and all that its screen says of it. It reads the whole list, so
    /// a thread makes it.
    pub(in crate::tui) fn of(scan: Arc<Scan>, decisions: &Decisions) -> Self {
        let manifest = make_manifest(&scan, decisions);
        let spared = decisions.shown(&scan);
        let spared = spared.map(|pile| decisions.spared_count(&scan, pile)).sum();
        let mut check = Self::waiting(scan);
        check.spared = spared;
        let mut rules: HashMap<Arc<str>, Option<RuleNumber>> = HashMap::new();
        let mut afterwards: HashSet<(Option<Arc<str>>, Option<RuleNumber>)> = HashSet::new();
        let mut by_size: Vec<&ManifestItem> = Vec::new();
        let items = manifest.items.iter();
        for item in items.filter(|item| item.kind != EntryKind::Folder) {
            let sum = match item.by {
                Removal::Remove | Removal::Overwrite => &mut check.gone,
                Removal::SetAside => &mut check.aside,
            };
            sum.add(Sum {
                items: 1,
                bytes: item.bytes,
            });
            let known = rules.get(&item.rule).copied();
            let rule = known.unwrap_or_else(|| check.scan.rules.by_id(&item.rule));
            if known.is_none() {
                rules.insert(Arc::clone(&item.rule), rule);
            }
            let class = rule.map_or(Class::Ask, |rule| check.scan.rules.rule(rule).rule.class);
            let planned = check.planned.entry(class).or_default();
            *planned = planned.saturating_add(item.bytes);
            afterwards.insert((item.account.clone(), rule));
            let at = by_size.partition_point(|bigger| bigger.bytes >= item.bytes);
            if at < BIGGEST {
                by_size.insert(at, item);
                by_size.truncate(BIGGEST);
            }
        }
        check.biggest = by_size.into_iter().cloned().collect();
        let sentence = |(who, rule): (Option<Arc<str>>, Option<RuleNumber>)| {
            let rule = rule.map(|rule| &check.scan.rules.rule(rule).rule);
            let after = rule.map_or("", |rule| rule.after.as_str());
            (
                who.as_deref().unwrap_or("system").to_owned(),
                after.to_owned(),
            )
        };
        let sentences: BTreeSet<(String, String)> = afterwards.into_iter().map(sentence).collect();
        for (who, after) in sentences {
            match check.afterwards.last_mut() {
                Some((last, sentences)) if *last == who => sentences.push(after),
                _ => check.afterwards.push((who, vec![after])),
            }
        }
        for (_, sentences) in check.afterwards.iter_mut().filter(|(_, all)| all.len() > 1) {
            // Next to what somebody does notice, that they don't notice the rest says nothing.
            sentences.retain(|sentence| sentence != NOTHING);
        }
        check.manifest = Some(Arc::new(manifest));
        check
    }

    /// Whether a thread works for it.
    pub(in crate::tui) fn waits(&self) -> bool {
        self.manifest.is_none() || matches!(self.rehearsal, Rehearsal::UnderWay)
    }
}
