//! Browser profiles with real databases, in the shapes that tell a family.

use crate::DemoError;
use crate::contents::{Chance, SITES, database};
use crate::tree::{DAY, TreeBuilder};

const KIB: u64 = 1 << 10;

/// Microseconds from 1601-01-01 to 1970-01-01, the Chromium family's epoch.
const FROM_1601: i64 = 11_644_473_600_000_000;

/// Makes a database that was last changed an hour ago.
fn fill(tree: &TreeBuilder, below: &str, statements: &[String]) -> Result<(), DemoError> {
    let path = tree.path(below);
    tree.folder(below.rsplit_once('/').map_or("", |(folder, _)| folder))?;
    database(&path, statements)?;
    tree.age(&path, 3600)
}

/// Where a system keeps the parts of a profile of the Chromium family.
pub(crate) struct ChromiumPlaces {
    /// The folder of all profiles.
    pub user_data: String,
    /// The folder that holds `Cache` and `Code Cache`.
    pub cache: String,
    /// The file of the cookies, below the profile.
    pub cookies: &'static str,
}

impl ChromiumPlaces {
    /// On a linux computer, the caches mirrored below the cache folder.
    pub(crate) fn linux(home: &str) -> Self {
        Self {
            user_data: format!("{home}/.config/heron"),
            cache: format!("{home}/.cache/heron/Default"),
            cookies: "Cookies",
        }
    }
}

/// A profile of the Chromium family with a cache of `entries` files.
pub(crate) fn chromium(
    tree: &TreeBuilder,
    chance: &mut Chance,
    places: &ChromiumPlaces,
    entries: u64,
) -> Result<(), DemoError> {
    let ChromiumPlaces {
        user_data,
        cache,
        cookies: cookies_file,
    } = places;
    let state =
        r#"{"profile":{"info_cache":{"Default":{"name":"Otter Quay"}},"last_used":"Default"}}"#;
    tree.text(format!("{user_data}/Local State"), state, DAY)?;
    let profile = format!("{user_data}/Default");
    tree.text(
        format!("{profile}/Preferences"),
        r#"{"profile":{"exit_type":"Normal"}}"#,
        DAY,
    )?;
    let bookmark = r#"{"roots":{"bookmark_bar":{"children":[{"name":"Tides","url":"https://tides.example/"}]}}}"#;
    tree.text(format!("{profile}/Bookmarks"), bookmark, 30 * DAY)?;
    tree.file(format!("{profile}/Login Data"), 40 * KIB, 3 * DAY)?;
    tree.file(format!("{profile}/Web Data"), 60 * KIB, 3 * DAY)?;
    for number in 0..4 {
        tree.file(
            format!("{profile}/GPUCache/data_{number}"),
            256 * KIB,
            2 * DAY,
        )?;
    }
    let cookie = |chance: &mut Chance, site: &str| {
        let used = (tree.now() - chance.days(0, 500)) * 1_000_000 + FROM_1601;
        format!("INSERT INTO cookies VALUES({used}, '.{site}', 'session', x'763130', {used}, 1);")
    };
    let mut cookies = vec![
        "CREATE TABLE meta(key TEXT PRIMARY KEY, value TEXT); INSERT INTO meta VALUES('version','24');
         CREATE TABLE cookies(creation_utc INTEGER, host_key TEXT, name TEXT, encrypted_value BLOB,
         last_access_utc INTEGER, is_persistent INTEGER);"
            .to_owned(),
    ];
    let mut history = vec![
        "CREATE TABLE meta(key TEXT PRIMARY KEY, value TEXT); INSERT INTO meta VALUES('version','70');
         CREATE TABLE urls(id INTEGER PRIMARY KEY, url TEXT, title TEXT, visit_count INTEGER, last_visit_time INTEGER);
         CREATE TABLE visits(id INTEGER PRIMARY KEY, url INTEGER, visit_time INTEGER, from_visit INTEGER);"
            .to_owned(),
    ];
    for (number, site) in SITES.iter().cycle().take(60).enumerate() {
        cookies.push(cookie(chance, site));
        let seen = (tree.now() - chance.days(0, 500)) * 1_000_000 + FROM_1601;
        history.push(format!(
            "INSERT INTO urls VALUES({number}, 'https://{site}/page/{number}', 'Page {number}', 1, {seen});
             INSERT INTO visits VALUES({number}, {number}, {seen}, 0);"
        ));
    }
    fill(tree, &format!("{profile}/{cookies_file}"), &cookies)?;
    fill(tree, &format!("{profile}/History"), &history)?;
    for number in 0..entries {
        let (name, size) = (chance.next(), chance.between(4 * KIB, 220 * KIB));
        let age = chance.hours(0, 24 * 60);
        let folder = if number % 7 == 0 {
            "Code Cache/js"
        } else {
            "Cache/Cache_Data"
        };
        let path = format!("{cache}/{folder}/{name:016x}_0");
        tree.file(path, size, age)?;
    }
    Ok(())
}

/// A profile of the Gecko family in the folder `profile`, its caches in `cache`.
pub(crate) fn gecko(
    tree: &TreeBuilder,
    chance: &mut Chance,
    (profile, cache): (&str, &str),
    entries: u64,
) -> Result<(), DemoError> {
    tree.text(format!("{profile}/prefs.js"), "// settings\n", DAY)?;
    tree.text(format!("{profile}/times.json"), "{}\n", 400 * DAY)?;
    tree.text(
        format!("{profile}/compatibility.ini"),
        "[Compatibility]\nLastVersion=153.0\n",
        DAY,
    )?;
    tree.text(
        format!("{profile}/logins.json"),
        "{\"logins\":[]}\n",
        90 * DAY,
    )?;
    tree.file(format!("{profile}/key4.db"), 32 * KIB, 90 * DAY)?;
    let mut places = vec![
        "CREATE TABLE moz_places(id INTEGER PRIMARY KEY, url TEXT, last_visit_date INTEGER, foreign_count INTEGER DEFAULT 0);
         CREATE TABLE moz_historyvisits(id INTEGER PRIMARY KEY, place_id INTEGER, visit_date INTEGER);
         CREATE TABLE moz_bookmarks(id INTEGER PRIMARY KEY, fk INTEGER, title TEXT);
         PRAGMA user_version=86;"
            .to_owned(),
    ];
    for (number, site) in SITES.iter().cycle().take(40).enumerate() {
        let seen = (tree.now() - chance.days(0, 700)) * 1_000_000;
        places.push(format!(
            "INSERT INTO moz_places VALUES({number}, 'https://{site}/{number}', {seen}, 0);
             INSERT INTO moz_historyvisits VALUES({number}, {number}, {seen});"
        ));
    }
    fill(tree, &format!("{profile}/places.sqlite"), &places)?;
    let cookies = "CREATE TABLE moz_cookies(id INTEGER PRIMARY KEY, host TEXT, name TEXT, lastAccessed INTEGER);
         PRAGMA user_version=17;";
    fill(
        tree,
        &format!("{profile}/cookies.sqlite"),
        &[cookies.to_owned()],
    )?;
    for _ in 0..entries {
        let (name, size) = (chance.next(), chance.between(4 * KIB, 160 * KIB));
        let path = format!("{cache}/cache2/entries/{name:016X}{:024X}", name >> 3);
        tree.file(path, size, chance.hours(0, 24 * 120))?;
    }
    tree.file(
        format!("{cache}/startupCache/scriptCache.bin"),
        900 * KIB,
        3 * DAY,
    )?;
    tree.file(
        format!("{cache}/safebrowsing/list.sbstore"),
        600 * KIB,
        80 * DAY,
    )
    .map(drop)
}
