//! The second look of the guards, right before something is removed.
//!
//! On purpose this shares no code and no table with [`crate::rulebook::Guards`]: it reads the path
//! as one text in small letters, so that a slip in the first look is not repeated here.

use crate::rulebook::{Class, Detect, Rule};
use crate::target::{Layout, Target, TargetPath};

const SECRET: &str = "it may hold passwords, keys, bookmarks or settings";
const MAIL: &str = "it is mail";
const OWN: &str = "it belongs to this program";

/// The second look, which remembers what it found out of the folder it looked in last.
pub(super) struct LastGuard<'a> {
    target: &'a Target,
    own: &'a [TargetPath],
    near: Option<Near>,
}

/// What holds for everything right in one folder.
struct Near {
    folder: Vec<u8>,
    /// Its path in small letters, with a slash at both ends; a name is put behind it.
    text: String,
    /// How much of that is the folder's.
    len: usize,
    /// Whether it may belong to the system; the name and the rule decide.
    may_be_systems: bool,
    /// Why everything in it is refused, where that doesn't hang on the rule.
    refused: Option<&'static str>,
    /// Whether it is, or lies in, somebody's own folder.
    is_personal: bool,
    /// Names in it that are somebody's own folder.
    personal: Vec<Vec<u8>>,
    /// Names in it that are this program's.
    own: Vec<Vec<u8>>,
    /// Names in it that are the root of a place or home, or hold one.
    holding: Vec<Vec<u8>>,
}

impl<'a> LastGuard<'a> {
    pub(super) fn new(target: &'a Target, own: &'a [TargetPath]) -> Self {
        Self {
            target,
            own,
            near: None,
        }
    }

    /// Why a path is refused, or nothing.
    pub(super) fn refusal(&mut self, rule: &Rule, path: &TargetPath) -> Option<&'static str> {
        if path.is_root() {
            return Some("it is the root of a place");
        }
        let folder = path.folder_bytes();
        if self.near.as_ref().is_some_and(|near| near.folder != folder) {
            self.near = None;
        }
        let look = || Near::new(self.target, self.own, folder);
        let near = self.near.get_or_insert_with(look);
        near.refusal(self.target.layout, rule, path.name())
    }
}

impl Near {
    fn new(target: &Target, own: &[TargetPath], folder: &[u8]) -> Self {
        let lower = String::from_utf8_lossy(folder).to_lowercase();
        let text = if lower.is_empty() {
            "/".to_owned()
        } else {
            format!("/{lower}/")
        };
        let holds = |parts: &[&str]| parts.iter().any(|part| text.contains(part));
        let personal = &target.places.personal;
        let homes = target.accounts.iter().map(|account| &account.home);
        Self {
            may_be_systems: may_be_systems(target.layout, &text),
            refused: if holds(&SECRET_FOLDERS) {
                Some(SECRET)
            } else if holds(&MAIL_FOLDERS) {
                Some(MAIL)
            } else {
                own.iter().any(|root| is_in(folder, root)).then_some(OWN)
            },
            is_personal: personal.iter().any(|root| is_in(folder, root)),
            personal: personal
                .iter()
                .filter_map(|root| right_in(folder, root))
                .collect(),
            own: own
                .iter()
                .filter_map(|root| right_in(folder, root))
                .collect(),
            holding: target
                .places
                .roots()
                .chain(homes)
                .filter_map(|root| towards(folder, root))
                .collect(),
            folder: folder.to_vec(),
            len: text.len(),
            text,
        }
    }

