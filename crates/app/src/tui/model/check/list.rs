//! The list of what goes, as it is read: piles, their folders, in them the biggest first.

use std::cmp::Reverse;
use std::collections::HashMap;
use std::ops::Range;

use jolly_core::CancelToken;
use jolly_core::computer::{AccountName, TargetPath};
use jolly_core::pile::{Scan, Sum};
use jolly_core::plan::{Manifest, ManifestItem};
use jolly_core::report::class_turn;
use jolly_core::rule::{Class, Removal, RuleId};

use crate::tui::model::check::SYSTEM;

/// A pile of the list.
pub(in crate::tui) struct ListPile {
    pub rule: RuleId,
    pub title: String,
    pub account: String,
    pub class: Class,
    pub by: Removal,
    pub sum: Sum,
    /// Positions in `CheckList::folders`.
    pub folders: Range<usize>,
}

/// A folder of a pile.
pub(in crate::tui) struct ListFolder {
    pub path: TargetPath,
    pub sum: Sum,
    /// Positions in `CheckList::order`.
    pub items: Range<usize>,
}

/// The list, or the part of it that holds some words.
#[derive(Default)]
pub(in crate::tui) struct CheckList {
    /// The words that it was narrowed to.
    pub words: String,
    pub sum: Sum,
    pub piles: Vec<ListPile>,
    pub folders: Vec<ListFolder>,
    /// Numbers of the manifest's items, folder by folder.
    pub order: Vec<u32>,
}

/// What an item is sorted by: its pile, its folder there, and its size.
struct Placed {
    item: u32,
    folder: u32,
    bytes: u64,
}

impl CheckList {
    /// Reads the whole list, so a thread makes it; nothing when it is to stop.
    pub(in crate::tui) fn of(
        scan: &Scan,
        manifest: &Manifest,
        words: &str,
        cancel: &CancelToken,
    ) -> Option<Self> {
        let mut making = Making::new(scan, words);
        for (number, item) in manifest.items.iter().enumerate() {
            if number.is_multiple_of(4096) && cancel.is_cancelled() {
                return None;
            }
            making.add(u32::try_from(number).ok()?, &item);
        }
        Some(making.end(words))
    }
}

struct Making<'a> {
    scan: &'a Scan,
    words: Vec<String>,
    /// For each rule and account its pile.
    known: HashMap<(RuleId, Option<AccountName>), usize>,
    piles: Vec<MakingPile>,
    /// The pile and the path of each folder.
    folders: Vec<(usize, TargetPath, Sum)>,
    items: Vec<Placed>,
    sum: Sum,
}

struct MakingPile {
    pile: ListPile,
    /// The words that its own texts don't hold.
    missing: Vec<String>,
    /// The folder that its last item lay in.
    last: Option<usize>,
}

impl<'a> Making<'a> {
    fn new(scan: &'a Scan, words: &str) -> Self {
        Self {
            scan,
            words: words
                .to_lowercase()
                .split_whitespace()
                .map(str::to_owned)
                .collect(),
            known: HashMap::new(),
            piles: Vec::new(),
            folders: Vec::new(),
            items: Vec::new(),
            sum: Sum::default(),
        }
    }

    fn pile_of(&mut self, item: &ManifestItem) -> usize {
        let key = (item.rule.clone(), item.account.clone());
        if let Some(known) = self.known.get(&key) {
            return *known;
        }
        let rule = self.scan.rules.by_id(&item.rule);
        let rule = rule.map(|rule| &self.scan.rules.rule(rule).rule);
        let class = rule.map_or(Class::Ask, |rule| rule.class);
        let pile = ListPile {
            rule: item.rule.clone(),
            title: rule.map_or_else(|| item.rule.to_string(), |rule| rule.title.clone()),
            account: item.account.as_deref().unwrap_or(SYSTEM).to_owned(),
            class,
            by: item.by,
            sum: Sum::default(),
            folders: 0..0,
        };
        let own = format!(
            "{} {} {} {}",
            class.name(),
            pile.account,
            pile.title,
            item.rule
        );
        let own = own.to_lowercase();
        let missing = self
            .words
            .iter()
            .filter(|word| !own.contains(word.as_str()));
        let missing = missing.cloned().collect();
        self.piles.push(MakingPile {
            pile,
            missing,
            last: None,
        });
        self.known.insert(key, self.piles.len() - 1);
        self.piles.len() - 1
    }

