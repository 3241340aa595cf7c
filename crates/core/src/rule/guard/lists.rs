//! What the guards stand before, by layout; all in small letters but for linux paths, whose case
//! counts. A `*` stands for any one part.

use crate::computer::Layout;
use crate::rule::{Class, Detect, ListFormat, Rule, Survey};

/// What of a system folder may be taken after all.
pub(crate) struct Gap {
    /// The folder.
    pub folder: &'static str,
    /// Whether all below it may, or only files directly in it.
    pub reach: Reach,
    /// Whose rules may.
    pub may: May,
}

/// How far a gap reaches.
pub(crate) enum Reach {
    /// Everything below the folder.
    Below,
    /// Files directly in it whose names end, or for those with a `*` begin, so.
    Named(&'static [&'static str]),
    /// Files anywhere below it whose names end so.
    Endings(&'static [&'static str]),
}

/// Whose rules may use a gap.
pub(crate) enum May {
    Any,
    Recogniser(Detect),
    Asking,
    Keeping,
    /// What asks for references of a registry to files that are gone.
    References,
    /// What takes nothing, and only shows what is there.
    OnlySeen,
    /// The survey of what programs that are gone left behind.
    LeftBehind,
}

impl May {
    /// Whether a rule is one of those.
    pub(crate) fn holds(&self, rule: &Rule) -> bool {
        match self {
            Self::Any => true,
            Self::Recogniser(detect) => rule.detect == Some(*detect),
            Self::Asking => rule.class == Class::Ask,
            Self::References => asks_for_references(rule),
            Self::OnlySeen => rule.only_seen.is_some(),
            Self::LeftBehind => rule.survey == Some(Survey::LeftBehind),
            Self::Keeping => rule.class == Class::Ask && rule.keep_newest.is_some(),
        }
    }
}

/// Whether a rule takes nothing but what a registry says of files that are gone, after a question.
pub(crate) fn asks_for_references(rule: &Rule) -> bool {
    rule.class == Class::Ask
        && rule.values.is_some()
        && rule.detect == Some(Detect::ReferenceGone)
        && rule.entries == Some(ListFormat::Registry)
}

const fn below(folder: &'static str) -> Gap {
    Gap {
        folder,
        reach: Reach::Below,
        may: May::Any,
    }
}

const fn named(folder: &'static str, names: &'static [&'static str]) -> Gap {
    Gap {
        folder,
        reach: Reach::Named(names),
        may: May::Any,
    }
}

const fn recognised(folder: &'static str, reach: Reach, detect: Detect) -> Gap {
    Gap {
        folder,
        reach,
        may: May::Recogniser(detect),
    }
}

const fn left_behind(folder: &'static str) -> Gap {
    Gap {
        folder,
        reach: Reach::Below,
        may: May::LeftBehind,
    }
}

/// Folders of the system, from the root.
pub(crate) fn system(layout: Layout) -> &'static [&'static str] {
    match layout {
        Layout::Linux => words! {
            "bin" "sbin" "lib" "lib32" "lib64" "libx32" "boot" "dev" "etc" "proc" "sys" "run" "usr" "opt" "nix" "srv"
            "snap" "gnu" "var/run" "var/lock" "var/lib" "var/spool/cron" "var/spool/at" "var/backups" "efi" "recovery"
        },
        Layout::Windows => words! {
            "windows" "winnt" "program files" "program files (x86)" "program files (arm)" "programdata" "boot"
            "recovery" "system volume information" "perflogs" "efi" "$winreagent" "users/default" "users/default user"
            "users/all users" "documents and settings/all users"
        },
        Layout::Macos => words! {
            "system" "library" "applications" "bin" "sbin" "usr" "opt" "private/etc" "private/var" "dev" "volumes"
            "network" "net" "users/*/applications"
        },
    }
}

/// What lies in a folder of the system and yet is nobody's program.
pub(crate) fn gaps(layout: Layout) -> &'static [Gap] {
    match layout {
        Layout::Linux => LINUX,
        Layout::Windows => WINDOWS,
        Layout::Macos => MACOS,
    }
}

