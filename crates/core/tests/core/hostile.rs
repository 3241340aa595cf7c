//! Whatever others do to the target or the state folder meanwhile, nothing outside the list goes, and
//! each item has a true outcome.
//!
//! The long version, 100,000 swaps, runs with `JOLLY_BROOM_LONG=1`.

use std::collections::BTreeSet;
use std::fs::{self, File};
use std::io::Write as _;
use std::os::unix::ffi::OsStrExt as _;
use std::os::unix::fs::{MetadataExt as _, symlink};
use std::path::Path;
use std::sync::atomic::{AtomicBool, AtomicU64, Ordering};
use std::sync::{Arc, Mutex};
use std::time::Duration;

use jolly_core::CancelToken;
use jolly_core::pile::Scan;
use jolly_core::plan::{Manifest, Outcome};
use jolly_core::report::{Cause, explain};
use jolly_core::rule::Removal;
use jolly_core::run::{LogState, RunSummary, rehearse, verify_log};

use jolly_demo::{Fault, FaultyDisk};

use crate::support::{
    Bench, DAY, context, logged_as_gone, manifest_of, now, paths_of, run, run_held, run_id,
    scan_on, succeeds,
};

fn swaps() -> u64 {
    if std::env::var_os("JOLLY_BROOM_LONG").is_some() {
        100_000
    } else {
        4_000
    }
}

/// Folders that are swept, and as many of somebody's own with the same names in them.
const FOLDERS: usize = 20;
const FILES: usize = 25;

fn swapped_bench() -> Bench {
    let bench = Bench::new();
    for folder in 0..FOLDERS {
        for file in 0..FILES {
            for place in ["tmp/f", "home/ada/Documents/f"] {
                let path = format!("{place}{folder}/x{file}");
                bench.tree.file(path, 0, 60 * DAY).unwrap();
            }
        }
    }
    fs::create_dir(bench.outside()).unwrap();
    for file in 0..FILES {
        fs::write(bench.outside().join(format!("x{file}")), b"").unwrap();
    }
    bench
}

/// Every file below a folder, by inode.
fn inodes(folder: &Path) -> BTreeSet<u64> {
    let mut found = BTreeSet::new();
    for entry in fs::read_dir(folder).into_iter().flatten().flatten() {
        let Ok(metadata) = entry.metadata() else {
            continue;
        };
        if metadata.is_dir() {
            found.extend(inodes(&entry.path()));
        } else {
            found.insert(metadata.ino());
        }
    }
    found
}

/// Swaps folders for links, for other folders with the same names in them, and files for new ones,
/// until all is over; each round puts back what it moved.
fn swap(bench: &Bench, from: usize, (done, rest): (&AtomicU64, &Mutex<()>), is_over: &AtomicBool) {
    let (root, outside) = (bench.root(), bench.outside());
    let aside = root.join(format!("tmp/aside-{from}"));
    let mut turn = from;
    while !is_over.load(Ordering::SeqCst) {
        let _round = rest.lock().unwrap();
        let folder = root.join(format!("tmp/f{}", turn % FOLDERS));
        let own = root.join(format!("home/ada/Documents/f{}", turn % FOLDERS));
        // Some of these fail when the sweep was quicker; that is the point of a race.
        if fs::rename(&folder, &aside).is_ok() {
            if turn.is_multiple_of(3) {
                drop(symlink(&outside, &folder));
                drop(fs::rename(&folder, root.join(format!("tmp/link-{from}"))));
            } else if fs::rename(&own, &folder).is_ok() {
                std::thread::yield_now();
                fs::rename(&folder, &own).unwrap();
            }
            drop(fs::rename(&aside, &folder));
        }
        let file = folder.join(format!("x{}", turn % FILES));
        let new = root.join(format!("tmp/new-{from}"));
        if fs::write(&new, b"somebody's").is_ok() {
            drop(fs::rename(&new, &file));
        }
        done.fetch_add(1, Ordering::SeqCst);
        turn += 2;
    }
}

