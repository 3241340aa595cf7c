//! What the searches ask of the names in a folder: worked out once for all folders that stand
//! alike, and then held against each name in one go.

use std::collections::HashMap;
use std::sync::Arc;

use crate::computer::TargetPath;
use crate::rule::{CompiledRule, Detect, Fit, NameTest, NfaStates, PathPattern, Spelling};
use crate::source::context::WalkContext;

/// How far one search has come on the way down to a folder.
#[derive(Clone, Debug, PartialEq, Eq, Hash)]
pub(crate) struct PatternState {
    /// The search, by position.
    pub search: usize,
    take: Box<[NfaStates]>,
    spare: Box<[NfaStates]>,
}

impl PatternState {
    /// At the root of the search.
    fn start(search: usize, rule: &CompiledRule) -> Self {
        Self {
            search,
            take: rule.take.iter().map(PathPattern::start).collect(),
            spare: rule.spare.iter().map(PathPattern::start).collect(),
        }
    }

    /// One folder deeper; nothing when nothing below can be the rule's.
    fn enter(&self, rule: &CompiledRule, name: Spelling<'_>) -> Option<Self> {
        let deeper = Self {
            search: self.search,
            take: (rule.take.iter().zip(&self.take))
                .map(|(pattern, reached)| pattern.enter(*reached, name))
                .collect(),
            spare: (rule.spare.iter().zip(&self.spare))
                .map(|(pattern, reached)| pattern.enter(*reached, name))
                .collect(),
        };
        let leads = deeper.take.iter().any(|reached| !reached.is_nowhere());
        (deeper.take.is_empty() || leads).then_some(deeper)
    }

    /// Whether the folder below stands as this one does.
    fn stays(&self, rule: &CompiledRule, name: Spelling<'_>) -> bool {
        let takes = rule.take.iter().zip(&self.take);
        let spares = rule.spare.iter().zip(&self.spare);
        takes
            .chain(spares)
            .all(|(pattern, reached)| pattern.enter(*reached, name) == *reached)
    }
}

/// A list of tests of which one has to pass.
#[derive(Debug, Default)]
struct AnyOf {
    everything: bool,
    tests: Vec<Arc<NameTest>>,
}

impl AnyOf {
    fn passes(&self, name: Spelling<'_>, folds: bool) -> bool {
        self.everything || self.tests.iter().any(|test| test.passes(name, folds))
    }
}

/// What the searches ask of the names in a folder.
#[derive(Debug, Default)]
pub(crate) struct FolderMatcher {
    /// The searches that look into the folder, in the order in which rules own things.
    pub states: Box<[PatternState]>,
    /// What each of them spares.
    spares: Vec<AnyOf>,
    /// Those that only a whole path tells of.
    by_path: Vec<bool>,
    table: NameTable,
    /// Whether nothing is spared and no whole path asked for.
    is_simple: bool,
    /// Whether names and guards alone decide what is taken.
    pub is_by_name: bool,
    /// Whether one of them looks for tagged caches.
    pub asks_for_tags: bool,
}

impl FolderMatcher {
    fn new(context: &WalkContext<'_>, states: Box<[PatternState]>) -> Self {
        let mut matcher = Self {
            is_by_name: true,
            is_simple: true,
            table: NameTable::new(context.target.layout.ignores_case()),
            ..Self::default()
        };
        for (at, state) in states.iter().enumerate() {
            let rule = context.rule(state.search);
            let by_path = rule.is_by_path();
            matcher.by_path.push(by_path);
            matcher.is_by_name &= rule.is_by_name();
            matcher.asks_for_tags |= rule.rule.detect == Some(Detect::CacheTagged);
            let mut spares = AnyOf::default();
            for (pattern, reached) in rule.spare.iter().zip(&state.spare) {
                spares.everything |= pattern.takes_all(*reached);
                spares.tests.extend(pattern.asks(*reached).cloned());
            }
            matcher.is_simple &= !by_path && !spares.everything && spares.tests.is_empty();
            matcher.spares.push(spares);
            if by_path || rule.take.is_empty() {
                matcher.table.add(at, &NameTest::Any);
            }
            for (pattern, reached) in rule.take.iter().zip(&state.take) {
                if by_path {
                    continue;
                }
                if pattern.takes_all(*reached) {
                    matcher.table.add(at, &NameTest::Any);
                }
                if let Some(test) = pattern.asks(*reached) {
                    matcher.table.add(at, test);
                }
            }
        }
        matcher.states = states;
        matcher
    }

