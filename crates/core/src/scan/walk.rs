//! The walker: each tree once, for all rules.

mod whose;

use std::collections::HashMap;
use std::ffi::CString;
use std::ops::ControlFlow;
use std::sync::Arc;

use jiff::Timestamp;
use jolly_disk::{Folder, Kind, Stat};

use crate::recognise::{self, Recogniser};
use crate::rulebook::{Detect, Guards, RuleNumber, RuleSet, Search};
use crate::scan::arena::NewItem;
use crate::scan::keep;
use crate::scan::news::News;
use crate::scan::pile::Owner;
use crate::scan::unread::{self, Gatherer};
use crate::scan::{Arena, CancelToken, FolderId, ItemKind, PileId, ScanEvent};
use crate::target::{Target, TargetPath};
use whose::Active;

/// What a walk gathered.
pub(super) struct Walked {
    pub arena: Arena,
    pub piles: Vec<Owner>,
    pub guarded: u64,
    pub looked_at: u64,
    pub is_partial: bool,
}

/// A folder that waits to be walked.
struct Waiting {
    id: FolderId,
    path: TargetPath,
    stat: Stat,
    /// The searches that look into it, by position, in the order in which rules own things.
    searches: Arc<[usize]>,
    /// The place it is counted with: the nearest root above it, by position.
    place: usize,
    /// Whether a folder above it bears a cache tag.
    is_tagged: bool,
}

/// What a walk stands on.
pub(super) struct Ground<'a> {
    pub target: &'a Target,
    pub rules: &'a RuleSet,
    pub searches: &'a [Search],
    pub guards: &'a Guards,
    pub now: Timestamp,
}

/// Walks the roots of all searches.
pub(super) fn walk(
    ground: &Ground<'_>,
    cancel: &CancelToken,
    sink: &dyn Fn(ScanEvent),
    unread: &mut Gatherer,
) -> Walked {
    let Ground {
        target,
        rules,
        searches,
        guards,
        now,
    } = *ground;
    let tops = topmost(searches);
    let piles = piles(searches);
    let pile_of: HashMap<(RuleNumber, Option<usize>), PileId> = piles
        .iter()
        .enumerate()
        .map(|(at, owner)| ((owner.rule, owner.account), PileId(at)))
        .collect();
    let mut walker = Walker {
        target,
        rules,
        searches,
        guards,
        cancel,
        unread,
        pile_of,
        recogniser: Recogniser::new(target, now),
        waiting_for_family: Vec::new(),
        news: News::new(searches, sink),
        walked: Walked {
            arena: Arena::default(),
            piles: Vec::new(),
            guarded: 0,
            looked_at: 0,
            is_partial: false,
        },
    };
    for top in &tops {
        walker.walk_top(top);
        if cancel.is_cancelled() {
            walker.walked.is_partial = true;
            break;
        }
        walker.news.done(top);
    }
    walker.settle_families();
    Walked {
        piles,
        ..walker.walked
    }
}

/// The roots that lie below no other root: walking them walks everything, once.
fn topmost(searches: &[Search]) -> Vec<TargetPath> {
    let mut roots: Vec<&TargetPath> = searches.iter().map(|search| &search.root).collect();
    roots.sort_by_key(|root| (root.parts().count(), (*root).clone()));
    roots.dedup();
    let mut tops: Vec<TargetPath> = Vec::new();
    for root in roots {
        if !tops.iter().any(|top| root.below(top).is_some()) {
            tops.push(root.clone());
        }
    }
    tops.sort();
    tops
}

/// One pile for each rule and account that looks anywhere.
fn piles(searches: &[Search]) -> Vec<Owner> {
    let mut owners: Vec<Owner> = Vec::new();
    for search in searches {
        let is_known = |owner: &Owner| owner.rule == search.rule && owner.account == search.account;
        if !owners.iter().any(is_known) {
            owners.push(Owner {
                rule: search.rule,
                account: search.account,
            });
        }
    }
    owners
}

struct Walker<'a> {
    target: &'a Target,
    rules: &'a RuleSet,
    searches: &'a [Search],
    guards: &'a Guards,
    cancel: &'a CancelToken,
    unread: &'a mut Gatherer,
    pile_of: HashMap<(RuleNumber, Option<usize>), PileId>,
    recogniser: Recogniser<'a>,
    waiting_for_family: Vec<keep::Waiting>,
    news: News<'a>,
    walked: Walked,
}