    fn refusal(&mut self, layout: Layout, rule: &Rule, name: &[u8]) -> Option<&'static str> {
        self.text.truncate(self.len);
        match std::str::from_utf8(name) {
            Ok(name) if name.is_ascii() => {
                self.text.push_str(name);
                if let Some(own) = self.text.get_mut(self.len..) {
                    own.make_ascii_lowercase();
                }
            }
            _ => {
                let small = String::from_utf8_lossy(name).to_lowercase();
                self.text.push_str(&small);
            }
        }
        let is_one = |names: &[Vec<u8>]| names.iter().any(|known| known == name);
        if self.may_be_systems && is_systems(layout, rule, &self.text) {
            return Some("it belongs to the system");
        }
        if let Some(reason) = self.refused {
            return Some(reason);
        }
        if may_be_kept(&self.text) {
            if is_secret(rule, &self.text) {
                return Some(SECRET);
            }
            if is_mail(&self.text) {
                return Some(MAIL);
            }
        }
        let is_personal = self.is_personal || is_one(&self.personal);
        if is_personal && rule.class != Class::Ask {
            return Some("it is in somebody's own folder");
        }
        if is_one(&self.own) {
            return Some(OWN);
        }
        is_one(&self.holding).then_some("it is the root of a place")
    }
}

/// Whether a folder is `root` or lies below it.
fn is_in(folder: &[u8], root: &TargetPath) -> bool {
    let root = root.as_bytes();
    folder
        .strip_prefix(root)
        .is_some_and(|rest| root.is_empty() || rest.is_empty() || rest.starts_with(b"/"))
}

/// The name of `root` where it lies right in a folder.
fn right_in(folder: &[u8], root: &TargetPath) -> Option<Vec<u8>> {
    let is_there = !root.is_root() && root.folder_bytes() == folder;
    is_there.then(|| root.name().to_vec())
}

/// The name in a folder that is `root` or leads to it.
fn towards(folder: &[u8], root: &TargetPath) -> Option<Vec<u8>> {
    let rest = root.as_bytes().strip_prefix(folder)?;
    let rest = if folder.is_empty() {
        rest
    } else {
        rest.strip_prefix(b"/")?
    };
    let name = rest.split(|byte| *byte == b'/').next()?;
    (!name.is_empty()).then(|| name.to_vec())
}

/// Where a system keeps itself, but for the places in there that hold none of it.
fn is_systems(layout: Layout, rule: &Rule, text: &str) -> bool {
    match layout {
        Layout::Linux => is_linux(rule, text),
        Layout::Windows => is_windows(text),
        Layout::Macos => is_macos(rule, text),
    }
}

/// Whether anything right in a folder can belong to the system at all.
fn may_be_systems(layout: Layout, folder: &str) -> bool {
    match layout {
        Layout::Linux => starts(folder, &LINUX_SYSTEM),
        // Some names are the system's wherever they lie.
        Layout::Windows => true,
        Layout::Macos => starts(folder, &MACOS_SYSTEM),
    }
}

fn starts(text: &str, roots: &[&str]) -> bool {
    roots.iter().any(|root| text.starts_with(root))
}

fn ends(text: &str, tails: &[&str]) -> bool {
    tails.iter().any(|tail| text.ends_with(tail))
}

/// Folders of a linux system.
const LINUX_SYSTEM: [&str; 17] = [
    "/bin/",
    "/sbin/",
    "/lib/",
    "/lib32/",
    "/lib64/",
    "/boot/",
    "/dev/",
    "/etc/",
    "/proc/",
    "/sys/",
    "/run/",
    "/usr/",
    "/opt/",
    "/nix/",
    "/srv/",
    "/snap/",
    "/var/lib/",
];

fn is_linux(rule: &Rule, text: &str) -> bool {
    let speaks = rule.detect == Some(Detect::LanguageNotUsed);
    let asks = rule.class == Class::Ask;
    let is_replaced = || {
        let marks = [".dpkg-", ".ucf-", ".rpm", ".pac"];
        marks.iter().any(|mark| name_of(text).contains(mark))
    };
    let but = starts(text, &["/var/lib/systemd/"])
        || (speaks
            && starts(
                text,
                &["/usr/share/locale/", "/usr/share/help/", "/usr/share/man/"],
            ))
        || (asks && starts(text, &["/var/lib/snapd/snaps/"]))
        || (asks && starts(text, &["/etc/"]) && is_replaced());
    starts(text, &LINUX_SYSTEM) && !but
}

