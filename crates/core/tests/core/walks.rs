//! The walker under several threads, on trees that change, on disks that fail or stall, and with
//! what it remembers from the scan before.

use std::collections::{BTreeMap, BTreeSet, HashSet};
use std::num::NonZeroUsize;
use std::os::unix::ffi::OsStrExt as _;
use std::sync::Arc;
use std::sync::atomic::{AtomicBool, Ordering};
use std::time::{Duration, Instant};

use jiff::Timestamp;
use jolly_core::CancelToken;
use jolly_core::computer::{EntryKind, Target};
use jolly_core::pile::{PileKey, Scan, ScanOrder, scan};
use jolly_core::rule::RuleSet;
use jolly_core::walk::ScanEvent;
use jolly_demo::{Fault, FaultyDisk};
use proptest::prelude::*;

use crate::support::{Bench, DAY, arb_tree, build, manifest_of, now, scan_on, stride};

/// All that a scan says, whatever order its threads found it in.
#[derive(Debug, PartialEq)]
struct Told {
    items: BTreeMap<Vec<u8>, (usize, u64, i64, u64)>,
    goes: Vec<(Vec<u8>, EntryKind, u64)>,
    unread: Vec<(String, String, u64)>,
    guarded: u64,
    looked_at: u64,
}

fn told(scan: &Scan) -> Told {
    let mut items = BTreeMap::new();
    for pile in &scan.piles {
        for item in pile.items() {
            let row = (
                pile.rule.0,
                scan.arena.frees(item),
                scan.arena.time(item),
                scan.arena.key(item).inode,
            );
            let path = scan.arena.path(item).as_bytes().to_vec();
            assert!(items.insert(path, row).is_none(), "an item is told twice");
        }
    }
    assert_eq!(items.len(), scan.arena.item_count());
    let manifest = manifest_of(scan, true);
    let goes = manifest.items.iter();
    Told {
        items,
        goes: goes
            .map(|item| (item.path.as_bytes().to_vec(), item.kind, item.bytes))
            .collect(),
        unread: (scan.unread.iter())
            .map(|it| (it.place.clone(), it.reason.clone(), it.count))
            .collect(),
        guarded: scan.guarded,
        looked_at: scan.looked_at,
    }
}

fn scan_by(
    workers: usize,
    target: &Arc<Target>,
    rules: &Arc<RuleSet>,
    before: Option<&Scan>,
) -> Scan {
    let order = ScanOrder {
        workers: NonZeroUsize::new(workers).unwrap(),
        before,
        // Names are only taken from memory where a folder has been still for some time.
        now: if before.is_some() { soon() } else { now() },
        ..ScanOrder::new(target, rules, now())
    };
    scan(&order, &CancelToken::default(), &|_| {})
}

/// The clock, moved on as far as a folder has to be still.
#[expect(
    clippy::disallowed_methods,
    reason = "what is proven is proven by the clock"
)]
fn soon() -> Timestamp {
    Timestamp::now() + Duration::from_secs(10)
}

proptest! {
    #![proptest_config(ProptestConfig { cases: 24, ..ProptestConfig::default() })]

    #[test]
    fn prop_one_thread_and_eight_find_the_same(tree in arb_tree()) {
        let bench = Bench::new();
        build(&bench, &tree);
        let (target, rules) = (bench.target(), bench.rules());
        let one = told(&scan_by(1, &target, &rules, None));
        for workers in [2, 8] {
            prop_assert_eq!(&told(&scan_by(workers, &target, &rules, None)), &one);
        }
    }

    #[test]
    fn prop_what_is_remembered_is_what_would_be_found(
        tree in arb_tree(),
        more in arb_tree(),
        cut in any::<prop::sample::Index>(),
    ) {
        let bench = Bench::new();
        build(&bench, &tree);
        let (target, rules) = (bench.target(), bench.rules());
        let order = ScanOrder { now: soon(), ..ScanOrder::new(&target, &rules, now()) };
        let first = scan(&order, &CancelToken::default(), &|_| {});
        // The clock of a file system may tick only every few milliseconds.
        std::thread::sleep(Duration::from_millis(15));
        build(&bench, &more);
        let paths: Vec<Vec<u8>> = bench.paths().into_iter().collect();
        let victim = bench.tree.path(&paths[cut.index(paths.len())]);
        if victim.is_file() {
            std::fs::rename(&victim, bench.outside().join("taken")).unwrap();
        }
        let again = ScanOrder { before: Some(&first), ..order.clone() };
        let again = scan(&again, &CancelToken::default(), &|_| {});
        let fresh = scan(&order, &CancelToken::default(), &|_| {});
        prop_assert_eq!(told(&again), told(&fresh));
        prop_assert!(again.remembered <= again.looked_at);
    }
}

