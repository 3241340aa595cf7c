//! The second look of the guards, right before something is removed.
//!
//! On purpose this shares no code and no table with [`crate::rulebook::Guards`]: it reads the path
//! as one text in small letters, so that a slip in the first look is not repeated here.

use crate::rulebook::Class;
use crate::target::{Target, TargetPath};

/// Why a path is refused, or nothing.
pub(super) fn refusal(
    target: &Target,
    own: &[TargetPath],
    class: Class,
    path: &TargetPath,
) -> Option<&'static str> {
    let text = format!(
        "/{}",
        String::from_utf8_lossy(path.as_bytes()).to_ascii_lowercase()
    );
    let starts = |roots: &[&str]| roots.iter().any(|root| text.starts_with(root));
    let holds = |parts: &[&str]| parts.iter().any(|part| text.contains(part));
    let ends = |tails: &[&str]| tails.iter().any(|tail| text.ends_with(tail));

    if starts(&[
        "/bin/", "/sbin/", "/lib/", "/lib32/", "/lib64/", "/boot/", "/dev/", "/etc/", "/proc/",
        "/sys/", "/run/", "/usr/", "/opt/", "/nix/", "/srv/", "/snap/",
    ]) || (starts(&["/var/lib/"]) && !starts(&["/var/lib/systemd/"]))
    {
        return Some("it belongs to the system");
    }
    if holds(&[
        "/.ssh/",
        "/.gnupg/",
        "/.pki/",
        "/keyrings/",
        "/.password-store/",
    ]) || ends(&[
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
        ".pem",
        ".p12",
        ".key",
        "/.otter-quay.toml",
    ]) {
        return Some("it may hold passwords, keys, bookmarks or settings");
    }
    if holds(&["/maildir/", "/mail/"]) || ends(&[".mbox", ".eml"]) {
        return Some("it is mail");
    }
    let is_personal = target
        .places
        .personal
        .iter()
        .any(|folder| path.below(folder).is_some());
    if is_personal && class != Class::Ask {
        return Some("it is in somebody's own folder");
    }
    if own.iter().any(|folder| path.below(folder).is_some()) {
        return Some("it belongs to this program");
    }
    let holds_a_place = target.places.roots().any(|root| root.below(path).is_some());
    let holds_a_home = target
        .accounts
        .iter()
        .any(|account| account.home.below(path).is_some());
    (path.is_root() || holds_a_place || holds_a_home).then_some("it is the root of a place")
}
