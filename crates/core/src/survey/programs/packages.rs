//! What the package databases of linux systems say.

use std::collections::{BTreeSet, HashMap};

use jolly_disk::Kind;

use crate::computer::TargetPath;
use crate::format::program_records::{apk, control, pacman, rpm};
use crate::source::holder::read_database;
use crate::survey::folders::open_below;
use crate::survey::programs::names::{Known, without_ending};
use crate::survey::programs::{Gathering, Program, ProgramSource, Reason, below, c_name, place};

/// Longer databases are none, in bytes: fifty thousand packages have some sixty million.
const MOST_DATABASE: u64 = 256 << 20;

/// The longest list of files that one package is asked for, in bytes.
const MOST_LIST: u64 = 64 << 20;

/// Folders whose files are programs; `bin` and `sbin` are within `usr` since systems merged them.
const PROGRAM_FOLDERS: [&str; 6] = [
    "usr/bin/",
    "usr/sbin/",
    "usr/games/",
    "usr/local/bin/",
    "bin/",
    "sbin/",
];

/// Beginnings of the lines that are wanted of a package's list.
const WANTED: &[&str] = words! {
    "/usr/bin/" "/usr/sbin/" "/usr/games/" "/bin/" "/sbin/" "/opt/" "/usr/share/applications/" "/etc/" "/var/lib/"
    "/var/cache/" "/var/log/"
};

/// Folders of the system that all programs share.
const SHARED: [&str; 4] = ["etc/", "var/lib/", "var/cache/", "var/log/"];

pub(super) fn gather(gathering: &mut Gathering<'_>) {
    dpkg(gathering);
    rpm(gathering);
    pacman(gathering);
    apk(gathering);
}

impl Gathering<'_> {
    /// Adds a program of a package database.
    fn add_package(&mut self, mut program: Program) -> usize {
        let name = without_ending(&program.id).to_owned();
        program.know(&name, Known::Identifier);
        self.add(program)
    }

    /// Notes that a package has a file, where that says something of it.
    fn owns(&mut self, at: usize, path: &str) {
        let path = path.trim_start_matches('/');
        if let Some(folder) = SHARED.iter().find(|folder| path.starts_with(**folder)) {
            let rest = path.get(folder.len()..).unwrap_or_default();
            let name = rest.split('/').next().unwrap_or(rest);
            if !name.is_empty() {
                self.owned_folders.insert(format!("{folder}{name}"));
            }
            return;
        }
        let is_launcher = path.starts_with("usr/share/applications/");
        let folder = PROGRAM_FOLDERS.iter().find(|it| path.starts_with(**it));
        let Some(program) = self.programs.get_mut(at) else {
            return;
        };
        if let Some(name) = folder.and_then(|folder| path.strip_prefix(folder)) {
            program.know(name, Known::Executable);
        } else if let Some(rest) = path.strip_prefix("opt/") {
            let folder = place(&format!("opt/{}", rest.split('/').next().unwrap_or(rest)));
            if rest.contains('/') && !program.own.iter().any(|(own, _)| *own == folder) {
                program.own.push((folder, None));
            }
        } else if !is_launcher {
            return;
        }
        self.owned.insert(as_merged(path), at);
    }
}

/// A path as it is where `bin` and `sbin` lie within `usr`.
pub(in crate::survey) fn as_merged(path: &str) -> String {
    if path.starts_with("bin/") || path.starts_with("sbin/") {
        format!("usr/{path}")
    } else {
        path.to_owned()
    }
}

