//! What the keys of a rule and its recognisers do on a disk.

use std::collections::BTreeSet;
use std::os::unix::ffi::OsStrExt as _;
use std::path::Path;
use std::sync::Arc;

use jolly_core::CancelToken;
use jolly_core::computer::TargetPath;
use jolly_core::pile::{Scan, explain};
use jolly_core::plan::Outcome;
use jolly_core::rule::{RuleSet, Verdict};
use proptest::prelude::*;

use crate::support::{Bench, DAY, Program, asking, manifest_of, now, paths_of, run, scan_on};

fn rule(id: &str, body: &str) -> String {
    format!(
        "[[rule]]\nid = \"{id}\"\ntitle = \"T\"\nclass = \"ask\"\nabout = \"a\"\nafter = \"b\"\n{body}\n"
    )
}

/// The paths that one rule found.
fn found(scan: &Scan, id: &str) -> BTreeSet<String> {
    let items = scan.arena.items().filter(|item| {
        let pile = scan.pile(scan.arena.pile(*item));
        let rule = scan.rules.rule(pile.rule);
        rule.rule.id == id || rule.id == id
    });
    items
        .map(|item| scan.arena.path(item).to_string())
        .collect()
}

fn set(paths: &[&str]) -> BTreeSet<String> {
    paths.iter().map(ToString::to_string).collect()
}

#[test]
fn a_file_too_small_for_one_rule_is_the_next_ones() {
    let book = rule("big", "in = [\"{temp}\"]\nlarger-than = \"1 MiB\"")
        + &rule("rest", "in = [\"{temp}\"]");
    let bench = Bench::new().with_book(&book);
    bench.tree.file("tmp/big", 1 << 20, DAY).unwrap();
    bench.tree.file("tmp/small", (1 << 20) - 1, DAY).unwrap();
    let scan = bench.scan();
    assert_eq!(found(&scan, "big"), set(&["tmp/big"]));
    assert_eq!(found(&scan, "rest"), set(&["tmp/small"]));
}

#[test]
fn the_newest_of_each_family_stay_and_say_so() {
    let book = rule(
        "old",
        "in = [\"{temp}\"]\nkeep-newest = { count = 2, per = \"stem\" }",
    );
    let bench = Bench::new().with_book(&book);
    for (name, age) in [
        ("pack_9.snap", 90),
        ("pack_10.snap", 60),
        ("pack_11.snap", 30),
        ("pack_12.snap", 3),
        ("other_1.snap", 900),
        ("other_2.snap", 800),
        ("notes.txt", 500),
    ] {
        bench
            .tree
            .file(format!("tmp/{name}"), 4096, age * DAY)
            .unwrap();
    }
    let scan = bench.scan();
    assert_eq!(
        found(&scan, "old"),
        set(&["tmp/pack_9.snap", "tmp/pack_10.snap"])
    );
    let told = |path: &str| {
        let path = TargetPath::new(path).unwrap();
        explain(&asking(&scan), &path)
    };
    assert_eq!(told("tmp/pack_11.snap").verdict, Verdict::Spared);
    assert_eq!(
        told("tmp/pack_11.snap").reason,
        "one of the newest 2 of its stem"
    );
    assert_eq!(told("tmp/pack_10.snap").verdict, Verdict::Taken);
}

proptest! {
    #![proptest_config(ProptestConfig { cases: 24, ..ProptestConfig::default() })]

    #[test]
    fn prop_no_family_loses_one_of_its_newest(
        ages in prop::collection::vec((0_u8..3, 0_u16..200), 0..30), count in 1_u32..4,
    ) {
        let book = rule("old", &format!(
            "in = [\"{{temp}}\"]\nkeep-newest = {{ count = {count}, per = \"folder\" }}"
        ));
        let bench = Bench::new().with_book(&book);
        let mut all: Vec<Vec<(i64, String)>> = vec![Vec::new(); 3];
        for (number, (folder, days)) in ages.iter().enumerate() {
            let name = format!("tmp/f{folder}/{number:03}");
            bench.tree.file(&name, 4096, i64::from(*days) * DAY).unwrap();
            all[usize::from(*folder)].push((-i64::from(*days), name));
        }
        let going = found(&bench.scan(), "old");
        for family in &mut all {
            family.sort();
            family.reverse();
            for (place, (_, name)) in family.iter().enumerate() {
                prop_assert_eq!(going.contains(name), place >= count as usize, "{}", name);
            }
        }
    }
}

