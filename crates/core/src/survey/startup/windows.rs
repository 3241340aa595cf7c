//! What a windows system starts: run keys, services and start-up folders, with the marks that turn them off; tasks.

use jolly_disk::Kind;

use crate::computer::{
    AccountName, FoldedNames, Presence, Target, TargetPath, find_by_drive, fold,
};
use crate::format::windows::hive::Hive;
use crate::format::windows::hive::tree::is_plain;
use crate::format::windows::shell_link::{LeadsTo, leads_to};
use crate::survey::folders::folders;
use crate::survey::programs::windows::hive_in;
use crate::survey::programs::{below, place};
use crate::survey::startup::{Found, Look, RegistryWay, StartSource, Switch};

/// Why something of a registry can't be switched.
const ASLEEP: &str = "its system only sleeps: start it and shut it down whole first";
const STRANGE: &str = "its name can't be written into a registry";
const NO_MARKS: &str = "its system keeps no marks for such entries";

/// Tasks are sealed by a hash in the registry.
const SEALED: &str = "the system refuses a task whose file was changed";

const RUN: &str = "Microsoft\\Windows\\CurrentVersion\\Run";
const APPROVED: &str = "Microsoft\\Windows\\CurrentVersion\\Explorer\\StartupApproved";

pub(super) fn look(look: &mut Look<'_>) {
    let target = look.target;
    let root = TargetPath::root();
    let config = folders(target, &root, "Windows/System32/config")
        .into_iter()
        .next();
    let config = config.unwrap_or_else(|| place("Windows/System32/config"));
    if let Some((software, file)) = read_hive(look, &config, "SOFTWARE") {
        look.publishers = publishers(&software);
        run_keys(look, &software, &file, ("", None));
        let startup = "ProgramData/Microsoft/Windows/Start Menu/Programs/Startup";
        startup_folder(look, (&software, &file, ""), (&root, startup), None);
    }
    if let Some((system, file)) = read_hive(look, &config, "SYSTEM") {
        services(look, &system, &file);
    }
    for account in &target.accounts {
        if let Some((own, file)) = read_hive(look, &account.home, "NTUSER.DAT") {
            run_keys(look, &own, &file, ("Software\\", Some(&account.name)));
            let startup = "AppData/Roaming/Microsoft/Windows/Start Menu/Programs/Startup";
            startup_folder(
                look,
                (&own, &file, "Software\\"),
                (&account.home, startup),
                Some(&account.name),
            );
        }
    }
    tasks(look);
}

/// A hive with its logs, and where it lies; one that can't be read is told.
fn read_hive(look: &mut Look<'_>, folder: &TargetPath, name: &str) -> Option<(Hive, TargetPath)> {
    let (path, read) = hive_in(look.target, folder, name)?;
    match read {
        Ok(hive) => Some((hive, path)),
        Err(why) => {
            look.found.unread.push((path, why));
            None
        }
    }
}

/// Whether a mark turns an entry off: its first byte is odd then.
fn is_marked_off(hive: &Hive, prefix: &str, list: &str, name: &str) -> bool {
    let Some(key) = hive.key(&format!("{prefix}{APPROVED}\\{list}")) else {
        return false;
    };
    let mut values = hive.values(key).into_iter();
    let value = values.find(|(own, _)| own.eq_ignore_ascii_case(name));
    let data = value.and_then(|(_, value)| hive.data(value));
    data.is_some_and(|data| data.first().is_some_and(|first| first & 1 == 1))
}

/// How an entry is turned off by a mark of its name; where there is no place for marks, by what `instead` says.
fn by_mark(
    look: &Look<'_>,
    (hive, file): (&Hive, &TargetPath),
    (prefix, list, name): (&str, &str, &str),
    instead: Option<Switch>,
) -> Result<Switch, &'static str> {
    may_change(look, name)?;
    let key = format!("{prefix}{APPROVED}\\{list}");
    if !hive.has_key(&key) {
        return instead.ok_or(NO_MARKS);
    }
    Ok(Switch::Registry {
        hive: file.clone(),
        key,
        name: name.to_owned(),
        way: RegistryWay::Mark,
    })
}

