//! What became of one item.

use std::io;

use crate::plan::{Outcome, StayReason};

/// What became of one item, and why it stays if it does.
#[derive(Clone, Debug, PartialEq, Eq)]
pub(crate) struct ItemOutcome {
    pub outcome: Outcome,
    pub bytes: u64,
    /// None when it went.
    pub reason: Option<StayReason>,
    /// Whether the bytes are known to be those that the list says; a log needn't say them again then.
    pub is_as_listed: bool,
}

impl ItemOutcome {
    pub(crate) fn stays(reason: StayReason) -> Self {
        Self {
            outcome: reason.outcome(),
            bytes: 0,
            reason: Some(reason),
            is_as_listed: false,
        }
    }

    /// What the kernel's refusal means for an item.
    pub(crate) fn of_error(error: &io::Error, verb: &'static str) -> Self {
        Self::stays(StayReason::of_error(error, verb))
    }

    /// Says of what stays that it lies elsewhere, unless that is said already.
    pub(crate) fn lies(&mut self, place: &str) {
        let is_told = matches!(self.reason, Some(StayReason::LiesElsewhere { .. }));
        if let Some(because) = self.reason.take_if(|_| !is_told) {
            let (because, place) = (Box::new(because), place.to_owned());
            self.reason = Some(StayReason::LiesElsewhere { because, place });
        }
    }

    /// The reason in words; empty when it went.
    pub(crate) fn words(&self) -> String {
        self.reason
            .as_ref()
            .map(ToString::to_string)
            .unwrap_or_default()
    }
}
