//! Holding a sweep for a while.

use std::sync::atomic::{AtomicBool, Ordering};
use std::sync::{Arc, Condvar, Mutex, PoisonError};
use std::time::Duration;

use crate::cancel::CancelToken;

/// How often one who is held looks whether all is to end.
const LOOK: Duration = Duration::from_millis(50);

/// Holds a sweep before its next item, and lets it go on.
#[derive(Clone, Debug, Default)]
pub struct Pause(Arc<Gate>);

#[derive(Debug, Default)]
struct Gate {
    is_shut: AtomicBool,
    turn: Mutex<()>,
    bell: Condvar,
}

impl Pause {
    /// Holds the work before its next item.
    pub fn hold(&self) {
        self.0.is_shut.store(true, Ordering::SeqCst);
    }

    /// Lets it go on.
    pub fn go_on(&self) {
        self.0.is_shut.store(false, Ordering::SeqCst);
        self.0.bell.notify_all();
    }

    /// Whether it is held.
    pub(crate) fn is_held(&self) -> bool {
        self.0.is_shut.load(Ordering::SeqCst)
    }

    /// Waits while it is held; a stop ends the waiting.
    pub(crate) fn wait(&self, stop: &CancelToken) {
        while self.is_held() && !stop.is_cancelled() {
            let turn = self.0.turn.lock().unwrap_or_else(PoisonError::into_inner);
            drop(self.0.bell.wait_timeout(turn, LOOK));
        }
    }
}
