//! Records of programs that are gone: packages removed with their settings kept, receipts without a bundle, launchers that
//! start nothing.

use std::collections::HashMap;

use crate::cancel::CancelToken;
use crate::computer::{
    FoldedNames, Layout, Presence, Target, TargetPath, presence, presence_by_drive,
};
use crate::format::program_records::desktop_entry::{DesktopEntry, MOST_ENTRY};
use crate::format::windows::shell_link::{self, LeadsTo};
use crate::format::{PROPERTY_LIST_MOST, PropertyList};
use crate::source::is_program_gone;
use crate::survey::folders::folders;
use crate::survey::folders::names_in;
use crate::survey::programs::names::{forms, normal};
use crate::survey::programs::{below, place, read_at};
use crate::survey::{Inventory, programs::names::is_common};

/// What records say of programs that are gone, by their names. What lies in somebody's home speaks for what is theirs alone.
pub(super) struct Vanished(HashMap<String, Vec<Record>>);

/// One of them.
pub(super) struct Record {
    /// In whose home it lies; none for the system's.
    account: Option<usize>,
    pub why: String,
    /// When its program was removed, in seconds since 1970, where that is known.
    pub removed: Option<i64>,
}

/// A folder of launchers, and in whose home it lies.
type LauncherFolder = (TargetPath, Option<usize>);

impl Vanished {
    pub(super) fn of(target: &Target, inventory: &Inventory, cancel: &CancelToken) -> Self {
        let mut known = Self(HashMap::new());
        for (package, when) in &inventory.removed_here {
            known.note_all(package, "it was removed from here", (None, Some(*when)));
        }
        for package in &inventory.removed {
            let why = "its package was removed, its settings were kept";
            known.note(package, why, None);
        }
        match target.layout {
            Layout::Linux => known.launchers(target, cancel),
            Layout::Macos => known.agents(target, cancel),
            Layout::Windows => known.links(target, cancel),
        }
        // What is there under the same name isn't gone.
        for program in &inventory.programs {
            for name in [&program.id, &program.name]
                .into_iter()
                .flat_map(|it| forms(it))
            {
                known.0.remove(&name);
            }
        }
        known
    }

    /// What says, to an account or of the system, that a program of such a name is gone.
    pub(super) fn of_form(&self, form: &str, account: Option<usize>) -> Option<&Record> {
        let mut records = self.0.get(form)?.iter();
        records.find(|record| record.account.is_none() || record.account == account)
    }

    fn note(&mut self, name: &str, why: &str, account: Option<usize>) {
        self.note_all(name, why, (account, None));
    }

    fn note_all(
        &mut self,
        name: &str,
        why: &str,
        (account, removed): (Option<usize>, Option<i64>),
    ) {
        for form in forms(name) {
            let known = self.0.entry(form).or_default();
            if known.iter().all(|record| record.account != account) {
                known.push(Record {
                    account,
                    why: why.to_owned(),
                    removed,
                });
            }
        }
    }

    /// Desktop entries whose program is surely gone.
    fn launchers(&mut self, target: &Target, cancel: &CancelToken) {
        let mut all: Vec<LauncherFolder> = vec![
            (place("usr/share/applications"), None),
            (place("usr/local/share/applications"), None),
            (place("etc/xdg/autostart"), None),
        ];
        for (at, account) in target.accounts.iter().enumerate() {
            let own = [
                &b".local/share/applications"[..],
                b".config/autostart",
                b"Desktop",
            ];
            all.extend(own.map(|path| (below(&account.home, path), Some(at))));
        }
        for (path, stem, account) in each(target, &all, ".desktop", cancel) {
            let text = read_at(target, &path, MOST_ENTRY).ok();
            let text = text.and_then(|text| String::from_utf8(text).ok());
            let Some(entry) = text.as_deref().and_then(DesktopEntry::read) else {
                continue;
            };
            let Some(program) = entry.program else {
                continue;
            };
            if is_program_gone(target, target.accounts.iter().map(|it| &it.home), &program) {
                let why = "its launcher starts a program that is gone";
                let file = program.rsplit('/').next().unwrap_or(&program);
                for name in [&*stem, &entry.name, file] {
                    self.note(name, why, account);
                }
            }
        }
    }