fn dpkg(gathering: &mut Gathering<'_>) {
    let Some(status) = gathering.read(&place("var/lib/dpkg/status"), MOST_DATABASE) else {
        return;
    };
    let marks = gathering.read(&place("var/lib/apt/extended_states"), MOST_DATABASE);
    let marks = marks.unwrap_or_default();
    let automatic: BTreeSet<&str> = control::paragraphs(&marks)
        .filter(|it| it.get("Auto-Installed") == Some("1"))
        .filter_map(|it| it.get("Package"))
        .collect();
    let mut by_name: HashMap<String, usize> = HashMap::new();
    for paragraph in control::paragraphs(&status) {
        let (Some(package), Some(state)) = (paragraph.get("Package"), paragraph.get("Status"))
        else {
            continue;
        };
        // Wanted or not, a package whose files are gone is none any more.
        let is_there = !state.ends_with(" not-installed") && !state.ends_with(" config-files");
        if state.ends_with(" config-files") {
            gathering.removed.push(package.to_owned());
        }
        if !is_there || gathering.is_over() {
            continue;
        }
        let architecture = paragraph.get("Architecture").unwrap_or_default();
        let id = if by_name.contains_key(package) {
            format!("{package}:{architecture}")
        } else {
            package.to_owned()
        };
        let mut program = Program::new(ProgramSource::Dpkg, &id, package);
        paragraph
            .get("Version")
            .unwrap_or_default()
            .clone_into(&mut program.version);
        let kib = paragraph
            .get("Installed-Size")
            .and_then(|it| it.parse::<u64>().ok());
        program.bytes.program = kib.unwrap_or(0).saturating_mul(1024);
        let is_system = paragraph.get("Essential") == Some("yes")
            || matches!(
                paragraph.get("Priority"),
                Some("required" | "important" | "standard")
            );
        program.reason = if automatic.contains(package) {
            Reason::Dependency
        } else if is_system {
            Reason::System
        } else {
            Reason::ByHand
        };
        let at = gathering.add_package(program);
        by_name.insert(format!("{package}:{architecture}"), at);
        by_name.insert(id, at);
    }
    dpkg_lists(gathering, &by_name);
}

/// Reads which files packages have.
fn dpkg_lists(gathering: &mut Gathering<'_>, by_name: &HashMap<String, usize>) {
    let info = place("var/lib/dpkg/info");
    let target = gathering.target;
    let disk = &**target.disk();
    let names = gathering.names(&info);
    let Ok(folder) = disk.open_folder(target.root(), info.as_bytes()) else {
        return;
    };
    for (name, _) in names {
        if gathering.cancel.is_cancelled() {
            return;
        }
        let package = name
            .to_str()
            .ok()
            .and_then(|name| name.strip_suffix(".list"));
        let Some(at) = package.and_then(|package| by_name.get(package)) else {
            continue;
        };
        let path = below(&info, name.to_bytes());
        if let Ok(stat) = disk.stat(&folder, &name)
            && let Some(program) = gathering.programs.get_mut(*at)
        {
            program.installed = Some(stat.modified.seconds);
        }
        let listed = gathering.read(&path, MOST_LIST).unwrap_or_default();
        for line in listed.split(|byte| *byte == b'\n') {
            let is_wanted = WANTED
                .iter()
                .any(|start| line.starts_with(start.as_bytes()));
            if is_wanted && let Ok(line) = std::str::from_utf8(line) {
                gathering.owns(*at, line);
            }
        }
    }
}

fn rpm(gathering: &mut Gathering<'_>) {
    for folder in ["usr/lib/sysimage/rpm", "var/lib/rpm"] {
        let target = gathering.target;
        let path = place(&format!("{folder}/rpmdb.sqlite"));
        let older = place(&format!("{folder}/Packages"));
        let Some(opened) = open_below(target, &TargetPath::root(), folder) else {
            continue;
        };
        let disk = &**target.disk();
        if disk.stat(&opened, path.as_name()).is_err() {
            // Before SQLite it was kept in a form that this program doesn't read.
            if disk.stat(&opened, older.as_name()).is_ok() {
                gathering
                    .unread
                    .push((older, "it is in an older form".to_owned()));
            }
            continue;
        }
        let mut found = Vec::new();
        let mut broken = 0_u64;
        let asked =
            read_database(disk, (&opened, path.as_name()), gathering.cancel).and_then(|database| {
                database.ask(
                    &["Packages.blob"],
                    "SELECT blob FROM main.Packages",
                    &mut |row| {
                        match row.get_ref(0)?.as_blob().ok().and_then(rpm::package) {
                            Some(package) => found.push(package),
                            None => broken += 1,
                        }
                        Ok(())
                    },
                )
            });
        if let Err(error) = asked {
            gathering.unread.push((path.clone(), error.to_string()));
        } else if broken > 0 {
            gathering.unread.push((
                path.clone(),
                format!("{broken} of its packages can't be read"),
            ));
        }
        for package in found {
            // Keys of signatures stand among the packages.
            if package.name == "gpg-pubkey" || gathering.is_over() {
                continue;
            }
            let mut program = Program::new(ProgramSource::Rpm, &package.name, &package.name);
            program.version = package.version;
            program.bytes.program = package.bytes;
            program.installed = package.installed;
            program.maker = Some(package.vendor).filter(|maker| !maker.is_empty());
            let at = gathering.add_package(program);
            for file in &package.files {
                gathering.owns(at, file);
            }
        }
        return;
    }
}