    /// Gathers the standings, by position, whose rules take a name in this folder; `folder` is its
    /// path.
    pub(crate) fn takers(
        &self,
        context: &WalkContext<'_>,
        folder: &TargetPath,
        name: Spelling<'_>,
        takers: &mut Vec<usize>,
    ) {
        self.table.find(name, takers);
        if self.is_simple {
            return;
        }
        takers.retain(|at| {
            if !self.by_path[*at] {
                return !self.spares[*at].passes(name, self.table.folds);
            }
            let search = context.search(self.states[*at].search);
            let Some(below) = folder.below(&search.root) else {
                return false;
            };
            let below = if below.is_empty() {
                name.exact.to_vec()
            } else {
                [below, b"/", name.exact].concat()
            };
            context.rule(self.states[*at].search).fit(&below) == Fit::Takes
        });
    }
}

/// The tests of all searches, sorted so that most names are done with after a look at their
/// letters.
#[derive(Debug, Default)]
struct NameTable {
    folds: bool,
    /// Whether there is any test but those that take any name.
    asks: bool,
    /// Those that take any name.
    any: Vec<usize>,
    whole: HashMap<Box<[u8]>, Vec<usize>>,
    /// The lengths of the names in `whole`, one bit each; all beyond the last share it.
    lengths: u64,
    by_first: Letters,
    by_last: Letters,
    rest: Vec<(NameTest, usize)>,
}

/// Tests by one letter that a name must have.
#[derive(Debug)]
struct Letters {
    /// For each letter, the place of its tests plus one, or nought.
    place: Box<[u8; 256]>,
    tests: Vec<Vec<(NameTest, usize)>>,
}

impl Default for Letters {
    fn default() -> Self {
        Self {
            place: Box::new([0; 256]),
            tests: Vec::new(),
        }
    }
}

impl Letters {
    /// Whether there was room for one more letter.
    fn add(&mut self, letter: u8, test: &NameTest, at: usize) -> bool {
        let place = &mut self.place[usize::from(letter)];
        if *place == 0 {
            let Ok(next) = u8::try_from(self.tests.len() + 1) else {
                return false;
            };
            *place = next;
            self.tests.push(Vec::new());
        }
        let tests = self.tests.get_mut(usize::from(*place) - 1);
        tests.is_some_and(|tests| {
            tests.push((test.clone(), at));
            true
        })
    }

    fn of(&self, letter: Option<&u8>) -> &[(NameTest, usize)] {
        let place = letter.map_or(0, |letter| self.place[usize::from(*letter)]);
        match usize::from(place).checked_sub(1) {
            None => &[],
            Some(place) => self.tests.get(place).map_or(&[], Vec::as_slice),
        }
    }
}

fn length(name: &[u8]) -> u64 {
    1 << name.len().min(63)
}

impl NameTable {
    fn new(folds: bool) -> Self {
        Self {
            folds,
            ..Self::default()
        }
    }

    /// Adds one test of the state at this position.
    fn add(&mut self, at: usize, test: &NameTest) {
        self.asks |= !matches!(test, NameTest::Any);
        let has_room = match test {
            NameTest::Any => {
                self.any.push(at);
                true
            }
            NameTest::Is(name) => {
                self.add_name(at, name);
                true
            }
            NameTest::OneOf { names, others } => {
                for name in names {
                    self.add_name(at, name);
                }
                for other in others {
                    self.add(at, other);
                }
                true
            }
            NameTest::Begins(begin) | NameTest::Glob { begin, .. } if !begin.is_empty() => {
                self.by_first.add(begin[0], test, at)
            }
            NameTest::Ends(end) | NameTest::Glob { end, .. } => match end.last() {
                Some(letter) => self.by_last.add(*letter, test, at),
                None => false,
            },
            NameTest::Begins(_) | NameTest::Holds(_) => false,
        };
        if !has_room {
            self.rest.push((test.clone(), at));
        }
    }

