//! Copies: what is told as the same is the same, and what a pair says equals a naive recount.

use std::collections::{BTreeMap, BTreeSet};
use std::path::Path;
use std::sync::Arc;

use jolly_core::CancelToken;
use jolly_core::computer::{Target, TargetPath};
use jolly_core::decide::{Choice, Decisions, PileDecision, Selection, copies_that_go};
use jolly_core::pile::{Scan, ScanOrder, scan};
use jolly_core::plan::{Manifest, Outcome, make_manifest};
use jolly_core::rule::{Class, Removal, RuleSet, Survey};
use jolly_core::source::PileId;
use jolly_core::survey::{
    ChosenCopy, Copies, FileSort, FolderPair, MeantTheSame, PairChoice, Side, StaysFor,
    chosen_copies, copies, said_of,
};
use jolly_core::walk::{FileTree, FolderNumber, walk_tree};
use jolly_demo::{Fault, FaultyDisk};
use proptest::prelude::*;

use crate::support::{Bench, DAY, bring_back, manifest_of, now, run};

/// What was found, with the tree that it was found in.
pub(crate) struct Found {
    pub(crate) copies: Copies,
    pub(crate) tree: FileTree,
}

pub(crate) fn look(bench: &Bench, below: &[&str]) -> Found {
    look_but_for(bench, below, &MeantTheSame::default())
}

/// The same, where some folders are meant to be the same.
fn look_but_for(bench: &Bench, below: &[&str], meant: &MeantTheSame) -> Found {
    let target = bench.target();
    let below: Vec<TargetPath> = below
        .iter()
        .map(|path| TargetPath::new(*path).unwrap())
        .collect();
    let never = CancelToken::default();
    let tree = walk_tree(&target, &below, &never, &|_| {});
    let copies = copies(&target, &tree, (&below, meant), &never, &|_| {});
    Found { copies, tree }
}

fn path(found: &Found, folder: FolderNumber) -> String {
    found.tree.folder_path(folder).to_string()
}

fn files(found: &Found, group: usize) -> BTreeSet<String> {
    let files = found.copies.groups[group].files.iter();
    files
        .map(|file| found.tree.file_path(*file).to_string())
        .collect()
}

/// Contents of what may be a copy, by path: read anew, hidden files left out.
fn contents(root: &Path, folder: &Path, all: &mut BTreeMap<String, Vec<u8>>) {
    for entry in std::fs::read_dir(folder).unwrap() {
        let path = entry.unwrap().path();
        let stat = path.symlink_metadata().unwrap();
        if stat.is_dir() {
            contents(root, &path, all);
        } else if stat.is_file() && stat.len() > 0 {
            let own = path.strip_prefix(root).unwrap().to_string_lossy();
            all.insert(own.into_owned(), std::fs::read(&path).unwrap());
        }
    }
}

const FOLDERS: [&str; 8] = [
    "Pictures",
    "Pictures/1",
    "Pictures/2",
    "stick",
    "stick/1",
    "stick/2",
    "stick/2/deep",
    "x",
];

/// What a pair must say, by all contents.
fn recount(
    found: &Found,
    pair: &FolderPair,
    all: &BTreeMap<String, Vec<u8>>,
) -> (u64, u64, u64, u64) {
    let side = |folder: FolderNumber| -> Vec<&Vec<u8>> {
        let path = path(found, folder);
        let is_in = |file: &str| match file.strip_prefix(&format!("{path}/")) {
            Some(rest) => pair.is_whole || !rest.contains('/'),
            None => false,
        };
        let own = all.iter().filter(|(file, _)| is_in(file));
        own.map(|(_, bytes)| bytes).collect()
    };
    let (a, b) = (side(pair.a), side(pair.b));
    let shared: BTreeSet<&Vec<u8>> = a
        .iter()
        .copied()
        .filter(|bytes| b.contains(bytes))
        .collect();
    let only = |one: &[&Vec<u8>], other: &[&Vec<u8>]| {
        one.iter().filter(|bytes| !other.contains(bytes)).count() as u64
    };
    let bytes = shared.iter().map(|bytes| bytes.len() as u64).sum();
    (shared.len() as u64, bytes, only(&a, &b), only(&b, &a))
}

