//! Running counts of a sweep.

use std::collections::BTreeMap;

use crate::computer::{AccountName, EntryKind};
use crate::pile::Sum;
use crate::plan::item_outcome::ItemOutcome;
use crate::plan::{Manifest, ManifestItem, Outcome};
use crate::rule::{Class, RuleId};
use crate::run::sums::{RunSums, Settled};
use crate::run::{ClassProgress, Comparison, Predictions, RunContext, RunSummary, SweepEvent};

/// Items between two pieces of news.
const NEWS_EVERY: u64 = 64;

/// Running counts of a sweep.
pub(crate) struct Tally<'a> {
    context: &'a RunContext<'a>,
    sink: &'a dyn Fn(SweepEvent),
    of: u64,
    pub done: u64,
    told: u64,
    sums: RunSums,
    /// What became of each class so far.
    classes: BTreeMap<Class, ClassProgress>,
    /// The rule of the last item: items come in rows of one kind.
    last: Option<(RuleId, Class)>,
    /// Folders' own blocks that stayed.
    folders_stayed: u64,
    /// What names of files with several promised, less what came back with them.
    linked: i128,
    /// What databases gave back beside what their rows promised.
    compacted: i64,
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
            sums: RunSums::default(),
            classes: BTreeMap::new(),
            last: None,
            folders_stayed: 0,
            linked: 0,
            compacted: 0,
            compared: predictions.map(|known| (known, Comparison::default())),
        }
    }

    /// Notes what databases gave back beside what their rows promised, in bytes.
    pub(crate) fn note_compacted(&mut self, beside: i64) {
        self.compacted = beside;
    }

    /// Counts one item, by its number in the manifest.
    pub(crate) fn count(&mut self, number: usize, item: &ManifestItem, verdict: &ItemOutcome) {
        self.done += 1;
        if let Some((predictions, comparison)) = &mut self.compared {
            comparison.count(predictions, number, (item, verdict));
        }
        let sum = self.sums.count(&Settled {
            rule: &item.rule,
            account: item.account.as_ref(),
            outcome: verdict.outcome,
            bytes: verdict.bytes,
            listed: item.bytes,
            reason: &verdict.words(),
            place: &|| item.shown(),
        });
        let stays = verdict.outcome.stays();
        if stays && item.kind == EntryKind::Folder {
            self.folders_stayed = self.folders_stayed.saturating_add(item.size);
        }
        let has_gone = !stays && verdict.outcome != Outcome::Gone;
        if has_gone && item.identity.links > 1 {
            self.linked += i128::from(item.bytes) - i128::from(verdict.bytes);
        }
        let class = self.class_now(&item.rule);
        let progress = self.classes.entry(class).or_default();
        match verdict.outcome {
            Outcome::Removed => progress.removed.add(sum),
            Outcome::SetAside => progress.aside.add(sum),
            Outcome::Shared => progress.shared.add(sum),
            outcome if outcome.stays() => progress.stayed.add(sum),
            _ => {}
        }
        if self.done - self.told >= NEWS_EVERY || self.done == self.of {
            self.tell(item.shown());
        }
    }

    /// Tells how far it is.
    pub(crate) fn tell(&mut self, last: String) {
        self.told = self.done;
        (self.sink)(SweepEvent {
            done: self.done,
            of: self.of,
            outcomes: self.sums.outcomes().clone(),
            classes: self.classes.clone(),
            last,
        });
    }

    /// How many stayed so far.
    pub(crate) fn stayed(&self) -> u64 {
        let outcomes = self.sums.outcomes().iter();
        let stayed = outcomes.filter(|(outcome, _)| outcome.stays());
        stayed.map(|(_, sum)| sum.items).sum()
    }

    /// The class of a rule, which often is that of the item before.
    fn class_now(&mut self, rule: &RuleId) -> Class {
        if let Some((last, class)) = &self.last
            && last.is_same(rule)
        {
            return *class;
        }
        let class = self.class_of(rule);
        self.last = Some((rule.clone(), class));
        class
    }

    fn class_of(&self, rule: &str) -> Class {
        let rules = self.context.rules;
        let rule = rules.by_id(rule);
        rule.map_or(Class::Ask, |rule| rules.rule(rule).rule.class)
    }

    /// What came back so far, in bytes.
    pub(crate) fn freed(&self) -> u64 {
        self.classes.values().map(ClassProgress::freed).sum()
    }

    /// What came of it all; `free` before and after.
    pub(crate) fn into_summary(self, manifest: &Manifest, free: (u64, u64)) -> RunSummary {
        let mut went: BTreeMap<(Class, Option<AccountName>), Sum> = BTreeMap::new();
        for some in self.sums.went() {
            let of_class = went.entry((self.class_of(&some.rule), some.account.clone()));
            of_class.or_default().add(some.sum);
        }
        let promised = manifest.takes.bytes.saturating_add(manifest.folders.bytes);
        RunSummary {
            outcomes: self.sums.outcomes().clone(),
            went,
            went_by_rule: self.sums.went().to_vec(),
            biggest: self.sums.biggest().to_vec(),
            stayed: self.sums.stayed().cloned().collect(),
            free_before: free.0,
            free_after: free.1,
            free_predicted: free
                .0
                .saturating_add(promised)
                .saturating_add_signed(manifest.lists),
            items_promised: manifest.takes.bytes,
            folders_stayed: self.folders_stayed,
            linked: u64::try_from(self.linked).unwrap_or(0),
            compacted: self.compacted,
            packed_on_target: 0,
            still_held: (0, None),
            compared: self.compared.map(|(_, comparison)| comparison),
            is_stopped: false,
            broke_off: None,
        }
    }
}
