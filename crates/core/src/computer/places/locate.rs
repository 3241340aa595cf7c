//! Where the places of one target lie.

use std::collections::{BTreeSet, HashMap};
use std::ffi::OsString;
use std::io::{self, Read as _};
use std::ops::ControlFlow;
use std::os::unix::ffi::OsStrExt as _;

use jolly_disk::{Disk, Folder};

use crate::computer::accounts::user_dirs;
use crate::computer::places::{find, profile};
use crate::computer::{Account, Layout, Personal, Place, Places, TargetPath, read_small};

/// What is known of a target when its places are looked for.
pub(crate) struct PlaceContext<'a> {
    pub disk: &'a dyn Disk,
    pub root: &'a Folder,
    pub layout: Layout,
    pub accounts: &'a [Account],
    /// The homes of all accounts.
    pub homes: BTreeSet<TargetPath>,
    /// Accounts by what folders outside the homes say of whose they are.
    pub people: People,
    /// Whether it is the running computer: only then the environment counts.
    pub is_live: bool,
    /// The user that this process runs as, where that is known: the environment is this one's.
    pub runner: Option<u32>,
    pub environment: &'a dyn Fn(&str) -> Option<OsString>,
}

/// The accounts of a target, by position, by what tells them.
#[derive(Default)]
pub(crate) struct People {
    users: HashMap<u32, usize>,
    security_ids: HashMap<String, usize>,
    homes: HashMap<String, usize>,
}

impl People {
    /// Of two that are told by the same the first.
    pub(crate) fn of(accounts: &[Account]) -> Self {
        let mut people = Self::default();
        for (number, account) in accounts.iter().enumerate() {
            people.users.entry(account.user).or_insert(number);
            people.homes.entry(home_on_drive(account)).or_insert(number);
            if let Some(id) = &account.security_id {
                people.security_ids.entry(id.clone()).or_insert(number);
            }
        }
        people
    }
}