proptest! {
    #![proptest_config(ProptestConfig::with_cases(40))]

    #[test]
    fn prop_groups_and_pairs_equal_a_naive_recount(
        made in proptest::collection::vec((0..FOLDERS.len(), 0_usize..7, 0_usize..3), 0..40)
    ) {
        let bench = Bench::new();
        for (number, (folder, content, size)) in made.iter().enumerate() {
            // Alike in length, in both ends or in all.
            let size = [10, 4_096, 20_000][*size];
            let mut bytes = vec![7_u8; size];
            let middle = size / 2;
            bytes[middle] = u8::try_from(*content).unwrap();
            let own = format!("home/ada/{}/{number:02}", FOLDERS[*folder]);
            bench.tree.text(own, bytes, 10 * DAY).unwrap();
        }
        let found = look(&bench, &[]);
    let copies = &found.copies;
        let mut all = BTreeMap::new();
        contents(&bench.root(), &bench.root().join("home/ada"), &mut all);
        let mut by_content: BTreeMap<&Vec<u8>, BTreeSet<String>> = BTreeMap::new();
        for (file, bytes) in &all {
            by_content.entry(bytes).or_default().insert(file.clone());
        }
        let wanted: BTreeSet<BTreeSet<String>> =
            by_content.into_values().filter(|files| files.len() > 1).collect();
        let told: BTreeSet<BTreeSet<String>> = (0..copies.groups.len()).map(|at| files(&found, at)).collect();
        prop_assert_eq!(&told, &wanted);
        let mut in_pairs = BTreeSet::new();
        for pair in &copies.pairs {
            let (shared, bytes, only_a, only_b) = recount(&found, pair, &all);
            let says = (pair.groups.len() as u64, pair.bytes, pair.only_a, pair.only_b);
            prop_assert_eq!(says, (shared, bytes, only_a, only_b), "{} {}", path(&found, pair.a), path(&found, pair.b));
            prop_assert!(pair.a != pair.b);
            in_pairs.extend(pair.groups.iter().copied());
        }
        let rest: BTreeSet<usize> = copies.rest.iter().copied().collect();
        prop_assert!(in_pairs.is_disjoint(&rest));
        prop_assert_eq!(in_pairs.len() + rest.len(), copies.groups.len());
    }
}

/// A dump of a stick and the pictures that were sorted out of it: one pair of folders, however many lie below.
#[test]
fn folders_in_folders_are_one_pair_and_documents_stay_before_downloads() {
    let bench = Bench::new();
    let home = "home/ada";
    for number in 0..12 {
        let bytes = format!("picture {number}").repeat(900 + number);
        let folder = ["spring", "spring/kay", "summer"][number % 3];
        for top in ["Pictures/boats", "Downloads/stick"] {
            let own = format!("{home}/{top}/{folder}/{number}.jpg");
            bench.tree.text(own, &bytes, 90 * DAY).unwrap();
        }
    }
    bench
        .tree
        .text(format!("{home}/Pictures/boats/summer/edited.jpg"), "e", DAY)
        .unwrap();
    let found = look(&bench, &[]);
    let copies = &found.copies;
    assert_eq!(copies.pairs.len(), 1, "{:?}", copies.pairs);
    let pair = &copies.pairs[0];
    let names = (path(&found, pair.a), path(&found, pair.b));
    let (boats, stick) = ("home/ada/Pictures/boats", "home/ada/Downloads/stick");
    let is_boats_first = names.0 == boats;
    assert!(
        is_boats_first || names == (stick.to_owned(), boats.to_owned()),
        "{names:?}"
    );
    let (only_boats, only_stick) = if is_boats_first {
        (pair.only_a, pair.only_b)
    } else {
        (pair.only_b, pair.only_a)
    };
    assert_eq!((pair.groups.len(), only_boats, only_stick), (12, 1, 0));
    let stays = if is_boats_first { Side::A } else { Side::B };
    assert_eq!(pair.stays, Some((stays, StaysFor::OtherIsDumped)));
    assert!(pair.is_whole && copies.rest.is_empty());
    // Whatever lies deeper is meant to be the same, too, and told nowhere.
    let meant = format!("[[same]]\nfolders = [\"{stick}\", \"{boats}\"]\n");
    let meant = MeantTheSame::read("same.toml", &meant).unwrap();
    let but_for = look_but_for(&bench, &[], &meant).copies;
    assert!(but_for.pairs.is_empty() && but_for.rest.is_empty() && but_for.groups.len() == 12);
    // Of chosen folders alone.
    assert!(
        look(&bench, &["home/ada/Downloads"])
            .copies
            .groups
            .is_empty()
    );
}

