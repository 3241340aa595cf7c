//! The two files of exclusions: of all computers, and of one.

use base64::Engine as _;
use base64::engine::general_purpose::STANDARD;
use bytesize::ByteSize;
use jiff::civil::Date;
use serde::Deserialize;
use toml::Spanned;
use toml::value::Datetime;
use toml_edit::{DocumentMut, Item, Table, value};

use crate::computer::TargetPath;
use crate::decide::user_files::reader::Reader;
use crate::decide::{Exclusion, Scope, Spares, Spot};
use crate::format::{DocumentError, Site};
use crate::rule::written_size;
use crate::state::user_file::tables_of;

/// What the keys are, for whoever wrote another one.
const KEYS: &str = "a file of exclusions has `[[exclusion]]` with one or more of `path`, `path-base64`, \
     `pattern`, `site`, `rule`, `account`, `larger-than`, `younger-than`; and `why`, `since`, `suspended`";

/// What a fresh file begins with.
const HEAD: &str = "\
# What Jolly Broom spares. Each [[exclusion]] spares whatever fits all that it says:
#   path = \"home/pia/letters\"   one thing below the computer's root, and all below it
#   pattern = \"*.iso\"           names; with a / in it, whole paths
#   site = \"tides.example\"      cookies, visits and storage of a web site
#   rule, account, larger-than = \"2 GiB\", younger-than = \"3 days\"
# why, since and suspended = true say more about it.
";

#[derive(Deserialize)]
#[serde(deny_unknown_fields)]
struct WrittenFile {
    #[serde(default)]
    exclusion: Vec<Spanned<WrittenExclusion>>,
}

#[derive(Deserialize)]
#[serde(deny_unknown_fields, rename_all = "kebab-case")]
struct WrittenExclusion {
    path: Option<Spanned<String>>,
    path_base64: Option<Spanned<String>>,
    pattern: Option<Spanned<String>>,
    site: Option<Spanned<String>>,
    rule: Option<Spanned<String>>,
    account: Option<Spanned<String>>,
    larger_than: Option<Spanned<String>>,
    younger_than: Option<Spanned<String>>,
    why: Option<Spanned<String>>,
    since: Option<Spanned<Datetime>>,
    suspended: Option<bool>,
}

/// Reads a file of exclusions that count in `scope`.
///
/// # Errors
/// Every mistake in it, each with its place and what would be right.
pub fn read_exclusions(
    file: &str,
    text: &str,
    scope: Scope,
) -> Result<Vec<Exclusion>, DocumentError> {
    let mut reader = Reader::new(file, text);
    let written: WrittenFile = reader.document(KEYS)?;
    let mut all: Vec<(Exclusion, usize)> = Vec::new();
    for one in written.exclusion {
        let span = one.span();
        let Some(exclusion) = exclusion(&mut reader, one, scope) else {
            continue;
        };
        let same = all
            .iter()
            .find(|(known, _)| known.spares == exclusion.spares);
        if let Some((_, line)) = same {
            let message = format!("line {line} spares the same already");
            let help = "leave one of the two out";
            reader.refuse(span.clone(), message, "said again", help);
        }
        let line = reader.line_of(span.start);
        all.push((exclusion, line));
    }
    reader.finish(all.into_iter().map(|(exclusion, _)| exclusion).collect())
}

fn exclusion(
    reader: &mut Reader<'_>,
    written: Spanned<WrittenExclusion>,
    scope: Scope,
) -> Option<Exclusion> {
    let span = written.span();
    let written = written.into_inner();
    let spots = [
        &written.path,
        &written.path_base64,
        &written.pattern,
        &written.site,
    ];
    if let [_, second, ..] = spots.into_iter().flatten().collect::<Vec<_>>().as_slice() {
        let help = "keep one of `path`, `path-base64`, `pattern` and `site`; make another [[exclusion]] of the other";
        let message = "an exclusion says only once where things lie";
        reader.refuse(second.span(), message, "said again", help);
        return None;
    }
    let from_inside =
        |bytes: &[u8]| TargetPath::from_inside(bytes).map_err(|error| error.to_string());
    let help = "a path below the computer's root, such as \"home/pia/letters\"";
    let path = match (&written.path, &written.path_base64) {
        (Some(text), _) => Some(reader.value(text, |text| from_inside(text.as_bytes()), help)?),
        (None, Some(text)) => {
            let read = |text: &str| {
                let bytes = STANDARD.decode(text).map_err(|error| error.to_string())?;
                from_inside(&bytes)
            };
            Some(reader.value(text, read, "the path's bytes in base64 (RFC 4648)")?)
        }
        (None, None) => None,
    };
    let site = |text: &str| {
        Site::of_host_or_address(text).ok_or_else(|| format!("\"{text}\" is not a site"))
    };
    let site = match &written.site {
        Some(text) => Some(reader.value(text, site, "its domain, such as \"tides.example\"")?),
        None => None,
    };
    let spot = match (path, &written.pattern) {
        _ if site.is_some() => site.map(Spot::Site),
        (Some(path), _) if path.is_root() => {
            let message = "the root of a computer can't be spared";
            reader.refuse(span, message, "this one", "name something below it");
            return None;
        }
        (Some(path), _) => Some(Spot::Path(path)),
        (None, Some(pattern)) => {
            reader
                .value(
                    pattern,
                    Spares::pattern,
                    "such as \"*.iso\" or \"home/*/letters\"",
                )?
                .spot
        }
        (None, None) => None,
    };
    let size = |text: &str| match text.parse::<ByteSize>() {
        Ok(size) => Ok(size.as_u64()),
        Err(_) => Err(format!("\"{text}\" is not a size")),
    };
    let larger_than = match &written.larger_than {
        Some(text) => Some(reader.value(text, size, "such as \"100 MiB\" or \"2 GiB\"")?),
        None => None,
    };
    let younger_than = match &written.younger_than {
        Some(text) => Some(reader.age(text)?),
        None => None,
    };
    let spares = Spares {
        spot,
        rule: written.rule.map(|text| reader.line(text)),
        account: written.account.map(|text| reader.line(text)),
        larger_than,
        younger_than,
    };
    if spares == Spares::default() {
        reader.refuse(
            span,
            "it says nothing that could be spared",
            "this one",
            KEYS,
        );
        return None;
    }
    Some(Exclusion {
        spares,
        why: written
            .why
            .map(|text| reader.line(text))
            .unwrap_or_default(),
        since: written.since.as_ref().and_then(|day| date(reader, day)),
        scope,
        is_suspended: written.suspended.unwrap_or(false),
    })
}

