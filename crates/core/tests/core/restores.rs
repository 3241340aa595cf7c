//! What was set aside comes back as it was, onto nothing that is there, and from a damaged dustpan
//! only what is whole.

use std::collections::BTreeMap;
use std::os::unix::ffi::OsStrExt as _;
use std::os::unix::fs::{MetadataExt as _, PermissionsExt as _, symlink};
use std::path::Path;
use std::sync::Arc;

use jolly_core::CancelToken;
use jolly_core::computer::Target;
use jolly_core::dustpan::{Dustpan, NewDustpan, ON_TARGET, Pan, PanItem, RestoreOutcome};
use jolly_core::pile::Scan;
use jolly_core::plan::Manifest;
use jolly_core::run::{
    EmptyError, RestoreError, RestoreOrder, RestoreSummary, SameComputer, empty, read_items,
    restore, verify_log,
};
use jolly_demo::{Fault, FaultyDisk};
use proptest::prelude::*;

use crate::support::{
    Bench, DAY, arb_tree, build, manifest_of, now, run, run_id, scan_on, succeeds,
};

/// A rule that sets aside whatever lies in the folders for temporary files.
const ASIDE: &str = "[[rule]]\nid = \"all\"\ntitle = \"All\"\nclass = \"ask\"\nabout = \"a\"\n\
                     after = \"b\"\nin = [\"{temp}\"]\nempty-folders = true\n";

/// Everything that can be seen of a tree, but for what nobody can give back.
fn seen(root: &Path) -> BTreeMap<Vec<u8>, String> {
    let mut found = BTreeMap::new();
    let mut waiting = vec![root.to_owned()];
    while let Some(folder) = waiting.pop() {
        for entry in std::fs::read_dir(&folder).unwrap() {
            let path = entry.unwrap().path();
            let metadata = path.symlink_metadata().unwrap();
            let content = if metadata.is_symlink() {
                std::fs::read_link(&path).unwrap().display().to_string()
            } else if metadata.is_file() {
                blake3::hash(&std::fs::read(&path).unwrap()).to_string()
            } else {
                waiting.push(path.clone());
                String::new()
            };
            let mut attributes = Vec::new();
            if !metadata.is_symlink() {
                use std::os::fd::AsFd as _;
                let file = std::fs::File::open(&path).unwrap();
                let disk: &dyn jolly_disk::Disk = &jolly_disk::RealDisk;
                attributes = disk.attributes(file.as_fd()).unwrap();
            }
            let line = format!(
                "{:o} {} {} {}.{} {content} {attributes:?}",
                metadata.mode(),
                metadata.uid(),
                metadata.gid(),
                metadata.mtime(),
                metadata.mtime_nsec(),
            );
            let below = path.strip_prefix(root).unwrap();
            found.insert(below.as_os_str().as_bytes().to_vec(), line);
        }
    }
    found
}

fn back(bench: &Bench, target: &Target, wanted: &[u8]) -> Result<RestoreSummary, RestoreError> {
    let pan = Pan::read(&bench.state(), &run_id("one")).unwrap().unwrap();
    let is_wanted = |item: &PanItem| {
        let path = item.path.as_bytes();
        wanted.is_empty()
            || path == wanted
            || (path.starts_with(wanted) && path.get(wanted.len()) == Some(&b'/'))
    };
    let (never, quiet) = (CancelToken::default(), |_, _| {});
    let order = RestoreOrder {
        state: &bench.state(),
        pan: &pan,
        target,
        when: now(),
        same: SameComputer::MustBeKnown,
    };
    restore(&order, &is_wanted, &never, &quiet)
}

/// All but that several names of one file come back as files of their own.
fn all_back(returned: &RestoreSummary) -> bool {
    returned.items.iter().all(|(_, back)| match back {
        RestoreOutcome::RestoredPartly(what) => {
            what.starts_with("it had ") && what.contains(" names")
        }
        back => *back == RestoreOutcome::There,
    })
}