fn is_windows(text: &str) -> bool {
    let is_kept = starts(name_of(text), &["ntuser.", "usrclass."])
        || ends(
            text,
            &[
                "/pagefile.sys",
                "/hiberfil.sys",
                "/swapfile.sys",
                "/bootmgr",
            ],
        );
    let system = [
        "/windows/",
        "/winnt/",
        "/program files/",
        "/program files (x86)/",
        "/programdata/",
        "/boot/",
        "/recovery/",
        "/system volume information/",
        "/users/default/",
    ];
    let but = [
        "/windows/temp/",
        "/windows/systemtemp/",
        "/windows/logs/",
        "/windows/panther/",
        "/windows/minidump/",
        "/windows/livekernelreports/",
        "/windows/prefetch/",
        "/windows/debug/",
        "/windows/softwaredistribution/",
        "/windows/system32/logfiles/",
        "/windows/system32/wdi/logfiles/",
        "/windows/serviceprofiles/",
        "/windows/system32/config/systemprofile/",
        "/windows/downloaded program files/",
        "/windows/offline web pages/",
        "/windows/inf/setupapi",
        "/programdata/microsoft/windows/wer/",
        "/programdata/usoshared/logs/",
        "/programdata/microsoft/windows/deliveryoptimization/",
    ];
    // Directly in the system's folder lie its logs and the image of its memory.
    let is_note = text.matches('/').count() == 2
        && (text.contains(".log") || ends(text, &[".dmp", "log.txt"]));
    let is_fonts = ends(text, &["/windows/system32/fntcache.dat"]);
    is_kept || (starts(text, &system) && !starts(text, &but) && !is_note && !is_fonts)
}

/// Folders of a macos system.
const MACOS_SYSTEM: [&str; 10] = [
    "/system/",
    "/library/",
    "/applications/",
    "/bin/",
    "/sbin/",
    "/usr/",
    "/opt/",
    "/private/etc/",
    "/private/var/",
    "/dev/",
];

fn is_macos(rule: &Rule, text: &str) -> bool {
    let but = [
        "/library/caches/",
        "/library/logs/",
        "/library/updates/",
        "/private/var/log/",
        "/private/var/tmp/",
        "/private/var/folders/",
        "/private/var/db/diagnostics/",
        "/private/var/root/library/caches/",
        "/private/var/root/library/logs/",
        "/private/var/root/.trash/",
    ];
    let launches = rule.detect == Some(Detect::BrokenLauncher)
        && ends(text, &[".plist"])
        && starts(text, &["/library/launch", "/library/preferences/"]);
    let speaks = rule.detect == Some(Detect::LanguageNotUsed)
        && starts(text, &["/applications/"])
        && text.contains(".lproj/");
    starts(text, &MACOS_SYSTEM) && !starts(text, &but) && !launches && !speaks
}

fn name_of(text: &str) -> &str {
    text.rsplit('/').next().unwrap_or(text)
}

/// Folders of passwords and keys.
const SECRET_FOLDERS: [&str; 6] = [
    "/.ssh/",
    "/.gnupg/",
    "/.pki/",
    "/keyrings/",
    "/keychains/",
    "/.password-store/",
];

/// How names end that hold passwords, keys, bookmarks or settings.
const SECRETS: [&str; 22] = [
    "/login data",
    "/web data",
    "/bookmarks",
    "/preferences",
    "/local state",
    "/logins.json",
    "/logins.db",
    "/key4.db",
    "/cert9.db",
    "/places.sqlite",
    "/formhistory.sqlite",
    "/prefs.js",
    "/id_rsa",
    "/id_ed25519",
    "/.ssh",
    "/.gnupg",
    ".kdbx",
    ".keyring",
    ".keychain",
    ".keychain-db",
    ".pem",
    ".p12",
];

