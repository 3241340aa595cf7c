//! How much of a home a rule's patterns could reach. Guards and ages may hold most of that back, but a rule
//! that names half of what somebody has is a mistake, however it spells it.

use std::collections::BTreeMap;
use std::sync::OnceLock;

use crate::computer::Layout;
use crate::rule::Rule;
use crate::rule::pattern::path::{NameTest, PathPattern, Spelling};

/// Folders in which people keep what they made.
const FOLDERS: &[&str] = words! {
    "" "Documents" "Documents/taxes/2025" "Desktop" "Downloads" "Pictures/summer" "Music/Choir" "Videos"
    "projects/boat/src" "letters" "Arbeit/2026-03" ".plans"
};

/// What they call it.
const NAMES: &[&str] = words! {
    "To the bank.odt" "letter.docx" "IMG_0412.JPG" "figures 2026.xlsx" "scan-001.pdf" "notes" "main.rs" "readme.txt"
    "Überweisung.pdf" "backup.zip" "song.flac" "2025-12-31.csv"
};

/// What programs keep for them.
const SETTINGS: [(Layout, &[&str]); 3] = [
    (
        Layout::Linux,
        &[
            ".profile",
            ".config/knotbook/settings.ini",
            ".config/knotbook/places.json",
            ".local/share/knotbook/book.db",
            ".local/state/knotbook/last",
        ],
    ),
    (
        Layout::Windows,
        &[
            "NTUSER.DAT",
            "AppData/Roaming/Knotbook/settings.ini",
            "AppData/Roaming/Knotbook/places.json",
            "AppData/Local/Knotbook/book.db",
            "AppData/LocalLow/Knotbook/last.dat",
        ],
    ),
    (
        Layout::Macos,
        &[
            ".zprofile",
            "Library/Preferences/example.knotbook.plist",
            "Library/Application Support/Knotbook/book.db",
            "Library/Application Support/Knotbook/places.json",
            "Library/Saved Application State/knotbook/last",
        ],
    ),
];

/// Where the home lies.
fn base(layout: Layout) -> [&'static str; 2] {
    match layout {
        Layout::Linux => ["home", "pia"],
        Layout::Windows | Layout::Macos => ["Users", "pia"],
    }
}

/// A home as people have it, as paths below it, made once for each layout.
fn home(layout: Layout) -> &'static [String] {
    static HOMES: [OnceLock<Vec<String>>; 3] = [const { OnceLock::new() }; 3];
    let number = match layout {
        Layout::Linux => 0,
        Layout::Windows => 1,
        Layout::Macos => 2,
    };
    let make = || {
        let work = FOLDERS.iter().flat_map(|folder| {
            let slash = if folder.is_empty() { "" } else { "/" };
            NAMES
                .iter()
                .map(move |name| format!("{folder}{slash}{name}"))
        });
        let settings = SETTINGS.iter().filter(move |(of, _)| *of == layout);
        let settings = settings.flat_map(|(_, paths)| paths.iter().map(|path| (*path).to_owned()));
        work.chain(settings).collect()
    };
    HOMES.get(number).map_or(&[], |home| home.get_or_init(make))
}

/// How many things of a home lie below these folders at most: by the first name of each alone.
fn at_most(roots: &[(usize, Vec<NameTest>)], layout: Layout) -> usize {
    let folds = layout.ignores_case();
    if roots.iter().any(|(_, root)| root.is_empty()) {
        return home(layout).len();
    }
    let mut counts: BTreeMap<&str, usize> = BTreeMap::new();
    for (first, _) in home(layout).iter().filter_map(|path| path.split_once('/')) {
        *counts.entry(first).or_default() += 1;
    }
    let tests = roots.iter().filter_map(|(_, root)| root.first());
    counts.retain(|first, _| tests.clone().any(|test| passes(test, first, folds)));
    counts.values().sum()
}

/// Whether a name passes a part of where a rule looks.
fn passes(part: &NameTest, name: &str, folds: bool) -> bool {
    let small = folds.then(|| name.to_ascii_lowercase());
    let small = small.as_deref().unwrap_or(name).as_bytes();
    let exact = name.as_bytes();
    part.passes(Spelling { exact, small }, folds)
}

/// Where a rule looks, as tests of the names below a home, each with how many names above the home it has to name
/// itself.
fn roots_in_home(rule: &Rule, layout: Layout) -> Vec<(usize, Vec<NameTest>)> {
    let folds = layout.ignores_case();
    let within = rule.within.iter().flat_map(|within| {
        let usual = within.place.usual(layout).iter();
        usual.filter_map(|usual| {
            let parts = usual.split('/').filter(|part| !part.is_empty());
            let parts = parts.chain(within.below.iter().map(String::as_str));
            let mut tests = Vec::new();
            for (at, part) in parts.enumerate() {
                let test = NameTest::new(part, layout).ok()?;
                match base(layout).get(at) {
                    // It leads elsewhere.
                    Some(name) if !passes(&test, name, folds) => return None,
                    Some(_) => {}
                    None => tests.push(test),
                }
            }
            // What is above the home, it has to name itself.
            let missing = 2_usize.saturating_sub(
                usual.split('/').filter(|part| !part.is_empty()).count() + within.below.len(),
            );
            Some((missing, tests))
        })
    });
    within.collect()
}

/// Whether a rule's patterns could reach more than half of a home. Where a recogniser picks, patterns only say
/// where it looks.
pub(crate) fn reaches_most_of_a_home(rule: &Rule, layout: Layout) -> bool {
    if rule.detect.is_some_and(crate::rule::Detect::looks_inside) {
        return false;
    }
    let folds = layout.ignores_case();
    let roots = roots_in_home(rule, layout);
    let most = home(layout).len() / 2;
    if at_most(&roots, layout) <= most {
        return false;
    }
    // What of each path lies below a folder that the rule looks in.
    let led = |path: &String| -> Vec<String> {
        let below = roots.iter().filter_map(|(missing, root)| {
            let mut rest = path.as_str();
            let leads = root.iter().all(|part| {
                let Some((name, below)) = rest.split_once('/') else {
                    return false;
                };
                rest = below;
                passes(part, name, folds)
            });
            leads.then(|| {
                let above = base(layout);
                let above = above.iter().skip(2 - missing).copied();
                above.chain([rest]).collect::<Vec<_>>().join("/")
            })
        });
        below.collect()
    };
    let led: Vec<Vec<String>> = (home(layout).iter().map(led))
        .filter(|below| !below.is_empty())
        .collect();
    if roots.is_empty() || led.len() <= most {
        return false;
    }
    let compile = |patterns: &[String]| -> Vec<PathPattern> {
        let patterns = patterns.iter();
        patterns
            .filter_map(|one| PathPattern::new(one, layout).ok())
            .collect()
    };
    let (take, spare) = (compile(&rule.take), compile(&rule.spare));
    let takes = |below: &String| {
        let fits =
            |all: &[PathPattern], path: &str| all.iter().any(|it| it.matches(path.as_bytes()));
        // A rule that takes things whole takes everything in a folder that it names.
        let whole = below
            .match_indices('/')
            .map(|(at, _)| at)
            .filter(|_| rule.whole);
        let mut named = whole.chain([below.len()]);
        (take.is_empty() || named.any(|end| below.get(..end).is_some_and(|it| fits(&take, it))))
            && !fits(&spare, below)
    };
    led.iter().filter(|below| below.iter().any(takes)).count() > most
}
