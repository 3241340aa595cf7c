//! Programs that come with all that they need: flatpaks, snaps, profiles of nix.

use jolly_disk::Kind;
use serde_json::Value;

use crate::computer::TargetPath;
use crate::survey::folders::folders;
use crate::survey::folders::names_in;
use crate::survey::programs::{Gathering, Program, ProgramSource, Reason, below, place, read_at};

/// The longest manifest of a profile, in bytes.
const MOST_MANIFEST: u64 = 16 << 20;

pub(super) fn gather(gathering: &mut Gathering<'_>) {
    flatpaks(gathering, &place("var/lib/flatpak"), None);
    let homes = gathering.homes();
    for (at, home) in homes.iter().enumerate() {
        flatpaks(gathering, &below(home, b".local/share/flatpak"), Some(at));
    }
    snaps(gathering);
    nix_profiles(gathering);
}

fn flatpaks(gathering: &mut Gathering<'_>, base: &TargetPath, account: Option<usize>) {
    let kinds = [("app/*", Reason::ByHand), ("runtime/*", Reason::Dependency)];
    for (pattern, reason) in kinds {
        for path in folders(gathering.target, base, pattern) {
            let Ok(id) = std::str::from_utf8(path.name()) else {
                continue;
            };
            if gathering.is_over() {
                return;
            }
            let name = id.rsplit('.').next().unwrap_or(id);
            let mut program = Program::new(ProgramSource::Flatpak, id, name);
            program.reason = reason;
            program.has_launcher = reason == Reason::ByHand;
            program.own.push((path.clone(), account));
            gathering.add(program);
        }
    }
}

fn snaps(gathering: &mut Gathering<'_>) {
    let path = place("var/lib/snapd/snaps");
    let target = gathering.target;
    let disk = &**target.disk();
    let Ok(folder) = disk.open_folder(target.root(), path.as_bytes()) else {
        return;
    };
    let mut names = names_in(disk, &folder);
    names.sort();
    for (file, kind) in names {
        let named = file
            .to_str()
            .ok()
            .and_then(|name| name.strip_suffix(".snap"));
        let Some((name, revision)) = named.and_then(|name| name.rsplit_once('_')) else {
            continue;
        };
        if kind != Kind::File || gathering.is_over() {
            continue;
        }
        let own = (below(&path, file.to_bytes()), None);
        let number = |text: &str| text.trim_start_matches('x').parse::<u64>().unwrap_or(0);
        let known = gathering.programs.iter_mut();
        let mut known = known.filter(|it| it.source == ProgramSource::Snap && it.id == name);
        // Earlier revisions are kept beside the one in force.
        if let Some(program) = known.next() {
            program.own.push(own);
            if number(revision) > number(&program.version) {
                revision.clone_into(&mut program.version);
            }
            continue;
        }
        let mut program = Program::new(ProgramSource::Snap, name, name);
        revision.clone_into(&mut program.version);
        let is_base = name.starts_with("core") || matches!(name, "bare" | "snapd");
        program.reason = if is_base {
            Reason::Dependency
        } else {
            Reason::ByHand
        };
        program.own.push(own);
        gathering.add(program);
    }
}

/// What the newest generation of each profile of nix names, without what that needs.
fn nix_profiles(gathering: &mut Gathering<'_>) {
    let base = place("nix/var/nix/profiles");
    let mut all = vec![base.clone()];
    all.extend(folders(gathering.target, &base, "per-user/*"));
    for profiles in all {
        let target = gathering.target;
        let disk = &**target.disk();
        let Ok(folder) = disk.open_folder(target.root(), profiles.as_bytes()) else {
            continue;
        };
        let links = names_in(disk, &folder).into_iter();
        let newest = links
            .filter_map(|(name, _)| {
                let text = name.to_str().ok()?.strip_suffix("-link")?;
                let number: u64 = text.rsplit_once('-')?.1.parse().ok()?;
                Some((number, name.clone()))
            })
            .max();
        let leads = newest.and_then(|(_, name)| disk.read_link(&folder, &name).ok());
        let Some(store) = leads.and_then(|to| TargetPath::from_inside(&to).ok()) else {
            continue;
        };
        let path = below(&store, b"manifest.json");
        let manifest = read_at(target, &path, MOST_MANIFEST).ok();
        let manifest = manifest.and_then(|json| serde_json::from_slice::<Value>(&json).ok());
        let Some(manifest) = manifest else {
            gathering
                .unread
                .push((path, "it doesn't say what is in the profile".to_owned()));
            continue;
        };
        let elements: Vec<&Value> = match manifest.get("elements") {
            Some(Value::Array(all)) => all.iter().collect(),
            Some(Value::Object(all)) => all.values().collect(),
            _ => Vec::new(),
        };
        let paths = elements
            .iter()
            .filter_map(|it| it.get("storePaths")?.as_array());
        for path in paths.flatten().filter_map(Value::as_str) {
            if gathering.is_over() {
                return;
            }
            let named = path.rsplit('/').next().and_then(|it| it.split_once('-'));
            let Some((_, named)) = named else { continue };
            let is_version = |(at, _): &(usize, char)| {
                named
                    .get(at + 1..)
                    .is_some_and(|it| it.starts_with(|it: char| it.is_ascii_digit()))
            };
            let cut = named
                .char_indices()
                .filter(|(_, it)| *it == '-')
                .find(is_version);
            let (name, version) = cut.map_or((named, ""), |(at, _)| named.split_at(at));
            let mut program = Program::new(ProgramSource::Nix, named, name);
            version
                .trim_start_matches('-')
                .clone_into(&mut program.version);
            program.reason = Reason::ByHand;
            program.own.extend(
                TargetPath::from_inside(path.as_bytes())
                    .ok()
                    .map(|path| (path, None)),
            );
            gathering.add(program);
        }
    }
}
