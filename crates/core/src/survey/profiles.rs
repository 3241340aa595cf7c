//! The browser profiles of a target.

use std::ffi::CStr;

use crate::computer::{Place, Target, TargetPath};
use crate::format::{Family, Printable};

/// A browser profile.
#[derive(Clone, Debug, PartialEq, Eq)]
pub struct Profile {
    /// Where it lies.
    pub path: TargetPath,
    /// Whose it is, by position in the target's accounts.
    pub account: Option<usize>,
    /// Its browser's family.
    pub family: Family,
}

impl Profile {
    /// What people see of it: its folder, and the one that tells profiles of one browser from others.
    pub fn name(&self) -> String {
        let name = |path: &TargetPath| Printable(path.name()).to_string();
        match self.family {
            Family::Gecko => name(&self.path),
            Family::Chromium => match self.path.parent() {
                Some(above) => format!("{}/{}", name(&above), name(&self.path)),
                None => name(&self.path),
            },
        }
    }

    /// Where its caches lie when they are not in the profile.
    pub(crate) fn cache_place(&self) -> Place {
        match self.family {
            Family::Chromium => Place::ChromiumCache,
            Family::Gecko => Place::GeckoCache,
        }
    }

    /// The file in it that holds bookmarks.
    pub(crate) fn bookmarks(&self) -> &'static CStr {
        match self.family {
            Family::Chromium => c"Bookmarks",
            Family::Gecko => c"places.sqlite",
        }
    }

    /// The files in it that hold saved passwords, and what opens them.
    pub(crate) fn login_stores(&self) -> &'static [&'static CStr] {
        match self.family {
            Family::Chromium => &[
                c"Login Data",
                c"Login Data-wal",
                c"Login Data For Account",
                c"Login Data For Account-wal",
            ],
            Family::Gecko => &[
                c"logins.json",
                c"logins.db",
                c"logins.db-wal",
                c"key4.db",
                c"key4.db-wal",
            ],
        }
    }

    /// What is copied before rows of it go, each with the most bytes that one has: a longer one is none.
    pub(crate) fn copied(&self) -> impl Iterator<Item = (&'static CStr, u64)> {
        let stores = self.login_stores().iter();
        let stores = stores.map(|name| (*name, MOST_LOGINS));
        stores.chain([(self.bookmarks(), MOST_BOOKMARKS)])
    }
}

/// Real stores of saved passwords have some hundred thousand bytes; a place for bookmarks, which may be shared with a whole
/// history, some ten million.
const MOST_LOGINS: u64 = 64 << 20;
const MOST_BOOKMARKS: u64 = 512 << 20;

/// All profiles of a target, one family after the other.
pub fn profiles(target: &Target) -> impl Iterator<Item = Profile> + '_ {
    let families = [
        (Place::ChromiumProfile, Family::Chromium),
        (Place::GeckoProfile, Family::Gecko),
    ];
    families.into_iter().flat_map(move |(place, family)| {
        let own = target.places.of(place);
        own.map(move |(account, path)| Profile {
            path: path.clone(),
            account,
            family,
        })
    })
}

/// The profile that something lies in: the innermost, for some of a family keep one beside others.
pub(crate) fn profile_of(target: &Target, path: &TargetPath) -> Option<Profile> {
    let holding = profiles(target).filter(|profile| path.below(&profile.path).is_some());
    holding.max_by_key(|profile| profile.path.as_bytes().len())
}
