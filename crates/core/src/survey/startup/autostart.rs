//! Desktop entries that start a program at sign-in (the autostart specification): an entry in a home hides the one of
//! the same name that the system has.

use std::collections::BTreeMap;

use jolly_disk::Kind;

use crate::computer::TargetPath;
use crate::format::program_records::desktop_entry::AutostartEntry;
use crate::survey::programs::{below, place};
use crate::survey::startup::{Found, Look, StartSource, Switch};

/// Where the system's entries lie.
const SYSTEM: &str = "etc/xdg/autostart";

/// Where those of a home do.
const OWN: &[u8] = b".config/autostart";

pub(super) fn look(look: &mut Look<'_>) {
    let system = entries(look, &place(SYSTEM));
    let target = look.target;
    for account in &target.accounts {
        let folder = below(&account.home, OWN);
        let own = entries(look, &folder);
        let mut all: BTreeMap<&[u8], (Option<&TargetPath>, Option<Kind>)> = BTreeMap::new();
        for (name, (path, _)) in &system {
            all.entry(name).or_default().0 = Some(path);
        }
        for (name, (_, kind)) in &own {
            all.entry(name).or_default().1 = Some(*kind);
        }
        for (name, (of, own)) in all {
            if look.is_over() {
                return;
            }
            let mine = below(&folder, name);
            let file = match (own, of) {
                (None, Some(of)) => of,
                _ => &mine,
            };
            let switch = match (own, of) {
                (None, Some(of)) => Ok(Switch::Override {
                    of: of.clone(),
                    own: mine.clone(),
                }),
                (Some(Kind::File), _) => Ok(Switch::OwnEntry(mine.clone())),
                _ => Err("it is no file of its own, but a link"),
            };
            entry(look, (&account.name, name), file, switch);
        }
    }
}

fn entry(
    look: &mut Look<'_>,
    (account, name): (&crate::computer::AccountName, &[u8]),
    file: &TargetPath,
    switch: Result<Switch, &'static str>,
) {
    let Some(text) = look.text(file) else {
        return;
    };
    let Some(entry) = AutostartEntry::read(&text) else {
        return;
    };
    // What it waits for isn't there: it never starts, and nobody turned it off.
    let waits_in_vain = entry
        .needs
        .as_deref()
        .is_some_and(|needs| look.program(needs).0);
    let key = String::from_utf8_lossy(name);
    let title = if entry.name.is_empty() {
        &*key
    } else {
        &*entry.name
    };
    look.add(&Found {
        source: StartSource::Autostart,
        account: Some(account),
        key: &key,
        name: title,
        command: &entry.command,
        program: entry.program.as_deref(),
        says: entry.says.as_deref(),
        file,
        is_on: !entry.is_hidden && !waits_in_vain,
        switch,
    });
}

/// The entries in a folder: their paths and kinds, by name.
fn entries(look: &Look<'_>, folder: &TargetPath) -> BTreeMap<Vec<u8>, (TargetPath, Kind)> {
    let names = look.names(folder).into_iter();
    let entries = names.filter(|(name, kind)| {
        name.ends_with(b".desktop") && matches!(kind, Kind::File | Kind::Link)
    });
    entries
        .map(|(name, kind)| {
            let path = below(folder, &name);
            (name, (path, kind))
        })
        .collect()
}
