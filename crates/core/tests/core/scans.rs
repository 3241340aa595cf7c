//! A scan finds what is there, once, inside the target, and says what it couldn't read.

use std::collections::{BTreeMap, BTreeSet, HashMap};
use std::fmt::Write as _;
use std::os::unix::ffi::OsStrExt as _;
use std::os::unix::fs::MetadataExt as _;
use std::path::Path;
use std::sync::Arc;

use jolly_core::CancelToken;
use jolly_core::computer::TargetPath;
use jolly_core::pile::{Scan, ScanOrder, scan};
use jolly_core::rule::{Fit, Guards, band_of};
use jolly_core::source::ItemKind;
use jolly_demo::{Fault, FaultyDisk};
use proptest::prelude::*;

use crate::support::{Bench, DAY, NOW, arb_tree, build, now, scan_on};

/// Which rule and account own each file of a tree, found the slow and simple way: every file is
/// held against every search in turn.
fn naive(scan: &Scan, root: &Path) -> BTreeMap<Vec<u8>, (usize, Option<usize>)> {
    let mut owners = BTreeMap::new();
    let mut guards = Guards::new(&scan.target.places, Vec::new());
    scan.searches
        .iter()
        .for_each(|search| guards.add_root(search.root.clone()));
    let mut waiting = vec![root.to_owned()];
    while let Some(folder) = waiting.pop() {
        for entry in std::fs::read_dir(&folder).unwrap().flatten() {
            let path = entry.path();
            if entry.file_type().unwrap().is_dir() {
                waiting.push(path);
                continue;
            }
            let below = path
                .strip_prefix(root)
                .unwrap()
                .as_os_str()
                .as_bytes()
                .to_vec();
            let target_path = TargetPath::new(below.clone()).unwrap();
            let fits = |search: &&jolly_core::rule::Search| {
                let rule = scan.rules.rule(search.rule);
                // What a file is inside isn't told by names, and these are nothing.
                rule.rule.detect.is_none()
                    && rule.rule.looks_like.is_empty()
                    && target_path
                        .below(&search.root)
                        .is_some_and(|below| !below.is_empty() && rule.fit(below) == Fit::Takes)
            };
            let Some(search) = scan.searches.iter().find(fits) else {
                continue;
            };
            let rule = scan.rules.rule(search.rule);
            if guards
                .path(&target_path, &rule.rule, &search.root)
                .is_none()
            {
                owners.insert(below, (search.rule.0, search.account));
            }
        }
    }
    owners
}

/// A scan's own books, added up again from the items.
fn assert_adds_up(scan: &Scan) {
    let mut seen = BTreeSet::new();
    let mut inodes: HashMap<(u64, u64), u64> = HashMap::new();
    for pile in &scan.piles {
        let found = pile.found();
        assert_eq!(found.bytes, pile.bands.iter().sum::<u64>());
        assert_eq!(found.items, pile.items().len() as u64);
        let mut bands = [0_u64; 12];
        for item in pile.items() {
            assert!(seen.insert(item), "an item is in two piles");
            bands[band_of(scan.age(item))] += scan.arena.frees(item);
            // Entries share the inode of their list, and each has a part of it.
            if scan.arena.kind(item) == ItemKind::Entry {
                assert!(scan.arena.frees(item) <= scan.arena.allocated(item));
                continue;
            }
            let key = scan.arena.key(item);
            *inodes.entry((key.device, key.inode)).or_default() += scan.arena.frees(item);
        }
        assert_eq!(bands, pile.bands);
    }
    assert_eq!(seen.len(), scan.arena.item_count());
    for item in &seen {
        if scan.arena.kind(*item) == ItemKind::Entry {
            continue;
        }
        let key = scan.arena.key(*item);
        let counted = inodes[&(key.device, key.inode)];
        assert!(
            counted <= scan.arena.allocated(*item),
            "an inode counts twice"
        );
    }
}

