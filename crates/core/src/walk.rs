//! Walking folders with several threads: the queue of work, what is told meanwhile, what can't be read.
//!
//! It knows no rules.

mod progress;
mod queue;
pub(crate) mod unread;

pub use progress::{PlaceId, ScanEvent};
pub(crate) use queue::{WorkQueue, WorkerGuard};
pub(crate) use unread::Gatherer;
pub use unread::Unread;