#[test]
fn whoever_swaps_folders_links_and_files_meanwhile_gains_nothing() {
    let bench = swapped_bench();
    let precious = inodes(&bench.root().join("home/ada/Documents"));
    assert_eq!(precious.len(), FOLDERS * FILES);
    let (is_over, done) = (AtomicBool::new(false), AtomicU64::new(0));
    // One each, held while a scan looks: what lay in a swept folder then was shown, whosever it is.
    let rests = [Mutex::new(()), Mutex::new(())];
    let mut runs = 0;
    std::thread::scope(|scope| {
        for (from, rest) in rests.iter().enumerate() {
            let (bench, counts, is_over) = (&bench, (&done, rest), &is_over);
            scope.spawn(move || swap(bench, from, counts, is_over));
        }
        while done.load(Ordering::SeqCst) < swaps() {
            let pauses = [rests[0].lock().unwrap(), rests[1].lock().unwrap()];
            // What went is made again, so that there is always something to race for.
            for folder in 0..FOLDERS {
                let path = format!("tmp/f{folder}/y{runs}");
                drop(bench.tree.file(path, 0, 60 * DAY));
            }
            let scan = bench.scan();
            drop(pauses);
            let manifest = manifest_of(&scan, true);
            let name = format!("run-{runs}");
            run(&bench, &scan, &manifest, &name, &CancelToken::default()).unwrap();
            assert!(matches!(
                verify_log(&bench.state(), &run_id(&name)).unwrap().state,
                LogState::Finished
            ));
            runs += 1;
        }
        is_over.store(true, Ordering::SeqCst);
    });
    assert_eq!(
        fs::read_dir(bench.outside()).unwrap().count(),
        FILES,
        "outside the target"
    );
    let left = inodes(&bench.root());
    assert!(
        precious.is_subset(&left),
        "somebody's own went with a swapped folder"
    );
    println!("{} swaps during {runs} sweeps", done.load(Ordering::SeqCst));
}

/// A computer with files in a folder in which others may change names.
fn shared_bench() -> Bench {
    let bench = Bench::new();
    for file in 0..FILES {
        let path = format!("tmp/f/x{file}");
        bench.tree.file(path, 4096, 60 * DAY).unwrap();
    }
    bench.tree.mode("tmp/f", 0o777).unwrap();
    bench
}

/// What a scan through this disk saw, and the list of it.
fn listed_on(disk: &Arc<FaultyDisk>, bench: &Bench) -> (Scan, Manifest) {
    let target = bench.target_on(Arc::<FaultyDisk>::clone(disk));
    let scan = scan_on(&target, &bench.rules());
    let manifest = manifest_of(&scan, true);
    (scan, manifest)
}

/// The names in the target's root that this program made.
fn own_names(bench: &Bench) -> usize {
    let names = fs::read_dir(bench.root()).unwrap().flatten();
    let is_own = |entry: &fs::DirEntry| entry.file_name().as_bytes().starts_with(b".jolly-broom");
    names.filter(is_own).count()
}

#[test]
fn what_somebody_puts_under_a_listed_name_at_the_last_moment_stays() {
    for is_quicker in [false, true] {
        let disk = Arc::new(FaultyDisk::new(Fault::None));
        let bench = shared_bench();
        // One that is too young: so the folder stays, and each leaves it by itself.
        bench.tree.file("tmp/f/young", 0, 0).unwrap();
        bench.tree.mode("tmp/f", 0o777).unwrap();
        let (scan, manifest) = listed_on(&disk, &bench);
        let folder = bench.root().join("tmp/f");
        let made = bench.root().join("tmp/made");
        let put = {
            let folder = folder.clone();
            move |name: &str, what: &[u8]| {
                fs::write(&made, what).unwrap();
                fs::rename(&made, folder.join(name)).unwrap();
            }
        };
        let listed: Vec<String> = (manifest.items.iter())
            .map(|item| item.path.as_name().to_str().unwrap().to_owned())
            .collect();
        disk.meddle(move |name| {
            let name = name.to_str().unwrap();
            if name.starts_with('x') {
                put(name, name.as_bytes());
            } else if is_quicker {
                // On its way back: its name is no longer free.
                put(&listed[name.parse::<usize>().unwrap()], b"the next one");
            }
        });
        let never = CancelToken::default();
        let summary = run(&bench, &scan, &manifest, "one", &never).unwrap();
        let changed = summary.sum(Outcome::Changed).items;
        assert_eq!(changed, FILES as u64, "{:?}", summary.stayed);
        // Every single file of theirs is there, under its name or beside it.
        let left: Vec<Vec<u8>> = (fs::read_dir(&folder).unwrap().flatten())
            .filter(|entry| entry.file_name() != "young")
            .map(|entry| fs::read(entry.path()).unwrap())
            .collect();
        let (next, own): (Vec<_>, Vec<_>) = left.iter().partition(|it| *it == b"the next one");
        assert_eq!(next.len(), if is_quicker { FILES } else { 0 });
        let own: BTreeSet<&Vec<u8>> = own.into_iter().collect();
        assert_eq!(own.len(), FILES);
        assert_eq!(own_names(&bench), 0);
    }
}

