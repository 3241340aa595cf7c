//! The first look tells what a computer is and where it hurts, cheaply, and says when it had to
//! stop counting.

use std::cell::Cell;
use std::collections::BTreeSet;
use std::process::Command;
use std::sync::Arc;

use jolly_core::computer::{Layout, Target};
use jolly_core::rule::{RuleId, RuleSet, builtin};
use jolly_core::survey::{Sign, arrive};
use jolly_demo::{DemoLayout, Fault, FaultyDisk, TreeBuilder};
use jolly_disk::RealDisk;
use proptest::prelude::*;

use crate::support::{Bench, DAY, NOW, now, scan_on, stride};

#[test]
fn signs_stand_with_their_figures_most_telling_first() {
    let bench = Bench::of_demo(DemoLayout::Windows, Layout::Windows);
    let target = bench.target();
    let told = arrive(&target, &bench.rules(), now(), &|| false);
    assert_eq!(told.signs.first(), Some(&Sign::PreviousSystem));
    let trash = told.signs.iter().find_map(|sign| match sign {
        Sign::Trash(account, figure, oldest) if account == "pia" => Some((*figure, *oldest)),
        _ => None,
    });
    let (figure, oldest) = trash.unwrap();
    assert!(!figure.is_least && figure.bytes > 60 << 20);
    assert_eq!(oldest.unwrap() / 86_400, 640);
    let unused = told.signs.iter().find_map(|sign| match sign {
        Sign::UnusedHome(account, age) => Some((&**account, age / 86_400)),
        _ => None,
    });
    assert_eq!(unused, Some(("wren", 1150)));
    assert!(
        told.signs
            .iter()
            .any(|sign| matches!(sign, Sign::CrowdedTemp(it) if it.count > 150))
    );
    let fact = |about: &str| {
        let mut facts = told.facts.iter();
        facts
            .find(|fact| fact.about == about)
            .map(|fact| fact.says.clone())
    };
    assert_eq!(
        fact("system").as_deref(),
        Some("windows, version 10.0.22621.1")
    );
    assert_eq!(
        told.locked_places, 0,
        "the builder may read and sweep all of it"
    );
    assert_eq!(
        fact("processor"),
        None,
        "that of the machine on the bench is nobody's business"
    );
}

#[test]
fn a_full_volume_and_many_starts_are_signs_and_small_things_are_none() {
    let bench = Bench::new();
    let told = arrive(&bench.target(), &bench.rules(), now(), &|| false);
    let small = |sign: &Sign| !matches!(sign, Sign::VolumeFull(_));
    assert_eq!(
        told.signs.iter().filter(|sign| small(sign)).count(),
        0,
        "{:?}",
        told.signs
    );
    for number in 0..5 {
        let path = format!("home/ada/.config/autostart/{number}.desktop");
        bench.tree.text(path, "x", DAY).unwrap();
    }
    let stand_in = "label = \"x\"\nowner = \"y\"\nlayout = \"linux\"\ncapacity = 1000000\n";
    bench.tree.text(".otter-quay.toml", stand_in, DAY).unwrap();
    bench.tree.file("home/ada/big", 900_000, DAY).unwrap();
    let told = arrive(&bench.target(), &bench.rules(), now(), &|| false);
    assert!(
        matches!(told.signs[0], Sign::VolumeFull(90..)),
        "{:?}",
        told.signs
    );
    assert!(told.signs.contains(&Sign::StartsAtSignIn(5)));
}

#[test]
fn what_is_large_and_no_rules_is_told_with_its_size() {
    let bench = Bench::new();
    for version in ["6.1.0-9", "6.1.0-18", "6.1.0-21"] {
        for name in ["vmlinuz", "initrd.img"] {
            let path = format!("boot/{name}-{version}");
            bench.tree.file(path, 8_192, DAY).unwrap();
        }
    }
    let large = |path: &str, size: &str| {
        let path = bench.root().join(path);
        std::fs::create_dir_all(path.parent().unwrap()).unwrap();
        let made = Command::new("fallocate")
            .args(["-l", size])
            .arg(path)
            .status();
        assert!(made.unwrap().success());
    };
    large("var/log/till.log", "256MiB");
    large("var/log/web/access.log", "256MiB");
    bench.tree.file("var/log/web/access.log.1", 1, DAY).unwrap();
    large("swapfile", "1GiB");
    large("var/lib/docker/overlay2/1a/diff/app", "1GiB");
    let told = arrive(&bench.target(), &bench.rules(), now(), &|| false);
    let kernels = told
        .signs
        .iter()
        .any(|sign| matches!(sign, Sign::OldKernels(1, 16_384)));
    assert!(kernels, "{:?}", told.signs);
    let logs = told.signs.iter().filter_map(|sign| match sign {
        Sign::GrowingLog(path, _) => Some(path.as_str()),
        _ => None,
    });
    assert_eq!(logs.collect::<Vec<_>>(), ["var/log/till.log"]);
    let is_swap = |sign: &Sign| matches!(sign, Sign::MemoryFile(name, _) if name == "swapfile");
    assert!(told.signs.iter().any(is_swap), "{:?}", told.signs);
    assert!(
        told.signs
            .iter()
            .any(|sign| matches!(sign, Sign::Containers(_)))
    );
}

