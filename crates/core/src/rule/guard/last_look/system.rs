//! What belongs to the system, told by a whole path in small letters.

use crate::computer::Layout;
use crate::rule::guard::last_look::left_behind::may_be_left_behind;
use crate::rule::guard::last_look::names::takes_only_references;
use crate::rule::{Class, Detect, Rule};

/// Where a system keeps itself, but for the places in there that hold none of it.
pub(crate) fn is_systems(layout: Layout, rule: &Rule, text: &str) -> bool {
    if may_be_left_behind(layout, rule, text) {
        return false;
    }
    match layout {
        Layout::Linux => is_linux(rule, text),
        Layout::Windows => is_windows(rule, text),
        Layout::Macos => is_macos(rule, text),
    }
}

/// Whether anything right in a folder can belong to the system at all.
pub(crate) fn may_be_systems(layout: Layout, folder: &str) -> bool {
    match layout {
        // A folder of the system lies right in the root, too.
        Layout::Linux => {
            folder == "/" || starts(folder, &["/var/"]) || starts(folder, LINUX_SYSTEM)
        }
        Layout::Windows | Layout::Macos => true,
    }
}

fn starts(text: &str, roots: &[&str]) -> bool {
    roots.iter().any(|root| text.starts_with(root))
}

fn ends(text: &str, tails: &[&str]) -> bool {
    tails.iter().any(|tail| text.ends_with(tail))
}

/// Whether a text is one of these folders, or lies in one; each is written with a slash at both ends.
fn is_at_or_in(text: &str, folders: &[&str]) -> bool {
    folders.iter().any(|folder| {
        text.starts_with(folder)
            || folder
                .strip_suffix('/')
                .is_some_and(|folder| text == folder)
    })
}

/// What lies below a folder: the rest of the path, which isn't empty.
fn in_folder<'a>(text: &'a str, folder: &str) -> Option<&'a str> {
    text.strip_prefix(folder).filter(|rest| !rest.is_empty())
}

/// The same, where one part of the folder's path may be any: it stands as `*`.
fn in_any<'a>(text: &'a str, before: &str, after: &str) -> Option<&'a str> {
    let rest = text.strip_prefix(before)?;
    let (_, rest) = rest.split_once('/')?;
    in_folder(rest, after)
}

/// Folders of a linux system.
const LINUX_SYSTEM: &[&str] = words! {
    "/bin/" "/sbin/" "/lib/" "/lib32/" "/lib64/" "/libx32/" "/boot/" "/dev/" "/etc/" "/proc/" "/sys/" "/run/" "/usr/"
    "/opt/" "/nix/" "/srv/" "/snap/" "/gnu/" "/var/run/" "/var/lock/" "/var/lib/" "/var/spool/cron/" "/var/spool/at/"
    "/var/backups/" "/efi/" "/recovery/"
};

/// Folders in these in which nobody's program lies.
const LINUX_SPENT: &[&str] = words! {
    "/var/lib/systemd/coredump/" "/var/lib/systemd/pstore/" "/var/lib/apt/lists/" "/var/lib/snapd/cache/"
    "/var/lib/flatpak/.removed/" "/var/lib/flatpak/repo/tmp/" "/var/lib/flatpak/appstream/"
    "/var/lib/apport/coredump/"
};

fn is_linux(rule: &Rule, text: &str) -> bool {
    let speaks = rule.detect == Some(Detect::LanguageNotUsed);
    let asks = rule.class == Class::Ask;
    let is_replaced = || {
        ends(
            text,
            words! {
                ".dpkg-old" ".dpkg-dist" ".dpkg-bak" ".ucf-old" ".ucf-dist" ".rpmsave" ".rpmorig" ".rpmnew" ".pacsave"
                ".pacorig" ".pacnew"
            },
        )
    };
    let is_snap = || {
        let name = in_folder(text, "/var/lib/snapd/snaps/");
        name.is_some_and(|name| !name.contains('/') && name.strip_suffix(".snap").is_some())
    };
    let is_spent = LINUX_SPENT
        .iter()
        .any(|folder| in_folder(text, folder).is_some());
    let but = is_spent
        || (speaks
            && ["/usr/share/locale/", "/usr/share/help/", "/usr/share/man/"]
                .iter()
                .any(|folder| in_folder(text, folder).is_some()))
        || (asks && rule.keep_newest.is_some() && is_snap())
        || (asks && in_folder(text, "/etc/").is_some() && is_replaced())
        || (asks
            && ["/opt/", "/srv/"]
                .iter()
                .any(|root| is_service_log(text, root, 1)));
    is_at_or_in(text, LINUX_SYSTEM) && !but
}

