//! What removed programs left behind: a set of folders with the right answers, and what holds whatever is there.

use std::collections::BTreeMap;

use jolly_core::CancelToken;
use jolly_core::computer::Layout;
use jolly_core::rule::hostile_home;
use jolly_core::survey::{Belongs, Grade, Leftover, inventory, leftovers, programs};
use jolly_demo::{FIXED_DISK, shell_link};
use proptest::prelude::*;
use regf::{DataType, HiveBuilder, KeyTreeNode, KeyTreeValue};

use crate::support::{Bench, DAY, now};

fn left_on(bench: &Bench) -> Vec<Leftover> {
    let (target, cancel) = (bench.target(), CancelToken::default());
    let belongs = Belongs::built_in();
    let inventory = inventory(&target, &belongs, &cancel);
    leftovers(&target, (&inventory, &belongs), now(), &cancel)
}

/// The grade of each folder, by path.
pub(crate) fn grades(found: &[Leftover]) -> BTreeMap<String, Grade> {
    let all = found
        .iter()
        .flat_map(|one| one.folders.iter().map(|folder| (folder, one.grade)));
    all.map(|(folder, grade)| (folder.path.to_string(), grade))
        .collect()
}

/// The sets.
pub(crate) const SETS: [(Layout, &str); 3] = [
    (Layout::Linux, include_str!("../leftovers/linux.txt")),
    (Layout::Windows, include_str!("../leftovers/windows.txt")),
    (Layout::Macos, include_str!("../leftovers/macos.txt")),
];

/// A computer out of a labelled set; with its answers.
pub(crate) struct Labelled {
    pub(crate) bench: Bench,
    /// Answer and path.
    pub(crate) answers: Vec<(String, String)>,
}

impl Labelled {
    pub(crate) fn build(layout: Layout, text: &str) -> Self {
        let bench = Bench::bare(layout);
        let tree = &bench.tree;
        let put =
            |path: &str, bytes: &[u8], days: i64| drop(tree.text(path, bytes, days * DAY).unwrap());
        let mut status = String::new();
        let mut hive = KeyTreeNode::new("root");
        let mut answers = Vec::new();
        match layout {
            Layout::Linux => {
                put("etc/os-release", b"ID=quay\n", 900);
                let accounts =
                    "ada:x:1001:1001::/home/ada:/bin/sh\nbo:x:1002:1002::/home/bo:/bin/sh\n";
                put("etc/passwd", accounts.as_bytes(), 900);
            }
            Layout::Windows => {
                put("Windows/System32/config/SYSTEM", b"", 900);
                put("Windows/System32/kernel32.dll", b"", 900);
                put(
                    "Users/Ada/NTUSER.DAT",
                    &HiveBuilder::from_tree(KeyTreeNode::new("r"))
                        .unwrap()
                        .build()
                        .unwrap(),
                    1,
                );
                put(
                    "Users/Bo/NTUSER.DAT",
                    &HiveBuilder::from_tree(KeyTreeNode::new("r"))
                        .unwrap()
                        .build()
                        .unwrap(),
                    1,
                );
            }
            Layout::Macos => {
                tree.folder("System/Library/CoreServices").unwrap();
                for home in ["ada", "bo"] {
                    tree.folder(format!("Users/{home}/Library/Preferences"))
                        .unwrap();
                }
            }
        }
        for line in text.lines().filter(|line| !line.starts_with('#')) {
            let parts: Vec<&str> = line.split('\t').collect();
            match parts[..] {
                ["program", id, title, maker] => match layout {
                    Layout::Linux => {
                        status += &package(id, "install ok installed");
                        put(
                            &format!("var/lib/dpkg/info/{id}.list"),
                            format!("/usr/bin/{id}\n").as_bytes(),
                            90,
                        );
                        put(&format!("usr/bin/{id}"), b"#!/bin/sh\n", 90);
                        launcher(tree, id, title);
                    }
                    Layout::Windows => {
                        record(
                            &mut hive,
                            id,
                            &[("DisplayName", title), ("Publisher", maker)],
                        );
                        put(&format!("Program Files/{title}/{id}.exe"), b"MZ", 90);
                    }
                    Layout::Macos => {
                        let list = [("CFBundleIdentifier", id), ("CFBundleName", title)];
                        put(
                            &format!("Applications/{title}.app/Contents/Info.plist"),
                            &dictionary(&list),
                            90,
                        );
                    }
                },
                ["removed", id] => match layout {
                    Layout::Linux => status += &package(id, "deinstall ok config-files"),
                    Layout::Windows => {
                        let lies = format!("C:\\Program Files\\{id} Gone\\");
                        record(
                            &mut hive,
                            id,
                            &[("DisplayName", id), ("InstallLocation", &lies)],
                        );
                    }
                    Layout::Macos => {
                        let path = format!("private/var/db/receipts/{id}.plist");
                        put(
                            &path,
                            &dictionary(&[
                                ("PackageIdentifier", id),
                                ("InstallPrefixPath", "Applications"),
                            ]),
                            900,
                        );
                    }
                },
                ["launcher", id, title] => match layout {
                    Layout::Linux => launcher(tree, id, title),
                    Layout::Windows => {
                        let link = shell_link(
                            &format!("C:\\Program Files\\{title} Gone\\{id}.exe"),
                            FIXED_DISK,
                        );
                        put(
                            &format!(
                                "ProgramData/Microsoft/Windows/Start Menu/Programs/{title}.lnk"
                            ),
                            &link,
                            900,
                        );
                    }
                    Layout::Macos => {
                        let list = dictionary(&[("Label", id), ("Program", "/opt/gone/helper")]);
                        put(
                            &format!("Users/ada/Library/LaunchAgents/{id}.plist"),
                            &list,
                            900,
                        );
                    }
                },
                [answer, path, days, files] => {
                    let days: i64 = days.parse().unwrap();
                    for file in files.split(',').filter(|file| !file.is_empty()) {
                        put(&format!("{path}/{file}"), b"x", days);
                    }
                    if files.is_empty() {
                        put(path, &dictionary(&[("a", "b")]), days);
                    }
                    answers.push((answer.to_owned(), path.to_owned()));
                }
                _ => panic!("{line}"),
            }
        }
        match layout {
            Layout::Linux => put("var/lib/dpkg/status", status.as_bytes(), 1),
            Layout::Windows => {
                let bytes = HiveBuilder::from_tree(hive).unwrap().build().unwrap();
                put("Windows/System32/config/SOFTWARE", &bytes, 1);
            }
            Layout::Macos => {}
        }
        Self { bench, answers }
    }
}

