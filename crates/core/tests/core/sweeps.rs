//! What was shown goes, nothing else, whatever happens meanwhile.

use std::collections::BTreeSet;
use std::os::unix::fs::symlink;
use std::sync::Arc;
use std::sync::atomic::{AtomicUsize, Ordering};

use jolly_core::CancelToken;
use jolly_core::computer::{EntryKind, TargetPath};
use jolly_core::pile::Scan;
use jolly_core::plan::{Manifest, ManifestItem, Outcome};
use jolly_core::run::{
    LogState, Pause, Predictions, Real, Rehearsed, SweepError, forget_rehearsals, read_items,
    rehearse, sweep, verify_log,
};
use jolly_core::state::Journal;
use jolly_demo::{Fault, FaultyDisk};
use jolly_disk::RealDisk;
use proptest::prelude::*;

use crate::support::{
    Bench, DAY, Program, arb_tree, build, context, logged_as_gone, manifest_of, now, paths_of, run,
    run_id, scan_on,
};

fn never() -> CancelToken {
    CancelToken::default()
}

/// Rehearses without keeping a record.
fn rehearsal(scan: &Scan, manifest: &Manifest) -> Rehearsed {
    let confirmed = manifest.clone().confirm();
    rehearse(&context(scan), &confirmed, None, &never(), &now, &|_| {}).unwrap()
}

#[test]
fn the_demo_loses_exactly_what_was_listed_and_a_second_scan_takes_nothing() {
    let bench = Bench::demo();
    let before = bench.paths();
    let scan = bench.scan();
    let manifest = manifest_of(&scan, true);
    let rehearsed = rehearsal(&scan, &manifest);
    assert_eq!(bench.paths(), before, "a rehearsal touches nothing");
    let summary = run(&bench, &scan, &manifest, "one", &never()).unwrap();
    assert_eq!(
        summary.outcomes, rehearsed.summary.outcomes,
        "on a still target both are equal"
    );
    assert!(!summary.has_stayed(), "{:?}", summary.stayed);
    let gone: BTreeSet<Vec<u8>> = before.difference(&bench.paths()).cloned().collect();
    assert_eq!(gone, paths_of(&manifest));
    assert_eq!(
        summary.free_after,
        (summary.free_predicted).saturating_add_signed(summary.compacted),
        "equal to the byte; databases give back what they measured"
    );
    assert_eq!(manifest_of(&bench.scan(), true).takes.items, 0);
    assert!(
        bench
            .root()
            .with_file_name("root-next-door")
            .join("boat-licences.txt")
            .exists()
    );
    verify_log(&bench.state(), &run_id("one")).unwrap();
}

proptest! {
    #![proptest_config(ProptestConfig { cases: 24, ..ProptestConfig::default() })]

    #[test]
    fn prop_no_tree_loses_more_or_less_than_its_manifest(tree in arb_tree()) {
        let bench = Bench::new();
        build(&bench, &tree);
        let before = bench.paths();
        let scan = bench.scan();
        let manifest = manifest_of(&scan, true);
        let summary = run(&bench, &scan, &manifest, "one", &never()).unwrap();
        let gone: BTreeSet<Vec<u8>> = before.difference(&bench.paths()).cloned().collect();
        prop_assert_eq!(gone, paths_of(&manifest), "{:?}", summary.stayed);
        let bytes: u64 = summary.outcomes.values().map(|sum| sum.bytes).sum();
        prop_assert_eq!(bytes, manifest.takes.bytes);
        prop_assert!(bench.outside().join("precious").exists());
    }
}

