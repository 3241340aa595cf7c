//! The rule language: read, check, compile, and the guards that stand above all rules.
//!
//! A rule says what may go; a guard says what never does, and is asked twice by different code. Who owns an item is
//! decided in `ownership.rs` alone. A new key goes through `parse`, `definition` and `compiled`.

mod builtin;
mod check;
mod compiled;
mod definition;
pub(crate) mod guard;
mod own_book;
mod ownership;
mod parse;
mod pattern;
mod rule_id;
mod search;
mod survey;

pub use builtin::builtin;
pub use check::example::{ExampleFailure, run_examples};
pub use check::hostile_home::{Precious, PreciousTaken, hostile_home, run_hostile_home};
pub(crate) use compiled::FolderFit;
pub use compiled::{CompiledRule, Fit, RuleNumber, RuleSet};
pub use definition::age::{
    AgeError, AgeLimit, AgeUnit, BAND_COUNT, BAND_EDGES, BAND_NAMES, band_of,
};
pub(crate) use definition::age::{age_at, seconds_since};
pub use definition::detect::Detect;
pub use definition::file_kind::FileKind;
pub use definition::list_format::ListFormat;
pub use definition::records::{AlsoRows, Epoch, RecordSet, RowFilter, RowSite, RowTime, TimeUnit};
pub use definition::reference_kind::ReferenceKind;
pub use definition::removal::Removal;
pub use definition::section::Section;
pub use definition::{
    AgeBy, AgeRule, Class, Example, Family, KeepNewest, Need, Rule, Rulebook, Verdict, Within,
};
pub(crate) use guard::folder::FolderGuards;
pub(crate) use guard::is_system_folder;
pub(crate) use guard::last_look::{Kept, LastGuard, of_folder};
pub(crate) use guard::name::guarded_folder_name;
pub use guard::{Guard, Guards};
pub use own_book::{NewPlace, OWN_BOOK, PlaceError, add_place, remove_place};
pub(crate) use ownership::{Ownership, Probe, decide as decide_owner};
pub use parse::written::written_size;
pub(crate) use pattern::path::{NameTest, NfaStates, PathPattern, Spelling};
pub(crate) use pattern::{bound as bound_pattern, build as build_pattern};
pub use rule_id::RuleId;
pub use search::{AsRead, Search, Twin, Twins, Unresolved, resolve};
pub(crate) use survey::SURVEY_BOOK;
pub use survey::Survey;
