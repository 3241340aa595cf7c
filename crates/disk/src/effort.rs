//! What a thread did, and how much of that was waiting for a device.

use std::ops::AddAssign;
use std::time::Duration;

use rustix::time::{ClockId, clock_gettime};

/// How long threads took for something, and for how much of that they waited.
#[derive(Clone, Copy, Debug, Default, PartialEq, Eq)]
pub struct Effort {
    /// From begin to end.
    pub took: Duration,
    /// What neither kept a processor busy nor waited for one.
    pub waited: Duration,
}

impl AddAssign for Effort {
    fn add_assign(&mut self, more: Self) {
        self.took += more.took;
        self.waited += more.waited;
    }
}

/// Measures what the calling thread does.
#[derive(Debug)]
pub struct Meter {
    took: Duration,
    busy: Duration,
    /// For how long the thread had waited for a processor when it was last asked.
    delayed: Duration,
}

impl Meter {
    /// Nothing measured yet.
    pub fn begin() -> Self {
        Self {
            took: Duration::ZERO,
            busy: Duration::ZERO,
            delayed: delayed(),
        }
    }

    /// Does something, and measures it.
    pub fn measure<T>(&mut self, work: impl FnOnce() -> T) -> T {
        let read = |clock| Duration::try_from(clock_gettime(clock)).unwrap_or_default();
        let look = || (read(ClockId::Monotonic), read(ClockId::ThreadCPUTime));
        let before = look();
        let done = work();
        let after = look();
        self.took += after.0.saturating_sub(before.0);
        self.busy += after.1.saturating_sub(before.1);
        done
    }

    /// What was measured since the last time, once it took at least so long.
    pub fn take(&mut self, least: Duration) -> Option<Effort> {
        if self.took < least {
            return None;
        }
        let before = std::mem::replace(self, Self::begin());
        let delayed = self.delayed.saturating_sub(before.delayed);
        Some(Effort {
            took: before.took,
            waited: before.took.saturating_sub(before.busy + delayed),
        })
    }
}

/// For how long the calling thread was ready and had no processor, as the scheduler counts it; nothing
/// where it doesn't (the kernel's `sched-stats.rst`, second field of `schedstat`).
fn delayed() -> Duration {
    let told = std::fs::read_to_string("/proc/thread-self/schedstat").unwrap_or_default();
    let nanos = told.split_ascii_whitespace().nth(1);
    Duration::from_nanos(nanos.and_then(|nanos| nanos.parse().ok()).unwrap_or(0))
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn waiting_is_told_from_working() {
        let mut meter = Meter::begin();
        meter.measure(|| std::thread::sleep(Duration::from_millis(40)));
        assert_eq!(meter.take(Duration::from_mins(1)), None);
        let asleep = meter.take(Duration::from_millis(1)).unwrap();
        assert!(asleep.waited * 2 > asleep.took, "{asleep:?}");
        // Other work may take the processor away, but that is no waiting.
        meter.measure(|| while meter_busy() < Duration::from_millis(40) {});
        let busy = meter.take(Duration::from_millis(1)).unwrap();
        assert!(busy.waited * 2 < busy.took, "{busy:?}");
    }

    fn meter_busy() -> Duration {
        Duration::try_from(clock_gettime(ClockId::ThreadCPUTime)).unwrap()
    }
}
