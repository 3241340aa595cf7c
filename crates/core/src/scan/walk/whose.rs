//! Whose a name is: the first rule that takes it, and the pile that lets its folder go.

use std::ffi::CStr;

use jolly_disk::{Folder, Kind, Stat};

use super::folder::Worker;
use super::job::Visited;
use crate::recognise::{self, Candidate, Finding};
use crate::rulebook::{Detect, FolderGuards, RuleNumber, Spelling};
use crate::scan::PileId;
use crate::target::TargetPath;

/// The standing whose a name is.
#[derive(Clone, Copy)]
pub(super) struct Owner {
    /// The search, by position.
    pub search: usize,
    /// Whether everything in the folder is guarded for it.
    pub is_closed: bool,
}

impl Worker<'_> {
    /// The first search whose rule takes this name, finds what it looks for in it, and isn't
    /// asking for something larger.
    pub(super) fn owner(
        &mut self,
        at: &Visited,
        folder: &Folder,
        (name, spelling, kind): (&CStr, Spelling<'_>, Kind),
        known: &mut Option<Stat>,
    ) -> Option<Owner> {
        let mut takers = std::mem::take(&mut self.takers);
        at.outlook
            .takers(self.walk.ground, &at.path, spelling, &mut takers);
        let owner = self.first_of(&takers, at, folder, (name, kind), known);
        self.takers = takers;
        owner
    }

    fn first_of(
        &mut self,
        takers: &[usize],
        at: &Visited,
        folder: &Folder,
        (name, kind): (&CStr, Kind),
        known: &mut Option<Stat>,
    ) -> Option<Owner> {
        let ground = self.walk.ground;
        // A rule may name a guarded folder apart, below another of its own roots.
        let mut guarded: Option<(Owner, RuleNumber)> = None;
        for taker in takers {
            let owner = Owner {
                search: at.outlook.standings.get(*taker)?.search,
                is_closed: at.is_closed(*taker),
            };
            let search = ground.search(owner.search);
            if let Some((guarded, _)) = guarded.filter(|(_, rule)| *rule != search.rule) {
                return Some(guarded);
            }
            let rule = &ground.rule(owner.search).rule;
            if let Some(least) = rule.larger_than {
                let looked = match known {
                    Some(stat) => Ok(*stat),
                    None => ground.target.disk().stat(folder, name),
                };
                match looked {
                    Ok(stat) if known.insert(stat).size < least => continue,
                    Ok(_) => {}
                    Err(error) => {
                        self.missed(at.place, &error);
                        return None;
                    }
                }
            }
            let Some(detect) = rule.detect.filter(|detect| detect.looks_inside()) else {
                if owner.is_closed {
                    guarded = guarded.or(Some((owner, search.rule)));
                    continue;
                }
                return Some(owner);
            };
            // What is guarded is not looked into, and whose it would be doesn't matter.
            if owner.is_closed {
                continue;
            }
            if detect == Detect::CacheTagged {
                if at.is_tagged && !recognise::is_tag(name) {
                    return Some(owner);
                }
                continue;
            }
            let Ok(path) = at.path.join(name.to_bytes()) else {
                continue;
            };
            let candidate = Candidate {
                search,
                path: &path,
                folder,
                name,
                kind,
            };
            match self.walk.recogniser.look(rule, detect, &candidate) {
                Finding::Is(_) => return Some(owner),
                Finding::Not => {}
                Finding::Unclear(reason) => {
                    let place = self.walk.tally.name(at.place);
                    self.gathered.unread.add(place, reason, 1);
                }
            }
        }
        guarded.map(|(owner, _)| owner)
    }

    /// The pile that may remove a folder once it is empty, that of the first rule that looks above
    /// it and lets empty folders go; and the time its age counts from if it is empty already.
    pub(super) fn sweeper(
        &self,
        parent: Option<&Visited>,
        path: &TargetPath,
        guards: FolderGuards,
        stat: &Stat,
    ) -> Option<(PileId, i64)> {
        let ground = self.walk.ground;
        let parent = parent?;
        let small = path.name().to_ascii_lowercase();
        let name = Spelling {
            exact: path.name(),
            small: &small,
        };
        let standings = parent.outlook.standings.iter().enumerate();
        let lets_go = |at: usize, search: usize| {
            let compiled = ground.rule(search);
            let rule = &compiled.rule;
            let below = path.below(&ground.search(search).root).unwrap_or_default();
            let is_found = match rule.detect {
                None | Some(Detect::Trash) => true,
                Some(Detect::CacheTagged) => parent.is_tagged,
                // Of single finds, the folders around are somebody else's.
                Some(_) => false,
            };
            is_found
                && !parent.is_closed(at)
                && compiled.may_empty(below)
                && !guards.is_closed(ground.guards, path, rule, ground.search(search))
                && parent
                    .guards
                    .file(ground.guards, &parent.path, rule, name)
                    .is_none()
        };
        let (_, found) = standings
            .map(|(at, standing)| (at, standing.search))
            .find(|(at, search)| lets_go(*at, *search))?;
        let rule = &ground.rule(found).rule;
        let time = self
            .walk
            .recogniser
            .time(rule, ground.search(found), path, stat)?;
        Some((ground.pile_of(found), time))
    }
}