#[test]
fn a_second_scan_of_a_still_tree_reads_no_name_again_but_looks_at_every_item() {
    let bench = Bench::new();
    for number in 0..300 {
        bench
            .tree
            .file(format!("tmp/{}/f{number}", number % 7), 4096, 60 * DAY)
            .unwrap();
    }
    let counting = Arc::new(FaultyDisk::new(Fault::None));
    let (target, rules) = (bench.target_on(counting.clone()), bench.rules());
    let order = ScanOrder {
        now: soon(),
        ..ScanOrder::new(&target, &rules, now())
    };
    let first = scan(&order, &CancelToken::default(), &|_| {});
    if first.remembered == 0 && !bench.keeps_changes() {
        jolly_demo::skipped("this file system isn't known to keep the last change of folders");
        return;
    }
    let listed = counting.listings();
    // A file grows: its folder does not change.
    let grown = bench.root().join("tmp/3/f3");
    std::fs::write(&grown, vec![1_u8; 100_000]).unwrap();
    let again = ScanOrder {
        before: Some(&first),
        ..order.clone()
    };
    let again = scan(&again, &CancelToken::default(), &|_| {});
    let own: u64 = again.looked_at - again.remembered;
    assert!(
        again.remembered >= 300,
        "{} of {}",
        again.remembered,
        again.looked_at
    );
    assert!(
        counting.listings() - listed < listed,
        "{own} names were read again"
    );
    let found: u64 = again.piles.iter().map(|pile| pile.found().bytes).sum();
    let before: u64 = first.piles.iter().map(|pile| pile.found().bytes).sum();
    assert!(found > before + 90_000, "a changed file is seen as it is");
    // Other rules know nothing of it.
    let other = Arc::new(RuleSet::compile(&[]).unwrap());
    let other = ScanOrder {
        rules: &other,
        before: Some(&first),
        ..order
    };
    assert_eq!(scan(&other, &CancelToken::default(), &|_| {}).remembered, 0);
}

#[test]
fn what_a_stopped_scan_did_not_reach_is_walked_by_the_next() {
    let bench = Bench::new();
    for number in 0..300 {
        let path = format!("tmp/{}/{}/f{number}", number % 9, number % 31);
        bench.tree.file(path, 4096, 60 * DAY).unwrap();
    }
    let disk = Arc::new(FaultyDisk::new(Fault::None));
    let (target, rules) = (bench.target_on(disk.clone()), bench.rules());
    let order = ScanOrder {
        now: soon(),
        ..ScanOrder::new(&target, &rules, now())
    };
    let fresh = told(&scan(&order, &CancelToken::default(), &|_| {}));
    for least in [1, 20, 60, 120, 200] {
        let cancel = CancelToken::default();
        disk.stall(Duration::from_millis(1));
        let part = scan(&order, &cancel, &|event| {
            if matches!(event, ScanEvent::Counted { items, .. } if items >= least) {
                cancel.cancel();
            }
        });
        disk.stall(Duration::ZERO);
        let again = ScanOrder {
            before: Some(&part),
            ..order.clone()
        };
        let again = scan(&again, &CancelToken::default(), &|_| {});
        assert!(!again.is_partial);
        assert_eq!(
            told(&again),
            fresh,
            "after {} items",
            part.arena.item_count()
        );
    }
}

#[test]
fn sizes_that_no_disk_holds_are_summed_up_without_an_end_of_numbers() {
    let bench = Bench::new();
    for number in 0..100 {
        bench
            .tree
            .file(format!("tmp/f{number}"), 0, number * DAY)
            .unwrap();
    }
    bench.tree.hard_link("tmp/f99", "var/tmp/twin").unwrap();
    let disk = Arc::new(FaultyDisk::new(Fault::None));
    let (target, rules) = (bench.target_on(disk.clone()), bench.rules());
    for lie in [1 << 62, i64::MAX as u64 - 511, u64::MAX] {
        disk.lie_about_sizes(lie);
        let scan = scan_by(4, &target, &rules, None);
        let told = told(&scan);
        assert_eq!(told.items.len(), 101);
        let pile = scan
            .pile_of(&PileKey {
                rule: "linux/system-temp".into(),
                account: None,
            })
            .unwrap();
        let pile = scan.pile(pile);
        assert_eq!(pile.found().bytes, u64::MAX);
        let one = pile.first(&scan.arena, 1).bytes;
        assert!(one == lie || one == 0, "{one}");
        assert_eq!(
            pile.bands
                .iter()
                .fold(0_u64, |sum, it| sum.saturating_add(*it)),
            u64::MAX
        );
        assert!(pile.items().all(|item| scan.arena.size(item) == lie));
    }
}