    fn add(&mut self, number: u32, item: &ManifestItem) {
        let at = self.pile_of(item);
        let Some(making) = self.piles.get_mut(at) else {
            return;
        };
        if !making.missing.is_empty() {
            let path = item.shown().to_lowercase();
            if !making.missing.iter().all(|word| path.contains(word)) {
                return;
            }
        }
        let path = item.path.parent().unwrap_or_default();
        let same = making.last.filter(|last| {
            let last = self.folders.get(*last);
            last.is_some_and(|(_, known, _)| *known == path)
        });
        let folder = same.unwrap_or_else(|| {
            self.folders.push((at, path, Sum::default()));
            self.folders.len() - 1
        });
        making.last = Some(folder);
        let one = Sum {
            items: 1,
            bytes: item.bytes,
        };
        making.pile.sum.add(one);
        self.sum.add(one);
        if let Some((_, _, sum)) = self.folders.get_mut(folder) {
            sum.add(one);
        }
        self.items.push(Placed {
            item: number,
            folder: u32::try_from(folder).unwrap_or(u32::MAX),
            bytes: item.bytes,
        });
    }

    /// Lays everything out in the order in which it is read.
    fn end(self, words: &str) -> CheckList {
        let Self {
            piles,
            folders,
            mut items,
            sum,
            ..
        } = self;
        // What somebody notices comes first, in a class what is biggest; piles of which nothing is in
        // the list come last and are left out.
        let (pile_order, pile_place) = ranked(piles.len(), |at| {
            piles.get(at).map(|making| {
                let pile = &making.pile;
                let is_empty = pile.sum.items == 0;
                (is_empty, class_turn(pile.class), Reverse(pile.sum.bytes))
            })
        });
        let (folder_order, folder_place) = ranked(folders.len(), |at| {
            let folder = folders.get(at);
            folder.map(|(pile, _, sum)| (pile_place.get(*pile), Reverse(sum.bytes)))
        });
        items.sort_by_key(|placed| {
            let folder = folder_place.get(placed.folder as usize);
            (folder, Reverse(placed.bytes))
        });
        let mut list = CheckList {
            words: words.trim().to_owned(),
            sum,
            order: items.iter().map(|placed| placed.item).collect(),
            ..CheckList::default()
        };
        let mut folders: Vec<_> = folders.into_iter().map(Some).collect();
        let mut piles: Vec<_> = piles.into_iter().map(Some).collect();
        let mut taken = folder_order.into_iter().peekable();
        let mut from = 0;
        for at in pile_order {
            let Some(making) = piles.get_mut(at).and_then(Option::take) else {
                continue;
            };
            let first = list.folders.len();
            let is_own = |folder: &usize| {
                let folder = folders.get(*folder).and_then(Option::as_ref);
                folder.is_some_and(|(pile, _, _)| *pile == at)
            };
            let mut own = Vec::new();
            while let Some(folder) = taken.next_if(is_own) {
                own.push(folder);
            }
            for folder in own {
                if let Some((_, path, sum)) = folders.get_mut(folder).and_then(Option::take) {
                    let end = from + usize::try_from(sum.items).unwrap_or(0);
                    let items = from..end;
                    list.folders.push(ListFolder { path, sum, items });
                    from = end;
                }
            }
            if making.pile.sum.items > 0 {
                list.piles.push(ListPile {
                    folders: first..list.folders.len(),
                    ..making.pile
                });
            }
        }
        list
    }
}

/// Numbers up to `len` in the order of their keys, and for each number its place in that order.
fn ranked<K: Ord>(len: usize, key: impl Fn(usize) -> K) -> (Vec<usize>, Vec<usize>) {
    let mut order: Vec<usize> = (0..len).collect();
    order.sort_by_key(|at| key(*at));
    let mut place = vec![0; len];
    for (turn, at) in order.iter().enumerate() {
        if let Some(place) = place.get_mut(*at) {
            *place = turn;
        }
    }
    (order, place)
}
