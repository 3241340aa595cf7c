//! Launchers of linux desktops give programs the names that people know.

use std::collections::HashMap;

use jolly_disk::Kind;

use crate::computer::TargetPath;
use crate::format::Printable;
use crate::format::program_records::desktop_entry::{DesktopEntry, MOST_ENTRY};
use crate::source::is_program_gone;
use crate::survey::programs::names::{Known, normal};
use crate::survey::programs::{Gathering, Program, ProgramSource, below, place};

/// The longest name of a program that is shown.
const MOST_NAME: usize = 80;

pub(super) fn gather(gathering: &mut Gathering<'_>) {
    let mut known: HashMap<String, usize> = HashMap::new();
    for (at, program) in gathering.programs.iter().enumerate() {
        for (name, _) in &program.names {
            known.entry(name.clone()).or_insert(at);
        }
    }
    let mut all = vec![
        (place("usr/share/applications"), None),
        (place("usr/local/share/applications"), None),
        (place("var/lib/snapd/desktop/applications"), None),
        (place("var/lib/flatpak/exports/share/applications"), None),
    ];
    let homes = gathering.target.accounts.iter().enumerate();
    all.extend(homes.map(|(at, account)| {
        let folder = below(&account.home, b".local/share/applications");
        (folder, Some(at))
    }));
    for (folder, _) in all {
        for (name, kind) in gathering.names(&folder) {
            if gathering.is_over() {
                return;
            }
            let stem = name
                .to_str()
                .ok()
                .and_then(|name| name.strip_suffix(".desktop"));
            let Some(stem) = stem.filter(|_| kind == Kind::File) else {
                continue;
            };
            let path = below(&folder, name.to_bytes());
            let text = gathering.read(&path, MOST_ENTRY);
            let text = text.and_then(|text| String::from_utf8(text).ok());
            if let Some(entry) = text.as_deref().and_then(DesktopEntry::read) {
                attach(gathering, &known, (&path, stem), &entry);
            }
        }
    }
}

/// Programs that run others: what a launcher is called says nothing of them.
const RUNNERS: [&str; 14] = [
    "sh", "bash", "python", "perl", "ruby", "java", "node", "electron", "mono", "wine", "flatpak",
    "snap", "gjs", "xdgopen",
];

/// Gives a launcher's name to the program that it starts, or makes one of it where nothing else knows the program.
fn attach(
    gathering: &mut Gathering<'_>,
    known: &HashMap<String, usize>,
    (path, stem): (&TargetPath, &str),
    entry: &DesktopEntry,
) {
    let owner = path.to_string();
    let owner = gathering.owned.get(&owner).copied();
    let started = entry.program.as_deref().map(|program| {
        let name = program.rsplit('/').next().unwrap_or(program);
        normal(name)
    });
    let runs_others = started.as_deref().is_some_and(|name| {
        let plain = name.trim_end_matches(|letter: char| letter.is_ascii_digit());
        RUNNERS.contains(&plain)
    });
    let by_program = || {
        known
            .get(started.as_deref()?)
            .copied()
            .filter(|_| !runs_others)
    };
    let by_id = || {
        let mut programs = gathering.programs.iter();
        programs.position(|it| matches!(it.source, ProgramSource::Flatpak) && it.id == stem)
    };
    let found = owner.or_else(by_id).or_else(by_program);
    let of_its_own = || {
        let target = gathering.target;
        let homes = target.accounts.iter().map(|account| &account.home);
        let is_there = !is_program_gone(target, homes, entry.program.as_deref()?);
        is_there.then(|| Program::new(ProgramSource::Launcher, stem, &entry.name))
    };
    let at = match found {
        Some(at) => at,
        None => match of_its_own() {
            Some(program) => gathering.add(program),
            None => return,
        },
    };
    let Some(program) = gathering.programs.get_mut(at) else {
        return;
    };
    program.know(stem, Known::Identifier);
    program.know(&entry.name, Known::Title);
    if let Some(class) = &entry.window_class {
        program.know(class, Known::Title);
    }
    if entry.is_hidden {
        return;
    }
    // Of several launchers of a package the first that is called like it says the name.
    let is_its_own = normal(&entry.name).contains(&normal(&program.id))
        || normal(stem).contains(&normal(&program.id));
    if !entry.name.is_empty() && (!program.has_launcher || is_its_own) {
        let shown = Printable(entry.name.as_bytes()).to_string();
        program.name = shown.chars().take(MOST_NAME).collect();
    }
    program.has_launcher = true;
}
