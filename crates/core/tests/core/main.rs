//! The core against real trees: what it promises, attacked.

#![allow(
    clippy::unwrap_used,
    clippy::expect_used,
    clippy::panic,
    clippy::too_many_lines,
    clippy::string_slice,
    clippy::print_stdout,
    reason = "a test that can't go on says so, and tells its story in one piece"
)]

mod arrivals;
mod chores;
mod copies;
mod decisions;
mod extensions;
mod hostile;
mod insides;
mod journals;
mod kept_files;
mod layouts;
mod left_behind;
mod leftovers;
mod lists;
mod packing;
mod pieces;
mod plans;
mod programs;
mod recent_links;
mod recoveries;
mod registries;
mod reports;
mod restore_points;
mod restores;
mod rows;
mod rubbish;
mod rule_keys;
mod rulebooks;
mod scans;
mod shared_bytes;
mod sheets;
mod space;
mod startups;
mod support;
mod sweeps;
mod targets;
mod trust;
mod versions;
mod volumes;
mod walks;
mod whole_folders;
mod wiping;
