//! Folders that go whole and in which others may change names: out of reach while they are emptied, and back where
//! something stays.

use std::collections::BTreeSet;
use std::fs::{self, File};
use std::os::fd::AsRawFd as _;
use std::os::unix::ffi::OsStrExt as _;
use std::os::unix::fs::MetadataExt as _;
use std::path::PathBuf;
use std::sync::atomic::{AtomicU64, Ordering};
use std::sync::{Arc, Mutex};

use jolly_core::CancelToken;
use jolly_core::plan::{Manifest, Outcome};
use jolly_core::run::{LogState, SameComputer, read_items, recover};
use jolly_demo::{Fault, FaultyDisk};

use crate::support::{
    Bench, DAY, Program, keep_intents, logged_as_gone, manifest_of, now, paths_of, run, run_id,
    scan_on,
};

const FILES: usize = 12;

/// Who owns the folders, where this process may give them away.
const ADA: u32 = 1001;

/// A folder in one without files, with another in it, that somebody else may change.
fn bench() -> Bench {
    let bench = Bench::new();
    for folder in ["tmp/g/f", "tmp/g/f/deeper"] {
        for file in 0..FILES {
            let path = format!("{folder}/x{file}");
            bench.tree.text(path, "worn", 60 * DAY).unwrap();
        }
    }
    for folder in ["tmp/g/f/deeper", "tmp/g/f"] {
        drop(std::os::unix::fs::chown(
            bench.root().join(folder),
            Some(ADA),
            None,
        ));
        bench.tree.mode(folder, 0o3777).unwrap();
    }
    bench
}

/// Sweeps it while somebody acts at each move and removal; gives the list, too.
fn swept(
    bench: &Bench,
    act: impl Fn(&str) + Send + 'static,
) -> (Manifest, jolly_core::run::RunSummary) {
    let disk = Arc::new(FaultyDisk::new(Fault::None));
    let scan = scan_on(
        &bench.target_on(Arc::<FaultyDisk>::clone(&disk)),
        &bench.rules(),
    );
    let manifest = manifest_of(&scan, true);
    disk.meddle(move |name| act(name.to_str().unwrap()));
    let summary = run(bench, &scan, &manifest, "one", &CancelToken::default()).unwrap();
    (manifest, summary)
}

fn own_names(bench: &Bench) -> Vec<PathBuf> {
    let names = fs::read_dir(bench.root()).unwrap().flatten();
    let is_own = |entry: &fs::DirEntry| entry.file_name().as_bytes().starts_with(b".jolly-broom");
    names.filter(is_own).map(|entry| entry.path()).collect()
}

#[test]
fn nobody_reaches_a_folder_that_goes_whole_while_it_is_emptied() {
    let bench = bench();
    let folder = bench.root().join("tmp/g/f");
    let opened = File::open(&folder).unwrap();
    let closed = Arc::new(AtomicU64::new(0));
    let own = fs::metadata(bench.root()).unwrap().uid();
    let seen = Arc::clone(&closed);
    let (_, summary) = swept(&bench, move |name| {
        let now = opened.metadata().unwrap();
        // What leaves one of both leaves it when nobody else may change a name in it.
        if name.starts_with('x') && !folder.exists() {
            assert_eq!((now.uid(), now.mode() & 0o7777), (own, 0o700));
            seen.fetch_add(1, Ordering::SeqCst);
            // Whoever needs such a folder meanwhile makes a new one.
            fs::create_dir(&folder).unwrap();
            fs::write(folder.join("new"), b"new").unwrap();
        }
    });
    // The folder that holds the new one.
    assert_eq!(
        summary.sum(Outcome::Refused).items,
        1,
        "{:?}",
        summary.stayed
    );
    assert_eq!(summary.sum(Outcome::Removed).items, 2 * FILES as u64 + 2);
    assert_eq!(closed.load(Ordering::SeqCst), 1);
    let left = fs::read_dir(bench.root().join("tmp/g/f"))
        .unwrap()
        .flatten();
    let left: Vec<_> = left.map(|entry| entry.file_name()).collect();
    assert_eq!(left, ["new"]);
    assert_eq!(own_names(&bench), Vec::<PathBuf>::new());
}

