//! The three layouts: told by what is on the disk, scanned with every rule of their book.

use std::collections::{BTreeMap, BTreeSet};
use std::ffi::OsStr;
use std::os::unix::ffi::OsStrExt as _;
use std::path::PathBuf;
use std::process::Command;
use std::sync::Arc;

use jolly_core::CancelToken;
use jolly_core::computer::{Layout, Target, TargetPath};
use jolly_core::pile::{Scan, explain};
use jolly_core::rule::{
    ListFormat, RuleId, RuleSet, Verdict, builtin, run_examples, run_hostile_home,
};
use jolly_demo::DemoLayout;
use jolly_disk::RealDisk;

use crate::support::{Bench, DAY, NOW, asking, manifest_of, paths_of, run, scan_on};

const LAYOUTS: [(Layout, DemoLayout); 3] = [
    (Layout::Linux, DemoLayout::Linux),
    (Layout::Windows, DemoLayout::Windows),
    (Layout::Macos, DemoLayout::Macos),
];

/// A demo computer, scanned under the book that comes with its layout.
struct Demo {
    bench: Bench,
    layout: Layout,
    scan: Scan,
}

fn demo(layout: Layout, demo: DemoLayout) -> Demo {
    let bench = Bench::of_demo(demo, layout);
    let scan = bench.scan();
    Demo {
        bench,
        layout,
        scan,
    }
}

/// Each item's path with its rule's id; a list may be several rules', each of some of its entries.
fn owners(scan: &Scan) -> BTreeMap<Vec<u8>, BTreeSet<RuleId>> {
    let mut owners: BTreeMap<Vec<u8>, BTreeSet<RuleId>> = BTreeMap::new();
    for item in scan.arena.items() {
        let pile = scan.pile(scan.arena.pile(item));
        let id = scan.rules.rule(pile.rule).id.clone();
        let path = match scan.arena.fingerprint(item) {
            None => scan.arena.path(item),
            Some(_) => scan.arena.folder_path(scan.arena.folder(item)),
        };
        owners
            .entry(path.as_bytes().to_vec())
            .or_default()
            .insert(id);
    }
    owners
}

#[test]
fn every_rule_of_each_layout_finds_what_it_promises_and_sums_agree_with_find_and_du() {
    for (layout, kind) in LAYOUTS {
        let demo = demo(layout, kind);
        assert_examples(&demo);
        assert_sums(&demo);
        assert_last_use(&demo);
    }
}

fn assert_examples(demo: &Demo) {
    let layout = demo.layout;
    assert_eq!(demo.scan.target.layout, demo.layout);
    let owners = owners(&demo.scan);
    let mut seen: BTreeSet<&str> = BTreeSet::new();
    let file = builtin(layout).0;
    let (count, failures) = run_examples(&demo.scan.rules, &file);
    assert!(count > 40 && failures.is_empty(), "{failures:?}");
    for (number, rule) in demo.scan.rules.iter() {
        // What the file system itself holds is in no folder of a demo computer.
        let is_of_volume = rule.rule.entries == Some(ListFormat::Snapshots);
        assert!(
            is_of_volume
                || demo
                    .scan
                    .piles
                    .iter()
                    .any(|pile| pile.rule == number && pile.found().items > 0),
            "{} finds nothing",
            rule.id
        );
        assert!(
            is_of_volume
                || rule
                    .rule
                    .examples
                    .iter()
                    .any(|one| one.verdict == Verdict::Taken)
        );
        // A longer title is cut in the list.
        assert!(rule.rule.title.chars().count() <= 24, "{}", rule.rule.title);
        for example in &rule.rule.examples {
            let path = example.path.as_str();
            assert!(
                demo.bench.root().join(path).symlink_metadata().is_ok(),
                "{path}"
            );
            let owner = owners.get(path.as_bytes());
            let is_its = owner.is_some_and(|owners| owners.contains(&*rule.id));
            // Of two examples for one path the demo holds the first.
            let is_first = seen.insert(path);
            match example.verdict {
                Verdict::Taken | Verdict::Young => assert!(is_its, "{path}: {owner:?}"),
                _ => assert!(!is_its, "{path} is {}'s", rule.id),
            }
            let told = explain(&asking(&demo.scan), &TargetPath::new(path).unwrap());
            // A macos trash dates by a time that nobody can set.
            let is_undated = layout == Layout::Macos && rule.rule.id == "trash";
            if is_its && is_first && !is_undated {
                assert_eq!(told.verdict, example.verdict, "{path}: {}", told.reason);
                assert_eq!(told.rule, Some(number));
            } else if matches!(example.verdict, Verdict::Guarded | Verdict::Spared) {
                assert_eq!(told.verdict, example.verdict, "{path}: {}", told.reason);
            }
        }
    }
}

