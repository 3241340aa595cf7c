//! Settling entries of lists: what the lists hold by now.

use std::collections::{BTreeMap, HashSet};
use std::sync::Arc;

use crate::cancel::CancelToken;
use crate::computer::{Target, TargetPath, restore_points};
use crate::dustpan::{LeftBeside, clear_up};
use crate::format::Printable;
use crate::plan::Outcome;
use crate::rule::{ListFormat, RecordSet};
use crate::run::LogEntry;
use crate::run::log::record::Done;
use crate::run::recover::absent;
use crate::source::Fingerprint;
use crate::source::holder::address::table_of;
use crate::source::holder::{self, Wanted};
use crate::state::RunId;

/// What lies beside what the run was making anew when it died, for each list or copy where that is somebody's.
pub(crate) type Beside = BTreeMap<TargetPath, String>;

fn list_of(entry: &LogEntry) -> Option<TargetPath> {
    entry.intent.entry.and_then(|_| entry.path.parent())
}

fn is_point(entry: &LogEntry) -> bool {
    let list = entry.intent.entry.map(|entry| entry.list);
    list == Some(ListFormat::Snapshots)
}

/// What was made anew for an entry: its list, or the copy itself that was to keep its name.
fn made_anew(entry: &LogEntry) -> Option<TargetPath> {
    let is_open = entry.by.keeps_name() && entry.outcome.is_none();
    let list = list_of(entry).filter(|_| !is_point(entry));
    list.or_else(|| is_open.then(|| entry.path.clone()))
}

/// Clears up beside all that a run that died was making anew; tells where something had to be left.
pub(crate) fn clear_up_beside(target: &Target, run: &RunId, entries: &[LogEntry]) -> Beside {
    let disk = &**target.disk();
    let mut beside = Beside::new();
    let mut seen: HashSet<TargetPath> = HashSet::new();
    // The first entry of a list gave its number to what was built beside it.
    for entry in entries {
        let Some(list) = made_anew(entry).filter(|list| seen.insert(list.clone())) else {
            continue;
        };
        let holding = list.parent().unwrap_or_default();
        let Ok(folder) = disk.open_folder(target.root(), holding.as_bytes()) else {
            continue;
        };
        let number = usize::try_from(entry.intent.n).unwrap_or(usize::MAX);
        let inode = entry.intent.inode;
        let left = clear_up(disk, (&folder, list.as_name()), (run, number), inode);
        if let LeftBeside::Left(name) = left {
            beside.insert(list, Printable(name.to_bytes()).to_string());
        }
    }
    beside
}

/// The tables of rows whose fate is open, for each database.
fn tables_of(entries: &[LogEntry]) -> BTreeMap<TargetPath, Vec<Arc<RecordSet>>> {
    let mut tables: BTreeMap<TargetPath, Vec<Arc<RecordSet>>> = BTreeMap::new();
    for entry in entries.iter().filter(|entry| entry.outcome.is_none()) {
        let (Some(list), Some(table)) = (list_of(entry), table_of(entry.path.name())) else {
            continue;
        };
        let of_list = tables.entry(list).or_default();
        if !of_list.iter().any(|known| known.table == table) {
            of_list.push(RecordSet::all_of(table));
        }
    }
    tables
}

/// What the lists of open entries hold by now; why, where one can't be read.
pub(crate) struct ListsNow(BTreeMap<TargetPath, Result<HashSet<Fingerprint>, String>>);

/// The restore points that lie in a folder.
fn points_in(target: &Target, folder: &TargetPath) -> Result<HashSet<Fingerprint>, String> {
    let points = restore_points(target, &CancelToken::default());
    let points = points.map_err(|error| error.to_string())?;
    let own = points
        .iter()
        .filter(|point| point.path.parent().as_ref() == Some(folder));
    Ok(own
        .map(|point| Fingerprint::of(point.uuid.as_bytes()))
        .collect())
}

impl ListsNow {
    pub(crate) fn read(target: &Target, entries: &[LogEntry]) -> Self {
        let disk = &**target.disk();
        let mut lists = BTreeMap::new();
        let never = CancelToken::default();
        let sets = tables_of(entries);
        for entry in entries.iter().filter(|entry| entry.outcome.is_none()) {
            let (Some(list), Some(of)) = (list_of(entry), entry.intent.entry) else {
                continue;
            };
            let look = || {
                if of.list == ListFormat::Snapshots {
                    return points_in(target, &list);
                }
                let holding = list.parent().unwrap_or_default();
                let folder = disk.open_folder(target.root(), holding.as_bytes());
                let folder = folder.map_err(|error| error.to_string())?;
                let sets = sets.get(&list).map(Vec::as_slice).unwrap_or_default();
                let wanted = Wanted::of(of.list, sets);
                let read = holder::read(target, (&folder, list.as_name()), wanted, &never);
                let holder = read.map_err(|error| error.to_string())?.holder;
                let items = holder.items().iter();
                Ok(items.map(|item| item.fingerprint).collect())
            };
            lists.entry(list.clone()).or_insert_with(look);
        }
        Self(lists)
    }

    /// What became of an intended entry.
    pub(crate) fn settle(&self, entry: &LogEntry, is_packed: bool, beside: &Beside) -> Done {
        let list = list_of(entry).unwrap_or_default();
        let known = self.0.get(&list);
        let (outcome, bytes, reason) = match (beside.get(&list), known, entry.intent.entry) {
            (Some(name), ..) => {
                let reason = format!(
                    "something else took the list's place; what was there may lie in {name}"
                );
                (Outcome::Changed, 0, reason)
            }
            (None, Some(Ok(there)), Some(of)) if there.contains(&of.entry) => {
                let reason = "the run broke off before it; it is still there";
                (Outcome::Refused, 0, reason.to_owned())
            }
            (None, Some(Ok(_)), Some(_)) => absent(entry, is_packed),
            (None, Some(Err(why)), _) => (
                Outcome::Failed,
                0,
                format!("its list can't be looked at: {why}"),
            ),
            (None, None, _) | (None, _, None) => {
                (Outcome::Failed, 0, "its list is not known".to_owned())
            }
        };
        Done {
            n: entry.intent.n,
            many: 1,
            outcome,
            bytes: Some(bytes),
            reason,
        }
    }
}
