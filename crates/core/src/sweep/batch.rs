//! One batch: intents to the disk, then the touching, then the outcomes.

use std::collections::HashMap;
use std::ops::ControlFlow;

use jolly_disk::Stat;

use crate::decide::{EntryKind, ManifestItem};
use crate::rulebook::Removal;
use crate::sweep::check::{Checker, Verdict};
use crate::sweep::journal::{Done, Intent, Record};
use crate::sweep::{Dustpan, Ground, Journal, JournalError, Outcome};
use crate::target::{TargetPath, WrittenPath};

/// Items in one batch. A batch costs one wait for the state disk; after a crash, at most so many
/// items are without an outcome.
pub(super) const BATCH: usize = 1024;

/// Writes what a batch is about to touch, and waits until that is on the disk.
pub(super) fn intend(
    journal: &mut Journal,
    first: usize,
    batch: &[ManifestItem],
) -> Result<(), JournalError> {
    let mut numbered = batch
        .iter()
        .enumerate()
        .map(|(at, item)| (first + at, item))
        .peekable();
    while let Some((n, item)) = numbered.next() {
        let folder = item.path.parent().unwrap_or_default();
        let mut items = vec![Intent::of(n, item)];
        while let Some((n, next)) = numbered.next_if(|(_, next)| is_like(item, next)) {
            items.push(Intent::of(n, next));
        }
        journal.write(&Record::Intend {
            folder: WrittenPath::from(&folder),
            rule: item.rule.to_string(),
            account: item.account.as_ref().map(ToString::to_string),
            by: item.by,
            items,
        })?;
    }
    journal.sync()
}

fn is_like(one: &ManifestItem, other: &ManifestItem) -> bool {
    one.path.parent() == other.path.parent()
        && one.rule == other.rule
        && one.account == other.account
        && one.by == other.by
}

/// Writes what became of items.
pub(super) fn record(
    journal: &mut Journal,
    first: usize,
    verdicts: &[Verdict],
) -> Result<(), JournalError> {
    let done = |(at, verdict): (usize, &Verdict)| Done {
        n: (first + at) as u64,
        outcome: verdict.outcome,
        bytes: verdict.bytes,
        reason: verdict.reason.clone(),
    };
    journal.write(&Record::Done {
        items: verdicts.iter().enumerate().map(done).collect(),
    })
}

/// Touches one batch. Stops after an item when `go_on` says so; what wasn't touched has no
/// verdict.
pub(super) fn carry_out(
    checker: &mut Checker<'_>,
    dustpan: Option<&mut Dustpan>,
    ground: &Ground<'_>,
    batch: &[ManifestItem],
    go_on: &mut dyn FnMut(&ManifestItem, &Verdict) -> ControlFlow<()>,
) -> Vec<Verdict> {
    let mut stored = store(checker, dustpan, ground, batch);
    let mut verdicts = Vec::with_capacity(batch.len());
    for (at, item) in batch.iter().enumerate() {
        let verdict = match item.by {
            Removal::Remove => match checker.check(item) {
                Ok(stat) => checker.remove(item, &stat),
                Err(verdict) => verdict,
            },
            Removal::Overwrite => match checker.check(item) {
                Ok(stat) => checker.overwrite_and_remove(item, &stat),
                Err(verdict) => verdict,
            },
            Removal::SetAside => match stored.remove(&at) {
                None => Verdict::stays(Outcome::Failed, "it never reached the dustpan"),
                Some(Err(verdict)) => verdict,
                // Time has passed while its bytes were stored: everything is asked again.
                Some(Ok(before)) => match checker.check(item) {
                    Ok(stat) if is_same(item, &before, &stat) => {
                        let mut verdict = checker.remove(item, &stat);
                        if verdict.outcome == Outcome::Removed {
                            verdict.outcome = Outcome::SetAside;
                        }
                        verdict
                    }
                    Ok(_) => Verdict::stays(Outcome::Changed, "it changed while it was stored"),
                    Err(verdict) => verdict,
                },
            },
        };
        let flow = go_on(item, &verdict);
        verdicts.push(verdict);
        if flow.is_break() {
            break;
        }
    }
    verdicts
}

fn is_same(item: &ManifestItem, before: &Stat, after: &Stat) -> bool {
    item.kind == EntryKind::Folder
        || (before.key == after.key
            && before.size == after.size
            && before.modified == after.modified)
}

/// Stores what a batch sets aside, and waits until the dustpan has it on its disk. A verdict for
/// what can't be stored.
fn store(
    checker: &mut Checker<'_>,
    dustpan: Option<&mut Dustpan>,
    ground: &Ground<'_>,
    batch: &[ManifestItem],
) -> HashMap<usize, Result<Stat, Verdict>> {
    let mut stored: HashMap<usize, Result<Stat, Verdict>> = HashMap::new();
    let Some(dustpan) = dustpan else {
        return stored;
    };
    for (at, item) in batch
        .iter()
        .enumerate()
        .filter(|(_, item)| item.by == Removal::SetAside)
    {
        let result = checker.check_for_storing(item).and_then(|stat| {
            let disk = &**ground.target.disk();
            let folder = checker.parent(&item.path)?;
            dustpan.store(disk, folder, item, &stat)?;
            Ok(stat)
        });
        stored.insert(at, result);
    }
    if let Err(error) = dustpan.sync() {
        let verdict = Verdict::stays(Outcome::Failed, error.to_string());
        for result in stored.values_mut().filter(|result| result.is_ok()) {
            *result = Err(verdict.clone());
        }
    }
    stored
}

/// What a rehearsal predicts for a folder: that it will be empty once its listed contents are
/// gone.
pub(super) fn will_be_empty(ground: &Ground<'_>, path: &TargetPath, gone: u64) -> bool {
    let disk = ground.target.disk();
    let mut entries = 0_u64;
    let listed = disk
        .open_folder(ground.target.root(), path.as_bytes())
        .and_then(|folder| {
            disk.list(&folder, &mut |_| {
                entries += 1;
                ControlFlow::Continue(())
            })
        });
    listed.is_ok() && entries == gone
}
