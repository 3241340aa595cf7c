//! What starts by itself on a computer, as it is switched.

use std::sync::Arc;

use crate::session::Session;
use crate::startup::StartRow;

/// The view of what starts by itself.
pub(in crate::tui) struct StartupView {
    pub session: Arc<Session>,
    /// By account and source; none while they are looked for.
    pub rows: Option<Vec<StartRow>>,
    /// What couldn't be read, in words.
    pub unread: Vec<String>,
    /// Position in `rows`.
    pub focus: usize,
    /// What was switched here, the last one last: its id, and whether it was on before.
    pub done: Vec<(String, bool)>,
    /// Whether something is being switched.
    pub is_busy: bool,
}

impl StartupView {
    pub(in crate::tui) fn new(session: Arc<Session>) -> Self {
        Self {
            session,
            rows: None,
            unread: Vec::new(),
            focus: 0,
            done: Vec::new(),
            is_busy: false,
        }
    }

    /// The row in focus.
    pub(in crate::tui) fn focused(&self) -> Option<&StartRow> {
        self.rows.as_ref()?.get(self.focus)
    }

    /// How many start by themselves, and how many of those were turned off here.
    pub(in crate::tui) fn counts(&self) -> (u64, u64) {
        let rows = self.rows.as_deref().unwrap_or_default();
        let on = rows.iter().filter(|row| row.is_on).count();
        let off = rows.iter().filter(|row| row.off_since.is_some()).count();
        (on as u64, off as u64)
    }
}