fn may_change(look: &Look<'_>, name: &str) -> Result<(), &'static str> {
    if look.is_asleep {
        return Err(ASLEEP);
    }
    if is_plain(name) { Ok(()) } else { Err(STRANGE) }
}

fn run_keys(
    look: &mut Look<'_>,
    hive: &Hive,
    file: &TargetPath,
    (prefix, account): (&str, Option<&AccountName>),
) {
    for (path, list) in [
        (RUN.to_owned(), "Run"),
        (format!("WOW6432Node\\{RUN}"), "Run32"),
    ] {
        let Some(key) = hive.key(&format!("{prefix}{path}")) else {
            continue;
        };
        for (name, _) in hive.values(key) {
            let Some(command) = hive.text(key, &name).filter(|_| !look.is_over()) else {
                continue;
            };
            let id = format!("{list}:{name}");
            let aside = Switch::Registry {
                hive: file.clone(),
                key: format!("{prefix}{path}"),
                name: name.clone(),
                way: RegistryWay::Aside,
            };
            let switch = by_mark(look, (hive, file), (prefix, list, &name), Some(aside));
            look.add(&Found {
                source: StartSource::RunKey,
                account,
                key: &id,
                name: &name,
                command: &command,
                program: program_of(&command),
                says: None,
                file,
                is_on: !is_marked_off(hive, prefix, list, &name),
                switch,
            });
        }
    }
}

/// Links in a start-up folder.
fn startup_folder(
    look: &mut Look<'_>,
    (hive, hive_file, prefix): (&Hive, &TargetPath, &str),
    (base, path): (&TargetPath, &str),
    account: Option<&AccountName>,
) {
    for folder in folders(look.target, base, path) {
        for (name, kind) in look.names(&folder) {
            let name_of = String::from_utf8_lossy(&name).into_owned();
            if kind != Kind::File || fold(&name) == b"desktop.ini" || look.is_over() {
                continue;
            }
            let file = below(&folder, &name);
            let place = (prefix, "StartupFolder", &*name_of);
            let switch = by_mark(look, (hive, hive_file), place, None);
            let link = look.read(&file).and_then(|bytes| leads_to(&bytes));
            let leads = match link {
                Some(LeadsTo::OwnDisk(path)) => Some(path),
                Some(LeadsTo::Elsewhere) | None => None,
            };
            let stem = name_of.rsplit_once('.').map_or(&*name_of, |(stem, _)| stem);
            look.add(&Found {
                source: StartSource::StartupFolder,
                account,
                key: &name_of,
                name: stem,
                command: leads.as_deref().unwrap_or(&name_of),
                program: leads.as_deref(),
                says: None,
                file: &file,
                is_on: !is_marked_off(hive, prefix, "StartupFolder", &name_of),
                switch,
            });
        }
    }
}

/// Services that start at boot and aren't the system's own.
fn services(look: &mut Look<'_>, system: &Hive, file: &TargetPath) {
    let select = system.key("Select");
    let current = select
        .and_then(|key| system.number(key, "Current"))
        .unwrap_or(1);
    let Some(all) = system.key(&format!("ControlSet{current:03}\\Services")) else {
        return;
    };
    for (name, key) in system.subkeys(all) {
        if look.is_over() {
            return;
        }
        // 2 starts at boot; what shares a process of the system, and drivers, are the system's.
        let is_automatic = system.number(key, "Start") == Some(2);
        let command = system.text(key, "ImagePath").unwrap_or_default();
        let folded = command.to_lowercase();
        let is_own = folded.contains("\\system32\\") || folded.starts_with("system32\\");
        if !is_automatic || command.is_empty() || is_own {
            continue;
        }
        let by_hand = || Switch::Registry {
            hive: file.clone(),
            key: format!("ControlSet{current:03}\\Services\\{name}"),
            name: "Start".to_owned(),
            way: RegistryWay::ByHand,
        };
        let switch = may_change(look, &name).map(|()| by_hand());
        let title = system
            .text(key, "DisplayName")
            .filter(|title| !title.starts_with('@'));
        look.add(&Found {
            source: StartSource::Service,
            account: None,
            key: &name,
            name: title.as_deref().unwrap_or(&name),
            command: &command,
            program: program_of(&command),
            says: system
                .text(key, "Description")
                .filter(|says| !says.starts_with('@'))
                .as_deref(),
            file,
            is_on: true,
            switch,
        });
    }
}

/// Folders of tasks within each other at most, and tasks that are read.
const DEPTH: usize = 8;
const MOST_TASKS: usize = 2_000;

/// Tasks that start when somebody signs in or the system starts; those in folders of the system are its own.
fn tasks(look: &mut Look<'_>) {
    let mut waiting: Vec<(TargetPath, usize)> =
        folders(look.target, &TargetPath::root(), "Windows/System32/Tasks")
            .into_iter()
            .map(|folder| (folder, 0))
            .collect();
    let mut many = 0;
    while let Some((folder, depth)) = waiting.pop() {
        for (name, kind) in look.names(&folder) {
            let path = below(&folder, &name);
            let is_system = fold(&name) == b"microsoft" && depth == 0;
            match kind {
                Kind::Folder if depth < DEPTH && !is_system => waiting.push((path, depth + 1)),
                Kind::File if many < MOST_TASKS && !look.is_over() => {
                    many += 1;
                    task(look, &path);
                }
                _ => {}
            }
        }
    }
}

fn task(look: &mut Look<'_>, file: &TargetPath) {
    let Some(bytes) = look.read(file) else {
        return;
    };
    let text = utf16(&bytes).unwrap_or_else(|| String::from_utf8_lossy(&bytes).into_owned());
    let starts = ["<LogonTrigger", "<BootTrigger"]
        .iter()
        .any(|trigger| text.contains(trigger));
    if !starts {
        return;
    }
    let command = between(&text, "<Command>", "</Command>").unwrap_or_default();
    let name = String::from_utf8_lossy(file.name()).into_owned();
    let settings = between(&text, "<Settings>", "</Settings>").unwrap_or_default();
    look.add(&Found {
        source: StartSource::Task,
        account: None,
        key: &name,
        name: &name,
        command,
        program: program_of(command),
        says: between(&text, "<Description>", "</Description>"),
        file,
        is_on: !settings.contains("<Enabled>false</Enabled>"),
        switch: Err(SEALED),
    });
}

fn between<'a>(text: &'a str, start: &str, end: &str) -> Option<&'a str> {
    let (_, rest) = text.split_once(start)?;
    rest.split_once(end).map(|(inside, _)| inside.trim())
}

