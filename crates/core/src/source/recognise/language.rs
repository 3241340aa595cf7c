//! Translations into languages that nobody uses on the target.

use std::collections::{BTreeSet, HashMap};
use std::ffi::{CStr, CString};
use std::io;
use std::sync::{Mutex, PoisonError};

use crate::computer::{Layout, Target, TargetPath, fold, read_small};
use crate::format::PropertyList;
use crate::source::recognise::shown;
use crate::source::{Candidate, Finding, Reason};

/// The languages that a target uses: what its settings name, and what programs fall back on.
pub(crate) struct Languages {
    /// Codes of two or three small letters; none when the target doesn't say.
    used: BTreeSet<String>,
    /// Bundles, and whether each is sealed: a signature stands for all of it, so none of it goes.
    sealed: Mutex<HashMap<TargetPath, bool>>,
}

impl Languages {
    pub(crate) fn of(target: &Target) -> Self {
        let mut used = match target.layout {
            Layout::Linux => of_locales(target),
            Layout::Macos => of_preferences(target),
            Layout::Windows => BTreeSet::new(),
        };
        if !used.is_empty() {
            used.insert("en".to_owned());
        }
        Self {
            used,
            sealed: Mutex::default(),
        }
    }

    /// Whether the bundle that a folder of resources belongs to is signed, or can't be looked at.
    fn is_sealed(&self, target: &Target, resources: &TargetPath) -> bool {
        let mut sealed = self.sealed.lock().unwrap_or_else(PoisonError::into_inner);
        let look = || {
            let Some(contents) = resources.parent() else {
                return true;
            };
            let Ok(seal) = contents.join(b"_CodeSignature") else {
                return true;
            };
            let opened = target.disk().open_folder(target.root(), seal.as_bytes());
            !matches!(opened, Err(error) if error.kind() == io::ErrorKind::NotFound)
        };
        *sealed.entry(resources.clone()).or_insert_with(look)
    }

    pub(crate) fn look(&self, target: &Target, candidate: &Candidate<'_>) -> Finding {
        if target.layout == Layout::Macos && self.is_sealed(target, &candidate.search.root) {
            return Finding::Not;
        }
        let below = candidate.path.below(&candidate.search.root);
        let first = below.and_then(|below| below.split(|byte| *byte == b'/').next());
        let code = first.and_then(language_of);
        match code {
            // A target that doesn't say what it uses keeps every language.
            Some(code) if !self.used.is_empty() && !self.used.contains(&code) => {
                Finding::Is(Reason::LanguageNotUsed(shown(code.as_bytes())))
            }
            _ => Finding::Not,
        }
    }
}

/// The language of a folder such as `pt_BR`, `sr@latin`, `zh-Hans.lproj`; `Base.lproj` and `C` are
/// of none.
pub(crate) fn language_of(name: &[u8]) -> Option<String> {
    const NAMES: [(&str, &str); 10] = [
        ("english", "en"),
        ("french", "fr"),
        ("german", "de"),
        ("italian", "it"),
        ("spanish", "es"),
        ("japanese", "ja"),
        ("dutch", "nl"),
        ("portuguese", "pt"),
        ("danish", "da"),
        ("swedish", "sv"),
    ];
    let name = String::from_utf8(fold(name)).ok()?;
    let (name, is_project) = match name.strip_suffix(".lproj") {
        Some(name) => (name, true),
        None => (&*name, false),
    };
    let code = name.split(['_', '-', '@', '.']).next()?;
    if is_project && let Some((_, code)) = NAMES.iter().find(|(known, _)| *known == code) {
        return Some((*code).to_owned());
    }
    // `LC_MESSAGES` and its like are categories.
    let is_code = code != "lc"
        && (2..=3).contains(&code.len())
        && code.bytes().all(|byte| byte.is_ascii_lowercase());
    is_code.then(|| code.to_owned())
}

