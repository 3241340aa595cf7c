//! What is in a home: by sort and age, the biggest first, with what nobody may lose named.

use std::collections::BTreeMap;

use jolly_disk::Kind;

use crate::cancel::CancelToken;
use crate::computer::{Account, Target, TargetPath};
use crate::packing::PackError;
use crate::packing::tree::{TreeRoot, Unfit, look};
use crate::rule::{Guard, guarded_folder_name};
use crate::survey::FileSort;

/// What files of a home are.
#[derive(Clone, Copy, Debug, PartialEq, Eq, PartialOrd, Ord)]
pub enum HomeSort {
    /// Keys, passwords and certificates.
    Secret,
    /// Mail.
    Mail,
    /// What programs keep in hidden folders: settings, and what they fetched.
    Programs,
    /// By their names.
    Files(FileSort),
}

impl HomeSort {
    /// Files of this sort, in words.
    pub fn plural(self) -> &'static str {
        match self {
            Self::Secret => "keys and passwords",
            Self::Mail => "mail",
            Self::Programs => "settings and caches",
            Self::Files(sort) => sort.plural(),
        }
    }
}

/// Some of what is in a home, added up.
#[derive(Clone, Copy, Debug, Default, PartialEq, Eq)]
pub struct HomeSum {
    /// How many files.
    pub files: u64,
    /// Their lengths, in bytes.
    pub bytes: u64,
    /// The last change of any of them, seconds since 1970.
    pub changed: i64,
}

impl HomeSum {
    fn add(&mut self, bytes: u64, changed: i64) {
        self.changed = if self.files == 0 {
            changed
        } else {
            self.changed.max(changed)
        };
        self.files += 1;
        self.bytes = self.bytes.saturating_add(bytes);
    }
}

/// What is in a home.
#[derive(Clone, Debug, Default, PartialEq, Eq)]
pub struct HomeContents {
    /// All of it.
    pub whole: HomeSum,
    /// By sort, the biggest first.
    pub sorts: Vec<(HomeSort, HomeSum)>,
    /// By what lies right in it, the biggest first.
    pub folders: Vec<(TargetPath, HomeSum)>,
    /// Where keys and passwords, and mail, lie.
    pub guarded: Vec<TargetPath>,
    /// What couldn't be read, in words.
    pub unread: Vec<String>,
}

/// Looks at all that is in the home of an account.
///
/// # Errors
/// When it can't be looked at, or all is to stop.
pub fn home_contents(
    target: &Target,
    account: &Account,
    cancel: &CancelToken,
) -> Result<HomeContents, PackError> {
    let disk = &**target.disk();
    let failed = |source| PackError::Disk {
        path: account.home.to_string(),
        verb: "opened",
        source,
    };
    let folder = disk.open_folder(target.root(), account.home.folder_bytes());
    let folder = folder.map_err(failed)?;
    let place = TreeRoot {
        disk,
        folder: &folder,
        name: account.home.as_name(),
    };
    let mut left = Vec::new();
    let tree = look(place, &mut Unfit::LeftOut(&mut left), cancel)?;
    let mut found = HomeContents {
        unread: left.iter().map(|error| crate::error_chain(error)).collect(),
        ..HomeContents::default()
    };
    let mut sorts: BTreeMap<HomeSort, HomeSum> = BTreeMap::new();
    let mut folders: BTreeMap<Vec<u8>, HomeSum> = BTreeMap::new();
    for thing in tree.things.iter().skip(1) {
        let guard = guard_of(&thing.below);
        if let (Some(_), true) = (guard, is_topmost_guarded(&thing.below))
            && let Ok(path) = account.home.join(&thing.below)
        {
            found.guarded.push(path);
        }
        if thing.stat.kind != Kind::File {
            continue;
        }
        let (bytes, changed) = (thing.stat.size, thing.stat.modified.seconds);
        let sort = guard.unwrap_or_else(|| sort_of(&thing.below));
        found.whole.add(bytes, changed);
        sorts.entry(sort).or_default().add(bytes, changed);
        let first = thing.below.split(|byte| *byte == b'/').next();
        let own = folders
            .entry(first.unwrap_or_default().to_vec())
            .or_default();
        own.add(bytes, changed);
    }
    found.sorts = sorts.into_iter().collect();
    found
        .sorts
        .sort_by_key(|(_, sum)| std::cmp::Reverse(sum.bytes));
    let path = |(name, sum): (Vec<u8>, HomeSum)| Some((account.home.join(&name).ok()?, sum));
    found.folders = folders.into_iter().filter_map(path).collect();
    found
        .folders
        .sort_by_key(|(_, sum)| std::cmp::Reverse(sum.bytes));
    Ok(found)
}

/// What stands before something by the name of itself or a folder that it lies in.
fn guard_of(below: &[u8]) -> Option<HomeSort> {
    below.split(|byte| *byte == b'/').find_map(guarded)
}

fn guarded(part: &[u8]) -> Option<HomeSort> {
    match guarded_folder_name(part)? {
        Guard::Secret => Some(HomeSort::Secret),
        Guard::Mail => Some(HomeSort::Mail),
        _ => None,
    }
}

/// Whether its own name says so, and none above it does.
fn is_topmost_guarded(below: &[u8]) -> bool {
    let mut parts: Vec<&[u8]> = below.split(|byte| *byte == b'/').collect();
    let own = parts.pop().unwrap_or_default();
    guarded(own).is_some() && parts.into_iter().all(|part| guarded(part).is_none())
}

fn sort_of(below: &[u8]) -> HomeSort {
    let name = below
        .rsplit(|byte| *byte == b'/')
        .next()
        .unwrap_or_default();
    if below.starts_with(b".") || below.to_ascii_lowercase().starts_with(b"appdata/") {
        HomeSort::Programs
    } else {
        HomeSort::Files(FileSort::of(name).0)
    }
}