proptest! {
    #![proptest_config(ProptestConfig { cases: 32, ..ProptestConfig::default() })]

    #[test]
    fn prop_the_walker_finds_what_a_naive_look_finds(tree in arb_tree()) {
        let bench = Bench::new();
        build(&bench, &tree);
        let scan = bench.scan();
        assert_adds_up(&scan);
        let mut found = BTreeMap::new();
        for item in scan.arena.items() {
            let path = scan.arena.path(item);
            let metadata = bench.root().join(std::ffi::OsStr::from_bytes(path.as_bytes()))
                .symlink_metadata().unwrap();
            prop_assert_eq!(metadata.ino(), scan.arena.key(item).inode);
            prop_assert_eq!(metadata.blocks() * 512, scan.arena.allocated(item));
            let pile = scan.pile(scan.arena.pile(item));
            // What a recogniser finds is not told by names, so a naive look doesn't know it.
            if scan.rules.rule(pile.rule).rule.detect.is_none() {
                found.insert(path.as_bytes().to_vec(), (pile.rule.0, pile.account));
            }
        }
        prop_assert_eq!(found, naive(&scan, &bench.root()));
    }
}

/// Patterns of every form, over names that trees are made of.
fn arb_patterns(most: usize) -> impl Strategy<Value = Vec<&'static str>> {
    let patterns = prop::sample::select(vec![
        "*",
        "**",
        "**/*.tmp",
        "*.tmp",
        "a",
        "**/a",
        "a/**",
        "*/b.tmp",
        "**/info/*",
        "in?o/**/*",
        "{a,files}/*",
        "{a/b.tmp,files/**}",
        "**/[a-c]*",
        "Default/**",
        "**/old.log*",
        "cache*",
        "**/*.{deb,png}",
        "files/*/info/**",
        "**/*-*",
        "*/*/*",
    ]);
    prop::collection::vec(patterns, 0..=most)
}

proptest! {
    #![proptest_config(ProptestConfig { cases: 48, ..ProptestConfig::default() })]

    #[test]
    fn prop_whatever_the_patterns_each_name_goes_to_the_first_rule_that_takes_it(
        tree in arb_tree(),
        rules in prop::collection::vec((arb_patterns(3), arb_patterns(2)), 1..14),
    ) {
        let mut text = String::new();
        for (number, (take, spare)) in rules.iter().enumerate() {
            write!(
                text,
                "[[rule]]\nid = \"r{number}\"\ntitle = \"R\"\nclass = \"ask\"\nabout = \"a\"\n\
                 after = \"b\"\nin = [\"{{temp}}\"]\nspare = {spare:?}\n"
            )
            .unwrap();
            if !take.is_empty() {
                writeln!(text, "take = {take:?}").unwrap();
            }
        }
        let bench = Bench::new().with_book(&text);
        // All of it lies where the rules look.
        let tree: Vec<_> = tree.into_iter().map(|(_, names, thing)| ("tmp", names, thing)).collect();
        build(&bench, &tree);
        let scan = bench.scan();
        assert_adds_up(&scan);
        let owned = scan.arena.items().map(|item| {
            let pile = scan.pile(scan.arena.pile(item));
            (scan.arena.path(item).as_bytes().to_vec(), (pile.rule.0, pile.account))
        });
        prop_assert_eq!(owned.collect::<BTreeMap<_, _>>(), naive(&scan, &bench.root()));
    }
}

#[test]
fn hard_links_count_once_and_only_when_every_name_is_found() {
    let bench = Bench::new();
    bench.tree.file("tmp/one", 8192, 60 * DAY).unwrap();
    bench.tree.hard_link("tmp/one", "var/tmp/two").unwrap();
    bench
        .tree
        .file("home/ada/Documents/kept", 8192, 60 * DAY)
        .unwrap();
    bench
        .tree
        .hard_link("home/ada/Documents/kept", "tmp/also-kept")
        .unwrap();
    bench
        .tree
        .sparse("tmp/sparse", 1 << 30, 4096, 60 * DAY)
        .unwrap();
    let scan = bench.scan();
    let found: u64 = scan.piles.iter().map(|pile| pile.found().bytes).sum();
    assert_eq!(found, 8192 + 4096);
    assert_eq!(scan.arena.item_count(), 4);
}

