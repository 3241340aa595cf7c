//! Programs of a windows system: what its registry and its folders say.

use std::collections::HashMap;
use std::ffi::CString;

use jolly_disk::Kind;

use crate::computer::{FoldedNames, Presence, Target, TargetPath, presence_by_drive};
use crate::format::windows::hive::{self, Hive, Key};
use crate::survey::folders::folders;
use crate::survey::folders::names_in;
use crate::survey::programs::names::{Known, normal};
use crate::survey::programs::{Gathering, Program, ProgramSource, Reason, below, read_at};

/// Where records for uninstalling stand below the root of the software hive, and below that of an account's.
const MACHINE: [&str; 2] = [
    "Microsoft\\Windows\\CurrentVersion\\Uninstall",
    "WOW6432Node\\Microsoft\\Windows\\CurrentVersion\\Uninstall",
];
const ACCOUNT: [&str; 2] = [
    "Software\\Microsoft\\Windows\\CurrentVersion\\Uninstall",
    "Software\\WOW6432Node\\Microsoft\\Windows\\CurrentVersion\\Uninstall",
];

/// Where the shell notes what was started, and how often.
const STARTED: &str = "Software\\Microsoft\\Windows\\CurrentVersion\\Explorer\\UserAssist";

/// Folders of the system within those of programs, in their normal form.
const SYSTEMS: &[&str] = words! {
    "commonfiles" "internetexplorer" "modifiablewindowsapps" "uninstallinformation" "windowsapps" "windowspowershell"
    "windowssecurity" "windowssidebar" "desktopini"
};

/// Beginnings of such names.
const SYSTEM_STARTS: [&str; 3] = ["windows", "microsoftupdate", "referenceassemblies"];

/// FILETIME counts 100 ns from 1601 on ([MS-DTYP] 2.3.3).
const TICKS: u64 = 10_000_000;
const FROM_1601: i64 = 11_644_473_600;

pub(super) fn gather(gathering: &mut Gathering<'_>) {
    let mut used: HashMap<String, i64> = HashMap::new();
    if let Some(software) = read_hive(
        gathering,
        &TargetPath::root(),
        "Windows/System32/config",
        "SOFTWARE",
    ) {
        records(gathering, &software, &MACHINE, None);
        note_broken(gathering, &software, "Windows/System32/config/SOFTWARE");
    }
    let homes = gathering.homes();
    for (account, home) in homes.iter().enumerate() {
        if let Some(own) = read_hive(gathering, home, "", "NTUSER.DAT") {
            records(gathering, &own, &ACCOUNT, Some(account));
            started(&own, &mut used);
            note_broken(gathering, &own, &format!("{home}/NTUSER.DAT"));
        }
    }
    program_folders(gathering, &homes);
    packaged(gathering);
    prefetched(gathering, &mut used);
    for program in &mut gathering.programs {
        let names = program.names.iter();
        let when = names.filter_map(|(name, _)| used.get(name)).max().copied();
        program.used(when);
    }
}

/// Reads a hive and its logs.
fn read_hive(
    gathering: &mut Gathering<'_>,
    base: &TargetPath,
    folder: &str,
    name: &str,
) -> Option<Hive> {
    let target = gathering.target;
    let folder = match folder {
        "" => base.clone(),
        folder => folders(target, base, folder).into_iter().next()?,
    };
    let (path, read) = hive_in(target, &folder, name)?;
    read.inspect_err(|why| gathering.unread.push((path, why.clone())))
        .ok()
}

/// Where a hive lies in a folder, and what it holds with its logs, or why it can't be read; nothing where there is none.
pub(in crate::survey) fn hive_in(
    target: &Target,
    folder: &TargetPath,
    name: &str,
) -> Option<(TargetPath, Result<Hive, String>)> {
    let disk = &**target.disk();
    let opened = disk.open_folder(target.root(), folder.as_bytes()).ok()?;
    let names = names_in(disk, &opened);
    let called = |wanted: &str| {
        let mut names = names.iter();
        let found = names.find(|(name, _)| name.to_bytes().eq_ignore_ascii_case(wanted.as_bytes()));
        found.map(|(name, _): &(CString, Kind)| below(folder, name.to_bytes()))
    };
    let path = called(name)?;
    let logs = [".LOG1", ".LOG2"].iter().filter_map(|ending| {
        let path = called(&format!("{name}{ending}"))?;
        read_at(target, &path, hive::MOST).ok()
    });
    let logs: Vec<Vec<u8>> = logs.collect();
    let bytes = read_at(target, &path, hive::MOST).map_err(|error| error.to_string());
    let read = bytes.and_then(|bytes| Hive::read(bytes, &logs).map_err(|error| error.to_string()));
    Some((path, read))
}

fn note_broken(gathering: &mut Gathering<'_>, hive: &Hive, path: &str) {
    if hive.broken() > 0
        && let Ok(path) = TargetPath::new(path)
    {
        let why = format!("{} of its keys and values can't be read", hive.broken());
        gathering.unread.push((path, why));
    }
}

