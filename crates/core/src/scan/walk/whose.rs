//! Whose a name is: the first rule that takes it, and the pile that lets its folder go.

use std::ffi::CString;

use jolly_disk::{Folder, Kind, Stat};

use super::{Waiting, Walker};
use crate::recognise::{self, Candidate, Finding};
use crate::rulebook::{Detect, Fit, RuleNumber};
use crate::scan::PileId;
use crate::target::TargetPath;

/// A search that looks into the folder being walked.
pub(super) struct Active {
    /// Its position in the list of searches.
    pub(super) at: usize,
    /// The folder's path below the search's root, with a slash at its end; empty at the root.
    pub(super) prefix: Vec<u8>,
    /// Whether a guard stands before the whole folder for it.
    pub(super) is_guarded: bool,
}

impl Walker<'_> {
    pub(super) fn active(&self, at: usize, folder: &Waiting) -> Option<Active> {
        let search = self.searches.get(at)?;
        let rule = &self.rules.rule(search.rule).rule;
        Some(Active {
            at,
            prefix: match folder.path.below(&search.root)? {
                b"" => Vec::new(),
                below => [below, b"/"].concat(),
            },
            is_guarded: self
                .guards
                .folder(&folder.path, rule, &search.root)
                .is_some(),
        })
    }

    pub(super) fn asks_for_tags(&self, active: &[Active]) -> bool {
        active.iter().any(|active| {
            let search = self.searches.get(active.at);
            search.is_some_and(|search| {
                self.rules.rule(search.rule).rule.detect == Some(Detect::CacheTagged)
            })
        })
    }

    /// The first active search whose rule takes this name, finds what it looks for in it, and
    /// isn't asking for something larger.
    pub(super) fn owner<'b>(
        &mut self,
        at: &Waiting,
        folder: &Folder,
        active: &'b [Active],
        (name, kind): (&CString, Kind),
        known: &mut Option<Stat>,
    ) -> Option<&'b Active> {
        // A rule may name a guarded folder apart, below another of its own roots.
        let mut guarded: Option<(&Active, RuleNumber)> = None;
        for active in active {
            let Some(search) = self.searches.get(active.at) else {
                continue;
            };
            if let Some((guarded, _)) = guarded.filter(|(_, rule)| *rule != search.rule) {
                return Some(guarded);
            }
            let compiled = self.rules.rule(search.rule);
            let below = [&active.prefix, name.to_bytes()].concat();
            if compiled.fit(&below) != Fit::Takes {
                continue;
            }
            if let Some(least) = compiled.rule.larger_than {
                let looked = match known {
                    Some(stat) => Ok(*stat),
                    None => self.target.disk().stat(folder, name),
                };
                match looked {
                    Ok(stat) if known.insert(stat).size < least => continue,
                    Ok(_) => {}
                    Err(_) => return None,
                }
            }
            let Some(detect) = compiled.rule.detect.filter(|detect| detect.looks_inside()) else {
                if active.is_guarded {
                    guarded = guarded.or(Some((active, search.rule)));
                    continue;
                }
                return Some(active);
            };
            // What is guarded is not looked into, and whose it would be doesn't matter.
            if active.is_guarded {
                continue;
            }
            if detect == Detect::CacheTagged {
                if at.is_tagged && !recognise::is_tag(name) {
                    return Some(active);
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
            match self.recogniser.look(&compiled.rule, detect, &candidate) {
                Finding::Is(_) => return Some(active),
                Finding::Not => {}
                Finding::Unclear(reason) => self.unread.add(self.news.place_name(), reason, 1),
            }
        }
        guarded.map(|(active, _)| active)
    }

    /// The pile that may remove this folder once it is empty, that of the first rule that looks
    /// above it and lets empty folders go; and the time its age counts from if it is empty already.
    pub(super) fn sweeper(
        &mut self,
        is_tagged: bool,
        active: &[Active],
        path: &TargetPath,
        stat: &Stat,
    ) -> Option<(PileId, i64)> {
        let found = active.iter().find(|active| {
            !active.is_guarded
                && self.searches.get(active.at).is_some_and(|search| {
                    let compiled = self.rules.rule(search.rule);
                    let rule = &compiled.rule;
                    let below = path.below(&search.root).unwrap_or_default();
                    let is_found = match rule.detect {
                        None | Some(Detect::Trash) => true,
                        Some(Detect::CacheTagged) => is_tagged,
                        // Of single finds, the folders around are somebody else's.
                        Some(_) => false,
                    };
                    is_found
                        && compiled.may_empty(below)
                        && self.guards.folder(path, rule, &search.root).is_none()
                        && self.guards.file(path, rule).is_none()
                })
        })?;
        let search = self.searches.get(found.at)?;
        let pile = self.pile_of.get(&(search.rule, search.account)).copied()?;
        let rule = &self.rules.rule(search.rule).rule;
        let time = self.recogniser.time(rule, search, path, stat)?;
        Some((pile, time))
    }
}
