//! Whole folders on their way out: moved into the quarantine once, emptied there, and given back when something
//! of them stays.

use std::collections::HashSet;
use std::ffi::{CStr, CString};
use std::hash::{DefaultHasher, Hash as _, Hasher as _};
use std::sync::{Arc, PoisonError};

use jolly_disk::{Disk, Folder, Kind, Rights};

use crate::computer::{EntryKind, TargetPath};
use crate::plan::item_outcome::ItemOutcome;
use crate::plan::{Manifest, Moment, StayReason};
use crate::rule::{AgeBy, Rule, RuleId, RuleSet};
use crate::run::check::away::{self, AwayFolder, AwayFolders, AwayGuard};
use crate::run::workers::quarantine::{InQuarantine, Quarantine, ReturnedTo, put_back};

/// From how many things in it on a folder is moved as one: with fewer, each by itself costs less.
const WORTH_IT: usize = 4;

/// The bits of a folder that nobody but the runner may enter.
const PRIVATE: u32 = 0o700;

/// What became of a folder that was to be moved as one.
pub(crate) enum Moved {
    /// It lies in the quarantine.
    Away,
    /// It is where it was: what is in it goes one by one.
    Not,
    /// Something else was moved, and lies where the outcome says.
    Lies(ItemOutcome),
}

/// Which folders of a list go whole, by hashes of their paths: an accidental one is moved, and given back.
pub(super) struct WholeFolders(HashSet<u64>);

impl WholeFolders {
    /// Goes through a list once. Things whose rule asks something else of the disk by its path go one by one.
    pub(super) fn of(manifest: &Manifest, rules: &RuleSet) -> Self {
        let (mut folders, mut filled, mut unfit) = (HashSet::new(), HashSet::new(), HashSet::new());
        let mut run: (u64, usize) = (0, 0);
        let mut ruled: Option<(RuleId, bool)> = None;
        manifest.items.each_view(&mut |_, item| {
            if item.kind() == EntryKind::Folder {
                folders.insert(hash_of(&item.path_pieces().concat()));
                return;
            }
            let folder = hash_of(item.folder_path());
            run = if run.0 == folder {
                (folder, run.1 + 1)
            } else {
                (folder, 1)
            };
            if run.1 == WORTH_IT {
                filled.insert(folder);
            }
            let is_known =
                |(last, _): &(RuleId, bool)| item.rule().is_some_and(|id| last.is_same(id));
            if !ruled.as_ref().is_some_and(is_known) {
                ruled = item.rule().map(|id| {
                    let rule = rules.by_id(id).map(|number| &rules.rule(number).rule);
                    (id.clone(), rule.is_some_and(asks_of_the_thing_alone))
                });
            }
            let is_plain = ruled.as_ref().is_some_and(|(_, is_plain)| *is_plain);
            if !is_plain || item.unit().is_some() {
                unfit.insert(folder);
            }
        });
        filled.retain(|folder| folders.contains(folder) && !unfit.contains(folder));
        Self(filled)
    }

    fn holds(&self, path: &[u8]) -> bool {
        self.0.contains(&hash_of(path))
    }
}

/// Whether a rule asks nothing but of the thing itself and its name.
fn asks_of_the_thing_alone(rule: &Rule) -> bool {
    let is_aged_by_itself = !matches!(rule.age.by, AgeBy::Trashed | AgeBy::Row);
    rule.detect.is_none() && rule.survey.is_none() && rule.entries.is_none() && is_aged_by_itself
}

fn hash_of(path: &[u8]) -> u64 {
    let mut hasher = DefaultHasher::new();
    path.hash(&mut hasher);
    hasher.finish()
}

