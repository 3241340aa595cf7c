//! Hearing of a scan while it goes.

/// A place's position in the list of places that are walked.
#[derive(Clone, Copy, Debug, Default, PartialEq, Eq)]
pub struct PlaceId(pub usize);

/// What a scan tells while it goes.
#[derive(Clone, Debug, PartialEq, Eq)]
pub enum ScanEvent {
    /// The places that will be walked, in order.
    Places(Vec<String>),
    /// How far one of them is; the last news of a place has `is_done`. Several are walked at once.
    Counted {
        /// Which place.
        place: PlaceId,
        /// Names looked at in it.
        looked_at: u64,
        /// Those of them that were known from a scan before.
        remembered: u64,
        /// Items found in it.
        items: u64,
        /// Bytes that these hold on the disk.
        bytes: u64,
        /// Whether the place has been walked to its end.
        is_done: bool,
    },
    /// What is known to be left.
    Waiting {
        /// Folders that have been seen and not yet walked to their end.
        folders: u64,
    },
}
