//! A path pattern taken apart at its slashes, so that a folder is held against it once for all the
//! names that lie in it.

use std::collections::HashSet;
use std::ffi::OsStr;
use std::os::unix::ffi::OsStrExt as _;
use std::path::Path;
use std::sync::{Arc, OnceLock};

use globset::{Glob, GlobMatcher};

use crate::computer::Layout;
use crate::rule::pattern;

/// A name as it is written, and in small letters (ASCII).
#[derive(Clone, Copy, Debug)]
pub(crate) struct Spelling<'a> {
    /// As the disk has it.
    pub exact: &'a [u8],
    /// In small letters.
    pub small: &'a [u8],
}

/// What one part of a pattern asks of one name.
#[derive(Clone, Debug)]
pub(crate) enum NameTest {
    /// Any name at all.
    Any,
    /// This name.
    Is(Box<[u8]>),
    /// A name that begins so.
    Begins(Box<[u8]>),
    /// A name that ends so.
    Ends(Box<[u8]>),
    /// A name with this in it.
    Holds(Box<[u8]>),
    /// One of these names, or a name that passes one of the tests.
    OneOf {
        names: HashSet<Box<[u8]>>,
        others: Vec<NameTest>,
    },
    /// A name that the glob matches; all of those begin and end so.
    Glob {
        begin: Box<[u8]>,
        end: Box<[u8]>,
        glob: Arc<LazyGlob>,
    },
}

/// A glob that is made ready to match when it is first asked: most are never, since no name begins and ends so.
#[derive(Debug)]
pub(crate) struct LazyGlob {
    glob: Glob,
    matcher: OnceLock<GlobMatcher>,
}

impl LazyGlob {
    fn new(glob: Glob) -> Self {
        Self {
            glob,
            matcher: OnceLock::new(),
        }
    }

    fn is_match(&self, path: &[u8]) -> bool {
        let matcher = self.matcher.get_or_init(|| self.glob.compile_matcher());
        matcher.is_match(Path::new(OsStr::from_bytes(path)))
    }
}

impl NameTest {
    /// Takes a part without slashes; in small letters where case doesn't count.
    pub(crate) fn new(part: &str, layout: Layout) -> Result<Self, String> {
        let folds = layout.ignores_case();
        let write = |text: &str| -> Box<[u8]> {
            if folds {
                text.to_ascii_lowercase().into_bytes().into()
            } else {
                text.as_bytes().into()
            }
        };
        let is_special = |letter: char| "*?[]{}".contains(letter);
        // Beyond ASCII the glob knows how letters compare.
        let is_simple = !folds || part.is_ascii();
        let inner = part.trim_matches('*');
        if is_simple && !inner.contains(is_special) {
            match (part.starts_with('*'), part.ends_with('*')) {
                (false, false) => return Ok(Self::Is(write(part))),
                (true, _) if inner.is_empty() => return Ok(Self::Any),
                (true, false) => return Ok(Self::Ends(write(inner))),
                (false, true) => return Ok(Self::Begins(write(inner))),
                (true, true) => return Ok(Self::Holds(write(inner))),
            }
        }
        if is_simple && let Some(choices) = choices(part) {
            let mut names = HashSet::new();
            let mut others = Vec::new();
            for choice in choices {
                match Self::new(&choice, layout)? {
                    Self::Is(name) => drop(names.insert(name)),
                    other => others.push(other),
                }
            }
            return Ok(Self::OneOf { names, others });
        }
        let begin = part.split(is_special).next().unwrap_or_default();
        let end = part.rsplit(is_special).next().unwrap_or_default();
        let literal = |text: &str| {
            if is_simple {
                write(text)
            } else {
                Box::default()
            }
        };
        Ok(Self::Glob {
            begin: literal(begin),
            end: literal(end),
            glob: Arc::new(LazyGlob::new(pattern::compile(part, layout)?)),
        })
    }

