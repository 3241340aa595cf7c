//! A rulebook as it is written: the shape of the TOML document.

use serde::{Deserialize, Serialize};
use toml::Spanned;

use crate::rule::parse::records::WrittenRecords;
use crate::rule::{AgeBy, ListFormat, Rule, Rulebook};

/// The most that a rulebook may hold; a longer file isn't one.
pub(crate) const MOST_BYTES: usize = 4 * 1024 * 1024;

#[derive(Debug, Serialize, Deserialize)]
#[serde(deny_unknown_fields)]
pub(crate) struct WrittenBook {
    pub rulebook: Spanned<String>,
    pub layout: Spanned<String>,
    #[serde(default)]
    pub about: String,
    #[serde(default, skip_serializing_if = "Vec::is_empty")]
    pub rule: Vec<Spanned<WrittenRule>>,
}

#[derive(Debug, Serialize, Deserialize)]
#[serde(deny_unknown_fields, rename_all = "kebab-case")]
pub(crate) struct WrittenRule {
    pub id: Spanned<String>,
    pub title: Spanned<String>,
    #[serde(skip_serializing_if = "Option::is_none")]
    pub section: Option<Spanned<String>>,
    pub class: Spanned<String>,
    pub about: Spanned<String>,
    pub after: Spanned<String>,
    #[serde(skip_serializing_if = "Option::is_none")]
    pub r#in: Option<Spanned<Vec<Spanned<String>>>>,
    #[serde(skip_serializing_if = "Option::is_none")]
    pub take: Option<Vec<Spanned<String>>>,
    #[serde(skip_serializing_if = "Option::is_none")]
    pub spare: Option<Vec<Spanned<String>>>,
    #[serde(skip_serializing_if = "Option::is_none")]
    pub empty_folders: Option<bool>,
    #[serde(skip_serializing_if = "Option::is_none")]
    pub only_seen: Option<Spanned<String>>,
    #[serde(skip_serializing_if = "Option::is_none")]
    pub needs: Option<Spanned<String>>,
    #[serde(skip_serializing_if = "Option::is_none")]
    pub starts: Option<Spanned<String>>,
    #[serde(skip_serializing_if = "Option::is_none")]
    pub by: Option<Spanned<String>>,
    #[serde(skip_serializing_if = "Option::is_none")]
    pub entries: Option<Spanned<String>>,
    #[serde(skip_serializing_if = "Option::is_none")]
    pub values: Option<Spanned<String>>,
    #[serde(skip_serializing_if = "Option::is_none")]
    pub detect: Option<Spanned<String>>,
    #[serde(skip_serializing_if = "Option::is_none")]
    pub looks_like: Option<Vec<Spanned<String>>>,
    #[serde(skip_serializing_if = "Option::is_none")]
    pub whole: Option<bool>,
    #[serde(skip_serializing_if = "Option::is_none")]
    pub larger_than: Option<Spanned<String>>,
    #[serde(skip_serializing_if = "Option::is_none")]
    pub busy: Option<Vec<Spanned<String>>>,
    #[serde(skip_serializing_if = "Option::is_none")]
    pub keep_newest: Option<WrittenKeep>,
    #[serde(skip_serializing_if = "Option::is_none")]
    pub age: Option<WrittenAge>,
    #[serde(skip_serializing_if = "Option::is_none")]
    pub records: Option<Spanned<WrittenRecords>>,
    #[serde(default, skip_serializing_if = "Vec::is_empty")]
    pub example: Vec<WrittenExample>,
}

#[derive(Debug, Serialize, Deserialize)]
#[serde(deny_unknown_fields)]
pub(crate) struct WrittenAge {
    #[serde(skip_serializing_if = "Option::is_none")]
    pub limit: Option<Spanned<String>>,
    #[serde(skip_serializing_if = "Option::is_none")]
    pub by: Option<Spanned<String>>,
}

#[derive(Debug, Serialize, Deserialize)]
#[serde(deny_unknown_fields)]
pub(crate) struct WrittenKeep {
    pub count: Spanned<i64>,
    pub per: Spanned<String>,
}

