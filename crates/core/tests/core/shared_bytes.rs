//! Copies that keep their name: what is under it afterwards is what was, whatever happens in between.

use std::collections::BTreeMap;
use std::os::unix::fs::MetadataExt as _;
use std::path::{Path, PathBuf};
use std::sync::Arc;

use jolly_core::CancelToken;
use jolly_core::computer::TargetPath;
use jolly_core::dustpan::Pan;
use jolly_core::pile::Scan;
use jolly_core::plan::{Manifest, Outcome};
use jolly_core::rule::Removal;
use jolly_core::run::{RunSummary, read_items, rehearse};
use jolly_core::survey::{ChosenCopy, chosen_copies};
use jolly_demo::{Fault, FaultyDisk};
use rustix::fs::XattrFlags;

use crate::copies::{away, list_by, look, said, scan_of, scan_with, three};
use crate::support::{Bench, DAY, context, now, run, run_id, settle_as_dead};

/// Two folders with the same five files; those of the stick are to share the others' bytes.
fn two() -> (Bench, Vec<ChosenCopy>) {
    let bench = three();
    away(&bench.root().join("home/ada/Downloads"));
    let found = look(&bench, &[]);
    let said = said(&found, &[("Pictures", "stick")]);
    let chosen = chosen_copies(&found.copies, &found.tree, &said);
    (bench, chosen)
}

fn at(bench: &Bench, folder: &str, number: usize) -> PathBuf {
    bench.root().join(format!("home/ada/{folder}/{number}.jpg"))
}

fn sweep(bench: &Bench, scan: &Scan, manifest: &Manifest) -> RunSummary {
    run(bench, scan, manifest, "one", &CancelToken::default()).unwrap()
}

fn rehearsed(scan: &Scan, manifest: &Manifest) -> RunSummary {
    let never = CancelToken::default();
    let confirmed = manifest.clone().confirm();
    let rehearsed = rehearse(&context(scan), &confirmed, None, &never, &now, &|_| {});
    rehearsed.unwrap().summary
}

/// The contents of every file, and what was left of the run's own.
fn contents(bench: &Bench) -> (BTreeMap<Vec<u8>, Vec<u8>>, usize) {
    let mut all = BTreeMap::new();
    let mut litter = 0;
    for path in bench.paths() {
        litter += usize::from(path.windows(13).any(|it| it == b".jolly-broom-"));
        let on_disk = bench.root().join(String::from_utf8(path.clone()).unwrap());
        if on_disk.is_file() {
            all.insert(path, std::fs::read(on_disk).unwrap());
        }
    }
    (all, litter)
}

fn inode(path: &Path) -> u64 {
    path.metadata().unwrap().ino()
}

#[test]
fn copies_become_names_of_the_files_that_stay() {
    let (bench, chosen) = two();
    let scan = scan_with(&bench, chosen);
    let manifest = list_by(&scan, false, Removal::HardLink);
    let before = contents(&bench);
    let rehearsed = rehearsed(&scan, &manifest);
    let summary = sweep(&bench, &scan, &manifest);
    assert_eq!(contents(&bench), before);
    let shared = summary.sum(Outcome::Shared);
    assert_eq!(shared.items, 5, "{:?}", summary.stayed);
    assert_eq!(rehearsed.sum(Outcome::Shared), shared);
    assert_eq!(shared.bytes, manifest.takes.bytes);
    assert!(!summary.has_stayed() && shared.bytes > 0);
    for number in 0..5 {
        let (stays, copy) = (at(&bench, "Pictures", number), at(&bench, "stick", number));
        assert_eq!(inode(&stays), inode(&copy));
    }
    // They are none any more, and nothing of it is in the dustpan.
    assert!(look(&bench, &[]).copies.groups.is_empty());
    let items = read_items(&bench.state(), &run_id("one")).unwrap();
    assert!(
        items
            .iter()
            .all(|item| item.outcome == Some(Outcome::Shared))
    );
    let pan = Pan::read(&bench.state(), &run_id("one")).unwrap();
    assert!(pan.is_none_or(|pan| pan.held().count() == 0));
}

