//! The rule language: parse, check, compile, explain; and the guards that stand above all rules.

mod age;
mod builtin;
mod compiled;
mod example;
mod explain;
mod guard;
mod parse;
mod pattern;
mod problem;
mod rule;
mod search;
mod written;

pub use age::{AgeError, AgeLimit, AgeUnit, BAND_COUNT, BAND_EDGES, BAND_NAMES, band_of};
pub use builtin::builtin;
pub use compiled::{CompiledRule, Fit, RuleNumber, RuleSet};
pub use example::{ExampleFailure, run_examples};
pub use explain::{Explanation, explain};
pub use guard::{Guard, Guards};
pub use problem::{Problem, RulebookError};
pub use rule::{
    AgeBy, AgeRule, Class, Detect, Example, Need, Removal, Rule, Rulebook, Verdict, Within,
};
pub use search::{Search, Unresolved, resolve};
