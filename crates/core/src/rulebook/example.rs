//! A rulebook's own tests: its examples, held against it without a disk.

use crate::rulebook::{
    CompiledRule, Detect, Example, FileKind, Fit, Guard, Guards, Ownership, Probe, Rule,
    RuleNumber, RuleSet, Verdict, Within, decide_owner, guard, pattern,
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

/// An example, on a computer where every place lies where it usually does.
struct Sample<'a> {
    rules: &'a RuleSet,
    /// The rule that it is an example of.
    of: RuleNumber,
    example: &'a Example,
    path: TargetPath,
    /// Which rule looks where above it.
    searches: Vec<(RuleNumber, TargetPath)>,
    guards: Guards,
}

impl Probe for Sample<'_> {
    /// A search, by position.
    type Search = usize;

    fn rule(&self, at: usize) -> (RuleNumber, &Rule) {
        let number = self.searches[at].0;
        (number, &self.rules.rule(number).rule)
    }

    fn fit(&mut self, at: usize) -> Fit {
        let (number, root) = &self.searches[at];
        let below = self.path.below(root).filter(|below| !below.is_empty());
        below.map_or(Fit::No, |below| self.rules.rule(*number).fit(below))
    }

    fn guard(&mut self, at: usize) -> Option<Guard> {
        let (number, root) = &self.searches[at];
        self.guards
            .path(&self.path, &self.rules.rule(*number).rule, root)
    }

    fn size(&mut self) -> Option<u64> {
        // An example is as large as its rule asks.
        Some(u64::MAX)
    }

    fn looks_like(&mut self, kinds: &[FileKind]) -> bool {
        self.example
            .contents
            .is_some_and(|kind| kinds.contains(&kind))
    }

    fn recognises(&mut self, at: usize, _: Detect) -> bool {
        // There is no disk to look at: the recogniser of the example's own rule is taken to find it, that of
        // another rule not to.
        self.searches[at].0 == self.of
    }
}

/// What the rules say of an example.
fn verdict(rules: &RuleSet, of: RuleNumber, example: &Example) -> Verdict {
    let Ok(path) = TargetPath::new(example.path.as_bytes()) else {
        return Verdict::NotMine;
    };
    let layout = rules.rule(of).layout;
    let searches = rules.iter().flat_map(|(number, rule)| {
        let within = rule.rule.within.iter();
        let roots = within.flat_map(|within| usual_roots(within, &path, layout));
        roots.map(move |root| (number, root))
    });
    let mut sample = Sample {
        searches: searches.collect(),
        guards: usual_guards(&path, layout),
        rules,
        of,
        example,
        path,
    };
    let number =
        |at: usize, sample: &Sample<'_>| sample.searches.get(at).map(|(number, _)| *number);
    match decide_owner(0..sample.searches.len(), &mut sample) {
        Ownership::Owned(at) if number(at, &sample) == Some(of) => by_age(rules.rule(of), example),
        Ownership::Owned(_) => Verdict::NotMine,
        Ownership::Guarded(..) => Verdict::Guarded,
        Ownership::Unseen(..) | Ownership::Spared(_) | Ownership::Nobodys => {
            let own = (0..sample.searches.len()).filter(|at| number(*at, &sample) == Some(of));
            let own: Vec<usize> = own.collect();
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
            let own = home.join(own.as_bytes());
            if let Ok(own) = &own {
                places.personal.add(own);
            }
        }
        places.add(Place::Home, None, home);
    }
    Guards::new(&places, Vec::new())
}
