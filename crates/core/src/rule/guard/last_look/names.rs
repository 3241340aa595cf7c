//! What a name alone says, by its words.

use crate::rule::guard::last_look::{MAIL, PERSONAL, SECRET, SYSTEM};
use crate::rule::{Class, Detect, ListFormat, Rule};

/// The words of a name, one after the other with a space at both ends of each.
fn spaced(name: &str) -> String {
    let mut text = String::with_capacity(name.len() + 2);
    text.push(' ');
    for letter in name.chars() {
        if letter.is_ascii_alphanumeric() || !letter.is_ascii() {
            text.push(letter);
        } else if !text.ends_with(' ') {
            text.push(' ');
        }
    }
    if !text.ends_with(' ') {
        text.push(' ');
    }
    text
}

/// Words that say that a file is a copy of another.
const COPIES: &str = " bak backup backups old orig original save saved tmp temp swp swo swn part partial \
    crdownload corrupt corrupted copy copies of kopie von copie de copia new prev previous wal shm \
    journal dpkg dist ucf rpmsave rpmorig rpmnew pacsave pacorig pacnew ";

/// Whether some words, spaced, are all such words or numbers.
fn are_copies(words: &str) -> bool {
    let is_one = |word: &str| {
        word.bytes().all(|byte| byte.is_ascii_digit())
            || COPIES.split(' ').any(|known| known == word)
    };
    words.split(' ').all(is_one)
}

/// Words, spaced, of which each alone says that a file holds passwords, keys or bookmarks.
const SECRETS: &[&str] = words! {
    " login data " " web data " " logins json " " logins backup json " " logins db " " key3 db " " key4 db "
    " cert8 db " " cert9 db " " pkcs11 txt " " signons sqlite " " signons2 txt " " signons3 txt " " places sqlite "
    " formhistory sqlite " " autofill profiles json " " credentialstate sqlite " " permissions sqlite "
    " content prefs sqlite " " prefs js " " user places xbel " " bookmarks " " bookmark " " bookmarkbackups "
    " accountbookmarks " " encryptedbookmarks2 " " passwords " " passkeys " " search json mozlz4 "
    " addonstartup json " " signedinuser json " " id rsa " " id dsa " " id ecdsa " " id ed25519 " " id ed448 "
    " id xmss " " authorized keys " " known hosts " " netrc " " pgpass " " my cnf " " mylogin cnf "
    " git credentials " " authinfo " " msmtprc " " npmrc " " pypirc " " vncpasswd " " xauthority " " iceauthority "
    " htpasswd " " wallet " " wallets " " keyring " " keyrings " " keychain " " keychains " " secring " " pubring "
    " trustdb " " kdewallet " " user dirs dirs "
};

/// More of them.
const MORE_SECRETS: [&str; 4] = [
    " keystore ",
    " credential ",
    " credentials ",
    " private keys v1 d ",
];

/// Words, spaced, that say so where nothing else is said but that it is a copy.
const SECRETS_ALONE: &[&str] = words! {
    " preferences " " secure preferences " " local state " " user js " " profiles ini " " installs ini "
    " handlers json " " containers json " " extensions json " " search json " " shadow " " gshadow " " passwd "
    " opasswd " " secrets " " secrets json " " secrets yaml " " vault json "
};

/// And those of mail.
const MAILS_ALONE: [&str; 7] = [
    " mbox ",
    " inbox ",
    " outbox ",
    " sent ",
    " drafts ",
    " sent items ",
    " sent mail ",
];

/// What the system starts from, with whatever follows.
const SYSTEMS: &[&str] = words! {
    " pagefile sys " " hiberfil sys " " swapfile sys " " ntuser " " usrclass dat " " ntdetect com " " boot ini "
    " vmlinuz " " initrd img " " globalpreferences plist " " otter quay toml "
};

/// The same, where nothing follows.
const SYSTEMS_ALONE: [&str; 4] = [" bootmgr ", " bootnxt ", " ntldr ", " swapfile "];

