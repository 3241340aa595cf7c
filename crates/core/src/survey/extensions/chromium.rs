//! Extensions of the Chromium family: its settings name them, each lies in a folder of its id, by version.

use std::ffi::CStr;
use std::io;

use jolly_disk::{Disk, Folder, Kind};
use serde_json::{Map, Value};

use crate::computer::{Target, TargetPath, read_whole};
use crate::survey::Profile;
use crate::survey::extensions::permissions::in_words;
use crate::survey::extensions::{Extension, MOST_EXTENSIONS, MOST_NOTES, Origin, time};
use crate::survey::folders::{bytes_in, names_in, open_below};

/// A longer description of an extension, or of its texts, is none, in bytes.
const MOST_MANIFEST: u64 = 1 << 20;

/// Versions of one that are looked at: a browser keeps the newest, and the one before until it starts again.
const VERSIONS: usize = 3;

/// Seconds between the beginning of 1601 and that of 1970.
const FROM_1601: i64 = 11_644_473_600;

/// Files of settings; which of them names the extensions depends on the system.
const NOTES: [&CStr; 2] = [c"Secure Preferences", c"Preferences"];

/// Numbers by which settings say where one came from: from the store or by hand, by another program, unpacked, a part of
/// the browser, by policy, from its command line.
const BY_PROGRAM: [i64; 3] = [2, 3, 6];
const UNPACKED: [i64; 2] = [4, 8];
const PART_OF_BROWSER: [i64; 2] = [5, 10];
const BY_POLICY: [i64; 2] = [7, 9];

pub(super) fn read(
    target: &Target,
    (disk, folder): (&dyn Disk, &Folder),
    profile: &Profile,
) -> Result<Vec<Extension>, String> {
    let mut settings: Map<String, Value> = Map::new();
    for name in NOTES {
        let bytes = match read_whole(disk, folder, name, MOST_NOTES) {
            Ok(bytes) => bytes,
            Err(error) if error.kind() == io::ErrorKind::NotFound => continue,
            Err(error) => return Err(format!("its settings can't be read: {error}")),
        };
        let json: Value = serde_json::from_slice(&bytes)
            .map_err(|error| format!("its settings are no JSON: {error}"))?;
        let own = json
            .pointer("/extensions/settings")
            .and_then(Value::as_object);
        for (id, one) in own.into_iter().flatten() {
            settings.entry(id.clone()).or_insert_with(|| one.clone());
        }
    }
    let by_folder = open_below(target, &profile.path, "Extensions");
    let folders: Vec<String> = by_folder.as_ref().map_or_else(Vec::new, |extensions| {
        let names = names_in(disk, extensions).into_iter();
        let folders = names.filter(|(_, kind)| *kind == Kind::Folder);
        folders
            .filter_map(|(name, _)| name.into_string().ok())
            .collect()
    });
    // What lies there without being named was left behind, or the settings are another system's.
    let unnamed = folders
        .iter()
        .filter(|id| !settings.contains_key(*id) && is_id(id));
    let unnamed: Vec<(String, Value)> = unnamed.map(|id| (id.clone(), Value::Null)).collect();
    let all = settings.into_iter().chain(unnamed);
    Ok(all
        .take(MOST_EXTENSIONS)
        .filter_map(|(id, noted)| one(target, disk, profile, (&id, &noted)))
        .collect())
}

/// Ids are sixteen bytes in letters from a to p.
fn is_id(name: &str) -> bool {
    name.len() == 32 && name.bytes().all(|byte| (b'a'..=b'p').contains(&byte))
}

fn one(
    target: &Target,
    disk: &dyn Disk,
    profile: &Profile,
    (id, noted): (&str, &Value),
) -> Option<Extension> {
    let location = noted.get("location").and_then(Value::as_i64);
    if location.is_some_and(|location| PART_OF_BROWSER.contains(&location)) || !is_id(id) {
        return None;
    }
    let folder = open_below(target, &profile.path, &format!("Extensions/{id}"));
    let lying = folder.as_ref().and_then(|folder| lying_there(disk, folder));
    let elsewhere = if lying.is_none() {
        unpacked(target, noted)
    } else {
        None
    };
    let manifest = noted.get("manifest");
    let manifest = manifest.or_else(|| lying.as_ref().map(|(_, manifest)| manifest));
    let manifest = manifest.or(elsewhere.as_ref());
    // Settings may name one that is gone, and that never ran.
    manifest.or_else(|| noted.get("path"))?;
    let text = |key: &str| manifest.and_then(|it| it.get(key)).and_then(Value::as_str);
    let version = lying.as_ref().map(|(version, _)| version);
    let name = match text("name") {
        Some(name) if name.starts_with("__MSG_") => {
            let local = text("default_locale").and_then(|language| {
                let version = disk
                    .open_folder(folder.as_ref()?, version?.as_bytes())
                    .ok()?;
                name_in_language(disk, &version, language, name)
            });
            local.unwrap_or_else(|| id.to_owned())
        }
        Some(name) => name.to_owned(),
        None => id.to_owned(),
    };
    let number = |key: &str| noted.get(key).and_then(Value::as_str)?.parse::<i64>().ok();
    let changed = number("last_update_time").or_else(|| number("install_time"));
    Some(Extension {
        id: id.to_owned(),
        name,
        version: text("version").unwrap_or_default().to_owned(),
        profile: profile.clone(),
        is_on: is_on(noted),
        origin: match location {
            Some(location) if UNPACKED.contains(&location) => Origin::SideLoaded,
            Some(location) if BY_POLICY.contains(&location) => Origin::Policy,
            Some(location) if BY_PROGRAM.contains(&location) => Origin::Program,
            Some(1) if noted.get("from_webstore") == Some(&Value::Bool(false)) => {
                Origin::SideLoaded
            }
            Some(1) => Origin::Store,
            _ => Origin::Unknown,
        },
        may: may(noted, manifest),
        program: folder.as_ref().map_or(0, |folder| bytes_in(disk, folder)),
        storage: storage(target, disk, &profile.path, id),
        changed: changed.and_then(|at| time(at, FROM_1601)),
    })
}