proptest! {
    #![proptest_config(ProptestConfig { cases: 24, ..ProptestConfig::default() })]

    #[test]
    fn prop_what_was_set_aside_comes_back_as_it_was(tree in arb_tree()) {
        let bench = Bench::new().with_book(ASIDE);
        build(&bench, &tree);
        let before = seen(&bench.root());
        let scan = bench.scan();
        let manifest = manifest_of(&scan, true);
        let summary = run(&bench, &scan, &manifest, "one", &CancelToken::default()).unwrap();
        prop_assert!(!summary.has_stayed(), "{:?}", summary.stayed);
        if manifest.items.is_empty() {
            return Ok(());
        }
        let returned = back(&bench, &scan.target, b"").unwrap();
        prop_assert!(all_back(&returned), "{:?}", returned.items);
        let mut after = seen(&bench.root());
        // Folders that stayed had things taken out and put in: their time says so, rightly.
        let gone: std::collections::BTreeSet<_> = manifest.items.iter().map(|item| item.path.as_bytes().to_vec()).collect();
        after.retain(|path, _| gone.contains(path));
        let mut wanted = before;
        wanted.retain(|path, _| gone.contains(path));
        prop_assert_eq!(after, wanted);
    }
}

/// A computer with things that are hard to bring back, all of which are set aside.
fn hard() -> Bench {
    let bench = Bench::new().with_book(ASIDE);
    let tree = &bench.tree;
    let long = vec![0xfe_u8; 255];
    tree.text([b"tmp/job/", &long[..]].concat(), b"long name", 60 * DAY)
        .unwrap();
    tree.text("tmp/job/deep/=formula(1)", b"=1+1", 60 * DAY)
        .unwrap();
    tree.text("tmp/job/deep/line\nbreak", b"\n", 60 * DAY)
        .unwrap();
    tree.file("tmp/job/empty", 0, 60 * DAY).unwrap();
    tree.sparse("tmp/job/holes", 8 << 20, 4096, 60 * DAY)
        .unwrap();
    tree.text("tmp/job/many", b"0123456789".repeat(50_000), 60 * DAY)
        .unwrap();
    tree.link("tmp/job/link", Path::new("../../etc/passwd"), 60 * DAY)
        .unwrap();
    tree.file("tmp/job/before-1970", 10, 90 * 365 * DAY)
        .unwrap();
    tree.mode("tmp/job/many", 0o4751).unwrap();
    tree.mode("tmp/job/deep", 0o710).unwrap();
    // As a shared folder may be set up, where this file system keeps attributes.
    let value = b"first\n30 size=99999999999999999999\nlast";
    let path = bench.root().join("tmp/job/many");
    let kept = rustix::fs::setxattr(&path, "user.origin", value, rustix::fs::XattrFlags::empty());
    assert!(kept.is_ok() || kept == Err(rustix::io::Errno::NOTSUP));
    drop(std::os::unix::fs::lchown(&path, Some(1001), Some(1002)));
    for folder in ["tmp/job/deep", "tmp/job"] {
        tree.age(&bench.root().join(folder), 60 * DAY).unwrap();
    }
    bench
}

fn swept(bench: &Bench) -> (Scan, Manifest) {
    let scan = bench.scan();
    let manifest = manifest_of(&scan, true);
    let summary = run(bench, &scan, &manifest, "one", &CancelToken::default()).unwrap();
    assert!(!summary.has_stayed(), "{:?}", summary.stayed);
    assert!(!bench.root().join("tmp/job").exists());
    (scan, manifest)
}

