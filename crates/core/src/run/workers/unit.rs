//! What goes whole or stays, looked at before any of it goes.

use std::collections::{HashMap, HashSet};
use std::ops::ControlFlow;
use std::sync::Arc;

use jolly_disk::Kind;

use crate::cancel::CancelToken;
use crate::computer::{EntryKind, TargetPath};
use crate::plan::item_outcome::ItemOutcome;
use crate::plan::{Manifest, ManifestItem, StayReason};
use crate::run::check::{Checker, Shared};
use crate::source::is_tag;

/// Checks every part of each unit of a list, and that nothing new is in it: of one that can't go whole
/// nothing will go.
pub(crate) fn look_at_units(shared: &Shared<'_>, manifest: &Manifest, stop: &CancelToken) {
    let mut units: HashMap<Arc<TargetPath>, Vec<usize>> = HashMap::new();
    manifest.items.each_view(&mut |number, item| {
        if let Some(unit) = item.unit() {
            units.entry(Arc::clone(unit)).or_default().push(number);
        }
    });
    // In the order of the list: what lies in a plan is read block by block.
    let mut units: Vec<(Arc<TargetPath>, Vec<usize>)> = units.into_iter().collect();
    units.sort_unstable_by_key(|(_, numbers)| numbers.first().copied());
    for (unit, items) in units {
        if stop.is_cancelled() {
            return;
        }
        let items = items.into_iter();
        let items: Vec<ManifestItem> = items.filter_map(|at| manifest.items.get(at)).collect();
        if let Err(verdict) = look_at(shared, &unit, &items) {
            shared.tear(&unit, &verdict);
        }
    }
}

fn look_at(
    shared: &Shared<'_>,
    unit: &TargetPath,
    items: &[ManifestItem],
) -> Result<(), ItemOutcome> {
    let known: HashSet<&TargetPath> = items.iter().map(|item| &item.path).collect();
    let mut checker = Checker::new(shared, None);
    for item in items {
        if item.path.below(unit).is_none() {
            return Err(ItemOutcome::stays(StayReason::PartOfAnotherUnit));
        }
        if item.kind != EntryKind::Folder {
            checker.check_for_storing(item, item.path.as_name())?;
        }
    }
    let target = shared.context.target;
    let disk = target.disk();
    let mut waiting = vec![unit.clone()];
    while let Some(path) = waiting.pop() {
        let folder = disk
            .open_folder(target.root(), path.as_bytes())
            .map_err(|error| ItemOutcome::of_error(&error, "open"))?;
        let mut is_new = false;
        let listed = disk.list(&folder, &mut |entry| {
            let is_own_tag = path == *unit && is_tag(entry.name);
            let Ok(below) = path.join(entry.name.to_bytes()) else {
                is_new = true;
                return ControlFlow::Break(());
            };
            let is_folder = || {
                let stat = disk.stat(&folder, entry.name);
                stat.is_ok_and(|stat| stat.kind == Kind::Folder)
            };
            if known.contains(&below) || is_own_tag || is_folder() {
                if !is_own_tag && is_folder() {
                    waiting.push(below);
                }
                ControlFlow::Continue(())
            } else {
                is_new = true;
                ControlFlow::Break(())
            }
        });
        listed.map_err(|error| ItemOutcome::of_error(&error, "list"))?;
        if is_new {
            return Err(ItemOutcome::stays(StayReason::UnitGrew));
        }
    }
    Ok(())
}
