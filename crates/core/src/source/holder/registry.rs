//! Registry hives: their items are the keys and values that name files by their full path.

mod command;
mod references;

use std::collections::HashSet;
use std::ffi::{CStr, CString};
use std::ops::ControlFlow;

use jiff::Timestamp;
use jolly_disk::{Disk, Folder, Stat};

use crate::computer::{FoldedNames, Presence, Target, is_asleep, presence_by_drive};
use crate::format::windows::filetime;
use crate::format::windows::hive::change::{Change, changed};
use crate::format::windows::hive::tree::KeyTree;
use crate::format::windows::hive::{self, Hive, HiveError, is_finished};
use crate::format::windows::registry_text::{Exported, read, write};
use crate::rule::Rule;
use crate::source::holder::registry::references::{HiveRole, Reference, references};
use crate::source::holder::{
    Fingerprint, Holder, HolderError, HolderItem, Refused, address, has_memory_for, read_file,
};
use crate::source::recognise::shown_windows;
use crate::source::{Candidate, Finding, Reason};

/// A hive that was read.
pub(crate) struct Registry {
    role: HiveRole,
    /// Gone once one is made anew of it.
    hive: Option<Hive>,
    references: Vec<Reference>,
    items: Vec<HolderItem>,
    unreadable: u64,
    /// When changes are made, as FILETIME.
    time: u64,
}

impl Registry {
    /// What a hive holds of references, by its file's name.
    ///
    /// # Errors
    /// When its like is not known, or there are beyond all measure.
    pub(crate) fn of(name: &[u8], hive: Hive) -> Result<Self, HolderError> {
        let role = HiveRole::by_name(name).ok_or(HolderError::Hive(HiveError::NoHive))?;
        let found = references(&hive, role).ok_or(HolderError::TooLarge)?;
        // Of two with one name only the first is told.
        let mut names = HashSet::new();
        let (mut references, mut items) = (Vec::new(), Vec::new());
        for reference in found {
            let Some(name) = name_of(&reference.exported) else {
                continue;
            };
            if !names.insert(name.to_uppercase()) {
                continue;
            }
            items.push(HolderItem {
                name: name.into_bytes(),
                time: Some(filetime::seconds(reference.time)),
                // What goes out of a hive leaves room in it: the file keeps its size.
                size: 0,
                fingerprint: Fingerprint::of(&write(role.root, &reference.exported)),
                leads_to: reference
                    .leads_to
                    .iter()
                    .map(|path| path.clone().into_bytes())
                    .collect(),
                set: None,
                reference: Some(reference.kind),
            });
            references.push(reference);
        }
        let unreadable = hive.broken();
        let time = hive.written();
        Ok(Self {
            role,
            hive: Some(hive),
            references,
            items,
            unreadable,
            time,
        })
    }

    fn change(&mut self, changes: &[Change]) -> Result<Vec<u8>, HolderError> {
        let hive = self.hive.take().ok_or(HolderError::NotAsMeant)?;
        Ok(changed(hive, changes, self.time)?)
    }
}

/// What an item is called: the path of its key, and of a value behind two backslashes its name.
fn name_of(exported: &Exported) -> Option<String> {
    let name = match exported {
        Exported::Value { key, value } => format!("{key}\\\\{}", value.name),
        Exported::Key { parent, tree } => format!("{parent}\\{}", tree.name),
    };
    address::key_name(&name)
}

impl Holder for Registry {
    fn items(&self) -> &[HolderItem] {
        &self.items
    }

    fn unreadable(&self) -> u64 {
        self.unreadable
    }

    fn changes_at(&mut self, moment: Timestamp) {
        self.time = filetime::ticks(moment);
    }

    fn export(&mut self, at: usize) -> Result<Vec<u8>, HolderError> {
        let reference = self.references.get(at).ok_or(HolderError::NotAsMeant)?;
        Ok(write(self.role.root, &reference.exported))
    }

    fn fingerprint_of(&self, exported: &[u8]) -> Option<Fingerprint> {
        Some(Fingerprint::of(exported))
    }

    fn without(&mut self, gone: &HashSet<Fingerprint>) -> Result<Vec<u8>, HolderError> {
        let going = self.items.iter().zip(&self.references);
        let changes: Vec<Change> = going
            .filter(|(item, _)| gone.contains(&item.fingerprint))
            .map(|(_, reference)| match reference.exported.clone() {
                Exported::Value { key, value } => Change::RemoveValue { key, value },
                Exported::Key { parent, tree } => Change::RemoveKey { parent, tree },
            })
            .collect();
        if changes.len() != gone.len() {
            return Err(HolderError::NotAsMeant);
        }
        self.change(&changes)
    }