impl Walker<'_> {
    fn missed(&mut self, error: &std::io::Error) {
        self.unread
            .add(self.news.place_name(), &unread::reason(error), 1);
    }

    fn walk_top(&mut self, top: &TargetPath) {
        let place = self.news.place(top).unwrap_or(self.news.at());
        self.news.enter(place);
        let disk = self.target.disk();
        let opened = disk
            .open_folder(self.target.root(), top.as_bytes())
            .and_then(|folder| disk.stat_folder(&folder));
        let stat = match opened {
            Ok(stat) => stat,
            Err(error) => return self.missed(&error),
        };
        let searches = self.searches_at(top, &[]);
        let Some(id) = self
            .walked
            .arena
            .add_folder(None, top.as_bytes(), &stat, None)
        else {
            return;
        };
        let mut waiting = vec![Waiting {
            id,
            path: top.clone(),
            stat,
            searches,
            place: self.news.at(),
            is_tagged: false,
        }];
        while let Some(folder) = waiting.pop() {
            if self.cancel.is_cancelled() {
                return;
            }
            self.walk_folder(&folder, &mut waiting);
        }
    }

    /// The searches that look into a folder: those of its parent that can still reach something
    /// there, and those that start at it.
    fn searches_at(&mut self, path: &TargetPath, parents: &[usize]) -> Arc<[usize]> {
        let mut found: Vec<usize> = parents
            .iter()
            .copied()
            .filter(|at| self.looks_into(*at, path))
            .chain(self.searches.iter().enumerate().filter_map(|(at, search)| {
                (search.root == *path && !parents.contains(&at)).then_some(at)
            }))
            .collect();
        found.sort_unstable();
        for at in &found {
            let Some(search) = self.searches.get(*at).filter(|search| search.root == *path) else {
                continue;
            };
            if self.rules.rule(search.rule).rule.detect == Some(Detect::Trash) {
                let undated = self.recogniser.undated(&search.root);
                if undated > 0 {
                    let reason = "a note of the trash can't be read, so what it describes stays";
                    self.unread.add(search.root.to_string(), reason, undated);
                }
            }
        }
        found.into()
    }

    fn looks_into(&self, at: usize, path: &TargetPath) -> bool {
        let Some(search) = self.searches.get(at) else {
            return false;
        };
        let rule = self.rules.rule(search.rule);
        path.below(&search.root)
            .is_some_and(|below| rule.may_reach(below))
    }

    fn walk_folder(&mut self, at: &Waiting, waiting: &mut Vec<Waiting>) {
        self.news.enter(at.place);
        let disk = Arc::clone(self.target.disk());
        let opened = disk
            .open_folder(self.target.root(), at.path.as_bytes())
            .and_then(|folder| Ok((disk.stat_folder(&folder)?, folder)));
        let folder = match opened {
            Ok((stat, folder)) if stat.key == at.stat.key => folder,
            Ok(_) => {
                let reason = "another folder took its place while it was walked";
                return self.unread.add(self.news.place_name(), reason, 1);
            }
            Err(error) => return self.missed(&error),
        };
        let mut names: Vec<(CString, Option<Kind>)> = Vec::new();
        let cancel = self.cancel;
        let listed = disk.list(&folder, &mut |entry| {
            names.push((entry.name.to_owned(), entry.kind));
            if cancel.is_cancelled() {
                ControlFlow::Break(())
            } else {
                ControlFlow::Continue(())
            }
        });
        if let Err(error) = &listed {
            self.missed(error);
        }
        let active: Vec<Active> = at
            .searches
            .iter()
            .filter_map(|s| self.active(*s, at))
            .collect();
        let mut is_whole = listed.is_ok();
        let entries = names.len() as u64;
        let is_tagged = at.is_tagged
            || (self.asks_for_tags(&active)
                && recognise::bears_tag(&*disk, &folder, names.iter().map(|(name, _)| &**name)));
        let at = &Waiting {
            is_tagged,
            searches: Arc::clone(&at.searches),
            path: at.path.clone(),
            ..*at
        };
        for (name, kind) in names {
            if self.cancel.is_cancelled() {
                is_whole = false;
                break;
            }
            self.walked.looked_at += 1;
            self.news.looked();
            self.look(at, &folder, &active, (&name, kind), waiting);
        }
        self.walked.arena.close_folder(at.id, entries, is_whole);
    }

    /// Looks at one name of a folder.
    fn look(
        &mut self,
        at: &Waiting,
        folder: &Folder,
        active: &[Active],
        (name, kind): (&CString, Option<Kind>),
        waiting: &mut Vec<Waiting>,
    ) {
        let disk = Arc::clone(self.target.disk());
        let mut known = None;
        let kind = match kind {
            Some(kind) => kind,
            None => match disk.stat(folder, name) {
                Ok(stat) => known.insert(stat).kind,
                Err(error) => return self.missed(&error),
            },
        };
        // Names decide before files are looked at.
        let owner = match kind {
            Kind::Other => return,
            Kind::Folder => None,
            Kind::File | Kind::Link => {
                match self.owner(at, folder, active, (name, kind), &mut known) {
                    None => return,
                    owner => owner,
                }
            }
        };
        let stat = match known.map_or_else(|| disk.stat(folder, name), Ok) {
            Ok(stat) => stat,
            Err(error) => return self.missed(&error),
        };
        match stat.kind {
            Kind::Folder => self.look_at_folder(at, active, name, stat, waiting),
            Kind::File => self.look_at_item(at, owner, name, &stat, ItemKind::File),
            Kind::Link => self.look_at_item(at, owner, name, &stat, ItemKind::Link),
            Kind::Other => {}
        }
    }

    fn look_at_item(
        &mut self,
        at: &Waiting,
        owner: Option<&Active>,
        name: &CString,
        stat: &Stat,
        kind: ItemKind,
    ) {
        let Some(owner) = owner else { return };
        let Some(search) = self.searches.get(owner.at) else {
            return;
        };
        let Ok(path) = at.path.join(name.to_bytes()) else {
            return;
        };
        let rule = &self.rules.rule(search.rule).rule;
        if owner.is_guarded || self.guards.file(&path, rule).is_some() {
            self.walked.guarded += 1;
            return;
        }
        let time = self.recogniser.time(rule, search, &path, stat);
        let Some(time) = time else {
            self.unread.add(
                search.root.to_string(),
                "no date of trashing is known, so it stays",
                1,
            );
            return;
        };
        let Some(pile) = self.pile_of.get(&(search.rule, search.account)).copied() else {
            return;
        };
        if let Some(keep) = rule.keep_newest {
            self.waiting_for_family.push(keep::Waiting {
                folder: at.id,
                name: name.clone(),
                kind,
                stat: *stat,
                time,
                pile,
                keep,
            });
            return;
        }
        self.add(&NewItem {
            folder: at.id,
            name: name.to_bytes(),
            kind,
            stat,
            time,
            pile,
        });
    }

    fn add(&mut self, new: &NewItem<'_>) {
        if self.walked.arena.add_item(new).is_none() {
            self.unread.add(
                self.news.place_name(),
                "more items than fit into one scan",
                1,
            );
            return;
        }
        self.news.found(new.stat.allocated);
    }

    /// Once all names are known: of each family all but the newest become items.
    fn settle_families(&mut self) {
        let waiting = std::mem::take(&mut self.waiting_for_family);
        let arena = &self.walked.arena;
        let going = keep::going(waiting, &|folder| arena.is_whole(folder));
        for item in going {
            self.add(&NewItem {
                folder: item.folder,
                name: item.name.to_bytes(),
                kind: item.kind,
                stat: &item.stat,
                time: item.time,
                pile: item.pile,
            });
        }
    }

    fn look_at_folder(
        &mut self,
        at: &Waiting,
        active: &[Active],
        name: &CString,
        stat: Stat,
        waiting: &mut Vec<Waiting>,
    ) {
        let Ok(path) = at.path.join(name.to_bytes()) else {
            return;
        };
        if stat.key.device != at.stat.key.device {
            let reason = "another volume is mounted here";
            return self.unread.add(path.to_string(), reason, 1);
        }
        let searches = self.searches_at(&path, &at.searches);
        let is_all_guarded = searches.iter().all(|search| {
            self.searches.get(*search).is_none_or(|search| {
                let rule = &self.rules.rule(search.rule).rule;
                self.guards.folder(&path, rule, &search.root).is_some()
            })
        });
        let leads_on = self.searches.iter().any(|search| {
            search
                .root
                .below(&path)
                .is_some_and(|below| !below.is_empty())
        });
        if is_all_guarded && !leads_on {
            self.walked.guarded += u64::from(!searches.is_empty());
            return;
        }
        let sweeper = self.sweeper(at.is_tagged, active, &path, &stat);
        let added = self
            .walked
            .arena
            .add_folder(Some(at.id), name.to_bytes(), &stat, sweeper);
        if let Some(id) = added {
            let place = self.news.place(&path).unwrap_or(at.place);
            waiting.push(Waiting {
                id,
                path,
                stat,
                searches,
                place,
                is_tagged: at.is_tagged,
            });
        }
    }
}