/// Endings of what holds passwords and keys, with a dot before and a space behind.
const SECRET_ENDINGS: &str = " .keyring .kdbx .kdb .kwl .key .keys .pem .p12 .pfx .p8 .p7b .p7c .crt .cer \
    .der .jks .jceks .bks .keystore .truststore .gpg .pgp .asc .ovpn .keychain .ppk .psafe3 .psafe .opvault \
    .agilekeychain .1pif .1pux .enpassdb .walletx .wallet .keytab .kirbi .rdp .rdg .bek .mobileconfig \
    .pkcs12 .keybag .pwsafe .jwk ";

/// Endings of mail.
const MAIL_ENDINGS: &str = " .mbox .mbx .mbs .eml .emlx .emlxpart .msf .pst .ost .nst .olm .dbx .nsf .wab \
    .olk14message .olk15message .olk15msgsource .olk15msgattachment .mozeml .edb ";

/// Folders of passwords and keys, whose names a dot begins.
const HIDDEN_FOLDERS: &str = " ssh gnupg pki cert aws azure kube docker electrum bitcoin monero ethereum \
    secrets putty authenticator ";

/// Folders of passwords and keys, by their words; one that is only called so and no folder stays, too.
const SECRET_FOLDERS: &[&str] = words! {
    " keyrings " " bookmarkbackups " " keychains " " protect " " vault " " credentials " " passkeys "
    " systemcertificates " " private keys v1 d " " openpgp revocs d " " wallets " " kwalletd " " password store "
};

/// Folders of mail.
const MAIL_FOLDERS: [&str; 5] = [
    " mail ",
    " maildir ",
    " imapmail ",
    " messages ",
    " mailboxes ",
];

/// The first words of all that is kept by name, as two bits for each such word (a filter of Bloom's). Most names have
/// no word of which both are set, and millions are asked.
const FIRST_WORDS: [u64; 64] = {
    let mut known = [0; 64];
    known = with_first(known, SECRETS);
    known = with_first(known, &MORE_SECRETS);
    known = with_first(known, SECRETS_ALONE);
    known = with_first(known, &MAILS_ALONE);
    known = with_first(known, SYSTEMS);
    known = with_first(known, &SYSTEMS_ALONE);
    known = with_first(known, SECRET_FOLDERS);
    known = with_first(known, &MAIL_FOLDERS);
    known = with_words(known, HIDDEN_FOLDERS.as_bytes(), usize::MAX);
    known = with_words(known, SECRET_ENDINGS.as_bytes(), usize::MAX);
    with_words(known, MAIL_ENDINGS.as_bytes(), usize::MAX)
};

/// The hash of no letters yet (FNV-1a of 32 bits, Fowler, Noll and Vo).
const NO_LETTERS: u32 = 0x811c_9dc5;

const fn with_letter(hash: u32, letter: u8) -> u32 {
    (hash ^ letter as u32).wrapping_mul(0x0100_0193)
}

/// Both bits of a hash, counted through the filter.
const fn bits_of(hash: u32) -> [u32; 2] {
    let folded = hash ^ (hash >> 15);
    [folded & 4095, (folded >> 12) & 4095]
}

const fn with_first(mut known: [u64; 64], tables: &[&str]) -> [u64; 64] {
    let mut at = 0;
    while at < tables.len() {
        known = with_words(known, tables[at].as_bytes(), 1);
        at += 1;
    }
    known
}

/// So many words of a text are added.
const fn with_words(mut known: [u64; 64], text: &[u8], most: usize) -> [u64; 64] {
    let (mut at, mut words, mut hash) = (0, 0, NO_LETTERS);
    while at < text.len() && words < most {
        if matches!(text[at], b' ' | b'.') {
            if hash != NO_LETTERS {
                let [one, other] = bits_of(hash);
                known[(one / 64) as usize] |= 1 << (one % 64);
                known[(other / 64) as usize] |= 1 << (other % 64);
                words += 1;
            }
            hash = NO_LETTERS;
        } else {
            hash = with_letter(hash, text[at]);
        }
        at += 1;
    }
    known
}

