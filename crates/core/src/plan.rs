//! The list of what goes: made from decisions, shown, written, read again, and what may become of each thing on it.
//!
//! Nothing goes that isn't on the list that was shown.

mod file;
mod file_identity;
mod header;
pub(crate) mod item_outcome;
mod items;
mod manifest;
mod order;
mod outcome;
mod preview;
mod stay_reason;

pub use file::{MostRead, PlanError, read_plan, write_plan};
pub use file_identity::{FileIdentity, Tolerance};
pub(crate) use item_outcome::ItemOutcome;
pub use items::Items;
pub use manifest::{ConfirmedManifest, Manifest, ManifestItem, TargetMark, make_manifest};
pub use outcome::{Outcome, OutcomeSums, Stayed};
pub use preview::write_preview;
pub use stay_reason::{Moment, StayReason};