const LINUX: &[Gap] = &[
    below("var/lib/systemd/coredump"),
    below("var/lib/systemd/pstore"),
    below("var/lib/apt/lists"),
    below("var/lib/snapd/cache"),
    below("var/lib/flatpak/.removed"),
    below("var/lib/flatpak/repo/tmp"),
    below("var/lib/flatpak/appstream"),
    below("var/lib/apport/coredump"),
    service_log("opt/*/log"),
    service_log("opt/*/logs"),
    service_log("srv/*/log"),
    service_log("srv/*/logs"),
    Gap {
        folder: "etc",
        reach: Reach::Endings(UPGRADED),
        may: May::Asking,
    },
    Gap {
        folder: "var/lib/snapd/snaps",
        reach: Reach::Named(&[".snap"]),
        may: May::Keeping,
    },
    recognised("usr/share/locale", Reach::Below, Detect::LanguageNotUsed),
    recognised("usr/share/help", Reach::Below, Detect::LanguageNotUsed),
    recognised("usr/share/man", Reach::Below, Detect::LanguageNotUsed),
    left_behind("etc"),
    left_behind("opt"),
    left_behind("var/lib"),
];

/// Endings of what package managers put beside a settings file when they replace it.
pub(crate) const UPGRADED: &[&str] = words! {
    ".dpkg-old" ".dpkg-dist" ".dpkg-bak" ".ucf-old" ".ucf-dist" ".rpmsave" ".rpmorig" ".rpmnew" ".pacsave" ".pacorig"
    ".pacnew"
};

const WINDOWS: &[Gap] = &[
    left_behind("program files"),
    left_behind("program files (x86)"),
    left_behind("programdata"),
    below("windows/temp"),
    below("windows/systemtemp"),
    below("windows/logs"),
    below("windows/panther"),
    below("windows/minidump"),
    below("windows/livekernelreports"),
    below("windows/prefetch"),
    below("windows/debug"),
    below("windows/softwaredistribution/download"),
    below("windows/softwaredistribution/deliveryoptimization"),
    below("windows/softwaredistribution/datastore/logs"),
    below("windows/system32/logfiles"),
    below("windows/system32/wdi/logfiles"),
    below("windows/serviceprofiles/*/appdata/local/temp"),
    below("windows/serviceprofiles/*/appdata/local/fontcache"),
    below("windows/serviceprofiles/*/appdata/local/microsoft/windows/deliveryoptimization/cache"),
    below("windows/system32/config/systemprofile/appdata/local/temp"),
    below("windows/system32/config/systemprofile/appdata/local/microsoft/windows/inetcache"),
    below("windows/downloaded program files"),
    below("windows/offline web pages"),
    named("windows", &[".log", ".dmp", ".log.*", "log.txt"]),
    named("windows/inf", &["setupapi*"]),
    named("windows/system32", &["fntcache.dat"]),
    Gap {
        folder: "windows/system32/config",
        reach: Reach::Named(&["software"]),
        may: May::References,
    },
    recognised(
        "programdata/microsoft/windows/start menu",
        Reach::Endings(&[".lnk"]),
        Detect::DocumentGone,
    ),
    Gap {
        folder: "system volume information",
        reach: Reach::Below,
        may: May::OnlySeen,
    },
    below("programdata/microsoft/windows/wer"),
    below("programdata/usoshared/logs"),
    below("programdata/microsoft/windows/deliveryoptimization/cache"),
    below("windows/softwaredistribution.old"),
    below("windows/softwaredistribution.bak"),
    below("windows/system32/sysprep/panther"),
    below("windows/tracing"),
    below("windows/security/logs"),
    below("windows/system32/wbem/logs"),
    below("windows/assembly/temp"),
    below("windows/assembly/tmp"),
    below("windows/syswow64/config/systemprofile/appdata/local/temp"),
    below("windows/system32/config/systemprofile/appdata/local/crashdumps"),
    below("programdata/microsoft/diagnosis/etllogs"),
    below("programdata/microsoft/edgeupdate/log"),
    below("programdata/microsoft/windows security health/logs"),
    below("programdata/microsoft/windows defender/support"),
    below("programdata/microsoft/windows defender/scans/history"),
    below("programdata/chocolatey/logs"),
    below("programdata/nvidia corporation/downloader"),
    below("programdata/nvidia corporation/netservice"),
    below("programdata/nvidia corporation/nv_cache"),
    below("programdata/battle.net/agent/data/cache"),
    below("programdata/blizzard entertainment/battle.net/cache"),
    below("programdata/gog.com/galaxy/logs"),
    below("programdata/origin/logs"),
    below("programdata/miniconda3/pkgs"),
    below("programdata/anaconda3/pkgs"),
    below("program files (x86)/steam/appcache"),
    below("program files (x86)/steam/config/htmlcache"),
    below("program files (x86)/steam/depotcache"),
    below("program files (x86)/steam/logs"),
    below("program files (x86)/steam/dumps"),
    below("program files (x86)/steam/steamapps/temp"),
    below("program files (x86)/steam/steamapps/downloading"),
    below("program files (x86)/steam/steamapps/shadercache"),
    below("program files (x86)/ubisoft/ubisoft game launcher/cache"),
    below("program files (x86)/ubisoft/ubisoft game launcher/logs"),
    below("program files/steam/appcache"),
    below("program files/steam/depotcache"),
    below("program files/steam/logs"),
    below("program files/steam/dumps"),
    below("program files/steam/steamapps/temp"),
    below("program files/steam/steamapps/downloading"),
    below("program files/steam/steamapps/shadercache"),
    named(
        "programdata/microsoft/search/data/applications/windows",
        SEARCH,
    ),
    below("programdata/microsoft/search/data/applications/windows/gatherlogs"),
    below("windows/serviceprofiles/*/appdata/local/crashdumps"),
    below("windows/serviceprofiles/*/appdata/local/microsoft/windows/inetcache"),
    below("windows/serviceprofiles/*/appdata/local/microsoft/windows/deliveryoptimization/logs"),
    below("windows/microsoft.net/framework/*/temporary asp.net files"),
    below("windows/microsoft.net/framework64/*/temporary asp.net files"),
    service_log("programdata/*/log"),
    service_log("programdata/*/logs"),
    service_log("programdata/*/*/log"),
    service_log("programdata/*/*/logs"),
];