    fn with(&mut self, exported: &[Vec<u8>]) -> Result<(Vec<u8>, Refused), HolderError> {
        let hive = self.hive.as_ref().ok_or(HolderError::NotAsMeant)?;
        let mut refused = Refused::new();
        let mut changes = Vec::new();
        // Keys that are missing on the way, by the path of the lowest one that is there.
        let mut missing: Vec<(String, KeyTree)> = Vec::new();
        for (at, bytes) in exported.iter().enumerate() {
            let exported = read(self.role.root, bytes).ok_or(HolderError::NotAsMeant)?;
            let (path, is_there) = match &exported {
                Exported::Value { key, value } => (key, hive.value_at(key, &value.name).is_some()),
                Exported::Key { parent, tree } => {
                    (parent, hive.has_key(&format!("{parent}\\{}", tree.name)))
                }
            };
            if is_there {
                refused.insert(at);
            } else if hive.has_key(path) {
                changes.push(match exported {
                    Exported::Value { key, value } => Change::SetValue { key, value },
                    Exported::Key { parent, tree } => Change::AddKey { parent, tree },
                });
            } else {
                let path = path.clone();
                add_missing((hive, self.time), &mut missing, &path, exported)
                    .ok_or(HolderError::NotAsMeant)?;
            }
        }
        let missing = missing.into_iter();
        changes.extend(missing.map(|(parent, tree)| Change::AddKey { parent, tree }));
        if changes.is_empty() {
            return Ok((Vec::new(), refused));
        }
        Ok((self.change(&changes)?, refused))
    }
}

/// Adds something to keys that are made because the one that it stood in is gone.
fn add_missing(
    (hive, time): (&Hive, u64),
    missing: &mut Vec<(String, KeyTree)>,
    path: &str,
    exported: Exported,
) -> Option<()> {
    let parts: Vec<&str> = path.split('\\').filter(|part| !part.is_empty()).collect();
    let known = (0..parts.len()).rev().find(|many| {
        parts
            .get(..*many)
            .is_some_and(|parts| hive.has_key(&parts.join("\\")))
    })?;
    let parent = parts.get(..known)?.join("\\");
    let lacking = parts.get(known..)?;
    let security = hive.security_at(&parent)?;
    let new = |name: &str| KeyTree {
        name: name.to_owned(),
        time,
        flags: 0,
        class: Vec::new(),
        security: security.clone(),
        values: Vec::new(),
        keys: Vec::new(),
    };
    let (first, below) = lacking.split_first()?;
    let is_it = |(other, tree): &(String, KeyTree)| *other == parent && tree.name == *first;
    let at = missing.iter().position(is_it).unwrap_or_else(|| {
        missing.push((parent.clone(), new(first)));
        missing.len() - 1
    });
    let mut tree = &mut missing.get_mut(at)?.1;
    for name in below {
        let known = tree.keys.iter().position(|key| key.name == *name);
        let at = known.unwrap_or_else(|| {
            tree.keys.push(new(name));
            tree.keys.len() - 1
        });
        tree = tree.keys.get_mut(at)?;
    }
    match exported {
        Exported::Value { value, .. } => tree.values.push(value),
        Exported::Key { tree: own, .. } => tree.keys.push(own),
    }
    Some(())
}

/// Reads a hive with the logs beside it; nothing of it is changed.
///
/// # Errors
/// When it can't be read, is too large, changes meanwhile, isn't whole, or its system only sleeps.
pub(crate) fn read_hive(
    target: &Target,
    (folder, name): (&Folder, &CStr),
) -> Result<(Stat, Hive), HolderError> {
    if is_asleep(target) {
        return Err(HolderError::Asleep);
    }
    let disk = &**target.disk();
    let (stat, bytes) = read_file(disk, (folder, name), hive::MOST)?;
    if !has_memory_for(bytes.len() as u64) {
        return Err(HolderError::NoMemory);
    }
    let names = logs_beside(disk, folder, name.to_bytes(), &bytes);
    let mut logs = Vec::new();
    for log in names.map_err(HolderError::Read)? {
        logs.push(read_file(disk, (folder, &log), hive::MOST)?.1);
    }
    // What was read is what is there, if nothing was written meanwhile.
    let again = disk.stat(folder, name).map_err(HolderError::Read)?;
    if !again.is_unchanged_since(&stat) {
        return Err(HolderError::Changed);
    }
    Ok((stat, Hive::read(bytes, &logs)?))
}

/// The logs that lie beside a hive and hold what its system hasn't written into it; none of one that is finished.
pub(crate) fn logs_beside(
    disk: &dyn Disk,
    folder: &Folder,
    name: &[u8],
    hive: &[u8],
) -> Result<Vec<CString>, std::io::Error> {
    let mut logs = Vec::new();
    if is_finished(hive) {
        return Ok(logs);
    }
    disk.list(folder, &mut |entry| {
        let known = entry.name.to_bytes();
        let (start, ending) = known.split_at_checked(name.len()).unwrap_or_default();
        let is_log = start.eq_ignore_ascii_case(name)
            && (ending.eq_ignore_ascii_case(b".LOG1") || ending.eq_ignore_ascii_case(b".LOG2"));
        if is_log {
            logs.push(entry.name.to_owned());
        }
        ControlFlow::Continue(())
    })?;
    Ok(logs)
}

/// Whether all that an item names is gone.
pub(crate) fn look(
    target: &Target,
    known: &FoldedNames,
    rule: &Rule,
    candidate: &Candidate<'_>,
) -> Finding {
    let Some(item) = candidate.entry else {
        return Finding::Is(Reason::EachReference);
    };
    if item.reference.is_none() || item.reference != rule.values {
        return Finding::Not;
    }
    let is_gone = |path: &Vec<u8>| {
        let path = String::from_utf8_lossy(path);
        presence_by_drive(target, known, &path) == Presence::Gone
    };
    match item.leads_to.last() {
        Some(last) if item.leads_to.iter().all(is_gone) => Finding::Is(Reason::NamesGone(
            shown_windows(&String::from_utf8_lossy(last)),
        )),
        _ => Finding::Not,
    }
}
