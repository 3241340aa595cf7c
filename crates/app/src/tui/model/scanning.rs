//! A scan under way.

use std::time::Duration;

use jolly_core::scan::ScanEvent;

/// One place being walked.
#[derive(Clone, Debug, Default)]
pub(in crate::tui) struct PlaceProgress {
    pub name: String,
    pub looked_at: u64,
    pub items: u64,
    pub bytes: u64,
    pub is_begun: bool,
    pub is_done: bool,
}

/// A scan under way.
#[derive(Clone, Debug, Default)]
pub(in crate::tui) struct Scanning {
    /// The clock when it began.
    pub began: Duration,
    pub places: Vec<PlaceProgress>,
    pub is_stopping: bool,
}

impl Scanning {
    /// Takes news in.
    pub(in crate::tui) fn hear(&mut self, event: ScanEvent) {
        match event {
            ScanEvent::Places(names) => {
                let place = |name| PlaceProgress {
                    name,
                    ..PlaceProgress::default()
                };
                self.places = names.into_iter().map(place).collect();
            }
            ScanEvent::Counted {
                place,
                looked_at,
                items,
                bytes,
                is_done,
            } => {
                if let Some(place) = self.places.get_mut(place) {
                    (place.looked_at, place.items, place.bytes) = (looked_at, items, bytes);
                    (place.is_begun, place.is_done) = (true, is_done);
                }
            }
        }
    }

    /// Names looked at and bytes found so far.
    pub(in crate::tui) fn sums(&self) -> (u64, u64) {
        let names = self.places.iter().map(|place| place.looked_at).sum();
        let bytes = self.places.iter().map(|place| place.bytes).sum();
        (names, bytes)
    }
}