#[test]
fn a_rehearsal_is_kept_and_each_difference_from_it_is_told_with_its_reason() {
    let bench = small();
    let scan = bench.scan();
    let manifest = manifest_of(&scan, true);
    let confirmed = manifest.clone().confirm();
    let held = Program::holding(&bench.root().join("tmp/d"));
    let first = run_id("first");
    let mut journal = Journal::of_rehearsal(&bench.state(), &first).unwrap();
    let record = Some((&first, now(), &mut journal));
    let rehearsed = rehearse(&context(&scan), &confirmed, record, &never(), &now, &|_| {}).unwrap();
    assert_eq!(rehearsed.summary.sum(Outcome::InUse).items, 1);
    let kept = Predictions::of(&bench.state(), &manifest).unwrap();
    assert_eq!(
        kept.as_ref(),
        Some(&rehearsed.predictions),
        "it reads back as it was"
    );
    assert_eq!(
        verify_log(&bench.state(), &run_id("first")).unwrap().state,
        LogState::Rehearsed
    );
    assert_eq!(
        read_items(&bench.state(), &run_id("first")).unwrap().len(),
        manifest.items.len()
    );
    let mut other = manifest.clone();
    other.items = other.items.range(0..other.items.len() - 1).collect();
    assert_eq!(Predictions::of(&bench.state(), &other).unwrap(), None);

    // One lets go of its file, another takes one, a third goes by itself.
    drop(held);
    let held = Program::holding(&bench.root().join("tmp/job/a"));
    std::fs::rename(bench.root().join("tmp/job/b"), bench.root().join("b")).unwrap();
    let summary = crate::support::run_predicted(&bench, &scan, &manifest, kept.as_ref()).unwrap();
    let compared = summary.compared.unwrap();
    let told: Vec<(&str, Outcome, Outcome)> = compared
        .differences
        .iter()
        .map(|one| (one.path.as_str(), one.predicted, one.actual))
        .collect();
    let (removed, in_use, gone) = (Outcome::Removed, Outcome::InUse, Outcome::Gone);
    let mut wanted = vec![
        ("tmp/d", in_use, removed),
        ("tmp/job/a", removed, in_use),
        ("tmp/job/b", removed, gone),
        ("tmp/job", removed, Outcome::Refused),
    ];
    wanted.sort_by_key(|one| told.iter().position(|other| other.0 == one.0));
    assert_eq!(told, wanted);
    assert!(
        compared.differences.iter().all(|one| !one.why.is_empty()),
        "{compared:?}"
    );
    assert_eq!(
        compared.same + compared.differs,
        manifest.items.len() as u64
    );
    drop(held);
    for later in 10..30 {
        Journal::of_rehearsal(&bench.state(), &run_id(&format!("later-{later}"))).unwrap();
    }
    forget_rehearsals(&bench.state(), &RealDisk).unwrap();
    let left = bench.state().rehearsals().unwrap();
    assert_eq!((left.len(), &*left[0]), (10, "later-20"));
}

/// A small computer with something of every kind that can go.
fn small() -> Bench {
    let bench = Bench::new();
    for name in ["job/a", "job/b", "c", "d"] {
        bench
            .tree
            .file(format!("tmp/{name}"), 4096, 60 * DAY)
            .unwrap();
    }
    bench.tree.hard_link("tmp/c", "var/tmp/twin").unwrap();
    bench
        .tree
        .file("home/ada/.local/share/Trash/files/t", 4096, 60 * DAY)
        .unwrap();
    let info = "[Trash Info]\nPath=t\nDeletionDate=2026-01-01T00:00:00\n";
    bench
        .tree
        .text(
            "home/ada/.local/share/Trash/info/t.trashinfo",
            info,
            60 * DAY,
        )
        .unwrap();
    bench
        .tree
        .file("home/ada/Documents/own", 4096, 60 * DAY)
        .unwrap();
    bench
}

/// The same with folders in which others may change names.
fn small_and_shared() -> Bench {
    let bench = small();
    for folder in [
        "tmp",
        "tmp/job",
        "var/tmp",
        "home/ada/.local/share/Trash/files",
    ] {
        bench.tree.mode(folder, 0o777).unwrap();
    }
    bench
}

#[test]
fn a_disk_that_fails_at_any_call_loses_nothing_unlisted_and_the_log_tells_the_truth() {
    for build in [small, small_and_shared] {
        fails_at_any_call(build);
    }
}

