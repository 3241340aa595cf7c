//! The second look of the guards, right before something is removed.
//!
//! On purpose this shares no code and no table with [`crate::rulebook::Guards`]: it reads the path
//! as one text in small letters, so that a slip in the first look is not repeated here.

use crate::rulebook::{Class, Detect, Rule};
use crate::target::{Layout, Target, TargetPath};

/// Why a path is refused, or nothing.
pub(super) fn refusal(
    target: &Target,
    own: &[TargetPath],
    rule: &Rule,
    path: &TargetPath,
) -> Option<&'static str> {
    let text = format!(
        "/{}",
        String::from_utf8_lossy(path.as_bytes()).to_lowercase()
    );
    if is_systems(target.layout, rule, &text) {
        return Some("it belongs to the system");
    }
    if is_secret(rule, &text) {
        return Some("it may hold passwords, keys, bookmarks or settings");
    }
    if is_mail(&text) {
        return Some("it is mail");
    }
    let is_personal = target
        .places
        .personal
        .iter()
        .any(|folder| path.below(folder).is_some());
    if is_personal && rule.class != Class::Ask {
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

/// Where a system keeps itself, but for the places in there that hold none of it.
fn is_systems(layout: Layout, rule: &Rule, text: &str) -> bool {
    match layout {
        Layout::Linux => is_linux(rule, text),
        Layout::Windows => is_windows(text),
        Layout::Macos => is_macos(rule, text),
    }
}

fn starts(text: &str, roots: &[&str]) -> bool {
    roots.iter().any(|root| text.starts_with(root))
}

fn ends(text: &str, tails: &[&str]) -> bool {
    tails.iter().any(|tail| text.ends_with(tail))
}

fn is_linux(rule: &Rule, text: &str) -> bool {
    let system = [
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
    starts(text, &system) && !but
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

fn is_macos(rule: &Rule, text: &str) -> bool {
    let system = [
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
    starts(text, &system) && !starts(text, &but) && !launches && !speaks
}

fn name_of(text: &str) -> &str {
    text.rsplit('/').next().unwrap_or(text)
}

fn is_secret(rule: &Rule, text: &str) -> bool {
    let holds = |parts: &[&str]| parts.iter().any(|part| text.contains(part));
    let is_checked = rule.detect == Some(Detect::BrokenLauncher) && ends(text, &[".plist"]);
    holds(&[
        "/.ssh/",
        "/.gnupg/",
        "/.pki/",
        "/keyrings/",
        "/keychains/",
        "/.password-store/",
    ]) || ["", "~", ".bak", ".old", ".orig", ".swp", ".tmp"]
        .iter()
        .any(|copy| {
            let name = text.strip_suffix(copy).unwrap_or(text);
            [
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
                ".key",
                "/.otter-quay.toml",
            ]
            .iter()
            .any(|end| name.ends_with(end))
                || (name.ends_with("/bookmarks.plist") && !is_checked)
        })
}

fn is_mail(text: &str) -> bool {
    let parts = ["/maildir/", "/mail/", "/library/messages/"];
    let ends = [".mbox", ".eml", ".emlx", ".pst", ".ost"];
    parts.iter().any(|part| text.contains(part)) || ends.iter().any(|end| text.ends_with(end))
}
