//! How many threads touch a target at once: found out by trying.
//!
//! Where a device is waited for, many are quicker; where a file system takes one change after the other, each more
//! only stands in the way of the others and of what the kernel does behind them.

use std::time::Duration;

/// How long a number of threads is watched at least before that counts.
const WINDOW: Duration = Duration::from_millis(30);

/// How many items each of them has touched by then at least.
const ITEMS_EACH: u64 = 16;

/// How many windows another number is tried for.
const TRIED: u32 = 2;

/// How many windows pass before the first try, and between two; with nothing to wait for, and when threads wait.
const FIRST: (u32, u32) = (24, 2);
const NEXT: u32 = 64;

/// So many percent quicker more threads have to be than fewer.
const GAIN: u64 = 10;

/// What came of a while.
#[derive(Clone, Copy, Debug, Default)]
pub(super) struct Window {
    /// Items that were touched.
    pub items: u64,
    /// From its begin.
    pub took: Duration,
    /// How long threads worked in it, all together, and for how much of that they waited.
    pub worked: Duration,
    pub waited: Duration,
}

impl Window {
    /// Items in a second.
    fn rate(&self) -> u64 {
        let nanos = u64::try_from(self.took.as_nanos()).unwrap_or(u64::MAX);
        (self.items.saturating_mul(1_000_000_000) / nanos.max(1)).max(1)
    }

    /// Whether threads waited for more than so many percent of the time.
    fn waits(&self, percent: u32) -> bool {
        self.waited * 100 > self.worked * percent
    }
}

/// Finds out how many threads are quickest.
#[derive(Debug)]
pub(super) struct Pace {
    processors: usize,
    most: usize,
    /// How many there are now.
    many: usize,
    /// Items in a second of those that are settled on; what is older counts less.
    rate: u64,
    /// Windows since the last change of anything.
    windows: u32,
    /// Windows until the next try.
    rest: u32,
    /// How many there were before the try that is under way.
    before: Option<usize>,
    /// Items in a second of the windows of that try, all together.
    tried: u64,
    /// Whether fewer are tried next.
    is_down_next: bool,
}

impl Pace {
    /// Begins with as many as there are processors, and may come to so many.
    pub(super) fn new(processors: usize, most: usize) -> Self {
        Self {
            processors,
            most,
            many: processors,
            rate: 0,
            windows: 0,
            rest: FIRST.0,
            before: None,
            tried: 0,
            is_down_next: false,
        }
    }

    /// How many there should be.
    pub(super) fn many(&self) -> usize {
        self.many
    }

    /// Learns from a while, once it says enough; says whether it did, so that a new one begins.
    pub(super) fn learn(&mut self, window: Window) -> bool {
        if window.took < WINDOW || window.items < ITEMS_EACH * self.many as u64 {
            return false;
        }
        self.windows += 1;
        let rate = window.rate();
        if let Some(before) = self.before {
            self.tried += rate / u64::from(TRIED);
            if self.windows >= TRIED {
                self.judge(before);
            }
            return true;
        }
        self.rate = if self.windows == 1 {
            rate
        } else {
            (self.rate * 3 + rate) / 4
        };
        let is_due = self.windows >= self.rest
            || (window.waits(50) && self.windows >= FIRST.1 && self.rest == FIRST.0);
        if is_due {
            self.try_another(window);
        }
        true
    }

    fn try_another(&mut self, window: Window) {
        let may_rise = self.many < self.most && (self.many < self.processors || window.waits(50));
        let is_down = self.many > 1 && (!may_rise || self.is_down_next);
        (self.windows, self.tried, self.rest) = (0, 0, NEXT);
        if is_down || may_rise {
            self.before = Some(self.many);
            self.many = if is_down {
                self.many / 2
            } else {
                (self.many * 2).min(self.most)
            };
        }
    }

    /// Settles on the number that was tried, or on the one before.
    fn judge(&mut self, before: usize) {
        let (fewer, more) = if self.many > before {
            (self.rate, self.tried)
        } else {
            (self.tried, self.rate)
        };
        let are_more_better = more * 100 > fewer * (100 + GAIN);
        let is_rise = self.many > before;
        let is_kept = are_more_better == is_rise;
        // What has helped may help once more; else the other way is next.
        self.is_down_next = is_kept != is_rise;
        if is_kept {
            (self.rate, self.rest) = (self.tried, FIRST.1);
        } else {
            (self.many, self.rest) = (before, NEXT);
        }
        (self.before, self.windows) = (None, 0);
    }
}

#[cfg(test)]
mod tests {
    use super::*;

    /// Where it settles on a disk that touches so many items in a second with so many threads.
    fn settles_at(items_in_a_second: impl Fn(usize) -> u64, is_waiting: bool) -> usize {
        let mut pace = Pace::new(2, 16);
        let mut seen = Vec::new();
        for _ in 0..2000 {
            let took = Duration::from_millis(40);
            let worked = took * u32::try_from(pace.many()).unwrap();
            let waited = if is_waiting {
                worked * 4 / 5
            } else {
                Duration::ZERO
            };
            let items = items_in_a_second(pace.many()) * 40 / 1000;
            pace.learn(Window {
                items,
                took,
                worked,
                waited,
            });
            seen.push(pace.many());
        }
        seen.sort_unstable();
        seen[seen.len() / 2]
    }

    #[test]
    fn it_settles_where_most_is_touched_and_doesnt_wander_off() {
        let cores = |many: usize| 100_000 * many.min(2) as u64;
        assert_eq!(settles_at(cores, false), 2);
        // A device that takes as many orders as there are.
        assert_eq!(settles_at(|many| 4000 * many as u64, true), 16);
        // Each stands in the others' way.
        assert_eq!(settles_at(|many| 100_000 / many as u64, false), 1);
        assert_eq!(settles_at(|many| 100_000 / many as u64, true), 1);
        // One gains nothing by a second.
        assert_eq!(settles_at(|_| 100_000, true), 1);
        assert_eq!(
            settles_at(
                |many| if many > 4 {
                    50_000
                } else {
                    20_000 * many as u64
                },
                true
            ),
            4
        );
    }

    #[test]
    fn what_says_too_little_changes_nothing() {
        let mut pace = Pace::new(2, 16);
        let few = Window {
            items: 3,
            took: Duration::from_secs(9),
            ..Window::default()
        };
        assert!(!pace.learn(few));
        let short = Window {
            items: 3000,
            took: Duration::from_millis(9),
            ..Window::default()
        };
        assert!(!pace.learn(short));
        assert_eq!(pace.many(), 2);
    }
}
