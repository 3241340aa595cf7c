//! A sweep under way.

use std::collections::BTreeMap;
use std::time::Duration;

use jolly_core::plan::OutcomeSums;
use jolly_core::rule::Class;
use jolly_core::run::{ClassProgress, SweepEvent};

use crate::tui::model::Check;

/// How many samples of the rate are kept: what a chart of the design's width shows.
const SAMPLES: usize = 70;

/// Before that nothing is said of how long it takes.
const SOON: Duration = Duration::from_millis(500);

/// How often the rate is sampled at first.
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
    pub classes: BTreeMap<Class, ClassProgress>,
    /// What had its turn last.
    pub last: String,
    /// Bytes in each sample.
    pub rate: Vec<u64>,
    sampled: (Duration, u64),
    sample: Duration,
    pub is_stopping: bool,
    /// Since when it is held, and for how long it was held before.
    pub held: (Option<Duration>, Duration),
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
            classes: BTreeMap::new(),
            last: String::new(),
            rate: Vec::new(),
            sampled: (clock, 0),
            sample: SAMPLE,
            is_stopping: false,
            held: (None, Duration::ZERO),
        }
    }

    /// Takes news in.
    pub(in crate::tui) fn hear(&mut self, event: SweepEvent, clock: Duration) {
        self.done = event.done;
        self.outcomes = event.outcomes;
        self.classes = event.classes;
        if !event.last.is_empty() {
            self.last = event.last;
        }
        let freed = self.freed_in_all();
        let passed = clock.saturating_sub(self.sampled.0);
        if passed >= self.sample {
            self.rate.push(freed.saturating_sub(self.sampled.1));
            self.sampled = (clock, freed);
        }
        // A long sweep is drawn whole: two bars become one.
        if self.rate.len() > SAMPLES {
            self.rate = self.rate.chunks(2).map(|pair| pair.iter().sum()).collect();
            self.sample *= 2;
        }
    }

    /// How long one bar of the rate is.
    pub(in crate::tui) fn sample(&self) -> Duration {
        self.sample
    }

    /// About how long it still takes, by bytes where they are what takes long, else by items; nothing
    /// while nothing can be said.
    pub(in crate::tui) fn left(&self, clock: Duration) -> Option<Duration> {
        let worked = self.worked(clock);
        if worked < SOON || self.done == 0 {
            return None;
        }
        let share = |done: u64, of: u64| done as f64 / of.max(1) as f64;
        let by_items = share(self.done, self.of);
        let by_bytes = share(self.freed_in_all(), self.planned_in_all());
        // The slower of both: many small things and few large ones each take their time.
        let done = by_items.min(if self.planned_in_all() > 0 {
            by_bytes
        } else {
            by_items
        });
        if done <= 0.0 {
            return None;
        }
        Some(worked.mul_f64(((1.0 - done) / done).clamp(0.0, 1e6)))
    }

    /// How long it has worked.
    pub(in crate::tui) fn worked(&self, clock: Duration) -> Duration {
        let held = self
            .held
            .0
            .map_or(Duration::ZERO, |since| clock.saturating_sub(since));
        let passed = clock.saturating_sub(self.began);
        passed.saturating_sub(self.held.1).saturating_sub(held)
    }

    /// Bytes that have come back.
    pub(in crate::tui) fn freed_in_all(&self) -> u64 {
        self.classes.values().map(ClassProgress::freed).sum()
    }

    /// Bytes that were promised.
    pub(in crate::tui) fn planned_in_all(&self) -> u64 {
        self.planned.values().sum()
    }
}
