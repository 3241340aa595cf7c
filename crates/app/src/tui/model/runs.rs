//! The runs that there have been, each as its log tells it.

use jolly_core::run::LogSummary;

/// Earlier runs.
#[derive(Default)]
pub(in crate::tui) struct RunsView {
    /// The newest first; none while their logs are being read.
    pub runs: Option<Vec<LogSummary>>,
    /// Logs that can't be read, in words.
    pub broken: Vec<String>,
    /// Position in `runs`.
    pub focus: usize,
}

impl RunsView {
    /// The run in focus.
    pub(in crate::tui) fn focused(&self) -> Option<&LogSummary> {
        self.runs.as_ref()?.get(self.focus)
    }
}
