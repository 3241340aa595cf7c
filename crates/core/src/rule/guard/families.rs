//! What is somebody's own by what it is called, in families of names, endings and folders, whatever the layout.

use crate::rule::Guard;

/// How a name says that it is of a family.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub(crate) enum Says {
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
pub(crate) struct Family {
    pub says: Says,
    pub names: &'static [&'static str],
    pub guard: Guard,
}

/// Words that a copy, a version put aside or an editor's safety copy of a file bears beside its name;
/// numbers do, too.
pub(crate) const COPY_WORDS: &[&str] = words! {
    "bak" "backup" "backups" "old" "orig" "original" "save" "saved" "tmp" "temp" "swp" "swo" "swn" "part" "partial"
    "crdownload" "corrupt" "corrupted" "copy" "copies" "of" "kopie" "von" "copie" "de" "copia" "new" "prev" "previous"
    "wal" "shm" "journal" "dpkg" "dist" "ucf" "rpmsave" "rpmorig" "rpmnew" "pacsave" "pacorig" "pacnew"
};

/// What the names of tables hold whose rows are never taken: sign-ins, bookmarks, form entries, means of payment, keys,
/// decisions, and a database's facts about itself.
pub(crate) const GUARDED_TABLES: &[&str] = &[
    "login", "password", "bookmark", "autofill", "form", "credit", "card", "iban", "address",
    "token", "key", "cert", "perms", "pref", "meta", "sqlite_", "roots", "deleted",
];

/// Tables of guarded files whose rows may go: the rest of the file stays as it is.
pub(crate) const FREE_TABLES: &[(&str, &str)] = &[("places.sqlite", "moz_historyvisits")];

/// Families of files that are never taken, wherever they lie: what the system starts from, passwords,
/// keys, certificates, form entries, bookmarks, the settings of a browser profile, mail.
pub(crate) const FAMILIES: &[Family] = &[
    Family {
        says: Says::Start,
        guard: Guard::System,
        names: words! {
            "pagefile.sys" "hiberfil.sys" "swapfile.sys" "ntuser" "usrclass.dat" "ntdetect.com" "boot.ini" "vmlinuz"
            "initrd.img" "globalpreferences.plist" "otter-quay.toml"
        },
    },
    Family {
        says: Says::Alone,
        guard: Guard::System,
        names: &["bootmgr", "bootnxt", "ntldr", "swapfile"],
    },
    Family {
        says: Says::Anywhere,
        guard: Guard::Secret,
        names: words! {
            // What a browser keeps of sign-ins, forms and bookmarks.
            "login data" "web data" "logins.json" "logins-backup.json" "logins.db" "key3.db" "key4.db" "cert8.db"
            "cert9.db" "pkcs11.txt" "signons.sqlite" "signons2.txt" "signons3.txt" "places.sqlite"
            "formhistory.sqlite" "autofill-profiles.json" "credentialstate.sqlite" "permissions.sqlite"
            "content-prefs.sqlite" "prefs.js" "user-places.xbel" "bookmarks" "bookmark" "bookmarkbackups"
            "accountbookmarks" "encryptedbookmarks2" "passwords" "passkeys" "search.json.mozlz4" "addonstartup.json"
            "signedinuser.json"
            // Keys to other computers.
            "id_rsa" "id_dsa" "id_ecdsa" "id_ed25519" "id_ed448" "id_xmss" "authorized_keys" "known_hosts" "netrc"
            "pgpass" "my.cnf" "mylogin.cnf" "git-credentials" "authinfo" "msmtprc" "npmrc" "pypirc" "vncpasswd"
            "xauthority" "iceauthority" "htpasswd"
            // Wallets and key rings.
            "wallet" "wallets" "wallet.dat" "keyring" "keyrings" "keychain" "keychains" "secring" "pubring" "trustdb"
            "private-keys-v1.d" "kdewallet" "keystore" "credential" "credentials" "user-dirs.dirs"
        },
    },
    Family {
        says: Says::Alone,
        guard: Guard::Secret,
        names: words! {
            "preferences" "secure preferences" "local state" "user.js" "profiles.ini" "installs.ini" "handlers.json"
            "containers.json" "extensions.json" "search.json" "shadow" "gshadow" "passwd" "opasswd" "secrets"
            "secrets.json" "secrets.yaml" "secrets.toml" "vault.json"
        },
    },
    Family {
        says: Says::Ending,
        guard: Guard::Secret,
        names: words! {
            "keyring" "kdbx" "kdb" "kwl" "key" "keys" "pem" "p12" "pfx" "p8" "p7b" "p7c" "crt" "cer" "der" "jks"
            "jceks" "bks" "keystore" "truststore" "gpg" "pgp" "asc" "ovpn" "keychain" "keychain-db" "ppk" "psafe3"
            "psafe" "opvault" "agilekeychain" "1pif" "1pux" "enpassdb" "walletx" "wallet" "keytab" "kirbi" "rdp" "rdg"
            "bek" "mobileconfig" "pkcs12" "keybag" "pwsafe" "jwk"
        },
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
        names: words! {
            "mbox" "mbx" "mbs" "eml" "emlx" "emlxpart" "msf" "pst" "ost" "nst" "olm" "dbx" "nsf" "wab" "olk14message"
            "olk15message" "olk15msgsource" "olk15msgattachment" "mozeml" "edb"
        },
    },
];

/// Families of folders in which everything is guarded, by name anywhere; a folder of one of the endings
/// above is one, too.
pub(crate) const FOLDERS: &[Family] = &[
    Family {
        says: Says::Hidden,
        guard: Guard::Secret,
        names: words! {
            "ssh" "gnupg" "pki" "cert" "aws" "azure" "kube" "docker" "electrum" "bitcoin" "monero" "ethereum"
            "secrets" "password-store" "putty" "authenticator"
        },
    },
    Family {
        says: Says::Alone,
        guard: Guard::Secret,
        names: words! {
            "keyrings" "bookmarkbackups" "keychains" "protect" "vault" "credentials" "passkeys" "systemcertificates"
            "private-keys-v1.d" "openpgp-revocs.d" "wallets" "kwalletd" "password-store"
        },
    },
    Family {
        says: Says::Alone,
        guard: Guard::Mail,
        names: &["mail", "maildir", "imapmail", "messages", "mailboxes"],
    },
];

/// Two folders one in the other, in small letters, in which everything is guarded.
pub(crate) const PAIRS: &[(Guard, &str, &str)] = &[
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
pub(crate) const MAILDIR: [&[u8]; 3] = [b"cur", b"new", b"tmp"];
