//! Which rule has a path, and why.

use crate::rulebook::{Fit, Guards, RuleNumber, RuleSet, Search, Verdict};
use crate::target::TargetPath;

/// What the rules say of one path on a target.
#[derive(Clone, Debug, PartialEq, Eq)]
pub struct Explanation {
    /// The verdict.
    pub verdict: Verdict,
    /// The rule that decided.
    pub rule: Option<RuleNumber>,
    /// Where the rule found it.
    pub search: Option<Search>,
    /// Why, in words.
    pub reason: String,
}

/// Says which rule owns `path` and what becomes of it. `age` in seconds; none when it isn't known.
pub fn explain(
    rules: &RuleSet,
    searches: &[Search],
    guards: &Guards,
    path: &TargetPath,
    age: Option<u64>,
) -> Explanation {
    let mut spared = None;
    for search in searches {
        let Some(below) = path.below(&search.root).filter(|below| !below.is_empty()) else {
            continue;
        };
        let rule = rules.rule(search.rule);
        let found = |verdict, reason: String| Explanation {
            verdict,
            rule: Some(search.rule),
            search: Some(search.clone()),
            reason,
        };
        match rule.fit(below) {
            Fit::No => {}
            Fit::Spares => {
                let reason = "the rule names it in `spare`".to_owned();
                spared = spared.or_else(|| Some(found(Verdict::Spared, reason)));
            }
            Fit::Takes => {
                if let Some(guard) = guards.path(path, rule.rule.class, &search.root) {
                    return found(Verdict::Guarded, format!("guarded: {}", guard.words()));
                }
                return match (rule.rule.age.limit, age) {
                    (Some(limit), Some(age)) if age < limit.as_seconds() => {
                        found(Verdict::Young, format!("younger than {limit}"))
                    }
                    (Some(limit), None) => {
                        let reason = format!("its age isn't known, and the limit is {limit}");
                        found(Verdict::Young, reason)
                    }
                    (Some(limit), Some(_)) => {
                        found(Verdict::Taken, format!("at least {limit} old"))
                    }
                    (None, _) => found(Verdict::Taken, "taken at any age".to_owned()),
                };
            }
        }
    }
    spared.unwrap_or_else(|| Explanation {
        verdict: Verdict::NotMine,
        rule: None,
        search: None,
        reason: "no rule looks for it".to_owned(),
    })
}
