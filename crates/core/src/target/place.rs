//! Places: the named folders of a layout.

use crate::target::TargetPath;

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
    /// Where it usually lies, part by part, `*` for any run of characters: what a rule's examples
    /// are held against, since they have no disk behind them.
    usual: &'static [&'static str],
}

const fn row(
    place: Place,
    name: &'static str,
    per_account: bool,
    usual: &'static [&'static str],
) -> Row {
    Row {
        place,
        name,
        per_account,
        usual,
    }
}

/// Every place, its name and where it usually lies on a linux layout (Filesystem Hierarchy
/// Standard, XDG base directories, open trash specification).
const PLACES: &[Row] = &[
    row(Place::Root, "root", false, &[""]),
    row(Place::Home, "home", true, &["home/*", "root"]),
    row(Place::Temp, "temp", false, &["tmp", "var/tmp"]),
    row(
        Place::AccountTemp,
        "account.temp",
        true,
        &["home/*/tmp", "home/*/.tmp", "root/tmp"],
    ),
    row(
        Place::Cache,
        "cache",
        true,
        &["home/*/.cache", "root/.cache"],
    ),
    row(
        Place::Config,
        "config",
        true,
        &["home/*/.config", "root/.config"],
    ),
    row(
        Place::Data,
        "data",
        true,
        &["home/*/.local/share", "root/.local/share"],
    ),
    row(
        Place::State,
        "state",
        true,
        &["home/*/.local/state", "root/.local/state"],
    ),
    row(
        Place::Downloads,
        "downloads",
        true,
        &["home/*/Downloads", "root/Downloads"],
    ),
    row(
        Place::Desktop,
        "desktop",
        true,
        &["home/*/Desktop", "root/Desktop"],
    ),
    row(
        Place::Trash,
        "trash",
        true,
        &[
            "home/*/.local/share/Trash",
            "root/.local/share/Trash",
            ".Trash/*",
            ".Trash-*",
        ],
    ),
    row(Place::Logs, "logs", false, &["var/log"]),
    row(Place::Programs, "programs", false, &["usr", "opt"]),
    row(
        Place::ChromiumProfile,
        "profile.chromium",
        true,
        &["home/*/.config/*/Default", "home/*/.config/*/Profile *"],
    ),
    row(
        Place::ChromiumCache,
        "profile.chromium.cache",
        true,
        &["home/*/.cache/*/Default", "home/*/.cache/*/Profile *"],
    ),
    row(
        Place::GeckoProfile,
        "profile.gecko",
        true,
        &["home/*/.config/*/profiles/*"],
    ),
    row(
        Place::GeckoCache,
        "profile.gecko.cache",
        true,
        &["home/*/.cache/*/profiles/*"],
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

    /// Where it usually lies on a linux layout, as patterns of parts.
    pub fn usual(self) -> &'static [&'static str] {
        self.row().map_or(&[], |row| row.usual)
    }

    fn row(self) -> Option<&'static Row> {
        PLACES.iter().find(|row| row.place == self)
    }
}

/// Where the places of one target really lie.
#[derive(Clone, Debug, Default, PartialEq, Eq)]
pub struct Places {
    found: Vec<Found>,
    /// Documents, pictures, music, videos and desktop of every account: guarded.
    pub personal: Vec<TargetPath>,
}

#[derive(Clone, Debug, PartialEq, Eq)]
struct Found {
    place: Place,
    /// Position in the target's list of accounts.
    account: Option<usize>,
    path: TargetPath,
}

impl Places {
    /// Notes that a place lies here.
    pub fn add(&mut self, place: Place, account: Option<usize>, path: TargetPath) {
        let found = Found {
            place,
            account,
            path,
        };
        if !self.found.contains(&found) {
            self.found.push(found);
        }
    }

    /// Where a place lies: the account's position, and the path; none, one or several.
    pub fn of(&self, place: Place) -> impl Iterator<Item = (Option<usize>, &TargetPath)> {
        self.found
            .iter()
            .filter(move |found| found.place == place)
            .map(|f| (f.account, &f.path))
    }

    /// Every folder that is a place: its own root is never taken.
    pub fn roots(&self) -> impl Iterator<Item = &TargetPath> {
        self.found.iter().map(|found| &found.path)
    }
}