/// Changes a file of a folder as soon as one leaves it, through what was opened before; makes another folder in its
/// place when so asked.
fn changes_one(bench: &Bench, is_replaced: bool) -> (Manifest, jolly_core::run::RunSummary) {
    let folder = bench.root().join("tmp/g/f");
    let opened = File::open(&folder).unwrap();
    let done = Mutex::new(false);
    swept(bench, move |name| {
        let mut done = done.lock().unwrap();
        if name.starts_with('x') && !folder.exists() && !*done {
            *done = true;
            let inside = PathBuf::from(format!("/proc/self/fd/{}", opened.as_raw_fd()));
            for file in 0..FILES {
                // One that has gone by now would be a new one.
                let path = inside.join(format!("x{file}"));
                if path.exists() && name != format!("x{file}") {
                    fs::write(path, b"dear").unwrap();
                    break;
                }
            }
            fs::write(inside.join("new"), b"new").unwrap();
            if is_replaced {
                fs::create_dir(&folder).unwrap();
            }
        }
    })
}

#[test]
fn a_folder_of_which_something_stays_is_given_back_as_it_was() {
    let bench = bench();
    let folder = bench.root().join("tmp/g/f");
    let before = fs::metadata(&folder).unwrap();
    let (manifest, summary) = changes_one(&bench, false);
    let after = fs::metadata(&folder).unwrap();
    assert_eq!(
        (after.uid(), after.gid(), after.mode(), after.ino()),
        (before.uid(), before.gid(), before.mode(), before.ino())
    );
    let left: BTreeSet<Vec<u8>> = fs::read_dir(&folder)
        .unwrap()
        .flatten()
        .filter(|entry| entry.path().is_file())
        .map(|entry| fs::read(entry.path()).unwrap())
        .collect();
    assert_eq!(left, BTreeSet::from([b"dear".to_vec(), b"new".to_vec()]));
    assert_eq!(
        summary.sum(Outcome::Changed).items,
        1,
        "{:?}",
        summary.stayed
    );
    let gone = logged_as_gone(&bench, "one");
    assert!(gone.is_subset(&paths_of(&manifest)));
    assert_eq!(own_names(&bench), Vec::<PathBuf>::new());
}

#[test]
fn one_that_can_not_go_back_is_told_where_it_lies() {
    let bench = bench();
    let (_, summary) = changes_one(&bench, true);
    let told: Vec<String> = (summary.stayed.iter())
        .map(|stayed| stayed.reason.clone())
        .collect();
    let told = told.join("\n");
    let beside = fs::read_dir(bench.root().join("tmp/g")).unwrap().flatten();
    let mut beside = beside.filter(|entry| entry.file_name().as_bytes().starts_with(b"f."));
    let beside = beside.next().unwrap();
    let name = beside.file_name().to_str().unwrap().to_owned();
    assert!(
        told.contains(&format!("lies beside it as {name}")),
        "{told}"
    );
    assert_eq!(fs::read(beside.path().join("new")).unwrap(), b"new");
    let items = read_items(&bench.state(), &run_id("one")).unwrap();
    let changed = items
        .iter()
        .find(|item| item.outcome == Some(Outcome::Changed));
    assert!(changed.unwrap().reason.contains(&name));
    assert_eq!(own_names(&bench), Vec::<PathBuf>::new());
}

#[test]
fn a_folder_that_somebody_works_in_stays_where_it_is_while_it_is_emptied() {
    let bench = bench();
    let folder = bench.root().join("tmp/g/f");
    let _program = Program::holding(&folder);
    let seen = Arc::new(AtomicU64::new(0));
    let away = Arc::clone(&seen);
    let place = folder.clone();
    swept(&bench, move |name| {
        away.fetch_add(
            u64::from(name.starts_with('x') && !place.exists()),
            Ordering::SeqCst,
        );
    });
    assert_eq!(seen.load(Ordering::SeqCst), 0);
}

