//! A rulebook's own tests: its examples, held against it without a disk.

use crate::computer::TargetPath;
use crate::rule::check::usual::UsualComputer;
use crate::rule::ownership::{Ownership, decide as decide_owner};
use crate::rule::{CompiledRule, Example, Fit, RuleId, RuleNumber, RuleSet, Verdict};

/// An example that doesn't come out as its rule says.
#[derive(Clone, Debug, PartialEq, Eq, thiserror::Error)]
#[error("{rule}: {path} should be {}, but is {}", expected.name(), found.name())]
pub struct ExampleFailure {
    /// The rule's id.
    pub rule: RuleId,
    /// The example's path.
    pub path: String,
    /// What the example says.
    pub expected: Verdict,
    /// What the rules say.
    pub found: Verdict,
}

/// Runs the examples of every rule of one book file; counts them, and tells those that fail.
pub fn run_examples(rules: &RuleSet, file: &str) -> (usize, Vec<ExampleFailure>) {
    let mut count = 0;
    let mut failures = Vec::new();
    let computer = UsualComputer::new(rules);
    for (number, rule) in rules.iter().filter(|(_, rule)| rule.file == file) {
        for example in &rule.rule.examples {
            count += 1;
            let found = verdict(&computer, number, example);
            if found != example.verdict {
                failures.push(ExampleFailure {
                    rule: rule.id.clone(),
                    path: example.path.clone(),
                    expected: example.verdict,
                    found,
                });
            }
        }
    }
    (count, failures)
}

/// What the rules say of an example.
fn verdict(computer: &UsualComputer<'_>, of: RuleNumber, example: &Example) -> Verdict {
    let Ok(path) = TargetPath::new(example.path.as_bytes()) else {
        return Verdict::NotMine;
    };
    let mut sample = computer.sample(path, example.contents, Some(of));
    let rule = computer.rules.rule(of);
    match decide_owner(sample.searches(), &mut sample) {
        Ownership::Owned(at) if sample.number(at) == of => by_age(rule, example),
        Ownership::Owned(_) => Verdict::NotMine,
        Ownership::Guarded(..) => Verdict::Guarded,
        Ownership::Unseen(..) | Ownership::Spared(_) | Ownership::Nobodys => {
            use crate::rule::ownership::Probe as _;
            let own: Vec<usize> = sample
                .searches()
                .filter(|at| sample.number(*at) == of)
                .collect();
            let is_shut = |at: &usize| sample.fit(*at) == Fit::Takes && sample.guard(*at).is_some();
            if own.iter().any(is_shut) {
                return Verdict::Guarded;
            }
            let is_spared = own.into_iter().any(|at| sample.fit(at) == Fit::Spares);
            if is_spared {
                Verdict::Spared
            } else {
                Verdict::NotMine
            }
        }
    }
}

fn by_age(rule: &CompiledRule, example: &Example) -> Verdict {
    match (rule.rule.age.limit, example.aged) {
        (Some(limit), Some(aged)) if aged < limit => Verdict::Young,
        // An age that isn't known is never old enough.
        (Some(_), None) => Verdict::Young,
        _ => Verdict::Taken,
    }
}