#[test]
fn a_link_is_broken_only_when_its_end_is_surely_gone_on_the_target() {
    let book = rule(
        "links",
        "in = [\"{home}\"]\ntake = [\"*\", \"d/*\"]\ndetect = \"broken-link\"",
    );
    let bench = Bench::new().with_book(&book);
    bench
        .tree
        .text("etc/fstab", "UUID=1 / ext4\nUUID=2 /srv/boats xfs\n", DAY)
        .unwrap();
    bench.tree.folder("srv/boats").unwrap();
    bench.tree.file("usr/share/there", 1, DAY).unwrap();
    let link = |name: &str, to: &str| {
        bench
            .tree
            .link(format!("home/ada/{name}"), Path::new(to), 90 * DAY)
            .unwrap();
    };
    for (name, to) in [
        ("broken-relative", "../gone/x"),
        ("broken-absolute", "/usr/share/gone"),
        ("broken-by-way-of-another", "way/gone"),
        ("broken-loop", "./broken-loop"),
        ("broken-through-a-file", "/usr/share/there/x"),
        // It is there on the machine that scans, but not on the target.
        ("broken-out-there", "/etc/hosts-of-nowhere/../hosts"),
        ("d/broken-deeper", "../../ada/none"),
        ("whole", "/usr/share/there"),
        ("whole-climbing-too-far", "../../../../../usr/share/there"),
        ("way", "/usr/share"),
        ("whole-by-way", "way/there"),
        ("other-volume", "/srv/boats/plan"),
        ("made-at-run-time", "/run/user/1001/socket"),
        ("on-a-stick", "/media/ada/STICK/x"),
        ("lock-of-a-browser", "till-4411"),
    ] {
        link(name, to);
    }
    let scan = bench.scan();
    let names: BTreeSet<String> = found(&scan, "links")
        .iter()
        .map(|path| path.trim_start_matches("home/ada/").to_owned())
        .collect();
    let broken = [
        "broken-relative",
        "broken-absolute",
        "broken-by-way-of-another",
        "broken-loop",
        "broken-through-a-file",
        "broken-out-there",
        "d/broken-deeper",
    ];
    assert_eq!(names, set(&broken));

    // One comes back before the sweep: it is no longer what the rule looks for.
    bench.tree.file("usr/share/gone", 1, DAY).unwrap();
    let manifest = manifest_of(&scan, true);
    let summary = run(&bench, &scan, &manifest, "links", &CancelToken::default()).unwrap();
    // And with it the one that leads there by another link.
    assert_eq!(summary.sum(Outcome::Changed).items, 2);
    assert_eq!(
        summary.sum(Outcome::SetAside).items,
        broken.len() as u64 - 2
    );
    assert!(bench.root().join("home/ada/broken-absolute").is_symlink());
}

#[test]
fn a_launcher_of_a_system_on_another_volume_is_not_called_broken() {
    let dir = tempfile::tempdir().unwrap();
    let root = dir.path().join("root");
    let tree = jolly_demo::TreeBuilder::new(&root, crate::support::NOW).unwrap();
    let plist = |program: &str| {
        format!(
            "<plist version=\"1.0\"><dict><key>Program</key><string>{program}</string></dict></plist>"
        )
    };
    for (name, program) in [("sealed", "/usr/libexec/tides"), ("own", "/opt/tides")] {
        let path = format!("Library/LaunchDaemons/{name}.plist");
        tree.text(path, plist(program), 90 * DAY).unwrap();
    }
    tree.folder("Users/pia/Library").unwrap();
    let broken = || {
        let disk = Arc::new(jolly_disk::RealDisk);
        let target = jolly_core::computer::Target::open(disk, &root, None, &|_| None).unwrap();
        let books = [jolly_core::rule::builtin(target.layout)];
        let rules = Arc::new(RuleSet::compile(&books).unwrap());
        found(
            &scan_on(&Arc::new(target), &rules),
            "macos/broken-launchers",
        )
    };
    assert_eq!(broken(), set(&["Library/LaunchDaemons/own.plist"]));
    tree.folder("System/Library/CoreServices").unwrap();
    assert_eq!(
        broken().len(),
        2,
        "with the system here, what is missing is gone"
    );
}

