//! How the shop starts, in one file for all computers.

use std::collections::BTreeMap;

use serde::Deserialize;
use toml::Spanned;
use toml_edit::{DocumentMut, Item, Table, value};

use crate::decide::user_files::reader::Reader;
use crate::decide::{Start, StartLimit, Starts};
use crate::format::DocumentError;
use crate::rule::{Class, Removal};

/// What the keys are, for whoever wrote another one.
const KEYS: &str = "the file has `[class.NAME]` with `starts` and `age`, and `[rule.\"book/rule\"]` with `starts`, \
     `age` and `by`";

/// What a fresh file begins with.
const HEAD: &str = "\
# How this shop starts to weigh, where that is not as the rules recommend.
#   [class.ask]                  spent, regrows, felt or ask
#   starts = \"taken\"             or \"left\"; a rule that says itself how it starts goes before
#   age = \"1 month\"              the least that its rules ask for
#   [rule.\"linux/system-temp\"]
#   starts, age = \"2 weeks\" or \"any age\", by = \"remove\", \"set-aside\" or \"overwrite\"
";

#[derive(Deserialize)]
#[serde(deny_unknown_fields)]
struct WrittenFile {
    #[serde(default)]
    class: BTreeMap<Spanned<String>, WrittenStart>,
    #[serde(default)]
    rule: BTreeMap<Spanned<String>, WrittenStart>,
}

#[derive(Deserialize)]
#[serde(deny_unknown_fields)]
struct WrittenStart {
    starts: Option<Spanned<String>>,
    age: Option<Spanned<String>>,
    by: Option<Spanned<String>>,
}

/// Reads how the shop starts.
///
/// # Errors
/// Every mistake in it, each with its place and what would be right.
pub fn read_starts(file: &str, text: &str) -> Result<Starts, DocumentError> {
    let mut reader = Reader::new(file, text);
    let written: WrittenFile = reader.document(KEYS)?;
    let mut starts = Starts::default();
    for (name, said) in written.class {
        if let Some(by) = &said.by {
            let message = "how things leave is said for a rule, not for a class";
            reader.refuse(by.span(), message, "this key", KEYS);
        }
        let known = |name: &str| Class::by_name(name).ok_or(format!("\"{name}\" is not a class"));
        let help = "the classes are: spent, regrows, felt, ask";
        if let Some(class) = reader.value(&name, known, help) {
            starts.set_class(class, start(&mut reader, &said));
        }
    }
    for (id, said) in written.rule {
        let read = start(&mut reader, &said);
        if !id.get_ref().contains('/') {
            let message = format!("\"{}\" is not a rule's whole id", id.get_ref());
            let help = "such as \"linux/system-temp\"; `jolly-broom rules list` names them all";
            reader.refuse(id.span(), message, "this id", help);
        }
        let id = reader.line(id);
        starts.set_rule(&id, read);
    }
    reader.finish(starts)
}

fn start(reader: &mut Reader<'_>, written: &WrittenStart) -> Start {
    let word = |text: &str| match text {
        "taken" => Ok(true),
        "left" => Ok(false),
        _ => Err(format!("\"{text}\" is not a start")),
    };
    let way =
        |text: &str| Removal::of_rules(text).ok_or(format!("\"{text}\" is not a way to remove"));
    let starts = written.starts.as_ref();
    let by = written.by.as_ref();
    Start {
        is_taken: starts
            .and_then(|text| reader.value(text, word, "it starts \"taken\" or \"left\"")),
        limit: written.age.as_ref().and_then(|text| {
            if text.get_ref() == ANY_AGE {
                return Some(StartLimit::AnyAge);
            }
            reader.age(text).map(StartLimit::From)
        }),
        by: by
            .and_then(|text| reader.value(text, way, "the ways are: remove, set-aside, overwrite")),
    }
}

/// What stands for no limit.
const ANY_AGE: &str = "any age";

/// Changes the file from `before` to `after`, and gives its new text: what somebody else wrote in
/// it meanwhile stays, and so do the comments. Without a text a new file is begun.
///
/// # Errors
/// When the file can't be read as it stands.
pub fn change_starts(
    file: &str,
    text: Option<&str>,
    before: &Starts,
    after: &Starts,
) -> Result<String, DocumentError> {
    let text = text.unwrap_or(HEAD);
    read_starts(file, text)?;
    // It was just read as TOML.
    let mut document = text.parse::<DocumentMut>().unwrap_or_default();
    for class in Class::ALL {
        let (old, new) = (before.classes.get(&class), after.classes.get(&class));
        if old != new {
            set(&mut document, "class", class.name(), new);
        }
    }
    let ids = before.rules.keys().chain(after.rules.keys());
    for id in ids.collect::<std::collections::BTreeSet<_>>() {
        let (old, new) = (before.rules.get(id), after.rules.get(id));
        if old != new {
            set(&mut document, "rule", id, new);
        }
    }
    Ok(document.to_string())
}

/// Says something else of one class or rule, or nothing any more.
fn set(document: &mut DocumentMut, group: &str, name: &str, start: Option<&Start>) {
    let implicit = || {
        let mut table = Table::new();
        table.set_implicit(true);
        Item::Table(table)
    };
    let group = document.entry(group).or_insert_with(implicit);
    let Some(group) = group.as_table_like_mut() else {
        return;
    };
    let Some(start) = start else {
        group.remove(name);
        return;
    };
    let own = group
        .entry(name)
        .or_insert_with(|| Item::Table(Table::new()));
    let Some(own) = own.as_table_like_mut() else {
        return;
    };
    let age = |limit: StartLimit| match limit {
        StartLimit::AnyAge => ANY_AGE.to_owned(),
        StartLimit::From(limit) => limit.to_string(),
    };
    let said = [
        (
            "starts",
            start
                .is_taken
                .map(|taken| if taken { "taken" } else { "left" }.to_owned()),
        ),
        ("age", start.limit.map(age)),
        ("by", start.by.map(|by| by.name().to_owned())),
    ];
    for (key, text) in said {
        match text {
            Some(text) => drop(own.insert(key, value(text))),
            None => drop(own.remove(key)),
        }
    }
}
