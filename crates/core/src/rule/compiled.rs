//! Rules ready to match, in the order in which they own things.

use crate::computer::Layout;
use crate::format::DocumentError;
use crate::rule::pattern::path::{NfaStates, PathPattern};
use crate::rule::{AgeBy, Detect, Rule, RuleId, Rulebook, SURVEY_BOOK, Search, Survey};

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
    pub id: RuleId,
    /// The book's file, as the person knows it.
    pub file: String,
    /// The line on which it starts, counted from 1.
    pub line: usize,
    /// The book's layout: how names compare.
    pub layout: Layout,
    /// The rule itself.
    pub rule: Rule,
    pub(crate) take: Vec<PathPattern>,
    pub(crate) spare: Vec<PathPattern>,
}

/// How far into a rule's patterns a folder has come.
#[derive(Debug)]
pub(crate) struct FolderFit {
    take: Vec<NfaStates>,
    spare: Vec<NfaStates>,
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
        self.take.is_empty() || self.take.iter().any(|take| take.leads_into(below))
    }

    /// Whether only the whole path tells what it takes, not a folder and a name apart.
    pub(crate) fn is_by_path(&self) -> bool {
        self.rule.detect == Some(Detect::Trash)
            || !self
                .take
                .iter()
                .chain(&self.spare)
                .all(PathPattern::is_apart)
    }

    /// Whether nothing but names and guards decides what it takes, so that the same names mean the
    /// same again.
    pub(crate) fn is_by_name(&self) -> bool {
        let rule = &self.rule;
        rule.detect.is_none()
            && rule.entries.is_none()
            && rule.looks_like.is_empty()
            && !rule.whole
            && rule.keep_newest.is_none()
            && rule.larger_than.is_none()
            && rule.age.by != AgeBy::Trashed
    }

    /// What it says of a path below one of its roots.
    pub fn fit(&self, below: &[u8]) -> Fit {
        if self.rule.detect == Some(Detect::Trash) && !is_trash_part(self.layout, below) {
            return Fit::No;
        }
        if !self.take.is_empty() && !self.take.iter().any(|take| take.matches(below)) {
            return Fit::No;
        }
        if self.spare.iter().any(|spare| spare.matches(below)) {
            return Fit::Spares;
        }
        Fit::Takes
    }

    /// What it says of everything right in a folder, as far as the folder decides; nothing where only whole
    /// paths tell. `below` is the folder's path below one of its roots.
    pub(crate) fn fit_in_folder(&self, below: &[u8]) -> Option<FolderFit> {
        let reached = |patterns: &[PathPattern]| {
            let reached = patterns.iter().map(|pattern| pattern.reached_in(below));
            reached.collect()
        };
        (!self.is_by_path()).then(|| FolderFit {
            take: reached(&self.take),
            spare: reached(&self.spare),
        })
    }

    /// [`CompiledRule::fit`] of a name in such a folder.
    pub(crate) fn fit_of_name(&self, folder: &FolderFit, name: &[u8]) -> Fit {
        let matches = |patterns: &[PathPattern], reached: &[NfaStates]| {
            let mut both = patterns.iter().zip(reached);
            both.any(|(pattern, reached)| pattern.matches_in(*reached, name))
        };
        if !self.take.is_empty() && !matches(&self.take, &folder.take) {
            return Fit::No;
        }
        if matches(&self.spare, &folder.spare) {
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
            // A survey names each thing.
            && (self.rule.survey.is_none() || self.fit(below) == Fit::Takes)
            && (self.spare.is_empty()
                || !matches!(
                    (self.fit(below), self.fit(&inside)),
                    (Fit::Spares, _) | (_, Fit::Spares)
                ))
    }

    /// Whether its patterns take a folder below one of its roots, or what lies right in it.
    pub(crate) fn takes_in(&self, below: &[u8]) -> bool {
        let inside = [below, b"/sample"].concat();
        self.fit(below) == Fit::Takes || self.fit(&inside) == Fit::Takes
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

/// Compiles a list of patterns. Each has been looked at while parsing, so this doesn't fail; if it
/// did, a rule must not take more for it.
fn compile(file: &str, text: &str, patterns: &[String], layout: Layout) -> Compiled {
    let compiled = patterns.iter().map(|text| PathPattern::new(text, layout));
    compiled
        .collect::<Result<_, _>>()
        .map_err(|message| DocumentError {
            file: file.to_owned(),
            text: text.to_owned(),
            problems: vec![crate::format::Problem {
                message,
                span: 0..0,
                label: "this book".to_owned(),
                help: "look at its patterns".to_owned(),
            }],
        })
}

type Compiled = Result<Vec<PathPattern>, DocumentError>;

/// All rules in force: the technician's books first, then the built-in one; in a book the order
/// of the text. Behind them all come those of surveys.
#[derive(Clone, Debug, Default)]
pub struct RuleSet {
    rules: Vec<CompiledRule>,
    /// How many of them are of books.
    of_books: usize,
    digest: String,
}

impl RuleSet {
    /// Compiles books, given as file name and text, in the order in which they own things.
    ///
    /// # Errors
    /// The first book's mistakes; two books of one id, or a book of another layout.
    pub fn compile(books: &[(String, String)]) -> Result<Self, DocumentError> {
        let mut set = Self::default();
        let mut hasher = blake3::Hasher::new();
        for (file, text) in books {
            let (book, lines) = Rulebook::parse(file, text)?;
            hasher.update(text.as_bytes()).update(&[0]);
            let starts = format!("{}/", book.id);
            let is_known = |known: &CompiledRule| known.id.starts_with(&starts);
            if book.id == SURVEY_BOOK || set.rules.iter().any(is_known) {
                return Err(DocumentError {
                    file: file.clone(),
                    text: text.clone(),
                    problems: vec![crate::format::Problem {
                        message: format!("another rulebook is called \"{}\", too", book.id),
                        span: 0..0,
                        label: "this book".to_owned(),
                        help: "give each rulebook an id of its own".to_owned(),
                    }],
                });
            }
            for (rule, line) in book.rules.into_iter().zip(lines) {
                set.rules.push(CompiledRule {
                    id: format!("{}/{}", book.id, rule.id).into(),
                    file: file.clone(),
                    line,
                    layout: book.layout,
                    take: compile(file, text, &rule.take, book.layout)?,
                    spare: compile(file, text, &rule.spare, book.layout)?,
                    rule,
                });
            }
        }
        set.of_books = set.rules.len();
        if let Some(layout) = set.rules.first().map(|rule| rule.layout) {
            let surveys = Survey::ALL.iter().map(|survey| survey.rule(layout));
            set.rules.extend(surveys);
        }
        hasher
            .finalize()
            .to_hex()
            .to_string()
            .clone_into(&mut set.digest);
        Ok(set)
    }

    /// Every rule of a book with its number, in order.
    pub fn iter(&self) -> impl Iterator<Item = (RuleNumber, &CompiledRule)> {
        self.rules
            .iter()
            .enumerate()
            .take(self.of_books)
            .map(|(number, rule)| (RuleNumber(number), rule))
    }

    /// One rule.
    ///
    /// # Panics
    /// When the number is another set's.
    pub fn rule(&self, number: RuleNumber) -> &CompiledRule {
        &self.rules[number.0]
    }

    /// The rule of a search, as it takes things there.
    pub fn of_search<'a>(&'a self, search: &'a Search) -> &'a CompiledRule {
        search
            .naming
            .as_deref()
            .unwrap_or_else(|| self.rule(search.rule))
    }

    /// The rule of a survey, which comes last; none where there are no rules at all.
    pub(crate) fn of_survey(&self, survey: Survey) -> Option<(RuleNumber, &CompiledRule)> {
        let rules = self.rules.iter().enumerate().skip(self.of_books);
        let mut rules = rules.map(|(number, rule)| (RuleNumber(number), rule));
        rules.find(|(_, rule)| rule.rule.survey == Some(survey))
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
