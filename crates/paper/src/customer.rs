//! The customer's page: whose computer, what came back, what will be noticed, what stayed, what to think of.

mod draw;
mod words;

use jiff::tz::TimeZone;
use jolly_core::format::{bytes, count, counted};
use jolly_core::report::{CustomerPage, WentOfClass};
use jolly_core::rule::Class;
use jolly_core::run::LogState;

use crate::Page;
use crate::canvas::{share, total};
use crate::picture::Picture;

/// Whose page it is: the shop's own header.
#[derive(Clone, Debug, Default)]
pub struct Header {
    /// The shop's name.
    pub name: String,
    /// Where it is and how to reach it, a line each.
    pub lines: Vec<String>,
    /// Its picture.
    pub picture: Option<Picture>,
}

/// What stands above the sections.
#[derive(Clone, Debug, PartialEq, Eq)]
pub struct Heading {
    /// Whose computer it is.
    pub name: String,
    /// Which computer, and when.
    pub about: String,
    /// What the visit gave back.
    pub says: String,
    /// Why that isn't all, where it isn't.
    pub caveat: Option<&'static str>,
}

/// A part of the page.
#[derive(Clone, Debug, PartialEq)]
pub struct Section {
    /// What it is about.
    pub title: &'static str,
    /// What it says.
    pub rows: Vec<Row>,
}

/// A row of a section.
#[derive(Clone, Debug, Default, PartialEq)]
pub struct Row {
    /// Whether somebody will notice it.
    pub is_someones: bool,
    /// Who; empty where the row before says so.
    pub who: String,
    /// What it is.
    pub says: String,
    /// How much.
    pub figure: String,
    /// More about it, piece by piece.
    pub detail: Vec<String>,
    /// The class that its bar has the colour of, and its part of all that went.
    pub bar: Option<(Class, f32)>,
}

/// Kinds that are named of a class, piles that are named of what was left, and sentences.
const KINDS: usize = 5;
const LEFT: usize = 4;
const SENTENCES: usize = 6;

/// Names of what no longer starts.
const TURNED_OFF: usize = 4;

/// What stands above the sections.
pub fn heading(page: &CustomerPage, zone: &TimeZone) -> Heading {
    let mut about = Vec::new();
    if page.label != page.name {
        about.push(page.label.clone());
    }
    about.extend(page.system.clone());
    about.extend(page.visit.map(|visit| format!("visit {visit}")));
    about.push(day(page.when, zone));
    let freed = page.freed();
    let says = match page.free_after {
        None => words::NOT_MEASURED.to_owned(),
        Some(_) if freed == 0 => words::NOTHING_CAME_BACK.to_owned(),
        Some(_) => format!("{} {}", bytes(freed), words::CAME_BACK),
    };
    Heading {
        name: page.name.clone(),
        about: about.join("  ·  "),
        says,
        caveat: match page.state {
            LogState::Finished => None,
            LogState::Stopped => Some(words::STOPPED),
            LogState::Interrupted | LogState::Recovered => Some(words::BROKE_OFF),
            LogState::Rehearsed => Some(words::REHEARSED),
        },
    }
}

/// Everything below; sections that have nothing to say are left out.
pub fn sections(page: &CustomerPage, zone: &TimeZone) -> Vec<Section> {
    let all = [
        (words::WENT, went(page)),
        (words::NOTICED, noticed(page)),
        (words::TURNED_OFF, turned_off(page)),
        (words::ADVICE, advice(page)),
        (words::NEXT_VISIT, next_visit(page, zone)),
        (words::STAYED, stayed(page, zone)),
    ];
    let filled = all.into_iter().filter(|(_, rows)| !rows.is_empty());
    filled
        .map(|(title, rows)| Section { title, rows })
        .collect()
}

/// The page, drawn: one or two pages of A4.
pub fn pages(page: &CustomerPage, header: &Header, zone: &TimeZone) -> Vec<Page> {
    draw::pages(page, header, zone)
}

fn went(page: &CustomerPage) -> Vec<Row> {
    let whole = total(page.went.iter().map(|class| class.sum.bytes));
    let row = |class: &WentOfClass| {
        let named = class.kinds.iter().take(KINDS);
        let mut named: Vec<String> = named
            .map(|(title, sum)| format!("{title} {}", bytes(sum.bytes)))
            .collect();
        let more = class.kinds.len().saturating_sub(KINDS);
        if more > 0 {
            named.push(counted(more as u64, words::MORE));
        }
        Row {
            says: words::of_class(class.class).to_owned(),
            figure: bytes(class.sum.bytes),
            detail: named,
            bar: Some((class.class, share(class.sum.bytes, whole))),
            ..Row::default()
        }
    };
    let rows: Vec<Row> = page.went.iter().map(row).collect();
    if rows.is_empty() {
        return vec![said(words::NOTHING_WENT)];
    }
    rows
}

fn said(says: &str) -> Row {
    Row {
        says: says.to_owned(),
        ..Row::default()
    }
}