#[test]
fn names_modes_owners_attributes_holes_and_times_come_back_by_item_by_folder_and_all() {
    let bench = hard();
    let before = seen(&bench.root());
    let holes = bench.root().join("tmp/job/holes");
    let held = std::fs::metadata(&holes).unwrap().blocks();
    let (scan, manifest) = swept(&bench);
    let one = back(&bench, &scan.target, b"tmp/job/deep/line\nbreak").unwrap();
    assert_eq!(one.items.len(), 1);
    assert!(all_back(&one), "{:?}", one.items);
    let partly = seen(&bench.root());
    let path = b"tmp/job/deep/line\nbreak".to_vec();
    assert_eq!(partly[&path], before[&path]);
    // The folders on the way are as they were, too, although nobody asked for them.
    assert_eq!(
        partly[&b"tmp/job/deep".to_vec()],
        before[&b"tmp/job/deep".to_vec()]
    );
    let folder = back(&bench, &scan.target, b"tmp/job/deep").unwrap();
    let told: Vec<&RestoreOutcome> = folder.items.iter().map(|(_, back)| back).collect();
    assert_eq!(
        told.iter()
            .filter(|back| ***back == RestoreOutcome::Exists)
            .count(),
        2,
        "{told:?}"
    );
    let rest = back(&bench, &scan.target, b"").unwrap();
    assert_eq!(rest.items.len(), manifest.items.len());
    let mut after = seen(&bench.root());
    let mut wanted = before;
    // These got contents after they had come back with the first of them.
    for moved in ["tmp", "tmp/job", "tmp/job/deep"] {
        after.remove(moved.as_bytes());
        wanted.remove(moved.as_bytes());
    }
    assert_eq!(after, wanted);
    assert!(
        std::fs::metadata(&holes).unwrap().blocks() <= held.max(256),
        "its holes are holes"
    );
    let again = seen(&bench.root());
    let twice = back(&bench, &scan.target, b"").unwrap();
    assert!(
        twice
            .items
            .iter()
            .all(|(_, back)| *back == RestoreOutcome::Exists)
    );
    assert_eq!(seen(&bench.root()), again, "what is there is never touched");
    let told = read_items(&bench.state(), &run_id("one")).unwrap();
    assert!(
        told.iter()
            .all(|item| item.reason.starts_with("brought back on"))
    );
    verify_log(&bench.state(), &run_id("one")).unwrap();
}

#[test]
fn a_file_of_terabytes_that_holds_nearly_nothing_goes_and_comes_back_as_that() {
    let bench = Bench::new().with_book(ASIDE);
    let tree = &bench.tree;
    tree.text("tmp/job/letter", b"here", 60 * DAY).unwrap();
    let huge = bench.root().join("tmp/job/disk.img");
    let file = std::fs::File::create(&huge).unwrap();
    file.set_len(15 << 40).unwrap();
    for (at, bytes) in [(0, b"begin"), (7 << 40, b"midst")] {
        std::os::unix::fs::FileExt::write_all_at(&file, bytes, at).unwrap();
    }
    drop(file);
    tree.age(&huge, 60 * DAY).unwrap();
    let before = huge.metadata().unwrap();
    let (scan, manifest) = swept(&bench);
    assert!(manifest.items.len() >= 3 && !huge.exists());
    let pan = Pan::read(&bench.state(), &run_id("one")).unwrap().unwrap();
    assert!(pan.packed() < 1 << 20, "{} bytes", pan.packed());
    let listed = std::process::Command::new("tar")
        .args(["--zstd", "-tvf"])
        .arg(bench.state().dustpan(&run_id("one")))
        .output()
        .unwrap();
    let listed = String::from_utf8_lossy(&listed.stdout).into_owned();
    assert!(listed.contains(&(15_u64 << 40).to_string()), "{listed}");
    let returned = back(&bench, &scan.target, b"").unwrap();
    assert!(all_back(&returned), "{:?}", returned.items);
    let after = huge.metadata().unwrap();
    assert_eq!((after.len(), after.mtime()), (before.len(), before.mtime()));
    assert!(after.blocks() <= before.blocks().max(64));
    let file = std::fs::File::open(&huge).unwrap();
    for (at, bytes) in [(0, b"begin"), (7 << 40, b"midst"), (14 << 40, &[0; 5])] {
        let mut there = [0; 5];
        std::os::unix::fs::FileExt::read_exact_at(&file, &mut there, at).unwrap();
        assert_eq!(&there, bytes);
    }
}

