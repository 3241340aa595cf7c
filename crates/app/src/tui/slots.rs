//! Questions that threads answer, of each kind only the newest.

use jolly_core::CancelToken;

/// The kinds of questions of which only the newest counts.
#[derive(Clone, Copy)]
pub(super) enum Kind {
    Inside,
    Find,
    Others,
    Reckon,
    Narrow,
    Close,
    Sites,
    Spare,
    Programs,
    Manager,
    Space,
    Copies,
    Versions,
    Snapshots,
}

/// What cancels the question of each kind that is being answered.
#[derive(Default)]
pub(super) struct Slots([CancelToken; 14]);

impl Slots {
    /// Cancels the question of that kind, and gives the token of a new one. What lies in several
    /// folders may be looked for at once.
    pub(super) fn take(&mut self, kind: Kind) -> CancelToken {
        let slot = match kind {
            Kind::Inside => 0,
            Kind::Find => 1,
            Kind::Others => 2,
            Kind::Reckon => 3,
            Kind::Narrow => 4,
            Kind::Close => 5,
            Kind::Sites => 6,
            Kind::Spare => 7,
            Kind::Programs => 8,
            Kind::Manager => 9,
            Kind::Space => 10,
            Kind::Copies => 11,
            Kind::Versions => 12,
            Kind::Snapshots => 13,
        };
        let fresh = CancelToken::default();
        if let Some(known) = self.0.get_mut(slot) {
            let before = std::mem::replace(known, fresh.clone());
            if !matches!(kind, Kind::Others) {
                before.cancel();
            }
        }
        fresh
    }
}
