//! Lists of which program opens what.

use std::collections::HashSet;

use crate::computer::{Presence, Target, TargetPath, presence};
use crate::format::program_records::mime_apps::{MimeApps, Opener};
use crate::source::holder::address::key_name;
use crate::source::holder::{Fingerprint, Holder, HolderError, HolderItem, Refused};
use crate::source::recognise::shown;
use crate::source::{Candidate, Finding, Reason};

/// A list of openers.
pub(crate) struct Openers {
    list: MimeApps,
    known: Vec<Opener>,
    items: Vec<HolderItem>,
    odd: u64,
}

impl Openers {
    /// Reads one; `time` is when its file was changed, since nothing in it has a date.
    ///
    /// # Errors
    /// When it is no such list.
    pub(crate) fn read(bytes: &[u8], time: i64) -> Result<Self, HolderError> {
        let list = MimeApps::read(bytes).ok_or(HolderError::NoList)?;
        let (all, mut odd) = list.openers();
        let (mut known, mut items) = (Vec::new(), Vec::new());
        for opener in all {
            let name = format!("{} {} {}", opener.group, opener.kind, opener.entry);
            let Some(name) = key_name(&name) else {
                odd += 1;
                continue;
            };
            items.push(HolderItem {
                name: name.into_bytes(),
                time: Some(time),
                size: opener.entry.len() as u64 + 1,
                fingerprint: Fingerprint::of(opener.exported().as_bytes()),
                leads_to: vec![opener.entry.clone().into_bytes()],
                set: None,
                reference: None,
            });
            known.push(opener);
        }
        Ok(Self {
            list,
            known,
            items,
            odd,
        })
    }

    fn proven(text: String, wanted: &HashSet<Fingerprint>) -> Result<Vec<u8>, HolderError> {
        let again = Self::read(text.as_bytes(), 0)?;
        let has: HashSet<Fingerprint> = again.items.iter().map(|item| item.fingerprint).collect();
        if has == *wanted {
            Ok(text.into_bytes())
        } else {
            Err(HolderError::NotAsMeant)
        }
    }
}

impl Holder for Openers {
    fn items(&self) -> &[HolderItem] {
        &self.items
    }

    fn unreadable(&self) -> u64 {
        self.odd
    }

    fn export(&mut self, at: usize) -> Result<Vec<u8>, HolderError> {
        let opener = self.known.get(at).ok_or(HolderError::NotAsMeant)?;
        Ok(opener.exported().into_bytes())
    }

    fn fingerprint_of(&self, exported: &[u8]) -> Option<Fingerprint> {
        Some(Fingerprint::of(exported))
    }

    fn without(&mut self, gone: &HashSet<Fingerprint>) -> Result<Vec<u8>, HolderError> {
        let is_out =
            |opener: &Opener| gone.contains(&Fingerprint::of(opener.exported().as_bytes()));
        let kept = self.items.iter().map(|item| item.fingerprint);
        let kept: HashSet<Fingerprint> = kept.filter(|one| !gone.contains(one)).collect();
        Self::proven(self.list.without(&is_out), &kept)
    }

    fn with(&mut self, exported: &[Vec<u8>]) -> Result<(Vec<u8>, Refused), HolderError> {
        let mut wanted: HashSet<Fingerprint> =
            self.items.iter().map(|item| item.fingerprint).collect();
        let mut more = Vec::new();
        for bytes in exported {
            let list = MimeApps::read(bytes).ok_or(HolderError::NotAsMeant)?;
            more.extend(list.openers().0);
            wanted.insert(Fingerprint::of(bytes));
        }
        Ok((
            Self::proven(self.list.with(&more), &wanted)?,
            Refused::new(),
        ))
    }
}

/// Where desktop entries lie, below the root and below a home.
const SYSTEM: [&str; 5] = [
    "usr/share/applications",
    "usr/local/share/applications",
    "var/lib/flatpak/exports/share/applications",
    "var/lib/snapd/desktop/applications",
    "usr/share/kde4/applications",
];
const OWN: [&str; 2] = [
    ".local/share/applications",
    ".local/share/flatpak/exports/share/applications",
];

/// Where systems lie that keep programs in places of their own: there nobody can say what is gone.
const STORES: [&str; 3] = ["nix", "gnu", "home/linuxbrew"];

/// Dashes of a name at most that may stand for a folder.
const DASHES: usize = 6;

/// Whether the desktop entry of an opener is surely nowhere.
pub(crate) fn look(target: &Target, candidate: &Candidate<'_>) -> Finding {
    let Some(entry) = candidate.entry else {
        return Finding::Is(Reason::EachEntry);
    };
    let root = TargetPath::root();
    let is = |path: &str, wanted: Presence| presence(target, &root, path.as_bytes()) == wanted;
    let account = candidate
        .search
        .account
        .and_then(|at| target.accounts.get(at));
    let (Some(account), Some(name)) = (account, entry.leads_to.first()) else {
        return Finding::Not;
    };
    // A volume that isn't mounted has its folder here, and nothing in it.
    let is_known = is("/usr/share/applications", Presence::There)
        && STORES
            .iter()
            .all(|store| is(&format!("/{store}"), Presence::Gone));
    if !is_known {
        return Finding::Not;
    }
    let own = OWN
        .iter()
        .filter_map(|below| account.home.join(below.as_bytes()).ok());
    let system = SYSTEM
        .iter()
        .filter_map(|folder| TargetPath::new(*folder).ok());
    let is_gone = own.chain(system).all(|folder| {
        let mut names = names_of(name).into_iter();
        names.all(|name| presence(target, &folder, &name) == Presence::Gone)
    });
    if is_gone {
        Finding::Is(Reason::NamesGone(shown(name)))
    } else {
        Finding::Not
    }
}

/// The paths that a name of a desktop entry may stand for: each dash may be the end of a folder's name.
fn names_of(name: &[u8]) -> Vec<Vec<u8>> {
    let mut names = vec![name.to_vec()];
    let dashes = name.iter().enumerate().filter(|(_, byte)| **byte == b'-');
    for (at, _) in dashes.take(DASHES) {
        for known in names.clone() {
            let mut path = known;
            if let Some(byte) = path.get_mut(at) {
                *byte = b'/';
            }
            names.push(path);
        }
    }
    names
}