#[test]
fn wherever_a_run_dies_its_folders_are_given_back_and_the_log_tells_the_truth() {
    let counting = Arc::new(FaultyDisk::new(Fault::None));
    let calls = {
        let bench = bench();
        let scan = scan_on(&bench.target_on(counting.clone()), &bench.rules());
        let opening = counting.calls();
        run(
            &bench,
            &scan,
            &manifest_of(&scan, true),
            "one",
            &CancelToken::default(),
        )
        .unwrap();
        counting.calls() - opening
    };
    let (mut settled, mut was_away) = (0, 0);
    for call in (1..=calls).step_by(2) {
        let bench = bench();
        let root = bench.root();
        let rights = |path: &str| fs::metadata(root.join(path)).map(|it| (it.uid(), it.mode()));
        let before = (bench.paths(), rights("tmp/g/f").unwrap());
        let disk = Arc::new(FaultyDisk::new(Fault::None));
        let scan = scan_on(&bench.target_on(disk.clone()), &bench.rules());
        let manifest = manifest_of(&scan, true);
        disk.die_at(call);
        let swept = run(&bench, &scan, &manifest, "one", &CancelToken::default());
        if swept.is_err() {
            continue;
        }
        was_away += u64::from(!own_names(&bench).is_empty());
        keep_intents(&bench, "one");
        let known = SameComputer::MustBeKnown;
        let told = recover(
            &bench.state(),
            &run_id("one"),
            (&bench.target(), known),
            now(),
        )
        .unwrap();
        assert_eq!(told.state, LogState::Recovered);
        settled += 1;
        let gone: BTreeSet<Vec<u8>> = before.0.difference(&bench.paths()).cloned().collect();
        assert_eq!(logged_as_gone(&bench, "one"), gone, "call {call}");
        assert!(gone.is_subset(&paths_of(&manifest)), "call {call}");
        assert_eq!(
            bench.paths().difference(&before.0).next(),
            None,
            "call {call}"
        );
        if let Ok(rights) = rights("tmp/g/f") {
            assert_eq!(rights, before.1, "call {call}");
        }
    }
    assert!(
        settled > 10 && was_away > 10,
        "{settled} settled, {was_away} away"
    );
}

#[test]
fn of_a_folder_that_can_not_go_back_after_a_death_the_log_tells_what_lies_where_and_what_is_gone() {
    let bench = bench();
    let folder = bench.root().join("tmp/g/f");
    let disk = Arc::new(FaultyDisk::new(Fault::None));
    let scan = scan_on(&bench.target_on(disk.clone()), &bench.rules());
    let manifest = manifest_of(&scan, true);
    // It dies somewhere between the first removal and the end of the folder.
    let away = folder.clone();
    let dying = Arc::clone(&disk);
    let left = AtomicU64::new(4);
    disk.meddle(move |name| {
        let leaves = name.to_bytes().starts_with(b"x") && !away.exists();
        if leaves && left.fetch_sub(1, Ordering::SeqCst) == 1 {
            dying.die_at(1);
        }
    });
    run(&bench, &scan, &manifest, "one", &CancelToken::default()).unwrap();
    assert_eq!(own_names(&bench).len(), 1);
    fs::create_dir(&folder).unwrap();
    keep_intents(&bench, "one");
    let target = bench.target();
    let known = (&*target, SameComputer::MustBeKnown);
    recover(&bench.state(), &run_id("one"), known, now()).unwrap();
    let beside = fs::read_dir(bench.root().join("tmp/g")).unwrap().flatten();
    let mut beside = beside.filter(|entry| entry.file_name().as_bytes().starts_with(b"f."));
    let beside = beside.next().unwrap().path();
    let items = read_items(&bench.state(), &run_id("one")).unwrap();
    let (mut gone, mut there) = (0, 0);
    for item in &items {
        let Some(name) = item.place.path.path.strip_prefix("tmp/g/f/x") else {
            continue;
        };
        let is_there = beside.join(format!("x{name}")).exists();
        let is_told = item.outcome == Some(Outcome::Changed);
        assert_eq!(is_told, is_there, "{name}: {}", item.reason);
        if is_there {
            there += 1;
        } else {
            gone += 1;
        }
    }
    assert!(gone > 0 && there > 0, "{gone} gone, {there} there");
}
