//! Rules ready to match, in the order in which they own things.

use globset::{GlobMatcher, GlobSet};
use std::path::Path;

use crate::rulebook::{Detect, Rule, Rulebook, RulebookError, pattern};
use crate::target::Layout;

/// A rule's position in a [`RuleSet`]: a lower one comes before a higher one.
#[derive(Clone, Copy, Debug, PartialEq, Eq, Hash, PartialOrd, Ord)]
pub struct RuleNumber(pub usize);

/// What a rule says of a path below one of its roots, whatever its age.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub enum Fit {
    /// It is the rule's.
    Takes,
    /// The rule names it as spared.
    Spares,
    /// Nothing.
    No,
}

/// One rule, ready to match.
#[derive(Clone, Debug)]
pub struct CompiledRule {
    /// Its whole id: book and rule.
    pub id: String,
    /// The book's file, as the person knows it.
    pub file: String,
    /// The line on which it starts, counted from 1.
    pub line: usize,
    /// The book's layout: how names compare.
    pub layout: Layout,
    /// The rule itself.
    pub rule: Rule,
    take: Option<GlobSet>,
    spare: Option<GlobSet>,
    reach: Vec<Reach>,
}

impl CompiledRule {
    /// Whether anything below a folder could be the rule's; `below` is the folder's path below
    /// one of its roots. Names decide before a folder is opened.
    pub fn may_reach(&self, below: &[u8]) -> bool {
        if self.rule.detect == Some(Detect::Trash) {
            return match self.layout {
                Layout::Linux => {
                    below == b"info" || below == b"files" || below.starts_with(b"files/")
                }
                Layout::Windows => is_recycled(below),
                Layout::Macos => true,
            };
        }
        self.reach.is_empty() || self.reach.iter().any(|reach| reach.leads_into(below))
    }

    /// What it says of a path below one of its roots.
    pub fn fit(&self, below: &[u8]) -> Fit {
        use std::os::unix::ffi::OsStrExt as _;
        let path = Path::new(std::ffi::OsStr::from_bytes(below));
        if self.rule.detect == Some(Detect::Trash) && !is_trash_part(self.layout, below) {
            return Fit::No;
        }
        if self.take.as_ref().is_some_and(|take| !take.is_match(path)) {
            return Fit::No;
        }
        if self
            .spare
            .as_ref()
            .is_some_and(|spare| spare.is_match(path))
        {
            return Fit::Spares;
        }
        Fit::Takes
    }

    /// Whether a folder below one of its roots may go once it is empty.
    pub fn may_empty(&self, below: &[u8]) -> bool {
        // `fail/**` spares what is below `fail`, so `fail` itself has to stay, too.
        let inside = [below, b"/sample"].concat();
        self.rule.empty_folders
            && self.fit_folder(below)
            && !matches!(
                (self.fit(below), self.fit(&inside)),
                (Fit::Spares, _) | (_, Fit::Spares)
            )
    }

    /// Of a trash, only what lies below its contents.
    fn fit_folder(&self, below: &[u8]) -> bool {
        self.rule.detect != Some(Detect::Trash)
            || match self.layout {
                Layout::Linux => below.starts_with(b"files/"),
                Layout::Windows => is_recycled(below),
                Layout::Macos => true,
            }
    }
}

/// The folders that one pattern of `take` can lead into.
#[derive(Clone, Debug)]
struct Reach {
    /// One matcher for each part above the last, up to the first part that crosses folders.
    parts: Vec<GlobMatcher>,
    /// Whether it leads into every folder below these parts.
    is_open: bool,
}

impl Reach {
    fn new(pattern: &str, layout: Layout) -> Self {
        let mut parts = Vec::new();
        let mut names = pattern.split('/').peekable();
        while let Some(name) = names.next() {
            // A brace that holds a `/` has been torn apart here: from there on anything goes.
            let is_torn = name.matches('{').count() != name.matches('}').count();
            if name.contains("**") || is_torn {
                return Self {
                    parts,
                    is_open: true,
                };
            }
            if names.peek().is_some() {
                match pattern::compile(name, layout) {
                    Ok(glob) => parts.push(glob.compile_matcher()),
                    Err(_) => {
                        return Self {
                            parts,
                            is_open: true,
                        };
                    }
                }
            }
        }
        Self {
            parts,
            is_open: false,
        }
    }

