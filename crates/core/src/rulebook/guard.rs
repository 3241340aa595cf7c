//! Guards: what no rule can take, whatever it says.
//!
//! This is the first of two looks; the second, in [`crate::sweep`], is other code on purpose.

use crate::rulebook::{Class, Rule, pattern};
use crate::target::{Place, Places, TargetPath};

/// Why something is never taken.
#[derive(Clone, Copy, Debug, PartialEq, Eq, Hash)]
pub enum Guard {
    /// Programs and libraries of the system, and what they keep.
    System,
    /// Passwords, keys, certificates, form entries, bookmarks, settings of a profile.
    Secret,
    /// Mail.
    Mail,
    /// Documents, pictures, music, videos, desktop.
    Personal,
    /// The root of a place, a home, or a folder on the way to one.
    Root,
    /// This program's own files.
    Own,
}

impl Guard {
    /// The reason in words.
    pub fn words(self) -> &'static str {
        match self {
            Self::System => "it belongs to the system",
            Self::Secret => "it may hold passwords, keys, bookmarks or settings",
            Self::Mail => "it is mail",
            Self::Personal => "it is in somebody's own folder",
            Self::Root => "it is the root of a place",
            Self::Own => "it belongs to this program",
        }
    }
}

/// Folders of the system, from the root.
const SYSTEM: &[&str] = &[
    "bin",
    "sbin",
    "lib",
    "lib32",
    "lib64",
    "libx32",
    "boot",
    "dev",
    "etc",
    "proc",
    "sys",
    "run",
    "usr",
    "opt",
    "nix",
    "srv",
    "snap",
    "gnu",
    "var/run",
    "var/lock",
    "var/lib",
    "var/spool/cron",
    "var/spool/at",
    "var/backups",
    "efi",
    "recovery",
];

/// What lies in a folder of the system and yet is nobody's program.
const SYSTEM_BUT: &[&str] = &["var/lib/systemd/coredump", "var/lib/systemd/pstore"];

/// Folders, by name anywhere, that hold secrets.
const SECRET_FOLDERS: &[&str] = &[
    ".ssh",
    ".gnupg",
    ".pki",
    ".cert",
    "keyrings",
    ".password-store",
    "bookmarkbackups",
    ".aws",
];

/// Folders, by name anywhere, that hold mail.
const MAIL_FOLDERS: &[&str] = &["mail", "maildir", "imapmail", ".mail"];

/// Files, by name anywhere in small letters, that hold secrets, bookmarks, form entries or the
/// settings of a browser profile; with the side files that databases keep beside them.
const SECRET_FILES: &[&str] = &[
    "login data",
    "login data for account",
    "web data",
    "account web data",
    "bookmarks",
    "bookmarks.bak",
    "accountbookmarks",
    "encryptedbookmarks2",
    "preferences",
    "secure preferences",
    "local state",
    "logins.json",
    "logins-backup.json",
    "logins.db",
    "key3.db",
    "key4.db",
    "cert8.db",
    "cert9.db",
    "pkcs11.txt",
    "signons.sqlite",
    "places.sqlite",
    "formhistory.sqlite",
    "permissions.sqlite",
    "content-prefs.sqlite",
    "prefs.js",
    "user.js",
    "profiles.ini",
    "installs.ini",
    "handlers.json",
    "containers.json",
    "extensions.json",
    "search.json.mozlz4",
    "addonstartup.json.lz4",
    ".netrc",
    ".pgpass",
    "wallet.dat",
    "id_rsa",
    "id_dsa",
    "id_ecdsa",
    "id_ed25519",
    "authorized_keys",
    "known_hosts",
    "user-dirs.dirs",
    ".otter-quay.toml",
];

/// Endings of secrets.
const SECRET_ENDINGS: &[&str] = &[
    ".keyring",
    ".kdbx",
    ".key",
    ".pem",
    ".p12",
    ".pfx",
    ".crt",
    ".jks",
    ".gpg",
    ".asc",
    ".ovpn",
    ".keystore",
];

/// Endings of mail.
const MAIL_ENDINGS: &[&str] = &[".mbox", ".eml", ".msf", ".pst", ".ost"];

/// What one target's guards stand before.
#[derive(Clone, Debug, Default)]
pub struct Guards {
    personal: Vec<TargetPath>,
    roots: Vec<TargetPath>,
    own: Vec<TargetPath>,
}

impl Guards {
    /// The guards of a target with these places. `own` are this program's files on it.
    pub fn new(places: &Places, own: Vec<TargetPath>) -> Self {
        let mut roots: Vec<TargetPath> = places.roots().cloned().collect();
        roots.extend(places.personal.iter().cloned());
        Self {
            personal: places.personal.clone(),
            roots,
            own,
        }
    }

    /// Adds a folder that a rule looks in: itself and the way to it stay.
    pub fn add_root(&mut self, root: TargetPath) {
        if !self.roots.contains(&root) {
            self.roots.push(root);
        }
    }

    /// Whether everything below this folder is guarded for a rule of `class` that looks in
    /// `within`.
    pub fn folder(&self, folder: &TargetPath, class: Class, within: &TargetPath) -> Option<Guard> {
        if self.own.iter().any(|own| folder.below(own).is_some()) {
            return Some(Guard::Own);
        }
        let names = |class| class == Class::Ask;
        let personal = self
            .personal
            .iter()
            .filter(|own| folder.below(own).is_some());
        if personal.clone().next().is_some()
            && !(names(class) && personal.clone().all(|own| within.below(own).is_some()))
        {
            return Some(Guard::Personal);
        }
        guarded_folder(folder)
    }