/// The languages that a linux target's locale settings name (locale.gen(5), locale(5)).
fn of_locales(target: &Target) -> BTreeSet<String> {
    let mut used = BTreeSet::new();
    let read = |folder: &[u8], name: &CStr| {
        let text = read_small(&**target.disk(), target.root(), folder, name).unwrap_or_default();
        String::from_utf8_lossy(&text).into_owned()
    };
    let generated = read(b"etc", c"locale.gen");
    for line in generated.lines().filter(|line| !line.starts_with('#')) {
        used.extend(
            line.split_whitespace()
                .next()
                .and_then(|name| language_of(name.as_bytes())),
        );
    }
    for (folder, name) in SETTINGS {
        set(&mut used, &read(folder, name));
    }
    for account in &target.accounts {
        for (below, name) in OWN_SETTINGS {
            let folder = [account.home.as_bytes(), below].concat();
            set(&mut used, &read(&folder, name));
        }
        // One line that says in which language the names of a person's folders are.
        let config = [account.home.as_bytes(), b"/.config"].concat();
        let names = read(&config, c"user-dirs.locale");
        used.extend(language_of(names.trim().as_bytes()));
        if let Ok(name) = CString::new(account.name.as_bytes()) {
            set(&mut used, &read(b"var/lib/AccountsService/users", &name));
        }
    }
    used
}

/// Files in which a system says its languages.
const SETTINGS: [(&[u8], &CStr); 5] = [
    (b"etc/default", c"locale"),
    (b"etc", c"locale.conf"),
    (b"etc", c"environment"),
    (b"etc/sysconfig", c"i18n"),
    (b"etc/sysconfig", c"language"),
];

/// Files below a home in which a person says theirs.
const OWN_SETTINGS: [(&[u8], &CStr); 9] = [
    (b"", c".profile"),
    (b"", c".bash_profile"),
    (b"", c".bashrc"),
    (b"", c".xprofile"),
    (b"", c".pam_environment"),
    (b"", c".dmrc"),
    (b"", c".i18n"),
    (b"/.config", c"locale.conf"),
    (b"/.config", c"plasma-localerc"),
];

/// Adds the languages that lines such as `LANG=de_DE.UTF-8`, `export LC_TIME="fr_FR"`, `RC_LANG=…` or
/// `Languages=it:en` set.
fn set(used: &mut BTreeSet<String>, text: &str) {
    for line in text
        .lines()
        .filter(|line| !line.trim_start().starts_with('#'))
    {
        let Some((key, value)) = line.split_once('=') else {
            continue;
        };
        let key = key.trim().rsplit([' ', '\t']).next().unwrap_or_default();
        let is_language = ["LANG", "LC_", "RC_L", "Language", "language"];
        if is_language.iter().any(|start| key.starts_with(start)) {
            let names = value
                .trim()
                .trim_matches(['"', '\''])
                .split([':', ';', ',', ' ']);
            used.extend(names.filter_map(|name| language_of(name.as_bytes())));
        }
    }
}

/// The languages that a macos target and its accounts prefer.
fn of_preferences(target: &Target) -> BTreeSet<String> {
    let mut folders = vec![TargetPath::new("Library/Preferences").unwrap_or_default()];
    for account in &target.accounts {
        folders.extend(account.home.join(b"Library/Preferences"));
    }
    let mut used = BTreeSet::new();
    for folder in folders {
        let bytes = read_small(
            &**target.disk(),
            target.root(),
            folder.as_bytes(),
            c".GlobalPreferences.plist",
        );
        if let Ok(list) = PropertyList::read(&bytes.unwrap_or_default()) {
            used.extend(
                list.texts("AppleLanguages")
                    .filter_map(|name| language_of(name.as_bytes())),
            );
        }
    }
    used
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn folders_tell_their_language() {
        let of = |name: &str| language_of(name.as_bytes());
        for (name, code) in [
            ("pt_BR", "pt"),
            ("sr@latin", "sr"),
            ("zh-Hans.lproj", "zh"),
            ("German.lproj", "de"),
            ("de_DE.UTF-8", "de"),
        ] {
            assert_eq!(of(name).as_deref(), Some(code), "{name}");
        }
        for name in [
            "C",
            "Base.lproj",
            "LC_MESSAGES",
            "locale.alias",
            "german",
            "",
        ] {
            assert_eq!(of(name), None, "{name}");
        }
    }
}