/// Newer settings list why one is off, older ones have a state.
fn is_on(noted: &Value) -> bool {
    let is_disabled = noted
        .get("disable_reasons")
        .is_some_and(|reasons| match reasons {
            Value::Array(reasons) => !reasons.is_empty(),
            other => other.as_i64().is_some_and(|reasons| reasons != 0),
        });
    let state = noted.get("state").and_then(Value::as_i64);
    !noted.is_null() && !is_disabled && state != Some(0)
}

/// The version that lies in the folder of an extension, and what it says of itself.
fn lying_there(disk: &dyn Disk, folder: &Folder) -> Option<(String, Value)> {
    let mut versions = names_in(disk, folder);
    versions.sort();
    versions
        .into_iter()
        .rev()
        .take(VERSIONS)
        .find_map(|(name, kind)| {
            let name = name.into_string().ok().filter(|_| kind == Kind::Folder)?;
            let version = disk.open_folder(folder, name.as_bytes()).ok()?;
            Some((name, manifest_in(disk, &version)?))
        })
}

/// What an extension says of itself whose folder lies anywhere on the target, as its settings note it.
fn unpacked(target: &Target, noted: &Value) -> Option<Value> {
    let path = noted.get("path")?.as_str()?;
    let below = match path.split_once(":\\") {
        // On windows it begins with a drive: whichever that was, a system lies on its own.
        Some((_, below)) => below.replace('\\', "/"),
        None => path.strip_prefix('/')?.to_owned(),
    };
    let path = TargetPath::new(below).ok()?;
    let disk = target.disk();
    let folder = disk.open_folder(target.root(), path.as_bytes()).ok()?;
    manifest_in(&**disk, &folder)
}

fn manifest_in(disk: &dyn Disk, folder: &Folder) -> Option<Value> {
    let bytes = read_whole(disk, folder, c"manifest.json", MOST_MANIFEST).ok()?;
    // Manifests may begin with a byte order mark.
    let bytes = bytes.strip_prefix(b"\xef\xbb\xbf").unwrap_or(&bytes);
    serde_json::from_slice(bytes).ok()
}

/// What a name that stands for one of a language is in that.
fn name_in_language(
    disk: &dyn Disk,
    version: &Folder,
    language: &str,
    name: &str,
) -> Option<String> {
    let key = name.strip_prefix("__MSG_")?.strip_suffix("__")?;
    let below = TargetPath::new(format!("_locales/{language}")).ok()?;
    let folder = disk.open_folder(version, below.as_bytes()).ok()?;
    let bytes = read_whole(disk, &folder, c"messages.json", MOST_MANIFEST).ok()?;
    let bytes = bytes.strip_prefix(b"\xef\xbb\xbf").unwrap_or(&bytes);
    let json: Value = serde_json::from_slice(bytes).ok()?;
    let mut messages = json.as_object()?.iter();
    let (_, message) = messages.find(|(known, _)| known.eq_ignore_ascii_case(key))?;
    Some(message.get("message")?.as_str()?.to_owned())
}

/// What it may do: what was granted, or else what it asks for.
fn may(noted: &Value, manifest: Option<&Value>) -> Vec<String> {
    let granted = ["active_permissions", "granted_permissions"];
    let granted = granted.iter().find_map(|key| noted.get(key));
    let mut lists: Vec<Option<&Value>> = Vec::new();
    if let Some(granted) = granted {
        lists.extend(["api", "explicit_host", "scriptable_host"].map(|key| granted.get(key)));
    } else {
        let asked = |key: &str| manifest.and_then(|it| it.get(key));
        lists.extend(["permissions", "host_permissions"].map(asked));
        let scripts = asked("content_scripts").and_then(Value::as_array);
        lists.extend(
            scripts
                .into_iter()
                .flatten()
                .map(|script| script.get("matches")),
        );
    }
    let names = lists.into_iter().flatten().filter_map(Value::as_array);
    in_words(names.flatten().filter_map(Value::as_str))
}

/// Bytes that it keeps: settings, and storage under an origin of its own.
fn storage(target: &Target, disk: &dyn Disk, profile: &TargetPath, id: &str) -> u64 {
    let settings = ["Local Extension Settings", "Sync Extension Settings"];
    let settings = settings.map(|folder| format!("{folder}/{id}"));
    let origin = ["leveldb", "blob"];
    let origin = origin.map(|end| format!("IndexedDB/chrome-extension_{id}_0.indexeddb.{end}"));
    let all = settings.into_iter().chain(origin);
    let held = all.filter_map(|below| open_below(target, profile, &below));
    held.map(|folder| bytes_in(disk, &folder)).sum()
}