/// What is no copy, or lies where copies are meant to be, isn't told; what can't be read is.
#[test]
fn names_holes_repositories_and_programs_are_no_copies() {
    let bench = Bench::new();
    let text = |path: &str, bytes: &str| drop(bench.tree.text(path, bytes, DAY).unwrap());
    for folder in [
        "home/ada/Music",
        "home/ada/.cache/x",
        "home/ada/project",
        "home/ada/venv",
        "home/ada/node_modules/y",
        "home/ada/Mail",
        "home/ada/Tides.app/Contents",
        "usr/share/x",
        "etc/x",
        "var/x",
        "opt/x",
        "srv/x",
        "home/ada/store",
    ] {
        text(&format!("{folder}/song.ogg"), "la la la");
    }
    bench.tree.folder("home/ada/project/.git").unwrap();
    for part in ["cur", "new", "tmp"] {
        bench.tree.folder(format!("home/ada/Mail/{part}")).unwrap();
    }
    for part in ["config", "data/a", "index/b", "keys/c", "snapshots/d"] {
        text(&format!("home/ada/store/{part}"), part);
    }
    bench
        .tree
        .hard_link("home/ada/Music/song.ogg", "home/ada/Music/again.ogg")
        .unwrap();
    bench.tree.pipe("home/ada/Music/pipe", DAY).unwrap();
    bench
        .tree
        .link("home/ada/Music/link.ogg", Path::new("song.ogg"), DAY)
        .unwrap();
    for name in ["one", "two"] {
        let path = bench.tree.path(format!("home/ada/Music/{name}.img"));
        std::fs::File::create(path)
            .unwrap()
            .set_len(10 << 40)
            .unwrap();
        text(&format!("home/ada/Music/{name}/.hidden"), "the same");
        text(&format!("home/ada/Music/{name}/Thumbs.db"), "the same");
        text(&format!("home/ada/Music/{name}/empty"), "");
    }
    let found = look(&bench, &[]);
    let copies = &found.copies;
    let groups: Vec<BTreeSet<String>> = (0..copies.groups.len())
        .map(|at| files(&found, at))
        .collect();
    assert!(groups.is_empty(), "{groups:?}");
    text("home/ada/Videos/song.ogg", "la la la");
    let found = look(&bench, &[]);
    let copies = &found.copies;
    assert_eq!(copies.groups.len(), 1);
    let told = files(&found, 0);
    assert!(
        told.contains("home/ada/Videos/song.ogg") && told.len() == 2,
        "{told:?}"
    );
    assert!(!copies.is_partial && copies.candidates == 2);
}

pub(crate) fn scan_with(bench: &Bench, chosen: Vec<ChosenCopy>) -> Scan {
    scan_of(&bench.target(), &bench.rules(), chosen)
}

/// The same on a target that was opened before.
pub(crate) fn scan_of(target: &Arc<Target>, rules: &Arc<RuleSet>, chosen: Vec<ChosenCopy>) -> Scan {
    let order = ScanOrder {
        copies: chosen.into(),
        ..ScanOrder::new(target, rules, now())
    };
    scan(&order, &CancelToken::default(), &|_| {})
}

/// The list of the copies that were chosen; `all` takes what the rules do, too.
pub(crate) fn list_of(scan: &Scan, all: bool) -> Manifest {
    list_by(scan, all, Removal::SetAside)
}

