//! What is heard of a thread that looks for chores, or does some.

use jolly_core::chores::Chore;

/// What is known of chores.
pub(in crate::tui) enum UpkeepNews {
    /// Which there are.
    Found(Vec<Chore>),
    /// What the tool of one says while it runs: the chore's title, and a line.
    Said(&'static str, String),
}