    /// Whether a name passes; `folds` says that case doesn't count.
    pub(crate) fn passes(&self, name: Spelling<'_>, folds: bool) -> bool {
        let written = if folds { name.small } else { name.exact };
        match self {
            Self::Any => true,
            Self::Is(wanted) => **wanted == *written,
            Self::OneOf { names, others } => {
                names.contains(written) || others.iter().any(|test| test.passes(name, folds))
            }
            Self::Begins(begin) => written.starts_with(begin),
            Self::Ends(end) => written.ends_with(end),
            Self::Holds(inner) => written.windows(inner.len()).any(|part| part == &**inner),
            Self::Glob { begin, end, glob } => {
                written.starts_with(begin) && written.ends_with(end) && glob.is_match(name.exact)
            }
        }
    }
}

/// What the one pair of braces of a part stands for, each choice with what stands around it; nothing where there
/// is another pair, or anything that only a glob can read. A set of names needs no glob, and long lists are costly
/// as one.
fn choices(part: &str) -> Option<Vec<String>> {
    let (before, rest) = part.split_once('{')?;
    let (inner, after) = rest.split_once('}')?;
    let is_plain = |text: &str| !text.contains(['{', '}', '[', ']', '?', '\\']);
    let is_whole = [before, inner, after].into_iter().all(is_plain);
    // Of a choice between stars only a glob knows how they meet.
    let is_clear = match (before.contains('*'), after.contains('*')) {
        (false, false) => true,
        (true, false) => before == "*" && !inner.contains('*'),
        (false, true) => after == "*" && !inner.contains('*'),
        (true, true) => false,
    };
    (is_whole && is_clear).then(|| {
        let choices = inner.split(',');
        choices
            .map(|choice| format!("{before}{choice}{after}"))
            .collect()
    })
}

#[derive(Clone, Debug)]
enum PatternPart {
    /// `**`: any number of folders; at the end everything below.
    Deep,
    Name(Arc<NameTest>),
}

/// How far into a pattern a folder has come: a set of the parts that may be next, one bit each.
#[derive(Clone, Copy, Debug, PartialEq, Eq, Hash)]
pub(crate) struct NfaStates(u64);

impl NfaStates {
    /// Whether nothing below can match any more.
    pub(crate) fn is_nowhere(self) -> bool {
        self.0 == 0
    }
}

/// Most parts of a pattern that is taken apart.
const MOST_PARTS: usize = 64;

#[derive(Clone, Debug)]
enum Form {
    Parts(Box<[PatternPart]>),
    /// A pattern that can't be taken apart: alternatives with slashes in them.
    Whole(Arc<LazyGlob>),
}

/// A pattern, ready to match.
#[derive(Clone, Debug)]
pub(crate) struct PathPattern {
    form: Form,
    folds: bool,
}

impl PathPattern {
    /// Takes a pattern apart.
    ///
    /// # Errors
    /// In words, as [`pattern::compile`].
    pub(crate) fn new(text: &str, layout: Layout) -> Result<Self, String> {
        pattern::relative(text)?;
        let folds = layout.ignores_case();
        let names: Vec<&str> = text.split('/').collect();
        let is_torn = |name: &&str| {
            let count = |letter| name.matches(letter).count();
            count('{') != count('}')
                || count('[') != count(']')
                || (name.contains("**") && *name != "**")
        };
        if names.iter().any(is_torn) || names.len() > MOST_PARTS {
            let whole = pattern::compile(text, layout)?;
            let form = Form::Whole(Arc::new(LazyGlob::new(whole)));
            return Ok(Self { form, folds });
        }
        let parts: Result<Box<[PatternPart]>, String> = names
            .into_iter()
            .map(|name| match name {
                "**" => Ok(PatternPart::Deep),
                name => Ok(PatternPart::Name(Arc::new(NameTest::new(name, layout)?))),
            })
            .collect();
        Ok(Self {
            form: Form::Parts(parts?),
            folds,
        })
    }