#[test]
fn links_out_and_pipes_are_never_walked_and_strange_times_hurt_nobody() {
    let bench = Bench::new();
    std::fs::create_dir(bench.outside()).unwrap();
    std::fs::write(bench.outside().join("precious"), b"x").unwrap();
    bench
        .tree
        .link("tmp/out", &bench.outside(), 60 * DAY)
        .unwrap();
    std::fs::create_dir_all(bench.root().join("home/ada")).unwrap();
    std::os::unix::fs::symlink(bench.outside(), bench.root().join("home/ada/.cache")).unwrap();
    bench.tree.pipe("tmp/pipe", 60 * DAY).unwrap();
    bench.tree.file("tmp/old", 4096, NOW + 4000 * DAY).unwrap();
    bench.tree.file("tmp/future", 4096, -30_000 * DAY).unwrap();
    let scan = bench.scan();
    let names: BTreeSet<&[u8]> = scan
        .arena
        .items()
        .map(|item| scan.arena.name(item))
        .collect();
    assert_eq!(names, BTreeSet::from([&b"out"[..], b"old", b"future"]));
    let unread: Vec<&str> = scan
        .unread
        .iter()
        .map(|unread| unread.place.as_str())
        .collect();
    assert_eq!(
        unread,
        ["home/ada/.cache"],
        "a place that is a link is told, not followed"
    );
    let future = scan
        .arena
        .items()
        .find(|item| scan.arena.name(*item) == b"future")
        .unwrap();
    assert_eq!(scan.age(future), 0);
}

#[test]
fn a_mount_below_a_place_is_told_and_not_crossed() {
    let bench = Bench::new();
    bench.tree.file("tmp/mine", 4096, 60 * DAY).unwrap();
    let mounted = bench.tree.folder("tmp/stick").unwrap();
    let mount = |arguments: &[&str]| {
        std::process::Command::new("mount")
            .args(arguments)
            .arg(&mounted)
            .output()
    };
    let made = mount(&["-t", "tmpfs", "none"]);
    if !made.is_ok_and(|output| output.status.success()) {
        jolly_demo::skipped("this machine lets nobody mount, so mounts were not tested");
        return;
    }
    std::fs::write(mounted.join("theirs"), b"x").unwrap();
    // A loop: the whole computer again, below one of its own places.
    let around = bench.tree.folder("tmp/around").unwrap();
    let bound = std::process::Command::new("mount")
        .arg("--bind")
        .args([&bench.root(), &around])
        .status();
    let is_bound = bound.is_ok_and(|status| status.success());
    // A file of somebody else on top of one of ours.
    std::fs::create_dir(bench.outside()).unwrap();
    let precious = bench.outside().join("precious");
    std::fs::write(&precious, vec![1; 9000]).unwrap();
    let covered = bench.tree.file("tmp/covered", 4096, 60 * DAY).unwrap();
    let laid = std::process::Command::new("mount")
        .arg("--bind")
        .args([&precious, &covered])
        .status();
    assert_eq!(laid.is_ok_and(|status| status.success()), is_bound);
    let scan = bench.scan();
    if is_bound {
        for path in [&around, &covered] {
            let unmounted = std::process::Command::new("umount").arg(path).status();
            assert!(unmounted.unwrap().success());
        }
    }
    std::process::Command::new("umount")
        .arg(&mounted)
        .status()
        .unwrap();
    let names: Vec<&[u8]> = scan
        .arena
        .items()
        .map(|item| scan.arena.name(item))
        .collect();
    assert_eq!(names, [&b"mine"[..]]);
    assert!(
        scan.unread
            .iter()
            .any(|unread| unread.reason.contains("another volume"))
    );
}

#[test]
fn a_trash_is_aged_by_its_own_dates_and_what_has_none_stays() {
    let bench = Bench::new();
    let trash = "home/ada/.local/share/Trash";
    let info = |name: &str, text: &str| {
        bench
            .tree
            .text(format!("{trash}/info/{name}.trashinfo"), text, DAY)
            .unwrap();
    };
    bench
        .tree
        .file(format!("{trash}/files/dated"), 4096, 900 * DAY)
        .unwrap();
    info(
        "dated",
        "[Trash Info]\nPath=/home/ada/dated\nDeletionDate=2026-08-01T00:00:00\n",
    );
    bench
        .tree
        .file(format!("{trash}/files/folder/deep/x"), 4096, 900 * DAY)
        .unwrap();
    info(
        "folder",
        "[Trash Info]\nPath=folder\nDeletionDate=2020-01-01T00:00:00\n",
    );
    bench
        .tree
        .file(format!("{trash}/files/hostile"), 4096, 900 * DAY)
        .unwrap();
    info(
        "hostile",
        "[Trash Info]\nPath=../../../etc/passwd\nDeletionDate=2026-99-99\n",
    );
    bench
        .tree
        .file(format!("{trash}/files/alone"), 4096, 900 * DAY)
        .unwrap();
    let scan = bench.scan();
    let ages: BTreeMap<Vec<u8>, u64> = scan
        .arena
        .items()
        .map(|item| (scan.arena.name(item).to_vec(), scan.age(item) / 86_400))
        .collect();
    assert_eq!(ages.len(), 4, "{ages:?}");
    assert!((49..=53).contains(&ages[&b"dated"[..]]), "{ages:?}");
    assert!(ages[&b"x"[..]] > 2000 && ages[&b"folder.trashinfo"[..]] > 2000);
    let undated = scan
        .unread
        .iter()
        .find(|unread| unread.reason.contains("no date"))
        .unwrap();
    assert_eq!(undated.count, 3);
}