/// Counts and bytes, recounted by `find` and `du`.
fn assert_sums(demo: &Demo) {
    let (root, scan) = (demo.bench.root(), &demo.scan);
    for pile in &scan.piles {
        let rule = &scan.rules.rule(pile.rule).rule;
        let is_all = rule.take.is_empty()
            && rule.spare.is_empty()
            && rule.detect.is_none()
            && scan.searches.iter().all(|search| {
                search.rule == pile.rule
                    || scan
                        .roots_of(pile)
                        .all(|root| search.root.below(root).is_none())
            });
        if !is_all {
            continue;
        }
        let roots: Vec<PathBuf> = scan
            .roots_of(pile)
            .map(|path| root.join(OsStr::from_bytes(path.as_bytes())))
            .collect();
        // `find` counts names, `du` bytes.
        let found = output(Command::new("find").args(&roots).args([
            "(",
            "-type",
            "f",
            "-o",
            "-type",
            "l",
            ")",
            "!",
            "-iname",
            "login data",
            "!",
            "-iname",
            "key4.db",
            "-printf",
            "x",
        ]));
        let own = pile.found();
        assert_eq!(found.len() as u64, own.items, "{} {roots:?}", rule.id);
    }
    let mut list = Vec::new();
    let (mut bytes, mut items) = (0, 0);
    for item in scan.arena.items() {
        if scan.arena.links(item) == 1 && scan.arena.fingerprint(item).is_none() {
            list.extend(root.as_os_str().as_bytes());
            list.push(b'/');
            list.extend(scan.arena.path(item).as_bytes());
            list.push(0);
            bytes += scan.arena.frees(item);
            items += 1;
        }
    }
    let names = demo.bench.root().with_file_name("names");
    std::fs::write(&names, list).unwrap();
    let from = format!("--files0-from={}", names.display());
    let told = output(Command::new("du").args(["-B1", "--total"]).arg(from));
    let told = String::from_utf8_lossy(&told).into_owned();
    let total: u64 = told
        .lines()
        .last()
        .unwrap()
        .split('\t')
        .next()
        .unwrap()
        .parse()
        .unwrap();
    assert_eq!(total, bytes);
    assert!(items > 300, "{items}");
}

fn output(command: &mut Command) -> Vec<u8> {
    let output = command.output().unwrap();
    assert!(
        output.status.success(),
        "{}",
        String::from_utf8_lossy(&output.stderr)
    );
    output.stdout
}

#[test]
fn a_sweep_of_each_layout_takes_what_was_shown_and_no_more() {
    for (layout, kind) in LAYOUTS {
        let demo = demo(layout, kind);
        let manifest = manifest_of(&demo.scan, true);
        let before = demo.bench.paths();
        let summary = run(
            &demo.bench,
            &demo.scan,
            &manifest,
            "all",
            &CancelToken::default(),
        )
        .unwrap();
        let listed = paths_of(&manifest);
        let after = demo.bench.paths();
        let gone: Vec<&Vec<u8>> = before.difference(&after).collect();
        assert!(gone.iter().all(|path| listed.contains(*path)));
        assert_eq!(gone.len(), listed.len(), "{:?}", summary.stayed);
        let again = demo.bench.scan();
        let left = manifest_of(&again, true);
        // A note whose thing has no date, and a sign of last use that moved, leave nothing to take.
        assert_eq!(left.takes.items, 0, "{:?}", left.items.get(0));
    }
}

#[test]
fn a_layout_is_told_by_what_is_there_and_not_by_a_label() {
    let open = |folders: &[&str], files: &[(&str, &str)]| {
        let dir = tempfile::tempdir().unwrap();
        for folder in folders {
            std::fs::create_dir_all(dir.path().join(folder)).unwrap();
        }
        for (file, text) in files {
            std::fs::create_dir_all(dir.path().join(file).parent().unwrap()).unwrap();
            std::fs::write(dir.path().join(file), text).unwrap();
        }
        let target = Target::open(Arc::new(RealDisk), dir.path(), None, &|_| None);
        target.map(|target| target.layout).ok()
    };
    assert_eq!(
        open(&["WINDOWS/system32", "users/pia/APPDATA"], &[]),
        Some(Layout::Windows)
    );
    assert_eq!(
        open(&["System/Library", "Users/pia/Library"], &[]),
        Some(Layout::Macos)
    );
    assert_eq!(open(&["home"], &[]), Some(Layout::Linux));
    assert_eq!(open(&["Windows"], &[]), None);
    assert_eq!(open(&["Pictures", "Music"], &[]), None);
    let lie = "label = \"x\"\nowner = \"y\"\nlayout = \"windows\"\ncapacity = 1\n";
    let lying = open(&["home", "var/log"], &[(".otter-quay.toml", lie)]);
    assert_eq!(lying, Some(Layout::Linux));
}

