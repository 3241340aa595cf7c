//! From a rulebook's text to rules, with every mistake told at its place.

use std::collections::HashSet;
use std::ops::Range;

use toml::Spanned;

use crate::rulebook::guard::could_only_hit_guarded;
use crate::rulebook::written::{MOST_BYTES, WrittenAge, WrittenBook, WrittenExample, WrittenRule};
use crate::rulebook::{
    AgeBy, AgeLimit, AgeRule, Class, Detect, Example, Need, Problem, Removal, Rule, Rulebook,
    RulebookError, Verdict, Within, pattern,
};
use crate::target::{Layout, Place, TargetPath, is_harmless};

impl Rulebook {
    /// Reads a rulebook. The lines on which the rules start come with it, counted from 1.
    ///
    /// # Errors
    /// Every mistake in it, each with its place and what would be right.
    pub fn parse(file: &str, text: &str) -> Result<(Self, Vec<usize>), RulebookError> {
        let refuse = |problems| RulebookError {
            file: file.to_owned(),
            text: text.to_owned(),
            problems,
        };
        if text.len() > MOST_BYTES {
            return Err(RulebookError {
                file: file.to_owned(),
                text: String::new(),
                problems: vec![problem(
                    0..0,
                    "the file is too long for a rulebook",
                    "longer than 4 MiB",
                    "divide it into several books",
                )],
            });
        }
        let written: WrittenBook =
            toml::from_str(text).map_err(|error| refuse(vec![toml_problem(&error)]))?;
        let mut reader = Reader {
            problems: Vec::new(),
        };
        let lines = written
            .rule
            .iter()
            .map(|rule| line_of(text, rule.span().start))
            .collect();
        let book = reader.book(written);
        match book {
            Some(book) if reader.problems.is_empty() => Ok((book, lines)),
            _ => Err(refuse(reader.problems)),
        }
    }
}

fn line_of(text: &str, at: usize) -> usize {
    text.bytes().take(at).filter(|byte| *byte == b'\n').count() + 1
}

fn problem(
    span: Range<usize>,
    message: impl Into<String>,
    label: impl Into<String>,
    help: impl Into<String>,
) -> Problem {
    Problem {
        span,
        message: message.into(),
        label: label.into(),
        help: help.into(),
    }
}

/// What the TOML reader refused, in our words where it says too little.
fn toml_problem(error: &toml::de::Error) -> Problem {
    let message = error.message();
    let help = if message.starts_with("unknown field") {
        "a rulebook has `rulebook`, `layout`, `about` and `[[rule]]`; a rule has `id`, `title`, \
         `class`, `about`, `after`, `in`, `take`, `spare`, `age`, `empty-folders`, `needs`, \
         `starts`, `by`, `detect` and `[[rule.example]]`"
    } else if message.starts_with("missing field") {
        "add it; every rule says its `id`, `title`, `class`, `about`, `after` and `in`"
    } else {
        "a rulebook is a TOML 1.0 document"
    };
    problem(error.span().unwrap_or(0..0), message, "here", help)
}

/// The keys of a rule whose value is one word.
struct Words {
    needs: Option<Need>,
    starts: Option<bool>,
    by: Option<Removal>,
    detect: Option<Detect>,
}

struct Reader {
    problems: Vec<Problem>,
}

impl Reader {
    fn refuse(
        &mut self,
        span: Range<usize>,
        message: impl Into<String>,
        label: impl Into<String>,
        help: impl Into<String>,
    ) {
        self.problems.push(problem(span, message, label, help));
    }

    fn book(&mut self, written: WrittenBook) -> Option<Rulebook> {
        let id = self.id(&written.rulebook);
        let layout = match written.layout.get_ref().parse::<Layout>() {
            Ok(layout) => Some(layout),
            Err(error) => {
                let help = format!("the layouts are: {}", Layout::NAMES.join(", "));
                self.refuse(
                    written.layout.span(),
                    error.to_string(),
                    "this layout",
                    help,
                );
                None
            }
        };
        let mut seen = HashSet::new();
        let mut rules = Vec::new();
        for rule in written.rule {
            let id_span = rule.get_ref().id.span();
            if !seen.insert(rule.get_ref().id.get_ref().clone()) {
                let help = "give each rule of a book an id of its own";
                self.refuse(id_span, "two rules have the same id", "used before", help);
            }
            rules.extend(self.rule(rule.into_inner()));
        }
        Some(Rulebook {
            id,
            layout: layout?,
            about: written.about,
            rules,
        })
    }

