//! What a scan found by age, and what of it goes: the rows of a picture.

use std::cmp::Reverse;

use crate::decide::Decisions;
use crate::pile::Scan;
use crate::rule::{AgeLimit, BAND_COUNT, Class};

/// A pile by age.
#[derive(Clone, Debug)]
pub struct AgesRow {
    /// What it is called.
    pub title: String,
    /// Whose it is; none for the system.
    pub account: Option<String>,
    /// Its class.
    pub class: Class,
    /// What it holds by age band, in bytes, the youngest first.
    pub bands: [u64; BAND_COUNT],
    /// Whether anything of it goes.
    pub is_taken: bool,
    /// How old what goes is at least; none for any age.
    pub limit: Option<AgeLimit>,
    /// What it holds, in bytes.
    pub found: u64,
    /// What goes of it, in bytes.
    pub takes: u64,
}

/// The piles of a scan as they were decided: by class, and in a class what goes most first.
pub fn ages_rows(scan: &Scan, decisions: &Decisions) -> Vec<AgesRow> {
    let row = |id| {
        let (pile, decision) = (scan.pile(id), decisions.of(id));
        AgesRow {
            title: scan.rules.rule(pile.rule).rule.title.clone(),
            account: scan.account_name(pile).map(str::to_owned),
            class: scan.class_of(id),
            bands: pile.bands,
            is_taken: decision.is_taken,
            limit: decision.limit,
            found: pile.found().bytes,
            takes: decisions.takes(id).bytes,
        }
    };
    let mut rows: Vec<AgesRow> = decisions.shown(scan).map(row).collect();
    rows.retain(|row| row.found > 0);
    rows.sort_by_key(|row| (row.class, Reverse((row.takes, row.found))));
    rows
}