    /// Links of the start menu whose program is surely gone.
    fn links(&mut self, target: &Target, cancel: &CancelToken) {
        let menu = "Microsoft/Windows/Start Menu/Programs";
        let shared = folders(target, &place("ProgramData"), menu);
        let mut all: Vec<LauncherFolder> = shared.into_iter().map(|path| (path, None)).collect();
        for (at, account) in target.accounts.iter().enumerate() {
            let own = folders(target, &account.home, &format!("AppData/Roaming/{menu}"));
            all.extend(own.into_iter().map(|path| (path, Some(at))));
        }
        let inner = all.iter().flat_map(|(path, account)| {
            let inner = folders(target, path, "*").into_iter();
            inner.map(|path| (path, *account))
        });
        let inner: Vec<LauncherFolder> = inner.collect();
        all.extend(inner);
        let names = FoldedNames::default();
        for (path, stem, account) in each(target, &all, ".lnk", cancel) {
            let bytes = read_at(target, &path, shell_link::MOST).ok();
            let leads = bytes.and_then(|bytes| shell_link::leads_to(&bytes));
            if let Some(LeadsTo::OwnDisk(path)) = leads
                && presence_by_drive(target, &names, &path) == Presence::Gone
            {
                let why = "its link in the start menu leads to a program that is gone";
                self.note(&stem, why, account);
            }
        }
    }

    /// Launch agents and daemons whose program is surely gone.
    fn agents(&mut self, target: &Target, cancel: &CancelToken) {
        let mut all: Vec<LauncherFolder> = vec![
            (place("Library/LaunchAgents"), None),
            (place("Library/LaunchDaemons"), None),
        ];
        for (at, account) in target.accounts.iter().enumerate() {
            let own = folders(target, &account.home, "Library/LaunchAgents");
            all.extend(own.into_iter().map(|path| (path, Some(at))));
        }
        for (path, stem, account) in each(target, &all, ".plist", cancel) {
            let list = read_at(target, &path, PROPERTY_LIST_MOST).ok();
            let Some(list) = list.and_then(|bytes| PropertyList::read(&bytes).ok()) else {
                continue;
            };
            let program = list
                .text("Program")
                .or_else(|| list.texts("ProgramArguments").next());
            let Some(program) = program.filter(|it| it.starts_with('/')) else {
                continue;
            };
            if presence(target, &TargetPath::root(), program.as_bytes()) == Presence::Gone {
                let why = "what starts it by itself points to a program that is gone";
                // `example.ferrylog.sync` is a part of `example.ferrylog`.
                let above = stem.rsplit_once('.').map_or("", |(above, _)| above);
                self.note(&stem, why, account);
                if above.contains('.') {
                    self.note(above, why, account);
                }
            }
        }
    }
}

/// The files of some folders with an ending, each with its name without it.
fn each(
    target: &Target,
    all: &[LauncherFolder],
    ending: &str,
    cancel: &CancelToken,
) -> Vec<(TargetPath, String, Option<usize>)> {
    let disk = &**target.disk();
    let mut found = Vec::new();
    for (folder, account) in all {
        let Ok(opened) = disk.open_folder(target.root(), folder.as_bytes()) else {
            continue;
        };
        for (name, _) in names_in(disk, &opened) {
            let stem = name
                .to_str()
                .ok()
                .and_then(|name| name.strip_suffix(ending));
            if let Some(stem) =
                stem.filter(|stem| !cancel.is_cancelled() && !is_common(&normal(stem)))
            {
                found.push((below(folder, name.to_bytes()), stem.to_owned(), *account));
            }
        }
    }
    found
}
