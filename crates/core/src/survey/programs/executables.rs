//! Programs that no package owns: files on the standard paths, folders below `opt`, single files with all that they need.

use jolly_disk::{Disk, Folder, Kind, Stat};

use crate::computer::{Layout, Presence, TargetPath, presence};
use crate::survey::folders::folders;
use crate::survey::folders::names_in;
use crate::survey::programs::{Gathering, Program, ProgramSource, Reason, below, packages, place};

/// Folders of the system whose files are programs. On macos those of the system itself are sealed and left out.
const SHARED: [&str; 6] = [
    "usr/bin",
    "usr/sbin",
    "usr/games",
    "usr/local/bin",
    "usr/local/sbin",
    "usr/local/games",
];
const SHARED_MACOS: [&str; 3] = ["usr/local/bin", "opt/local/bin", "opt/homebrew/bin"];

/// Folders each of which holds folders of programs, by name and version.
const CELLARS: [&str; 4] = [
    "usr/local/Cellar",
    "usr/local/Caskroom",
    "opt/homebrew/Cellar",
    "opt/homebrew/Caskroom",
];

/// And those of an account, below its home.
const OWN: [&str; 4] = [".local/bin", "bin", ".cargo/bin", "go/bin"];

/// So many names are looked at in one folder of a program.
const MOST_NAMES: usize = 200;

/// Where single files with all that they need are put, below a home.
const ALONE: [&str; 6] = [
    "Applications",
    "AppImages",
    "Desktop",
    "Downloads",
    ".local/bin",
    "bin",
];

pub(super) fn gather(gathering: &mut Gathering<'_>) {
    let is_macos = gathering.target.layout == Layout::Macos;
    let shared = if is_macos {
        &SHARED_MACOS[..]
    } else {
        &SHARED[..]
    };
    for folder in shared {
        // Links in folders of the system are other names of what packages have.
        let links = folder.contains("local");
        each_file(
            gathering,
            &place(folder),
            links,
            &mut |gathering, path, stat| {
                let folder = format!("{folder}/");
                if packages::owner(gathering, &folder, path.name()).is_none() {
                    add(gathering, path, stat, None);
                }
            },
        );
    }
    if is_macos {
        cellars(gathering);
    } else {
        opt(gathering);
    }
    let homes = gathering.homes();
    for (account, home) in homes.iter().enumerate() {
        for folder in OWN {
            let folder = below(home, folder.as_bytes());
            each_file(gathering, &folder, true, &mut |gathering, path, stat| {
                if !is_app_image(path) {
                    add(gathering, path, stat, Some(account));
                }
            });
        }
        for folder in ALONE {
            let folder = below(home, folder.as_bytes());
            each_file(gathering, &folder, false, &mut |gathering, path, stat| {
                if is_app_image(path) {
                    add_app_image(gathering, path, stat, Some(account));
                }
            });
        }
    }
}

