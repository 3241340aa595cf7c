//! What the guards stand before, by layout; all in small letters but for linux paths, whose case
//! counts. A `*` stands for any one part.

use super::Guard;
use crate::rulebook::{Class, Detect, Rule};
use crate::target::Layout;

/// What of a system folder may be taken after all.
pub(super) struct Gap {
    /// The folder.
    pub folder: &'static str,
    /// Whether all below it may, or only files directly in it.
    pub reach: Reach,
    /// Whose rules may.
    pub may: May,
}

/// How far a gap reaches.
pub(super) enum Reach {
    /// Everything below the folder.
    Below,
    /// Files directly in it whose names end, or for those with a `*` begin, so.
    Named(&'static [&'static str]),
    /// Files anywhere below it whose names end so.
    Endings(&'static [&'static str]),
}

/// Whose rules may use a gap.
pub(super) enum May {
    Any,
    Recogniser(Detect),
    Asking,
    Keeping,
}

impl May {
    /// Whether a rule is one of those.
    pub(super) fn holds(&self, rule: &Rule) -> bool {
        match self {
            Self::Any => true,
            Self::Recogniser(detect) => rule.detect == Some(*detect),
            Self::Asking => rule.class == Class::Ask,
            Self::Keeping => rule.class == Class::Ask && rule.keep_newest.is_some(),
        }
    }
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

/// Folders of the system, from the root.
pub(super) fn system(layout: Layout) -> &'static [&'static str] {
    match layout {
        Layout::Linux => &[
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
        ],
        Layout::Windows => &[
            "windows",
            "winnt",
            "program files",
            "program files (x86)",
            "program files (arm)",
            "programdata",
            "boot",
            "recovery",
            "system volume information",
            "perflogs",
            "efi",
            "$winreagent",
            "users/default",
            "users/default user",
            "users/all users",
            "documents and settings/all users",
        ],
        Layout::Macos => &[
            "system",
            "library",
            "applications",
            "bin",
            "sbin",
            "usr",
            "opt",
            "private/etc",
            "private/var",
            "dev",
            "volumes",
            "network",
            "net",
            "users/*/applications",
        ],
    }
}

/// What lies in a folder of the system and yet is nobody's program.
pub(super) fn gaps(layout: Layout) -> &'static [Gap] {
    match layout {
        Layout::Linux => LINUX,
        Layout::Windows => WINDOWS,
        Layout::Macos => MACOS,
    }
}

const LINUX: &[Gap] = &[
    below("var/lib/systemd/coredump"),
    below("var/lib/systemd/pstore"),
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
];

/// Endings of what package managers put beside a settings file when they replace it.
pub(super) const UPGRADED: &[&str] = &[
    ".dpkg-old",
    ".dpkg-dist",
    ".dpkg-bak",
    ".ucf-old",
    ".ucf-dist",
    ".rpmsave",
    ".rpmorig",
    ".rpmnew",
    ".pacsave",
    ".pacorig",
    ".pacnew",
];

const WINDOWS: &[Gap] = &[
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
    below("programdata/microsoft/windows/wer"),
    below("programdata/usoshared/logs"),
    below("programdata/microsoft/windows/deliveryoptimization/cache"),
];

const MACOS: &[Gap] = &[
    below("library/caches"),
    below("library/logs"),
    below("library/updates"),
    below("private/var/log"),
    below("private/var/tmp"),
    below("private/var/folders/*/*/t"),
    below("private/var/folders/*/*/c"),
    below("private/var/db/diagnostics"),
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

/// How a name says that it is of a family.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub(super) enum Says {
    /// Words of it, wherever they stand in the name.
    Anywhere,
    /// The words that it begins with, apart from words that a copy bears.
    Start,
    /// The same, and nothing follows but what a copy bears.
    Alone,
    /// The same, and a dot hides it.
    Hidden,
    /// One of its endings: what stands behind a dot, also in the middle.
    Ending,
}

