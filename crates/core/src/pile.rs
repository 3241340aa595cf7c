//! What was found, in piles: one for each rule and account.
//!
//! No item is in two piles, so no sum counts twice.

mod at_once;
pub(crate) mod build;
pub(crate) mod explain;
mod index;
mod key;
mod notes;
mod scan;

pub use at_once::AtOnce;
pub use build::{Blocked, Pile, Sum};
pub use explain::{Explanation, Question, Seen, explain};
pub use index::PileIndex;
pub use key::PileKey;
pub use notes::{Note, Notes};
pub use scan::{Scan, ScanOrder, scan};
