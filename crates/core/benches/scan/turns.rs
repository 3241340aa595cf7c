//! Measuring in turn: every round runs each once, in an order that moves on, and only ratios
//! within one round are compared.

use std::path::Path;
use std::sync::Arc;
use std::time::{Duration, Instant};

use jolly_core::CancelToken;
use jolly_core::computer::{Layout, Target};
use jolly_core::pile::{ScanOrder, scan};
use jolly_core::rule::RuleSet;
use jolly_disk::RealDisk;

use crate::Failure;

type Run<'a> = Box<dyn Fn() -> Result<u64, Failure> + 'a>;

/// What is measured against each other on one tree.
pub(crate) struct Contest<'a> {
    files: usize,
    rounds: usize,
    entries: Vec<(&'static str, Run<'a>)>,
}

impl<'a> Contest<'a> {
    pub(crate) fn new(files: usize, rounds: usize) -> Self {
        Self {
            files,
            rounds,
            entries: Vec::new(),
        }
    }

    /// Adds one; the first two, the bare loop and the scan, are what the others are compared with.
    pub(crate) fn enter(
        &mut self,
        name: &'static str,
        run: impl Fn() -> Result<u64, Failure> + 'a,
    ) {
        self.entries.push((name, Box::new(run)));
    }

    /// Runs all rounds and prints medians: time, time for each file, ratio to the first.
    pub(crate) fn run_and_print(&self, tree: &str) -> Result<(), Failure> {
        println!("\n{tree}, {} rounds", self.rounds);
        let mut times: Vec<Vec<Duration>> = vec![Vec::new(); self.entries.len()];
        // The first round only warms.
        for round in 0..=self.rounds {
            for turn in 0..self.entries.len() {
                let at = (round + turn) % self.entries.len();
                let began = Instant::now();
                (self.entries[at].1)()?;
                if round > 0 {
                    times[at].push(began.elapsed());
                }
            }
        }
        let median = |mut all: Vec<f64>| {
            all.sort_by(f64::total_cmp);
            all[all.len() / 2]
        };
        for (at, (name, _)) in self.entries.iter().enumerate() {
            let seconds = median(times[at].iter().map(Duration::as_secs_f64).collect());
            let pairs = times[at].iter().zip(&times[0]);
            let ratio = median(
                pairs
                    .map(|(one, bare)| one.as_secs_f64() / bare.as_secs_f64())
                    .collect(),
            );
            let scans = times[at].iter().zip(&times[1]);
            let to_scan = median(
                scans
                    .map(|(one, scan)| one.as_secs_f64() / scan.as_secs_f64())
                    .collect(),
            );
            println!(
                "  {name:<24} {:8.1} ms  {:8.0} ns a file  {ratio:6.2} of the bare loop  \
                 {to_scan:6.2} of the scan",
                seconds * 1e3,
                seconds * 1e9 / self.files as f64,
            );
        }
        Ok(())
    }
}

/// Opens a target and scans it; gives the number of items.
pub(crate) fn scan_once(root: &Path, rules: &RuleSet) -> Result<u64, Failure> {
    let target = Target::open(Arc::new(RealDisk), root, Some(Layout::Linux), &|_| None)?;
    let (target, rules) = (Arc::new(target), Arc::new(rules.clone()));
    let order = ScanOrder::new(&target, &rules, "2100-01-01T00:00:00Z".parse()?);
    let scan = scan(&order, &CancelToken::default(), &|_| {});
    let count = scan.arena.item_count() as u64;
    // Letting go of it isn't part of the scan, and a first scan finds no room used before.
    std::mem::forget(scan);
    Ok(count)
}
