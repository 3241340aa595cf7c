//! What a registry says of files that are gone goes value by value and key by key, and comes back; nothing else of a hive is
//! ever different, whoever reads it.

use std::cell::RefCell;
use std::collections::{BTreeMap, BTreeSet};
use std::fs;
use std::process::Command;
use std::sync::Arc;

use jolly_core::CancelToken;
use jolly_core::computer::Layout;
use jolly_core::decide::{Decisions, Selection};
use jolly_core::dustpan::{Pan, RestoreOutcome};
use jolly_core::pile::Scan;
use jolly_core::plan::{Manifest, Outcome, make_manifest, safety_copies};
use jolly_core::run::{RestoreSummary, SameComputer, read_items, recover};
use jolly_demo::{DemoLayout, Fault, FaultyDisk};
use regf::{DataType, HiveBuilder, KeyTreeNode, KeyTreeValue, RegistryHive};

use crate::support::{Bench, DAY, bring_back, now, run, run_id, scan_on, unpacked};

const SOFTWARE: &str = "Windows/System32/config/SOFTWARE";
const PIAS: &str = "Users/pia/NTUSER.DAT";

/// What of the notebook's registry points to nothing.
const GONE: [&str; 11] = [
    "Applications\\buoylist.exe",
    "Classes\\Applications\\buoylist.exe",
    "Classes\\Buoylist.Chart\\shell\\open",
    "Classes\\CLSID\\{6f1d2c30-0001-4b0e-9c1a-5d2e7f8a9b01}",
    "Classes\\TypeLib\\{6f1d2c30-0004-4b0e-9c1a-5d2e7f8a9b04}\\1.0",
    "Microsoft\\Windows\\CurrentVersion\\App Paths\\buoylist.exe",
    "Microsoft\\Windows\\CurrentVersion\\Run\\\\Ferrylog Sync",
    "Microsoft\\Windows\\CurrentVersion\\SharedDLLs\\\\C:\\Program Files\\Buoylist\\preview.dll",
    "Microsoft\\Windows\\CurrentVersion\\Uninstall\\Buoylist",
    "Software\\Microsoft\\Windows\\CurrentVersion\\Run\\\\Buoylist",
    "Software\\Microsoft\\Windows\\CurrentVersion\\RunOnce\\\\Buoylist Update",
];

fn notebook() -> Bench {
    Bench::of_demo(DemoLayout::Windows, Layout::Windows)
}

fn bytes(bench: &Bench, hive: &str) -> Vec<u8> {
    fs::read(bench.root().join(hive)).unwrap()
}

pub(crate) type Values = BTreeMap<String, (u32, Vec<u8>)>;

/// Keys by their path, as the reader of another finds them.
pub(crate) fn keys(bytes: Vec<u8>) -> BTreeMap<String, Values> {
    let hive = RegistryHive::from_bytes(bytes).unwrap();
    assert!(!hive.is_dirty());
    let mut found = BTreeMap::new();
    let mut waiting = vec![(hive.root_key().unwrap(), String::new())];
    while let Some((key, path)) = waiting.pop() {
        let values = key.values().unwrap().into_iter().map(|value| {
            (
                value.name(),
                (value.raw_data_type(), value.raw_data().unwrap()),
            )
        });
        found.insert(path.clone(), values.collect());
        for below in key.subkeys().unwrap() {
            let path = format!("{path}\\{}", below.name());
            waiting.push((below, path.trim_start_matches('\\').to_owned()));
        }
    }
    found
}

/// What two programs that aren't ours say of a hive, times aside; each says of the other where this machine has none.
fn told(bench: &Bench, hive: &str) -> BTreeSet<String> {
    let path = bench.root().join(hive);
    let run = |program: &str| {
        let output = Command::new(program).arg(&path).output();
        let Ok(output) = output else {
            jolly_demo::skipped(&format!("no {program} reads hives here"));
            return String::new();
        };
        assert!(output.status.success(), "{program}: {output:?}");
        String::from_utf8(output.stdout).unwrap()
    };
    let listed = run("reglookup");
    // The last field of a key's line is its time.
    let listed = listed.lines().map(|line| match line.split_once(",KEY,") {
        Some((path, _)) => format!("{path},KEY"),
        None => line.trim_end_matches(',').to_owned(),
    });
    let nodes = run("hivexml");
    let nodes = nodes.replace("><", ">\n<");
    let nodes = nodes
        .lines()
        .filter(|line| !line.contains("mtime") && !line.contains("byte_run"));
    listed.chain(nodes.map(str::to_owned)).collect()
}