/// Folders of a home that are somebody's own, where no file says so.
const PERSONAL: [(Layout, &[&str]); 2] = [
    (
        Layout::Windows,
        words! {
            "Documents" "Pictures" "Music" "Videos" "Desktop" "Favorites" "Contacts" "Links" "Saved Games"
            "My Documents"
        },
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
pub(crate) fn locate(context: &PlaceContext<'_>) -> (Places, Vec<TargetPath>) {
    let mut places = Places::of_layout(context.layout);
    let mut partly = Vec::new();
    if context.layout == Layout::Linux {
        linux(context, &mut places);
    } else {
        by_table(context, &mut places);
    }
    for number in 0..context.accounts.len() {
        partly.extend(profiles(context, number, &mut places));
    }
    (places, partly)
}

fn linux(context: &PlaceContext<'_>, places: &mut Places) {
    for place in [Place::Root, Place::Temp, Place::Logs, Place::Programs] {
        for usual in place.usual(Layout::Linux) {
            add(places, place, None, TargetPath::new(*usual).ok());
        }
    }
    for (number, account) in context.accounts.iter().enumerate() {
        let home = &account.home;
        let at = Some(number);
        let config = bases(context, account, &places.personal).config;
        let (downloads, desktop) = own_folders(context, account, config.as_ref(), places);
        // Known by now is what else a base must not hold.
        let Bases {
            cache,
            config,
            data,
            state,
        } = bases(context, account, &places.personal);
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
        add(places, Place::Downloads, at, downloads);
        add(places, Place::Desktop, at, desktop);
    }
}

/// Notes what is an account's own; where its downloads and its desktop are.
fn own_folders(
    context: &PlaceContext<'_>,
    account: &Account,
    config: Option<&TargetPath>,
    places: &mut Places,
) -> (Option<TargetPath>, Option<TargetPath>) {
    let home = &account.home;
    let text = read_user_dirs(context, config);
    let dirs = user_dirs::read(home, text.as_deref().unwrap_or_default());
    // Where nothing is known of where this person keeps things, every folder that they see is theirs.
    if text.is_none() || !dirs.is_clear {
        places.personal.close(home);
    }
    let own = dirs.personal.iter();
    for own in own.filter(|own| own.below(home).is_some() || context.is_nobodys(own)) {
        places.personal.add(own);
    }
    // The usual folder needs no proof; one that a file of the target names does.
    let is_place = |path: &TargetPath, usual: &[u8]| {
        home.join(usual).as_ref() == Ok(path) || context.may_be_place(account, path)
    };
    let downloads = dirs.downloads.filter(|path| is_place(path, b"Downloads"));
    let desktop = dirs.desktop.filter(|path| is_place(path, b"Desktop"));
    (downloads, desktop)
}

/// The file in which a person says where they keep things, empty where there is none; nothing where it
/// can't be read as it stands.
fn read_user_dirs(context: &PlaceContext<'_>, config: Option<&TargetPath>) -> Option<Vec<u8>> {
    let read = read_small(
        context.disk,
        context.root,
        config?.as_bytes(),
        c"user-dirs.dirs",
    );
    match read {
        Ok(text) => Some(text),
        Err(error) if error.kind() == io::ErrorKind::NotFound => Some(Vec::new()),
        Err(_) => None,
    }
}

impl PlaceContext<'_> {
    /// Whether what an account, or the environment of its person, names can be a place of theirs: a
    /// folder strictly below their home that is theirs, and that neither is nor holds another home, what
    /// is usually a place or what is usually somebody's own.
    fn may_be_place(&self, account: &Account, path: &TargetPath) -> bool {
        let home = &account.home;
        let is_below = path.below(home).is_some_and(|below| !below.is_empty());
        let usual = |below: &&str| home.join(below.as_bytes()).ok();
        let is_above = |other: &TargetPath| other.below(path).is_some();
        let holds_place = USUAL_BASES
            .iter()
            .filter_map(usual)
            .any(|base| is_above(&base));
        // A secret folder holds no caches.
        let is_hidden_secret = path
            .below(home)
            .is_some_and(|below| below.split(|byte| *byte == b'/').any(is_secret_folder));
        let holds_home = || {
            self.homes
                .range(path.clone()..)
                .next()
                .is_some_and(is_above)
        };
        is_below
            && !holds_place
            && !is_hidden_secret
            && !holds_home()
            && self.is_own_folder(account, path)
    }

    /// Whether a path is a folder, reached without a link, that belongs to whoever the home belongs to.
    fn is_own_folder(&self, account: &Account, path: &TargetPath) -> bool {
        let owner = |path: &TargetPath| {
            let opened = self.disk.open_folder(self.root, path.as_bytes());
            let stat = opened.and_then(|folder| self.disk.stat_folder(&folder));
            stat.ok().map(|stat| stat.user)
        };
        let own = owner(path);
        own.is_some() && own == owner(&account.home)
    }

    /// Whether a path lies in none of the system's own places and in nobody's home, and holds none of
    /// these: there one person's word guards nothing of others.
    fn is_nobodys(&self, path: &TargetPath) -> bool {
        let is_apart =
            |other: &TargetPath| other.below(path).is_none() && path.below(other).is_none();
        let places = [Place::Temp, Place::Logs, Place::Programs].into_iter();
        let mut usual = places.flat_map(|place| place.usual(Layout::Linux));
        let mut above = path.parent();
        let mut is_in_home = false;
        while let Some(folder) = above {
            is_in_home |= self.homes.contains(&folder);
            above = folder.parent();
        }
        let holds_home = self
            .homes
            .range(path.clone()..)
            .next()
            .is_some_and(|home| home.below(path).is_some());
        !is_in_home
            && !holds_home
            && usual.all(|usual| TargetPath::new(*usual).is_ok_and(|usual| is_apart(&usual)))
    }
}

/// Folders of a home that are usually places, or hold them, or are usually somebody's own.
const USUAL_BASES: &[&str] = words! {
    ".cache" ".config" ".local/share/Trash" ".local/share/applications" ".local/state" ".local/bin" ".ssh" ".gnupg"
    "Documents" "Pictures" "Music" "Videos" "Movies" "Desktop" "Downloads"
};

/// Whether a folder of that name holds keys, whatever else is said of it.
fn is_secret_folder(name: &[u8]) -> bool {
    [&b".ssh"[..], b".gnupg", b".pki", b".password-store"]
        .iter()
        .any(|known| known.eq_ignore_ascii_case(name))
}

/// The base folders of a linux home.
struct Bases {
    cache: Option<TargetPath>,
    config: Option<TargetPath>,
    data: Option<TargetPath>,
    state: Option<TargetPath>,
}

/// Where an account's base folders lie. What the environment says counts for the person alone who runs
/// this, and only where it could be a place of theirs; else the usual folder counts.
fn bases(context: &PlaceContext<'_>, account: &Account, personal: &Personal) -> Bases {
    let home = &account.home;
    let named = |variable: &str| (context.environment)(variable);
    let is_own = context.is_live
        && context.runner == Some(account.user)
        && named("HOME")
            .is_some_and(|text| TargetPath::from_inside(text.as_bytes()).as_ref() == Ok(home));
    let base = |variable: &str, usual: &str| {
        let usual = home.join(usual.as_bytes()).ok();
        is_own
            .then(|| named(variable))
            .flatten()
            .filter(|path| path.as_bytes().starts_with(b"/"))
            .and_then(|path| TargetPath::from_inside(path.as_bytes()).ok())
            .filter(|path| {
                let is_apart = || {
                    let mut known = personal
                        .folders()
                        .filter_map(|own| TargetPath::new(own).ok());
                    personal.over(path).next().is_none()
                        && !known.any(|own| own.below(path).is_some())
                };
                Some(path) == usual.as_ref() || (is_apart() && context.may_be_place(account, path))
            })
            .or(usual)
    };
    Bases {
        cache: base("XDG_CACHE_HOME", ".cache"),
        config: base("XDG_CONFIG_HOME", ".config"),
        data: base("XDG_DATA_HOME", ".local/share"),
        state: base("XDG_STATE_HOME", ".local/state"),
    }
}

/// Windows and macos: every place lies where the table says, whatever the case of its names.
fn by_table(context: &PlaceContext<'_>, places: &mut Places) {
    let homes = Place::Home.usual(context.layout);
    let folders = |base: &TargetPath, pattern: &str| {
        let parts: Vec<&str> = pattern.split('/').filter(|part| !part.is_empty()).collect();
        find::folders(context.disk, context.root, base, &parts, context.layout)
    };
    for place in Place::by_path() {
        for usual in place.usual(context.layout) {
            let below_home = homes
                .iter()
                .filter(|_| place.is_per_account())
                .find_map(|home| usual.strip_prefix(home));
            if let Some(below) = below_home {
                for (number, account) in context.accounts.iter().enumerate() {
                    for path in folders(&account.home, below) {
                        add(places, place, Some(number), Some(path));
                    }
                }
                continue;
            }
            for path in folders(&TargetPath::root(), usual) {
                let owner = place
                    .is_per_account()
                    .then(|| owner(context, place, &path))
                    .flatten();
                add(places, place, owner, Some(path));
            }
        }
    }
    for account in context.accounts {
        let own = PERSONAL.iter().filter(|(of, _)| *of == context.layout);
        for name in own.flat_map(|(_, names)| *names) {
            let found = folders(&account.home, name);
            for own in &found {
                places.personal.add(own);
            }
        }
        // Where else somebody keeps things there is written in a part of the registry that isn't read.
        if context.layout == Layout::Windows {
            places.personal.close(&account.home);
        }
    }
}

/// Whose a folder outside the homes is: a recycle folder's by its security identifier, a trash's
/// at the root of a volume by the user's number, a per-boot temp folder's by who owns it.
fn owner(context: &PlaceContext<'_>, place: Place, path: &TargetPath) -> Option<usize> {
    let name = std::str::from_utf8(path.name()).ok()?;
    let user = || {
        let parent = context
            .disk
            .open_folder(context.root, path.parent()?.as_bytes())
            .ok()?;
        Some(context.disk.stat(&parent, path.as_name()).ok()?.user)
    };
    let of_user = |user: u32| context.people.users.get(&user).copied();
    match (context.layout, place) {
        (Layout::Windows, _) => {
            let by_id = context.people.security_ids.get(name).copied();
            by_id.or_else(|| of_recycled(context, path))
        }
        (_, Place::Trash) => of_user(name.parse::<u32>().ok()?),
        _ => of_user(user()?),
    }
}

/// The most index files of a recycle folder that are asked whose it is.
const MOST_ASKED: usize = 50;

/// Whose a recycle folder is that no account's identifier names: the one account whose home all
/// original places in it lie in.
fn of_recycled(context: &PlaceContext<'_>, path: &TargetPath) -> Option<usize> {
    let folder = context
        .disk
        .open_folder(context.root, path.as_bytes())
        .ok()?;
    let mut asked = 0;
    let mut owners: Vec<usize> = Vec::new();
    let listed = context.disk.list(&folder, &mut |entry| {
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
        let read = context.disk.open_file(&folder, entry.name).map(|file| {
            file.take(crate::format::RECYCLED_MOST)
                .read_to_end(&mut bytes)
        });
        if let Ok(Ok(_)) = read
            && let Some(recycled) = crate::format::Recycled::read(&bytes)
        {
            let original = recycled.original.to_lowercase();
            let rest = original.split_once(':').map_or("", |(_, rest)| rest);
            let ends = rest.match_indices('\\').map(|(at, _)| at + 1);
            let homes = &context.people.homes;
            owners.extend(ends.into_iter().find_map(|end| homes.get(rest.get(..end)?)));
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
fn profiles(context: &PlaceContext<'_>, number: usize, places: &mut Places) -> Option<TargetPath> {
    let account = context.accounts.get(number)?;
    let home = &account.home;
    let one = |below: &str| {
        let parts: Vec<&str> = below.split('/').collect();
        find::folders(context.disk, context.root, home, &parts, context.layout)
            .into_iter()
            .next()
    };
    // Where profiles are kept, and where the caches are that mirror them.
    let (starts, config, cache) = match context.layout {
        Layout::Linux => {
            let bases = bases(context, account, &places.personal);
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
    let (found, is_whole) = profile::find(context.disk, context.root, home, starts);
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
