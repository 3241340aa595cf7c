//! Stopping long work.

use std::sync::Arc;
use std::sync::atomic::{AtomicBool, Ordering};

/// Asks long work to stop; shared between whoever works and whoever waits.
#[derive(Clone, Debug, Default)]
pub struct CancelToken(Arc<AtomicBool>);

impl CancelToken {
    /// Asks the work to stop at the next safe point.
    pub fn cancel(&self) {
        self.0.store(true, Ordering::Relaxed);
    }

    /// Whether it has been asked to.
    pub fn is_cancelled(&self) -> bool {
        self.0.load(Ordering::Relaxed)
    }
}
