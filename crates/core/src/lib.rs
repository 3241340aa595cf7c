//! The job, without its interface.
//!
//! The way of the data is the way through the rooms: [`mod@format`], [`host`], [`computer`], [`state`], [`rule`], `walk`,
//! [`source`], [`survey`], [`pile`], [`decide`], [`plan`], [`dustpan`], [`run`], [`report`]. Each may use those before it
//! and none after it. Nothing here prints, exits or asks the clock; threads are started in `walk`, `run` and `dustpan`.

mod cancel;
pub mod computer;
pub mod decide;
pub mod dustpan;
mod error_chain;
pub mod format;
#[cfg(test)]
mod fuzz;
pub mod host;
pub mod pile;
pub mod plan;
pub mod report;
pub mod rule;
pub mod run;
pub mod source;
pub mod state;
pub mod survey;
pub mod walk;

pub use cancel::CancelToken;
pub use error_chain::error_chain;
