//! The job, without its interface.
//!
//! The way of the data is the way through the rooms: [`mod@format`], [`host`], [`computer`], [`state`], [`rule`], `walk`,
//! [`source`], [`survey`], [`pile`], [`decide`], [`plan`], [`dustpan`], [`packing`], [`run`], [`wiping`], [`chores`], [`report`]. Each may use those before it
//! and none after it. Nothing here prints, exits or asks the clock; threads are started by a walk, a look for copies, a
//! run and a reading of many job sheets alone.
//!
//! The whole way once, under a rulebook of one rule:
//!
//! ```
//! use std::sync::Arc;
//!
//! use jiff::{SignedDuration, Timestamp};
//! use jolly_core::CancelToken;
//! use jolly_core::computer::Target;
//! use jolly_core::decide::{Decisions, Selection};
//! use jolly_core::pile::{ScanOrder, scan};
//! use jolly_core::plan::{Outcome, make_manifest};
//! use jolly_core::rule::RuleSet;
//! use jolly_core::run::{Pause, Real, RunContext, sweep};
//! use jolly_core::state::{Journal, RunId, StateFolder};
//!
//! # fn main() -> Result<(), Box<dyn std::error::Error>> {
//! # let dir = tempfile::tempdir()?;
//! # let root = dir.path().join("root");
//! # std::fs::create_dir_all(root.join("tmp"))?;
//! # std::fs::create_dir_all(root.join("etc"))?;
//! # std::fs::write(root.join("etc/os-release"), "ID=till\n")?;
//! # std::fs::write(root.join("tmp/old.tmp"), "finished with")?;
//! let book = r#"
//!     rulebook = "own"
//!     layout   = "linux"
//!     [[rule]]
//!     id    = "temp"
//!     title = "Temporary folder"
//!     class = "spent"
//!     about = "Files that programs put down while they worked."
//!     after = "Nobody will notice."
//!     in    = ["{temp}"]
//!     age   = { limit = "1 week" }
//! "#;
//! // A month from now what was written a moment ago is old enough.
//! let now = Timestamp::now().saturating_add(SignedDuration::from_hours(24 * 30))?;
//! let never = CancelToken::default();
//!
//! let target = Arc::new(Target::open(Arc::new(jolly_disk::RealDisk), &root, None, &|_| None)?);
//! let rules = Arc::new(RuleSet::compile(&[("own.toml".into(), book.into())])?);
//! let scan = scan(&ScanOrder::new(&target, &rules, now), &never, &|_| {});
//! let decisions = Decisions::new(&scan, &Selection::default())?;
//! let manifest = make_manifest(&scan, &decisions);
//! assert_eq!(manifest.items.len(), 1);
//!
//! // A person has read the list and typed the word.
//! let confirmed = manifest.confirm();
//! let state = StateFolder::new(dir.path().join("state"));
//! let run = RunId::new(now, std::process::id());
//! let mut journal = Journal::create(&state, &run)?;
//! let context = RunContext {
//!     target: &scan.target,
//!     rules: &scan.rules,
//!     searches: &scan.searches,
//!     own: &[],
//!     excluded: &[],
//!     rules_off: &[],
//! };
//! let real = Real {
//!     run: &run,
//!     state: &state,
//!     journal: &mut journal,
//!     dustpan: None,
//!     started: now,
//!     pause: Pause::default(),
//!     predictions: None,
//! };
//! let summary = sweep(&context, &confirmed, real, &never, &|| now, &|_| {})?;
//! assert_eq!(summary.sum(Outcome::Removed).items, 1);
//! assert!(!root.join("tmp/old.tmp").exists() && root.join("etc/os-release").exists());
//! # Ok(())
//! # }
//! ```

/// A list of words, as many on a line as there is room for.
macro_rules! words {
    ($($word:literal)*) => { &[$($word),*] };
}

mod cancel;
pub mod chores;
pub mod computer;
pub mod decide;
pub mod dustpan;
mod error_chain;
pub mod format;
#[cfg(test)]
mod fuzz;
pub mod host;
pub mod packing;
pub mod pile;
pub mod plan;
pub mod report;
pub mod rule;
pub mod run;
pub mod source;
pub mod state;
pub mod survey;
pub mod walk;
pub mod wiping;

pub use cancel::CancelToken;
pub use error_chain::error_chain;
