//! Whose a name is: the first rule that takes it, and the pile that lets its folder go.

use std::ffi::CStr;
use std::sync::Arc;

use jolly_disk::{Folder, Kind, Stat};

use crate::computer::TargetPath;
use crate::rule::{
    Detect, FileKind, Fit, FolderGuards, Guard, Ownership, Probe, RecordSet, Rule, RuleNumber,
    Spelling, decide_owner,
};
use crate::source::files::folder::Worker;
use crate::source::files::job::Visited;
use crate::source::{Candidate, Finding, HolderItem, PileId, is_tag, recognise};

/// A name that a walk has come to.
struct Named<'w, 'a, 'n> {
    worker: &'w mut Worker<'a>,
    at: &'n Visited,
    folder: &'n Folder,
    name: &'n CStr,
    spelling: Spelling<'n>,
    kind: Kind,
    known: &'n mut Option<Stat>,
    /// The entry of it that is meant, where it is a holder.
    entry: Option<&'n HolderItem>,
}

impl Named<'_, '_, '_> {
    /// A look at it, when there was none yet.
    fn stat(&mut self) -> Option<Stat> {
        if let Some(stat) = self.known {
            return Some(*stat);
        }
        let looked = self
            .worker
            .walk
            .context
            .target
            .disk()
            .stat(self.folder, self.name);
        match looked {
            Ok(stat) => Some(*self.known.insert(stat)),
            Err(error) => {
                self.worker.missed(self.at.place, &error);
                None
            }
        }
    }

    fn unclear(&mut self, reason: &str) {
        let place = self.worker.walk.tally.name(self.at.place);
        self.worker.gathered.unread.add(place, reason, 1);
    }
}

impl Probe for Named<'_, '_, '_> {
    /// A state of the folder's matcher, by position.
    type Search = usize;

    fn rule(&self, state: usize) -> (RuleNumber, &Rule) {
        let context = self.worker.walk.context;
        let search = self.at.matcher.states[state].search;
        (context.search(search).rule, &context.rule(search).rule)
    }

    fn row_set(&self) -> Option<&RecordSet> {
        self.entry?.set.as_deref()
    }

    fn fit(&mut self, state: usize) -> Fit {
        // Only those that take the name are asked. What a recogniser can't find, by what is known of name and
        // folder already, is none of its rule's, and no guard has to be asked.
        match self.rule(state).1.detect {
            Some(Detect::BrokenLink) if self.kind == Kind::File => Fit::No,
            Some(Detect::CacheTagged) if self.at.tagged.is_none() => Fit::No,
            _ => Fit::Takes,
        }
    }

    fn guard(&mut self, state: usize) -> Option<Guard> {
        let context = self.worker.walk.context;
        let search = self.at.matcher.states[state].search;
        let rule = &context.rule(search).rule;
        if self.at.is_closed(state) {
            // Why it is closed is told by whoever is asked for this one path.
            return Some(Guard::Root);
        }
        let guards = self.at.guards;
        guards.file(context.guards, &self.at.path, rule, self.spelling)
    }

    fn size(&mut self) -> Option<u64> {
        Some(self.stat()?.size)
    }

    fn looks_like(&mut self, kinds: &[FileKind]) -> bool {
        if self.kind != Kind::File {
            return false;
        }
        let disk = &**self.worker.walk.context.target.disk();
        match recognise::looks_like(disk, self.folder, self.name, kinds) {
            Ok(is_it) => is_it,
            Err(error) => {
                self.worker.missed(self.at.place, &error);
                false
            }
        }
    }

    fn recognises(&mut self, state: usize, detect: Detect) -> bool {
        let context = self.worker.walk.context;
        let search = self.at.matcher.states[state].search;
        if detect == Detect::CacheTagged {
            let Some(owner) = self.at.tagged else {
                return false;
            };
            // What the tag of one person marks is that person's alone.
            return !is_tag(self.name) && self.stat().is_some_and(|stat| stat.user == owner);
        }
        let Ok(path) = self.at.path.join(self.name.to_bytes()) else {
            return false;
        };
        let candidate = Candidate {
            search: context.search(search),
            path: &path,
            folder: self.folder,
            name: self.name,
            kind: self.kind,
            entry: self.entry,
        };
        let rule = &context.rule(search).rule;
        match self.worker.walk.recogniser.look(rule, detect, &candidate) {
            Finding::Is(_) => true,
            Finding::Not => false,
            Finding::Unclear(reason) => {
                self.unclear(reason);
                false
            }
        }
    }
}