fn fails_at_any_call(build: fn() -> Bench) {
    let counting = Arc::new(FaultyDisk::new(Fault::None));
    let calls = {
        let bench = build();
        let scan = scan_on(&bench.target_on(counting.clone()), &bench.rules());
        let manifest = manifest_of(&scan, true);
        let opening = counting.calls();
        run(&bench, &scan, &manifest, "one", &never()).unwrap();
        counting.calls() - opening
    };
    assert!(calls > 30);
    for call in 1..=calls {
        let bench = build();
        let manifest = manifest_of(&bench.scan(), true);
        // The target is opened and scanned on a good disk first, then the fault is armed.
        let armed = Arc::new(FaultyDisk::new(Fault::None));
        let scan = scan_on(&bench.target_on(armed.clone()), &bench.rules());
        armed.fail_at(call);
        let before = bench.paths();
        let swept = run(&bench, &scan, &manifest, "one", &never());
        let after = bench.paths();
        let gone: BTreeSet<Vec<u8>> = before.difference(&after).cloned().collect();
        assert!(gone.is_subset(&paths_of(&manifest)), "call {call}");
        // At most the empty quarantine, when just its own removal failed.
        let new: Vec<_> = after.difference(&before).collect();
        assert!(new.len() <= 1, "call {call}: {new:?}");
        let Ok(summary) = swept else {
            assert!(
                gone.is_empty(),
                "call {call}: refused to start, yet something is gone"
            );
            continue;
        };
        let items = read_items(&bench.state(), &run_id("one")).unwrap();
        let logged = logged_as_gone(&bench, "one");
        assert_eq!(logged, gone, "call {call}: {:?}", summary.stayed);
        assert_eq!(items.len(), manifest.items.len(), "call {call}");
    }
}

/// Sweeps a computer that was changed after it was shown; says the outcome of one path.
fn outcome_after(change: impl FnOnce(&Bench), path: &str) -> (Outcome, Bench) {
    let bench = small();
    let scan = bench.scan();
    let manifest = manifest_of(&scan, true);
    assert!(paths_of(&manifest).contains(path.as_bytes()));
    change(&bench);
    run(&bench, &scan, &manifest, "one", &never()).unwrap();
    let items = read_items(&bench.state(), &run_id("one")).unwrap();
    let item = items
        .iter()
        .find(|item| item.place.path.path == path)
        .unwrap();
    (item.outcome.unwrap(), bench)
}

#[test]
fn what_changed_since_it_was_shown_stays() {
    let write =
        |bench: &Bench, name: &str| std::fs::write(bench.root().join(name), b"new").unwrap();
    let (outcome, bench) = outcome_after(|bench| write(bench, "tmp/d"), "tmp/d");
    assert_eq!(
        (outcome, bench.root().join("tmp/d").exists()),
        (Outcome::Changed, true)
    );

    let touch = |bench: &Bench| {
        let file = std::fs::File::options()
            .append(true)
            .open(bench.root().join("tmp/d"))
            .unwrap();
        std::io::Write::write_all(&mut &file, b"x").unwrap();
        // Even one who sets size and times back can't set back the last change.
        file.set_len(4096).unwrap();
        bench
            .tree
            .age(&bench.root().join("tmp/d"), 60 * DAY)
            .unwrap();
    };
    assert_eq!(outcome_after(touch, "tmp/d").0, Outcome::Changed);

    let replace = |bench: &Bench| {
        let swapped = bench.root().join("tmp/swapped");
        std::fs::write(&swapped, vec![0_u8; 4096]).unwrap();
        std::fs::rename(&swapped, bench.root().join("tmp/d")).unwrap();
    };
    assert_eq!(outcome_after(replace, "tmp/d").0, Outcome::Changed);
    let vanish = |bench: &Bench| {
        std::fs::rename(bench.root().join("tmp/d"), bench.root().join("d")).unwrap();
    };
    assert_eq!(outcome_after(vanish, "tmp/d").0, Outcome::Gone);
}

