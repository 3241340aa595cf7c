//! What is asked of a thread that writes something over, and heard of it.

use std::sync::Arc;

use jolly_core::wiping::WipeProgress;

use crate::session::Session;
use crate::tui::model::WipeChoice;
use crate::wiping::{WipeSubject, Wiped};

/// Something to be written over. Only its typed word leads here.
pub(in crate::tui) struct WipeOrder {
    pub session: Arc<Session>,
    pub subject: WipeSubject,
}

/// What became of it.
pub(in crate::tui) enum WipeNews {
    /// What there is to choose from.
    Found(Vec<WipeChoice>),
    /// How far it is.
    Reached(WipeProgress),
    /// It has ended, or couldn't be begun.
    Ended(Result<Box<Wiped>, String>),
}
