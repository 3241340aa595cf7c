//! What is asked of threads, and heard of them, about packing and rescuing.

use std::path::PathBuf;

use jolly_core::CancelToken;
use jolly_core::computer::TargetPath;
use jolly_core::packing::{Gain, HomeContents};

use crate::tui::model::PackSubject;

/// Something that is to be packed or rescued.
pub(in crate::tui) struct PackOrder {
    pub subject: PackSubject,
    /// Of a home these; all of it where there are none.
    pub paths: Vec<TargetPath>,
    /// Where what is rescued comes to.
    pub to: PathBuf,
    pub cancel: CancelToken,
}

/// What becomes of something that is packed or rescued.
pub(in crate::tui) enum PackingNews {
    /// What packing it would gain, or why it can't be packed.
    Weighed(Result<Gain, String>),
    /// What is in a home.
    Contents(Result<Box<HomeContents>, String>),
    /// So many bytes of files went through.
    Moved(u64),
    /// It is done, and what is to be said of it; or why not.
    Ended(Result<Vec<String>, String>),
}