    fn id(&mut self, written: &Spanned<String>) -> String {
        let text = written.get_ref();
        let is_plain = |letter: char| letter.is_ascii_lowercase() || letter.is_ascii_digit();
        if text.is_empty() || !text.chars().all(|letter| is_plain(letter) || letter == '-') {
            let help = "an id is made of small letters, digits and `-`, such as \"old-logs\"";
            self.refuse(
                written.span(),
                format!("\"{text}\" is not an id"),
                "this id",
                help,
            );
        }
        text.clone()
    }

    fn rule(&mut self, written: WrittenRule) -> Option<Rule> {
        let before = self.problems.len();
        let Words {
            needs,
            starts,
            by,
            detect,
        } = self.words(&written);
        let id = self.id(&written.id);
        if written.title.get_ref().trim().is_empty() {
            let help = "say in plain words what the thing is";
            self.refuse(written.title.span(), "a rule needs a title", "empty", help);
        }
        self.one_line(&written.title, "title");
        self.one_line(&written.about, "about");
        self.one_line(&written.after, "after");
        let class = self.word(
            &written.class,
            "class",
            Class::by_name,
            "spent, regrows, felt, ask",
        );
        let take = self.patterns(written.take.unwrap_or_default());
        let spare = self.patterns(written.spare.unwrap_or_default());
        let within_span = written.r#in.span();
        let within = self.within(written.r#in.into_inner(), &within_span, &take);
        let age = self.age(written.age);
        if age.by == AgeBy::Trashed && detect.is_none() {
            let help = "add `detect = \"trash\"`, or count the age from `changed`";
            self.refuse(
                written.id.span(),
                "only a trash knows dates of trashing",
                "this rule",
                help,
            );
        }
        let examples = written
            .example
            .into_iter()
            .filter_map(|one| self.example(one))
            .collect();
        let rule = Rule {
            id,
            title: written.title.into_inner(),
            class: class?,
            about: written.about.into_inner(),
            after: written.after.into_inner(),
            within,
            take,
            spare,
            age,
            empty_folders: written.empty_folders.unwrap_or(true),
            needs,
            starts_taken: starts,
            by,
            detect,
            examples,
        };
        if self.problems.len() == before
            && let Some(reason) = could_only_hit_guarded(&rule)
        {
            let help = "guards stand above all rules; look somewhere else, or leave the rule out";
            let message = format!("this rule could only ever hit what is guarded: {reason}");
            self.refuse(within_span, message, "all of it is guarded", help);
        }
        Some(rule)
    }

    /// A text that is shown: it must not be able to break a line or a terminal.
    fn one_line(&mut self, written: &Spanned<String>, key: &str) {
        if !written.get_ref().chars().all(is_harmless) {
            let message = format!("`{key}` holds a line break or another control character");
            let help = "say it in one line of plain text";
            self.refuse(written.span(), message, "this text", help);
        }
    }

    /// The keys whose value is one word out of a short list.
    fn words(&mut self, written: &WrittenRule) -> Words {
        let need = |word: &str| (word == "administrator").then_some(Need::Administrator);
        let start = |word: &str| match word {
            "taken" => Some(true),
            "left" => Some(false),
            _ => None,
        };
        let removal = |word: &str| match word {
            "remove" => Some(Removal::Remove),
            "set-aside" => Some(Removal::SetAside),
            _ => None,
        };
        let detect = |word: &str| (word == "trash").then_some(Detect::Trash);
        let needs = written.needs.as_ref();
        let starts = written.starts.as_ref();
        let by = written.by.as_ref();
        let detects = written.detect.as_ref();
        Words {
            needs: needs.and_then(|text| self.word(text, "need", need, "administrator")),
            starts: starts.and_then(|text| self.word(text, "start", start, "taken, left")),
            by: by.and_then(|text| self.word(text, "way to remove", removal, "remove, set-aside")),
            detect: detects.and_then(|text| self.word(text, "recogniser", detect, "trash")),
        }
    }

    /// A word out of a short list.
    fn word<T>(
        &mut self,
        written: &Spanned<String>,
        what: &str,
        known: impl Fn(&str) -> Option<T>,
        choices: &str,
    ) -> Option<T> {
        let found = known(written.get_ref());
        if found.is_none() {
            let message = format!("\"{}\" is not a {what}", written.get_ref());
            let help = format!("it is one of: {choices}");
            self.refuse(written.span(), message, format!("this {what}"), help);
        }
        found
    }

    fn patterns(&mut self, written: Vec<Spanned<String>>) -> Vec<String> {
        for text in &written {
            if let Err(message) = pattern::compile(text.get_ref()) {
                let help = "patterns are relative to each `in`: `*` and `?` stay within a name, \
                    `**` crosses folders, `[a-z]` and `{a,b}` choose";
                self.refuse(text.span(), message, "this pattern", help);
            }
        }
        written.into_iter().map(Spanned::into_inner).collect()
    }

    fn within(
        &mut self,
        written: Vec<Spanned<String>>,
        whole: &Range<usize>,
        take: &[String],
    ) -> Vec<Within> {
        if written.is_empty() {
            let help = "name at least one place, such as \"{cache}/thumbnails\"";
            self.refuse(whole.clone(), "a rule looks somewhere", "empty", help);
        }
        let mut found = Vec::new();
        for text in written {
            match read_within(text.get_ref(), take) {
                Ok(within) => found.push(within),
                Err((message, help)) => self.refuse(text.span(), message, "here", help),
            }
        }
        found
    }

    fn age(&mut self, written: Option<WrittenAge>) -> AgeRule {
        let Some(written) = written else {
            return AgeRule::default();
        };
        let by = written.by.and_then(|text| {
            let known = |word: &str| match word {
                "changed" => Some(AgeBy::Changed),
                "touched" => Some(AgeBy::Touched),
                "trashed" => Some(AgeBy::Trashed),
                _ => None,
            };
            self.word(&text, "time", known, "changed, touched, trashed")
        });
        let limit = written.limit.and_then(|text| self.limit(&text));
        AgeRule {
            limit,
            by: by.unwrap_or_default(),
        }
    }

    fn limit(&mut self, written: &Spanned<String>) -> Option<AgeLimit> {
        match written.get_ref().parse() {
            Ok(limit) => Some(limit),
            Err(error) => {
                let help = "such as \"3 days\", \"2 weeks\" or \"6 months\"";
                self.refuse(written.span(), error.to_string(), "this age", help);
                None
            }
        }
    }

    fn example(&mut self, written: WrittenExample) -> Option<Example> {
        if let Err(error) = TargetPath::new(written.path.get_ref().as_bytes()) {
            let help = "such as \"home/pia/.cache/thumbnails/large/5f0c.png\"";
            self.refuse(written.path.span(), error.to_string(), "this path", help);
        }
        let known = |word: &str| {
            let all = [
                Verdict::Taken,
                Verdict::Young,
                Verdict::Spared,
                Verdict::Guarded,
                Verdict::NotMine,
            ];
            all.into_iter().find(|verdict| verdict.name() == word)
        };
        let choices = "taken, young, spared, guarded, not-mine";
        let verdict = self.word(&written.verdict, "verdict", known, choices);
        let aged = written.aged.and_then(|text| self.limit(&text));
        Some(Example {
            path: written.path.into_inner(),
            aged,
            verdict: verdict?,
        })
    }
}

/// Reads one text of `in`.
fn read_within(text: &str, take: &[String]) -> Result<Within, (String, String)> {
    let refuse = |message: &str, help: &str| Err((message.to_owned(), help.to_owned()));
    let start = "start with a place in braces, such as \"{cache}/thumbnails\"";
    if text.contains('\\') {
        return refuse("`in` has no backslashes", "divide folders by `/`");
    }
    if text.starts_with('/') {
        return refuse("`in` is never an absolute path", start);
    }
    let Some((name, rest)) = text.strip_prefix('{').and_then(|rest| rest.split_once('}')) else {
        return refuse("`in` starts with a place", start);
    };
    let Some(place) = Place::by_name(name) else {
        let names: Vec<String> = Place::names().map(|name| format!("{{{name}}}")).collect();
        let help = format!("the places are: {}", names.join(" "));
        return Err((format!("there is no place {{{name}}}"), help));
    };
    let below: Vec<String> = match rest.strip_prefix('/') {
        None if rest.is_empty() => Vec::new(),
        None => return refuse("after a place comes `/` or nothing", start),
        Some(rest) => rest.split('/').map(str::to_owned).collect(),
    };
    for part in &below {
        if part == ".." || part == "." || part.is_empty() {
            return refuse(
                "`in` has no `..`, `.` or empty parts",
                "name the folder itself",
            );
        }
        if part.contains("**") {
            return refuse(
                "`in` names folders, so `**` has no place in it",
                "put `**` into `take`",
            );
        }
        pattern::compile(part).map_err(|message| (message, start.to_owned()))?;
    }
    let is_whole = matches!(place, Place::Root | Place::Home) && below.is_empty();
    if is_whole && (take.is_empty() || take.iter().any(|one| pattern::takes_everything(one))) {
        let message = format!("this takes everything in {{{name}}}");
        return Err((
            message,
            "name the folder below it, or what to take there".to_owned(),
        ));
    }
    Ok(Within { place, below })
}

#[cfg(test)]
mod tests {
    use super::*;