#[test]
fn when_time_is_up_a_figure_says_that_it_is_a_least() {
    let bench = Bench::new();
    for number in 0..3_000 {
        bench
            .tree
            .file(format!("tmp/{}/{number}", number % 30), 0, DAY)
            .unwrap();
    }
    let asked = Cell::new(0);
    let is_due = || {
        asked.set(asked.get() + 1);
        asked.get() > 20
    };
    let told = arrive(&bench.target(), &bench.rules(), now(), &is_due);
    let temp = told.signs.iter().find_map(|sign| match sign {
        Sign::CrowdedTemp(figure) => Some(*figure),
        _ => None,
    });
    let temp = temp.unwrap();
    assert!(temp.is_least && temp.count < 3_000, "{temp:?}");
}

#[test]
fn a_disk_that_fails_at_any_call_is_looked_at_all_the_same() {
    let bench = Bench::new();
    for path in [
        "tmp/a",
        "home/ada/.cache/x",
        "home/ada/Downloads/y",
        "var/crash/z",
    ] {
        bench.tree.file(path, 4096, 40 * DAY).unwrap();
    }
    let whole = Arc::new(FaultyDisk::new(Fault::None));
    let target = bench.target_on(Arc::clone(&whole) as Arc<dyn jolly_disk::Disk>);
    let opened = whole.calls();
    arrive(&target, &bench.rules(), now(), &|| false);
    let calls = whole.calls() - opened;
    assert!(calls > 50);
    for call in (1..=calls).step_by(stride()) {
        let disk = Arc::new(FaultyDisk::new(Fault::None));
        let target = bench.target_on(Arc::clone(&disk) as Arc<dyn jolly_disk::Disk>);
        disk.fail_at(call);
        let told = arrive(&target, &bench.rules(), now(), &|| false);
        assert!(!told.facts.is_empty());
    }
    for call in 1..=opened {
        // Opening may be refused, with the path; it never panics and invents no account.
        let disk = Arc::new(FaultyDisk::new(Fault::FailAt(call)));
        if let Ok(target) = Target::open(disk, &bench.root(), None, &|_| None) {
            assert!(target.accounts.iter().all(|account| account.name == "ada"));
        }
    }
}

/// Paths of a windows target, each of another rule or guard.
const PATHS: [&str; 9] = [
    "Windows/Temp/old.tmp",
    "Windows/System32/kernel32.dll",
    "Windows/Prefetch/TIDE.EXE-1.pf",
    "Windows/SoftwareDistribution/Download/a/b.cab",
    "Users/pia/AppData/Local/Temp/x.tmp",
    "Users/pia/AppData/Local/CrashDumps/tide.exe.1.dmp",
    "Users/pia/Downloads/setup.exe",
    "Users/pia/Documents/letter.txt",
    "Users/pia/NTUSER.DAT",
];

proptest! {
    #![proptest_config(ProptestConfig { cases: 16, ..ProptestConfig::default() })]

    #[test]
    fn prop_the_case_of_names_changes_nothing_on_a_windows_layout(flips in prop::collection::vec(any::<bool>(), 64)) {
        let owners = |flip: &dyn Fn(usize, char) -> char| {
            let dir = tempfile::tempdir().unwrap();
            let root = dir.path().join("root");
            let tree = TreeBuilder::new(&root, NOW).unwrap();
            for path in PATHS {
                // A letter is turned by its place in its part, so that one folder stays one.
                let parts: Vec<String> = path.split('/').map(|part| {
                    part.chars().enumerate().map(|(at, letter)| flip(at + part.len(), letter)).collect()
                }).collect();
                let kind = if path.strip_suffix(".exe").is_some() { "windows-program" } else { "" };
                tree.of_kind(parts.join("/"), kind, 4096, 200 * DAY).unwrap();
            }
            let target = Target::open(Arc::new(RealDisk), &root, None, &|_| None).unwrap();
            let rules = Arc::new(RuleSet::compile(&[builtin(Layout::Windows)]).unwrap());
            let scan = scan_on(&Arc::new(target), &rules);
            let owner = |item| {
                let rule = &scan.rules.rule(scan.pile(scan.arena.pile(item)).rule).id;
                (scan.arena.path(item).to_string().to_lowercase(), rule.clone())
            };
            scan.arena.items().map(owner).collect::<BTreeSet<(String, RuleId)>>()
        };
        let plain = owners(&|_, letter| letter);
        prop_assert_eq!(plain.len(), 6);
        let turned = owners(&|at, letter| {
            let is_turned = flips[at % flips.len()];
            match letter {
                'a'..='z' if is_turned => letter.to_ascii_uppercase(),
                'A'..='Z' if is_turned => letter.to_ascii_lowercase(),
                letter => letter,
            }
        });
        prop_assert_eq!(turned, plain);
    }
}