#[test]
fn a_huge_folder_is_shared_and_a_deep_tree_walked_to_its_end() {
    let bench = Bench::new();
    let folder = bench.tree.folder("tmp/huge").unwrap();
    // Names of 255 bytes, any but a slash and a NUL.
    for number in 0..3000_u32 {
        let mut name: Vec<u8> = (0..255).map(|at| 1 + ((number + at) % 255) as u8).collect();
        name.iter_mut()
            .filter(|byte| **byte == b'/')
            .for_each(|byte| *byte = b'_');
        name.splice(..4, format!("{number:04}").into_bytes());
        std::fs::File::create(folder.join(std::ffi::OsStr::from_bytes(&name))).unwrap();
    }
    deepen(&bench.root().join("tmp"), 2000);
    let (target, rules) = (bench.target(), bench.rules());
    let one = scan_by(1, &target, &rules, None);
    assert_eq!(one.arena.item_count(), 3000 + 2000);
    assert_eq!(told(&scan_by(8, &target, &rules, None)), told(&one));
    assert!(one.unread.is_empty(), "{:?}", one.unread);
}

/// Makes a chain of folders with a file in each, deeper than a path may be long.
fn deepen(top: &std::path::Path, depth: usize) {
    use rustix::fs::{Mode, OFlags, mkdirat, open, openat};
    let way = OFlags::RDONLY | OFlags::DIRECTORY;
    let mut at = open(top, way, Mode::empty()).unwrap();
    for _ in 0..depth {
        mkdirat(&at, "deep", Mode::RWXU).unwrap();
        at = openat(&at, "deep", way, Mode::empty()).unwrap();
        openat(&at, "file", OFlags::CREATE, Mode::RUSR | Mode::WUSR).unwrap();
    }
}

#[test]
fn a_tree_that_changes_while_it_is_walked_tells_nothing_twice_and_nothing_from_outside() {
    let bench = Bench::new();
    std::fs::create_dir_all(bench.outside().join("theirs")).unwrap();
    std::fs::write(bench.outside().join("theirs/precious"), b"x").unwrap();
    for folder in 0..20 {
        for file in 0..40 {
            let path = format!("tmp/d{folder}/sub/f{folder}-{file}");
            bench.tree.file(path, 0, 60 * DAY).unwrap();
        }
    }
    let outside: HashSet<u64> = inodes_below(&bench.outside());
    let (target, rules) = (bench.target(), bench.rules());
    let is_over = AtomicBool::new(false);
    std::thread::scope(|scope| {
        let mischief = || {
            let (tmp, out) = (bench.root().join("tmp"), bench.outside());
            for turn in 0_usize.. {
                if is_over.load(Ordering::Relaxed) {
                    return;
                }
                let (one, other) = (turn % 20, (turn * 7 + 3) % 20);
                let sub = tmp.join(format!("d{one}/sub"));
                // Whole folders and single files move from place to place and back.
                let moved = tmp.join(format!("d{other}/moved"));
                if std::fs::rename(&sub, &moved).is_ok() {
                    drop(std::os::unix::fs::symlink(out.join("theirs"), &sub));
                    drop(std::fs::rename(&sub, out.join("link")));
                    drop(std::fs::rename(&moved, &sub));
                }
                let file = sub.join(format!("f{one}-{}", turn % 40));
                let away = tmp.join(format!("d{other}/sub/away-{turn}"));
                if std::fs::rename(&file, &away).is_ok() {
                    drop(std::fs::rename(&away, &file));
                }
            }
        };
        scope.spawn(mischief);
        // Whatever this finds, the mischief ends.
        let _end = End(&is_over);
        let mut most = 0;
        for _ in 0..40 {
            let scan = scan_by(4, &target, &rules, None);
            let mut seen = HashSet::new();
            for item in scan.arena.items() {
                let inode = scan.arena.key(item).inode;
                assert!(
                    seen.insert(inode),
                    "{} is told twice",
                    scan.arena.path(item)
                );
                assert!(!outside.contains(&inode), "{}", scan.arena.path(item));
                assert!(scan.arena.path(item).as_bytes().starts_with(b"tmp/"));
            }
            most = most.max(scan.arena.item_count());
            let told: u64 = scan.piles.iter().map(|pile| pile.found().items).sum();
            assert_eq!(told, scan.arena.item_count() as u64);
        }
        assert!((400..=820).contains(&most), "{most}");
    });
}

