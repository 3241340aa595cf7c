//! The files in which exclusions and starts outlast a visit. All are TOML 1.0.

pub(super) mod exclusions;
mod reader;
pub(super) mod starts;
