//! News of a walk, counted by place.

use crate::rulebook::Search;
use crate::scan::ScanEvent;
use crate::target::TargetPath;

/// Names looked at between two pieces of news.
const NEWS_EVERY: u64 = 512;

#[derive(Clone, Default)]
struct Counts {
    looked_at: u64,
    items: u64,
    bytes: u64,
}

/// Counts what is found by place, and tells it.
pub(super) struct News<'a> {
    sink: &'a dyn Fn(ScanEvent),
    /// Every root, each once, in the order of their paths.
    places: Vec<TargetPath>,
    counts: Vec<Counts>,
    at: usize,
}

impl<'a> News<'a> {
    /// Tells the places that will be walked.
    pub(super) fn new(searches: &[Search], sink: &'a dyn Fn(ScanEvent)) -> Self {
        let mut places: Vec<TargetPath> =
            searches.iter().map(|search| search.root.clone()).collect();
        places.sort();
        places.dedup();
        sink(ScanEvent::Places(
            places.iter().map(ToString::to_string).collect(),
        ));
        let counts = vec![Counts::default(); places.len()];
        Self {
            sink,
            places,
            counts,
            at: 0,
        }
    }

    /// The place that is being walked, by position.
    pub(super) fn at(&self) -> usize {
        self.at
    }

    /// The name of the place that is being walked.
    pub(super) fn place_name(&self) -> String {
        self.places
            .get(self.at)
            .map(ToString::to_string)
            .unwrap_or_default()
    }

    /// The place that starts at this folder, by position.
    pub(super) fn place(&self, path: &TargetPath) -> Option<usize> {
        self.places.binary_search(path).ok()
    }

    /// Counts what follows with a place.
    pub(super) fn enter(&mut self, place: usize) {
        if self.at != place {
            self.tell(self.at, false);
            self.at = place;
        }
    }

    /// Counts a name.
    pub(super) fn looked(&mut self) {
        let Some(counts) = self.counts.get_mut(self.at) else {
            return;
        };
        counts.looked_at += 1;
        if counts.looked_at.is_multiple_of(NEWS_EVERY) {
            self.tell(self.at, false);
        }
    }

    /// Counts an item.
    pub(super) fn found(&mut self, bytes: u64) {
        if let Some(counts) = self.counts.get_mut(self.at) {
            counts.items += 1;
            counts.bytes = counts.bytes.saturating_add(bytes);
        }
    }

    /// Tells that a root, and with it every place below it, has been walked to its end.
    pub(super) fn done(&self, top: &TargetPath) {
        for (place, path) in self.places.iter().enumerate() {
            if path.below(top).is_some() {
                self.tell(place, true);
            }
        }
    }

    fn tell(&self, place: usize, is_done: bool) {
        if let Some(counts) = self.counts.get(place) {
            (self.sink)(ScanEvent::Counted {
                place,
                looked_at: counts.looked_at,
                items: counts.items,
                bytes: counts.bytes,
                is_done,
            });
        }
    }
}
