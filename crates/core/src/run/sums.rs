//! What a run did, added up: the same for one that is under way and for one that is read back from its log.

use std::collections::BTreeMap;

use crate::computer::AccountName;
use crate::pile::Sum;
use crate::plan::{Outcome, OutcomeSums, Stayed};
use crate::rule::RuleId;

/// How many different reasons are kept apart; a million files can have as many.
const MOST_REASONS: usize = 200;

/// One item that has an outcome.
pub(crate) struct Settled<'a> {
    pub rule: &'a RuleId,
    pub account: Option<&'a AccountName>,
    pub outcome: Outcome,
    /// What came back.
    pub bytes: u64,
    /// What the list promised of it.
    pub listed: u64,
    /// Why it stayed; empty when it went.
    pub reason: &'a str,
    /// Where it is.
    pub place: &'a dyn Fn() -> String,
}

/// What went of one rule's things of one account.
#[derive(Clone, Debug, PartialEq, Eq)]
pub struct Went {
    /// The rule's id.
    pub rule: RuleId,
    /// Whose it was; none for the system.
    pub account: Option<AccountName>,
    /// How many, and what came back.
    pub sum: Sum,
}

/// One of the biggest things that went.
#[derive(Clone, Debug, PartialEq, Eq)]
pub struct Large {
    /// Where it was.
    pub place: String,
    /// The rule that had it.
    pub rule: RuleId,
    /// Whose it was; none for the system.
    pub account: Option<AccountName>,
    /// How it went.
    pub outcome: Outcome,
    /// What came back, in bytes.
    pub bytes: u64,
}

/// How many of the biggest are kept.
const LARGEST: usize = 10;

/// The sums of a run.
#[derive(Clone, Debug, Default)]
pub struct RunSums {
    outcomes: OutcomeSums,
    /// By rule and account. Items come in rows of one kind, so the last is looked at first.
    went: Vec<Went>,
    last: usize,
    stayed: BTreeMap<(Outcome, String), Stayed>,
    /// The biggest first.
    biggest: Vec<Large>,
}

impl RunSums {
    /// How many, and bytes, by outcome: those that came back, and for what stayed those that didn't.
    pub fn outcomes(&self) -> &OutcomeSums {
        &self.outcomes
    }

    /// What went, by rule and account.
    pub fn went(&self) -> &[Went] {
        &self.went
    }

    /// What stayed, by outcome and reason.
    pub fn stayed(&self) -> impl Iterator<Item = &Stayed> {
        self.stayed.values()
    }

    /// The biggest things that went, the biggest first.
    pub fn biggest(&self) -> &[Large] {
        &self.biggest
    }

    /// Counts one more; gives what it adds.
    pub(crate) fn count(&mut self, item: &Settled<'_>) -> Sum {
        let stays = item.outcome.stays();
        let bytes = if stays { item.listed } else { item.bytes };
        let sum = Sum { items: 1, bytes };
        self.outcomes.entry(item.outcome).or_default().add(sum);
        if stays {
            self.keep(item, sum);
        } else if item.outcome != Outcome::Gone {
            self.went_of(item).sum.add(sum);
            self.rank(item);
        }
        sum
    }

    fn went_of(&mut self, item: &Settled<'_>) -> &mut Went {
        let is_it = |went: &Went| {
            let is_account = match (&went.account, item.account) {
                (Some(one), Some(other)) => one.is_same(other),
                (one, other) => one.is_none() && other.is_none(),
            };
            is_account && went.rule.is_same(item.rule)
        };
        if !self.went.get(self.last).is_some_and(is_it) {
            let known = self.went.iter().position(is_it);
            self.last = known.unwrap_or(self.went.len());
        }
        if self.last == self.went.len() {
            self.went.push(Went {
                rule: item.rule.clone(),
                account: item.account.cloned(),
                sum: Sum::default(),
            });
        }
        &mut self.went[self.last]
    }

    fn rank(&mut self, item: &Settled<'_>) {
        let at = self
            .biggest
            .partition_point(|bigger| bigger.bytes >= item.bytes);
        if at == LARGEST || item.bytes == 0 {
            return;
        }
        self.biggest.truncate(LARGEST - 1);
        let large = Large {
            place: (item.place)(),
            rule: item.rule.clone(),
            account: item.account.cloned(),
            outcome: item.outcome,
            bytes: item.bytes,
        };
        self.biggest.insert(at, large);
    }

    fn keep(&mut self, item: &Settled<'_>, sum: Sum) {
        let mut key = (item.outcome, item.reason.to_owned());
        if self.stayed.len() >= MOST_REASONS && !self.stayed.contains_key(&key) {
            "other reasons".clone_into(&mut key.1);
        }
        let reason = key.1.clone();
        let stayed = self.stayed.entry(key).or_insert_with(|| Stayed {
            outcome: item.outcome,
            reason,
            sum: Sum::default(),
            example: (item.place)(),
        });
        stayed.sum.add(sum);
    }
}
