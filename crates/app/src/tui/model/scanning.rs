//! A scan under way.

use std::time::Duration;

use jolly_core::walk::ScanEvent;

/// One place being walked.
#[derive(Clone, Debug, Default)]
pub(in crate::tui) struct PlaceProgress {
    pub name: String,
    pub looked_at: u64,
    /// Names of these that were known from the scan before.
    pub remembered: u64,
    pub items: u64,
    pub bytes: u64,
    pub is_begun: bool,
    pub is_done: bool,
}

/// The places of the system, or of one account.
#[derive(Clone, Debug)]
pub(in crate::tui) struct PlaceGroup {
    pub name: String,
    /// Positions in `Scanning::places`.
    pub places: Vec<usize>,
}

/// A scan under way.
#[derive(Clone, Debug, Default)]
pub(in crate::tui) struct Scanning {
    /// The clock when it began.
    pub began: Duration,
    pub places: Vec<PlaceProgress>,
    pub groups: Vec<PlaceGroup>,
    /// Folders that were seen and wait to be walked.
    pub waiting: u64,
    pub is_stopping: bool,
    /// How long it took, once it is over.
    pub took: Option<Duration>,
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
                remembered,
                items,
                bytes,
                is_done,
            } => {
                if let Some(known) = self.places.get_mut(place.0) {
                    (known.looked_at, known.items, known.bytes) = (looked_at, items, bytes);
                    known.remembered = remembered;
                    known.is_begun = true;
                    // The last news of a place may be followed by a late count.
                    known.is_done |= is_done;
                }
            }
            ScanEvent::Waiting { folders } => self.waiting = folders,
        }
    }

    /// Groups the places by whose they are; `homes` are the accounts' names and where they live.
    pub(in crate::tui) fn group(&mut self, homes: &[(String, String)]) {
        let mut groups: Vec<PlaceGroup> = Vec::new();
        for (at, place) in self.places.iter().enumerate() {
            let is_in = |home: &str| {
                let below = place.name.strip_prefix(home);
                !home.is_empty()
                    && below.is_some_and(|rest| rest.is_empty() || rest.starts_with('/'))
            };
            let home = homes.iter().filter(|(_, home)| is_in(home));
            let home = home.max_by_key(|(_, home)| home.len());
            let name = home.map_or("system", |(name, _)| name.as_str());
            match groups.iter_mut().find(|group| group.name == name) {
                Some(group) => group.places.push(at),
                None => groups.push(PlaceGroup {
                    name: name.to_owned(),
                    places: vec![at],
                }),
            }
        }
        groups.sort_by(|one, other| {
            let key = |group: &PlaceGroup| (group.name != "system", group.name.clone());
            key(one).cmp(&key(other))
        });
        self.groups = groups;
    }

    /// Names looked at and bytes found so far.
    pub(in crate::tui) fn sums(&self) -> (u64, u64) {
        let names = self.places.iter().map(|place| place.looked_at).sum();
        let bytes = self
            .places
            .iter()
            .fold(0_u64, |sum, place| sum.saturating_add(place.bytes));
        (names, bytes)
    }

    /// Names that were known from the scan before, so far.
    pub(in crate::tui) fn remembered(&self) -> u64 {
        self.places.iter().map(|place| place.remembered).sum()
    }
}