/// Goes through the regular files right in a folder, and where they count through links to what is there.
fn each_file(
    gathering: &mut Gathering<'_>,
    folder: &TargetPath,
    with_links: bool,
    each: &mut dyn FnMut(&mut Gathering<'_>, &TargetPath, &Stat),
) {
    let target = gathering.target;
    let disk = &**target.disk();
    let above = disk.open_folder(target.root(), folder.folder_bytes());
    let own = above.and_then(|above| disk.stat(&above, folder.as_name()));
    // Another name of a folder that is looked at itself.
    if own.is_ok_and(|own| own.kind == Kind::Link) {
        return;
    }
    let names = gathering.names(folder);
    let Ok(opened) = disk.open_folder(target.root(), folder.as_bytes()) else {
        return;
    };
    for (name, kind) in names {
        if gathering.is_over() {
            return;
        }
        let is_wanted = match kind {
            Kind::File => true,
            Kind::Link => with_links && presence(target, folder, name.to_bytes()) != Presence::Gone,
            Kind::Folder | Kind::Other => false,
        };
        if is_wanted && let Ok(stat) = disk.stat(&opened, &name) {
            each(gathering, &below(folder, name.to_bytes()), &stat);
        }
    }
}

fn add(gathering: &mut Gathering<'_>, path: &TargetPath, stat: &Stat, account: Option<usize>) {
    let Ok(name) = std::str::from_utf8(path.name()) else {
        return;
    };
    // What nobody may start is no program.
    if stat.mode & 0o111 == 0 {
        return;
    }
    let mut program = Program::new(ProgramSource::Executable, &path.to_string(), name);
    program.reason = Reason::Unknown;
    program.installed = Some(stat.modified.seconds);
    program.own.push((path.clone(), account));
    gathering.add(program);
}

fn is_app_image(path: &TargetPath) -> bool {
    path.name().to_ascii_lowercase().ends_with(b".appimage")
}

/// Adds one whose name says its version, too: `tidewatch-2.1-x86_64.AppImage`.
fn add_app_image(
    gathering: &mut Gathering<'_>,
    path: &TargetPath,
    stat: &Stat,
    account: Option<usize>,
) {
    let Ok(file) = std::str::from_utf8(path.name()) else {
        return;
    };
    let stem = file.rsplit_once('.').map_or(file, |(stem, _)| stem);
    let mut parts = stem.split(['-', '_']);
    let name = parts.next().unwrap_or(stem);
    let version = parts.find(|part| part.starts_with(|it: char| it.is_ascii_digit()));
    let mut program = Program::new(ProgramSource::AppImage, &path.to_string(), name);
    version.unwrap_or_default().clone_into(&mut program.version);
    program.reason = Reason::ByHand;
    program.installed = Some(stat.modified.seconds);
    program.own.push((path.clone(), account));
    gathering.add(program);
}

/// Programs that a package manager of macos keeps in folders of their own.
fn cellars(gathering: &mut Gathering<'_>) {
    for cellar in CELLARS {
        for path in folders(gathering.target, &place(cellar), "*") {
            let Ok(name) = std::str::from_utf8(path.name()) else {
                continue;
            };
            if gathering.is_over() {
                return;
            }
            let versions = folders(gathering.target, &path, "*");
            let version = versions
                .last()
                .and_then(|it| std::str::from_utf8(it.name()).ok());
            let mut program = Program::new(ProgramSource::Folder, &path.to_string(), name);
            version.unwrap_or_default().clone_into(&mut program.version);
            program.own.push((path.clone(), None));
            gathering.add(program);
        }
    }
}

/// How deep a program file lies in the folder of its program.
const DEEPEST: usize = 8;

/// Whether a folder holds a file that may be started.
fn has_program(disk: &dyn Disk, folder: &Folder, name: &str, depth: usize) -> bool {
    let Ok(inner) = disk.open_folder(folder, name.as_bytes()) else {
        return false;
    };
    names_in(disk, &inner)
        .iter()
        .take(MOST_NAMES)
        .any(|(name, kind)| match kind {
            Kind::File => disk
                .stat(&inner, name)
                .is_ok_and(|stat| stat.mode & 0o111 != 0),
            Kind::Folder if depth > 0 => name
                .to_str()
                .is_ok_and(|name| has_program(disk, &inner, name, depth - 1)),
            Kind::Folder | Kind::Link | Kind::Other => false,
        })
}

/// Folders below `opt`, each a program's unless a package says so already, or it holds nothing that starts.
fn opt(gathering: &mut Gathering<'_>) {
    let path = place("opt");
    let target = gathering.target;
    let disk = &**target.disk();
    let Ok(opened) = disk.open_folder(target.root(), path.as_bytes()) else {
        return;
    };
    let mut names = names_in(disk, &opened);
    names.sort();
    for (name, kind) in names {
        let own = below(&path, name.to_bytes());
        let is_known = gathering
            .programs
            .iter()
            .any(|it| it.own.iter().any(|(known, _)| *known == own));
        if is_known || gathering.is_over() {
            continue;
        }
        let stat = disk.stat(&opened, &name).ok();
        match (kind, name.to_str(), stat) {
            (Kind::Folder, Ok(name), Some(stat)) if has_program(disk, &opened, name, DEEPEST) => {
                let mut program = Program::new(ProgramSource::Folder, &own.to_string(), name);
                program.installed = Some(stat.modified.seconds);
                program.own.push((own, None));
                gathering.add(program);
            }
            (Kind::File, _, Some(stat)) if is_app_image(&own) => {
                add_app_image(gathering, &own, &stat, None);
            }
            _ => {}
        }
    }
}
