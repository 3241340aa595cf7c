//! How a shop starts: which classes and rules start taken, and from which age on, where that is
//! not as the rules themselves recommend.

use std::collections::BTreeMap;

use crate::decide::PileDecision;
use crate::rule::{AgeLimit, Class, Removal, Rule};

/// From which age on a class or rule starts taken.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub enum StartLimit {
    /// Whatever the age.
    AnyAge,
    /// From this age on.
    From(AgeLimit),
}

impl StartLimit {
    /// The limit of a pile; none for any age.
    pub fn limit(self) -> Option<AgeLimit> {
        match self {
            Self::AnyAge => None,
            Self::From(limit) => Some(limit),
        }
    }
}

impl From<Option<AgeLimit>> for StartLimit {
    fn from(limit: Option<AgeLimit>) -> Self {
        limit.map_or(Self::AnyAge, Self::From)
    }
}

/// How one class or rule starts, as far as the shop says.
#[derive(Clone, Copy, Debug, Default, PartialEq, Eq)]
pub struct Start {
    /// Whether its piles start taken.
    pub is_taken: Option<bool>,
    /// From which age on. Of a class it is the least that its rules ask.
    pub limit: Option<StartLimit>,
    /// How its items leave; only of a rule.
    pub by: Option<Removal>,
}

impl Start {
    /// Whether it says nothing.
    pub fn is_silent(&self) -> bool {
        *self == Self::default()
    }
}

/// How a shop starts. What it doesn't say starts as the rulebooks recommend.
///
/// Of two that speak of a pile the first counts: the shop on the rule, the rule itself, the shop on
/// the class, the class itself.
#[derive(Clone, Debug, Default, PartialEq, Eq)]
pub struct Starts {
    /// By class.
    pub classes: BTreeMap<Class, Start>,
    /// By rule, by whole id.
    pub rules: BTreeMap<String, Start>,
}

impl Starts {
    /// How the piles of a rule start.
    pub fn of(&self, id: &str, rule: &Rule) -> PileDecision {
        let own = self.rules.get(id).copied().unwrap_or_default();
        let class = self.classes.get(&rule.class).copied().unwrap_or_default();
        let is_taken = own.is_taken.or(rule.starts_taken).or(class.is_taken);
        let least = class.limit.and_then(StartLimit::limit);
        PileDecision {
            is_taken: is_taken.unwrap_or_else(|| rule.class.starts_taken()),
            limit: match own.limit {
                Some(limit) => limit.limit(),
                None => rule.age.limit.max(least),
            },
            by: (own.by)
                .filter(|by| rule.ways().contains(by))
                .unwrap_or_else(|| rule.removal()),
        }
    }

    /// How the piles of a rule start when the shop says nothing.
    pub fn built_in(rule: &Rule) -> PileDecision {
        Self::default().of("", rule)
    }

    /// Says something new of a rule; what says nothing is left out.
    pub fn set_rule(&mut self, id: &str, start: Start) {
        if start.is_silent() {
            self.rules.remove(id);
        } else {
            self.rules.insert(id.to_owned(), start);
        }
    }

    /// Says something new of a class; what says nothing is left out.
    pub fn set_class(&mut self, class: Class, start: Start) {
        if start.is_silent() {
            self.classes.remove(&class);
        } else {
            self.classes.insert(class, start);
        }
    }
}