#[test]
fn a_restore_that_dies_anywhere_is_run_again_and_everything_is_as_it_was() {
    let bench = hard();
    let before = seen(&bench.root());
    swept(&bench);
    let pristine = bench.state().dustpan_record(&run_id("one"));
    let record = std::fs::read(&pristine).unwrap();
    let counting = Arc::new(FaultyDisk::new(Fault::None));
    let target = bench.target_on(counting.clone());
    let opened = counting.calls();
    back(&bench, &target, b"").unwrap();
    let calls = counting.calls() - opened;
    for call in 1..=calls {
        let used = bench.state().path().join(format!("used-{call}"));
        std::fs::rename(bench.root().join("tmp/job"), used).ok();
        std::fs::write(&pristine, &record).unwrap();
        let disk = Arc::new(FaultyDisk::new(Fault::None));
        let target = bench.target_on(disk.clone());
        disk.die_at(call);
        drop(back(&bench, &target, b""));
        // Of a death nothing is noted.
        std::fs::write(&pristine, &record).unwrap();
        let target = bench.target_on(Arc::new(jolly_disk::RealDisk));
        let returned = back(&bench, &target, b"").unwrap();
        let mut after = seen(&bench.root());
        after.retain(|path, _| path.starts_with(b"tmp/"));
        let mut wanted = before.clone();
        wanted.retain(|path, _| path.starts_with(b"tmp/"));
        for (item, back) in &returned.items {
            let path = &item.path;
            if *back != RestoreOutcome::There {
                // But for its time, which is all that a death at the very end costs a folder.
                let (now, then) = (
                    after.remove(path.as_bytes()),
                    wanted.remove(path.as_bytes()),
                );
                let but_time = |line: &str| line.split(' ').take(3).collect::<Vec<_>>().join(" ");
                let (now, then) = (now.unwrap(), then.unwrap());
                let is_folder = now.starts_with('4');
                assert!(
                    is_folder && *back == RestoreOutcome::Exists,
                    "call {call}: {path} {back:?}"
                );
                assert_eq!(but_time(&now), but_time(&then), "call {call}: {path}");
            }
        }
        assert_eq!(after, wanted, "call {call} of {calls}");
    }
}

#[test]
fn ordinary_tools_unpack_it_with_times_and_attributes() {
    let bench = hard();
    let before = seen(&bench.root());
    swept(&bench);
    let out = bench.outside();
    std::fs::create_dir(&out).unwrap();
    let archive = bench.state().dustpan(&run_id("one"));
    let unpacked = std::process::Command::new("tar")
        .args(["--zstd", "--xattrs", "--atime-preserve", "-xpf"])
        .arg(&archive)
        .arg("-C")
        .arg(&out)
        .output()
        .unwrap();
    assert!(unpacked.status.success(), "{unpacked:?}");
    let mut wanted = before;
    wanted.retain(|path, _| path.starts_with(b"tmp/"));
    let mut found = seen(&out);
    found.retain(|path, _| path.starts_with(b"tmp/"));
    // An ordinary person can't give files away.
    if rustix::process::geteuid().is_root() {
        assert_eq!(found, wanted);
    } else {
        assert!(found.keys().eq(wanted.keys()));
    }
}

#[test]
fn nothing_is_put_onto_what_is_there_through_a_link_or_onto_another_computer() {
    let bench = hard();
    let (scan, _) = swept(&bench);
    let job = bench.root().join("tmp/job");
    std::fs::create_dir(&job).unwrap();
    std::fs::write(job.join("many"), b"somebody's new work").unwrap();
    std::fs::create_dir(bench.outside()).unwrap();
    symlink(bench.outside(), job.join("deep")).unwrap();
    let returned = back(&bench, &scan.target, b"").unwrap();
    let of = |name: &str| {
        let mut items = returned.items.iter();
        let path = format!("tmp/job/{name}");
        items
            .find(|(found, _)| found.path.as_bytes() == path.as_bytes())
            .unwrap()
            .1
            .clone()
    };
    assert_eq!(of("many"), RestoreOutcome::Exists);
    assert_eq!(of("empty"), RestoreOutcome::There);
    assert!(
        matches!(of("deep/=formula(1)"), RestoreOutcome::Failed(_)),
        "{:?}",
        of("deep/=formula(1)")
    );
    assert_eq!(
        std::fs::read(job.join("many")).unwrap(),
        b"somebody's new work"
    );
    assert_eq!(std::fs::read_dir(bench.outside()).unwrap().count(), 0);

    let other = hard();
    let refused = back(&bench, &other.target(), b"");
    assert!(matches!(refused, Err(RestoreError::OtherTarget { .. })));
    let nothing = back(&bench, &scan.target, b"home");
    assert!(matches!(nothing, Err(RestoreError::NothingThere { .. })));
}