#[test]
fn a_folder_swapped_for_a_link_leads_nowhere() {
    let swap = |bench: &Bench| {
        let outside = bench.outside();
        std::fs::create_dir(&outside).unwrap();
        for name in ["a", "b"] {
            std::fs::write(outside.join(name), vec![0_u8; 4096]).unwrap();
        }
        std::fs::rename(bench.root().join("tmp/job"), bench.root().join("tmp/moved")).unwrap();
        symlink(&outside, bench.root().join("tmp/job")).unwrap();
    };
    let (outcome, bench) = outcome_after(swap, "tmp/job/a");
    assert_eq!(outcome, Outcome::Changed);
    assert!(bench.outside().join("a").exists() && bench.outside().join("b").exists());
    assert!(bench.root().join("tmp/moved/a").exists());
}

#[test]
fn a_folder_that_got_a_visitor_stays_and_the_visitor_with_it() {
    let visit = |bench: &Bench| std::fs::write(bench.root().join("tmp/job/late"), b"x").unwrap();
    let (outcome, bench) = outcome_after(visit, "tmp/job");
    assert_eq!(outcome, Outcome::Refused);
    assert!(bench.root().join("tmp/job/late").exists());
    assert!(!bench.root().join("tmp/job/a").exists());
}

#[test]
fn what_a_program_holds_stays_and_the_program_is_named() {
    let bench = small();
    let program = Program::holding(&bench.root().join("tmp/d"));
    let scan = bench.scan();
    let summary = run(&bench, &scan, &manifest_of(&scan, true), "one", &never()).unwrap();
    let stayed = summary
        .stayed
        .iter()
        .find(|stayed| stayed.outcome == Outcome::InUse)
        .unwrap();
    assert!(
        stayed.reason.contains(&format!("pid {}", program.id())),
        "{}",
        stayed.reason
    );
    assert!(bench.root().join("tmp/d").exists());
}

#[test]
fn a_forged_list_reaches_neither_guarded_things_nor_what_its_rule_does_not_have() {
    let bench = small();
    for path in [
        "home/ada/.ssh/id_x",
        "tmp/logins.json",
        "etc/fstab",
        "home/ada/own.txt",
    ] {
        bench.tree.file(path, 4096, 60 * DAY).unwrap();
    }
    let scan = bench.scan();
    let mut manifest = manifest_of(&scan, true);
    let forged = |path: &str, rule: &str| -> ManifestItem {
        use std::os::unix::fs::MetadataExt as _;
        let metadata = bench.root().join(path).symlink_metadata().unwrap();
        let mut item = manifest.items.get(0).unwrap();
        item.kind = if metadata.is_dir() {
            EntryKind::Folder
        } else {
            EntryKind::File
        };
        item.path = TargetPath::new(path).unwrap();
        item.rule = rule.into();
        let stamp = |seconds: i64, nanos: i64| jolly_disk::Stamp {
            seconds,
            nanos: u32::try_from(nanos).unwrap(),
        };
        item.identity.key.inode = metadata.ino();
        item.size = metadata.size();
        item.identity.size = metadata.size();
        item.identity.links = u32::try_from(metadata.nlink()).unwrap();
        item.identity.modified = stamp(metadata.mtime(), metadata.mtime_nsec());
        item.identity.changed = stamp(metadata.ctime(), metadata.ctime_nsec());
        item.after = None;
        item
    };
    let temp = "linux/system-temp";
    let items = [
        forged("tmp/logins.json", temp),
        forged("home/ada/.ssh/id_x", temp),
        forged("etc/fstab", temp),
        forged("home/ada/own.txt", temp),
        forged("home/ada/Documents/own", "linux/trash"),
        forged("tmp/d", "nobody/knows"),
        forged("tmp", temp),
        forged("home/ada", temp),
    ];
    manifest.items = items.into_iter().collect();
    let before = bench.paths();
    let summary = run(&bench, &scan, &manifest, "one", &never()).unwrap();
    assert_eq!(bench.paths(), before);
    assert_eq!(
        summary.sum(Outcome::Refused).items,
        8,
        "{:?}",
        summary.stayed
    );
}

