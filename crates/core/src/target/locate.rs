//! Where the places of one target lie.

use std::ffi::OsString;
use std::io::Read as _;
use std::ops::ControlFlow;
use std::os::unix::ffi::OsStrExt as _;

use jolly_disk::{Disk, Folder};

use crate::target::{
    Account, Layout, Place, Places, TargetPath, find, profile, read_small, user_dirs,
};

/// What is known of a target when its places are looked for.
pub(super) struct Ground<'a> {
    pub disk: &'a dyn Disk,
    pub root: &'a Folder,
    pub layout: Layout,
    pub accounts: &'a [Account],
    /// Whether it is the running computer: only then the environment counts.
    pub is_live: bool,
    pub environment: &'a dyn Fn(&str) -> Option<OsString>,
}

/// Folders of a home that are somebody's own, where no file says so.
const PERSONAL: [(Layout, &[&str]); 2] = [
    (
        Layout::Windows,
        &[
            "Documents",
            "Pictures",
            "Music",
            "Videos",
            "Desktop",
            "Favorites",
            "Contacts",
            "Links",
            "Saved Games",
            "OneDrive",
            "My Documents",
        ],
    ),
    (
        Layout::Macos,
        &[
            "Documents",
            "Pictures",
            "Music",
            "Movies",
            "Desktop",
            "Public",
            "Sites",
        ],
    ),
];

/// Finds the places, and the homes whose search for browser profiles was cut short.
pub(super) fn locate(ground: &Ground<'_>) -> (Places, Vec<TargetPath>) {
    let mut places = Places::of_layout(ground.layout);
    let mut partly = Vec::new();
    if ground.layout == Layout::Linux {
        linux(ground, &mut places);
    } else {
        by_table(ground, &mut places);
    }
    for number in 0..ground.accounts.len() {
        partly.extend(profiles(ground, number, &mut places));
    }
    (places, partly)
}

fn linux(ground: &Ground<'_>, places: &mut Places) {
    for place in [Place::Root, Place::Temp, Place::Logs, Place::Programs] {
        for usual in place.usual(Layout::Linux) {
            add(places, place, None, TargetPath::new(*usual).ok());
        }
    }
    for (number, account) in ground.accounts.iter().enumerate() {
        let home = &account.home;
        let at = Some(number);
        let Bases {
            cache,
            config,
            data,
            state,
        } = bases(ground, home);
        add(places, Place::Home, at, Some(home.clone()));
        add(places, Place::AccountTemp, at, home.join(b"tmp").ok());
        add(places, Place::AccountTemp, at, home.join(b".tmp").ok());
        add(places, Place::Cache, at, cache);
        add(places, Place::Config, at, config.clone());
        add(places, Place::Data, at, data.clone());
        add(places, Place::State, at, state);
        let own = data.and_then(|data| data.join(b"Trash").ok());
        add(places, Place::Trash, at, own);
        for shared in [
            format!(".Trash/{}", account.user),
            format!(".Trash-{}", account.user),
        ] {
            add(places, Place::Trash, at, TargetPath::new(shared).ok());
        }
        let config = config.unwrap_or_default();
        let text = read_small(
            ground.disk,
            ground.root,
            config.as_bytes(),
            c"user-dirs.dirs",
        );
        let text = String::from_utf8(text.unwrap_or_default()).unwrap_or_default();
        let dirs = user_dirs::read(home, &text);
        add(places, Place::Downloads, at, dirs.downloads);
        add(places, Place::Desktop, at, dirs.desktop.clone());
        places.personal.extend(dirs.personal);
        places.personal.extend(dirs.desktop);
    }
}

/// The base folders of a linux home.
struct Bases {
    cache: Option<TargetPath>,
    config: Option<TargetPath>,
    data: Option<TargetPath>,
    state: Option<TargetPath>,
}

fn bases(ground: &Ground<'_>, home: &TargetPath) -> Bases {
    let named = |variable: &str| (ground.environment)(variable);
    let is_own = ground.is_live
        && named("HOME")
            .is_some_and(|text| TargetPath::from_inside(text.as_bytes()).as_ref() == Ok(home));
    let base = |variable: &str, usual: &str| {
        is_own
            .then(|| named(variable))
            .flatten()
            .filter(|path| path.as_bytes().starts_with(b"/"))
            .and_then(|path| TargetPath::from_inside(path.as_bytes()).ok())
            .or_else(|| home.join(usual.as_bytes()).ok())
    };
    Bases {
        cache: base("XDG_CACHE_HOME", ".cache"),
        config: base("XDG_CONFIG_HOME", ".config"),
        data: base("XDG_DATA_HOME", ".local/share"),
        state: base("XDG_STATE_HOME", ".local/state"),
    }
}

/// Windows and macos: every place lies where the table says, whatever the case of its names.
fn by_table(ground: &Ground<'_>, places: &mut Places) {
    let homes = Place::Home.usual(ground.layout);
    let folders = |base: &TargetPath, pattern: &str| {
        let parts: Vec<&str> = pattern.split('/').filter(|part| !part.is_empty()).collect();
        find::folders(ground.disk, ground.root, base, &parts, ground.layout)
    };
    for place in Place::by_path() {
        for usual in place.usual(ground.layout) {
            let below_home = homes
                .iter()
                .filter(|_| place.is_per_account())
                .find_map(|home| usual.strip_prefix(home));
            if let Some(below) = below_home {
                for (number, account) in ground.accounts.iter().enumerate() {
                    for path in folders(&account.home, below) {
                        add(places, place, Some(number), Some(path));
                    }
                }
                continue;
            }
            for path in folders(&TargetPath::root(), usual) {
                let owner = place
                    .is_per_account()
                    .then(|| owner(ground, place, &path))
                    .flatten();
                add(places, place, owner, Some(path));
            }
        }
    }
    for account in ground.accounts {
        let own = PERSONAL.iter().filter(|(of, _)| *of == ground.layout);
        for name in own.flat_map(|(_, names)| *names) {
            places.personal.extend(folders(&account.home, name));
        }
    }
}