struct End<'a>(&'a AtomicBool);

impl Drop for End<'_> {
    fn drop(&mut self) {
        self.0.store(true, Ordering::Relaxed);
    }
}

fn inodes_below(root: &std::path::Path) -> HashSet<u64> {
    use std::os::unix::fs::MetadataExt as _;
    let mut inodes = HashSet::new();
    for entry in std::fs::read_dir(root).unwrap().flatten() {
        let metadata = entry.path().symlink_metadata().unwrap();
        inodes.insert(metadata.ino());
        if metadata.is_dir() {
            inodes.extend(inodes_below(&entry.path()));
        }
    }
    inodes
}

#[test]
fn whatever_call_fails_nothing_is_made_up_and_what_is_missing_is_told() {
    let bench = Bench::new();
    for path in [
        "tmp/a/b/c",
        "tmp/a/d",
        "var/log/x.log.1",
        "home/ada/.cache/q/r",
    ] {
        bench.tree.file(path, 4096, 600 * DAY).unwrap();
    }
    let counting = Arc::new(FaultyDisk::new(Fault::None));
    let (target, rules) = (bench.target_on(counting.clone()), bench.rules());
    let opening = counting.calls();
    let whole = told(&scan_on(&target, &rules));
    let calls = counting.calls() - opening;
    let names: BTreeSet<&Vec<u8>> = whole.items.keys().collect();
    // Several workers make their calls in another order each time, so some of them are enough there.
    for (workers, step) in [(1, stride()), (4, 5 * stride())] {
        for call in (1..=calls).step_by(step) {
            counting.fail_at(call);
            let scan = scan_by(workers, &target, &rules, None);
            let part = told(&scan);
            assert!(part.items.keys().all(|name| names.contains(name)));
            let is_less = part.items.len() < whole.items.len();
            assert!(
                !is_less || !part.unread.is_empty(),
                "call {call} is swallowed"
            );
            // A folder that may hold more never goes.
            for (path, kind, _) in &part.goes {
                let below = [path.as_slice(), b"/"].concat();
                let all = whole.items.keys().filter(|name| name.starts_with(&below));
                let mut missing = all.filter(|name| !part.items.contains_key(*name));
                assert!(*kind != EntryKind::Folder || missing.next().is_none());
            }
            // What was missed is looked for again by the next scan.
            let order = ScanOrder {
                before: Some(&scan),
                now: soon(),
                ..ScanOrder::new(&target, &rules, now())
            };
            let again = self::scan(&order, &CancelToken::default(), &|_| {});
            assert_eq!(told(&again).items, whole.items, "after call {call}");
        }
    }
}

#[test]
fn a_disk_that_stalls_is_stopped_after_the_call_under_way_and_gives_a_part() {
    let bench = Bench::new();
    for number in 0..2000 {
        bench
            .tree
            .file(format!("tmp/f{number}"), 4096, 60 * DAY)
            .unwrap();
    }
    let stall = Duration::from_millis(20);
    let target = bench.target();
    let stalling = Arc::new(FaultyDisk::new(Fault::None));
    let slow = bench.target_on(stalling.clone());
    stalling.stall(stall);
    let cancel = CancelToken::default();
    let (sent, news) = std::sync::mpsc::channel();
    std::thread::scope(|scope| {
        let (rules, token) = (bench.rules(), cancel.clone());
        let (slow, began) = (&slow, Instant::now());
        let walking = scope.spawn(move || {
            let order = ScanOrder::new(slow, &rules, now());
            scan(&order, &token, &|event| {
                drop(sent.send((event, began.elapsed())));
            })
        });
        // News comes although every call takes its time.
        let some = news.iter().find(
            |(event, _)| matches!(event, ScanEvent::Counted { looked_at, .. } if *looked_at > 0),
        );
        assert!(some.is_some(), "nothing was told while the disk stalled");
        cancel.cancel();
        let asked = Instant::now();
        let part = walking.join().unwrap();
        assert!(asked.elapsed() < 75 * stall, "{:?}", asked.elapsed());
        assert!(part.is_partial);
        let whole = scan_on(&target, &bench.rules());
        assert!(part.arena.item_count() < whole.arena.item_count());
        let takes = manifest_of(&part, true);
        let folders = takes.items.iter();
        assert_eq!(
            folders
                .filter(|item| item.kind == EntryKind::Folder)
                .count(),
            0
        );
    });
}
