//! What is asked of threads, and heard of them, about what is written to files.

use std::path::PathBuf;
use std::sync::Arc;

use jolly_core::report::Form;
use jolly_core::state::RunId;
use jolly_paper::PaperForm;

use crate::handover::Drawn;

/// What is written to a file.
pub(in crate::tui) enum Export {
    /// What was drawn, in this form.
    Picture(Arc<Drawn>, PaperForm),
    /// What a run did, for programs.
    Run(RunId, Form),
}

/// What became of a page or a picture.
pub(in crate::tui) enum ExportNews {
    /// It is drawn, or can't be.
    Drawn(Result<Box<Drawn>, String>),
    /// It was written, or not.
    Written(Result<PathBuf, ExportFailure>),
}

/// Why nothing was written.
pub(in crate::tui) enum ExportFailure {
    /// A file of that name is there.
    IsThere,
    /// Something else, in words.
    Other(String),
}