/// Whose a folder outside the homes is: a recycle folder's by its security identifier, a trash's
/// at the root of a volume by the user's number, a per-boot temp folder's by who owns it.
fn owner(ground: &Ground<'_>, place: Place, path: &TargetPath) -> Option<usize> {
    let name = std::str::from_utf8(path.name()).ok()?;
    let user = || {
        let parent = ground
            .disk
            .open_folder(ground.root, path.parent()?.as_bytes())
            .ok()?;
        Some(ground.disk.stat(&parent, path.as_name()).ok()?.user)
    };
    let of = |is_it: &dyn Fn(&Account) -> bool| ground.accounts.iter().position(is_it);
    match (ground.layout, place) {
        (Layout::Windows, _) => of(&|account| account.security_id.as_deref() == Some(name))
            .or_else(|| of_recycled(ground, path)),
        (_, Place::Trash) => {
            let number = name.parse::<u32>().ok()?;
            of(&|account| account.user == number)
        }
        _ => {
            let number = user()?;
            of(&|account| account.user == number)
        }
    }
}

/// The most index files of a recycle folder that are asked whose it is.
const MOST_ASKED: usize = 50;

/// Whose a recycle folder is that no account's identifier names: the one account whose home all
/// original places in it lie in.
fn of_recycled(ground: &Ground<'_>, path: &TargetPath) -> Option<usize> {
    let folder = ground.disk.open_folder(ground.root, path.as_bytes()).ok()?;
    let mut asked = 0;
    let mut owners: Vec<usize> = Vec::new();
    let listed = ground.disk.list(&folder, &mut |entry| {
        if !entry
            .name
            .to_bytes()
            .to_ascii_uppercase()
            .starts_with(b"$I")
        {
            return ControlFlow::Continue(());
        }
        asked += 1;
        let mut bytes = Vec::new();
        let read = ground.disk.open_file(&folder, entry.name).map(|file| {
            file.take(crate::target::RECYCLED_MOST)
                .read_to_end(&mut bytes)
        });
        if let Ok(Ok(_)) = read
            && let Some(recycled) = crate::target::Recycled::read(&bytes)
        {
            let original = recycled.original.to_lowercase();
            owners.extend(ground.accounts.iter().position(|account| {
                let home = home_on_drive(account);
                original
                    .split_once(':')
                    .is_some_and(|(_, rest)| rest.starts_with(&home))
            }));
        }
        if asked < MOST_ASKED {
            ControlFlow::Continue(())
        } else {
            ControlFlow::Break(())
        }
    });
    // What was told before a failure still says whose it is.
    drop(listed);
    owners.sort_unstable();
    owners.dedup();
    match owners[..] {
        [only] => Some(only),
        _ => None,
    }
}

/// A home as an index file of a recycle folder begins it, after the drive's letter, in small
/// letters: `\users\pia\`.
fn home_on_drive(account: &Account) -> String {
    let home = String::from_utf8_lossy(account.home.as_bytes()).to_lowercase();
    format!("\\{}\\", home.replace('/', "\\"))
}

/// Adds the browser profiles of an account, and the caches that mirror them; tells the home when
/// the search was cut short.
fn profiles(ground: &Ground<'_>, number: usize, places: &mut Places) -> Option<TargetPath> {
    let account = ground.accounts.get(number)?;
    let home = &account.home;
    let one = |below: &str| {
        let parts: Vec<&str> = below.split('/').collect();
        find::folders(ground.disk, ground.root, home, &parts, ground.layout)
            .into_iter()
            .next()
    };
    // Where profiles are kept, and where the caches are that mirror them.
    let (starts, config, cache) = match ground.layout {
        Layout::Linux => {
            let bases = bases(ground, home);
            (None, bases.config, bases.cache)
        }
        Layout::Windows => {
            let (local, roaming) = (one("AppData/Local"), one("AppData/Roaming"));
            let starts = local.iter().chain(&roaming).cloned().collect();
            (Some(starts), roaming, local)
        }
        Layout::Macos => {
            let data = one("Library/Application Support");
            (
                Some(data.iter().cloned().collect()),
                data,
                one("Library/Caches"),
            )
        }
    };
    let (found, is_whole) = profile::find(ground.disk, ground.root, home, starts);
    for profile in found {
        let mirror = config
            .as_ref()
            .zip(cache.as_ref())
            .and_then(|(config, cache)| profile::mirror(&profile.path, home, config, cache))
            // Where the family keeps profile and cache in one folder, that is no mirror.
            .filter(|mirror| *mirror != profile.path);
        let mirrored = match profile.place {
            Place::GeckoProfile => Place::GeckoCache,
            _ => Place::ChromiumCache,
        };
        add(places, mirrored, Some(number), mirror);
        add(places, profile.place, Some(number), Some(profile.path));
    }
    (!is_whole).then(|| home.clone())
}

fn add(places: &mut Places, place: Place, account: Option<usize>, path: Option<TargetPath>) {
    if let Some(path) = path {
        places.add(place, account, path);
    }
}
