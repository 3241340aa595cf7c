//! What goes and what stays: decisions, each of which can be undone.
//!
//! Whether a file is too young is decided by its pile's limit in `decisions`; whether a person spares it in `exclusion`.

mod choice;
mod decisions;
mod disposition;
mod exclusion;
mod history;
pub(crate) mod inside;
mod marked;
mod overlay;
mod reach;
mod selection;
mod start;
mod user_files;

pub use choice::portion::{Extent, Portion, copies_that_go, left_behind, renewable};
pub use choice::{Choice, Node};
pub use decisions::{Decisions, Going, PileDecision, PileState};
pub use disposition::Disposition;
pub use exclusion::{Exclusion, ExclusionError, Matcher, Scope, Spared, Spares, Spot, Thing};
pub use inside::arrange::{Arrangement, InsideOrder};
pub use inside::languages::LanguageShare;
pub use inside::others::{Other, Others, others};
pub use inside::{Entry, EntryId, Inside, Trashed};
pub use reach::{Excluded, Reach};
pub use selection::Selection;
pub use start::{Start, StartLimit, Starts};
pub use user_files::exclusions::{change_exclusions, read_exclusions};
pub use user_files::starts::{change_starts, read_starts};
