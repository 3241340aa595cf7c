//! A run as one JSON object: its sums, what stayed and why, and each item.

use std::collections::BTreeMap;
use std::io::{self, Write};

use jiff::Timestamp;
use serde::Serialize;

use crate::format::harmless_json;
use crate::pile::Sum;
use crate::plan::Outcome;
use crate::run::{LogItem, LogState, LogSummary};

#[derive(Serialize)]
struct Object<'a> {
    format: &'static str,
    version: u32,
    run: &'a str,
    started: Timestamp,
    state: LogState,
    target: &'a str,
    label: &'a str,
    partial: bool,
    free: Free,
    outcomes: BTreeMap<&'static str, CountedObject>,
    piles: Vec<PileObject<'a>>,
    stays: Vec<Cause<'a>>,
    items: &'a [LogItem],
}

#[derive(Serialize)]
struct Free {
    before: u64,
    after: Option<u64>,
}

#[derive(Serialize)]
struct CountedObject {
    items: u64,
    bytes: u64,
}

impl From<&Sum> for CountedObject {
    fn from(sum: &Sum) -> Self {
        Self {
            items: sum.items,
            bytes: sum.bytes,
        }
    }
}

/// What went of one rule's things of one account.
#[derive(Serialize)]
struct PileObject<'a> {
    rule: &'a str,
    account: Option<&'a str>,
    #[serde(flatten)]
    went: CountedObject,
}

/// What stayed for one reason.
#[derive(Serialize)]
struct Cause<'a> {
    outcome: Outcome,
    reason: &'a str,
    #[serde(flatten)]
    stayed: CountedObject,
}

/// Writes the run.
///
/// # Errors
/// What the file says.
pub(super) fn write(log: &LogSummary, items: &[LogItem], out: &mut dyn Write) -> io::Result<()> {
    let object = Object {
        format: "jolly-broom/report",
        version: 1,
        run: &log.run,
        started: log.started,
        state: log.state,
        target: &log.target,
        label: &log.label,
        partial: log.is_partial,
        free: Free {
            before: log.free.0,
            after: log.free.1,
        },
        outcomes: (log.sums.outcomes().iter())
            .map(|(outcome, sum)| (outcome.name(), sum.into()))
            .collect(),
        piles: (log.sums.went().iter())
            .map(|went| PileObject {
                rule: &went.rule,
                account: went.account.as_deref(),
                went: (&went.sum).into(),
            })
            .collect(),
        stays: (log.sums.stayed())
            .map(|stayed| Cause {
                outcome: stayed.outcome,
                reason: &stayed.reason,
                stayed: (&stayed.sum).into(),
            })
            .collect(),
        items,
    };
    let text = serde_json::to_string_pretty(&object)?;
    out.write_all(harmless_json(&text).as_bytes())?;
    writeln!(out)
}