#[test]
fn a_cache_is_tagged_by_a_valid_tag_above_it_and_the_tag_stays() {
    let book = rule("tagged", "in = [\"{home}\"]\ndetect = \"cache-tagged\"");
    let bench = Bench::new().with_book(&book);
    let tag = "Signature: 8a477f597d28d172789f06886806bc55";
    bench
        .tree
        .text("home/ada/build/CACHEDIR.TAG", tag, 90 * DAY)
        .unwrap();
    bench
        .tree
        .text("home/ada/false/CACHEDIR.TAG", "Signature: none", 90 * DAY)
        .unwrap();
    for path in ["build/a", "build/deep/er/b", "false/c", "d", "Documents/x"] {
        bench
            .tree
            .file(format!("home/ada/{path}"), 4096, 90 * DAY)
            .unwrap();
    }
    bench
        .tree
        .text("home/ada/Documents/CACHEDIR.TAG", tag, 90 * DAY)
        .unwrap();
    let scan = bench.scan();
    let expected = set(&["home/ada/build/a", "home/ada/build/deep/er/b"]);
    // A rule that looks in the home doesn't name the documents in it.
    assert_eq!(found(&scan, "tagged"), expected);
    let manifest = manifest_of(&scan, true);
    let listed = paths_of(&manifest);
    assert!(
        listed.contains(&b"home/ada/build/deep"[..]),
        "emptied folders go, too"
    );
    assert!(
        !listed.contains(&b"home/ada/build"[..]),
        "the tag stays, so its folder does"
    );
    run(&bench, &scan, &manifest, "tagged", &CancelToken::default()).unwrap();
    assert!(bench.root().join("home/ada/build/CACHEDIR.TAG").exists());
    assert!(bench.root().join("home/ada/false/c").exists());
}

#[test]
fn a_pile_waits_while_its_browser_holds_the_profile() {
    let bench = Bench::demo();
    let history = bench.root().join("home/pia/.config/heron/Default/History");
    let held = Program::holding(&history);
    let scan = bench.scan();
    let pile = |account: &str| {
        let mut piles = scan.piles.iter();
        let is_it = |id: &str| id == "linux/chromium-cache";
        piles
            .find(|pile| {
                is_it(&scan.rules.rule(pile.rule).id) && scan.account_name(pile) == Some(account)
            })
            .unwrap()
    };
    let why = pile("pia").blocked.as_ref().unwrap().to_string();
    assert!(why.contains(&format!("(pid {})", held.id())), "{why}");
    assert_eq!(
        pile("joss").blocked,
        None,
        "another person's browser is closed"
    );
    let listed = paths_of(&manifest_of(&scan, true));
    assert!(
        !listed
            .iter()
            .any(|path| path.starts_with(b"home/pia/.cache/heron/Default/Cache"))
    );
    drop(held);
    assert!(bench.scan().piles.iter().all(|pile| pile.blocked.is_none()));
}

#[test]
fn what_is_written_over_is_gone_and_another_name_of_it_is_left_alone() {
    let book = rule(
        "over",
        "in = [\"{temp}\"]\nby = \"overwrite\"\nstarts = \"taken\"",
    );
    let bench = Bench::new().with_book(&book);
    bench
        .tree
        .text("tmp/secret.txt", "boat keys under the mat", DAY)
        .unwrap();
    bench
        .tree
        .text("home/ada/Documents/kept.txt", "stays", DAY)
        .unwrap();
    bench
        .tree
        .hard_link("home/ada/Documents/kept.txt", "tmp/other-name.txt")
        .unwrap();
    let link = bench.root().join("home/ada/Documents/kept.txt");
    bench.tree.link("tmp/link", &link, DAY).unwrap();
    let scan = bench.scan();
    let manifest = manifest_of(&scan, false);
    let summary = run(&bench, &scan, &manifest, "over", &CancelToken::default()).unwrap();
    assert_eq!(
        summary.sum(Outcome::Removed).items,
        2,
        "the file and the link itself"
    );
    assert_eq!(std::fs::read(&link).unwrap(), b"stays");
    assert!(
        bench.root().join("tmp/other-name.txt").exists(),
        "its bytes are somebody's"
    );
}