impl Quarantine<'_> {
    /// Whether the list takes all that is in a folder, and enough of it to move the folder as one.
    pub(crate) fn goes_whole(&self, path: &[u8]) -> bool {
        let look = || WholeFolders::of(self.manifest, self.rules);
        self.whole.get_or_init(look).holds(path)
    }

    /// Moves a folder that goes whole into the quarantine, for a batch that has things in it; `number` is that of one of
    /// them.
    ///
    /// # Safety argument
    /// Once it is there nobody else finds it by a path, and once it is the runner's own and private nobody else may
    /// change a name in it, whatever of it they have open: the kernel asks for that at each change. A crash leaves it
    /// in the quarantine with all that [`super::empty`] needs to give it back in its name.
    pub(crate) fn take_folder(
        &self,
        away: &AwayFolders,
        (path, folder): (&TargetPath, &Folder),
        (number, batch): (u64, usize),
    ) -> Moved {
        let (disk, runner) = (self.disk(), jolly_disk::runner());
        let Some(inside) = self.open(path) else {
            return Moved::Not;
        };
        let Ok(seen) = disk.stat_folder(folder) else {
            return Moved::Not;
        };
        // In a folder of somebody's own it could be taken away with all that is in it.
        if path.is_root() || !inside.place.is_root() {
            return Moved::Not;
        }
        let mut known = away.change();
        if let Some(there) = known.get_mut(path.as_bytes()) {
            if !there.batches.contains(&batch) {
                there.batches.push(batch);
            }
            return Moved::Away;
        }
        let rights = seen.rights();
        let held = name_of_folder(number, rights);
        let parent = path.parent().unwrap_or_default();
        let target = (disk, self.target.root());
        let Ok(parent) = away::open(&known, target, parent.as_bytes()) else {
            return Moved::Not;
        };
        let name = path.as_name();
        let is_it = |at: &Folder, name: &CStr| {
            let now = disk.stat(at, name);
            now.is_ok_and(|now| now.kind == Kind::Folder && now.key == seen.key)
        };
        // Somebody else's folder in its place is left alone, but for a moment that can't be seen.
        let may_move = is_it(&parent, name);
        if !may_move
            || disk
                .move_folder(&parent, name, &inside.folder, &held)
                .is_err()
        {
            return Moved::Not;
        }
        let is_it = is_it(&inside.folder, &held);
        let private = Rights {
            user: runner,
            mode: PRIVATE,
        };
        if is_it && disk.set_rights(folder, private).is_ok() && disk.is_private(folder) {
            let there = AwayFolder {
                holding: Arc::clone(&inside.folder),
                held,
                rights,
                batches: vec![batch],
            };
            known.insert(path.as_bytes().to_vec(), there);
            return Moved::Away;
        }
        if is_it {
            drop(disk.set_rights(folder, rights));
        }
        match put_back(disk, (&inside.folder, &held), (&parent, name), number) {
            ReturnedTo::There => Moved::Not,
            lies => Moved::Lies(ItemOutcome::stays(StayReason::LiesElsewhere {
                because: Box::new(StayReason::Replaced(Moment::AtTheEnd)),
                place: self.told(&inside, &lies, &held),
            })),
        }
    }

    fn told(&self, inside: &InQuarantine, lies: &ReturnedTo, held: &CStr) -> String {
        match lies {
            ReturnedTo::There => String::new(),
            ReturnedTo::Beside(name) => format!("beside it as {name}"),
            ReturnedTo::InQuarantine => {
                let place = self.shown(&inside.place);
                format!("in {place} as {}", held.to_string_lossy())
            }
        }
    }

    /// Removes a folder that lies in the quarantine; nothing when it doesn't. One of which something stays goes back at
    /// once, and so does all that belongs below a folder that is about to go: else that would seem to be empty.
    pub(crate) fn remove_folder(
        &self,
        away: &AwayFolders,
        path: &TargetPath,
    ) -> Option<Result<(), ItemOutcome>> {
        let mut known = away.change();
        let Some(there) = known.get(path.as_bytes()) else {
            let below = known.keys().filter(|it| is_below(it, path));
            let below = below.cloned().collect();
            self.give_some_back(&mut known, below);
            return None;
        };
        match self.disk().remove_folder(&there.holding, &there.held) {
            Ok(()) => {
                known.remove(path.as_bytes());
                Some(Ok(()))
            }
            Err(error) => {
                let mut outcome = ItemOutcome::of_error(&error, "remove");
                if let Some(place) = self.give_one_back(&mut known, path.as_bytes()) {
                    outcome.lies(&place);
                    self.misplaced(path.as_bytes().to_vec(), place);
                }
                Some(Err(outcome))
            }
        }
    }

    /// Gives back the folders in which no batch but this one has anything; all of them where none is named. Says of
    /// those that could not go back since this was asked last where they lie.
    pub(crate) fn give_back(
        &self,
        away: &AwayFolders,
        batch: Option<usize>,
    ) -> Vec<(Vec<u8>, String)> {
        let mut known = away.change();
        let mut due = Vec::new();
        for (path, there) in known.iter_mut() {
            there
                .batches
                .retain(|of| batch.is_some_and(|batch| *of != batch));
            if there.batches.is_empty() {
                due.push(path.clone());
            }
        }
        self.give_some_back(&mut known, due);
        let mut told = self.lying.lock().unwrap_or_else(PoisonError::into_inner);
        std::mem::take(&mut *told)
    }

    /// Gives folders back, each into the one that it belongs in, and notes of those that can't go back where they lie.
    fn give_some_back(&self, known: &mut AwayGuard<'_>, mut paths: Vec<Vec<u8>>) {
        paths.sort_unstable_by_key(Vec::len);
        for path in paths {
            if let Some(place) = self.give_one_back(known, &path) {
                self.misplaced(path, place);
            }
        }
    }

    fn misplaced(&self, path: Vec<u8>, place: String) {
        let mut told = self.lying.lock().unwrap_or_else(PoisonError::into_inner);
        told.push((path, place));
    }

    /// Gives a folder back; says where it lies when it can't lie where it belongs.
    fn give_one_back(&self, known: &mut AwayGuard<'_>, path: &[u8]) -> Option<String> {
        let there = known.remove(path)?;
        let disk = self.disk();
        let path = TargetPath::new(path).ok()?;
        let parent = path.parent().unwrap_or_default();
        let parent = away::open(known, (disk, self.target.root()), parent.as_bytes());
        let back = parent.as_ref().ok().map(|parent| (parent, path.as_name()));
        let lies = return_folder(disk, (&there.holding, &there.held), there.rights, back);
        match lies {
            ReturnedTo::There => None,
            ReturnedTo::Beside(name) => Some(format!("beside it as {name}")),
            ReturnedTo::InQuarantine => {
                let place = self.shown(&TargetPath::default());
                Some(format!("in {place} as {}", there.held.to_string_lossy()))
            }
        }
    }
}