    /// Whether this file or link is guarded by its own name; its folders are asked apart.
    pub fn file(&self, path: &TargetPath) -> Option<Guard> {
        if self.own.contains(path) {
            return Some(Guard::Own);
        }
        guarded_name(path.name()).or_else(|| self.root(path))
    }

    /// Whether this is the root of a place or on the way to one.
    pub fn root(&self, path: &TargetPath) -> Option<Guard> {
        self.roots
            .iter()
            .any(|root| root.below(path).is_some())
            .then_some(Guard::Root)
    }

    /// Everything at once, for a single path.
    pub fn path(&self, path: &TargetPath, class: Class, within: &TargetPath) -> Option<Guard> {
        let folder = path.parent().unwrap_or_default();
        self.folder(&folder, class, within)
            .or_else(|| self.file(path))
    }
}

/// Whether a folder lies in the system, or in one that holds secrets or mail.
fn guarded_folder(folder: &TargetPath) -> Option<Guard> {
    let is_below = |list: &[&str]| {
        list.iter()
            .any(|root| TargetPath::new(*root).is_ok_and(|root| folder.below(&root).is_some()))
    };
    if is_below(SYSTEM) && !is_below(SYSTEM_BUT) {
        return Some(Guard::System);
    }
    folder.parts().find_map(guarded_folder_name)
}

fn guarded_folder_name(name: &[u8]) -> Option<Guard> {
    let small = name.to_ascii_lowercase();
    let is_in = |list: &[&str]| list.iter().any(|known| known.as_bytes() == small);
    if is_in(SECRET_FOLDERS) {
        Some(Guard::Secret)
    } else if is_in(MAIL_FOLDERS) {
        Some(Guard::Mail)
    } else {
        None
    }
}

fn guarded_name(name: &[u8]) -> Option<Guard> {
    let small = name.to_ascii_lowercase();
    let beside = [&b"-wal"[..], b"-shm", b"-journal"];
    let main = beside
        .iter()
        .find_map(|end| small.strip_suffix(*end))
        .unwrap_or(&small);
    let ends = |list: &[&str]| list.iter().any(|end| main.ends_with(end.as_bytes()));
    if SECRET_FILES.iter().any(|known| known.as_bytes() == main) || ends(SECRET_ENDINGS) {
        Some(Guard::Secret)
    } else if ends(MAIL_ENDINGS) {
        Some(Guard::Mail)
    } else {
        guarded_folder_name(name)
    }
}

/// The folders of a home that are personal by their usual names.
const PERSONAL: [&str; 5] = ["Documents", "Pictures", "Music", "Videos", "Desktop"];

/// Whether whatever the rule could match is guarded, tried on samples of its patterns; says by
/// which guard.
pub(super) fn could_only_hit_guarded(rule: &Rule) -> Option<&'static str> {
    let everything = ["sample".to_owned(), "sample/sample".to_owned()];
    let takes: Vec<String> = match &rule.take[..] {
        [] => everything.to_vec(),
        some => some
            .iter()
            .flat_map(|take| pattern::samples(take))
            .collect(),
    };
    let mut reason = None;
    for within in &rule.within {
        for usual in within.place.usual() {
            let base = std::iter::once((*usual).to_owned()).chain(within.below.iter().cloned());
            let base: Vec<String> = base.filter(|part| !part.is_empty()).collect();
            for base in pattern::samples(&base.join("/")) {
                for take in &takes {
                    let path = if base.is_empty() {
                        take.clone()
                    } else {
                        format!("{base}/{take}")
                    };
                    let path = TargetPath::new(path).ok()?;
                    reason = Some(guarded_usually(&path, rule.class, within.place)?);
                }
            }
        }
    }
    reason.map(Guard::words)
}

/// Whether a sample is guarded on any computer with the usual folders.
fn guarded_usually(path: &TargetPath, class: Class, place: Place) -> Option<Guard> {
    let folder = path.parent().unwrap_or_default();
    let mut parts = path.parts();
    let is_home = match parts.next() {
        Some(b"home") => parts.next().is_some(),
        Some(b"root") => true,
        _ => false,
    };
    let is_personal = is_home
        && parts
            .next()
            .is_some_and(|name| PERSONAL.iter().any(|own| own.as_bytes() == name));
    if is_personal && class != Class::Ask && place != Place::Downloads {
        return Some(Guard::Personal);
    }
    guarded_folder(&folder).or_else(|| guarded_name(path.name()))
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn the_promises_hold_whatever_the_case_of_a_name() {
        for path in [
            "home/pia/.ssh/id_x",
            "home/pia/.SSH/x",
            "usr/share/x",
            "home/pia/.config/x/Login Data",
            "tmp/LOGINS.JSON",
            "tmp/places.sqlite-wal",
            "var/tmp/site.pem",
            "tmp/Mail/x",
            "home/pia/.cache/a.keyring",
            "etc/x",
            "var/lib/x/y",
            "tmp/letter.eml",
        ] {
            let path = TargetPath::new(path).unwrap();
            let guard = Guards::default().path(&path, Class::Ask, &TargetPath::root());
            assert!(guard.is_some(), "{path}");
        }
        for path in [
            "tmp/x",
            "home/pia/.cache/x/data_0",
            "var/lib/systemd/coredump/core.x",
        ] {
            let path = TargetPath::new(path).unwrap();
            assert_eq!(
                Guards::default().path(&path, Class::Spent, &TargetPath::root()),
                None
            );
        }
    }
}
