//! Extensions of the Gecko family: one list names them all, each lies in a file of its id.

use std::collections::HashMap;
use std::ffi::CString;
use std::io;

use jolly_disk::{Disk, Folder};
use serde_json::Value;

use crate::computer::{Target, TargetPath, read_whole};
use crate::survey::Profile;
use crate::survey::extensions::permissions::in_words;
use crate::survey::extensions::{Extension, MOST_EXTENSIONS, MOST_NOTES, Origin, time};
use crate::survey::folders::{bytes_in, open_below};

pub(super) fn read(
    target: &Target,
    (disk, folder): (&dyn Disk, &Folder),
    profile: &Profile,
) -> Result<Vec<Extension>, String> {
    let bytes = match read_whole(disk, folder, c"extensions.json", MOST_NOTES) {
        Ok(bytes) => bytes,
        Err(error) if error.kind() == io::ErrorKind::NotFound => return Ok(Vec::new()),
        Err(error) => return Err(format!("its list of extensions can't be read: {error}")),
    };
    let json: Value = serde_json::from_slice(&bytes)
        .map_err(|error| format!("its list of extensions is no JSON: {error}"))?;
    let origins = read_whole(disk, folder, c"prefs.js", MOST_NOTES);
    let origins = origins.map_or_else(|_| HashMap::new(), |text| own_origins(&text));
    let all = json.get("addons").and_then(Value::as_array);
    let all = all.into_iter().flatten();
    Ok(all
        .take(MOST_EXTENSIONS)
        .filter_map(|noted| one(target, disk, profile, (noted, &origins)))
        .collect())
}

fn one(
    target: &Target,
    disk: &dyn Disk,
    profile: &Profile,
    (noted, origins): (&Value, &HashMap<String, String>),
) -> Option<Extension> {
    let text = |key: &str| noted.get(key).and_then(Value::as_str);
    let is = |key: &str| noted.get(key).and_then(Value::as_bool).unwrap_or(false);
    let location = text("location").unwrap_or_default();
    let is_part = location.starts_with("app-builtin") || location.starts_with("app-system-");
    if text("type") != Some("extension") || is_part {
        return None;
    }
    let id = text("id")?;
    let name = noted.pointer("/defaultLocale/name").and_then(Value::as_str);
    let source = noted
        .pointer("/installTelemetryInfo/source")
        .and_then(Value::as_str);
    let origin = match source {
        Some("enterprise-policy") => Origin::Policy,
        Some("sideload" | "file-url" | "temporary-addon") => Origin::SideLoaded,
        _ if is("foreignInstall") || location == "app-temporary" => Origin::SideLoaded,
        Some("amo" | "about:addons" | "disco" | "rtamo" | "recommended") => Origin::Store,
        _ if location != "app-profile" && !location.is_empty() => Origin::Program,
        _ => Origin::Unknown,
    };
    let list = |pointer: &str| {
        let all = noted.pointer(pointer).and_then(Value::as_array);
        all.into_iter().flatten().filter_map(Value::as_str)
    };
    let names = list("/userPermissions/permissions").chain(list("/userPermissions/origins"));
    let file = CString::new(format!("{id}.xpi")).ok();
    let lying = open_below(target, &profile.path, "extensions");
    let lying = lying
        .zip(file)
        .filter(|(_, file)| !file.to_bytes().contains(&b'/'));
    let program = lying.and_then(|(folder, file)| disk.stat(&folder, &file).ok());
    let changed = noted.get("updateDate").or_else(|| noted.get("installDate"));
    let changed = changed.and_then(Value::as_i64);
    Some(Extension {
        id: id.to_owned(),
        name: name.unwrap_or(id).to_owned(),
        version: text("version").unwrap_or_default().to_owned(),
        profile: profile.clone(),
        is_on: is("active"),
        origin,
        may: in_words(names),
        program: program.map_or(0, |stat| stat.allocated),
        storage: storage(target, disk, &profile.path, (id, origins.get(id))),
        changed: changed.and_then(|at| time(at.checked_mul(1000)?, 0)),
    })
}

/// Bytes that it keeps: under an origin of its own, whose name the settings tell, or in the older folder by id.
fn storage(
    target: &Target,
    disk: &dyn Disk,
    profile: &TargetPath,
    (id, origin): (&str, Option<&String>),
) -> u64 {
    let by_origin = origin.map(|origin| format!("storage/default/moz-extension+++{origin}"));
    let by_id = format!("browser-extension-data/{id}");
    let all = by_origin.into_iter().chain([by_id]);
    let held = all.filter_map(|below| open_below(target, profile, &below));
    held.map(|folder| bytes_in(disk, &folder)).sum()
}

/// The origin that a profile gave to each extension, as its settings note it: JSON in a string of JavaScript.
fn own_origins(settings: &[u8]) -> HashMap<String, String> {
    const BEGINS: &str = "user_pref(\"extensions.webextensions.uuids\", ";
    let text = String::from_utf8_lossy(settings);
    let mut lines = text.lines();
    let noted = lines.find_map(|line| line.trim().strip_prefix(BEGINS)?.strip_suffix(");"));
    // A string of JavaScript without line breaks reads as one of JSON.
    let inner = noted.and_then(|noted| serde_json::from_str::<String>(noted).ok());
    let known = inner.and_then(|inner| serde_json::from_str(&inner).ok());
    known.unwrap_or_default()
}

#[cfg(test)]
mod tests {
    use super::own_origins;

    #[test]
    fn the_origins_of_extensions_stand_in_the_settings() {
        let text = b"// Settings\nuser_pref(\"a\", 1);\n\
            user_pref(\"extensions.webextensions.uuids\", \"{\\\"a@b.example\\\":\\\"11-22\\\"}\");\n";
        assert_eq!(own_origins(text).get("a@b.example").unwrap(), "11-22");
        assert!(own_origins(b"user_pref(\"extensions.webextensions.uuids\", \"{\");").is_empty());
    }
}