fn pacman(gathering: &mut Gathering<'_>) {
    let local = place("var/lib/pacman/local");
    for (name, _) in gathering.names(&local) {
        if gathering.is_over() {
            return;
        }
        let own = below(&local, name.to_bytes());
        let Some(notes) = gathering.read_text(&below(&own, b"desc"), MOST_LIST) else {
            continue;
        };
        let first = |name| pacman::lines(&notes, name).next();
        let Some(package) = first("NAME") else {
            gathering
                .unread
                .push((own, "it doesn't say what it is called".to_owned()));
            continue;
        };
        let mut program = Program::new(ProgramSource::Pacman, package, package);
        first("VERSION")
            .unwrap_or_default()
            .clone_into(&mut program.version);
        program.bytes.program = first("SIZE").and_then(|it| it.parse().ok()).unwrap_or(0);
        program.installed = first("INSTALLDATE").and_then(|it| it.parse().ok());
        program.reason = match first("REASON") {
            Some("1") => Reason::Dependency,
            _ => Reason::ByHand,
        };
        let at = gathering.add_package(program);
        let files = gathering
            .read_text(&below(&own, b"files"), MOST_LIST)
            .unwrap_or_default();
        for file in pacman::lines(&files, "FILES") {
            gathering.owns(at, file);
        }
    }
}

fn apk(gathering: &mut Gathering<'_>) {
    let target = gathering.target;
    let lib = target.disk().stat(target.root(), c"lib");
    // Where `lib` lies within `usr`, both are one.
    let is_merged = lib.is_ok_and(|lib| lib.kind == Kind::Link);
    for path in ["usr/lib/apk/db/installed", "lib/apk/db/installed"] {
        if is_merged && path.starts_with("lib/") {
            continue;
        }
        let Some(notes) = gathering.read_text(&place(path), MOST_DATABASE) else {
            continue;
        };
        let world = gathering
            .read_text(&place("etc/apk/world"), MOST_LIST)
            .unwrap_or_default();
        let wanted: BTreeSet<&str> = world
            .split_whitespace()
            .filter_map(|it| it.split(['<', '>', '=', '~', '@']).next())
            .collect();
        for package in apk::packages(&notes) {
            if gathering.is_over() {
                return;
            }
            let mut program = Program::new(ProgramSource::Apk, &package.name, &package.name);
            program.version = package.version;
            program.bytes.program = package.bytes;
            program.reason = if wanted.contains(&*package.name) {
                Reason::ByHand
            } else {
                Reason::Dependency
            };
            let at = gathering.add_package(program);
            for file in &package.files {
                gathering.owns(at, file);
            }
        }
        return;
    }
}

/// Whether a name in a folder of programs is a package's; folders are written with a slash at their end.
pub(super) fn owner(gathering: &Gathering<'_>, folder: &str, name: &[u8]) -> Option<usize> {
    let name = c_name(name);
    let name = name.to_str().ok()?;
    gathering
        .owned
        .get(&as_merged(&format!("{folder}{name}")))
        .copied()
}
