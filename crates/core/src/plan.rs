//! The list of what goes: made from decisions, shown, written, read again, and what may become of each thing on it.
//!
//! Nothing goes that isn't on the list that was shown.

mod file;
mod file_identity;
mod header;
pub(crate) mod item_outcome;
pub(crate) mod items;
mod make;
mod manifest;
mod order;
mod outcome;
mod preview;
mod stay_reason;
mod written_place;

pub use file::{MostRead, PlanError, read_plan, write_plan};
pub use file_identity::{FileIdentity, Tolerance};
pub(crate) use item_outcome::ItemOutcome;
pub use items::Items;
pub use make::make_manifest;
pub use manifest::safety_copies::{SafetyCopies, safety_copies};
pub use manifest::sign_ins::{SignInsLost, sign_ins_lost};
pub use manifest::{ConfirmedManifest, ListEntry, Manifest, ManifestItem, TargetMark};
pub use outcome::{Outcome, OutcomeSums, Stayed};
pub use preview::write_preview;
pub use stay_reason::{Moment, StayReason};
pub use written_place::{WrittenPlace, shown_place};