#[test]
fn a_list_for_another_target_and_a_second_sweep_are_refused() {
    let (bench, other) = (small(), small());
    let (scan, elsewhere) = (bench.scan(), other.scan());
    let manifest = manifest_of(&scan, true);
    let refused = run(&other, &elsewhere, &manifest, "one", &never());
    assert!(matches!(refused, Err(SweepError::OtherTarget { .. })));

    let disk = scan.target.disk();
    let held = disk.open_folder(scan.target.root(), b"").unwrap();
    disk.lock(&held).unwrap();
    let before = bench.paths();
    assert!(matches!(
        run(&bench, &scan, &manifest, "two", &never()),
        Err(SweepError::Locked(jolly_core::state::LockError::Held))
    ));
    assert_eq!(bench.paths(), before);
    drop(held);
    run(&bench, &scan, &manifest, "three", &never()).unwrap();
}

#[test]
fn a_stopped_sweep_ends_with_a_true_log_and_the_next_one_finishes_the_rest() {
    let bench = Bench::demo();
    let scan = bench.scan();
    let manifest: Manifest = manifest_of(&scan, false);
    let before = bench.paths();
    let cancel = CancelToken::default();
    let (stop, news) = (cancel.clone(), AtomicUsize::new(0));
    let mut journal = Journal::create(&bench.state(), &run_id("one")).unwrap();
    let state = bench.state();
    let mode = Real {
        run: &run_id("one"),
        state: &state,
        journal: &mut journal,
        dustpan: None,
        started: now(),
        pause: Pause::default(),
        predictions: None,
    };
    let confirmed = manifest.clone().confirm();
    let summary = sweep(&context(&scan), &confirmed, mode, &cancel, &now, &|_| {
        if news.fetch_add(1, Ordering::SeqCst) == 9 {
            stop.cancel();
        }
    })
    .unwrap();
    assert!(summary.is_stopped);
    let gone: BTreeSet<Vec<u8>> = before.difference(&bench.paths()).cloned().collect();
    assert!(!gone.is_empty() && gone.len() < manifest.items.len());
    let removed = summary.sum(Outcome::Removed).items;
    assert_eq!(removed, gone.len() as u64);
    let log = verify_log(&bench.state(), &run_id("one")).unwrap();
    assert_eq!(log.sums.outcomes()[&Outcome::Removed].items, removed);
    let rest: Scan = bench.scan();
    let summary = run(&bench, &rest, &manifest_of(&rest, false), "two", &never()).unwrap();
    assert!(!summary.has_stayed());
    let gone: BTreeSet<Vec<u8>> = before.difference(&bench.paths()).cloned().collect();
    let listed = paths_of(&manifest);
    let differs: Vec<String> = gone
        .symmetric_difference(&listed)
        .map(|path| String::from_utf8_lossy(path).into_owned())
        .collect();
    assert_eq!(differs, Vec::<String>::new());
}

#[test]
fn what_is_set_aside_lies_whole_in_a_tar_that_ordinary_tools_read() {
    let bench = small();
    let content = b"worth keeping".repeat(1000);
    let path = "home/ada/.local/share/Trash/files/t";
    bench.tree.text(path, &content, 60 * DAY).unwrap();
    let scan = bench.scan();
    let summary = run(&bench, &scan, &manifest_of(&scan, true), "one", &never()).unwrap();
    assert_eq!(summary.sum(Outcome::SetAside).items, 2);
    assert!(!bench.root().join(path).exists());
    let file = std::fs::File::open(bench.state().dustpan(&run_id("one"))).unwrap();
    let mut archive = tar::Archive::new(zstd::Decoder::new(file).unwrap());
    let mut found = Vec::new();
    for entry in archive.entries().unwrap() {
        let mut entry = entry.unwrap();
        let mut bytes = Vec::new();
        std::io::Read::read_to_end(&mut entry, &mut bytes).unwrap();
        found.push((entry.path().unwrap().to_string_lossy().into_owned(), bytes));
    }
    assert_eq!(found.len(), 2);
    assert_eq!(found[0], (path.to_owned(), content));
}
