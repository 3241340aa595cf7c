//! A run that died can be told to the last item.

use std::collections::BTreeSet;

use jolly_core::CancelToken;
use jolly_core::computer::TargetPath;
use jolly_core::dustpan::Pan;
use jolly_core::plan::Outcome;
use jolly_core::run::{LogState, SameComputer, read_items, recover, verify_log};

use crate::support::{Bench, DAY, keep_intents, manifest_of, now, run, run_id, succeeds};

const KNOWN: SameComputer = SameComputer::MustBeKnown;

/// Cuts a finished log at every byte of some lines, as a power cut would, and settles it.
#[test]
fn a_log_cut_anywhere_is_settled_by_looking() {
    let bench = Bench::new();
    for number in 0..60 {
        bench
            .tree
            .file(format!("tmp/{}/x{number}", number % 5), 4096, 60 * DAY)
            .unwrap();
    }
    let before = bench.paths();
    let scan = bench.scan();
    let manifest = manifest_of(&scan, true);
    run(&bench, &scan, &manifest, "one", &CancelToken::default()).unwrap();
    let gone: BTreeSet<Vec<u8>> = before.difference(&bench.paths()).cloned().collect();
    let path = bench.state().log(&run_id("one"));
    let whole = std::fs::read(&path).unwrap();
    let first_line = whole.iter().position(|byte| *byte == b'\n').unwrap() + 1;
    let target = bench.target();
    for cut in (first_line..whole.len())
        .step_by(97)
        .chain([whole.len() - 1])
    {
        std::fs::write(&path, &whole[..cut]).unwrap();
        assert_eq!(
            verify_log(&bench.state(), &run_id("one")).unwrap().state,
            LogState::Interrupted
        );
        let open: Vec<_> = read_items(&bench.state(), &run_id("one")).unwrap();
        let unsettled = open.iter().filter(|item| item.outcome.is_none()).count();
        let settled = recover(&bench.state(), &run_id("one"), (&target, KNOWN), now()).unwrap();
        assert_eq!(settled.state, LogState::Recovered, "cut at {cut}");
        let items = read_items(&bench.state(), &run_id("one")).unwrap();
        assert!(
            items.iter().all(|item| item.outcome.is_some()),
            "cut at {cut}"
        );
        assert!(unsettled == 0 || items.len() >= unsettled);
        for item in &items {
            let path = TargetPath::try_from(&item.place.path).unwrap();
            let is_gone = gone.contains(path.as_bytes());
            assert_eq!(
                item.outcome == Some(Outcome::Removed),
                is_gone,
                "cut at {cut}: {path}"
            );
        }
        // Settling again changes nothing.
        let bytes = std::fs::read(&path).unwrap();
        recover(&bench.state(), &run_id("one"), (&target, KNOWN), now()).unwrap();
        assert_eq!(std::fs::read(&path).unwrap(), bytes);
    }
}

#[test]
fn what_the_run_never_reached_is_told_as_still_there_or_changed() {
    let bench = Bench::new();
    for name in ["a", "b", "c"] {
        bench
            .tree
            .file(format!("tmp/{name}"), 4096, 60 * DAY)
            .unwrap();
    }
    let scan = bench.scan();
    run(
        &bench,
        &scan,
        &manifest_of(&scan, true),
        "one",
        &CancelToken::default(),
    )
    .unwrap();
    // As if it had died after the intents: the files are back, one of them as another file.
    let path = bench.state().log(&run_id("one"));
    let text = std::fs::read_to_string(&path).unwrap();
    let intents: Vec<&str> = text
        .lines()
        .take_while(|line| !line.contains("\"done\""))
        .collect();
    std::fs::write(&path, intents.join("\n") + "\n").unwrap();
    bench.tree.file("tmp/b", 4096, 60 * DAY).unwrap();
    recover(
        &bench.state(),
        &run_id("one"),
        (&bench.target(), KNOWN),
        now(),
    )
    .unwrap();
    let items = read_items(&bench.state(), &run_id("one")).unwrap();
    let of = |name: &str| {
        items
            .iter()
            .find(|item| item.place.path.path == name)
            .unwrap()
            .outcome
    };
    assert_eq!(of("tmp/a"), Some(Outcome::Removed));
    assert_eq!(of("tmp/b"), Some(Outcome::Changed));
    let other = Bench::new();
    std::fs::write(&path, intents.join("\n") + "\n").unwrap();
    assert!(
        recover(
            &bench.state(),
            &run_id("one"),
            (&other.target(), KNOWN),
            now()
        )
        .is_err()
    );
}

