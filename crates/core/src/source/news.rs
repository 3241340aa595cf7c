//! What a walk counts while it goes, by place, and tells.

use std::sync::atomic::{AtomicBool, AtomicU64, Ordering};

use crate::computer::TargetPath;
use crate::walk::{PlaceId, ScanEvent};

/// What is counted of one place.
#[derive(Default)]
struct Counts {
    looked_at: AtomicU64,
    remembered: AtomicU64,
    items: AtomicU64,
    bytes: AtomicU64,
    /// Folders, and parts of folders, that wait or are being walked.
    jobs: AtomicU64,
    is_begun: AtomicBool,
}

/// What one thread counts before it tells.
#[derive(Clone, Copy, Debug, Default)]
pub(crate) struct Counted {
    /// Names looked at.
    pub looked_at: u64,
    /// Those of them that were known from a scan before.
    pub remembered: u64,
    /// Items found.
    pub items: u64,
    /// Bytes that these hold on the disk.
    pub bytes: u64,
}

/// The counts of all places, shared between the threads of a walk.
pub(crate) struct WalkTally {
    /// Every root, each once, in the order of their paths.
    places: Vec<TargetPath>,
    counts: Vec<Counts>,
}

impl WalkTally {
    pub(crate) fn new(mut places: Vec<TargetPath>) -> Self {
        places.sort();
        places.dedup();
        let counts = places.iter().map(|_| Counts::default()).collect();
        Self { places, counts }
    }

    /// The name of a place.
    pub(crate) fn name(&self, place: PlaceId) -> String {
        self.places
            .get(place.0)
            .map(ToString::to_string)
            .unwrap_or_default()
    }

    /// The place that starts at this folder.
    pub(crate) fn place(&self, path: &TargetPath) -> Option<PlaceId> {
        self.places.binary_search(path).ok().map(PlaceId)
    }

    /// Notes that so many folders more wait in a place.
    pub(crate) fn wait(&self, place: PlaceId, jobs: u64) {
        if let Some(counts) = self.counts.get(place.0) {
            counts.jobs.fetch_add(jobs, Ordering::Relaxed);
            counts.is_begun.store(true, Ordering::Relaxed);
        }
    }

    /// Notes that one of them is done.
    pub(crate) fn done(&self, place: PlaceId) {
        if let Some(counts) = self.counts.get(place.0) {
            counts.jobs.fetch_sub(1, Ordering::Relaxed);
        }
    }

    /// Adds what a thread counted.
    pub(crate) fn add(&self, place: PlaceId, counted: Counted) {
        let Some(counts) = self.counts.get(place.0) else {
            return;
        };
        let add = |sum: &AtomicU64, more: u64| {
            if more > 0 {
                sum.fetch_add(more, Ordering::Relaxed);
            }
        };
        add(&counts.looked_at, counted.looked_at);
        add(&counts.remembered, counted.remembered);
        add(&counts.items, counted.items);
        // Sizes come from the disk, and a lie of it must not wrap the sum.
        let bytes = counts.bytes.load(Ordering::Relaxed);
        add(&counts.bytes, counted.bytes.min(u64::MAX - bytes));
    }

    /// All places together.
    pub(crate) fn in_all(&self) -> Counted {
        let mut all = Counted::default();
        for counts in &self.counts {
            all.looked_at += counts.looked_at.load(Ordering::Relaxed);
            all.remembered += counts.remembered.load(Ordering::Relaxed);
            all.items += counts.items.load(Ordering::Relaxed);
            let bytes = counts.bytes.load(Ordering::Relaxed);
            all.bytes = all.bytes.saturating_add(bytes);
        }
        all
    }
}

/// Tells what has changed since it last told.
pub(crate) struct WalkNews<'a> {
    tally: &'a WalkTally,
    sink: &'a dyn Fn(ScanEvent),
    told: Vec<Option<(u64, u64, bool)>>,
}

impl<'a> WalkNews<'a> {
    /// Tells the places that will be walked.
    pub(crate) fn new(tally: &'a WalkTally, sink: &'a dyn Fn(ScanEvent)) -> Self {
        sink(ScanEvent::Places(
            tally.places.iter().map(ToString::to_string).collect(),
        ));
        Self {
            tally,
            sink,
            told: vec![None; tally.places.len()],
        }
    }

    /// Tells the places that have moved; `is_over` says that all are done.
    pub(crate) fn tell(&mut self, is_over: bool) {
        let mut waiting = 0;
        for (place, (counts, told)) in (self.tally.counts.iter().zip(&mut self.told)).enumerate() {
            let jobs = counts.jobs.load(Ordering::Relaxed);
            waiting += jobs;
            let is_begun = counts.is_begun.load(Ordering::Relaxed);
            let is_done = is_over || (is_begun && jobs == 0);
            let looked_at = counts.looked_at.load(Ordering::Relaxed);
            let items = counts.items.load(Ordering::Relaxed);
            let now = Some((looked_at, items, is_done));
            if now == *told || !(is_begun || is_over) {
                continue;
            }
            *told = now;
            (self.sink)(ScanEvent::Counted {
                place: PlaceId(place),
                looked_at,
                remembered: counts.remembered.load(Ordering::Relaxed),
                items,
                bytes: counts.bytes.load(Ordering::Relaxed),
                is_done,
            });
        }
        (self.sink)(ScanEvent::Waiting { folders: waiting });
    }
}