/// The same, where the copies leave in this way.
pub(crate) fn list_by(scan: &Scan, all: bool, by: Removal) -> Manifest {
    let selection = Selection {
        takes_all: all,
        classes: vec![Class::Ask],
        ..Selection::default()
    };
    let mut decisions = Decisions::new(scan, &selection).unwrap();
    let goes = copies_that_go(scan);
    decisions.choose_all(scan, "copies", &goes.nodes, Choice::Take);
    let piles = (0..scan.piles.len()).map(PileId);
    let own = piles.filter(|id| scan.survey_of(*id) == Some(Survey::Copies));
    let wanted = own.map(|id| {
        (
            id,
            PileDecision {
                by,
                ..decisions.of(id)
            },
        )
    });
    let wanted: Vec<(PileId, PileDecision)> = wanted.collect();
    decisions.decide(scan, "way", &wanted);
    make_manifest(scan, &decisions)
}

/// Which side of each pair stays, by the name of its folder; what isn't named isn't said.
pub(crate) fn said(found: &Found, stays: &[(&str, &str)]) -> Vec<PairChoice> {
    let mut all = Vec::new();
    for (kept, other) in stays {
        let names = found
            .copies
            .pairs
            .iter()
            .map(|pair| (path(found, pair.a), path(found, pair.b)));
        let mut names = names.enumerate();
        let at = names.find_map(|(at, (a, b))| {
            let ends = |path: &str, end: &str| path.ends_with(end);
            if ends(&a, kept) && ends(&b, other) {
                Some((at, Side::A))
            } else {
                (ends(&b, kept) && ends(&a, other)).then_some((at, Side::B))
            }
        });
        let (pair, stays) = at.unwrap_or_else(|| panic!("no pair of {kept} and {other}"));
        all.push(PairChoice::all(pair, stays));
    }
    all
}

/// Takes something out of the tree, as somebody else might.
pub(crate) fn away(path: &Path) {
    let out = tempfile::tempdir().unwrap();
    std::fs::rename(path, out.path().join("away")).unwrap();
}

/// Three folders with the same five files, and one of their own each.
pub(crate) fn three() -> Bench {
    let bench = Bench::new();
    for folder in ["Pictures", "stick", "Downloads"] {
        for number in 0..5 {
            let bytes = format!("picture {number} ").repeat(3_000);
            bench
                .tree
                .text(format!("home/ada/{folder}/{number}.jpg"), bytes, 90 * DAY)
                .unwrap();
        }
        bench
            .tree
            .text(format!("home/ada/{folder}/own"), folder, 90 * DAY)
            .unwrap();
    }
    bench
}

#[test]
fn copies_of_a_pair_go_set_aside_and_come_back() {
    let bench = three();
    let found = look(&bench, &[]);
    let said = said(&found, &[("Pictures", "stick")]);
    let chosen = chosen_copies(&found.copies, &found.tree, &said);
    assert_eq!(chosen.len(), 5);
    let scan = scan_with(&bench, chosen);
    // They start left: whoever chose them takes them.
    let all = manifest_of(&scan, false);
    assert!(all.items.iter().all(|item| item.rule != *"survey/copies"));
    let manifest = list_of(&scan, false);
    assert_eq!((manifest.items.len(), manifest.is_surveyed), (5, true));
    assert!(
        manifest
            .items
            .iter()
            .all(|item| item.by == Removal::SetAside
                && item.path.to_string().starts_with("home/ada/stick/"))
    );
    let before = bench.paths();
    let summary = run(&bench, &scan, &manifest, "one", &CancelToken::default()).unwrap();
    assert_eq!(
        summary.sum(Outcome::SetAside).items,
        5,
        "{:?}",
        summary.stayed
    );
    assert!(bench.root().join("home/ada/stick/own").exists());
    let back = bring_back(&bench, &scan, &|_| true);
    assert!(back.items.iter().all(|(_, back)| back.is_back()));
    assert_eq!(bench.paths(), before);
}

