//! The values of a rule's keys.

use std::ops::Range;

use bytesize::ByteSize;
use toml::Spanned;

use crate::computer::{Layout, Place, TargetPath, is_pattern};
use crate::rule::parse::Reader;
use crate::rule::parse::written::{WrittenAge, WrittenExample, WrittenKeep, WrittenRule};
use crate::rule::pattern::path::PathPattern;
use crate::rule::{
    AgeBy, AgeLimit, AgeRule, Detect, Example, Family, FileKind, KeepNewest, ListFormat, Need,
    ReferenceKind, Removal, Section, Verdict, Within, pattern,
};

/// The keys of a rule whose value is one word.
pub(crate) struct Words {
    pub needs: Option<Need>,
    pub starts: Option<bool>,
    pub by: Option<Removal>,
    pub entries: Option<ListFormat>,
    pub values: Option<ReferenceKind>,
    pub detect: Option<Detect>,
    pub section: Option<Section>,
}

impl Reader {
    /// The keys whose value is one word out of a short list.
    pub(crate) fn words(&mut self, written: &WrittenRule) -> Words {
        let need = |word: &str| (word == "administrator").then_some(Need::Administrator);
        let start = |word: &str| match word {
            "taken" => Some(true),
            "left" => Some(false),
            _ => None,
        };
        let needs = written.needs.as_ref();
        let starts = written.starts.as_ref();
        let by = written.by.as_ref();
        let detects = written.detect.as_ref();
        let detects_known = Detect::ALL.map(Detect::name).join(", ");
        Words {
            needs: needs.and_then(|text| self.word(text, "need", need, "administrator")),
            starts: starts.and_then(|text| self.word(text, "start", start, "taken, left")),
            by: by.and_then(|text| {
                self.word(
                    text,
                    "way to remove",
                    Removal::of_rules,
                    "remove, set-aside, overwrite",
                )
            }),
            section: (written.section.as_ref()).and_then(|text| {
                let known = Section::ALL.map(Section::name).join(", ");
                self.word(text, "section", Section::by_name, &known)
            }),
            entries: (written.entries.as_ref()).and_then(|text| {
                let known = ListFormat::LISTS.map(ListFormat::name).join(", ");
                self.word(text, "format of lists", ListFormat::by_name, &known)
            }),
            values: (written.values.as_ref()).and_then(|text| {
                let known = ReferenceKind::ALL.map(ReferenceKind::name).join(", ");
                self.word(text, "sort of values", ReferenceKind::by_name, &known)
            }),
            detect: detects
                .and_then(|text| self.word(text, "recogniser", Detect::by_name, &detects_known)),
        }
    }