#[test]
fn what_was_on_its_way_out_when_the_run_died_is_put_back_or_told_where_it_lies() {
    let bench = Bench::new();
    for name in ["a", "b", "c", "d"] {
        let path = format!("tmp/{name}");
        bench.tree.text(path, name, 60 * DAY).unwrap();
    }
    let root = bench.root();
    let quarantine = root.join(".jolly-broom-one");
    let foreign = root.join("tmp/.jolly-broom-one");
    // The state of the disk and of the log as a death leaves them between two calls of the sweep.
    let kept: Vec<_> = ["a", "b", "c", "d"]
        .map(|name| (name, root.join("aside").join(name)))
        .into();
    std::fs::create_dir(root.join("aside")).unwrap();
    for (name, aside) in &kept {
        std::fs::hard_link(root.join("tmp").join(name), aside).unwrap();
    }
    let scan = bench.scan();
    let manifest = manifest_of(&scan, true);
    run(&bench, &scan, &manifest, "one", &CancelToken::default()).unwrap();
    keep_intents(&bench, "one");
    let number = |name: &str| {
        let is_it = |path: &TargetPath| path.as_bytes() == format!("tmp/{name}").as_bytes();
        let at = manifest.items.iter().position(|item| is_it(&item.path));
        at.unwrap().to_string()
    };
    let private = |folder: &std::path::Path| {
        use std::os::unix::fs::DirBuilderExt as _;
        std::fs::DirBuilder::new()
            .mode(0o700)
            .create(folder)
            .unwrap();
    };
    private(&quarantine);
    std::fs::rename(&kept[0].1, quarantine.join(number("a"))).unwrap();
    std::fs::rename(&kept[1].1, quarantine.join(number("b"))).unwrap();
    std::fs::write(root.join("tmp/b"), b"the next one").unwrap();
    // What others made under that name, where they may write, is not ours.
    std::fs::create_dir(&foreign).unwrap();
    std::fs::rename(&kept[2].1, foreign.join(number("c"))).unwrap();

    let settled = recover(
        &bench.state(),
        &run_id("one"),
        (&bench.target(), KNOWN),
        now(),
    )
    .unwrap();
    assert_eq!(settled.state, LogState::Recovered);
    let items = read_items(&bench.state(), &run_id("one")).unwrap();
    let told = |name: &str| {
        let path = format!("tmp/{name}");
        let item = items
            .iter()
            .find(|item| item.place.path.path == path)
            .unwrap();
        (item.outcome.unwrap(), item.reason.clone())
    };
    assert_eq!(told("a").0, Outcome::Refused, "{}", told("a").1);
    assert_eq!(std::fs::read(root.join("tmp/a")).unwrap(), b"a");
    let beside = format!("b.{}", number("b"));
    assert_eq!(told("b").0, Outcome::Changed);
    assert!(told("b").1.contains(&beside), "{}", told("b").1);
    assert_eq!(std::fs::read(root.join("tmp").join(beside)).unwrap(), b"b");
    assert_eq!(told("c").0, Outcome::Removed);
    assert!(foreign.join(number("c")).exists() && !root.join("tmp/c").exists());
    assert_eq!(told("d").0, Outcome::Removed);
    assert!(!quarantine.exists());
}

#[test]
fn only_what_the_dustpan_holds_is_told_as_set_aside_and_all_that_left_can_come_back() {
    for is_packed in [true, false] {
        let bench = Bench::new();
        let trash = "home/ada/.local/share/Trash/files";
        for name in ["a", "b", "c"] {
            bench.throw_away(name, 4096);
        }
        // One that can't leave, where files can be marked so.
        let fixed = bench.root().join(trash).join("c");
        let is_fixed = succeeds("chattr", &["+i"], &fixed);
        let scan = bench.scan();
        let manifest = manifest_of(&scan, true);
        run(&bench, &scan, &manifest, "one", &CancelToken::default()).unwrap();
        let cut = |path: &std::path::Path, is_kept: &dyn Fn(&str) -> bool| {
            let text = std::fs::read_to_string(path).unwrap();
            let kept = text.lines().take_while(|line| is_kept(line));
            let kept: String = kept.flat_map(|line| [line, "\n"]).collect();
            std::fs::write(path, kept).unwrap();
        };
        // As if it had died after the intents, and as if before the first frame was proven, or before
        // it was noted what stayed. Under the second name somebody has put something new since.
        cut(&bench.state().log(&run_id("one")), &|line| {
            !line.contains("\"done\"")
        });
        cut(&bench.state().dustpan_record(&run_id("one")), &|line| {
            !line.contains(if is_packed { "\"stayed\"" } else { "\"frame\"" })
        });
        let path = format!("{trash}/b");
        bench.tree.text(path, "new", 60 * DAY).unwrap();
        recover(
            &bench.state(),
            &run_id("one"),
            (&bench.target(), KNOWN),
            now(),
        )
        .unwrap();
        succeeds("chattr", &["-i"], &fixed);
        let items = read_items(&bench.state(), &run_id("one")).unwrap();
        let of = |name: &str| {
            let mut named = items
                .iter()
                .filter(|item| item.place.path.path.ends_with(name));
            named.next().unwrap().outcome.unwrap()
        };
        let gone = if is_packed {
            Outcome::SetAside
        } else {
            Outcome::Gone
        };
        assert_eq!((of("/a"), of("/b")), (gone, Outcome::Changed));
        let pan = Pan::read(&bench.state(), &run_id("one")).unwrap().unwrap();
        let held: Vec<String> = pan.held().map(|item| item.path.to_string()).collect();
        let is_held = |name: &str| held.contains(&format!("{trash}/{name}"));
        // What is new under a name says nothing of what was there: its copy is still offered.
        assert_eq!((is_held("a"), is_held("b")), (is_packed, is_packed));
        if is_fixed {
            assert_eq!(of("/c"), Outcome::Refused);
            assert!(!is_held("c"), "it never left");
        }
    }
}