#[test]
fn names_differ_in_case_without_being_others_where_the_layout_says_so() {
    let dir = tempfile::tempdir().unwrap();
    let root = dir.path().join("root");
    let tree = jolly_demo::TreeBuilder::new(&root, NOW).unwrap();
    for path in [
        "WINDOWS/SYSTEM32/KERNEL32.DLL",
        "WINDOWS/TEMP/OLD.TMP",
        "windows/temp/also.tmp",
        "users/Pia/appdata/LOCAL/Temp/x.tmp",
        "users/Pia/DOWNLOADS/Setup.EXE",
        "users/Pia/DOCUMENTS/letter.exe",
        "users/Public/x.tmp",
    ] {
        let kind = if path.ends_with("EXE") {
            "windows-program"
        } else {
            ""
        };
        tree.of_kind(path, kind, 4096, 100 * DAY).unwrap();
    }
    let target = Arc::new(Target::open(Arc::new(RealDisk), &root, None, &|_| None).unwrap());
    let rules = Arc::new(RuleSet::compile(&[builtin(Layout::Windows)]).unwrap());
    let owners = owners(&scan_on(&target, &rules));
    let owner = |path: &str| {
        owners
            .get(path.as_bytes())
            .and_then(|its| its.first())
            .map(|id| &**id)
    };
    assert_eq!(owner("WINDOWS/TEMP/OLD.TMP"), Some("windows/system-temp"));
    assert_eq!(owner("windows/temp/also.tmp"), Some("windows/system-temp"));
    assert_eq!(
        owner("users/Pia/appdata/LOCAL/Temp/x.tmp"),
        Some("windows/account-temp")
    );
    assert_eq!(
        owner("users/Pia/DOWNLOADS/Setup.EXE"),
        Some("windows/installers")
    );
    assert_eq!(owners.len(), 4, "{owners:?}");
    assert_eq!(target.accounts.len(), 1);
}

fn assert_last_use(demo: &Demo) {
    let used = |name: &str| {
        let mut accounts = demo.scan.target.accounts.iter();
        let account = accounts.find(|account| account.name == name).unwrap();
        (NOW - account.last_used.unwrap()) / DAY
    };
    assert!(used("pia") < 30, "{}", used("pia"));
    assert!((1000..1300).contains(&used("wren")), "{}", used("wren"));
}

#[test]
fn a_recycle_folder_belongs_to_whom_its_identifier_or_its_contents_say() {
    let demo = demo(Layout::Windows, DemoLayout::Windows);
    let account_of = |path: &str| {
        let wanted = TargetPath::new(path).unwrap();
        let item = demo
            .scan
            .arena
            .items()
            .find(|item| demo.scan.arena.path(*item) == wanted);
        let pile = demo.scan.pile(demo.scan.arena.pile(item.expect(path)));
        demo.scan.account_name(pile)
    };
    let folder = "$Recycle.Bin/S-1-5-21-4411-2202-7";
    assert_eq!(
        account_of(&format!("{folder}-1001/$R8K2Q1.mp4")),
        Some("pia")
    );
    assert_eq!(
        account_of(&format!("{folder}-1002/$IMIX00.zip")),
        Some("joss")
    );
    assert_eq!(
        account_of(&format!("{folder}-1009/$RCV000.odt")),
        Some("wren")
    );
    let unread: Vec<&str> = demo
        .scan
        .unread
        .iter()
        .map(|one| one.reason.as_str())
        .collect();
    assert!(
        unread
            .iter()
            .any(|reason| reason.contains("note of the trash")),
        "{unread:?}"
    );
}

#[test]
fn no_built_in_rule_takes_anything_of_a_hostile_home() {
    for layout in [Layout::Linux, Layout::Windows, Layout::Macos] {
        let rules = RuleSet::compile(&[builtin(layout)]).unwrap();
        let (many, taken) = run_hostile_home(&rules);
        assert!(many >= 2_500, "{layout:?}: {many}");
        let told: Vec<String> = taken.iter().map(ToString::to_string).collect();
        assert!(told.is_empty(), "{layout:?}\n{}", told.join("\n"));
    }
    // A careless rule is found out, and by what it takes.
    let careless = "rulebook = \"mine\"\nlayout = \"linux\"\n[[rule]]\nid = \"logs\"\ntitle = \"Logs\"\n\
        class = \"spent\"\nabout = \"a\"\nafter = \"b\"\nin = [\"{data}\"]\ntake = [\"*/logs/**\"]\n";
    let rules = RuleSet::compile(&[("mine.toml".to_owned(), careless.to_owned())]).unwrap();
    let (_, taken) = run_hostile_home(&rules);
    assert!(
        taken
            .iter()
            .any(|taken| taken.path.contains("conversation"))
    );
}