impl Worker<'_> {
    /// Whose a name is, by the position of its search.
    pub(crate) fn owner(
        &mut self,
        at: &Visited,
        folder: &Folder,
        (name, spelling, kind): (&CStr, Spelling<'_>, Kind),
        known: &mut Option<Stat>,
        entry: Option<&HolderItem>,
    ) -> Ownership<usize> {
        let mut takers = std::mem::take(&mut self.takers);
        at.matcher
            .takers(self.walk.context, &at.path, spelling, &mut takers);
        let mut named = Named {
            worker: self,
            at,
            folder,
            name,
            spelling,
            kind,
            known,
            entry,
        };
        let owned = decide_owner(takers.iter().copied(), &mut named);
        self.takers = takers;
        let search = |state: usize| at.matcher.states[state].search;
        match owned {
            Ownership::Owned(state) => Ownership::Owned(search(state)),
            Ownership::Guarded(state, guard) => Ownership::Guarded(search(state), guard),
            Ownership::Unseen(state, guard) => Ownership::Unseen(search(state), guard),
            Ownership::Spared(state) => Ownership::Spared(search(state)),
            Ownership::Nobodys => Ownership::Nobodys,
        }
    }

    /// The rows that rules ask for of a database, in the order in which they own them.
    pub(crate) fn record_sets(
        &mut self,
        at: &Visited,
        spelling: Spelling<'_>,
    ) -> Vec<Arc<RecordSet>> {
        let context = self.walk.context;
        let mut takers = std::mem::take(&mut self.takers);
        at.matcher.takers(context, &at.path, spelling, &mut takers);
        let states = takers.iter().map(|state| at.matcher.states[*state].search);
        let sets = states.filter_map(|search| context.rule(search).rule.records.clone());
        let mut found: Vec<Arc<RecordSet>> = Vec::new();
        for set in sets {
            if !found.contains(&set) {
                found.push(set);
            }
        }
        self.takers = takers;
        found
    }

    /// The pile that may remove a folder once it is empty, that of the first rule that looks above
    /// it and lets empty folders go, but of the survey what it names; and the time its age counts from if it is empty already.
    pub(crate) fn empty_folder_pile(
        &self,
        parent: Option<&Visited>,
        path: &TargetPath,
        guards: FolderGuards,
        stat: &Stat,
    ) -> Option<(PileId, i64)> {
        let context = self.walk.context;
        let parent = parent?;
        let small = path.name().to_ascii_lowercase();
        let name = Spelling {
            exact: path.name(),
            small: &small,
        };
        let states = parent.matcher.states.iter().enumerate();
        let lets_go = |at: usize, search: usize| {
            let compiled = context.rule(search);
            let rule = &compiled.rule;
            let below = path.below(&context.search(search).root).unwrap_or_default();
            let is_found = match rule.detect {
                None | Some(Detect::Trash) => true,
                Some(Detect::CacheTagged) => parent.tagged == Some(stat.user),
                // Of single finds, the folders around are somebody else's.
                Some(_) => false,
            };
            is_found
                && !parent.is_closed(at)
                && compiled.may_empty(below)
                && !guards.is_closed(context.guards, path, rule, context.search(search))
                && parent
                    .guards
                    .file(context.guards, &parent.path, rule, name)
                    .is_none()
        };
        let mut those = states
            .map(|(at, state)| (at, state.search))
            .filter(|(at, search)| lets_go(*at, *search))
            .map(|(_, search)| search);
        let first = those.next()?;
        // A rule may look through a folder for something else; what a survey names is the survey's before that.
        let below = path.below(&context.search(first).root).unwrap_or_default();
        let is_named = !context.rule(first).takes_in(below);
        let survey = those.find(|search| is_named && context.rule(*search).rule.survey.is_some());
        let found = survey.unwrap_or(first);
        let rule = &context.rule(found).rule;
        let time = self
            .walk
            .recogniser
            .time(rule, context.search(found), path, stat)?;
        Some((context.pile_of(found), time))
    }
}
