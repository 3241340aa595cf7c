//! What goes and what stays: decisions, each of which can be undone, and the manifest they make.

mod choice;
mod decisions;
mod exclusion;
mod history;
mod manifest;
mod marked;
mod order;
mod overlay;
mod plan;
mod reach;
mod selection;
mod standing;
mod start;

pub use choice::{Choice, Node};
pub use decisions::{Decisions, Going, PileDecision, PileState};
pub use exclusion::{Exclusion, ExclusionError, Matcher, Scope, Spared, Spares, Spot, Thing};
pub use manifest::{
    ConfirmedManifest, EntryKind, Identity, Manifest, ManifestItem, TargetMark, make_manifest,
};
pub use plan::{MostRead, PlanError, read_plan, write_plan, write_preview};
pub use reach::{Excluded, Reach};
pub use selection::Selection;
pub use standing::Standing;
pub use start::{Start, Starts};