/// Where a person's hive has what starts at sign-in.
pub(crate) const RUN: &str = "Software\\Microsoft\\Windows\\CurrentVersion\\Run";

/// A value of text.
fn text(name: &str, says: &str) -> KeyTreeValue {
    let data = says.encode_utf16().chain([0]);
    KeyTreeValue {
        name: name.to_owned(),
        data_type: DataType::String,
        data: data.flat_map(u16::to_le_bytes).collect(),
    }
}

fn hive_starting(name: &str, program: &str) -> Vec<u8> {
    let mut tree = KeyTreeNode::new("root");
    tree.get_or_create_path(RUN)
        .values
        .push(text(name, program));
    HiveBuilder::from_tree(tree).unwrap().build().unwrap()
}

/// A person's hive that starts a program of these names which is nowhere.
pub(crate) fn run_hive(names: &[&str]) -> Vec<u8> {
    let mut tree = KeyTreeNode::new("root");
    for name in names {
        let value = text(name, "C:\\Buoylist\\buoylist.exe");
        tree.get_or_create_path(RUN).values.push(value);
    }
    HiveBuilder::from_tree(tree).unwrap().build().unwrap()
}

/// What the rules about the registry take, and nothing else.
pub(crate) fn references(scan: &Scan) -> Manifest {
    let of_values = scan
        .rules
        .iter()
        .filter(|(_, rule)| rule.rule.values.is_some());
    let selection = Selection {
        takes_all: true,
        only: of_values.map(|(number, _)| number).collect(),
        ..Selection::default()
    };
    make_manifest(scan, &Decisions::new(scan, &selection).unwrap())
}

fn names(manifest: &Manifest) -> BTreeSet<String> {
    let names = manifest.items.iter();
    names
        .map(|item| {
            String::from_utf8(item.path.name().to_vec())
                .unwrap()
                .replace('\u{2215}', "/")
        })
        .collect()
}

fn back(bench: &Bench, scan: &Scan, only: &dyn Fn(&str) -> bool) -> RestoreSummary {
    bring_back(bench, scan, &|item| only(&item.shown()))
}

#[test]
fn what_points_to_nothing_goes_and_comes_back_and_every_reader_agrees() {
    let bench = notebook();
    let before = [SOFTWARE, PIAS].map(|hive| (keys(bytes(&bench, hive)), told(&bench, hive)));
    let whole = [SOFTWARE, PIAS].map(|hive| bytes(&bench, hive));
    let scan = bench.scan();
    let manifest = references(&scan);
    assert_eq!(names(&manifest), GONE.map(str::to_owned).into());
    assert_eq!(safety_copies(&scan.target, &manifest).hives.len(), 3);
    let summary = run(&bench, &scan, &manifest, "one", &CancelToken::default()).unwrap();
    assert_eq!(summary.sum(Outcome::SetAside).items, 11);
    for (hive, (was, said)) in [SOFTWARE, PIAS].into_iter().zip(&before) {
        let now = keys(bytes(&bench, hive));
        for (path, values) in was {
            let is_gone = |name: &str| {
                GONE.iter().any(|gone| match gone.split_once("\\\\") {
                    Some((key, value)) => key == path && value == name,
                    None => path == gone || path.starts_with(&format!("{gone}\\")),
                })
            };
            let is_key_gone = is_gone("\u{0}");
            assert_eq!(now.contains_key(path), !is_key_gone, "{path}");
            if !is_key_gone {
                let left: Values = values
                    .clone()
                    .into_iter()
                    .filter(|it| !is_gone(&it.0))
                    .collect();
                assert_eq!(now[path], left, "{path}");
            }
        }
        assert!(now.keys().all(|path| was.contains_key(path)));
        let says = told(&bench, hive);
        let gone: Vec<&String> = said.difference(&says).collect();
        assert!(
            !gone.is_empty() && says.is_subset(said),
            "{:?}",
            says.difference(said)
        );
    }
    // The hives as they were are in the dustpan, whole.
    let pan = Pan::read(&bench.state(), &run_id("one")).unwrap().unwrap();
    assert_eq!(pan.copies().count(), 3);
    let kept = unpacked(&bench);
    for (hive, whole) in [SOFTWARE, PIAS].into_iter().zip(&whole) {
        assert!(kept.iter().any(|bytes| bytes == whole), "{hive}");
    }
    // One comes back into a hive that has changed since, then all.
    let one = back(&bench, &scan, &|shown| shown.contains("Ferrylog Sync"));
    assert_eq!(one.items.len(), 1);
    assert!(matches!(one.items[0].1, RestoreOutcome::There), "{one:?}");
    let all = back(&bench, &scan, &|_| true);
    assert!(all.items.iter().all(|(_, back)| back.is_back()), "{all:?}");
    for (hive, (was, said)) in [SOFTWARE, PIAS].into_iter().zip(before) {
        assert_eq!(keys(bytes(&bench, hive)), was);
        let says = told(&bench, hive);
        let other: Vec<&String> = says.symmetric_difference(&said).collect();
        assert!(other.is_empty(), "{other:?}");
    }
    assert_eq!(
        names(&references(&bench.scan())),
        GONE.map(str::to_owned).into()
    );
}