#[test]
fn onto_a_place_that_takes_nothing_nothing_comes_and_it_can_be_tried_again() {
    let bench = hard();
    let before = seen(&bench.root());
    let (scan, _) = swept(&bench);
    let place = bench.root().join("tmp");
    if !succeeds("chattr", &["+i"], &place) {
        jolly_demo::skipped(
            "nothing can be marked here, so a place that takes nothing was not tried",
        );
        return;
    }
    let bare = seen(&bench.root());
    let refused = back(&bench, &scan.target, b"").unwrap();
    let after = seen(&bench.root());
    succeeds("chattr", &["-i"], &place);
    assert!(!refused.items.is_empty());
    let failed = |(_, back): &(PanItem, RestoreOutcome)| {
        matches!(back, RestoreOutcome::Failed(_) | RestoreOutcome::Denied(_))
    };
    assert!(refused.items.iter().all(failed), "{:?}", refused.items);
    assert_eq!(after, bare);
    let returned = back(&bench, &scan.target, b"").unwrap();
    assert!(all_back(&returned), "{:?}", returned.items);
    let (after, below) = (seen(&bench.root()), b"tmp/job");
    let job = |all: &BTreeMap<Vec<u8>, String>| {
        let mut all = all.clone();
        all.retain(|path, _| path.starts_with(below));
        all
    };
    assert_eq!(job(&after), job(&before));
}

#[test]
fn from_a_damaged_dustpan_comes_only_what_is_whole_and_the_rest_is_told() {
    let bench = hard();
    let before = seen(&bench.root());
    let (scan, _) = swept(&bench);
    let archive = bench.state().dustpan(&run_id("one"));
    let whole = std::fs::read(&archive).unwrap();
    for at in (0..whole.len()).step_by((whole.len() / 40).max(1)) {
        let mut damaged = whole.clone();
        damaged[at] ^= 0x55;
        if at % 3 == 0 {
            damaged.truncate(at);
        }
        std::fs::write(&archive, &damaged).unwrap();
        let returned = back(&bench, &scan.target, b"").unwrap();
        let after = seen(&bench.root());
        for (item, back) in &returned.items {
            let path = &item.path;
            let there = after.get(path.as_bytes());
            match back {
                RestoreOutcome::There | RestoreOutcome::RestoredPartly(_) => {
                    let is_folder = there.is_some_and(|there| there.starts_with('4'));
                    assert!(
                        is_folder || there == before.get(path.as_bytes()),
                        "byte {at}: {path}"
                    );
                }
                RestoreOutcome::Damaged => assert!(
                    there.is_none_or(|it| it.starts_with('4')),
                    "byte {at}: {path}"
                ),
                other => panic!("byte {at}: {path}: {other:?}"),
            }
        }
        let strays = after
            .keys()
            .filter(|path| path.windows(13).any(|part| part == b".jolly-broom-"));
        assert_eq!(strays.count(), 0, "byte {at}");
        std::fs::rename(
            bench.root().join("tmp/job"),
            bench.state().path().join(format!("old{at}")),
        )
        .ok();
    }
}

#[test]
fn whatever_call_fails_what_comes_back_is_whole_and_what_does_not_is_told() {
    let counting = Arc::new(FaultyDisk::new(Fault::None));
    let bench = hard();
    let before = seen(&bench.root());
    swept(&bench);
    let target = bench.target_on(counting.clone());
    let opened = counting.calls();
    back(&bench, &target, b"").unwrap();
    let calls = counting.calls() - opened;
    assert!(calls > 40);
    for call in 1..=calls {
        let used = bench.state().path().join(format!("used-{call}"));
        std::fs::rename(bench.root().join("tmp/job"), used).ok();
        let disk = Arc::new(FaultyDisk::new(Fault::None));
        let target = bench.target_on(disk.clone());
        disk.fail_at(call);
        let Ok(returned) = back(&bench, &target, b"") else {
            continue;
        };
        let after = seen(&bench.root());
        for (item, back) in &returned.items {
            let path = &item.path;
            let there = after.get(path.as_bytes());
            let is_folder = there.is_some_and(|there| there.starts_with('4'));
            if *back == RestoreOutcome::There && !is_folder {
                assert_eq!(there, before.get(path.as_bytes()), "call {call}: {path}");
            }
            if !back.is_back() {
                assert!(there.is_none() || is_folder, "call {call}: {path} {back:?}");
            }
        }
    }
}

