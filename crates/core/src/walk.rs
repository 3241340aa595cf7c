//! Walking folders with several threads: the queue of work, what is told meanwhile, what can't be read; and all of a target as
//! one tree.
//!
//! It knows no rules.

mod progress;
mod queue;
mod tree;
pub(crate) mod unread;

pub use progress::{PlaceId, ScanEvent};
pub(crate) use queue::WorkQueue;
pub use tree::{FileNumber, FileTree, FolderNumber, TreeFile, TreeNews, walk_tree};
pub(crate) use unread::Gatherer;
pub use unread::Unread;