/// A family of names, in small letters.
#[derive(Clone, Copy, Debug)]
pub(super) struct Family {
    pub says: Says,
    pub names: &'static [&'static str],
    pub guard: Guard,
}

/// Words that a copy, a version put aside or an editor's safety copy of a file bears beside its name;
/// numbers do, too.
pub(super) const COPY_WORDS: &[&str] = &[
    "bak",
    "backup",
    "backups",
    "old",
    "orig",
    "original",
    "save",
    "saved",
    "tmp",
    "temp",
    "swp",
    "swo",
    "swn",
    "part",
    "partial",
    "crdownload",
    "corrupt",
    "corrupted",
    "copy",
    "copies",
    "of",
    "kopie",
    "von",
    "copie",
    "de",
    "copia",
    "new",
    "prev",
    "previous",
    "wal",
    "shm",
    "journal",
    "dpkg",
    "dist",
    "ucf",
    "rpmsave",
    "rpmorig",
    "rpmnew",
    "pacsave",
    "pacorig",
    "pacnew",
];

/// Families of files that are never taken, wherever they lie: what the system starts from, passwords,
/// keys, certificates, form entries, bookmarks, the settings of a browser profile, mail.
pub(super) const FAMILIES: &[Family] = &[
    Family {
        says: Says::Start,
        guard: Guard::System,
        names: &[
            "pagefile.sys",
            "hiberfil.sys",
            "swapfile.sys",
            "ntuser",
            "usrclass.dat",
            "ntdetect.com",
            "boot.ini",
            "vmlinuz",
            "initrd.img",
            "globalpreferences.plist",
            "otter-quay.toml",
        ],
    },
    Family {
        says: Says::Alone,
        guard: Guard::System,
        names: &["bootmgr", "bootnxt", "ntldr", "swapfile"],
    },
    Family {
        says: Says::Anywhere,
        guard: Guard::Secret,
        names: &[
            // What a browser keeps of sign-ins, forms and bookmarks.
            "login data",
            "web data",
            "logins.json",
            "logins-backup.json",
            "logins.db",
            "key3.db",
            "key4.db",
            "cert8.db",
            "cert9.db",
            "pkcs11.txt",
            "signons.sqlite",
            "signons2.txt",
            "signons3.txt",
            "places.sqlite",
            "formhistory.sqlite",
            "autofill-profiles.json",
            "credentialstate.sqlite",
            "permissions.sqlite",
            "content-prefs.sqlite",
            "prefs.js",
            "user-places.xbel",
            "bookmarks",
            "bookmark",
            "bookmarkbackups",
            "accountbookmarks",
            "encryptedbookmarks2",
            "passwords",
            "passkeys",
            "search.json.mozlz4",
            "addonstartup.json",
            "signedinuser.json",
            // Keys to other computers.
            "id_rsa",
            "id_dsa",
            "id_ecdsa",
            "id_ed25519",
            "id_ed448",
            "id_xmss",
            "authorized_keys",
            "known_hosts",
            "netrc",
            "pgpass",
            "my.cnf",
            "mylogin.cnf",
            "git-credentials",
            "authinfo",
            "msmtprc",
            "npmrc",
            "pypirc",
            "vncpasswd",
            "xauthority",
            "iceauthority",
            "htpasswd",
            // Wallets and key rings.
            "wallet",
            "wallets",
            "wallet.dat",
            "keyring",
            "keyrings",
            "keychain",
            "keychains",
            "secring",
            "pubring",
            "trustdb",
            "private-keys-v1.d",
            "kdewallet",
            "keystore",
            "credential",
            "credentials",
            "user-dirs.dirs",
        ],
    },
    Family {
        says: Says::Alone,
        guard: Guard::Secret,
        names: &[
            "preferences",
            "secure preferences",
            "local state",
            "user.js",
            "profiles.ini",
            "installs.ini",
            "handlers.json",
            "containers.json",
            "extensions.json",
            "search.json",
            "shadow",
            "gshadow",
            "passwd",
            "opasswd",
            "secrets",
            "secrets.json",
            "secrets.yaml",
            "secrets.toml",
            "vault.json",
        ],
    },
    Family {
        says: Says::Ending,
        guard: Guard::Secret,
        names: &[
            "keyring",
            "kdbx",
            "kdb",
            "kwl",
            "key",
            "keys",
            "pem",
            "p12",
            "pfx",
            "p8",
            "p7b",
            "p7c",
            "crt",
            "cer",
            "der",
            "jks",
            "jceks",
            "bks",
            "keystore",
            "truststore",
            "gpg",
            "pgp",
            "asc",
            "ovpn",
            "keychain",
            "keychain-db",
            "ppk",
            "psafe3",
            "psafe",
            "opvault",
            "agilekeychain",
            "1pif",
            "1pux",
            "enpassdb",
            "walletx",
            "wallet",
            "keytab",
            "kirbi",
            "rdp",
            "rdg",
            "bek",
            "mobileconfig",
            "pkcs12",
            "keybag",
            "pwsafe",
            "jwk",
        ],
    },
    Family {
        says: Says::Alone,
        guard: Guard::Mail,
        names: &[
            "mbox",
            "inbox",
            "outbox",
            "sent",
            "drafts",
            "sent items",
            "sent mail",
        ],
    },
    Family {
        says: Says::Ending,
        guard: Guard::Mail,
        names: &[
            "mbox",
            "mbx",
            "mbs",
            "eml",
            "emlx",
            "emlxpart",
            "msf",
            "pst",
            "ost",
            "nst",
            "olm",
            "dbx",
            "nsf",
            "wab",
            "olk14message",
            "olk15message",
            "olk15msgsource",
            "olk15msgattachment",
            "mozeml",
            "edb",
        ],
    },
];