/// A system that calls its own drive otherwise says nothing of `C:`, and of its own what is true.
#[test]
fn only_what_lay_on_the_systems_own_drive_can_be_gone() {
    let found = |root: Option<&str>, program: &str| {
        let bench = Bench::bare(Layout::Windows);
        bench.tree.folder("Windows/System32").unwrap();
        bench.tree.text("Tide/tide.exe", "x", DAY).unwrap();
        bench
            .tree
            .text(PIAS, hive_starting("Tide", program), DAY)
            .unwrap();
        if let Some(root) = root {
            let mut tree = KeyTreeNode::new("root");
            let key = tree.get_or_create_path("Microsoft\\Windows NT\\CurrentVersion");
            key.values.push(text("SystemRoot", root));
            let hive = HiveBuilder::from_tree(tree).unwrap().build().unwrap();
            bench.tree.text(SOFTWARE, hive, DAY).unwrap();
        }
        references(&bench.scan()).items.len()
    };
    for (root, program, many) in [
        (None, "C:\\Tide\\gone.exe", 1),
        (None, "c:\\tide\\TIDE.exe", 0),
        (None, "C:\\Tide\\tide -q", 0),
        (None, "\"C:\\Tide\\tide\" -q", 0),
        (None, "\"C:\\Tide\\gone\" -q", 1),
        (None, "C:\\Program Files\\%x%\\gone.exe", 0),
        (None, "D:\\Tide\\gone.exe", 0),
        (Some("D:\\Windows"), "C:\\Tide\\gone.exe", 0),
        (Some("D:\\Windows"), "D:\\Tide\\gone.exe", 1),
        (Some("D:\\Windows"), "D:\\Windows\\gone.exe", 0),
        (Some("%x%"), "C:\\Tide\\gone.exe", 1),
    ] {
        assert_eq!(found(root, program), many, "{root:?} {program}");
    }
}

/// A part whose file is gone and that something else gives out stays, and so does what its installer brings on demand.
#[test]
fn what_something_else_does_instead_points_to_something() {
    let gone = "C:\\Buoylist\\gone.dll";
    let part = "Classes\\CLSID\\{1}";
    let server = format!("{part}\\InprocServer32");
    let found = |more: &[(&str, &str, &str)]| {
        let bench = Bench::bare(Layout::Windows);
        bench.tree.folder("Windows/System32").unwrap();
        let mut tree = KeyTreeNode::new("root");
        for (key, name, says) in [(&*server, "", gone)].iter().chain(more) {
            tree.get_or_create_path(key).values.push(text(name, says));
        }
        let hive = HiveBuilder::from_tree(tree).unwrap().build().unwrap();
        bench.tree.text(SOFTWARE, hive, DAY).unwrap();
        references(&bench.scan()).items.len()
    };
    let service = "Classes\\AppID\\{2}";
    assert_eq!(found(&[]), 1);
    assert_eq!(found(&[(part, "AppID", "{2}"), (service, "", "Tides")]), 1);
    let by_service = (service, "LocalService", "tides");
    assert_eq!(found(&[(part, "AppID", "{2}"), by_service]), 0);
    assert_eq!(found(&[(&server, "InprocServer32", "on demand")]), 0);
    let other = format!("{part}\\TreatAs");
    assert_eq!(found(&[(&other, "", "{3}")]), 0);
}

/// What of a bench's registry is found, and what becomes of it when it is changed in between.
fn swept_after(change: &dyn Fn(&Bench)) -> (Bench, BTreeMap<String, String>) {
    let bench = notebook();
    let scan = bench.scan();
    let manifest = references(&scan);
    assert_eq!(manifest.items.len(), 11);
    change(&bench);
    run(&bench, &scan, &manifest, "one", &CancelToken::default()).unwrap();
    let items = read_items(&bench.state(), &run_id("one")).unwrap();
    let stayed = items
        .into_iter()
        .filter(|item| item.outcome != Some(Outcome::SetAside));
    let stayed = stayed.map(|item| (item.place.within.unwrap(), item.reason));
    (bench, stayed.collect())
}