const fn service_log(folder: &'static str) -> Gap {
    Gap {
        folder,
        reach: Reach::Endings(SERVICE_LOGS),
        may: May::Asking,
    }
}

/// Files of the search index of a windows system, which it makes anew where they are gone.
const SEARCH: &[&str] = &[
    "windows.edb",
    "windows.db*",
    "windows-gather.db*",
    "windows-usn.db*",
];

/// Endings of the logs that services keep beside their programs.
const SERVICE_LOGS: &[&str] = words! {
    ".log" ".etl" ".log.old" ".log.gz" ".log.1" ".log.2" ".log.3" ".log.4" ".log.5" ".log.6" ".log.7" ".log.8"
    ".log.9" ".log.1.gz" ".log.2.gz" ".log.3.gz" ".log.4.gz" ".log.5.gz" ".log.6.gz" ".log.7.gz" ".log.8.gz"
    ".log.9.gz"
};

const MACOS: &[Gap] = &[
    left_behind("library/application support"),
    left_behind("library/preferences"),
    below("library/caches"),
    below("library/logs"),
    below("library/updates"),
    below("private/var/log"),
    below("private/var/tmp"),
    below("private/var/folders/*/*/t"),
    below("private/var/folders/*/*/c"),
    below("private/var/db/diagnostics"),
    below("library/application support/crashreporter"),
    below("library/application support/com.apple.idleassetsd/customer"),
    below("private/var/spool/cups"),
    below("private/var/root/library/caches"),
    below("private/var/root/library/logs"),
    below("private/var/root/.trash"),
    recognised(
        "library/launchagents",
        Reach::Named(&[".plist"]),
        Detect::BrokenLauncher,
    ),
    recognised(
        "library/launchdaemons",
        Reach::Named(&[".plist"]),
        Detect::BrokenLauncher,
    ),
    recognised(
        "library/preferences",
        Reach::Named(&[".plist"]),
        Detect::BrokenLauncher,
    ),
    recognised(
        "applications/*/contents/resources",
        Reach::Below,
        Detect::LanguageNotUsed,
    ),
    recognised(
        "applications/*/*/contents/resources",
        Reach::Below,
        Detect::LanguageNotUsed,
    ),
];
