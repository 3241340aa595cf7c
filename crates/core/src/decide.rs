//! What goes and what stays: decisions, each of which can be undone, and the manifest they make.

mod decisions;
mod exclusion;
mod manifest;
mod plan;
mod selection;

pub use decisions::{Decisions, PileDecision, PileState};
pub use exclusion::{Exclusion, ExclusionError};
pub use manifest::{
    ConfirmedManifest, EntryKind, Identity, Manifest, ManifestItem, TargetMark, make_manifest,
};
pub use plan::{MostRead, PlanError, read_plan, write_plan, write_preview};
pub use selection::Selection;
