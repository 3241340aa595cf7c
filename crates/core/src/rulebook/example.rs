//! A rulebook's own tests: its examples, held against it without a disk.

use crate::rulebook::{
    CompiledRule, Detect, Example, Fit, Guards, RuleNumber, RuleSet, Verdict, Within, guard,
    pattern,
};
use crate::target::{Layout, Place, Places, TargetPath};

/// An example that doesn't come out as its rule says.
#[derive(Clone, Debug, PartialEq, Eq, thiserror::Error)]
#[error("{rule}: {path} should be {}, but is {}", expected.name(), found.name())]
pub struct ExampleFailure {
    /// The rule's id.
    pub rule: String,
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
    for (number, rule) in rules.iter().filter(|(_, rule)| rule.file == file) {
        for example in &rule.rule.examples {
            count += 1;
            let found = verdict(rules, number, example);
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

/// What the rules say of an example, on a computer where every place lies where it usually does.
/// A recogniser has no disk to look at here: that of the example's own rule is taken to find it,
/// that of another rule not to.
fn verdict(rules: &RuleSet, of: RuleNumber, example: &Example) -> Verdict {
    let Ok(path) = TargetPath::new(example.path.as_bytes()) else {
        return Verdict::NotMine;
    };
    for (number, rule) in rules.iter() {
        if number != of && rule.rule.detect.is_some_and(Detect::looks_inside) {
            continue;
        }
        // A rule may name a guarded folder apart, below another of its own roots.
        let mut is_guarded = false;
        for within in &rule.rule.within {
            for root in usual_roots(within, &path, rule.layout) {
                let Some(below) = path.below(&root) else {
                    continue;
                };
                let fit = rule.fit(below);
                if fit == Fit::No || below.is_empty() || (fit == Fit::Spares && number != of) {
                    continue;
                }
                let guards = usual_guards(&path, rule.layout);
                if guards.path(&path, &rule.rule, &root).is_some() {
                    is_guarded = true;
                    continue;
                }
                return match fit {
                    _ if number != of => Verdict::NotMine,
                    Fit::Spares => Verdict::Spared,
                    Fit::Takes | Fit::No => by_age(rule, example),
                };
            }
        }
        if is_guarded {
            return Verdict::Guarded;
        }
    }
    Verdict::NotMine
}

fn by_age(rule: &CompiledRule, example: &Example) -> Verdict {
    match (rule.rule.age.limit, example.aged) {
        (Some(limit), Some(aged)) if aged < limit => Verdict::Young,
        // An age that isn't known is never old enough.
        (Some(_), None) => Verdict::Young,
        _ => Verdict::Taken,
    }
}

/// The roots that `in` has on the way to `path`, if every place lies where it usually does.
fn usual_roots(within: &Within, path: &TargetPath, layout: Layout) -> Vec<TargetPath> {
    let parts: Vec<&[u8]> = path.parts().collect();
    let mut roots = Vec::new();
    for usual in within.place.usual(layout) {
        let place = usual.split('/').filter(|part| !part.is_empty());
        let patterns: Vec<&str> = place
            .chain(within.below.iter().map(String::as_str))
            .collect();
        let fits = patterns.len() <= parts.len()
            && patterns
                .iter()
                .zip(&parts)
                .all(|(pattern, part)| part_fits(pattern, part, layout));
        if fits && let Some(root) = parts.get(..patterns.len()) {
            roots.extend(TargetPath::new(root.join(&b'/')));
        }
    }
    roots
}

fn part_fits(pattern: &str, part: &[u8], layout: Layout) -> bool {
    use std::os::unix::ffi::OsStrExt as _;
    let path = std::path::Path::new(std::ffi::OsStr::from_bytes(part));
    pattern::compile(pattern, layout).is_ok_and(|glob| glob.compile_matcher().is_match(path))
}

/// Guards as they stand on a computer with the usual folders for whoever the path belongs to.
fn usual_guards(path: &TargetPath, layout: Layout) -> Guards {
    let mut places = Places::of_layout(layout);
    let mut parts = path.parts();
    let homes = if layout == Layout::Linux {
        "home"
    } else {
        "Users"
    };
    if parts
        .next()
        .is_some_and(|part| layout.is_same_name(part, homes.as_bytes()))
        && let Some(name) = parts.next()
        && let Ok(home) = TargetPath::new([homes.as_bytes(), b"/", name].concat())
    {
        for own in guard::PERSONAL {
            places.personal.extend(home.join(own.as_bytes()));
        }
        places.add(Place::Home, None, home);
    }
    Guards::new(&places, Vec::new())
}