/// Whether a word of a name may be the first one of something that is kept.
fn may_be_kept(name: &str) -> bool {
    let is_known = |hash: u32| {
        let is_set = |bit: u32| FIRST_WORDS[(bit / 64) as usize] & (1 << (bit % 64)) != 0;
        bits_of(hash).into_iter().all(is_set)
    };
    let mut hash = NO_LETTERS;
    for letter in name.bytes() {
        if letter.is_ascii_alphanumeric() || !letter.is_ascii() {
            hash = with_letter(hash, letter);
        } else {
            if is_known(hash) {
                return true;
            }
            hash = NO_LETTERS;
        }
    }
    is_known(hash)
}

/// The words of a name behind those that only say that it is a copy.
fn without_copies(words: &str) -> &str {
    let mut rest = words;
    while let Some((word, after)) = rest.get(1..).and_then(|rest| rest.split_once(' ')) {
        if word.is_empty() || !are_copies(word) {
            break;
        }
        let from = rest.len() - after.len() - 1;
        rest = rest.get(from..).unwrap_or_default();
    }
    rest
}

/// Whether some words stand alone at the beginning, but for what says that it is a copy.
fn stands_alone(words: &str, known: &[&str]) -> bool {
    // Most names begin with none of them, whatever is behind.
    if !known.iter().any(|known| words.contains(known.trim_end())) {
        return false;
    }
    each_beginning(words).any(|from| {
        known.iter().any(|known| {
            let rest = from.strip_prefix(known.trim_end());
            rest.is_some_and(|rest| rest.starts_with(' ') && are_copies(rest))
        })
    })
}

/// The words from each beginning that there may be: what looks like a word of a copy may belong to the name
/// itself.
fn each_beginning(words: &str) -> impl Iterator<Item = &str> {
    let last = words.len() - without_copies(words).len();
    let starts = words.bytes().enumerate().filter(|(_, byte)| *byte == b' ');
    starts
        .map(|(at, _)| at)
        .take_while(move |at| *at <= last)
        .filter_map(|at| words.get(at..))
}

/// Which endings stand in a name: behind each dot, as far as its word goes.
fn has_ending(name: &str, table: &str) -> bool {
    name.match_indices('.').any(|(at, _)| {
        let rest = name.get(at + 1..).unwrap_or_default();
        let is_of_word = |letter: char| letter.is_ascii_alphanumeric() || !letter.is_ascii();
        let end = rest
            .find(|letter| !is_of_word(letter))
            .unwrap_or(rest.len());
        let word = rest.get(..end).unwrap_or_default();
        !word.is_empty() && table.contains(&format!(" .{word} "))
    })
}

/// Parts of the names of tables of which no row goes.
const KEPT_TABLES: &str = "login password bookmark autofill form credit card iban address token key cert perms pref \
    meta sqlite_ roots deleted";

fn small_table(name: &str) -> String {
    name.to_lowercase()
}

/// Whether of a hive nothing can go but what names files that are gone.
pub(super) fn takes_only_references(rule: &Rule) -> bool {
    matches!(
        (rule.class, rule.entries, rule.values, rule.detect),
        (
            Class::Ask,
            Some(ListFormat::Registry),
            Some(_),
            Some(Detect::ReferenceGone)
        )
    )
}