#[test]
fn a_dustpan_is_emptied_by_hand_and_the_log_says_so() {
    let bench = hard();
    let (scan, _) = swept(&bench);
    let disk = jolly_disk::RealDisk;
    let archive = bench.state().dustpan(&run_id("one"));
    assert_eq!(
        std::fs::metadata(&archive).unwrap().permissions().mode() & 0o777,
        0o600
    );
    let pan = Pan::read(&bench.state(), &run_id("one")).unwrap().unwrap();
    let emptied = empty(&bench.state(), &disk, &pan, now()).unwrap();
    assert!(emptied.freed > 0 && !archive.exists());
    assert!(Pan::all(&bench.state()).unwrap().is_empty());
    let told = read_items(&bench.state(), &run_id("one")).unwrap();
    assert!(
        told.iter()
            .all(|item| item.reason.starts_with("the dustpan was emptied on"))
    );
    let refused = back(&bench, &scan.target, b"");
    assert!(matches!(refused, Err(RestoreError::Emptied { .. })));
}

#[test]
fn nobody_empties_a_dustpan_that_is_being_filled() {
    let bench = hard();
    let (scan, _) = swept(&bench);
    let pan = Pan::read(&bench.state(), &run_id("one")).unwrap().unwrap();
    let filled = std::fs::File::open(bench.state().dustpan(&run_id("one"))).unwrap();
    filled.lock().unwrap();
    let refused = empty(&bench.state(), &jolly_disk::RealDisk, &pan, now());
    assert!(matches!(refused, Err(EmptyError::BeingFilled)));
    drop(filled);
    assert!(all_back(&back(&bench, &scan.target, b"").unwrap()));
    let new = NewDustpan {
        run: &run_id("two"),
        started: now(),
        target: &scan.target,
        folder: None,
    };
    let under_way = Dustpan::create(&bench.state(), &new).unwrap();
    let pan = Pan::read(&bench.state(), &run_id("two")).unwrap().unwrap();
    let refused = empty(&bench.state(), &jolly_disk::RealDisk, &pan, now());
    assert!(matches!(refused, Err(EmptyError::BeingFilled)));
    drop(under_way);
    empty(&bench.state(), &jolly_disk::RealDisk, &pan, now()).unwrap();
}

#[test]
fn a_dustpan_whose_disk_is_full_costs_nothing_but_the_run() {
    let bench = hard();
    let dir = tempfile::tempdir().unwrap();
    let mounted = std::process::Command::new("mount")
        .args(["-t", "tmpfs", "-o", "size=400k,mode=700", "none"])
        .arg(dir.path())
        .output();
    if !mounted.is_ok_and(|mounted| mounted.status.success()) {
        jolly_demo::skipped("a small disk can't be mounted here, so a full dustpan was not tried");
        return;
    }
    // What doesn't pack: it can't fit.
    let mut noise = vec![0_u8; 1 << 20];
    blake3::Hasher::new().finalize_xof().fill(&mut noise);
    bench.tree.text("tmp/noise", &noise, 60 * DAY).unwrap();
    let before = seen(&bench.root());
    let scan = scan_on(&bench.target(), &bench.rules());
    let manifest = manifest_of(&scan, true);
    let summary = crate::support::run_into(
        &bench,
        &scan,
        &manifest,
        "one",
        Some(&dir.path().join(ON_TARGET)),
    )
    .unwrap();
    drop(
        std::process::Command::new("umount")
            .arg("-l")
            .arg(dir.path())
            .status(),
    );
    assert!(summary.has_stayed());
    let gone = jolly_core::plan::Outcome::SetAside;
    assert_eq!(
        summary.sum(gone).items,
        0,
        "all was in the frame that did not fit"
    );
    assert_eq!(seen(&bench.root()), before, "nothing is lost");
    let items = read_items(&bench.state(), &run_id("one")).unwrap();
    assert!(items.iter().all(|item| item.outcome.is_some()));
}