/// Several batches of files in folders in which others may change names.
fn many_shared(bench: &Bench) -> usize {
    for folder in 0..90 {
        for file in 0..100 {
            let path = format!("tmp/{folder:02}/x{file}");
            bench.tree.file(path, 0, 60 * DAY).unwrap();
        }
        bench.tree.mode(format!("tmp/{folder:02}"), 0o777).unwrap();
    }
    90 * 100
}

#[test]
fn things_leave_through_one_folder_after_another_where_the_root_takes_none() {
    let bench = Bench::new();
    let files = many_shared(&bench) as u64;
    let root = bench.root();
    if !succeeds("chattr", &["+i"], &root) {
        jolly_demo::skipped(
            "nothing can be marked here, so a root that takes nothing was not tried",
        );
        return;
    }
    // Slow enough that something is on its way out whenever a folder goes.
    let disk = Arc::new(FaultyDisk::new(Fault::None));
    let target = bench.target_on(Arc::<FaultyDisk>::clone(&disk));
    let scan = scan_on(&target, &bench.rules());
    let manifest = manifest_of(&scan, true);
    disk.meddle(|_| std::thread::sleep(Duration::from_micros(100)));
    let summary = run(&bench, &scan, &manifest, "one", &CancelToken::default());
    succeeds("chattr", &["-i"], &root);
    let summary = summary.unwrap();
    assert!(!summary.has_stayed(), "{:?}", summary.stayed);
    assert_eq!(summary.sum(Outcome::Gone).items, 0);
    assert!(summary.sum(Outcome::Removed).items >= files);
    assert_eq!(own_names(&bench), 0);
}

#[test]
fn whoever_takes_the_quarantine_away_is_told_of_and_what_was_to_leave_is_there() {
    let disk = Arc::new(FaultyDisk::new(Fault::None));
    let bench = shared_bench();
    bench.tree.file("tmp/f/young", 0, 0).unwrap();
    bench.tree.mode("tmp/f", 0o777).unwrap();
    let (scan, manifest) = listed_on(&disk, &bench);
    let quarantine = bench.root().join(".jolly-broom-one");
    // Empty in that moment, it can be removed by whoever owns the folder that it lies in.
    disk.meddle(move |_| {
        succeeds("rmdir", &["--ignore-fail-on-non-empty"], &quarantine);
    });
    let summary = run(&bench, &scan, &manifest, "one", &CancelToken::default()).unwrap();
    assert_eq!(summary.sum(Outcome::Gone).items, 0, "{:?}", summary.stayed);
    let failed = summary.sum(Outcome::Failed).items;
    assert!(failed > 0);
    let left = fs::read_dir(bench.root().join("tmp/f")).unwrap().count();
    assert_eq!(left as u64, failed + 1);
    assert_eq!(own_names(&bench), 0);
}

/// A computer with things to remove and one to set aside.
fn bench() -> (Bench, Scan, Manifest) {
    let bench = Bench::new();
    for name in ["tmp/job/a", "tmp/job/b", "tmp/c"] {
        bench.tree.file(name, 4096, 60 * DAY).unwrap();
    }
    bench.throw_away("t", 4096);
    let scan = bench.scan();
    let manifest = manifest_of(&scan, true);
    let aside = manifest
        .items
        .iter()
        .filter(|item| item.by == Removal::SetAside);
    assert!(aside.count() > 0);
    (bench, scan, manifest)
}

/// Rehearses and sweeps, and holds both and the disk against each other.
fn same_as_rehearsed(bench: &Bench, scan: &Scan, manifest: &Manifest) -> RunSummary {
    let confirmed = manifest.clone().confirm();
    let never = CancelToken::default();
    let rehearsed = rehearse(&context(scan), &confirmed, None, &never, &now, &|_| {}).unwrap();
    let before = bench.paths();
    let predictions = Some(&rehearsed.predictions);
    let summary = crate::support::run_predicted(bench, scan, manifest, predictions).unwrap();
    let compared = summary.compared.clone().unwrap();
    assert_eq!(compared.differs, 0, "{:?}", compared.differences);
    let gone: BTreeSet<Vec<u8>> = before.difference(&bench.paths()).cloned().collect();
    let told = logged_as_gone(bench, "predicted");
    assert_eq!(told, gone);
    assert!(gone.is_subset(&paths_of(manifest)));
    summary
}

