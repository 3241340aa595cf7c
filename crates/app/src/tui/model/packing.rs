//! Something that is to be packed, taken out of its archive, or rescued: what it would come to, and how far it is.

use jolly_core::CancelToken;
use jolly_core::computer::{AccountName, TargetPath};
use jolly_core::packing::{Gain, HomeContents};
use tui_input::Input;

use crate::tui::model::Overlay;

/// What is done, and with what.
#[derive(Clone, Debug, PartialEq, Eq)]
pub(in crate::tui) enum PackSubject {
    /// It is packed beside itself.
    Pack(TargetPath),
    /// It comes out of its archive.
    Unpack(TargetPath),
    /// Some of this account's home is packed into an archive on another disk.
    Rescue(AccountName),
}

/// How far it is.
pub(in crate::tui) enum PackStage {
    /// It is looked at.
    Looking,
    /// It can be done: what it would come to.
    Offered,
    /// It is being done; so many bytes of files went through.
    UnderWay(u64),
    /// It is done, and what is to be said of it.
    Done(Vec<String>),
    /// It can't be done, and why.
    Failed(String),
}

/// What stands before the station meanwhile.
pub(in crate::tui) struct PackingView {
    pub subject: PackSubject,
    pub stage: PackStage,
    /// What packing it would gain.
    pub gain: Option<Gain>,
    /// What is in the home.
    pub contents: HomeContents,
    /// Which of its folders are rescued.
    pub chosen: Vec<bool>,
    /// The folder in focus.
    pub focus: usize,
    /// The folder that the archive comes into.
    pub to: Input,
    /// The moment that ages count from, seconds since 1970.
    pub now: i64,
    /// What stands there again afterwards.
    pub behind: Option<Box<Overlay>>,
    /// Ends it.
    pub cancel: CancelToken,
}

impl PackingView {
    pub(in crate::tui) fn new(subject: PackSubject, now: i64) -> Self {
        Self {
            subject,
            stage: PackStage::Looking,
            gain: None,
            contents: HomeContents::default(),
            chosen: Vec::new(),
            focus: 0,
            to: Input::default(),
            now,
            behind: None,
            cancel: CancelToken::default(),
        }
    }

    /// How many files of how many bytes are rescued.
    pub(in crate::tui) fn chosen_sum(&self) -> (u64, u64) {
        let folders = self.contents.folders.iter().zip(&self.chosen);
        let chosen = folders.filter(|(_, is_chosen)| **is_chosen);
        chosen.fold((0, 0), |(files, bytes), ((_, sum), _)| {
            (files + sum.files, bytes + sum.bytes)
        })
    }

    /// What is rescued, by path.
    pub(in crate::tui) fn chosen_paths(&self) -> Vec<TargetPath> {
        let folders = self.contents.folders.iter().zip(&self.chosen);
        let chosen = folders.filter(|(_, is_chosen)| **is_chosen);
        chosen.map(|((path, _), _)| path.clone()).collect()
    }
}