#[test]
fn browser_profiles_are_found_by_their_shape_in_any_folder() {
    let bench = Bench::new();
    let chromium = "home/ada/.var/app/org.any.Browser/config/any";
    for file in [
        "Local State",
        "Work/Preferences",
        "Work/Cookies",
        "Work/Cache/f_1",
    ] {
        bench
            .tree
            .file(format!("{chromium}/{file}"), 4096, DAY)
            .unwrap();
    }
    let gecko = "home/ada/.any/thing/q.default";
    for file in [
        "prefs.js",
        "times.json",
        "cookies.sqlite",
        "cache2/entries/AB",
    ] {
        bench
            .tree
            .file(format!("{gecko}/{file}"), 4096, DAY)
            .unwrap();
    }
    bench
        .tree
        .file(
            "home/ada/.cache/any/thing/q.default/cache2/entries/CD",
            4096,
            DAY,
        )
        .unwrap();
    bench
        .tree
        .file("home/ada/.decoy/Default/Preferences", 4096, DAY)
        .unwrap();
    bench
        .tree
        .file("home/ada/.decoy/Default/Cache/f_2", 4096, DAY)
        .unwrap();
    let scan = bench.scan();
    let of = |id: &str| -> BTreeSet<Vec<u8>> {
        let rule = scan.rules.by_id(id).unwrap();
        let items = scan.arena.items();
        items
            .filter(|item| scan.pile(scan.arena.pile(*item)).rule == rule)
            .map(|item| scan.arena.name(item).to_vec())
            .collect()
    };
    assert_eq!(of("chromium-cache"), BTreeSet::from([b"f_1".to_vec()]));
    assert_eq!(
        of("gecko-cache"),
        BTreeSet::from([b"AB".to_vec(), b"CD".to_vec()])
    );
}

#[test]
fn a_stopped_scan_keeps_what_it_has_and_says_that_it_is_a_part() {
    let bench = Bench::demo();
    let cancel = CancelToken::default();
    let stop = cancel.clone();
    let slow = Arc::new(FaultyDisk::new(Fault::None));
    let (target, rules) = (bench.target_on(slow.clone()), bench.rules());
    slow.stall(std::time::Duration::from_millis(1));
    let scan = scan(&ScanOrder::new(&target, &rules, now()), &cancel, &|event| {
        if let jolly_core::walk::ScanEvent::Counted { items, .. } = event
            && items > 0
        {
            stop.cancel();
        }
    });
    assert!(scan.is_partial);
    assert!(scan.arena.item_count() > 0);
    let whole = bench.scan();
    assert!(scan.arena.item_count() < whole.arena.item_count());
    assert_adds_up(&scan);
    // However far a stopped one came: the whole one has everything, entries of lists, too.
    assert_adds_up(&whole);
}

#[test]
fn an_unreadable_folder_is_told_and_the_rest_is_found() {
    let bench = Bench::new();
    bench.tree.file("tmp/open/a", 4096, 60 * DAY).unwrap();
    bench.tree.file("tmp/shut/b", 4096, 60 * DAY).unwrap();
    // Root reads everything, so the refusal comes from the disk: every call fails once.
    let counting = Arc::new(FaultyDisk::new(Fault::None));
    let whole = scan_on(&bench.target_on(counting.clone()), &bench.rules());
    assert_eq!(whole.arena.item_count(), 2);
    let opening = counting.calls();
    let mut told = 0;
    for call in 1..=opening {
        let disk = Arc::new(FaultyDisk::new(Fault::FailAt(call)));
        let target = jolly_core::computer::Target::open(disk, &bench.root(), None, &|_| None);
        let Ok(target) = target else { continue };
        let scan = scan_on(&Arc::new(target), &bench.rules());
        assert_adds_up(&scan);
        assert!(scan.arena.item_count() <= 2);
        let is_less = scan.arena.item_count() < 2;
        told += u32::from(is_less && !scan.unread.is_empty());
    }
    assert!(told > 3, "failures while walking are told, not swallowed");
}
