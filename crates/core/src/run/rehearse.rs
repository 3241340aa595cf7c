//! What the real run would do with each item, were nothing to change until then.

pub(super) mod compare;

use std::collections::HashMap;
use std::ops::ControlFlow;

use jolly_disk::{Kind, Stat};

use crate::computer::{EntryKind, TargetPath};
use crate::plan::{ItemOutcome, Manifest, ManifestItem, Outcome, StayReason};
use crate::rule::Removal;
use crate::run::RunContext;
use crate::run::check::Checker;
use crate::run::check::list::OpenList;

/// What a rehearsal has let go so far.
pub(crate) struct LetGo {
    /// Whether it went, for each path that something waits for.
    awaited: HashMap<TargetPath, bool>,
    below: HashMap<TargetPath, u64>,
    /// How many names of a file, for files with several.
    names: HashMap<jolly_disk::FileKey, u32>,
    /// The list that was opened last: its entries follow each other.
    list: Option<OpenList>,
}

impl LetGo {
    /// Nothing yet. There may be millions, so only paths that items of the list wait for are kept.
    pub(crate) fn nothing_of(manifest: &Manifest) -> Self {
        let mut awaited = HashMap::new();
        manifest.items.each_view(&mut |_, item| {
            if let Some(after) = item.after() {
                awaited.insert(after.clone(), false);
            }
        });
        Self {
            awaited,
            below: HashMap::new(),
            names: HashMap::new(),
            list: None,
        }
    }

    fn add(&mut self, path: &TargetPath) {
        if let Some(is_gone) = self.awaited.get_mut(path) {
            *is_gone = true;
        }
        if let Some(parent) = path.parent() {
            *self.below.entry(parent).or_default() += 1;
        }
    }
}

/// What the real run would do with an item.
pub(crate) fn predict(
    context: &RunContext<'_>,
    checker: &mut Checker<'_>,
    item: &ManifestItem,
    gone: &mut LetGo,
) -> ItemOutcome {
    if item.entry.is_some() {
        return predict_entry(context, checker, item, gone).unwrap_or_else(|stays| stays);
    }
    let described = item
        .after
        .as_ref()
        .is_some_and(|after| gone.awaited.get(after) == Some(&true));
    let asked = ManifestItem {
        after: item.after.clone().filter(|_| !described),
        ..item.clone()
    };
    let stat = match checker.check(&asked, item.path.as_name()) {
        Ok(stat) => stat,
        Err(verdict) => return verdict,
    };
    if let Err(verdict) = may_go(context, checker, item, &stat) {
        return verdict;
    }
    let below = gone.below.get(&item.path).copied().unwrap_or(0);
    if item.kind == EntryKind::Folder && !will_be_empty(context, &item.path, below) {
        return ItemOutcome::stays(StayReason::NotEmpty);
    }
    if !item.by.keeps_name() {
        gone.add(&item.path);
    }
    let bytes = match item.kind {
        EntryKind::Folder | EntryKind::ListEntry => 0,
        EntryKind::File | EntryKind::Link if stat.links <= 1 => stat.allocated,
        EntryKind::File | EntryKind::Link => {
            let names = gone.names.entry(stat.key).or_default();
            *names += 1;
            let is_last = *names >= stat.links;
            if is_last { stat.allocated } else { 0 }
        }
    };
    ItemOutcome {
        outcome: Outcome::of(item.by),
        bytes,
        reason: None,
        is_as_listed: bytes == item.bytes,
    }
}

/// What the real run would do with an entry of a list.
fn predict_entry(
    context: &RunContext<'_>,
    checker: &mut Checker<'_>,
    item: &ManifestItem,
    gone: &mut LetGo,
) -> Result<ItemOutcome, ItemOutcome> {
    if item.is_point() {
        checker.check_point(item)?;
        return Ok(ItemOutcome {
            outcome: Outcome::Removed,
            bytes: item.bytes,
            reason: None,
            is_as_listed: true,
        });
    }
    let known = gone.list.take().filter(|list| list.is_of(item));
    let list = match known {
        Some(list) => list,
        None => checker.open_list(item)?,
    };
    let list = gone.list.insert(list);
    checker.check_entry(item, list)?;
    let path = item.file();
    let disk = &**context.target.disk();
    let folder = checker.parent(&path)?;
    disk.may_remove(folder, &list.stat)
        .map_err(|error| ItemOutcome::of_error(&error, "make anew"))?;
    if ![0, list.stat.user].contains(&jolly_disk::runner()) {
        let verb = "give a new list to the owner of";
        return Err(ItemOutcome::stays(StayReason::NotAllowed { verb }));
    }
    Ok(ItemOutcome {
        outcome: Outcome::of(item.by),
        bytes: item.bytes,
        reason: None,
        is_as_listed: true,
    })
}

/// Whether the system would let us, as far as it says without being tried.
fn may_go(
    context: &RunContext<'_>,
    checker: &mut Checker<'_>,
    item: &ManifestItem,
    stat: &Stat,
) -> Result<(), ItemOutcome> {
    let disk = &**context.target.disk();
    let folder = checker.parent(&item.path)?;
    let name = item.path.as_name();
    let denied = |error: std::io::Error, verb: &'static str| ItemOutcome::of_error(&error, verb);
    let is_stored = item.by == Removal::SetAside && stat.kind == Kind::File;
    if is_stored {
        disk.open_file(folder, name)
            .map_err(|error| denied(error, "read"))?;
    }
    if item.by == Removal::Overwrite && stat.kind == Kind::File {
        disk.open_to_overwrite(folder, name)
            .map_err(|error| denied(error, "write over"))?;
    }
    disk.may_remove(folder, stat)
        .map_err(|error| denied(error, "remove"))?;
    if item.by.keeps_name() {
        checker.may_share(item, name, stat)?;
    }
    Ok(())
}

/// Whether a folder will be empty once its listed contents are gone.
fn will_be_empty(context: &RunContext<'_>, path: &TargetPath, gone: u64) -> bool {
    let disk = context.target.disk();
    let mut entries = 0_u64;
    let listed = disk
        .open_folder(context.target.root(), path.as_bytes())
        .and_then(|folder| {
            disk.list(&folder, &mut |_| {
                entries += 1;
                ControlFlow::Continue(())
            })
        });
    listed.is_ok() && entries == gone
}