#[test]
fn what_is_marked_immutable_stays_as_a_rehearsal_says() {
    let (bench, scan, manifest) = bench();
    let (file, folder) = (bench.root().join("tmp/c"), bench.root().join("tmp/job"));
    if !succeeds("chattr", &["+i"], &file) || !succeeds("chattr", &["+a"], &folder) {
        succeeds("chattr", &["-i"], &file);
        jolly_demo::skipped("nothing can be marked immutable here, so that was not tried");
        return;
    }
    // The mark itself is a change, so the list is made anew.
    let scan = {
        drop((scan, manifest));
        bench.scan()
    };
    let manifest = manifest_of(&scan, true);
    let summary = same_as_rehearsed(&bench, &scan, &manifest);
    succeeds("chattr", &["-i"], &file);
    succeeds("chattr", &["-a"], &folder);
    assert_eq!(
        summary.sum(Outcome::Denied).items,
        4,
        "{:?}",
        summary.stayed
    );
    assert!(file.exists() && folder.join("a").exists());
}

#[test]
fn what_does_not_come_back_because_another_name_stayed_is_told_so() {
    let bench = Bench::new();
    bench.tree.file("tmp/a/one", 64 << 10, 60 * DAY).unwrap();
    fs::create_dir(bench.root().join("tmp/b")).unwrap();
    let (one, other) = (
        bench.root().join("tmp/a/one"),
        bench.root().join("tmp/b/other"),
    );
    fs::hard_link(one, other).unwrap();
    let folder = bench.root().join("tmp/b");
    if !succeeds("chattr", &["+a"], &folder) {
        jolly_demo::skipped("nothing can be marked here, so a name that stays was not tried");
        return;
    }
    let scan = bench.scan();
    let manifest = manifest_of(&scan, true);
    assert_eq!(manifest.takes.bytes, 64 << 10);
    let summary = same_as_rehearsed(&bench, &scan, &manifest);
    succeeds("chattr", &["-a"], &folder);
    assert_eq!(summary.sum(Outcome::Removed).bytes, 0);
    // Whichever of the two carries the bytes.
    let told: u64 = explain(&summary)
        .iter()
        .filter(|(cause, _)| matches!(cause, Cause::Linked | Cause::Stayed))
        .map(|(_, bytes)| *bytes)
        .sum();
    assert!(told >= 64 << 10, "{:?}", explain(&summary));
}

#[test]
fn a_volume_that_is_read_only_loses_nothing_and_says_so() {
    let (bench, scan, manifest) = bench();
    let root = bench.root();
    let path = root.to_str().unwrap().to_owned();
    if !succeeds("mount", &["--bind", &path], &root) {
        jolly_demo::skipped("nothing can be mounted here, so a read-only volume was not tried");
        return;
    }
    let is_read_only = succeeds("mount", &["-o", "remount,bind,ro"], &root);
    drop((scan, manifest));
    let scan = bench.scan();
    let manifest = manifest_of(&scan, true);
    let before = bench.paths();
    let summary = is_read_only.then(|| same_as_rehearsed(&bench, &scan, &manifest));
    drop(scan);
    assert!(succeeds("umount", &["-l"], &root));
    let summary = summary.unwrap();
    assert_eq!(bench.paths(), before);
    let denied = summary.sum(Outcome::Denied).items + summary.sum(Outcome::Refused).items;
    assert_eq!(denied, manifest.items.len() as u64, "{:?}", summary.stayed);
}

#[test]
fn what_is_held_waits_and_goes_on_where_it_was() {
    let (bench, scan, manifest) = bench();
    let before = bench.paths();
    let pause = jolly_core::run::Pause::default();
    pause.hold();
    let summary = std::thread::scope(|scope| {
        let sweeping = scope.spawn(|| run_held(&bench, &scan, &manifest, &pause, &|_| {}));
        std::thread::sleep(Duration::from_millis(150));
        assert_eq!(bench.paths(), before, "nothing goes while it is held");
        pause.go_on();
        sweeping.join().unwrap().unwrap()
    });
    assert!(!summary.has_stayed() && !summary.is_stopped);
}