/// Adds what is recorded for uninstalling.
fn records(gathering: &mut Gathering<'_>, hive: &Hive, places: &[&str], account: Option<usize>) {
    let known = FoldedNames::default();
    for key in places.iter().filter_map(|place| hive.key(place)) {
        for (id, record) in hive.subkeys(key) {
            if gathering.is_over() {
                return;
            }
            match record_of((gathering, &known), hive, (&id, record), account) {
                Some(Ok(program)) => drop(gathering.add(program)),
                Some(Err(gone)) => gathering.removed.push(gone),
                None => {}
            }
        }
    }
}

/// What a record says; its name alone where what it names is surely gone.
fn record_of(
    (gathering, known): (&Gathering<'_>, &FoldedNames),
    hive: &Hive,
    (id, record): (&str, Key),
    account: Option<usize>,
) -> Option<Result<Program, String>> {
    let name = hive.text(record, "DisplayName")?;
    // Updates and parts of another stand in its record.
    if hive.text(record, "ParentKeyName").is_some() {
        return None;
    }
    let mut program = Program::new(ProgramSource::UninstallRecord, id, &name);
    program.version = hive.text(record, "DisplayVersion").unwrap_or_default();
    // Many write their version into the name.
    if !program.version.is_empty()
        && let Some(short) = name.strip_suffix(&*program.version)
    {
        program.know(short, Known::Title);
    }
    program.maker = hive.text(record, "Publisher");
    let kib = hive.number(record, "EstimatedSize").unwrap_or(0);
    program.bytes.program = u64::from(kib) * 1024;
    program.installed = hive.text(record, "InstallDate").and_then(|date| day(&date));
    let is_system = hive.number(record, "SystemComponent") == Some(1);
    program.reason = if is_system {
        Reason::System
    } else {
        Reason::ByHand
    };
    program.has_launcher = !is_system;
    let lies = hive.text(record, "InstallLocation");
    let is_gone = |path: &str| {
        presence_by_drive(
            gathering.target,
            known,
            path.trim_matches('"').trim_end_matches('\\'),
        ) == Presence::Gone
    };
    if lies.as_deref().is_some_and(is_gone) {
        return Some(Err(name));
    }
    let lies = lies.and_then(|path| {
        gathering
            .target
            .parse_user_path(path.trim_matches('"').as_bytes())
            .ok()
    });
    if let Some(path) = lies.map(|path| gathering.target.with_disk_case(&path)) {
        let disk = gathering.target.disk();
        let is_folder = disk
            .open_folder(gathering.target.root(), path.as_bytes())
            .is_ok();
        // Some record a folder that many share.
        if is_folder && path.parts().count() >= 2 && !is_systems(&path) {
            program.own.push((path, account));
        }
    }
    Some(Ok(program))
}

/// A day as records write it: year, month and day without anything between.
fn day(text: &str) -> Option<i64> {
    let date = jiff::civil::Date::strptime("%Y%m%d", text).ok()?;
    let start = date.to_zoned(jiff::tz::TimeZone::UTC).ok()?;
    Some(start.timestamp().as_second())
}

pub(in crate::survey) fn is_systems(path: &TargetPath) -> bool {
    let name = normal(&String::from_utf8_lossy(path.name()));
    let first = path.parts().next().unwrap_or_default();
    first.eq_ignore_ascii_case(b"windows")
        || SYSTEMS.contains(&&*name)
        || SYSTEM_STARTS.iter().any(|start| name.starts_with(start))
}

/// Folders of programs: of those that records name, or of others.
fn program_folders(gathering: &mut Gathering<'_>, homes: &[TargetPath]) {
    let target = gathering.target;
    let root = TargetPath::root();
    let mut all: Vec<(TargetPath, Option<usize>)> = Vec::new();
    for pattern in ["Program Files/*", "Program Files (x86)/*"] {
        all.extend(
            folders(target, &root, pattern)
                .into_iter()
                .map(|path| (path, None)),
        );
    }
    for (account, home) in homes.iter().enumerate() {
        let own = folders(target, home, "AppData/Local/Programs/*");
        all.extend(own.into_iter().map(|path| (path, Some(account))));
    }
    for (path, account) in all {
        if gathering.is_over() {
            return;
        }
        if is_systems(&path) {
            continue;
        }
        let Ok(name) = std::str::from_utf8(path.name()) else {
            continue;
        };
        let files = executables(gathering, &path);
        let form = normal(name);
        let mut programs = gathering.programs.iter_mut();
        let is_its = |program: &&mut Program| {
            let lies =
                |(own, _): &(TargetPath, Option<usize>)| *own == path || own.below(&path).is_some();
            program.own.iter().any(lies) || program.names.iter().any(|(name, _)| *name == form)
        };
        if let Some(program) = programs.find(is_its) {
            if program.own.is_empty() {
                program.own.push((path.clone(), account));
            }
            for file in &files {
                program.know(file, Known::Executable);
            }
            continue;
        }
        // What holds nothing that starts is what is left of one.
        if files.is_empty() && !has_program(gathering, &path, DEEPEST) {
            continue;
        }
        let mut program = Program::new(ProgramSource::Folder, &path.to_string(), name);
        for file in &files {
            program.know(file, Known::Executable);
        }
        program.has_launcher = !files.is_empty();
        program.own.push((path, account));
        gathering.add(program);
    }
}

/// How deep a program file lies in the folder of its program.
const DEEPEST: usize = 4;

/// So many folders are looked into within another.
const MOST_FOLDERS: usize = 100;

/// Whether there is a program file in a folder or in those within it.
fn has_program(gathering: &Gathering<'_>, path: &TargetPath, depth: usize) -> bool {
    if !executables(gathering, path).is_empty() {
        return true;
    }
    let inner = folders(gathering.target, path, "*");
    depth > 0
        && inner
            .iter()
            .take(MOST_FOLDERS)
            .any(|it| has_program(gathering, it, depth - 1))
}

/// The names of the program files right in a folder, without their ending.
fn executables(gathering: &Gathering<'_>, path: &TargetPath) -> Vec<String> {
    let target = gathering.target;
    let disk = &**target.disk();
    let Ok(opened) = disk.open_folder(target.root(), path.as_bytes()) else {
        return Vec::new();
    };
    let names = names_in(disk, &opened).into_iter();
    let stems = names.filter_map(|(name, kind)| {
        let small = name.to_str().ok()?.to_lowercase();
        let stem = small.strip_suffix(".exe").filter(|_| kind == Kind::File)?;
        (!stem.starts_with("unins") && !stem.contains("setup")).then(|| stem.to_owned())
    });
    stems.collect()
}

/// Packaged apps: folders that are called name, version, architecture and maker.
fn packaged(gathering: &mut Gathering<'_>) {
    for path in folders(
        gathering.target,
        &TargetPath::root(),
        "Program Files/WindowsApps/*",
    ) {
        let named = std::str::from_utf8(path.name()).ok().and_then(|name| {
            let (id, rest) = name.split_once('_')?;
            Some((id, rest.split('_').next().unwrap_or_default()))
        });
        let Some((id, version)) = named else { continue };
        if gathering.is_over() {
            return;
        }
        let name = id.rsplit('.').next().unwrap_or(id);
        let mut program = Program::new(ProgramSource::PackagedApp, id, name);
        version.clone_into(&mut program.version);
        program.has_launcher = true;
        program.own.push((path.clone(), None));
        gathering.add(program);
    }
}

/// What the shell notes of started programs: their names with each letter thirteen further, and when it was last.
fn started(hive: &Hive, used: &mut HashMap<String, i64>) {
    let Some(key) = hive.key(STARTED) else { return };
    for (_, group) in hive.subkeys(key) {
        let Some((_, count)) = hive
            .subkeys(group)
            .into_iter()
            .find(|(name, _)| name == "Count")
        else {
            continue;
        };
        for (name, value) in hive.values(count) {
            let turned: String = name.chars().map(thirteen_further).collect();
            let file = turned
                .rsplit('\\')
                .next()
                .unwrap_or_default()
                .to_lowercase();
            let Some(stem) = file.strip_suffix(".exe") else {
                continue;
            };
            let data = hive.data(value).unwrap_or_default();
            let time = data.get(60..).and_then(|rest| rest.first_chunk());
            let seconds =
                time.and_then(|time| i64::try_from(u64::from_le_bytes(*time) / TICKS).ok());
            if let Some(seconds) = seconds
                .map(|seconds| seconds - FROM_1601)
                .filter(|it| *it > 0)
            {
                note_use(used, stem, seconds);
            }
        }
    }
}

fn thirteen_further(letter: char) -> char {
    let turn = |first: u8, letter: u8| char::from(first + (letter - first + 13) % 26);
    match letter {
        'a'..='z' => turn(b'a', letter as u8),
        'A'..='Z' => turn(b'A', letter as u8),
        letter => letter,
    }
}

/// The system's notes on starting programs faster are written when they start.
fn prefetched(gathering: &mut Gathering<'_>, used: &mut HashMap<String, i64>) {
    let target = gathering.target;
    let disk = &**target.disk();
    for path in folders(target, &TargetPath::root(), "Windows/Prefetch") {
        let Ok(opened) = disk.open_folder(target.root(), path.as_bytes()) else {
            continue;
        };
        for (name, kind) in names_in(disk, &opened) {
            let small = String::from_utf8_lossy(name.to_bytes()).to_lowercase();
            let stem = small.strip_suffix(".pf").and_then(|it| it.rsplit_once('-'));
            let stem = stem.and_then(|(file, _)| file.strip_suffix(".exe"));
            if let Some(stem) = stem.filter(|_| kind == Kind::File)
                && let Ok(stat) = disk.stat(&opened, &name)
            {
                note_use(used, stem, stat.modified.seconds);
            }
        }
    }
}

fn note_use(used: &mut HashMap<String, i64>, stem: &str, when: i64) {
    let known = used.entry(normal(stem)).or_insert(when);
    *known = when.max(*known);
}