    fn leads_into(&self, below: &[u8]) -> bool {
        use std::os::unix::ffi::OsStrExt as _;
        let names: Vec<&[u8]> = below.split(|byte| *byte == b'/').collect();
        (self.is_open || names.len() <= self.parts.len())
            && self
                .parts
                .iter()
                .zip(names)
                .all(|(part, name)| part.is_match(Path::new(std::ffi::OsStr::from_bytes(name))))
    }
}

/// A trash holds its contents and what is known of them; whatever else is there is not ours to
/// read.
fn is_trash_part(layout: Layout, below: &[u8]) -> bool {
    match layout {
        Layout::Linux => match below.strip_prefix(b"info/") {
            Some(name) => name.ends_with(b".trashinfo") && !name.contains(&b'/'),
            None => below.starts_with(b"files/"),
        },
        Layout::Windows => {
            let is_index = below
                .get(..2)
                .is_some_and(|it| it.eq_ignore_ascii_case(b"$i"));
            is_recycled(below) || (is_index && !below.contains(&b'/'))
        }
        Layout::Macos => !below.eq_ignore_ascii_case(b".DS_Store"),
    }
}

/// What lies in a Windows recycle folder stands below `$R` and a name made for it.
fn is_recycled(below: &[u8]) -> bool {
    below
        .get(..2)
        .is_some_and(|start| start.eq_ignore_ascii_case(b"$r"))
}

/// All rules in force: the technician's books first, then the built-in one; in a book the order
/// of the text.
#[derive(Clone, Debug, Default)]
pub struct RuleSet {
    rules: Vec<CompiledRule>,
    digest: String,
}

impl RuleSet {
    /// Compiles books, given as file name and text, in the order in which they own things.
    ///
    /// # Errors
    /// The first book's mistakes; two books of one id, or a book of another layout.
    pub fn compile(books: &[(String, String)]) -> Result<Self, RulebookError> {
        let mut set = Self::default();
        let mut hasher = blake3::Hasher::new();
        for (file, text) in books {
            let (book, lines) = Rulebook::parse(file, text)?;
            hasher.update(text.as_bytes()).update(&[0]);
            let starts = format!("{}/", book.id);
            if set.rules.iter().any(|known| known.id.starts_with(&starts)) {
                return Err(RulebookError {
                    file: file.clone(),
                    text: text.clone(),
                    problems: vec![crate::rulebook::Problem {
                        message: format!("another rulebook is called \"{}\", too", book.id),
                        span: 0..0,
                        label: "this book".to_owned(),
                        help: "give each rulebook an id of its own".to_owned(),
                    }],
                });
            }
            for (rule, line) in book.rules.into_iter().zip(lines) {
                set.rules.push(CompiledRule {
                    id: format!("{}/{}", book.id, rule.id),
                    file: file.clone(),
                    line,
                    // Both lists have been compiled once while parsing.
                    layout: book.layout,
                    take: pattern::compile_all(&rule.take, book.layout).unwrap_or_default(),
                    spare: pattern::compile_all(&rule.spare, book.layout).unwrap_or_default(),
                    reach: (rule.take.iter())
                        .map(|take| Reach::new(take, book.layout))
                        .collect(),
                    rule,
                });
            }
        }
        hasher
            .finalize()
            .to_hex()
            .to_string()
            .clone_into(&mut set.digest);
        Ok(set)
    }

    /// Every rule with its number, in order.
    pub fn iter(&self) -> impl Iterator<Item = (RuleNumber, &CompiledRule)> {
        self.rules
            .iter()
            .enumerate()
            .map(|(number, rule)| (RuleNumber(number), rule))
    }

    /// One rule.
    ///
    /// # Panics
    /// When the number is another set's.
    pub fn rule(&self, number: RuleNumber) -> &CompiledRule {
        &self.rules[number.0]
    }

    /// The rule of that id, whole or without its book where only one book has it.
    pub fn by_id(&self, id: &str) -> Option<RuleNumber> {
        let whole = self.rules.iter().position(|rule| rule.id == id);
        let mut short = self
            .rules
            .iter()
            .enumerate()
            .filter(|(_, rule)| rule.rule.id == id);
        let only = short
            .next()
            .map(|(number, _)| number)
            .filter(|_| short.next().is_none());
        whole.or(only).map(RuleNumber)
    }

    /// A hash over the books' texts: two sets with one digest rule alike.
    pub fn digest(&self) -> &str {
        &self.digest
    }
}
