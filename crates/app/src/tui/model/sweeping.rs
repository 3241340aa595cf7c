//! A sweep under way.

use std::collections::BTreeMap;
use std::time::Duration;

use jolly_core::rulebook::Class;
use jolly_core::sweep::{OutcomeSums, SweepEvent};

use crate::tui::model::Check;

/// How many samples of the rate are kept: what a chart of the design's width shows.
const SAMPLES: usize = 70;

/// How often the rate is sampled.
const SAMPLE: Duration = Duration::from_millis(100);

/// A sweep under way.
pub(in crate::tui) struct Sweeping {
    /// The clock when it began.
    pub began: Duration,
    /// What the manifest promises, by class.
    pub planned: BTreeMap<Class, u64>,
    pub done: u64,
    pub of: u64,
    pub outcomes: OutcomeSums,
    pub freed: BTreeMap<Class, u64>,
    /// Bytes in each of the last samples.
    pub rate: Vec<u64>,
    sampled: (Duration, u64),
    pub is_stopping: bool,
}

impl Sweeping {
    /// A sweep that begins now.
    pub(in crate::tui) fn new(check: &Check, of: u64, clock: Duration) -> Self {
        Self {
            began: clock,
            planned: check.planned.clone(),
            done: 0,
            of,
            outcomes: OutcomeSums::new(),
            freed: BTreeMap::new(),
            rate: Vec::new(),
            sampled: (clock, 0),
            is_stopping: false,
        }
    }

    /// Takes news in.
    pub(in crate::tui) fn hear(&mut self, event: SweepEvent, clock: Duration) {
        self.done = event.done;
        self.outcomes = event.outcomes;
        self.freed = event.freed;
        let freed = self.freed_in_all();
        if clock.saturating_sub(self.sampled.0) >= SAMPLE {
            self.rate.push(freed.saturating_sub(self.sampled.1));
            self.sampled = (clock, freed);
            let surplus = self.rate.len().saturating_sub(SAMPLES);
            self.rate.drain(..surplus);
        }
    }

    /// Bytes that have come back.
    pub(in crate::tui) fn freed_in_all(&self) -> u64 {
        self.freed.values().sum()
    }

    /// Bytes that were promised.
    pub(in crate::tui) fn planned_in_all(&self) -> u64 {
        self.planned.values().sum()
    }
}