    /// A word out of a short list.
    pub(crate) fn word<T>(
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

    pub(crate) fn patterns(&mut self, written: Vec<Spanned<String>>) -> Vec<String> {
        for text in &written {
            if let Err(message) = PathPattern::new(text.get_ref(), self.layout) {
                let help = "patterns are relative to each `in`: `*` and `?` stay within a name, \
                    `**` crosses folders, `[a-z]` and `{a,b}` choose";
                self.refuse(text.span(), message, "this pattern", help);
            }
        }
        written.into_iter().map(Spanned::into_inner).collect()
    }

    pub(crate) fn within(
        &mut self,
        written: Vec<Spanned<String>>,
        whole: &Range<usize>,
        take: &[String],
        is_whole_meant: bool,
    ) -> Vec<Within> {
        if written.is_empty() {
            let help = "name at least one place, such as \"{cache}/thumbnails\"";
            self.refuse(whole.clone(), "a rule looks somewhere", "empty", help);
        }
        let mut found = Vec::new();
        for text in written {
            match read_within(text.get_ref(), take, self.layout, is_whole_meant) {
                Ok(within) => found.push(within),
                Err((message, help)) => self.refuse(text.span(), message, "here", help),
            }
        }
        found
    }

    /// An age rule; what it counts from is `usual` where the rule doesn't say.
    pub(crate) fn age(&mut self, written: Option<WrittenAge>, usual: AgeBy) -> AgeRule {
        let Some(written) = written else {
            return AgeRule {
                limit: None,
                by: usual,
            };
        };
        let by = written.by.and_then(|text| {
            let known = |word: &str| AgeBy::ALL.into_iter().find(|by| by.name() == word);
            self.word(
                &text,
                "time",
                known,
                "arrived, touched, modified, trashed, row",
            )
        });
        let limit = written.limit.and_then(|text| self.limit(&text));
        AgeRule {
            limit,
            by: by.unwrap_or(usual),
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

    pub(crate) fn example(&mut self, written: WrittenExample) -> Option<Example> {
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
        let contents = written.contents.and_then(|text| self.file_kind(&text));
        Some(Example {
            path: written.path.into_inner(),
            aged,
            contents,
            verdict: verdict?,
        })
    }

    /// Kinds of files, told by their bytes.
    pub(crate) fn file_kinds(&mut self, written: &[Spanned<String>]) -> Vec<FileKind> {
        let kinds = written.iter().filter_map(|text| self.file_kind(text));
        kinds.collect()
    }

    fn file_kind(&mut self, written: &Spanned<String>) -> Option<FileKind> {
        let known = FileKind::ALL.map(FileKind::name).join(", ");
        self.word(written, "kind of file", FileKind::by_name, &known)
    }

    /// A number of bytes, such as `100 MiB`.
    pub(crate) fn size(&mut self, written: &Spanned<String>) -> Option<u64> {
        match written.get_ref().parse::<ByteSize>() {
            Ok(size) if size.as_u64() > 0 => Some(size.as_u64()),
            _ => {
                let message = format!("\"{}\" is not a size", written.get_ref());
                let help = "such as \"100 MiB\" or \"2 GiB\"";
                self.refuse(written.span(), message, "this size", help);
                None
            }
        }
    }

    pub(crate) fn keep(&mut self, written: &WrittenKeep) -> Option<KeepNewest> {
        let known = |word: &str| Family::ALL.into_iter().find(|per| per.name() == word);
        let per = self.word(&written.per, "family", known, "folder, stem, source");
        let count = u32::try_from(*written.count.get_ref())
            .ok()
            .filter(|count| *count > 0);
        if count.is_none() {
            let message = format!(
                "{} is not a number of things to keep",
                written.count.get_ref()
            );
            let help = "keep at least 1";
            self.refuse(written.count.span(), message, "this number", help);
        }
        Some(KeepNewest {
            count: count?,
            per: per?,
        })
    }

    /// Families of programs: `chromium`, `gecko`, or a program's own name.
    pub(crate) fn families(&mut self, written: Vec<Spanned<String>>) -> Vec<String> {
        for text in &written {
            let is_name = |letter: char| letter.is_ascii_alphanumeric() || "._+-".contains(letter);
            let path = text.get_ref().strip_prefix("{root}/");
            let is_path = path.is_some_and(|path| {
                !is_pattern(path) && TargetPath::new(path).is_ok_and(|path| !path.is_root())
            });
            let is_name = !text.get_ref().is_empty() && text.get_ref().chars().all(is_name);
            if !is_path && !is_name {
                let message = format!("\"{}\" is not a program's name", text.get_ref());
                let help = "such as \"chromium\", \"gecko\", a program's own name, or \"{root}/\" and the \
                    path of what lies there while work is under way";
                self.refuse(text.span(), message, "this name", help);
            }
        }
        written.into_iter().map(Spanned::into_inner).collect()
    }
}

/// Reads one text of `in`.
fn read_within(
    text: &str,
    take: &[String],
    layout: Layout,
    is_whole_meant: bool,
) -> Result<Within, (String, String)> {
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
        pattern::compile(part, layout).map_err(|message| (message, start.to_owned()))?;
    }
    let is_whole = matches!(place, Place::Root | Place::Home) && below.is_empty();
    if is_whole
        && !is_whole_meant
        && (take.is_empty() || take.iter().any(|one| pattern::takes_everything(one)))
    {
        let message = format!("this takes everything in {{{name}}}");
        return Err((
            message,
            "name the folder below it, or what to take there".to_owned(),
        ));
    }
    Ok(Within { place, below })
}