#[derive(Debug, Serialize, Deserialize)]
#[serde(deny_unknown_fields)]
pub(crate) struct WrittenExample {
    pub path: Spanned<String>,
    #[serde(skip_serializing_if = "Option::is_none")]
    pub aged: Option<Spanned<String>>,
    #[serde(skip_serializing_if = "Option::is_none")]
    pub contents: Option<Spanned<String>>,
    pub verdict: Spanned<String>,
}

fn nowhere(text: &(impl ToString + ?Sized)) -> Spanned<String> {
    Spanned::new(0..0, text.to_string())
}

fn list(texts: &[String]) -> Option<Vec<Spanned<String>>> {
    (!texts.is_empty()).then(|| texts.iter().map(nowhere).collect())
}

/// A number of bytes, exactly, in the largest unit that holds it whole.
pub fn written_size(bytes: u64) -> String {
    const UNITS: [(u64, &str); 4] = [
        (1 << 40, "TiB"),
        (1 << 30, "GiB"),
        (1 << 20, "MiB"),
        (1 << 10, "KiB"),
    ];
    let whole = UNITS
        .iter()
        .find(|(unit, _)| bytes > 0 && bytes.is_multiple_of(*unit));
    match whole {
        Some((unit, name)) => format!("{} {name}", bytes / unit),
        None => format!("{bytes} B"),
    }
}

impl From<&Rule> for WrittenRule {
    fn from(rule: &Rule) -> Self {
        let by =
            (rule.age.by != AgeBy::usual_of(rule.entries)).then(|| nowhere(rule.age.by.name()));
        let limit = rule.age.limit.as_ref().map(nowhere);
        Self {
            id: nowhere(&rule.id),
            title: nowhere(&rule.title),
            section: rule.section.map(|section| nowhere(section.name())),
            class: nowhere(rule.class.name()),
            about: nowhere(&rule.about),
            after: nowhere(&rule.after),
            r#in: Some(Spanned::new(
                0..0,
                rule.within.iter().map(nowhere).collect(),
            )),
            take: list(&rule.take),
            spare: list(&rule.spare),
            empty_folders: Some(rule.empty_folders),
            only_seen: rule.only_seen.as_ref().map(nowhere),
            needs: rule.needs.map(|_| nowhere("administrator")),
            starts: rule
                .starts_taken
                .map(|taken| nowhere(if taken { "taken" } else { "left" })),
            by: rule.by.map(|by| nowhere(by.name())),
            values: rule.values.map(|kind| nowhere(kind.name())),
            entries: (rule
                .entries
                .filter(|format| ListFormat::LISTS.contains(format)))
            .map(|format| nowhere(format.name())),
            records: rule
                .records
                .as_ref()
                .map(|set| Spanned::new(0..0, (&**set).into())),
            detect: rule.detect.map(|detect| nowhere(detect.name())),
            looks_like: list(
                &rule
                    .looks_like
                    .iter()
                    .map(|kind| kind.name().to_owned())
                    .collect::<Vec<_>>(),
            ),
            whole: rule.whole.then_some(true),
            larger_than: rule.larger_than.map(|bytes| nowhere(&written_size(bytes))),
            busy: list(&rule.busy),
            keep_newest: rule.keep_newest.map(|keep| WrittenKeep {
                count: Spanned::new(0..0, i64::from(keep.count)),
                per: nowhere(keep.per.name()),
            }),
            age: (limit.is_some() || by.is_some()).then_some(WrittenAge { limit, by }),
            example: rule
                .examples
                .iter()
                .map(|example| WrittenExample {
                    path: nowhere(&example.path),
                    aged: example.aged.as_ref().map(nowhere),
                    contents: example.contents.map(|kind| nowhere(kind.name())),
                    verdict: nowhere(example.verdict.name()),
                })
                .collect(),
        }
    }
}

impl std::fmt::Display for Rulebook {
    fn fmt(&self, out: &mut std::fmt::Formatter<'_>) -> std::fmt::Result {
        let written = WrittenBook {
            rulebook: nowhere(&self.id),
            layout: nowhere(self.layout.name()),
            about: self.about.clone(),
            rule: self
                .rules
                .iter()
                .map(|rule| Spanned::new(0..0, rule.into()))
                .collect(),
        };
        out.write_str(&toml::to_string(&written).ok().ok_or(std::fmt::Error)?)
    }
}