/// Families of folders in which everything is guarded, by name anywhere; a folder of one of the endings
/// above is one, too.
pub(super) const FOLDERS: &[Family] = &[
    Family {
        says: Says::Hidden,
        guard: Guard::Secret,
        names: &[
            "ssh",
            "gnupg",
            "pki",
            "cert",
            "aws",
            "azure",
            "kube",
            "docker",
            "electrum",
            "bitcoin",
            "monero",
            "ethereum",
            "secrets",
            "password-store",
            "putty",
            "authenticator",
        ],
    },
    Family {
        says: Says::Alone,
        guard: Guard::Secret,
        names: &[
            "keyrings",
            "bookmarkbackups",
            "keychains",
            "protect",
            "vault",
            "credentials",
            "passkeys",
            "systemcertificates",
            "private-keys-v1.d",
            "openpgp-revocs.d",
            "wallets",
            "kwalletd",
            "password-store",
        ],
    },
    Family {
        says: Says::Alone,
        guard: Guard::Mail,
        names: &["mail", "maildir", "imapmail", "messages", "mailboxes"],
    },
];

/// Two folders one in the other, in small letters, in which everything is guarded.
pub(super) const PAIRS: &[(Guard, &str, &str)] = &[
    (Guard::Secret, "microsoft", "crypto"),
    (Guard::Secret, "microsoft", "protect"),
    (Guard::Secret, "microsoft", "credentials"),
    (Guard::Secret, "microsoft", "vault"),
    (Guard::Secret, "microsoft", "systemcertificates"),
    (Guard::Secret, "microsoft", "identitycrl"),
    (Guard::Secret, "microsoft", "ngc"),
    (Guard::Mail, "microsoft", "outlook"),
    (Guard::Mail, "comms", "unistoredb"),
    (Guard::Mail, "comms", "unistore"),
    (Guard::Mail, "library", "mail"),
    (Guard::Mail, "library", "messages"),
    (Guard::Personal, "library", "calendars"),
    (Guard::Personal, "library", "cloudstorage"),
    (Guard::Personal, "library", "mobile documents"),
];

/// The folders that a mail folder of the sort one file a message has, all three of them.
pub(super) const MAILDIR: [&[u8]; 3] = [b"cur", b"new", b"tmp"];