    fn rule(body: &str) -> String {
        format!(
            "rulebook = \"mine\"\nlayout = \"linux\"\n\n[[rule]]\nid = \"one\"\ntitle = \"One\"\n\
             class = \"spent\"\nabout = \"a\"\nafter = \"b\"\n{body}\n"
        )
    }

    #[test]
    fn every_mistake_is_told_with_its_line_and_what_would_be_right() {
        let cases = [
            ("in = [\"{cache}/../.ssh\"]", ":10:7", "no `..`"),
            ("in = [\"/etc\"]", ":10:7", "never an absolute path"),
            ("in = [\"{cache}\\\\x\"]", ":10:7", "backslash"),
            ("in = [\"{cahce}\"]", ":10:7", "there is no place {cahce}"),
            ("in = [\"{home}\"]", ":10:7", "takes everything in {home}"),
            (
                "in = [\"{root}\"]\ntake = [\"**/*\"]",
                ":10:7",
                "takes everything in {root}",
            ),
            (
                "in = [\"{cache}\"]\ntake = [\"../../.ssh/*\"]",
                ":11:9",
                "no `..`",
            ),
            (
                "in = [\"{cache}\"]\ntake = [\"[a\"]",
                ":11:9",
                "not a pattern",
            ),
            (
                "in = [\"{cache}\"]\nage = { limit = \"3 moonths\" }",
                ":11:17",
                "no known unit",
            ),
            ("in = [\"{cache}\"]\nages = 3", ":11:1", "unknown field"),
            (
                "in = [\"{home}/.ssh\"]",
                ":10:6",
                "only ever hit what is guarded",
            ),
            (
                "in = [\"{root}/usr/lib\"]",
                ":10:6",
                "only ever hit what is guarded",
            ),
            (
                "in = [\"{home}/Documents\"]",
                ":10:6",
                "only ever hit what is guarded",
            ),
            (
                "in = [\"{profile.gecko}\"]\ntake = [\"{logins.json,key4.db}\"]",
                ":10:6",
                "only ever hit what is guarded",
            ),
            (
                "in = [\"{cache}\"]\ndetect = \"x\\u001b[2J\"",
                ":11:10",
                "is not a recogniser",
            ),
            ("in = 3", ":10:6", "invalid type"),
            ("in = [\"{cache}\"", ":10:", ""),
        ];
        for (body, place, message) in cases {
            let error = Rulebook::parse("mine.toml", &rule(body))
                .unwrap_err()
                .to_string();
            assert!(
                error.contains(&format!("mine.toml{place}")),
                "{body}\n{error}"
            );
            assert!(error.contains(message), "{body}\n{error}");
            assert!(error.contains("help:"), "{body}\n{error}");
        }
        assert!(Rulebook::parse("mine.toml", &rule("in = [\"{cache}/x\"]")).is_ok());
    }
}
