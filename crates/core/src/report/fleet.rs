//! Many computers on one page: who is full, what grows, who failed, who is next. It is read from job sheets as
//! [`export_sheet`](crate::state::export_sheet) writes them.

use std::cmp::Reverse;
use std::collections::HashMap;
use std::fs;
use std::io::{self, Write};
use std::path::Path;
use std::sync::Mutex;
use std::sync::atomic::{AtomicUsize, Ordering};
use std::thread;

use csv::{Terminator, WriterBuilder};
use jiff::Timestamp;
use serde::Serialize;

use crate::computer::Layout;
use crate::format::{Printable, write_json};
use crate::report::form::cell::cell;
use crate::report::{Form, LittleFree, forecast, regrown_at_last};
use crate::state::{Sheet, SheetId, read_sheets};

/// How one of many computers stands, as its job sheet tells.
#[derive(Clone, Debug, PartialEq, Eq, Serialize)]
pub struct FleetComputer {
    /// Its sheet.
    pub sheet: SheetId,
    /// What people call it.
    pub name: String,
    /// Its family of system.
    pub layout: Layout,
    /// When its last visit began; none where it was never visited.
    pub last_visit: Option<Timestamp>,
    /// The size of its volume, in bytes.
    pub size: u64,
    /// What was free when the last visit ended, in bytes.
    pub free: u64,
    /// Whether that is little.
    pub is_full: bool,
    /// What its volume gains in a week, in bytes; none before two visits that lie a day apart.
    pub weekly: Option<i64>,
    /// When little is free, at that.
    pub falls: Option<Timestamp>,
    /// What grew most between its last two visits.
    pub fastest: Option<String>,
    /// What went wrong at its last visit.
    pub failed: Option<String>,
    /// When the next visit is due: what was told at the last one, else when little will be free.
    pub next_visit: Option<Timestamp>,
}

impl FleetComputer {
    /// What its sheet tells.
    pub fn of(sheet: &Sheet, little: LittleFree) -> Self {
        let last = sheet.last_visit();
        let measured = sheet.visits.iter().rev().find(|visit| visit.size > 0);
        let (size, free) = measured.map_or((0, 0), |visit| (visit.size, visit.free_after()));
        let forecast = measured
            .and_then(|visit| forecast(sheet, (visit.started, free), little.of(visit.size)));
        let fastest = regrown_at_last(sheet).and_then(|grown| grown.piles.into_iter().next());
        let told = last
            .and_then(|visit| visit.runs.last())
            .map(|run| &run.told);
        let is_part = last.is_some_and(|visit| !visit.is_whole && !visit.piles.is_empty());
        let falls = forecast.as_ref().and_then(|forecast| forecast.falls);
        Self {
            sheet: sheet.sheet.clone(),
            name: Printable(sheet.shown_name().as_bytes()).to_string(),
            layout: sheet.layout,
            last_visit: last.map(|visit| visit.started),
            size,
            free,
            is_full: size > 0 && free < little.of(size),
            weekly: forecast.map(|forecast| forecast.weekly),
            falls,
            fastest: fastest.map(|pile| Printable(pile.title.as_bytes()).to_string()),
            failed: told
                .and_then(|told| told.failed.clone())
                .map(|why| Printable(why.as_bytes()).to_string())
                .or_else(|| is_part.then(|| "the scan was stopped".to_owned())),
            next_visit: told.and_then(|told| told.next_visit).or(falls),
        }
    }

    /// The part of its volume that is free, in thousandths.
    pub fn free_per_mille(&self) -> u64 {
        let part = u128::from(self.free) * 1000 / u128::from(self.size.max(1));
        u64::try_from(part).unwrap_or(u64::MAX)
    }
}

/// A file that holds no job sheet that can be read.
#[derive(Clone, Debug, PartialEq, Eq, PartialOrd, Ord, Serialize)]
pub struct UnreadSheet {
    /// Its name.
    pub file: String,
    /// Why not.
    pub reason: String,
}

/// Many computers.
#[derive(Clone, Debug, PartialEq, Eq)]
pub struct Fleet {
    /// Each once, by its latest sheet; that with the least part free first.
    pub computers: Vec<FleetComputer>,
    /// What could not be read.
    pub unread: Vec<UnreadSheet>,
    /// From where on what is free is little.
    pub little: LittleFree,
}

impl Fleet {
    /// Those with little free, the fullest first.
    pub fn full(&self) -> Vec<&FleetComputer> {
        self.computers.iter().filter(|one| one.is_full).collect()
    }

    /// Those whose volume fills, the fastest first.
    pub fn growing(&self) -> Vec<&FleetComputer> {
        let grows = |one: &&FleetComputer| one.weekly.is_some_and(|weekly| weekly > 0);
        let mut some: Vec<_> = self.computers.iter().filter(grows).collect();
        some.sort_by_key(|one| Reverse(one.weekly));
        some
    }

    /// Those at which something went wrong, the latest first.
    pub fn failed(&self) -> Vec<&FleetComputer> {
        let computers = self.computers.iter();
        let mut some: Vec<_> = computers.filter(|one| one.failed.is_some()).collect();
        some.sort_by_key(|one| Reverse(one.last_visit));
        some
    }

