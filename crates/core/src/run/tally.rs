//! Running counts of a sweep.

use std::collections::BTreeMap;
use std::sync::Arc;

use crate::computer::EntryKind;
use crate::pile::Sum;
use crate::plan::item_outcome::ItemOutcome;
use crate::plan::{Manifest, ManifestItem, Outcome, OutcomeSums, Stayed};
use crate::rule::Class;
use crate::run::{Comparison, Predictions, RunContext, RunSummary, SweepEvent};

/// Items between two pieces of news.
const NEWS_EVERY: u64 = 64;

/// How many different reasons a summary keeps apart; a million files can have as many.
const MOST_REASONS: usize = 200;

/// What went of one rule for one account.
struct Went {
    rule: Arc<str>,
    account: Option<Arc<str>>,
    class: Class,
    sum: Sum,
}

/// Running counts of a sweep.
pub(crate) struct Tally<'a> {
    context: &'a RunContext<'a>,
    sink: &'a dyn Fn(SweepEvent),
    of: u64,
    pub done: u64,
    told: u64,
    outcomes: OutcomeSums,
    /// By rule and account: items come in rows of one kind, so the last is looked at first.
    went: Vec<Went>,
    last: usize,
    stayed: BTreeMap<(Outcome, String), Stayed>,
    /// Folders' own blocks that stayed.
    folders_stayed: u64,
    /// What names of files with several promised, less what came back with them.
    linked: i128,
    compared: Option<(&'a Predictions, Comparison)>,
}

impl<'a> Tally<'a> {
    pub(crate) fn new(
        context: &'a RunContext<'a>,
        manifest: &Manifest,
        sink: &'a dyn Fn(SweepEvent),
        predictions: Option<&'a Predictions>,
    ) -> Self {
        Self {
            context,
            sink,
            of: manifest.items.len() as u64,
            done: 0,
            told: 0,
            outcomes: BTreeMap::new(),
            went: Vec::new(),
            last: 0,
            stayed: BTreeMap::new(),
            folders_stayed: 0,
            linked: 0,
            compared: predictions.map(|known| (known, Comparison::default())),
        }
    }

    /// Counts one item, by its number in the manifest.
    pub(crate) fn count(&mut self, number: usize, item: &ManifestItem, verdict: &ItemOutcome) {
        self.done += 1;
        if let Some((predictions, comparison)) = &mut self.compared {
            comparison.count(predictions, number, (item, verdict));
        }
        let stays = verdict.outcome.stays();
        let bytes = if stays { item.bytes } else { verdict.bytes };
        let sum = Sum { items: 1, bytes };
        self.outcomes.entry(verdict.outcome).or_default().add(sum);
        if stays {
            self.keep(item, verdict, sum);
            if item.kind == EntryKind::Folder {
                self.folders_stayed = self.folders_stayed.saturating_add(item.size);
            }
        } else if verdict.outcome != Outcome::Gone {
            if item.identity.links > 1 {
                self.linked += i128::from(item.bytes) - i128::from(bytes);
            }
            self.went(item).sum.add(sum);
        }
        if self.done - self.told >= NEWS_EVERY || self.done == self.of {
            self.tell();
        }
    }

    fn went(&mut self, item: &ManifestItem) -> &mut Went {
        let same = |one: &Arc<str>, other: &Arc<str>| Arc::ptr_eq(one, other) || one == other;
        let is_it = |went: &Went| {
            same(&went.rule, &item.rule)
                && match (&went.account, &item.account) {
                    (None, None) => true,
                    (Some(one), Some(other)) => same(one, other),
                    _ => false,
                }
        };
        if !self.went.get(self.last).is_some_and(is_it) {
            let known = self.went.iter().position(is_it);
            self.last = known.unwrap_or(self.went.len());
        }
        if self.last == self.went.len() {
            let rules = self.context.rules;
            let rule = rules.by_id(&item.rule);
            self.went.push(Went {
                rule: Arc::clone(&item.rule),
                account: item.account.clone(),
                class: rule.map_or(Class::Ask, |rule| rules.rule(rule).rule.class),
                sum: Sum::default(),
            });
        }
        &mut self.went[self.last]
    }

    fn keep(&mut self, item: &ManifestItem, verdict: &ItemOutcome, sum: Sum) {
        let mut key = (verdict.outcome, verdict.words());
        if self.stayed.len() >= MOST_REASONS && !self.stayed.contains_key(&key) {
            "other reasons".clone_into(&mut key.1);
        }
        let reason = key.1.clone();
        let stayed = self.stayed.entry(key).or_insert_with(|| Stayed {
            outcome: verdict.outcome,
            reason,
            sum: Sum::default(),
            example: item.path.to_string(),
        });
        stayed.sum.add(sum);
    }

    /// Tells how far it is.
    pub(crate) fn tell(&mut self) {
        self.told = self.done;
        (self.sink)(SweepEvent {
            done: self.done,
            of: self.of,
            outcomes: self.outcomes.clone(),
            freed: self.freed(),
        });
    }

    /// How many stayed so far.
    pub(crate) fn stayed(&self) -> u64 {
        let outcomes = self.outcomes.iter();
        let stayed = outcomes.filter(|(outcome, _)| outcome.stays());
        stayed.map(|(_, sum)| sum.items).sum()
    }

    /// What came back so far, by class.
    pub(crate) fn freed(&self) -> BTreeMap<Class, u64> {
        let mut freed: BTreeMap<Class, u64> = BTreeMap::new();
        for went in &self.went {
            let bytes = freed.entry(went.class).or_default();
            *bytes = bytes.saturating_add(went.sum.bytes);
        }
        freed
    }

    /// What came of it all; `free` before and after.
    pub(crate) fn into_summary(self, manifest: &Manifest, free: (u64, u64)) -> RunSummary {
        let mut went: BTreeMap<(Class, Option<String>), Sum> = BTreeMap::new();
        for some in self.went {
            let account = some.account.as_ref().map(ToString::to_string);
            went.entry((some.class, account)).or_default().add(some.sum);
        }
        let promised = manifest.takes.bytes.saturating_add(manifest.folders.bytes);
        RunSummary {
            outcomes: self.outcomes,
            went,
            stayed: self.stayed.into_values().collect(),
            free_before: free.0,
            free_after: free.1,
            free_predicted: free.0.saturating_add(promised),
            folders_promised: manifest.folders.bytes,
            folders_stayed: self.folders_stayed,
            linked: u64::try_from(self.linked).unwrap_or(0),
            packed_on_target: 0,
            still_held: (0, None),
            compared: self.compared.map(|(_, comparison)| comparison),
            is_stopped: false,
            broke_off: None,
        }
    }
}
