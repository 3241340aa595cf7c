//! Which piles a run looks at, and how it changes where they start.

use crate::decide::{Exclusion, PileDecision, Starts};
use crate::pile::{Pile, Scan};
use crate::rule::{AgeLimit, Class, RuleNumber, RuleSet, Survey};

/// What the options of one run narrow a scan to.
#[derive(Clone, Debug, Default)]
pub struct Selection {
    /// Only these rules, when any are named.
    pub only: Vec<RuleNumber>,
    /// Not these rules.
    pub skip: Vec<RuleNumber>,
    /// Only these classes, when any are named.
    pub classes: Vec<Class>,
    /// Only these accounts, by position, when any are named.
    pub accounts: Vec<usize>,
    /// Raises every age limit to at least this.
    pub older_than: Option<AgeLimit>,
    /// What is spared.
    pub exclusions: Vec<Exclusion>,
    /// Whether piles that start left are taken, too.
    pub takes_all: bool,
    /// How this shop starts where the rules would start otherwise.
    pub starts: Starts,
}

impl Selection {
    /// What a pile starts with.
    pub fn starts_as(&self, scan: &Scan, pile: &Pile) -> PileDecision {
        let rule = scan.rules.rule(pile.rule);
        let start = self.starts.of(&rule.id, &rule.rule);
        PileDecision {
            is_taken: self.takes_all || start.is_taken,
            limit: start.limit.max(self.older_than),
            by: start.by,
        }
    }

    /// Whether what a survey finds is wanted: where its rule is named, or all is taken that may be.
    pub fn asks_for(&self, rules: &RuleSet, survey: Survey) -> bool {
        let Some((number, rule)) = rules.of_survey(survey) else {
            return false;
        };
        let start = self.starts.of(&rule.id, &rule.rule);
        let classes = &self.classes;
        let is_wanted = self.takes_all || start.is_taken || self.only.contains(&number);
        is_wanted
            && (self.only.is_empty() || self.only.contains(&number))
            && !self.skip.contains(&number)
            && (classes.is_empty() || classes.contains(&rule.rule.class))
    }

    /// Whether a pile is looked at at all.
    pub fn includes(&self, scan: &Scan, pile: &Pile) -> bool {
        let class = scan.rules.rule(pile.rule).rule.class;
        (self.only.is_empty() || self.only.contains(&pile.rule))
            && !self.skip.contains(&pile.rule)
            && (self.classes.is_empty() || self.classes.contains(&class))
            && (self.accounts.is_empty()
                || pile
                    .account
                    .is_some_and(|account| self.accounts.contains(&account)))
    }
}