    /// The two that match one name, whatever its letters mean to a pattern, and all that lies below it.
    pub(crate) fn of_name(name: &[u8], layout: Layout) -> [Self; 2] {
        let folds = layout.ignores_case();
        let written = if folds {
            name.to_ascii_lowercase()
        } else {
            name.to_vec()
        };
        let name = || PatternPart::Name(Arc::new(NameTest::Is(written.clone().into())));
        let parts = [vec![name()], vec![name(), PatternPart::Deep]];
        parts.map(|parts| Self {
            form: Form::Parts(parts.into()),
            folds,
        })
    }

    /// The one that matches these names and nothing below them, however many they are.
    pub(crate) fn of_names<'n>(names: impl Iterator<Item = &'n [u8]>, layout: Layout) -> Self {
        let folds = layout.ignores_case();
        let written = |name: &[u8]| -> Box<[u8]> {
            if folds {
                name.to_ascii_lowercase().into()
            } else {
                name.into()
            }
        };
        let test = NameTest::OneOf {
            names: names.map(written).collect(),
            others: Vec::new(),
        };
        Self {
            form: Form::Parts(vec![PatternPart::Name(Arc::new(test))].into()),
            folds,
        }
    }

    /// Whether it can be held against a folder once for all names in it.
    pub(crate) fn is_apart(&self) -> bool {
        matches!(self.form, Form::Parts(_))
    }

    fn parts(&self) -> &[PatternPart] {
        match &self.form {
            Form::Parts(parts) => parts,
            Form::Whole(_) => &[],
        }
    }

    /// At the root that it is relative to.
    pub(crate) fn start(&self) -> NfaStates {
        self.epsilon_closure(1)
    }

    /// `**` may stand for no folder at all.
    fn epsilon_closure(&self, mut bits: u64) -> NfaStates {
        for (at, part) in self.parts().iter().enumerate() {
            let is_last = at + 1 == self.parts().len();
            if bits & (1 << at) != 0 && matches!(part, PatternPart::Deep) && !is_last {
                bits |= 1 << (at + 1);
            }
        }
        NfaStates(bits)
    }

    /// One folder deeper.
    pub(crate) fn enter(&self, reached: NfaStates, name: Spelling<'_>) -> NfaStates {
        let mut bits = 0;
        for (at, part) in self.parts().iter().enumerate() {
            if reached.0 & (1 << at) == 0 {
                continue;
            }
            let is_last = at + 1 == self.parts().len();
            match part {
                PatternPart::Deep => bits |= 1 << at,
                PatternPart::Name(test) if !is_last && test.passes(name, self.folds) => {
                    bits |= 1 << (at + 1);
                }
                PatternPart::Name(_) => {}
            }
        }
        self.epsilon_closure(bits)
    }

    /// What it asks of a name in a folder reached so.
    pub(crate) fn asks(&self, reached: NfaStates) -> Option<&Arc<NameTest>> {
        match self.parts().last()? {
            PatternPart::Name(test) if reached.0 & self.last_bit() != 0 => Some(test),
            PatternPart::Name(_) | PatternPart::Deep => None,
        }
    }

    /// Whether it matches every name in a folder reached so.
    pub(crate) fn takes_all(&self, reached: NfaStates) -> bool {
        matches!(self.parts().last(), Some(PatternPart::Deep)) && reached.0 & self.last_bit() != 0
    }

    fn last_bit(&self) -> u64 {
        self.parts()
            .len()
            .checked_sub(1)
            .map_or(0, |last| 1 << last)
    }

    /// Whether it matches a path.
    pub(crate) fn matches(&self, path: &[u8]) -> bool {
        if let Form::Whole(glob) = &self.form {
            return glob.is_match(path);
        }
        let cut = path.iter().rposition(|byte| *byte == b'/');
        let folder = cut.and_then(|cut| path.get(..cut)).unwrap_or_default();
        let name = path.get(cut.map_or(0, |cut| cut + 1)..).unwrap_or_default();
        self.matches_in(self.reached_in(folder), name)
    }

    /// Whether it matches a name in a folder reached so; of a pattern that is taken apart.
    pub(crate) fn matches_in(&self, reached: NfaStates, name: &[u8]) -> bool {
        self.takes_all(reached)
            || self.asks(reached).is_some_and(|test| {
                // Only asked for where case doesn't count.
                let small = if self.folds {
                    name.to_ascii_lowercase()
                } else {
                    Vec::new()
                };
                let name = Spelling {
                    exact: name,
                    small: &small,
                };
                test.passes(name, self.folds)
            })
    }

    /// Whether something below a folder could match.
    pub(crate) fn leads_into(&self, folder: &[u8]) -> bool {
        !self.is_apart() || !self.reached_in(folder).is_nowhere()
    }

    /// How far into it a folder has come, by its path below the root.
    pub(crate) fn reached_in(&self, folder: &[u8]) -> NfaStates {
        let mut reached = self.start();
        if folder.is_empty() {
            return reached;
        }
        let small = folder.to_ascii_lowercase();
        let exact = folder.split(|byte| *byte == b'/');
        for (exact, small) in exact.zip(small.split(|byte| *byte == b'/')) {
            reached = self.enter(reached, Spelling { exact, small });
            if reached.is_nowhere() {
                break;
            }
        }
        reached
    }
}

