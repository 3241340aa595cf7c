//! Browser profiles with real databases, in the shapes that tell a family.

use std::collections::{BTreeMap, BTreeSet};
use std::path::Path;

use crate::DemoError;
use crate::browsing::{
    MadeCookie, MadeVisit, make_chromium_cookies, make_chromium_history, make_chromium_icons,
    make_chromium_shortcuts, make_gecko_cookies, make_gecko_icons, make_gecko_places,
};
use crate::contents::{Chance, SITES, database};
use crate::tree::{DAY, TreeBuilder};

const KIB: u64 = 1 << 10;

/// Years that somebody has browsed for.
const YEARS: u64 = 3;

/// How much somebody browses, and what becomes of it.
#[derive(Clone, Copy)]
pub(crate) struct Habits {
    pub visits: u64,
    /// How many of the sites.
    pub sites: usize,
}

/// What somebody did: often on a few sites, now and then on many, most of it long ago.
fn visits(tree: &TreeBuilder, chance: &mut Chance, habits: Habits) -> Vec<MadeVisit> {
    let mut days: Vec<u64> = (0..habits.visits)
        .map(|_| chance.between(0, YEARS * 365 * 24))
        .collect();
    days.sort_unstable();
    days.reverse();
    let sites = &SITES[..habits.sites.min(SITES.len())];
    let mut made: Vec<MadeVisit> = Vec::new();
    for hours in days {
        let often = chance.between(0, 10) < 6;
        let many = if often { 5 } else { sites.len() };
        let site = sites[usize::try_from(chance.between(0, many as u64)).unwrap_or(0)];
        let page = match chance.between(0, 12) {
            0 => "search?q=life+jackets".to_owned(),
            number => format!("page/{number}"),
        };
        let host = if chance.between(0, 3) == 0 {
            "www."
        } else {
            ""
        };
        let last = made.len().checked_sub(1);
        made.push(MadeVisit {
            address: format!("https://{host}{site}/{page}"),
            seconds: tree.now() - i64::try_from(hours * 3600).unwrap_or(0) - 60,
            from: last.filter(|_| chance.between(0, 2) == 0),
            is_typed: chance.between(0, 9) == 0,
            is_download: chance.between(0, 40) == 0,
        });
    }
    made
}

/// The cookies of the sites that somebody visited: of those visited often one that looks like a sign-in.
fn cookies(tree: &TreeBuilder, chance: &mut Chance, visits: &[MadeVisit]) -> Vec<MadeCookie> {
    let mut last: BTreeMap<&str, (i64, u32)> = BTreeMap::new();
    for visit in visits {
        let host = visit.address.split('/').nth(2).unwrap_or_default();
        let host = host.strip_prefix("www.").unwrap_or(host);
        let known = last.entry(host).or_default();
        *known = (known.0.max(visit.seconds), known.1 + 1);
    }
    let mut made = Vec::new();
    for (host, (used, many)) in last {
        let cookie = |name: &str, until: Option<i64>| MadeCookie {
            host: format!(".{host}"),
            name: name.to_owned(),
            used,
            until,
        };
        let until = tree.now() + chance.days(60, 400);
        if many > 25 {
            made.push(cookie("session_token", Some(until)));
        }
        made.push(cookie("visitor", Some(until)));
        made.push(cookie("basket", None));
    }
    made
}

/// Has a database made that was last changed an hour ago.
fn made(
    tree: &TreeBuilder,
    below: &str,
    make: impl FnOnce(&Path) -> Result<(), DemoError>,
) -> Result<(), DemoError> {
    let path = tree.path(below);
    tree.folder(below.rsplit_once('/').map_or("", |(folder, _)| folder))?;
    make(&path)?;
    tree.age(&path, 3600)
}

