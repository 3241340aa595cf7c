//! What a thread did, and how much of that was waiting for a device.

use std::ops::AddAssign;
use std::time::Duration;

use rustix::time::{ClockId, clock_gettime};

/// How long threads took for something, and for how much of that they waited.
#[derive(Clone, Copy, Debug, Default, PartialEq, Eq)]
pub struct WaitShare {
    /// From begin to end.
    pub took: Duration,
    /// What neither kept a processor busy nor waited for one.
    pub waited: Duration,
}

impl AddAssign for WaitShare {
    fn add_assign(&mut self, more: Self) {
        self.took += more.took;
        self.waited += more.waited;
    }
}

/// Measures what the calling thread does.
#[derive(Debug)]
pub struct WaitMeter {
    took: Duration,
    busy: Duration,
    /// For how long the thread had waited for a processor when it was last asked.
    delayed: Duration,
}

impl WaitMeter {
    /// Nothing measured yet.
    pub fn begin() -> Self {
        Self {
            took: Duration::ZERO,
            busy: Duration::ZERO,
            delayed: delayed(),
        }
    }

    /// Does step after step until one says that it was the last, or about so long has passed, and
    /// measures that. Says whether there may be more.
    pub fn measure(&mut self, most: Duration, mut step: impl FnMut() -> bool) -> bool {
        let read = |clock| Duration::try_from(clock_gettime(clock)).unwrap_or_default();
        let (began, busy) = (read(ClockId::Monotonic), read(ClockId::ThreadCPUTime));
        loop {
            let is_more = step();
            let took = read(ClockId::Monotonic).saturating_sub(began);
            if !is_more || took >= most {
                self.took += took;
                self.busy += read(ClockId::ThreadCPUTime).saturating_sub(busy);
                return is_more;
            }
        }
    }

    /// What was measured since the last time, once it took at least so long.
    pub fn take(&mut self, least: Duration) -> Option<WaitShare> {
        if self.took < least {
            return None;
        }
        let before = std::mem::replace(self, Self::begin());
        let delayed = self.delayed.saturating_sub(before.delayed);
        Some(WaitShare {
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
        let long = Duration::from_mins(1);
        let mut meter = WaitMeter::begin();
        let nap = || {
            std::thread::sleep(Duration::from_millis(40));
            false
        };
        assert!(!meter.measure(long, nap));
        assert_eq!(meter.take(long), None);
        let asleep = meter.take(Duration::from_millis(1)).unwrap();
        assert!(asleep.waited * 2 > asleep.took, "{asleep:?}");
        // Other work may take the processor away, but that is no waiting.
        let busy = || Duration::try_from(clock_gettime(ClockId::ThreadCPUTime)).unwrap();
        let until = busy() + Duration::from_millis(40);
        assert!(!meter.measure(long, || busy() < until));
        let busy = meter.take(Duration::from_millis(1)).unwrap();
        assert!(busy.waited * 2 < busy.took, "{busy:?}");
        let mut steps = 0;
        let count = || {
            steps += 1;
            true
        };
        assert!(meter.measure(Duration::ZERO, count));
        assert_eq!(steps, 1);
    }
}