/// Text with the mark of UTF-16 in front.
fn utf16(bytes: &[u8]) -> Option<String> {
    let rest = bytes.strip_prefix(b"\xff\xfe")?;
    let (words, _) = rest.as_chunks::<2>();
    let letters: Vec<u16> = words.iter().map(|word| u16::from_le_bytes(*word)).collect();
    Some(String::from_utf16_lossy(&letters))
}

/// The program of a command: what is in quotes, or all up to the ending of a program.
fn program_of(command: &str) -> Option<&str> {
    if let Some(rest) = command.strip_prefix('"') {
        return rest.split_once('"').map(|(program, _)| program);
    }
    let folded = command.to_ascii_lowercase();
    let end = folded.find(".exe").map(|at| at + 4);
    end.and_then(|end| command.get(..end))
        .or_else(|| command.split_whitespace().next())
}

/// Where a program lies; nothing when that can't be said, and true when it is surely gone.
pub(super) fn find_program(
    target: &Target,
    known: &FoldedNames,
    program: &str,
) -> (bool, Option<TargetPath>) {
    match find_by_drive(target, known, program) {
        Ok(path) => (false, Some(path)),
        Err(absent) => (absent == Presence::Gone, None),
    }
}

/// Who made what lies in which folder, by the records for uninstalling: folders in small letters, the longest first.
fn publishers(software: &Hive) -> Vec<(String, String)> {
    let mut found = Vec::new();
    for bitness in ["", "WOW6432Node\\"] {
        let path = format!("{bitness}Microsoft\\Windows\\CurrentVersion\\Uninstall");
        let Some(records) = software.key(&path) else {
            continue;
        };
        for (_, record) in software.subkeys(records).into_iter().take(MOST_RECORDS) {
            let text = |name: &str| software.text(record, name);
            let folder =
                text("InstallLocation").map(|folder| folder.trim_matches('"').to_lowercase());
            let by = text("Publisher").or_else(|| text("DisplayName"));
            if let (Some(folder), Some(by)) = (folder, by)
                && folder.len() > SHORTEST
            {
                found.push((format!("{}\\", folder.trim_end_matches('\\')), by));
            }
        }
    }
    found.sort_by_key(|(folder, _)| std::cmp::Reverse(folder.len()));
    found
}

/// Records that are looked at at most; and a folder that is shorter is a whole drive.
const MOST_RECORDS: usize = 10_000;
const SHORTEST: usize = 4;