/// Any bytes in any file that a recogniser or a target reads: no panic, and nothing is found that
/// isn't there.
#[test]
fn hostile_files_of_every_kind_are_read_without_harm() {
    let noise: Vec<Vec<u8>> = vec![
        Vec::new(),
        vec![0; 5000],
        vec![0xff; 700],
        b"\x02\0\0\0\0\0\0\0\xff\xff\xff\xff\xff\xff\xff\x7f\0\0\0\0\0\0\0\x80\xff\xff\xff\xff".to_vec(),
        b"bplist00\xd1\x01\x02\x00\x00".to_vec(),
        b"<?xml version=\"1.0\"?><!DOCTYPE x [<!ENTITY a \"aaaa\"><!ENTITY b \"&a;&a;\">]><plist>&b;".to_vec(),
        b"\x89PNG\r\n\x1a\n\0\0\0\rIHDR\xff\xff\xff\xff\xff\xff\xff\xff\x08\x06\0\0\0".to_vec(),
        b"[Desktop Entry]\nType=Application\nExec=\"\\".to_vec(),
        b"[Trash Info]\nPath=%ff%00%2\nDeletionDate=99999-99-99T99:99:99\n".to_vec(),
        b"root:x:0:0:::\nada:x:99999999999:1::/home/ada:\n\xff:x:1:1::/:\n".repeat(50),
    ];
    let files = [
        "etc/passwd",
        "etc/fstab",
        "etc/locale.gen",
        "etc/os-release",
        "var/log/lastlog",
        "home/ada/.config/user-dirs.dirs",
        "home/ada/.config/autostart/x.desktop",
        "home/ada/.cache/thumbnails/large/x.png",
        "home/ada/.local/share/Trash/info/x.trashinfo",
        "home/ada/.local/share/Trash/files/x",
        "home/ada/b/CACHEDIR.TAG",
        "Users/pia/Library/Preferences/x.plist",
        "Users/pia/Library/LaunchAgents/x.plist",
        "Users/pia/.Trash/.DS_Store",
        "Library/Preferences/.GlobalPreferences.plist",
        "Library/Preferences/SystemConfiguration/preferences.plist",
        "System/Library/CoreServices/SystemVersion.plist",
        "$Recycle.Bin/S-1-5-21-1/$Ix",
        "$Recycle.Bin/S-1-5-21-1/$Rx",
        "Users/pia/AppData/Local/x",
        "Windows/System32/x",
    ];
    for bytes in &noise {
        let bench = Bench::new();
        for file in files {
            bench.tree.text(file, bytes, 3000 * DAY).unwrap();
        }
        for layout in jolly_core::computer::Layout::ALL {
            let disk = Arc::new(jolly_disk::RealDisk);
            let target =
                jolly_core::computer::Target::open(disk, &bench.root(), Some(layout), &|_| None);
            let target = Arc::new(target.unwrap());
            let books = [jolly_core::rule::builtin(layout)];
            let rules = Arc::new(RuleSet::compile(&books).unwrap());
            let scan = scan_on(&target, &rules);
            for item in scan.arena.items() {
                let path = scan.arena.path(item);
                let whole = bench
                    .root()
                    .join(std::ffi::OsStr::from_bytes(path.as_bytes()));
                assert!(whole.symlink_metadata().is_ok(), "{path} was invented");
                let id = scan
                    .rules
                    .rule(scan.pile(scan.arena.pile(item)).rule)
                    .id
                    .clone();
                assert!(
                    !id.ends_with("/trash"),
                    "{path}: nobody knows when it was thrown away"
                );
                assert!(!id.ends_with("/lost-thumbnails"), "{path}");
            }
            drop(jolly_core::survey::arrive(&target, &rules, now(), &|| {
                false
            }));
        }
    }
}