#[test]
fn a_copy_that_is_not_alike_right_then_stays_as_it_is() {
    type Attack<'a> = (&'a str, &'a dyn Fn(&Bench));
    let other = "pictura 1 ".repeat(3_000);
    let stays = |bench: &Bench| at(bench, "Pictures", 1);
    let attacks: [Attack<'_>; 8] = [
        ("gone", &|bench| away(&stays(bench))),
        ("other bytes", &|bench| {
            std::fs::write(stays(bench), &other).unwrap();
        }),
        ("longer", &|bench| {
            std::fs::write(stays(bench), format!("{other}{other}")).unwrap();
        }),
        ("another mode", &|bench| {
            let mode = std::os::unix::fs::PermissionsExt::from_mode(0o600);
            std::fs::set_permissions(stays(bench), mode).unwrap();
        }),
        ("an attribute", &|bench| {
            let none = XattrFlags::empty();
            rustix::fs::setxattr(stays(bench), "user.origin", b"a camera", none).unwrap();
        }),
        ("a link to the copy", &|bench| {
            away(&stays(bench));
            std::os::unix::fs::symlink("../stick/1.jpg", stays(bench)).unwrap();
        }),
        ("a name of the copy", &|bench| {
            away(&stays(bench));
            std::fs::hard_link(at(bench, "stick", 1), stays(bench)).unwrap();
        }),
        ("a pipe", &|bench| {
            away(&stays(bench));
            bench.tree.pipe("home/ada/Pictures/1.jpg", 0).unwrap();
        }),
    ];
    for (name, attack) in attacks {
        let (bench, chosen) = two();
        let scan = scan_with(&bench, chosen);
        let manifest = list_by(&scan, false, Removal::HardLink);
        attack(&bench);
        let before = contents(&bench);
        let copy = inode(&at(&bench, "stick", 1));
        assert_eq!(
            rehearsed(&scan, &manifest).sum(Outcome::Shared).items,
            4,
            "{name}"
        );
        let summary = sweep(&bench, &scan, &manifest);
        assert_eq!(
            summary.sum(Outcome::Shared).items,
            4,
            "{name}: {:?}",
            summary.stayed
        );
        assert_eq!(contents(&bench), before, "{name}");
        assert_eq!(inode(&at(&bench, "stick", 1)), copy, "{name}");
    }
}

/// What other people own is never one file with what one's own, and where files can't share bytes nothing happens.
#[test]
fn files_of_two_accounts_are_not_tied_together_and_clones_need_a_volume_that_has_them() {
    let bench = three();
    let home = bench.root().join("home");
    std::fs::create_dir_all(home.join("pia/Pictures")).unwrap();
    for number in 0..5 {
        let to = home.join(format!("pia/Pictures/{number}.jpg"));
        std::fs::copy(at(&bench, "Pictures", number), to).unwrap();
    }
    bench
        .tree
        .text(
            "etc/passwd",
            "ada:x:1001:1001::/home/ada:/bin/sh\npia:x:1002:1002::/home/pia:/bin/sh\n",
            0,
        )
        .unwrap();
    for folder in ["ada/Pictures", "ada/Downloads"] {
        away(&home.join(folder));
    }
    let found = look(&bench, &[]);
    let said = said(&found, &[("pia/Pictures", "stick")]);
    let chosen = chosen_copies(&found.copies, &found.tree, &said);
    assert_eq!(chosen.len(), 5);
    let scan = scan_with(&bench, chosen);
    let mut ways = vec![Removal::HardLink];
    if !scan.target.can_clone {
        ways.push(Removal::Clone);
    }
    let before = contents(&bench);
    for (number, by) in ways.into_iter().enumerate() {
        let manifest = list_by(&scan, false, by);
        assert_eq!(rehearsed(&scan, &manifest).sum(Outcome::Refused).items, 5);
        let never = CancelToken::default();
        let name = ["one", "two"][number];
        let summary = run(&bench, &scan, &manifest, name, &never).unwrap();
        assert_eq!(
            summary.sum(Outcome::Refused).items,
            5,
            "{:?}",
            summary.stayed
        );
        assert_eq!(contents(&bench), before);
    }
}

