//! From a rulebook's text to rules, with every mistake told at its place.

mod records;
#[cfg(test)]
mod tests;
mod values;
pub(super) mod written;

use std::collections::HashSet;
use std::ops::Range;
use std::sync::Arc;

use toml::Spanned;

use crate::computer::{Layout, Place};
use crate::format::{DocumentError, Problem, is_harmless};
use crate::rule::check::reach::reaches_most_of_a_home;
use crate::rule::guard::could_only_hit_guarded;
use crate::rule::parse::records::{WrittenRecords, all_of, divided};
use crate::rule::parse::written::{MOST_BYTES, WrittenBook, WrittenRule};
use crate::rule::{
    AgeBy, AgeRule, Class, Detect, Family, ListFormat, RecordSet, Removal, Rule, Rulebook, Within,
};

impl Rulebook {
    /// Reads a rulebook. The lines on which the rules start come with it, counted from 1.
    ///
    /// # Errors
    /// Every mistake in it, each with its place and what would be right.
    pub fn parse(file: &str, text: &str) -> Result<(Self, Vec<usize>), DocumentError> {
        let refuse = |problems| DocumentError {
            file: file.to_owned(),
            text: text.to_owned(),
            problems,
        };
        if text.len() > MOST_BYTES {
            return Err(DocumentError {
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
            layout: Layout::default(),
        };
        let starts = written.rule.iter().map(|rule| rule.span().start);
        let lines = lines_of(text, starts);
        let book = reader.book(written);
        match book {
            Some(book) if reader.problems.is_empty() => Ok((book, lines)),
            _ => Err(refuse(reader.problems)),
        }
    }
}

/// The lines, counted from 1, on which these places lie; each place comes after the one before.
fn lines_of(text: &str, places: impl Iterator<Item = usize>) -> Vec<usize> {
    let (mut from, mut line) = (0, 1);
    let of_place = |place: usize| {
        let between = text.get(from..place).unwrap_or_default();
        line += between.matches('\n').count();
        from = place.max(from);
        line
    };
    places.map(of_place).collect()
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
         `section`, `class`, `about`, `after`, `in`, `take`, `spare`, `age`, `empty-folders`, `needs`, \
         `starts`, `by`, `entries`, `detect`, `looks-like`, `whole`, `larger-than`, `keep-newest`, `busy`, `[rule.records]` and \
         `[[rule.example]]`; of `records` there are `database`, `table`, `time`, `site`, `only`, `but` and `also`; \
         `values` comes with a later version"
    } else if message.starts_with("missing field") {
        "add it; every rule says its `id`, `title`, `class`, `about`, `after` and `in`"
    } else {
        "a rulebook is a TOML 1.0 document"
    };
    problem(error.span().unwrap_or(0..0), message, "here", help)
}

struct Reader {
    problems: Vec<Problem>,
    /// How the book's patterns compare names.
    layout: Layout,
}

/// Whether a place is somebody's own: services don't make their folders anew, and some don't start without them.
fn is_somebodys(within: &Within) -> bool {
    within.place.is_per_account() || within.place == Place::Temp
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
        self.layout = layout.unwrap_or_default();
        let mut seen = HashSet::new();
        for rule in &written.rule {
            let id = &rule.get_ref().id;
            if !seen.insert(id.get_ref().clone()) {
                let help = "give each rule of a book an id of its own";
                self.refuse(id.span(), "two rules have the same id", "used before", help);
            }
        }
        let rules = written.rule.into_iter();
        let rules = rules
            .filter_map(|rule| self.rule(rule.into_inner()))
            .collect();
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

    fn rule(&mut self, mut written: WrittenRule) -> Option<Rule> {
        let before = self.problems.len();
        let (records, records_span) = self.rows_of(&mut written);
        let wanted_in = self.wanted_in(&mut written)?;
        let words = self.words(&written);
        let id = self.id(&written.id);
        self.said(&written);
        let class = self.word(
            &written.class,
            "class",
            Class::by_name,
            "spent, regrows, felt, ask",
        );
        let take = self.patterns(written.take.unwrap_or_default());
        let spare = self.patterns(written.spare.unwrap_or_default());
        let within_span = wanted_in.span();
        let entries = (records.as_ref().map(|_| ListFormat::Rows))
            .or(words.values.map(|_| ListFormat::Registry))
            .or(words.entries);
        // A home as a whole is for the recogniser alone that says whose home it is.
        let is_whole_meant = words.detect.is_some_and(Detect::looks_inside)
            || entries == Some(ListFormat::Snapshots);
        let within = self.within(wanted_in.into_inner(), &within_span, &take, is_whole_meant);
        let are_own = within.iter().all(is_somebodys);
        let age = self.age(written.age, AgeBy::usual_of(entries));
        let looks_like = self.file_kinds(&written.looks_like.unwrap_or_default());
        let larger_than = written.larger_than.and_then(|text| self.size(&text));
        let keep_newest = written.keep_newest.and_then(|keep| self.keep(&keep));
        let busy = self.families(written.busy.unwrap_or_default());
        self.trashed(&written.id, age, words.detect);
        let examples = written
            .example
            .into_iter()
            .filter_map(|one| self.example(one))
            .collect();
        let rule = Rule {
            id,
            title: written.title.into_inner(),
            section: words.section,
            class: class?,
            about: written.about.into_inner(),
            after: written.after.into_inner(),
            within,
            take,
            spare,
            age,
            empty_folders: written
                .empty_folders
                .unwrap_or(are_own && entries.is_none()),
            only_seen: written.only_seen.map(Spanned::into_inner),
            needs: words.needs,
            starts_taken: words.starts,
            by: words.by,
            entries,
            records,
            values: words.values,
            detect: words.detect,
            looks_like,
            whole: written.whole.unwrap_or(false),
            larger_than,
            keep_newest,
            busy,
            survey: None,
            examples,
        };
        self.listed(&rule, records_span.unwrap_or_else(|| written.id.span()));
        if self.problems.len() == before {
            self.reach(&rule, within_span);
        }
        Some(rule)
    }

    /// Where a rule looks, as it is written.
    fn wanted_in(&mut self, written: &mut WrittenRule) -> Option<Spanned<Vec<Spanned<String>>>> {
        let found = written.r#in.take();
        if found.is_none() {
            let help =
                "add it; every rule says its `id`, `title`, `class`, `about`, `after` and `in`";
            self.refuse(written.id.span(), "missing field `in`", "this rule", help);
        }
        found
    }

    /// The rows that a rule asks for, and where it says so.
    fn rows_of(
        &mut self,
        written: &mut WrittenRule,
    ) -> (Option<Arc<RecordSet>>, Option<Range<usize>>) {
        let Some(records) = written.records.take() else {
            return (None, None);
        };
        let span = records.span();
        let records = records.into_inner();
        self.databases(&records, written);
        (self.records(&records), Some(span))
    }

    /// The databases that a rule names stand for where it looks and what it takes there.
    fn databases(&mut self, records: &WrittenRecords, written: &mut WrittenRule) {
        let Some(databases) = &records.database else {
            return;
        };
        let within = written.r#in.as_ref().map(Spanned::span);
        let take = written.take.as_ref().map(|_| written.id.span());
        if let Some(span) = within.or(take) {
            let help = "keep one of the two: `database`, or `in` with `take`";
            let message = "`database` says already where the rule looks";
            self.refuse(span, message, "beside it", help);
            return;
        }
        let (mut within, mut take): (Vec<Spanned<String>>, Vec<_>) = (Vec::new(), Vec::new());
        for database in all_of(databases) {
            let Some((place, below)) = divided(&database) else {
                let help =
                    "a place in braces and a path below it, such as \"{profile.chromium}/Cookies\"";
                let message = format!("\"{}\" is not a database", database.get_ref());
                self.refuse(database.span(), message, "here", help);
                continue;
            };
            if !within
                .iter()
                .any(|known| known.get_ref() == place.get_ref())
            {
                within.push(place);
            }
            take.push(below);
        }
        let span = within.first().map_or(0..0, Spanned::span);
        written.r#in = Some(Spanned::new(span, within));
        written.take = Some(take);
    }

    /// What only makes sense of entries, and what doesn't of them.
    fn listed(&mut self, rule: &Rule, at: Range<usize>) {
        let Some(format) = rule.entries else {
            if rule.detect == Some(Detect::ReferenceGone) {
                let help = "add `values`, such as `values = \"run-entries\"`";
                let message = "only a registry holds such references";
                self.refuse(at.clone(), message, "this rule", help);
            }
            if rule
                .keep_newest
                .is_some_and(|keep| keep.per == Family::Source)
            {
                let help =
                    "add `entries = \"snapshots\"`, or keep the newest per `folder` or `stem`";
                let message = "only restore points were made from something";
                self.refuse(at.clone(), message, "this rule", help);
            }
            if rule.age.by == AgeBy::Row {
                let help = "add `entries = \"xbel\"`, or leave `by = \"row\"` out";
                let message = "only the entries of a list have a date of their own";
                self.refuse(at, message, "this rule", help);
            }
            return;
        };
        let is_detected = match format {
            ListFormat::Xbel => matches!(rule.detect, None | Some(Detect::DocumentGone)),
            // Who opens what is a setting, unless it can't any more.
            ListFormat::MimeApps => rule.detect == Some(Detect::DocumentGone),
            ListFormat::Rows => rule.detect.is_none(),
            // What a registry says of a program that is there is never taken, and nothing of it without a question.
            ListFormat::Registry => {
                rule.detect == Some(Detect::ReferenceGone) && rule.class == Class::Ask
            }
            ListFormat::Snapshots => {
                rule.detect.is_none()
                    && rule.class == Class::Ask
                    && rule.by == Some(Removal::Remove)
                    && rule
                        .keep_newest
                        .is_some_and(|keep| keep.per == Family::Source)
            }
        };
        let keeps = rule.keep_newest.is_some() && format != ListFormat::Snapshots;
        let has_other = !is_detected
            || !rule.looks_like.is_empty()
            || rule.whole
            || rule.larger_than.is_some()
            || keeps
            || rule.empty_folders
            || rule.age.by != AgeBy::Row
            || rule.by == Some(Removal::Overwrite);
        if has_other {
            let asks = match format {
                ListFormat::Xbel => "`entries = \"xbel\"`",
                ListFormat::MimeApps => "`entries = \"mime-apps\"`",
                ListFormat::Rows => "`records`",
                ListFormat::Registry => "`values`",
                ListFormat::Snapshots => "`entries = \"snapshots\"`",
            };
            let message = format!("a rule with {asks} asks for what only files have");
            let help = "leave out `looks-like`, `whole`, `larger-than`, `keep-newest`, `empty-folders`, \
                        `by = \"overwrite\"`, an age by anything but `row`, and any recogniser but \
                        `document-gone` for entries; `values` needs class `ask` and `reference-gone`, `snapshots` \
                        class `ask`, `by = \"remove\"` and `keep-newest` per `source`";
            self.refuse(at, message, "this rule", help);
        }
    }

    /// What a rule could reach must not be guarded altogether, nor be most of a home.
    fn reach(&mut self, rule: &Rule, within: Range<usize>) {
        // No file can be a restore point, and a guard is asked about each.
        if rule.entries == Some(ListFormat::Snapshots) {
            return;
        }
        if let Some(reason) = could_only_hit_guarded(rule, self.layout) {
            let help = "guards stand above all rules; look somewhere else, or leave the rule out";
            let message = format!("this rule could only ever hit what is guarded: {reason}");
            self.refuse(within, message, "all of it is guarded", help);
        } else if reaches_most_of_a_home(rule, self.layout) {
            let help = "name the folders and files that it is about";
            let message = "this could reach more than half of somebody's home".to_owned();
            self.refuse(within, message, "all of this together", help);
        }
    }

    /// What a rule says of itself.
    fn said(&mut self, written: &WrittenRule) {
        if written.title.get_ref().trim().is_empty() {
            let help = "say in plain words what the thing is";
            self.refuse(written.title.span(), "a rule needs a title", "empty", help);
        }
        self.one_line(&written.title, "title");
        self.one_line(&written.about, "about");
        self.one_line(&written.after, "after");
        if let Some(why) = &written.only_seen {
            self.one_line(why, "only-seen");
        }
    }

    /// Only a trash knows when a thing was thrown away.
    fn trashed(&mut self, id: &Spanned<String>, age: AgeRule, detect: Option<Detect>) {
        if age.by == AgeBy::Trashed && detect != Some(Detect::Trash) {
            let help = "add `detect = \"trash\"`, or count the age from `arrived`";
            self.refuse(
                id.span(),
                "only a trash knows dates of trashing",
                "this rule",
                help,
            );
        }
    }

    /// A text that is shown: it must not be able to break a line or a terminal.
    fn one_line(&mut self, written: &Spanned<String>, key: &str) {
        if !written.get_ref().chars().all(is_harmless) {
            let message = format!("`{key}` holds a line break or another control character");
            let help = "say it in one line of plain text";
            self.refuse(written.span(), message, "this text", help);
        }
    }
}