#[test]
fn what_is_there_again_in_use_asleep_or_changed_stays() {
    let (_, stayed) = swept_after(&|bench| {
        bench
            .tree
            .file("Program Files/Buoylist/buoylist.exe", 9, DAY)
            .unwrap();
    });
    // The program is back: all that may mean it stays, its library that is gone still goes.
    assert_eq!(stayed.len(), 6, "{stayed:?}");
    let holder = RefCell::new(None);
    let (_, stayed) = swept_after(&|bench| {
        let hive = fs::File::open(bench.root().join(PIAS)).unwrap();
        let held = Command::new("sleep").arg("60").stdin(hive).spawn();
        *holder.borrow_mut() = Some(held.unwrap());
    });
    let mut held = holder.into_inner().unwrap();
    held.kill().unwrap();
    held.wait().unwrap();
    assert_eq!(stayed.len(), 2, "{stayed:?}");
    assert!(
        stayed.values().all(|why| why.contains("sleep")),
        "{stayed:?}"
    );
    let (bench, stayed) = swept_after(&|bench| {
        fs::write(bench.root().join("hiberfil.sys"), b"HIBR").unwrap();
    });
    assert_eq!(stayed.len(), 11, "{stayed:?}");
    assert!(
        stayed.values().all(|why| why.contains("asleep")),
        "{stayed:?}"
    );
    assert!(references(&bench.scan()).items.is_empty());
    let scan = bench.scan();
    let unread = scan
        .unread
        .iter()
        .filter(|one| format!("{one:?}").contains("asleep"));
    assert!(unread.count() >= 3);
    let (bench, stayed) = swept_after(&|bench| {
        let path = bench.root().join(SOFTWARE);
        let mut bytes = fs::read(&path).unwrap();
        bytes[12] ^= 1;
        fs::write(path, bytes).unwrap();
    });
    assert_eq!(stayed.len(), 8, "{stayed:?}");
    // Its first block is torn now, and no log says what it was.
    let torn = bytes(&bench, SOFTWARE);
    assert_eq!(references(&bench.scan()).items.len(), 0);
    assert_eq!(bytes(&bench, SOFTWARE), torn);
}

#[test]
fn a_run_that_dies_at_any_call_leaves_the_old_hive_or_the_new_one() {
    let bench = Bench::bare(Layout::Windows);
    let old = run_hive(&["Buoylist", "Buoylist Update"]);
    bench.tree.folder("Windows/System32").unwrap();
    bench.tree.text(PIAS, &old, DAY).unwrap();
    let old_keys = keys(old.clone());
    let mut call = 1;
    loop {
        fs::write(bench.root().join(PIAS), &old).unwrap();
        let disk = Arc::new(FaultyDisk::new(Fault::None));
        let scan = scan_on(
            &bench.target_on(Arc::<FaultyDisk>::clone(&disk)),
            &bench.rules(),
        );
        let manifest = references(&scan);
        assert_eq!(manifest.items.len(), 2);
        let calls = disk.calls();
        disk.die_at(call);
        let id = format!("r{call}");
        let swept = run(&bench, &scan, &manifest, &id, &CancelToken::default());
        let is_over = disk.calls() < calls + call;
        let left = keys(bytes(&bench, PIAS));
        let run_key = &left[RUN];
        let is_new = !run_key.contains_key("Buoylist");
        assert!(is_new || left == old_keys, "call {call}");
        if swept.is_ok() {
            let log = bench.state().log(&run_id(&id));
            let text = fs::read_to_string(&log).unwrap();
            let intents = text.lines().take_while(|line| !line.contains("\"done\""));
            let intents: Vec<&str> = intents
                .filter(|line| !line.contains("\"finish\""))
                .collect();
            fs::write(&log, intents.join("\n") + "\n").unwrap();
            let whole = bench.target();
            recover(
                &bench.state(),
                &run_id(&id),
                (&*whole, SameComputer::MustBeKnown),
                now(),
            )
            .unwrap();
            for item in read_items(&bench.state(), &run_id(&id)).unwrap() {
                let is_told_gone = item.outcome == Some(Outcome::SetAside);
                assert_eq!(
                    is_told_gone, is_new,
                    "call {call}: {:?} {}",
                    item.outcome, item.reason
                );
            }
        }
        let litter = bench
            .paths()
            .into_iter()
            .any(|path| path.windows(13).any(|it| it == b".jolly-broom-"));
        assert!(swept.is_err() || !litter, "call {call}");
        if is_over {
            assert!(call > 20, "{call}");
            return;
        }
        call += 1;
    }
}
