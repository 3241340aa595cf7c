//! The rule language: parse, check, compile, explain; and the guards that stand above all rules.

mod age;
mod builtin;
mod compiled;
mod detect;
mod example;
mod file_kind;
mod guard;
mod hostile_home;
mod ownership;
mod parse;
mod path_pattern;
mod pattern;
mod problem;
mod reach;
mod rule;
mod search;
mod section;
mod usual;
mod written;

pub use age::{AgeError, AgeLimit, AgeUnit, BAND_COUNT, BAND_EDGES, BAND_NAMES, band_of};
pub use builtin::builtin;
pub(crate) use compiled::FolderFit;
pub use compiled::{CompiledRule, Fit, RuleNumber, RuleSet};
pub use detect::Detect;
pub use example::{ExampleFailure, run_examples};
pub use file_kind::FileKind;
pub(crate) use guard::FolderGuards;
#[cfg(test)]
pub(crate) use guard::samples as guard_samples;
pub use guard::{Guard, Guards};
pub use hostile_home::{Precious, PreciousTaken, hostile_home, run_hostile_home};
pub(crate) use ownership::{Ownership, Probe, decide as decide_owner};
pub(crate) use path_pattern::{NameTest, PathPattern, Reached, Spelling};
pub(crate) use pattern::{bound as bound_pattern, build as build_pattern};
pub use problem::{DocumentError, Problem};
pub use rule::{
    AgeBy, AgeRule, Class, Example, Family, KeepNewest, Need, Removal, Rule, Rulebook, Verdict,
    Within,
};
pub use search::{Search, Unresolved, resolve};
pub use section::Section;
pub use written::written_size;
