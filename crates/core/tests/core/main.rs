//! The core against real trees: what it promises, attacked.

mod decisions;
mod journals;
mod plans;
mod recoveries;
mod rulebooks;
mod scans;
mod support;
mod sweeps;
mod targets;
