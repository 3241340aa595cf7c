//! What was added to browsers: each extension of each profile, what it may do, and where it came from. It is seen, never
//! removed: what a browser believes to have and what lies in its profile must agree.
//!
//! `chromium` and `gecko` read what each family notes of them, `permissions` says in plain words what one may do. Parts of
//! the browser itself, which are extensions as well, are left out.

mod chromium;
mod gecko;
mod permissions;

use jiff::Timestamp;
use serde::Serialize;

use crate::cancel::CancelToken;
use crate::computer::{Target, TargetPath};
use crate::survey::{Profile, profiles};

/// Longer files are no notes of a browser, in bytes.
const MOST_NOTES: u64 = 32 << 20;

/// More of them in one profile are not looked at: real ones have some dozens, and parts of the browser count, too.
const MOST_EXTENSIONS: usize = 1000;

/// Where an extension came from.
#[derive(Clone, Copy, Debug, PartialEq, Eq, Serialize)]
#[serde(rename_all = "kebab-case")]
pub enum Origin {
    /// Its browser's own store.
    Store,
    /// A folder or file from elsewhere.
    SideLoaded,
    /// Another program put it there.
    Program,
    /// Whoever administers the computer prescribes it.
    Policy,
    /// The browser's notes don't say.
    Unknown,
}

impl Origin {
    /// In words.
    pub fn words(self) -> &'static str {
        match self {
            Self::Store => "from its store",
            Self::SideLoaded => "side-loaded",
            Self::Program => "put there by another program",
            Self::Policy => "prescribed by a policy",
            Self::Unknown => "nothing says from where",
        }
    }
}

/// One extension of a profile.
#[derive(Clone, Debug, PartialEq, Eq)]
pub struct Extension {
    /// What its browser knows it by.
    pub id: String,
    /// What it calls itself.
    pub name: String,
    /// Its version.
    pub version: String,
    /// The profile that it is in.
    pub profile: Profile,
    /// Whether it is on.
    pub is_on: bool,
    /// Where it came from.
    pub origin: Origin,
    /// What it may do, in plain words; what matters most comes first.
    pub may: Vec<String>,
    /// Bytes of the program, where it lies in the profile.
    pub program: u64,
    /// Bytes that it keeps.
    pub storage: u64,
    /// When it was changed last.
    pub changed: Option<Timestamp>,
}

/// The extensions of all profiles; what is known so far when it is cancelled. What couldn't be read is told by path.
pub fn extensions(
    target: &Target,
    cancel: &CancelToken,
) -> (Vec<Extension>, Vec<(TargetPath, String)>) {
    let (mut found, mut unread) = (Vec::new(), Vec::new());
    for profile in profiles(target) {
        if cancel.is_cancelled() {
            break;
        }
        let disk = &**target.disk();
        let Ok(folder) = disk.open_folder(target.root(), profile.path.as_bytes()) else {
            continue;
        };
        let place = (disk, &folder);
        let read = match profile.family {
            crate::format::Family::Chromium => chromium::read(target, place, &profile),
            crate::format::Family::Gecko => gecko::read(target, place, &profile),
        };
        match read {
            Ok(mut own) => {
                own.sort_by(|one, other| (&one.name, &one.id).cmp(&(&other.name, &other.id)));
                found.extend(own);
            }
            Err(why) => unread.push((profile.path, why)),
        }
    }
    (found, unread)
}

/// A time in microseconds since a moment that lies so many seconds before 1970.
fn time(microseconds: i64, before_1970: i64) -> Option<Timestamp> {
    let seconds = (microseconds / 1_000_000).checked_sub(before_1970)?;
    Timestamp::from_second(seconds).ok().filter(|_| seconds > 0)
}