#[cfg(test)]
mod tests {
    use proptest::prelude::*;

    use super::*;

    fn arb_part() -> impl Strategy<Value = String> {
        prop_oneof![
            3 => "[abA]{1,2}",
            2 => Just("*".to_owned()),
            2 => Just("**".to_owned()),
            1 => "[ab]\\*",
            1 => "\\*[ab.]",
            1 => "[ab]\\*[ab]",
            1 => "\\*a\\*",
            1 => "[ab]\\?",
            1 => "\\[ab\\][ab]\\*",
            1 => "\\{a,b\\*,[ab]b\\}",
            1 => "\\{a,[ab]b\\}\\*",
            1 => "\\*\\{a,[ab]b\\}",
            1 => "\\{a/b,b\\}",
            1 => "\\[a/b\\]",
            1 => "a\\*\\*b",
            1 => "é\\*",
        ]
    }

    fn arb_path() -> impl Strategy<Value = Vec<u8>> {
        let name = prop_oneof![
            6 => "[abAB.]{1,3}".prop_map(String::into_bytes),
            1 => proptest::collection::vec(1..=255_u8, 1..4)
                .prop_filter("a name", |name| !name.contains(&b'/')),
            1 => Just("Éa".as_bytes().to_vec()),
        ];
        proptest::collection::vec(name, 1..5).prop_map(|names| names.join(&b'/'))
    }

    proptest! {
        #![proptest_config(ProptestConfig { cases: 4000, ..ProptestConfig::default() })]

        #[test]
        fn prop_taken_apart_a_pattern_matches_what_it_matches_in_one_piece(
            parts in proptest::collection::vec(arb_part(), 1..5),
            paths in proptest::collection::vec(arb_path(), 1..8),
            layout in prop_oneof![Just(Layout::Linux), Just(Layout::Windows)],
        ) {
            let text = parts.join("/");
            let whole = pattern::compile(&text, layout).unwrap().compile_matcher();
            let apart = PathPattern::new(&text, layout).unwrap();
            for path in &paths {
                let expected = whole.is_match(Path::new(OsStr::from_bytes(path)));
                prop_assert_eq!(apart.matches(path), expected, "{} on {:?}", text, path);
                // Whatever it matches, it must have led there.
                if expected {
                    for (at, _) in path.iter().enumerate().filter(|(_, byte)| **byte == b'/') {
                        prop_assert!(apart.leads_into(&path[..at]), "{} into {:?}", text, path);
                    }
                }
            }
        }
    }
}