fn package(id: &str, state: &str) -> String {
    format!(
        "Package: {id}\nStatus: {state}\nPriority: optional\nArchitecture: amd64\nVersion: 1\n\n"
    )
}

fn launcher(tree: &jolly_demo::TreeBuilder, id: &str, title: &str) {
    let entry = format!("[Desktop Entry]\nType=Application\nName={title}\nExec={id}\n");
    tree.text(
        format!("usr/share/applications/{id}.desktop"),
        entry,
        90 * DAY,
    )
    .unwrap();
}

fn record(hive: &mut KeyTreeNode, id: &str, values: &[(&str, &str)]) {
    let key = hive.get_or_create_path(&format!(
        "Microsoft\\Windows\\CurrentVersion\\Uninstall\\{id}"
    ));
    for (name, text) in values {
        let letters = text.encode_utf16().chain([0]);
        key.values.push(KeyTreeValue {
            name: (*name).to_owned(),
            data_type: DataType::String,
            data: letters.flat_map(u16::to_le_bytes).collect(),
        });
    }
}

fn dictionary(texts: &[(&str, &str)]) -> Vec<u8> {
    let mut list = plist::Dictionary::new();
    for (key, value) in texts {
        list.insert((*key).to_owned(), (*value).into());
    }
    let mut bytes = Vec::new();
    plist::to_writer_xml(&mut bytes, &list).unwrap();
    bytes
}

/// Prints what of the set was found: `cargo test -p jolly-core --test core labelled -- --nocapture`.
#[test]
fn the_labelled_set_is_told_apart() {
    let (mut all, mut left, mut found, mut sure) = (0, 0, 0, 0);
    let mut wrong = Vec::new();
    let mut missed = Vec::new();
    for (layout, text) in SETS {
        let set = Labelled::build(layout, text);
        let grades = grades(&left_on(&set.bench));
        for (answer, path) in &set.answers {
            all += 1;
            let grade = grades.get(path).copied();
            match (&**answer, grade) {
                ("left", Some(Grade::Sure | Grade::Likely)) => {
                    (left, found) = (left + 1, found + 1);
                    sure += u32::from(grade == Some(Grade::Sure));
                }
                ("left", _) => {
                    left += 1;
                    missed.push((path.clone(), grade));
                }
                ("present" | "shared", Some(Grade::Sure | Grade::Likely))
                | ("own", Some(Grade::Sure)) => {
                    wrong.push((answer.clone(), path.clone(), grade));
                }
                _ => {}
            }
        }
    }
    println!(
        "{all} folders, {left} left behind: {found} found, {sure} of them sure; missed {missed:#?}"
    );
    assert!(all >= 300);
    assert_eq!(wrong, []);
    assert!(found * 10 >= left * 9, "{found} of {left}");
    assert!(sure * 3 >= left, "{sure} of {left}");
}

