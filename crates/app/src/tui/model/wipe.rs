//! Something that is to be written over: what there is to choose from, and how far it is.

use jolly_core::wiping::WipeProgress;
use tui_input::Input;

use crate::wiping::{WipeSubject, Wiped};

/// One thing that could be written over.
#[derive(Clone, Debug)]
pub(in crate::tui) struct WipeChoice {
    /// What it is, in words.
    pub says: String,
    /// How large it is, in words.
    pub size: String,
    /// What can't be promised; or why it can't be done.
    pub notes: Vec<String>,
    /// What is written over, and the word that says that it is meant; none where it can't be done.
    pub can: Option<(WipeSubject, String)>,
}

/// How far it is.
pub(in crate::tui) enum WipeStage {
    /// It is found out what there is.
    Looking,
    /// One is chosen, and its word typed; with what was wrong with that.
    Choosing(Vec<WipeChoice>, Input, Option<String>),
    /// It is written over.
    UnderWay {
        subject: String,
        progress: Option<WipeProgress>,
        is_held: bool,
        is_stopping: bool,
    },
    /// It has ended.
    Done(Box<Wiped>),
    /// It couldn't be begun, and why.
    Failed(String),
}

/// What stands before the station meanwhile.
pub(in crate::tui) struct WipeView {
    pub stage: WipeStage,
    /// The choice in focus.
    pub focus: usize,
}