fn noticed(page: &CustomerPage) -> Vec<Row> {
    let went = page.removed.items + page.set_aside.items + page.shared.items > 0;
    let mut by_person: Vec<(String, Vec<&str>)> = Vec::new();
    for one in page.noticed.iter().take(SENTENCES) {
        let who = one.who.join(", ");
        match by_person.iter_mut().find(|(known, _)| *known == who) {
            Some((_, all)) => all.push(&one.what),
            None => by_person.push((who, vec![&one.what])),
        }
    }
    let mut rows: Vec<Row> = Vec::new();
    for (who, all) in by_person {
        // Whom it concerns is said once.
        let names = std::iter::once(who).chain(std::iter::repeat(String::new()));
        rows.extend(names.zip(all).map(|(who, what)| Row {
            who,
            is_someones: true,
            ..said(what)
        }));
    }
    let more = page.noticed.len().saturating_sub(SENTENCES);
    if more > 0 {
        rows.push(said(&format!(
            "{} {}",
            count(more as u64),
            words::MORE_NOTICED
        )));
    }
    // Of a run that nothing was told of, nothing is promised.
    if rows.is_empty() && went && page.visit.is_some() {
        rows.push(said(words::NOBODY_NOTICES));
    }
    let is_own = page.went.iter().any(|went| went.class == Class::Ask);
    if went && !is_own {
        rows.push(said(words::UNTOUCHED));
    }
    rows
}

fn stayed(page: &CustomerPage, zone: &TimeZone) -> Vec<Row> {
    let mut rows = Vec::new();
    if page.set_aside.items > 0 {
        let until = page.until.map_or_else(String::new, |until| {
            format!(" {} {}", words::UNTIL, day(until, zone))
        });
        rows.push(Row {
            says: format!("{}{until}", words::SET_ASIDE),
            figure: bytes(page.set_aside.bytes),
            ..Row::default()
        });
    }
    if page.shared.items > 0 {
        rows.push(Row {
            says: words::SHARED.to_owned(),
            figure: bytes(page.shared.bytes),
            ..Row::default()
        });
    }
    for (outcome, sum) in &page.stayed {
        rows.push(Row {
            says: format!("{}: {}", counted(sum.items, "item"), words::stays(*outcome)),
            figure: bytes(sum.bytes),
            ..Row::default()
        });
    }
    for pile in page.left.iter().take(LEFT) {
        let whose = pile.account.as_ref();
        let whose = whose.map_or_else(String::new, |name| format!(" ({name})"));
        let why = if pile.is_blocked {
            words::BLOCKED
        } else {
            words::left(pile.class)
        };
        rows.push(Row {
            says: format!("{}{whose}: {why}", pile.title),
            figure: bytes(pile.bytes),
            ..Row::default()
        });
    }
    let more = page.left.get(LEFT..).unwrap_or_default();
    if !more.is_empty() {
        rows.push(Row {
            says: format!(
                "{} {}",
                counted(more.len() as u64, words::KIND),
                words::LEFT_AS_WELL
            ),
            figure: bytes(total(more.iter().map(|pile| pile.bytes))),
            ..Row::default()
        });
    }
    if page.spared > 0 {
        rows.push(Row {
            says: words::TOO_YOUNG.to_owned(),
            figure: bytes(page.spared),
            ..Row::default()
        });
    }
    rows
}

fn turned_off(page: &CustomerPage) -> Vec<Row> {
    let mut by_name: Vec<(&str, Vec<&str>)> = Vec::new();
    for (name, whose) in &page.turned_off {
        let whose = whose.as_deref().unwrap_or(words::EVERYONE);
        match by_name.iter_mut().find(|(known, _)| known == name) {
            Some((_, all)) => all.push(whose),
            None => by_name.push((name, vec![whose])),
        }
    }
    let more = by_name.len().saturating_sub(TURNED_OFF);
    let shown = by_name.iter().take(TURNED_OFF);
    let mut rows: Vec<Row> = shown
        .map(|(name, all)| said(&format!("{name} ({})", all.join(", "))))
        .collect();
    if more > 0 {
        rows.push(said(&format!(
            "{} {}",
            count(more as u64),
            words::MORE_TURNED_OFF
        )));
    }
    rows
}

fn advice(page: &CustomerPage) -> Vec<Row> {
    page.advice
        .iter()
        .take(SENTENCES)
        .map(|one| said(one))
        .collect()
}

fn next_visit(page: &CustomerPage, zone: &TimeZone) -> Vec<Row> {
    let when = page.next_visit.iter();
    when.map(|when| said(&format!("{} {}.", words::FULL_AGAIN, month(*when, zone))))
        .collect()
}

/// A day as people write it: "30 November 2026".
fn day(when: jiff::Timestamp, zone: &TimeZone) -> String {
    when.to_zoned(zone.clone())
        .strftime("%-d %B %Y")
        .to_string()
}

fn month(when: jiff::Timestamp, zone: &TimeZone) -> String {
    when.to_zoned(zone.clone()).strftime("%B %Y").to_string()
}