/// Folders of a windows system.
const WINDOWS_SYSTEM: &[&str] = words! {
    "/windows/" "/winnt/" "/program files/" "/program files (x86)/" "/program files (arm)/" "/programdata/" "/boot/"
    "/recovery/" "/system volume information/" "/perflogs/" "/efi/" "/$winreagent/" "/users/default/"
    "/users/default user/" "/users/all users/" "/documents and settings/all users/" "/config.msi/"
};

/// Folders in these in which nobody's program lies.
const WINDOWS_SPENT: &[&str] = words! {
    "/windows/temp/" "/windows/systemtemp/" "/windows/logs/" "/windows/panther/" "/windows/minidump/"
    "/windows/livekernelreports/" "/windows/prefetch/" "/windows/debug/" "/windows/softwaredistribution/download/"
    "/windows/softwaredistribution/deliveryoptimization/" "/windows/softwaredistribution/datastore/logs/"
    "/windows/system32/logfiles/" "/windows/system32/wdi/logfiles/" "/windows/downloaded program files/"
    "/windows/offline web pages/" "/programdata/microsoft/windows/wer/" "/programdata/usoshared/logs/"
    "/programdata/microsoft/windows/deliveryoptimization/cache/" "/windows/softwaredistribution.old/"
    "/windows/softwaredistribution.bak/" "/windows/system32/sysprep/panther/" "/windows/tracing/"
    "/windows/security/logs/" "/windows/system32/wbem/logs/" "/windows/assembly/temp/" "/windows/assembly/tmp/"
    "/windows/syswow64/config/systemprofile/appdata/local/temp/"
    "/windows/system32/config/systemprofile/appdata/local/crashdumps/" "/programdata/microsoft/diagnosis/etllogs/"
    "/programdata/microsoft/edgeupdate/log/" "/programdata/microsoft/windows security health/logs/"
    "/programdata/microsoft/windows defender/support/" "/programdata/microsoft/windows defender/scans/history/"
    "/programdata/chocolatey/logs/" "/programdata/nvidia corporation/downloader/"
    "/programdata/nvidia corporation/netservice/" "/programdata/nvidia corporation/nv_cache/"
    "/programdata/battle.net/agent/data/cache/" "/programdata/blizzard entertainment/battle.net/cache/"
    "/programdata/gog.com/galaxy/logs/" "/programdata/origin/logs/" "/programdata/miniconda3/pkgs/"
    "/programdata/anaconda3/pkgs/" "/program files (x86)/steam/appcache/"
    "/program files (x86)/steam/config/htmlcache/" "/program files (x86)/steam/depotcache/"
    "/program files (x86)/steam/logs/" "/program files (x86)/steam/dumps/"
    "/program files (x86)/steam/steamapps/temp/" "/program files (x86)/steam/steamapps/downloading/"
    "/program files (x86)/steam/steamapps/shadercache/" "/program files (x86)/ubisoft/ubisoft game launcher/cache/"
    "/program files (x86)/ubisoft/ubisoft game launcher/logs/" "/program files/steam/appcache/"
    "/program files/steam/depotcache/" "/program files/steam/logs/" "/program files/steam/dumps/"
    "/program files/steam/steamapps/temp/" "/program files/steam/steamapps/downloading/"
    "/program files/steam/steamapps/shadercache/"
    "/programdata/microsoft/search/data/applications/windows/gatherlogs/"
};

/// Whether a text is that of a log of a service, in its own folder for logs at most so deep below a root.
fn is_service_log(text: &str, root: &str, deepest: usize) -> bool {
    let Some(rest) = text.strip_prefix(root) else {
        return false;
    };
    let parts: Vec<&str> = rest.split('/').collect();
    let is_folder = |at: usize| matches!(parts.get(at), Some(&"log" | &"logs"));
    let is_in_logs = (1..=deepest).any(|at| is_folder(at) && parts.len() > at + 1);
    let last = parts.last().copied().unwrap_or_default();
    let unpacked = last.strip_suffix(".gz").unwrap_or(last);
    let numbered = unpacked
        .rsplit_once(".log.")
        .map_or("", |(_, number)| number);
    let is_numbered = matches!(numbered.as_bytes(), [b'1'..=b'9']);
    is_in_logs && (ends(last, &[".log", ".etl", ".log.old", ".log.gz"]) || is_numbered)
}

