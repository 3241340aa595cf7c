//! The job, without its interface.
//!
//! The way of the data is the way through the modules: [`target`] → [`rulebook`] → [`recognise`] →
//! [`scan`] → [`decide`] → [`sweep`] → [`report`]. Nothing here prints, exits, starts a thread or asks the clock.

pub mod arrive;
mod cancel;
pub mod decide;
#[cfg(test)]
mod fuzz;
pub mod inside;
mod json;
pub mod kept;
pub mod recognise;
pub mod report;
pub mod rulebook;
pub mod scan;
pub mod sheet;
mod story;
pub mod sweep;
pub mod target;

pub use json::{json_text, write_json};
pub use story::whole_story;