fn is_below(path: &[u8], folder: &TargetPath) -> bool {
    let rest = path.strip_prefix(folder.as_bytes());
    rest.is_some_and(|rest| rest.starts_with(b"/"))
}

/// Gives a folder in the quarantine its rights and its place back.
pub(super) fn return_folder(
    disk: &dyn Disk,
    (holding, held): (&Folder, &CStr),
    rights: Rights,
    back: Option<(&Folder, &CStr)>,
) -> ReturnedTo {
    let Some(back) = back else {
        return ReturnedTo::InQuarantine;
    };
    let number = number_of_folder(held).map_or(0, |(number, _)| number);
    let opened = disk.open_folder(holding, held.to_bytes());
    let given = opened.and_then(|folder| disk.set_rights(&folder, rights));
    match given {
        Ok(()) => put_back(disk, (holding, held), back, number),
        Err(_) => ReturnedTo::InQuarantine,
    }
}

/// What a folder is called in the quarantine: the number of a thing in it, and whose it is where it belongs.
fn name_of_folder(number: u64, rights: Rights) -> CString {
    let name = format!("{number}.{}.{:o}", rights.user, rights.mode);
    CString::new(name).unwrap_or_default()
}

/// The same, read.
pub(super) fn number_of_folder(held: &CStr) -> Option<(u64, Rights)> {
    let mut parts = held.to_str().ok()?.split('.');
    let number = parts.next()?.parse().ok()?;
    let user = parts.next()?.parse().ok()?;
    let mode = u32::from_str_radix(parts.next()?, 8).ok()?;
    let is_one = parts.next().is_none() && mode <= 0o7777;
    is_one.then_some((number, Rights { user, mode }))
}