/// Of a pair only some sorts may go, and a later look knows what was said.
#[test]
fn files_of_some_sorts_go_and_those_of_others_stay() {
    let bench = Bench::new();
    for folder in ["Pictures", "stick"] {
        for (at, name) in ["1.jpg", "2.JPG", "3.png", "plan.pdf", "song.mp3", "notes"]
            .into_iter()
            .enumerate()
        {
            let bytes = format!("{at}").repeat(5_000);
            let path = format!("home/ada/{folder}/{name}");
            bench.tree.text(path, bytes, 90 * DAY).unwrap();
        }
    }
    let found = look(&bench, &[]);
    let sorts = found.copies.by_sort(&found.copies.pairs[0]);
    assert_eq!(sorts[&FileSort::Picture], (3, 15_000));
    assert_eq!(sorts.values().map(|(files, _)| files).sum::<u64>(), 6);
    let mut said = said(&found, &[("Pictures", "stick")]);
    said[0].spares = [FileSort::Document, FileSort::Other].into();
    let chosen = chosen_copies(&found.copies, &found.tree, &said);
    let goes: Vec<String> = chosen.iter().map(|copy| copy.goes.to_string()).collect();
    let stick =
        ["1.jpg", "2.JPG", "3.png", "song.mp3"].map(|name| format!("home/ada/stick/{name}"));
    assert_eq!(goes, stick);
    assert_eq!(said_of(&found.copies, &found.tree, &chosen), said);
}

#[test]
fn a_copy_stays_unless_another_file_that_stays_has_its_bytes_right_then() {
    type Attack<'a> = (&'a str, &'a dyn Fn(&Bench), u64);
    let picture =
        |bench: &Bench, number: usize| bench.root().join(format!("home/ada/Pictures/{number}.jpg"));
    let other = format!("picture {} ", 1)
        .repeat(3_000)
        .replace("picture", "pictura");
    let attacks: [Attack<'_>; 6] = [
        ("gone", &|bench| away(&picture(bench, 1)), 4),
        (
            "changed in the middle",
            &|bench| std::fs::write(picture(bench, 1), &other).unwrap(),
            4,
        ),
        (
            "longer",
            &|bench| {
                let path = picture(bench, 1);
                let mut bytes = std::fs::read(&path).unwrap();
                bytes.push(0);
                std::fs::write(path, bytes).unwrap();
            },
            4,
        ),
        (
            "a link to the copy itself",
            &|bench| {
                away(&picture(bench, 1));
                std::os::unix::fs::symlink("../stick/1.jpg", picture(bench, 1)).unwrap();
            },
            4,
        ),
        (
            "a folder on its way is a link to the copies",
            &|bench| {
                let pictures = bench.root().join("home/ada/Pictures");
                std::fs::rename(&pictures, bench.root().join("home/ada/elsewhere")).unwrap();
                std::os::unix::fs::symlink("stick", pictures).unwrap();
            },
            0,
        ),
        ("nothing", &|_| {}, 5),
    ];
    for (name, attack, goes) in attacks {
        let bench = three();
        // Only these two, so that nothing else keeps the contents.
        away(&bench.root().join("home/ada/Downloads"));
        let found = look(&bench, &[]);
        let chosen = chosen_copies(
            &found.copies,
            &found.tree,
            &said(&found, &[("Pictures", "stick")]),
        );
        let scan = scan_with(&bench, chosen);
        let manifest = list_of(&scan, false);
        attack(&bench);
        let summary = run(&bench, &scan, &manifest, "one", &CancelToken::default()).unwrap();
        assert_eq!(
            summary.sum(Outcome::SetAside).items,
            goes,
            "{name}: {:?}",
            summary.stayed
        );
        let left = std::fs::read_dir(bench.root().join("home/ada/stick"))
            .unwrap()
            .count() as u64;
        assert_eq!(left, 6 - goes, "{name}");
    }
}

