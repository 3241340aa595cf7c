//! Application bundles of macos, and what its installers left as receipts.

use std::ffi::CStr;
use std::io::Read as _;

use jiff::Timestamp;
use jolly_disk::Kind;

use crate::computer::{Target, TargetPath};
use crate::format::program_records::universal::{UNIVERSAL_HEAD, processor_parts};
use crate::format::{PROPERTY_LIST_MOST, ProcessorPart, PropertyList};
use crate::survey::programs::names::Known;
use crate::survey::programs::{
    Gathering, Processors, Program, ProgramSource, Reason, below, place,
};

pub(super) fn gather(gathering: &mut Gathering<'_>) {
    let mut all = vec![
        (place("Applications"), None),
        (place("Applications/Utilities"), None),
        (place("System/Applications"), None),
    ];
    let homes = gathering.target.accounts.iter().enumerate();
    all.extend(homes.map(|(at, account)| (below(&account.home, b"Applications"), Some(at))));
    for (folder, account) in all {
        for (name, kind) in gathering.names(&folder) {
            let is_bundle = name.to_bytes().to_ascii_lowercase().ends_with(b".app");
            if kind == Kind::Folder && is_bundle && !gathering.is_over() {
                bundle(gathering, &below(&folder, name.to_bytes()), account);
            }
        }
    }
    receipts(gathering);
}

fn bundle(gathering: &mut Gathering<'_>, path: &TargetPath, account: Option<usize>) {
    let stem = String::from_utf8_lossy(path.name()).into_owned();
    let stem = stem
        .rsplit_once('.')
        .map_or("", |(stem, _)| stem)
        .to_owned();
    let noted = below(path, b"Contents/Info.plist");
    let list = gathering.read(&noted, PROPERTY_LIST_MOST);
    let list = list.map(|bytes| PropertyList::read(&bytes));
    if let Some(Err(_)) = &list {
        gathering
            .unread
            .push((noted.clone(), "it can't be read".to_owned()));
    }
    let list = list.and_then(Result::ok);
    let text = |key: &str| {
        list.as_ref()
            .and_then(|list| list.text(key))
            .map(str::to_owned)
    };
    let id = text("CFBundleIdentifier").unwrap_or_else(|| stem.clone());
    let mut program = Program::new(ProgramSource::Bundle, &id, &stem);
    for key in ["CFBundleName", "CFBundleDisplayName"] {
        if let Some(name) = text(key) {
            program.know(&name, Known::Title);
        }
    }
    if let Some(file) = text("CFBundleExecutable") {
        program.know(&file, Known::Executable);
    }
    program.version = text("CFBundleShortVersionString")
        .or_else(|| text("CFBundleVersion"))
        .unwrap_or_default();
    let is_system = path.as_bytes().starts_with(b"System/");
    program.reason = if is_system {
        Reason::System
    } else {
        Reason::ByHand
    };
    program.has_launcher = true;
    program.processors = processors(gathering, path);
    program.own.push((path.clone(), account));
    gathering.add(program);
}

/// Programs of a bundle that are looked at.
const MOST_EXECUTABLES: usize = 64;

/// Where a system keeps what runs programs of the processor before it: only those with the later one have it.
const TRANSLATORS: [&str; 2] = ["Library/Apple/usr/libexec/oah", "private/var/db/oah"];

/// The parts of a bundle's programs for several processors; none where they are for one.
fn processors(gathering: &mut Gathering<'_>, bundle: &TargetPath) -> Option<Processors> {
    let folder = below(bundle, b"Contents/MacOS");
    let mut parts: Vec<ProcessorPart> = Vec::new();
    let names = gathering.names(&folder).into_iter();
    for (name, kind) in names.take(MOST_EXECUTABLES) {
        let found = (kind == Kind::File).then(|| parts_of(gathering.target, &folder, &name));
        for part in found.flatten().unwrap_or_default() {
            match parts
                .iter_mut()
                .find(|known| known.processor == part.processor)
            {
                Some(known) => known.bytes = known.bytes.saturating_add(part.bytes),
                None => parts.push(part),
            }
        }
    }
    let is_there = |path: &TargetPath| {
        let target = gathering.target;
        target
            .disk()
            .open_folder(target.root(), path.as_bytes())
            .is_ok()
    };
    let is_later = TRANSLATORS.iter().any(|path| is_there(&place(path)));
    (parts.len() > 1).then(|| Processors {
        parts,
        own: is_later.then_some("arm64"),
        is_sealed: is_there(&below(bundle, b"Contents/_CodeSignature")),
    })
}

fn parts_of(target: &Target, folder: &TargetPath, name: &CStr) -> Option<Vec<ProcessorPart>> {
    let disk = target.disk();
    let opened = disk.open_folder(target.root(), folder.as_bytes()).ok()?;
    let size = disk.stat(&opened, name).ok()?.size;
    let file = disk.open_file(&opened, name).ok()?;
    let mut head = Vec::new();
    file.take(UNIVERSAL_HEAD as u64)
        .read_to_end(&mut head)
        .ok()?;
    processor_parts(&head, size)
}

/// Receipts tell when a bundle was installed, and of what else came with installers.
fn receipts(gathering: &mut Gathering<'_>) {
    let folder = place("private/var/db/receipts");
    for (name, kind) in gathering.names(&folder) {
        if kind != Kind::File || !name.to_bytes().ends_with(b".plist") || gathering.is_over() {
            continue;
        }
        let path = below(&folder, name.to_bytes());
        let Some(bytes) = gathering.read(&path, PROPERTY_LIST_MOST) else {
            continue;
        };
        let Ok(list) = PropertyList::read(&bytes) else {
            gathering.unread.push((path, "it can't be read".to_owned()));
            continue;
        };
        let Some(id) = list.text("PackageIdentifier").map(str::to_owned) else {
            continue;
        };
        let installed = list
            .text("InstallDate")
            .and_then(|date| date.parse::<Timestamp>().ok());
        let installed = installed.map(Timestamp::as_second);
        let known = gathering
            .programs
            .iter_mut()
            .find(|it| id == it.id || id.starts_with(&format!("{}.", it.id)));
        if let Some(program) = known {
            program.installed = program.installed.max(installed);
            continue;
        }
        // A bundle that it names is gone; what lies elsewhere nobody can tell without opening the list beside it.
        let prefix = list.text("InstallPrefixPath").unwrap_or_default();
        if prefix.trim_start_matches('/').starts_with("Applications") {
            gathering.removed.push(id);
            continue;
        }
        let name = id.strip_suffix(".pkg").unwrap_or(&id);
        let name = name.rsplit('.').next().unwrap_or(name).to_owned();
        let mut program = Program::new(ProgramSource::Receipt, &id, &name);
        list.text("PackageVersion")
            .unwrap_or_default()
            .clone_into(&mut program.version);
        program.installed = installed;
        let is_system = list.text("InstallProcessName") == Some("softwareupdated");
        program.reason = if is_system {
            Reason::System
        } else {
            Reason::Unknown
        };
        gathering.add(program);
    }
}
