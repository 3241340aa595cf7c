//! A folder that is to be a pile of its own, while it is being said.

use jolly_core::rule::Class;
use tui_input::Input;

/// The lines of the question, in order.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub(in crate::tui) enum PlaceLine {
    Folder,
    Title,
    Class,
    Age,
}

impl PlaceLine {
    pub(in crate::tui) const ALL: [Self; 4] = [Self::Folder, Self::Title, Self::Class, Self::Age];

    /// The word before it.
    pub(in crate::tui) fn word(self) -> &'static str {
        match self {
            Self::Folder => "folder",
            Self::Title => "what it is",
            Self::Class => "class",
            Self::Age => "older than",
        }
    }
}

/// A folder that is to be a pile of its own.
pub(in crate::tui) struct PlaceDraft {
    pub line: PlaceLine,
    pub folder: Input,
    pub title: Input,
    pub class: Class,
    pub age: Input,
    /// What was wrong with it.
    pub wrong: Option<String>,
    /// Whether it is being written down.
    pub is_said: bool,
    /// Folders that begin as what was typed.
    pub offered: Vec<String>,
}

impl PlaceDraft {
    pub(in crate::tui) fn new() -> Self {
        Self {
            line: PlaceLine::Folder,
            folder: Input::default(),
            title: Input::default(),
            class: Class::Ask,
            age: Input::default(),
            wrong: None,
            is_said: false,
            offered: Vec::new(),
        }
    }

    /// The line that is typed into.
    pub(in crate::tui) fn typed_into(&mut self) -> Option<&mut Input> {
        match self.line {
            PlaceLine::Folder => Some(&mut self.folder),
            PlaceLine::Title => Some(&mut self.title),
            PlaceLine::Age => Some(&mut self.age),
            PlaceLine::Class => None,
        }
    }
}