fn is_windows(rule: &Rule, text: &str) -> bool {
    let profile = "/windows/system32/config/systemprofile/appdata/local/";
    let service = "/windows/serviceprofiles/";
    let is_spent = WINDOWS_SPENT
        .iter()
        .any(|folder| in_folder(text, folder).is_some())
        || ["temp/", "microsoft/windows/inetcache/"]
            .iter()
            .any(|below| in_folder(text, &format!("{profile}{below}")).is_some())
        || [
            "appdata/local/temp/",
            "appdata/local/fontcache/",
            "appdata/local/microsoft/windows/deliveryoptimization/cache/",
            "appdata/local/microsoft/windows/deliveryoptimization/logs/",
            "appdata/local/microsoft/windows/inetcache/",
            "appdata/local/crashdumps/",
        ]
        .iter()
        .any(|below| in_any(text, service, below).is_some())
        || ["framework/", "framework64/"].iter().any(|framework| {
            let versions = format!("/windows/microsoft.net/{framework}");
            in_any(text, &versions, "temporary asp.net files/").is_some()
        })
        || (rule.class == Class::Ask && is_service_log(text, "/programdata/", 2));
    // Directly in the system's folder lie its logs and the image of its memory.
    let right_in = |folder: &str| in_folder(text, folder).filter(|name| !name.contains('/'));
    let is_note = right_in("/windows/")
        .is_some_and(|name| name.contains(".log.") || ends(name, &[".log", ".dmp", "log.txt"]));
    let index = "/programdata/microsoft/search/data/applications/windows/";
    let is_index = right_in(index)
        .is_some_and(|name| starts(name, &["windows.db", "windows-gather.db", "windows-usn.db"]));
    let is_setup = right_in("/windows/inf/").is_some_and(|name| name.starts_with("setupapi"));
    let is_fonts =
        right_in("/windows/system32/").is_some_and(|name| name.ends_with("fntcache.dat"));
    let is_hive = text == "/windows/system32/config/software" && takes_only_references(rule);
    let is_link = rule.detect == Some(Detect::DocumentGone)
        && ends(text, &[".lnk"])
        && in_folder(text, "/programdata/microsoft/windows/start menu/").is_some();
    let is_nobodys = is_spent || is_hive || is_link || is_note || is_index || is_setup || is_fonts;
    is_at_or_in(text, WINDOWS_SYSTEM) && !is_nobodys
}

/// Folders of a macos system.
const MACOS_SYSTEM: &[&str] = words! {
    "/system/" "/library/" "/applications/" "/bin/" "/sbin/" "/usr/" "/opt/" "/private/etc/" "/private/var/" "/dev/"
    "/volumes/" "/network/"
};

/// Folders in these in which nobody's program lies.
const MACOS_SPENT: &[&str] = words! {
    "/library/caches/" "/library/logs/" "/library/updates/" "/private/var/log/" "/private/var/tmp/"
    "/private/var/db/diagnostics/" "/library/application support/crashreporter/"
    "/library/application support/com.apple.idleassetsd/customer/" "/private/var/spool/cups/"
    "/private/var/root/library/caches/" "/private/var/root/library/logs/" "/private/var/root/.trash/"
};

fn is_macos(rule: &Rule, text: &str) -> bool {
    let by_start = |below: &str| {
        let rest = text.strip_prefix("/private/var/folders/")?;
        let (_, rest) = rest.split_once('/')?;
        let (_, rest) = rest.split_once('/')?;
        in_folder(rest, below)
    };
    let launches = rule.detect == Some(Detect::BrokenLauncher)
        && text.strip_suffix(".plist").is_some()
        && [
            "/library/launchagents/",
            "/library/launchdaemons/",
            "/library/preferences/",
        ]
        .iter()
        .any(|folder| in_folder(text, folder).is_some_and(|name| !name.contains('/')));
    let speaks = rule.detect == Some(Detect::LanguageNotUsed)
        && in_folder(text, "/applications/").is_some_and(|rest| {
            let parts: Vec<&str> = rest.split('/').collect();
            let at = |from: usize| parts.get(from..from + 2) == Some(&["contents", "resources"]);
            (at(1) && parts.len() > 3) || (at(2) && parts.len() > 4)
        });
    let is_spent = MACOS_SPENT
        .iter()
        .any(|folder| in_folder(text, folder).is_some())
        || by_start("t/").is_some()
        || by_start("c/").is_some();
    let is_own_programs = || {
        let rest = text
            .strip_prefix("/users/")
            .and_then(|rest| rest.split_once('/'));
        rest.is_some_and(|(_, rest)| rest == "applications" || rest.starts_with("applications/"))
    };
    let is_systems =
        is_at_or_in(text, MACOS_SYSTEM) || is_at_or_in(text, &["/net/"]) || is_own_programs();
    is_systems && !is_spent && !launches && !speaks
}