    /// Those with a day for the next visit, the soonest first.
    pub fn next_visits(&self) -> Vec<&FleetComputer> {
        let computers = self.computers.iter();
        let mut some: Vec<_> = computers.filter(|one| one.next_visit.is_some()).collect();
        some.sort_by_key(|one| one.next_visit);
        some
    }
}

/// Reads the job sheets that lie in a folder: the files whose names end with `.json`, each with one or more.
///
/// # Errors
/// When the folder can't be read. A file that can't be is told in [`Fleet::unread`].
pub fn read_fleet(folder: &Path, little: LittleFree) -> io::Result<Fleet> {
    let mut files = Vec::new();
    for entry in fs::read_dir(folder)? {
        let path = entry?.path();
        if path.extension().is_some_and(|ending| ending == "json") {
            files.push(path);
        }
    }
    files.sort();
    let (next, found) = (AtomicUsize::new(0), Mutex::new((Vec::new(), Vec::new())));
    let read = || {
        while let Some(file) = files.get(next.fetch_add(1, Ordering::Relaxed)) {
            let read = computers_of(file, little);
            let mut found = found
                .lock()
                .unwrap_or_else(std::sync::PoisonError::into_inner);
            match read {
                Ok(computers) => found.0.extend(computers),
                Err(reason) => found.1.push(unread(file, &reason)),
            }
        }
    };
    let threads = thread::available_parallelism().map_or(1, usize::from);
    thread::scope(|scope| (0..threads).for_each(|_| drop(scope.spawn(read))));
    let (computers, mut unread) = found
        .into_inner()
        .unwrap_or_else(std::sync::PoisonError::into_inner);
    unread.sort();
    Ok(Fleet {
        computers: each_once(computers),
        unread,
        little,
    })
}

fn unread(file: &Path, reason: &str) -> UnreadSheet {
    let name = file.file_name().unwrap_or_default();
    UnreadSheet {
        file: Printable(name.as_encoded_bytes()).to_string(),
        reason: Printable(reason.as_bytes()).to_string(),
    }
}

fn computers_of(file: &Path, little: LittleFree) -> Result<Vec<FleetComputer>, String> {
    let sheets = read_sheets(file).map_err(|error| error.to_string())?;
    if sheets.is_empty() {
        return Err("it holds no job sheet".to_owned());
    }
    Ok(sheets
        .iter()
        .map(|sheet| FleetComputer::of(sheet, little))
        .collect())
}

/// Two benches may have sheets of one computer: that with the later visit counts.
fn each_once(computers: Vec<FleetComputer>) -> Vec<FleetComputer> {
    let mut latest: HashMap<SheetId, FleetComputer> = HashMap::new();
    for one in computers {
        let known = latest.get(&one.sheet);
        if known.is_none_or(|known| known.last_visit < one.last_visit) {
            latest.insert(one.sheet.clone(), one);
        }
    }
    let mut computers: Vec<FleetComputer> = latest.into_values().collect();
    computers.sort_by(|one, other| {
        let key = |one: &FleetComputer| (one.size == 0, one.free_per_mille());
        (key(one), &one.name, &one.sheet).cmp(&(key(other), &other.name, &other.sheet))
    });
    computers
}

#[derive(Serialize)]
struct Written<'a> {
    format: &'static str,
    version: u32,
    computers: &'a [FleetComputer],
    unread: &'a [UnreadSheet],
}

const COLUMNS: &[&str] = words! {
    "sheet" "name" "layout" "last_visit" "size" "free" "weekly" "falls" "fastest" "failed" "next_visit"
};

/// Writes all of them: as a table (RFC 4180), or as one JSON object.
///
/// # Errors
/// What the file says.
pub fn write_fleet(fleet: &Fleet, form: Form, out: &mut dyn Write) -> io::Result<()> {
    match form {
        Form::Object => {
            let written = Written {
                format: "jolly-broom/fleet",
                version: 1,
                computers: &fleet.computers,
                unread: &fleet.unread,
            };
            write_json(&mut *out, &written)?;
            writeln!(out)
        }
        Form::Table => {
            let mut table = WriterBuilder::new()
                .terminator(Terminator::CRLF)
                .from_writer(out);
            table.write_record(COLUMNS)?;
            let day = |at: Option<Timestamp>| at.map_or_else(String::new, |at| at.to_string());
            let text = |text: &str| cell(text.as_bytes());
            for one in &fleet.computers {
                table.write_record([
                    text(&one.sheet),
                    text(&one.name),
                    one.layout.name().to_owned(),
                    day(one.last_visit),
                    one.size.to_string(),
                    one.free.to_string(),
                    one.weekly
                        .map_or_else(String::new, |weekly| weekly.to_string()),
                    day(one.falls),
                    text(one.fastest.as_deref().unwrap_or_default()),
                    text(one.failed.as_deref().unwrap_or_default()),
                    day(one.next_visit),
                ])?;
            }
            table.flush()
        }
    }
}
