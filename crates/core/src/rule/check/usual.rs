//! A computer on which every place lies where it usually does: what rules are held against without a disk.

use std::ops::Range;

use crate::computer::{Layout, Place, Places, TargetPath};
use crate::rule::ownership::Probe;
use crate::rule::pattern::path::{NameTest, Spelling};
use crate::rule::{
    Detect, FileKind, Fit, Guard, Guards, RecordSet, Rule, RuleNumber, RuleSet, guard,
};

/// Such a computer, and rules that look on it.
pub(crate) struct UsualComputer<'a> {
    pub(crate) rules: &'a RuleSet,
    /// Every folder that a rule looks in, part by part.
    looked_in: Vec<(RuleNumber, Vec<NameTest>)>,
}

/// One path on it.
pub(crate) struct Sample<'a> {
    rules: &'a RuleSet,
    /// The rule whose recogniser is taken to find it; there is no disk to look at.
    found_by: Option<RuleNumber>,
    /// What it is inside.
    contents: Option<FileKind>,
    path: TargetPath,
    /// Which rule looks where above it.
    searches: Vec<(RuleNumber, TargetPath)>,
    guards: Guards,
}

impl<'a> UsualComputer<'a> {
    pub(crate) fn new(rules: &'a RuleSet) -> Self {
        let looked_in = rules.iter().flat_map(|(number, rule)| {
            let layout = rule.layout;
            let within = rule.rule.within.iter().flat_map(move |within| {
                within.place.usual(layout).iter().filter_map(move |usual| {
                    let place = usual.split('/').filter(|part| !part.is_empty());
                    let parts = place.chain(within.below.iter().map(String::as_str));
                    let tests = parts.map(|part| NameTest::new(part, layout));
                    tests.collect::<Result<Vec<_>, _>>().ok()
                })
            });
            within.map(move |tests| (number, tests))
        });
        Self {
            rules,
            looked_in: looked_in.collect(),
        }
    }

    /// A path, with what it is inside; the recogniser of one rule is taken to find it, no other one is.
    pub(crate) fn sample(
        &self,
        path: TargetPath,
        contents: Option<FileKind>,
        found_by: Option<RuleNumber>,
    ) -> Sample<'a> {
        let layout = (self.rules.iter().next()).map_or(Layout::default(), |(_, rule)| rule.layout);
        let parts: Vec<&[u8]> = path.parts().collect();
        let small: Vec<Vec<u8>> = parts.iter().map(|part| part.to_ascii_lowercase()).collect();
        let passes = |test: &NameTest, at: usize| {
            let name = parts.get(at).zip(small.get(at));
            name.is_some_and(|(exact, small)| {
                test.passes(Spelling { exact, small }, layout.ignores_case())
            })
        };
        let above = self.looked_in.iter().filter(|(_, tests)| {
            tests.len() < parts.len() && tests.iter().enumerate().all(|(at, test)| passes(test, at))
        });
        let searches = above.filter_map(|(number, tests)| {
            let root = parts.get(..tests.len())?.join(&b'/');
            Some((*number, TargetPath::new(root).ok()?))
        });
        Sample {
            searches: searches.collect(),
            guards: usual_guards(&path, layout),
            rules: self.rules,
            found_by,
            contents,
            path,
        }
    }
}

impl Sample<'_> {
    /// Every search, by position.
    pub(crate) fn searches(&self) -> Range<usize> {
        0..self.searches.len()
    }

    /// The rule of a search.
    pub(crate) fn number(&self, at: usize) -> RuleNumber {
        self.searches[at].0
    }
}

impl Probe for Sample<'_> {
    /// A search, by position.
    type Search = usize;

    fn rule(&self, at: usize) -> (RuleNumber, &Rule) {
        let number = self.number(at);
        (number, &self.rules.rule(number).rule)
    }

    fn row_set(&self) -> Option<&RecordSet> {
        // A database stands for a row that the rule asks for.
        self.rules.rule(self.found_by?).rule.records.as_deref()
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
        // It is as large as any rule asks.
        Some(u64::MAX)
    }

    fn looks_like(&mut self, kinds: &[FileKind]) -> bool {
        self.contents.is_some_and(|kind| kinds.contains(&kind))
    }

    fn recognises(&mut self, at: usize, _: Detect) -> bool {
        self.found_by == Some(self.number(at))
    }
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