/// Somebody writes to the file that stays, or to the copy, at the very moment in which the names are exchanged: what they
/// wrote stays under the name under which they wrote it, and the other one as it was.
#[test]
fn what_is_written_at_the_last_moment_is_not_lost() {
    for folder in ["Pictures", "stick"] {
        let (bench, chosen) = two();
        let disk = Arc::new(FaultyDisk::new(Fault::None));
        let target = bench.target_on(Arc::<FaultyDisk>::clone(&disk));
        let scan = scan_of(&target, &bench.rules(), chosen);
        let manifest = list_by(&scan, false, Removal::HardLink);
        let written = at(&bench, folder, 3);
        let other = at(
            &bench,
            if folder == "stick" {
                "Pictures"
            } else {
                "stick"
            },
            3,
        );
        let was = std::fs::read(&other).unwrap();
        let path = written.clone();
        let once = std::sync::atomic::AtomicBool::new(false);
        disk.meddle(move |name| {
            let is_first = || !once.swap(true, std::sync::atomic::Ordering::SeqCst);
            if name.to_bytes() == b"3.jpg" && path.exists() && is_first() {
                std::fs::write(&path, b"their own words").unwrap();
            }
        });
        let summary = sweep(&bench, &scan, &manifest);
        assert_eq!(
            summary.sum(Outcome::Shared).items,
            4,
            "{:?}",
            summary.stayed
        );
        assert_eq!(std::fs::read(&written).unwrap(), b"their own words");
        assert_eq!(std::fs::read(&other).unwrap(), was, "{folder}");
        assert_eq!(contents(&bench).1, 0);
    }
}

/// A sweep with a fault at every call of the disk, one after the other, or with a disk that is dead from there on.
fn at_every_call(has_died: bool) {
    let mut call = 1;
    let path = |folder: &str, number: usize| {
        TargetPath::new(format!("home/ada/{folder}/{number}.jpg")).unwrap()
    };
    let chosen = [0, 1].map(|at| ChosenCopy::same(path("stick", at), path("Pictures", at)));
    loop {
        let bench = Bench::new();
        for folder in ["Pictures", "stick"] {
            for number in 0..2 {
                let own = format!("home/ada/{folder}/{number}.jpg");
                bench
                    .tree
                    .text(own, vec![7; 5_000 + number], 90 * DAY)
                    .unwrap();
            }
        }
        let disk = Arc::new(FaultyDisk::new(Fault::None));
        let target = bench.target_on(Arc::<FaultyDisk>::clone(&disk));
        let scan = scan_of(&target, &bench.rules(), chosen.to_vec());
        let manifest = list_by(&scan, false, Removal::HardLink);
        let before = contents(&bench);
        let calls = disk.calls();
        if has_died {
            disk.die_at(call);
        } else {
            disk.fail_at(call);
        }
        let swept = run(&bench, &scan, &manifest, "one", &CancelToken::default());
        let is_over = disk.calls() < calls + call;
        if swept.is_ok() {
            if has_died {
                settle_as_dead(&bench, "one");
                assert_eq!(contents(&bench), before, "call {call}");
            }
            for item in read_items(&bench.state(), &run_id("one")).unwrap() {
                let number: usize = (item.place.path.path.rsplit_once('/'))
                    .and_then(|(_, name)| name.strip_suffix(".jpg")?.parse().ok())
                    .unwrap();
                let (stays, copy) = (at(&bench, "Pictures", number), at(&bench, "stick", number));
                let is_shared = inode(&stays) == inode(&copy);
                assert_eq!(
                    item.outcome == Some(Outcome::Shared),
                    is_shared,
                    "call {call}: {}",
                    item.reason
                );
            }
        }
        // A broken disk may leave an own folder behind, but nothing that was somebody's is ever gone.
        let after = contents(&bench).0;
        let is_kept = before
            .0
            .iter()
            .all(|(path, bytes)| after.get(path) == Some(bytes));
        assert!(is_kept, "call {call}");
        if is_over {
            assert!(call > 20, "{call}");
            return;
        }
        call += 1;
    }
}

#[test]
fn whatever_call_fails_each_name_has_its_contents_and_the_log_says_whose_they_are() {
    at_every_call(false);
}

#[test]
fn a_run_that_dies_at_any_call_is_settled_and_each_name_has_its_contents() {
    at_every_call(true);
}
