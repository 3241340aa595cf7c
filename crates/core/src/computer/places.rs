//! Places: the named folders of a layout.

pub(crate) mod find;
pub(crate) mod locate;
mod profile;
pub(crate) mod profile_note;

use std::collections::{BTreeMap, HashMap, HashSet};

use crate::computer::{Layout, Personal, TargetPath};

/// A named folder of a layout, written `{cache}` in a rulebook.
#[derive(Clone, Copy, Debug, PartialEq, Eq, Hash, PartialOrd, Ord)]
#[expect(missing_docs, reason = "the table PLACES below says what each one is")]
pub enum Place {
    Root,
    Home,
    Temp,
    AccountTemp,
    Cache,
    Config,
    Data,
    State,
    Downloads,
    Desktop,
    Trash,
    Logs,
    Programs,
    ChromiumProfile,
    ChromiumCache,
    GeckoProfile,
    GeckoCache,
}

/// One row of the table of places.
struct Row {
    place: Place,
    /// How a rulebook writes it, without the braces.
    name: &'static str,
    per_account: bool,
    linux: Usual,
    windows: Usual,
    macos: Usual,
}

/// Where a place usually lies on a layout, part by part, `*` for any run of characters: where it
/// is looked for on a disk, and what a rule's examples are held against, since they have no disk
/// behind them.
type Usual = &'static [&'static str];

const fn shared(
    place: Place,
    name: &'static str,
    linux: Usual,
    windows: Usual,
    macos: Usual,
) -> Row {
    Row {
        place,
        name,
        per_account: false,
        linux,
        windows,
        macos,
    }
}

const fn own(place: Place, name: &'static str, linux: Usual, windows: Usual, macos: Usual) -> Row {
    Row {
        per_account: true,
        ..shared(place, name, linux, windows, macos)
    }
}

/// Every place, its name and where it usually lies: on linux by the Filesystem Hierarchy Standard,
/// the XDG base directories and the open trash specification; on windows by its known folders; on
/// macos by its file system's documented domains.
const PLACES: &[Row] = &[
    shared(Place::Root, "root", &[""], &[""], &[""]),
    own(
        Place::Home,
        "home",
        &["home/*", "root"],
        &["Users/*"],
        &["Users/*", "private/var/root"],
    ),
    shared(
        Place::Temp,
        "temp",
        &["tmp", "var/tmp"],
        &["Windows/Temp", "Windows/SystemTemp"],
        &["private/tmp", "private/var/tmp"],
    ),
    own(
        Place::AccountTemp,
        "account.temp",
        &["home/*/tmp", "home/*/.tmp", "root/tmp"],
        &["Users/*/AppData/Local/Temp"],
        &["private/var/folders/*/*/T"],
    ),
    own(
        Place::Cache,
        "cache",
        &["home/*/.cache", "root/.cache"],
        &["Users/*/AppData/Local/Microsoft/Windows/INetCache"],
        &[
            "Users/*/Library/Caches",
            "private/var/root/Library/Caches",
            "private/var/folders/*/*/C",
        ],
    ),
    own(
        Place::Config,
        "config",
        &["home/*/.config", "root/.config"],
        &["Users/*/AppData/Roaming"],
        &["Users/*/Library/Preferences"],
    ),
    own(
        Place::Data,
        "data",
        &["home/*/.local/share", "root/.local/share"],
        &["Users/*/AppData/Local"],
        &["Users/*/Library/Application Support"],
    ),
    own(
        Place::State,
        "state",
        &["home/*/.local/state", "root/.local/state"],
        &["Users/*/AppData/LocalLow"],
        &["Users/*/Library/Saved Application State"],
    ),
    own(
        Place::Downloads,
        "downloads",
        &["home/*/Downloads", "root/Downloads"],
        &["Users/*/Downloads"],
        &["Users/*/Downloads"],
    ),
    own(
        Place::Desktop,
        "desktop",
        &["home/*/Desktop", "root/Desktop"],
        &["Users/*/Desktop"],
        &["Users/*/Desktop"],
    ),
    own(
        Place::Trash,
        "trash",
        &[
            "home/*/.local/share/Trash",
            "root/.local/share/Trash",
            ".Trash/*",
            ".Trash-*",
        ],
        &["$Recycle.Bin/*"],
        &["Users/*/.Trash", "private/var/root/.Trash", ".Trashes/*"],
    ),
    shared(
        Place::Logs,
        "logs",
        &["var/log"],
        &["Windows/Logs"],
        &["private/var/log", "Library/Logs"],
    ),
    shared(
        Place::Programs,
        "programs",
        &["usr", "opt"],
        &["Program Files", "Program Files (x86)"],
        &["Applications"],
    ),
    own(
        Place::ChromiumProfile,
        "profile.chromium",
        &["home/*/.config/*/Default", "home/*/.config/*/Profile *"],
        &[
            "Users/*/AppData/Local/*/User Data/Default",
            "Users/*/AppData/Local/*/User Data/Profile *",
            "Users/*/AppData/Local/*/*/User Data/Default",
            "Users/*/AppData/Local/*/*/User Data/Profile *",
        ],
        &[
            "Users/*/Library/Application Support/*/Default",
            "Users/*/Library/Application Support/*/Profile *",
        ],
    ),
    own(
        Place::ChromiumCache,
        "profile.chromium.cache",
        &["home/*/.cache/*/Default", "home/*/.cache/*/Profile *"],
        &[],
        &[
            "Users/*/Library/Caches/*/Default",
            "Users/*/Library/Caches/*/Profile *",
        ],
    ),
    own(
        Place::GeckoProfile,
        "profile.gecko",
        &["home/*/.config/*/profiles/*"],
        &[
            "Users/*/AppData/Roaming/*/Profiles/*",
            "Users/*/AppData/Roaming/*/*/Profiles/*",
        ],
        &["Users/*/Library/Application Support/*/Profiles/*"],
    ),
    own(
        Place::GeckoCache,
        "profile.gecko.cache",
        &["home/*/.cache/*/profiles/*"],
        &[
            "Users/*/AppData/Local/*/Profiles/*",
            "Users/*/AppData/Local/*/*/Profiles/*",
        ],
        &["Users/*/Library/Caches/*/Profiles/*"],
    ),
];