/// More of them, which are no names of a browser's.
const MORE_SECRETS: [&str; 2] = [".key", "/.otter-quay.toml"];

/// Bookmarks, unless a rule looks whether it is broken.
const BOOKMARKS: &str = "/bookmarks.plist";

/// How copies of a file are called that programs keep beside it.
const COPIES: [&str; 7] = ["", "~", ".bak", ".old", ".orig", ".swp", ".tmp"];

fn is_secret(rule: &Rule, text: &str) -> bool {
    let is_checked = rule.detect == Some(Detect::BrokenLauncher) && ends(text, &[".plist"]);
    COPIES.iter().any(|copy| {
        text.strip_suffix(copy).is_some_and(|name| {
            ends(name, &SECRETS)
                || ends(name, &MORE_SECRETS)
                || (!is_checked && name.ends_with(BOOKMARKS))
        })
    })
}

/// Folders of mail and messages.
const MAIL_FOLDERS: [&str; 3] = ["/maildir/", "/mail/", "/library/messages/"];

/// How mail ends.
const MAILS: [&str; 5] = [".mbox", ".eml", ".emlx", ".pst", ".ost"];

fn is_mail(text: &str) -> bool {
    ends(text, &MAILS)
}

/// The last letters of all that is kept by its ending: for each last one, a bit for each that may stand
/// before it, by its lowest five bits; all bits where one letter alone tells.
const LAST_LETTERS: [u32; 256] = {
    let mut letters = [0; 256];
    letters = with_last(letters, &SECRETS);
    letters = with_last(letters, &MORE_SECRETS);
    letters = with_last(letters, &[BOOKMARKS]);
    letters = with_last(letters, &COPIES);
    with_last(letters, &MAILS)
};

const fn with_last(mut letters: [u32; 256], tails: &[&str]) -> [u32; 256] {
    let mut at = 0;
    while at < tails.len() {
        match tails[at].as_bytes() {
            [] => {}
            [last] => letters[*last as usize] = u32::MAX,
            [.., before, last] => letters[*last as usize] |= 1 << (*before & 31),
        }
        at += 1;
    }
    letters
}

/// Whether a path may end as something that is kept: most don't, and millions are asked.
fn may_be_kept(text: &str) -> bool {
    match text.as_bytes() {
        [.., before, last] => LAST_LETTERS[usize::from(*last)] & (1 << (*before & 31)) != 0,
        _ => true,
    }
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn nothing_that_is_kept_is_passed_by_for_its_last_letters() {
        let kept = SECRETS.iter().chain(&MORE_SECRETS).chain(&MAILS);
        for tail in kept.chain(&[BOOKMARKS]) {
            for copy in COPIES {
                assert!(
                    may_be_kept(&format!("/home/ada/x{tail}{copy}")),
                    "{tail}{copy}"
                );
            }
        }
        assert!(!may_be_kept("/tmp/entry.dat"));
    }

    #[test]
    fn what_holds_for_a_folder_is_told_by_whole_parts() {
        let path = |text: &str| TargetPath::new(text).unwrap();
        assert!(is_in(b"home/ada/docs/x", &path("home/ada/docs")));
        assert!(is_in(b"home/ada/docs", &path("home/ada/docs")));
        assert!(!is_in(b"home/ada/docs2", &path("home/ada/docs")));
        assert_eq!(
            right_in(b"home/ada", &path("home/ada/docs")).unwrap(),
            b"docs"
        );
        assert!(right_in(b"home", &path("home/ada/docs")).is_none());
        assert_eq!(towards(b"", &path("home/ada/docs")).unwrap(), b"home");
        assert_eq!(towards(b"home", &path("home/ada/docs")).unwrap(), b"ada");
        assert!(towards(b"hom", &path("home/ada")).is_none());
        assert!(towards(b"home/ada", &path("home/ada")).is_none());
    }
}