/// The databases of a profile of the Chromium family.
fn chromium_databases(
    tree: &TreeBuilder,
    chance: &mut Chance,
    (profile, cookies_file): (&str, &str),
    habits: Habits,
) -> Result<(), DemoError> {
    let visits = visits(tree, chance, habits);
    let cookies = cookies(tree, chance, &visits);
    let at = |name: &str| format!("{profile}/{name}");
    made(tree, &at(cookies_file), |path| {
        make_chromium_cookies(path, &cookies)
    })?;
    made(tree, &at("History"), |path| {
        make_chromium_history(path, &visits)
    })?;
    made(tree, &at("Favicons"), |path| {
        make_chromium_icons(path, &visits)
    })?;
    made(tree, &at("Shortcuts"), |path| {
        make_chromium_shortcuts(path, &visits)
    })
}

/// A second profile, of a browser that is newer than anybody knows: its visits have moods.
pub(crate) fn newer_profile(tree: &TreeBuilder, user_data: &str) -> Result<(), DemoError> {
    let profile = format!("{user_data}/Profile 1");
    tree.text(format!("{profile}/Preferences"), "{}", DAY)?;
    let visit = MadeVisit {
        address: "https://slipway.example/page/1".to_owned(),
        seconds: tree.now() - 200 * DAY,
        from: None,
        is_typed: false,
        is_download: false,
    };
    let history = format!("{profile}/History");
    made(tree, &history, |path| make_chromium_history(path, &[visit]))?;
    let newer = "CREATE TABLE visit_moods(visit_id INTEGER PRIMARY KEY, mood TEXT); \
        INSERT INTO visit_moods VALUES(1, 'calm'); UPDATE meta SET value = '99';";
    database(&tree.path(&history), &[newer.to_owned()])?;
    tree.age(&tree.path(&history), 3600)
}

/// A profile of the Gecko family whose history is damaged in the middle.
pub(crate) fn damaged_profile(
    tree: &TreeBuilder,
    chance: &mut Chance,
    profile: &str,
) -> Result<(), DemoError> {
    gecko_settings(tree, profile)?;
    let habits = Habits {
        visits: 300,
        sites: 12,
    };
    let visits = visits(tree, chance, habits);
    let cookies = cookies(tree, chance, &visits);
    let at = |name: &str| format!("{profile}/{name}");
    made(tree, &at("cookies.sqlite"), |path| {
        make_gecko_cookies(path, &cookies)
    })?;
    made(tree, &at("places.sqlite"), |path| {
        make_gecko_places(path, &visits, &BTreeSet::new())?;
        let torn = || {
            let mut bytes = std::fs::read(path)?;
            let page = 32 << 10;
            let middle = bytes.len() / page / 2 * page;
            if let Some(page) = bytes.get_mut(page..middle + page) {
                page.fill(0x5a);
            }
            std::fs::write(path, bytes)
        };
        torn().map_err(DemoError::at("damage", path))
    })
}

fn gecko_settings(tree: &TreeBuilder, profile: &str) -> Result<(), DemoError> {
    tree.text(format!("{profile}/prefs.js"), "// settings\n", DAY)?;
    tree.text(format!("{profile}/times.json"), "{}\n", 400 * DAY)?;
    tree.text(
        format!("{profile}/compatibility.ini"),
        "[Compatibility]\nLastVersion=153.0\n",
        DAY,
    )
    .map(drop)
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
    let habits = Habits {
        visits: entries,
        sites: SITES.len(),
    };
    chromium_databases(tree, chance, (&profile, cookies_file), habits)?;
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
    gecko_settings(tree, profile)?;
    tree.text(
        format!("{profile}/logins.json"),
        "{\"logins\":[]}\n",
        90 * DAY,
    )?;
    tree.file(format!("{profile}/key4.db"), 32 * KIB, 90 * DAY)?;
    let habits = Habits {
        visits: entries,
        sites: 30,
    };
    let visits = visits(tree, chance, habits);
    let cookies = cookies(tree, chance, &visits);
    let bookmarked: BTreeSet<String> = visits.iter().take(3).map(|it| it.address.clone()).collect();
    made(tree, &format!("{profile}/places.sqlite"), |path| {
        make_gecko_places(path, &visits, &bookmarked)
    })?;
    made(tree, &format!("{profile}/favicons.sqlite"), |path| {
        make_gecko_icons(path, &visits)
    })?;
    made(tree, &format!("{profile}/cookies.sqlite"), |path| {
        make_gecko_cookies(path, &cookies)
    })?;
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