#[test]
fn names_that_belong_together_are_one_programs() {
    let bench = Bench::new();
    for path in [
        ".config/kb4",
        ".cache/knots-and-books",
        ".config/ferry9",
        ".cache/ferrylog",
    ] {
        bench
            .tree
            .text(format!("home/ada/{path}/x"), "x", 500 * DAY)
            .unwrap();
    }
    let status = package("knotbook", "install ok installed")
        + &package("ferrylog", "deinstall ok config-files");
    bench.tree.text("var/lib/dpkg/status", status, DAY).unwrap();
    let (target, cancel) = (bench.target(), CancelToken::default());
    let mut belongs = Belongs::built_in();
    let table = "[[belongs]]\nprogram = \"knotbook\"\nnames = [\"KB 4\", \"Knots and Books\"]\n\
                 [[belongs]]\nprogram = \"ferrylog\"\nnames = [\"ferry9\"]\n";
    belongs.add("belongs.toml", table).unwrap();
    let inventory = programs(&target, &belongs, &cancel);
    let knotbook = inventory
        .programs
        .iter()
        .find(|one| one.id == "knotbook")
        .unwrap();
    assert_eq!(knotbook.footprint.len(), 2);
    let found = leftovers(&target, (&inventory, &belongs), now(), &cancel);
    assert_eq!(found.len(), 1, "{found:#?}");
    assert_eq!((found[0].grade, found[0].folders.len()), (Grade::Sure, 2));
}

#[test]
fn where_records_are_damaged_nothing_is_sure_and_what_is_guarded_never_appears() {
    let text = include_str!("../leftovers/linux.txt");
    let set = Labelled::build(Layout::Linux, text);
    let tree = &set.bench.tree;
    for guarded in [
        ".ssh",
        ".gnupg",
        ".local/share/keyrings",
        ".password-store",
        ".config/autostart",
    ] {
        tree.text(format!("home/ada/{guarded}/old"), "x", 2000 * DAY)
            .unwrap();
    }
    let whole = left_on(&set.bench);
    assert!(whole.iter().any(|one| one.grade == Grade::Sure));
    for path in grades(&whole).keys() {
        assert!(
            !path.contains("ssh")
                && !path.contains("gnupg")
                && !path.contains("key")
                && !path.contains("password"),
            "{path}"
        );
    }
    tree.text("var/lib/pacman/local/broken/desc", "%VERSION%\n1\n", DAY)
        .unwrap();
    let found = left_on(&set.bench);
    assert!(!found.is_empty() && found.iter().all(|one| one.grade == Grade::Unsure));
}

proptest! {
    #![proptest_config(ProptestConfig::with_cases(24))]

    #[test]
    fn prop_one_program_more_never_makes_more_of_a_leftover(
        names in prop::collection::btree_set("[ab]{3,5}(-[0-9])?", 2..7),
        days in prop::collection::vec(10_i64..900, 7),
        added in "[ab]{3,6}",
        removed in "[ab]{3,5}",
    ) {
        let bench = Bench::new();
        let places = [".config", ".cache", ".local/share"];
        for (at, (name, days)) in names.iter().zip(&days).enumerate() {
            let path = format!("home/ada/{}/{name}/x", places[at % 3]);
            bench.tree.text(path, "x", days * DAY).unwrap();
            bench.tree.text(format!("home/ada/.config/maker/{name}/x"), "x", days * DAY).unwrap();
        }
        let status = package(&removed, "deinstall ok config-files");
        bench.tree.text("var/lib/dpkg/status", &status, DAY).unwrap();
        let before = grades(&left_on(&bench));
        let more = status + &package(&added, "install ok installed");
        bench.tree.text("var/lib/dpkg/status", more, DAY).unwrap();
        for (path, grade) in grades(&left_on(&bench)) {
            let known = before.get(&path);
            prop_assert!(known.is_some_and(|known| *known <= grade), "{path}: {known:?}, then {grade:?}");
        }
    }
}

/// What nobody may lose, all of it old and of programs that nobody knows.
#[test]
fn nothing_precious_is_sure_or_likely() {
    for layout in [Layout::Linux, Layout::Windows, Layout::Macos] {
        let set = Labelled::build(layout, "");
        let mut built = 0;
        for precious in hostile_home(layout) {
            built += u32::from(set.bench.tree.text(&precious.path, "x", 1500 * DAY).is_ok());
        }
        assert!(built > 2000, "{built}");
        for one in left_on(&set.bench) {
            assert_eq!(one.grade, Grade::Unsure, "{one:#?}");
        }
    }
}
