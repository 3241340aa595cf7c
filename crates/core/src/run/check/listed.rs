//! Whose a listed item is, asked of the disk right before it goes.

use jolly_disk::Folder;

use crate::computer::EntryKind;
use crate::rule::{
    Detect, FileKind, Fit, FolderFit, Guard, LastGuard, Probe, RecordSet, Rule, RuleNumber, Search,
};
use crate::run::check::{SeenItem, Shared};
use crate::source::{Candidate, Finding};

/// A search that looks in a folder or above it.
pub(crate) struct SearchOver<'a> {
    pub(crate) search: &'a Search,
    /// Where the path below its root begins.
    pub(crate) from: usize,
    /// What its patterns say of names in the folder, where that needs no whole path.
    pub(crate) patterns: Option<FolderFit>,
}

/// An item that is about to go.
pub(crate) struct Listed<'c, 'a> {
    pub(crate) shared: &'a Shared<'a>,
    pub(crate) last_guard: &'c mut LastGuard<'a>,
    pub(crate) searches: &'c [SearchOver<'a>],
    pub(crate) folder: &'c Folder,
    /// The rule that it names.
    pub(crate) number: RuleNumber,
    pub(crate) seen: &'c SeenItem<'c>,
    /// Why a guard refuses it.
    pub(crate) guarded: Option<&'static str>,
    /// Whether it is no longer what its rule looks for.
    pub(crate) is_other: bool,
}

impl Listed<'_, '_> {
    fn kind(&self) -> EntryKind {
        self.seen.item.kind
    }

    pub(crate) fn is_own(&self, at: usize) -> bool {
        self.searches[at].search.rule == self.number
    }
}

impl Probe for Listed<'_, '_> {
    /// A search, by position.
    type Search = usize;

    fn rule(&self, at: usize) -> (RuleNumber, &Rule) {
        let number = self.searches[at].search.rule;
        (number, &self.shared.context.rules.rule(number).rule)
    }

    fn row_set(&self) -> Option<&RecordSet> {
        self.seen.entry?.set.as_deref()
    }

    fn is_point(&self) -> bool {
        self.seen.item.is_point()
    }

    fn fit(&mut self, at: usize) -> Fit {
        let over = &self.searches[at];
        let rule = self.shared.context.rules.of_search(over.search);
        // What another rule's recogniser would say was asked when the list was made, and this is the same
        // thing still: it can't be that one's.
        if rule.rule.detect.is_some_and(Detect::looks_inside) && !self.is_own(at) {
            return Fit::No;
        }
        let below = || {
            let path = self.seen.path.as_bytes();
            path.get(over.from..).unwrap_or_default()
        };
        match self.kind() {
            // A folder goes with what was in it, whoever else looks there.
            EntryKind::Folder if self.is_own(at) && rule.may_empty(below()) => Fit::Takes,
            EntryKind::Folder => Fit::No,
            EntryKind::File | EntryKind::Link | EntryKind::ListEntry => match &over.patterns {
                Some(folder) => rule.fit_of_name(folder, self.seen.path.name()),
                None => rule.fit(below()),
            },
        }
    }

    fn guard(&mut self, at: usize) -> Option<Guard> {
        let search = self.searches[at].search;
        let rule = &self.shared.context.rules.rule(search.rule).rule;
        // What the guards ask of an entry, they ask of its list.
        let kind = match self.kind() {
            EntryKind::ListEntry => EntryKind::File,
            kind => kind,
        };
        let refused = (self.last_guard).refusal(rule, &search.root, (self.seen.path, kind))?;
        if self.is_own(at) {
            self.guarded = Some(refused);
        }
        // The words are what is told; of which sort it is doesn't matter any more.
        Some(Guard::Root)
    }

    fn size(&mut self) -> Option<u64> {
        let is_folder = self.kind() == EntryKind::Folder;
        Some(if is_folder {
            u64::MAX
        } else {
            self.seen.stat.size
        })
    }

    fn looks_like(&mut self, kinds: &[FileKind]) -> bool {
        if self.kind() == EntryKind::Folder {
            return true;
        }
        let looked = self
            .shared
            .recogniser
            .looks_like(self.folder, self.seen.name, kinds);
        let is_it = looked.unwrap_or(false);
        self.is_other |= !is_it;
        is_it
    }

    fn recognises(&mut self, at: usize, detect: Detect) -> bool {
        if self.kind() == EntryKind::Folder {
            return true;
        }
        let search = self.searches[at].search;
        let candidate = Candidate {
            search,
            path: self.seen.path,
            folder: self.folder,
            name: self.seen.name,
            kind: self.seen.stat.kind,
            entry: self.seen.entry,
        };
        let rule = &self.shared.context.rules.rule(search.rule).rule;
        let found = self.shared.recogniser.look(rule, detect, &candidate);
        let is_it = matches!(found, Finding::Is(_));
        self.is_other |= !is_it;
        is_it
    }
}