/// The file that stays is another name of the one that goes, or goes by another rule of the same list.
#[test]
fn what_goes_too_keeps_nothing_alive() {
    let bench = three();
    away(&bench.root().join("home/ada/Downloads"));
    let bench = bench.with_book(
        "[[rule]]\nid = \"pictures\"\ntitle = \"Pictures\"\nclass = \"ask\"\nabout = \"x\"\nafter = \"x\"\nin = [\"{home}/Pictures\"]\ntake = [\"2.jpg\"]",
    );
    let found = look(&bench, &[]);
    let chosen = chosen_copies(
        &found.copies,
        &found.tree,
        &said(&found, &[("Pictures", "stick")]),
    );
    let scan = scan_with(&bench, chosen);
    let manifest = list_of(&scan, true);
    assert_eq!(manifest.items.len(), 6);
    let again = bench.root().join("home/ada/stick/3.jpg");
    let stays = bench.root().join("home/ada/Pictures/3.jpg");
    away(&stays);
    std::fs::hard_link(&again, &stays).unwrap();
    let summary = run(&bench, &scan, &manifest, "one", &CancelToken::default()).unwrap();
    assert!(again.exists() && stays.exists());
    let (copy, kept) = ("home/ada/stick/2.jpg", "home/ada/Pictures/2.jpg");
    assert!(
        bench.root().join(copy).exists() && !bench.root().join(kept).exists(),
        "{:?}",
        summary.stayed
    );
    assert_eq!(summary.sum(Outcome::SetAside).items, 4);
}

proptest! {
    #![proptest_config(ProptestConfig::with_cases(24))]

    /// Whatever is said of whichever pairs, in whichever way they leave, whatever else goes, and whatever the disk refuses: of
    /// every contents one file is left.
    #[test]
    fn prop_the_last_copy_never_goes(
        made in proptest::collection::vec((0..FOLDERS.len(), 0_usize..4), 2..30),
        choices in proptest::collection::vec((any::<proptest::sample::Index>(), any::<bool>(), any::<bool>()), 0..12),
        gone in proptest::collection::vec(any::<proptest::sample::Index>(), 0..4),
        by in proptest::sample::select(vec![Removal::SetAside, Removal::Remove, Removal::HardLink]),
        fault in proptest::option::of((1_u64..200, any::<bool>())),
    ) {
        let bench = Bench::new();
        let root = bench.root();
        for (number, (folder, content)) in made.iter().enumerate() {
            let ending = if *content % 2 == 0 { ".jpg" } else { "" };
            let own = format!("home/ada/{}/{number:02}{ending}", FOLDERS[*folder]);
            bench.tree.text(own, vec![u8::try_from(*content).unwrap(); 9_000], 10 * DAY).unwrap();
        }
        let found = look(&bench, &[]);
        let pairs = found.copies.pairs.len();
        let said: Vec<PairChoice> = choices
            .iter()
            .filter(|_| pairs > 0)
            .map(|(at, is_a, spared)| PairChoice {
                spares: (*spared && *is_a).then_some(FileSort::Picture).into_iter().collect(),
                ..PairChoice::all(at.index(pairs), if *is_a { Side::A } else { Side::B })
            })
            .collect();
        let chosen = chosen_copies(&found.copies, &found.tree, &said);
        let going: BTreeSet<TargetPath> = chosen.iter().map(|copy| copy.goes.clone()).collect();
        prop_assert!(chosen.iter().all(|copy| !going.contains(&copy.stays)));
        let disk = Arc::new(FaultyDisk::new(Fault::None));
        let target = bench.target_on(Arc::<FaultyDisk>::clone(&disk));
        let scan = scan_of(&target, &bench.rules(), chosen);
        let manifest = list_by(&scan, false, by);
        prop_assert_eq!(manifest.items.len(), going.len());
        // Meanwhile somebody removes some: these contents were theirs to lose.
        let mut all = BTreeMap::new();
        contents(&root, &root.join("home/ada"), &mut all);
        let paths: Vec<String> = all.keys().cloned().collect();
        for at in &gone {
            let path = root.join(at.get(&paths));
            if path.exists() {
                away(&path);
            }
        }
        let mut before = BTreeMap::new();
        contents(&root, &root.join("home/ada"), &mut before);
        match fault {
            Some((call, true)) => disk.die_at(call),
            Some((call, false)) => disk.fail_at(call),
            None => {}
        }
        let swept = run(&bench, &scan, &manifest, "one", &CancelToken::default());
        prop_assert!(fault.is_some() || swept.is_ok());
        let mut after = BTreeMap::new();
        contents(&root, &root.join("home/ada"), &mut after);
        let left: BTreeSet<&Vec<u8>> = after.values().collect();
        for (path, bytes) in &before {
            prop_assert!(left.contains(bytes), "{path} was the last");
        }
    }
}
