//! Rules that no book has: what a survey found, named thing by thing.

use std::sync::Arc;

use crate::computer::{Layout, TargetPath};
use crate::format::Printable;
use crate::rule::pattern::path::PathPattern;
use crate::rule::{AgeRule, Class, CompiledRule, Rule};

/// The first half of the ids of such rules, which no book may have.
pub(crate) const SURVEY_BOOK: &str = "survey";

/// A survey whose finds can be taken.
#[derive(Clone, Copy, Debug, PartialEq, Eq, Hash)]
pub enum Survey {
    /// What programs that are gone left behind.
    LeftBehind,
    /// Files that are there twice.
    Copies,
    /// Recordings and pictures that are there in another version.
    Versions,
}

impl Survey {
    /// Every survey.
    pub(crate) const ALL: [Self; 3] = [Self::LeftBehind, Self::Copies, Self::Versions];

    /// The second half of its rule's id.
    pub fn name(self) -> &'static str {
        match self {
            Self::LeftBehind => "left-behind",
            Self::Copies => "copies",
            Self::Versions => "versions",
        }
    }

    /// Whether what it takes goes only while another file stays for it.
    pub fn has_twins(self) -> bool {
        matches!(self, Self::Copies | Self::Versions)
    }

    /// The id of its rule.
    pub fn rule_id(self) -> String {
        format!("{SURVEY_BOOK}/{}", self.name())
    }

    /// What its pile is called, what it holds, and what somebody notices.
    fn words(self) -> [&'static str; 3] {
        match self {
            Self::LeftBehind => [
                "Left behind by programs that are gone",
                "Folders and files of programs that are no longer there; the programs lens has the evidence.",
                "Whoever installs such a program again begins anew.",
            ],
            Self::Copies => [
                "Copies of kept files",
                "Files that were chosen to go where another file has the same contents; that one stays.",
                "Each is still there under the name of the one that stays.",
            ],
            Self::Versions => [
                "Versions of kept files",
                "Recordings and pictures that were chosen to go where another version of the same stays.",
                "Each is still there as the version that stays, under its name; it may sound or look otherwise.",
            ],
        }
    }

    /// Its rule, which takes nothing by itself: each search says what.
    pub(crate) fn rule(self, layout: Layout) -> CompiledRule {
        let [title, about, after] = self.words();
        let rule = Rule {
            id: self.name().to_owned(),
            title: title.to_owned(),
            section: None,
            class: Class::Ask,
            about: about.to_owned(),
            after: after.to_owned(),
            within: Vec::new(),
            take: Vec::new(),
            spare: Vec::new(),
            age: AgeRule::default(),
            empty_folders: self == Self::LeftBehind,
            only_seen: None,
            needs: None,
            starts_taken: Some(false),
            by: None,
            entries: None,
            values: None,
            records: None,
            detect: None,
            looks_like: Vec::new(),
            whole: false,
            larger_than: None,
            keep_newest: None,
            busy: Vec::new(),
            survey: Some(self),
            examples: Vec::new(),
        };
        CompiledRule {
            id: self.rule_id().into(),
            file: "what was found on this computer".to_owned(),
            line: 0,
            layout,
            take: Vec::new(),
            spare: Vec::new(),
            rule,
        }
    }
}

impl CompiledRule {
    /// The same rule for one thing right in the folder that a search looks in, with all that lies in it.
    pub(crate) fn naming(&self, thing: &TargetPath) -> Arc<Self> {
        Arc::new(Self {
            take: PathPattern::of_name(thing.name(), self.layout).to_vec(),
            rule: Rule {
                take: vec![Printable(thing.name()).to_string()],
                ..self.rule.clone()
            },
            ..self.clone()
        })
    }

    /// The same rule for what is called so right in the folder that a search looks in.
    pub(crate) fn naming_files<'n, I: Iterator<Item = &'n [u8]>>(
        &self,
        names: impl Fn() -> I,
    ) -> Arc<Self> {
        Arc::new(Self {
            spare: Vec::new(),
            take: vec![PathPattern::of_names(names(), self.layout)],
            rule: Rule {
                take: names().map(|name| Printable(name).to_string()).collect(),
                spare: Vec::new(),
                ..self.rule.clone()
            },
            ..self.clone()
        })
    }
}