/// Who holds a sweep looks at its counts, and decides by them.
#[test]
fn a_sweep_that_is_held_tells_all_that_it_has_done() {
    const MANY: u64 = 500;
    let bench = Bench::new();
    for number in 0..MANY {
        let path = format!("tmp/old-{number}");
        bench.tree.file(&path, 10, 60 * DAY).unwrap();
    }
    let slow = Arc::new(FaultyDisk::new(Fault::None));
    let scan = scan_on(&bench.target_on(slow.clone()), &bench.rules());
    let manifest = manifest_of(&scan, false);
    slow.stall(Duration::from_micros(500));
    let pause = jolly_core::run::Pause::default();
    let done = AtomicU64::new(0);
    let summary = std::thread::scope(|scope| {
        let (bench, scan, manifest, pause, done) = (&bench, &scan, &manifest, &pause, &done);
        let sweeping = scope.spawn(move || {
            run_held(bench, scan, manifest, pause, &|event| {
                if done.swap(event.done, Ordering::SeqCst) == 0 {
                    pause.hold();
                }
            })
        });
        while done.load(Ordering::SeqCst) == 0 {
            std::thread::sleep(Duration::from_millis(5));
        }
        std::thread::sleep(Duration::from_millis(700));
        let left = fs::read_dir(bench.root().join("tmp")).unwrap().count() as u64;
        let told = done.load(Ordering::SeqCst);
        // It goes on before anything is asserted: a thread that is held would be waited for.
        slow.stall(Duration::ZERO);
        pause.go_on();
        assert!(left > 0, "it was held too late to tell anything");
        assert_eq!(told, MANY - left);
        sweeping.join().unwrap().unwrap()
    });
    assert_eq!(summary.sum(Outcome::Removed).items, MANY);
}

#[test]
fn a_file_that_grows_while_it_is_packed_stays_whole() {
    let bench = Bench::new();
    let path = "home/ada/.local/share/Trash/files/growing";
    bench.throw_away("growing", 24 << 20);
    let scan = bench.scan();
    let manifest = manifest_of(&scan, true);
    assert!(
        manifest
            .items
            .iter()
            .any(|item| item.path.as_bytes() == path.as_bytes())
    );
    let is_over = AtomicBool::new(false);
    let whole = bench.root().join(path);
    let summary = std::thread::scope(|scope| {
        scope.spawn(|| {
            // Opened anew for each piece: nobody is seen to hold it.
            while !is_over.load(Ordering::SeqCst) {
                if let Ok(mut file) = File::options().append(true).open(&whole) {
                    drop(file.write_all(b"more"));
                }
            }
        });
        std::thread::sleep(Duration::from_millis(20));
        let summary = run(&bench, &scan, &manifest, "one", &CancelToken::default()).unwrap();
        is_over.store(true, Ordering::SeqCst);
        summary
    });
    assert_eq!(summary.sum(Outcome::SetAside).items, 0);
    assert!(fs::metadata(&whole).unwrap().len() > 24 << 20);
}

#[test]
fn a_state_folder_that_goes_meanwhile_stops_the_run_and_nothing_more_goes() {
    let bench = Bench::new();
    for number in 0..9000 {
        let path = format!("tmp/{}/x{number:05}", number % 90);
        bench.tree.file(path, 0, 60 * DAY).unwrap();
    }
    let scan = bench.scan();
    let manifest = manifest_of(&scan, true);
    let before = bench.paths();
    let log = bench.state().log(&run_id("one"));
    let is_over = AtomicBool::new(false);
    let summary = std::thread::scope(|scope| {
        scope.spawn(|| {
            while !is_over.load(Ordering::SeqCst) {
                // As if the stick with the logs were pulled, or its folder cleared by another hand.
                if log.exists() {
                    succeeds("rm", &["-f"], &log);
                }
            }
        });
        let summary = run(&bench, &scan, &manifest, "one", &CancelToken::default());
        is_over.store(true, Ordering::SeqCst);
        summary
    });
    let gone = before.difference(&bench.paths()).count();
    match summary {
        Err(_) => assert_eq!(gone, 0, "no record, and yet something is gone"),
        Ok(summary) => {
            assert!(summary.broke_off.is_some());
            // At most what was intended in a record that was still there.
            assert!(gone <= 2 * 4096, "{gone}");
        }
    }
}