    fn add_name(&mut self, at: usize, name: &[u8]) {
        self.lengths |= length(name);
        self.whole.entry(name.into()).or_default().push(at);
    }

    /// Gathers the standings of which a test passes, in order, each once.
    fn find(&self, name: Spelling<'_>, found: &mut Vec<usize>) {
        found.clear();
        found.extend_from_slice(&self.any);
        if !self.asks {
            return;
        }
        let written = if self.folds { name.small } else { name.exact };
        let before = found.len();
        if self.lengths & length(written) != 0 {
            found.extend(self.whole.get(written).into_iter().flatten());
        }
        let tests = (self.by_first.of(written.first()).iter())
            .chain(self.by_last.of(written.last()))
            .chain(&self.rest);
        for (test, at) in tests {
            if test.passes(name, self.folds) {
                found.push(*at);
            }
        }
        if found.len() > before && found.len() > 1 {
            found.sort_unstable();
            found.dedup();
        }
    }
}

/// Most matchers that are remembered; a tree of that many kinds of folders makes them anew.
const MOST_KNOWN: usize = 1024;

/// The matchers of one thread's folders, each made once.
pub(crate) struct FolderMatchers<'a> {
    context: &'a WalkContext<'a>,
    known: HashMap<Box<[PatternState]>, Arc<FolderMatcher>>,
}

impl<'a> FolderMatchers<'a> {
    pub(crate) fn new(context: &'a WalkContext<'a>) -> Self {
        Self {
            context,
            known: HashMap::new(),
        }
    }

    /// The matcher of a folder below one with the matcher `above`. `path` is the folder's own
    /// path, asked for only where it matters; `leads_on` says that a search may start here.
    pub(crate) fn below(
        &mut self,
        above: &Arc<FolderMatcher>,
        name: Spelling<'_>,
        leads_on: bool,
        path: &dyn Fn() -> TargetPath,
    ) -> Arc<FolderMatcher> {
        let context = self.context;
        let is_by_path = above.by_path.iter().any(|by_path| *by_path);
        let path = (leads_on || is_by_path).then(path);
        let starts = path
            .as_ref()
            .map_or(&[][..], |path| context.starts_at(path));
        let stays = |state: &PatternState| state.stays(context.rule(state.search), name);
        if starts.is_empty() && !is_by_path && above.states.iter().all(stays) {
            return Arc::clone(above);
        }
        let mut states: Vec<PatternState> = Vec::new();
        for (state, by_path) in above.states.iter().zip(&above.by_path) {
            let rule = context.rule(state.search);
            if *by_path {
                let root = &context.search(state.search).root;
                let below = path.as_ref().and_then(|path| path.below(root));
                if below.is_some_and(|below| rule.may_reach(below)) {
                    states.push(state.clone());
                }
            } else {
                states.extend(state.enter(rule, name));
            }
        }
        self.of(states, starts)
    }

    /// The matcher of a folder where these searches start.
    pub(crate) fn at_start(&mut self, starts: &[usize]) -> Arc<FolderMatcher> {
        self.of(Vec::new(), starts)
    }

    fn of(&mut self, mut states: Vec<PatternState>, starts: &[usize]) -> Arc<FolderMatcher> {
        for search in starts {
            states.push(PatternState::start(*search, self.context.rule(*search)));
        }
        states.sort_by_key(|state| state.search);
        let states: Box<[PatternState]> = states.into();
        if let Some(known) = self.known.get(&states) {
            return Arc::clone(known);
        }
        if self.known.len() >= MOST_KNOWN {
            self.known.clear();
        }
        let matcher = Arc::new(FolderMatcher::new(self.context, states.clone()));
        self.known.insert(states, Arc::clone(&matcher));
        matcher
    }
}
