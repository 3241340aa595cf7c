//! Copies: what is told as the same is the same, and what a pair says equals a naive recount.

use std::collections::{BTreeMap, BTreeSet};
use std::path::Path;

use jolly_core::CancelToken;
use jolly_core::computer::TargetPath;
use jolly_core::survey::{Copies, FolderPair, Side, StaysFor, copies};
use jolly_core::walk::{FolderNumber, walk_tree};
use proptest::prelude::*;

use crate::support::{Bench, DAY};

fn found(bench: &Bench, below: &[&str]) -> Copies {
    let target = bench.target();
    let below: Vec<TargetPath> = below
        .iter()
        .map(|path| TargetPath::new(*path).unwrap())
        .collect();
    let never = CancelToken::default();
    let tree = walk_tree(&target, &below, &never, &|_| {});
    copies(&target, tree, &below, &never, &|_| {})
}

fn path(copies: &Copies, folder: FolderNumber) -> String {
    copies.tree.folder_path(folder).to_string()
}

fn files(copies: &Copies, group: usize) -> BTreeSet<String> {
    let files = copies.groups[group].files.iter();
    files
        .map(|file| copies.tree.file_path(*file).to_string())
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
    copies: &Copies,
    pair: &FolderPair,
    all: &BTreeMap<String, Vec<u8>>,
) -> (u64, u64, u64, u64) {
    let side = |folder: FolderNumber| -> Vec<&Vec<u8>> {
        let path = path(copies, folder);
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
        let copies = found(&bench, &[]);
        let mut all = BTreeMap::new();
        contents(&bench.root(), &bench.root().join("home/ada"), &mut all);
        let mut by_content: BTreeMap<&Vec<u8>, BTreeSet<String>> = BTreeMap::new();
        for (file, bytes) in &all {
            by_content.entry(bytes).or_default().insert(file.clone());
        }
        let wanted: BTreeSet<BTreeSet<String>> =
            by_content.into_values().filter(|files| files.len() > 1).collect();
        let told: BTreeSet<BTreeSet<String>> = (0..copies.groups.len()).map(|at| files(&copies, at)).collect();
        prop_assert_eq!(&told, &wanted);
        let mut in_pairs = BTreeSet::new();
        for pair in &copies.pairs {
            let (shared, bytes, only_a, only_b) = recount(&copies, pair, &all);
            let says = (pair.groups.len() as u64, pair.bytes, pair.only_a, pair.only_b);
            prop_assert_eq!(says, (shared, bytes, only_a, only_b), "{} {}", path(&copies, pair.a), path(&copies, pair.b));
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
    let copies = found(&bench, &[]);
    assert_eq!(copies.pairs.len(), 1, "{:?}", copies.pairs);
    let pair = &copies.pairs[0];
    let names = (path(&copies, pair.a), path(&copies, pair.b));
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
    // Of chosen folders alone.
    assert!(found(&bench, &["home/ada/Downloads"]).groups.is_empty());
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
    let copies = found(&bench, &[]);
    let groups: Vec<BTreeSet<String>> = (0..copies.groups.len())
        .map(|at| files(&copies, at))
        .collect();
    assert!(groups.is_empty(), "{groups:?}");
    text("home/ada/Videos/song.ogg", "la la la");
    let copies = found(&bench, &[]);
    assert_eq!(copies.groups.len(), 1);
    let told = files(&copies, 0);
    assert!(
        told.contains("home/ada/Videos/song.ogg") && told.len() == 2,
        "{told:?}"
    );
    assert!(!copies.is_partial && copies.candidates == 2);
}