/// Why a name is refused wherever it lies.
pub(crate) fn of_name(rule: &Rule, name: &str) -> Option<&'static str> {
    if let Some(records) = rule.records.as_deref() {
        let mut tables = vec![small_table(&records.table)];
        tables.extend(records.also.iter().map(|also| small_table(&also.table)));
        let is_kept = |table: &String| KEPT_TABLES.split(' ').any(|part| table.contains(part));
        if tables.iter().any(is_kept) {
            return Some(SECRET);
        }
        if name == "places.sqlite" && tables == ["moz_historyvisits"] {
            return None;
        }
    }
    let is_hive = matches!(name, "ntuser.dat" | "usrclass.dat");
    if !may_be_kept(name) || (is_hive && takes_only_references(rule)) {
        return None;
    }
    let words = spaced(name);
    let is_checked =
        rule.detect == Some(Detect::BrokenLauncher) && name.strip_suffix(".plist").is_some();
    let holds = |known: &str| words.contains(known);
    let begins =
        |known: &str| holds(known) && each_beginning(&words).any(|from| from.starts_with(known));
    if SYSTEMS.iter().any(|known| begins(known)) || stands_alone(&words, &SYSTEMS_ALONE) {
        return Some(SYSTEM);
    }
    let is_secret = SECRETS
        .iter()
        .chain(&MORE_SECRETS)
        .any(|known| holds(known))
        || stands_alone(&words, SECRETS_ALONE)
        || stands_alone(&words, &[" secrets toml "]);
    if has_ending(name, SECRET_ENDINGS) || (is_secret && !is_checked) {
        return Some(SECRET);
    }
    if has_ending(name, MAIL_ENDINGS) || stands_alone(&words, &MAILS_ALONE) {
        return Some(MAIL);
    }
    // A file that is called as a guarded folder is.
    if is_called(name, &words, SECRET_FOLDERS) || is_hidden(name) {
        return Some(SECRET);
    }
    is_called(name, &words, &MAIL_FOLDERS).then_some(MAIL)
}

/// Whether a name is one of these, with or without a dot before it.
fn is_called(name: &str, words: &str, known: &[&str]) -> bool {
    let plain = name.strip_prefix('.').unwrap_or(name);
    let starts_plain = plain.starts_with(|letter: char| letter.is_ascii_alphanumeric());
    let ends_plain = plain.ends_with(|letter: char| letter.is_ascii_alphanumeric());
    starts_plain && ends_plain && known.contains(&words)
}

/// Whether a name is that of a folder of keys that a dot hides.
fn is_hidden(name: &str) -> bool {
    let plain = name.strip_prefix('.').unwrap_or_default();
    !plain.is_empty() && !plain.contains(' ') && HIDDEN_FOLDERS.contains(&format!(" {plain} "))
}

/// Why everything in a folder of that name is refused.
pub(crate) fn of_folder(name: &str) -> Option<&'static str> {
    if !may_be_kept(name) {
        return None;
    }
    let words = spaced(name);
    let is_hidden = || {
        each_beginning(&words).any(|from| {
            let (word, rest) = from
                .get(1..)
                .and_then(|from| from.split_once(' '))
                .unwrap_or_default();
            let is_dotted = name.contains(&format!(".{word}"));
            !word.is_empty()
                && is_dotted
                && are_copies(rest)
                && HIDDEN_FOLDERS.contains(&format!(" {word} "))
        })
    };
    if stands_alone(&words, SECRET_FOLDERS) || has_ending(name, SECRET_ENDINGS) || is_hidden() {
        return Some(SECRET);
    }
    (stands_alone(&words, &MAIL_FOLDERS) || has_ending(name, MAIL_ENDINGS)).then_some(MAIL)
}

/// Why everything in a folder is refused that only says with the one above it what it is.
pub(crate) fn of_pair(folder: &str) -> Option<&'static str> {
    let holds = |pairs: &[&str]| pairs.iter().any(|pair| folder.contains(pair));
    let secrets = [
        "/microsoft/crypto/",
        "/microsoft/protect/",
        "/microsoft/credentials/",
        "/microsoft/vault/",
        "/microsoft/systemcertificates/",
        "/microsoft/identitycrl/",
        "/microsoft/ngc/",
    ];
    let mails = [
        "/microsoft/outlook/",
        "/comms/unistoredb/",
        "/comms/unistore/",
        "/library/mail/",
        "/library/messages/",
    ];
    let own = [
        "/library/calendars/",
        "/library/cloudstorage/",
        "/library/mobile documents/",
    ];
    if holds(&secrets) {
        Some(SECRET)
    } else if holds(&mails) {
        Some(MAIL)
    } else {
        holds(&own).then_some(PERSONAL)
    }
}
