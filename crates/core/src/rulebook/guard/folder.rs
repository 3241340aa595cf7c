//! What the guards say of a folder before a name in it is known, so that most names need only be
//! looked at by themselves.

use super::{Guard, Guards, Names, guarded_folder_name, lists};
use crate::rulebook::{Rule, Search};
use crate::target::TargetPath;

/// What the guards say of a folder.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub(crate) struct FolderGuards {
    /// Everything in it and below it is guarded, whatever the rule.
    is_closed: bool,
    /// Whether the rule matters.
    is_by_rule: bool,
    /// Whether more than its own name can guard a file in it.
    is_by_path: bool,
}

impl FolderGuards {
    /// What `guards` say of a folder.
    pub(crate) fn of(guards: &Guards, folder: &TargetPath) -> Self {
        let names = Names::of(folder, guards.layout);
        let depth = names.parts.len();
        let is_system = names.is_system();
        let is_above_system = || {
            let listed = lists::system(guards.layout).iter();
            listed
                .filter(|listed| listed.split('/').count() == depth + 1)
                .any(|listed| {
                    let above = listed.rsplit_once('/').map_or("", |(above, _)| above);
                    above.is_empty() || names.below(above) == Some(0)
                })
        };
        let is_above = |path: &TargetPath| path.below(folder).is_some();
        Self {
            is_closed: guards.own.iter().any(|own| folder.below(own).is_some())
                || folder
                    .parts()
                    .any(|part| guarded_folder_name(part).is_some()),
            is_by_rule: is_system
                || guards
                    .personal
                    .iter()
                    .any(|personal| folder.below(personal).is_some()),
            is_by_path: is_system
                || guards.lead_on(folder)
                || guards.own.iter().any(is_above)
                || is_above_system(),
        }
    }

    /// Whether it can be that everything in the folder is guarded.
    pub(crate) fn may_close(self) -> bool {
        self.is_closed || self.is_by_rule
    }

    /// Whether everything in the folder is guarded for the rule of a search; `folder` is the one
    /// that this was made of.
    pub(crate) fn is_closed(
        self,
        guards: &Guards,
        folder: &TargetPath,
        rule: &Rule,
        search: &Search,
    ) -> bool {
        self.is_closed
            || (self.is_by_rule && guards.folder(folder, rule, &search.root).is_some())
    }

    /// The guard of a file in the folder, which isn't closed; its name is given in both spellings.
    pub(crate) fn file(
        self,
        guards: &Guards,
        folder: &TargetPath,
        rule: &Rule,
        name: crate::rulebook::Spelling<'_>,
    ) -> Option<Guard> {
        if !self.is_by_path {
            return super::names_guard(name.small, rule);
        }
        match folder.join(name.exact) {
            Ok(path) => guards.file(&path, rule),
            // What has no path can't be taken.
            Err(_) => Some(Guard::System),
        }
    }
}