impl Place {
    /// The names of all places, for messages.
    pub fn names() -> impl Iterator<Item = &'static str> {
        PLACES.iter().map(|row| row.name)
    }

    /// The place that a rulebook writes so, without the braces.
    pub fn by_name(name: &str) -> Option<Self> {
        PLACES
            .iter()
            .find(|row| row.name == name)
            .map(|row| row.place)
    }

    /// How a rulebook writes it, without the braces.
    pub fn name(self) -> &'static str {
        self.row().map_or("", |row| row.name)
    }

    /// Whether each account has its own.
    pub fn is_per_account(self) -> bool {
        self.row().is_some_and(|row| row.per_account)
    }

    /// Where it usually lies on a layout, as patterns of parts.
    pub fn usual(self, layout: Layout) -> &'static [&'static str] {
        self.row().map_or(&[], |row| match layout {
            Layout::Linux => row.linux,
            Layout::Windows => row.windows,
            Layout::Macos => row.macos,
        })
    }

    /// Every place but the browsers', which are found by what is in them.
    pub(crate) fn by_path() -> impl Iterator<Item = Self> {
        use Place::{ChromiumCache, ChromiumProfile, GeckoCache, GeckoProfile};
        let is_browser = |place: &Self| {
            matches!(
                place,
                ChromiumProfile | ChromiumCache | GeckoProfile | GeckoCache
            )
        };
        PLACES
            .iter()
            .map(|row| row.place)
            .filter(move |place| !is_browser(place))
    }

    fn row(self) -> Option<&'static Row> {
        PLACES.iter().find(|row| row.place == self)
    }
}

/// Where the places of one target really lie.
#[derive(Clone, Debug, Default, PartialEq, Eq)]
pub struct Places {
    /// How names compare on their target.
    pub layout: Layout,
    found: BTreeMap<Place, Vec<Lies>>,
    of_account: HashMap<(Place, Option<usize>), Vec<TargetPath>>,
    known: HashSet<(Place, Lies)>,
    /// Documents, pictures, music, videos and desktop of every account: guarded.
    pub personal: Personal,
}

/// Where a place lies: whose it is, by position in the target's list of accounts, and its path.
type Lies = (Option<usize>, TargetPath);

impl Places {
    /// No places yet, of a target of this layout.
    pub fn of_layout(layout: Layout) -> Self {
        Self {
            layout,
            personal: Personal::of_layout(layout),
            ..Self::default()
        }
    }

    /// Notes that a place lies here.
    pub fn add(&mut self, place: Place, account: Option<usize>, path: TargetPath) {
        let lies = (account, path);
        if self.known.insert((place, lies.clone())) {
            let own = self.of_account.entry((place, lies.0)).or_default();
            own.push(lies.1.clone());
            self.found.entry(place).or_default().push(lies);
        }
    }

    /// Where a place lies: the account's position, and the path; none, one or several.
    pub fn of(&self, place: Place) -> impl Iterator<Item = (Option<usize>, &TargetPath)> {
        let found = self.found.get(&place).into_iter().flatten();
        found.map(|(account, path)| (*account, path))
    }

    /// Where a place of one account lies, or one of the system.
    pub fn of_account(&self, place: Place, account: Option<usize>) -> &[TargetPath] {
        let own = self.of_account.get(&(place, account));
        own.map_or(&[], Vec::as_slice)
    }

    /// Every folder that is a place: its own root is never taken.
    pub fn roots(&self) -> impl Iterator<Item = &TargetPath> {
        self.found.values().flatten().map(|(_, path)| path)
    }
}