/// A date without a time.
fn date(reader: &mut Reader<'_>, written: &Spanned<Datetime>) -> Option<Date> {
    let read = written.get_ref().date.and_then(|date| {
        let year = i16::try_from(date.year).ok()?;
        let month = i8::try_from(date.month).ok()?;
        Date::new(year, month, i8::try_from(date.day).ok()?).ok()
    });
    if read.is_none() {
        let help = "such as 2026-05-01, without quotes";
        reader.refuse(written.span(), "it is not a date", "here", help);
    }
    read
}

/// Changes a file of exclusions from `before` to `after`, and gives its new text: what somebody
/// else wrote in it meanwhile stays, and so do the comments. Without a text a new file is begun.
///
/// # Errors
/// When the file can't be read as it stands.
pub fn change_exclusions(
    file: &str,
    text: Option<&str>,
    before: &[Exclusion],
    after: &[Exclusion],
) -> Result<String, DocumentError> {
    let text = text.unwrap_or(HEAD);
    let known = read_exclusions(file, text, Scope::Everywhere)?;
    // It was just read as TOML.
    let mut document = text.parse::<DocumentMut>().unwrap_or_default();
    let Some(tables) = tables_of(&mut document, "exclusion") else {
        return Ok(text.to_owned());
    };
    let has = |all: &[Exclusion], one: &Exclusion| all.iter().any(|it| it.spares == one.spares);
    for (at, one) in known.iter().enumerate().rev() {
        if has(before, one) && !has(after, one) {
            tables.remove(at);
        }
    }
    let left: Vec<_> = known
        .iter()
        .filter(|one| !has(before, one) || has(after, one))
        .collect();
    for one in after {
        let at = left.iter().position(|known| known.spares == one.spares);
        match at.and_then(|at| tables.get_mut(at)) {
            Some(table) => say_about(table, one),
            None => tables.push(table_of(one)),
        }
    }
    Ok(document.to_string())
}

fn table_of(exclusion: &Exclusion) -> Table {
    let mut table = Table::new();
    let spares = &exclusion.spares;
    match &spares.spot {
        Some(Spot::Path(path)) => {
            let text = std::str::from_utf8(path.as_bytes());
            let (key, text) = match text {
                Ok(text) => ("path", text.to_owned()),
                Err(_) => ("path-base64", STANDARD.encode(path.as_bytes())),
            };
            drop(table.insert(key, value(text)));
        }
        Some(Spot::Pattern(pattern)) => drop(table.insert("pattern", value(pattern))),
        Some(Spot::Site(site)) => drop(table.insert("site", value(site.as_str()))),
        None => {}
    }
    let mut set = |key: &str, text: Option<String>| {
        if let Some(text) = text {
            table.insert(key, value(text));
        }
    };
    set("rule", spares.rule.clone());
    set("account", spares.account.clone());
    set("larger-than", spares.larger_than.map(written_size));
    set(
        "younger-than",
        spares.younger_than.map(|age| age.to_string()),
    );
    say_about(&mut table, exclusion);
    table
}

/// Writes what is said about what is spared.
fn say_about(table: &mut Table, exclusion: &Exclusion) {
    let mut set = |key: &str, said: Option<toml_edit::Value>| match said {
        Some(said) => {
            let old = table.get(key).and_then(Item::as_value);
            // What stands already keeps its place and its comment.
            if old.is_none_or(|old| old.to_string().trim() != said.to_string().trim()) {
                table.insert(key, value(said));
            }
        }
        None => drop(table.remove(key)),
    };
    let why = (!exclusion.why.is_empty()).then(|| exclusion.why.as_str().into());
    set("why", why);
    let since = exclusion
        .since
        .and_then(|date| date.to_string().parse::<Datetime>().ok());
    set("since", since.map(Into::into));
    set("suspended", exclusion.is_suspended.then(|| true.into()));
}
