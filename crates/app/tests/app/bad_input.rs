//! Bad input ends with one clear message that says what to do, and nothing is removed.

use std::os::unix::fs::PermissionsExt as _;

use crate::support::{Demo, Ended};

/// Bad input: exit code 2, a message with advice, nothing on stdout, nothing gone.
fn refused(demo: &Demo, ended: &Ended, words: &str, names: usize) {
    assert_eq!(ended.code, 2, "{words}: {}{}", ended.out, ended.err);
    assert!(
        ended.err.contains(words),
        "{words} is not in: {}",
        ended.err
    );
    assert!(!ended.err.contains("panicked"), "{}", ended.err);
    assert_eq!(demo.names(), names, "{words}");
}

#[test]
fn targets_layouts_and_options_that_make_no_sense() {
    let demo = Demo::new();
    let names = demo.names();
    std::fs::write(demo.dir().join("file"), b"x").unwrap();
    std::fs::create_dir(demo.dir().join("nothing")).unwrap();
    let at = |name: &str| demo.dir().join(name).to_str().unwrap().to_owned();
    for command in ["scan", "preview", "sweep"] {
        let on = |target: &str| demo.bare(&[command, "--target", target]);
        refused(&demo, &on(&at("none")), "there is no folder", names);
        refused(&demo, &on(&at("file")), "is not a folder", names);
        refused(
            &demo,
            &on(&at("nothing")),
            "no system was recognised",
            names,
        );
        let on = |options: &[&str]| demo.run(&[&[command], options].concat());
        refused(
            &demo,
            &on(&["--layout", "beos"]),
            "no layout is called",
            names,
        );
        refused(
            &demo,
            &on(&["--only", "no/such"]),
            "no rule is called",
            names,
        );
        refused(
            &demo,
            &on(&["--account", "zoe"]),
            "this target has: joss",
            names,
        );
        refused(&demo, &on(&["--class", "junk"]), "the classes are", names);
        refused(
            &demo,
            &on(&["--older-than", "-3 days"]),
            "is not an age",
            names,
        );
        refused(
            &demo,
            &on(&["--older-than", "3 fortnights"]),
            "no known unit",
            names,
        );
        refused(&demo, &on(&["--exclude", "[a"]), "is not a pattern", names);
        refused(&demo, &on(&["--now", "yesterday"]), "is not a time", names);
        refused(&demo, &on(&["--frobnicate"]), "--frobnicate", names);
    }
    let build = demo.bare(&["demo", "--build", demo.root().to_str().unwrap()]);
    refused(&demo, &build, "is not empty", names);
    refused(
        &demo,
        &demo.run(&["log", "show", "../x"]),
        "there is no run",
        names,
    );
    refused(
        &demo,
        &demo.run(&["rules", "explain", "../../etc/passwd"]),
        "not a path below",
        names,
    );
}

#[test]
fn rulebooks_that_are_malformed_or_hostile() {
    let demo = Demo::new();
    let names = demo.names();
    let file = demo.dir().join("mine.toml");
    let path = file.to_str().unwrap();
    let start = "rulebook = \"mine\"\nlayout = \"linux\"\n[[rule]]\nid = \"x\"\ntitle = \"X\"\n\
        class = \"spent\"\nabout = \"a\"\nafter = \"b\"\n";
    let cases: [(&str, &str); 8] = [
        ("in = [\"{home}/../..\"]", "no `..`"),
        ("in = [\"/etc\"]", "never an absolute path"),
        ("in = [\"{home}\\\\x\"]", "no backslashes"),
        ("in = [\"{root}/etc\"]", "only ever hit what is guarded"),
        (
            "in = [\"{home}/.ssh\"]\ntake = [\"*\"]",
            "only ever hit what is guarded",
        ),
        ("in = [\"{home}\"]", "takes everything in {home}"),
        ("in = [\"{cache}\"]\nage = \"old\"", "mine.toml:10"),
        ("in = [\"{cache}\"]\nfoo = 1", "unknown field"),
    ];
    for (rule, words) in cases {
        std::fs::write(&file, format!("{start}{rule}\n")).unwrap();
        refused(
            &demo,
            &demo.run(&["sweep", "--yes", "--rulebook", path]),
            words,
            names,
        );
        refused(&demo, &demo.bare(&["rules", "check", path]), words, names);
    }
    for (bytes, words) in [(&b"\xff\xfe"[..], "not UTF-8"), (b"[[[", "mine.toml:1")] {
        std::fs::write(&file, bytes).unwrap();
        refused(
            &demo,
            &demo.run(&["scan", "--rulebook", path]),
            words,
            names,
        );
    }
    refused(
        &demo,
        &demo.run(&["scan", "--rulebook", "/none.toml"]),
        "cannot read the rulebook",
        names,
    );
}

#[test]
fn plans_that_were_altered_or_belong_elsewhere() {
    let (demo, other) = (Demo::new(), Demo::new());
    let names = demo.names();
    let file = demo.dir().join("plan");
    let plan = file.to_str().unwrap();
    assert_eq!(demo.run(&["preview", "--plan", plan]).code, 0);
    let sweep = ["sweep", "--yes", "--plan", plan];
    let there = other.run(&sweep);
    refused(&other, &there, "it was made for", other.names());
    let book = demo.dir().join("more.toml");
    let text = "rulebook = \"more\"\nlayout = \"linux\"\n[[rule]]\nid = \"x\"\ntitle = \"X\"\n\
        class = \"spent\"\nabout = \"a\"\nafter = \"b\"\nin = [\"{cache}/x\"]\n";
    std::fs::write(&book, text).unwrap();
    let with = demo.run(&[&sweep[..], &["--rulebook", book.to_str().unwrap()]].concat());
    refused(&demo, &with, "made with other rulebooks", names);
    refused(
        &demo,
        &demo.run(&[&sweep[..], &["--all"]].concat()),
        "--all",
        names,
    );
    let whole = std::fs::read_to_string(&file).unwrap();
    std::fs::write(&file, whole.replacen("dump-4411.bin", "dump-4412.bin", 1)).unwrap();
    refused(&demo, &demo.run(&sweep), "was altered", names);
    // Sealed again, but of another start of the machine, whose device numbers mean nothing here.
    let boot = whole
        .split("\"boot\":\"")
        .nth(1)
        .unwrap()
        .split('"')
        .next()
        .unwrap();
    let older = whole.replacen(boot, &"0".repeat(boot.len()), 1);
    let (text, _) = older.rsplit_once("{\"seal\"").unwrap();
    let seal = blake3::hash(text.as_bytes()).to_hex();
    std::fs::write(&file, format!("{text}{{\"seal\":\"{seal}\"}}\n")).unwrap();
    refused(
        &demo,
        &demo.run(&sweep),
        "before this one was started anew",
        names,
    );
    std::fs::write(&file, "not a plan").unwrap();
    refused(&demo, &demo.run(&sweep), "not a plan's line", names);
    std::fs::write(&file, &whole).unwrap();
    std::fs::set_permissions(&file, std::fs::Permissions::from_mode(0o666)).unwrap();
    refused(&demo, &demo.run(&sweep), "others may write to", names);
    refused(
        &demo,
        &demo.run(&["sweep", "--yes", "--plan", "/none"]),
        "can't be used",
        names,
    );
}

#[test]
fn a_state_folder_that_cannot_be_written_stops_the_sweep_before_it_starts() {
    let demo = Demo::new();
    let names = demo.names();
    std::fs::write(demo.dir().join("file"), b"x").unwrap();
    let root = demo.root();
    for state in [
        "/proc/jolly",
        "/dev/null/state",
        demo.dir().join("file").to_str().unwrap(),
    ] {
        let place = ["--target", root.to_str().unwrap(), "--state", state];
        let ended = demo.bare(&[&["sweep", "--yes"], &place[..]].concat());
        assert_eq!(ended.code, 1, "{}", ended.err);
        assert!(ended.err.contains("--state"), "{}", ended.err);
        assert_eq!(demo.names(), names);
    }
}

#[test]
fn what_is_remembered_counts_here_too_and_what_is_malformed_is_refused_with_its_place() {
    let demo = Demo::new();
    let config = demo.root().parent().unwrap().join(".config/jolly-broom");
    std::fs::create_dir_all(&config).unwrap();
    let write = |name: &str, text: &[u8]| std::fs::write(config.join(name), text).unwrap();
    let takes = |more: &[&str]| {
        let ended = demo.run(&[&["scan", "--json"], more].concat());
        ended.json()["totals"]["takes"]["bytes"].as_u64().unwrap()
    };
    let before = takes(&[]);
    write(
        "exclusions.toml",
        b"[[exclusion]]\npattern = \"dump-*\"\nwhy = \"asked for\"\n",
    );
    let spared = takes(&[]);
    assert!(spared < before);
    write("start.toml", b"[class.spent]\nstarts = \"left\"\n");
    assert!(
        takes(&[]) < spared,
        "the shop starts so on the command line, too"
    );
    write("start.toml", b"");

    // The root of the target may stand before a pattern, as a shell completes it.
    let whole = demo.root().join("tmp/unpacked");
    assert!(takes(&["--exclude", whole.to_str().unwrap()]) < spared);
    let ended = demo.run(&["scan", "--exclude", "nothing/like/it"]);
    assert_eq!(ended.code, 0);
    assert!(ended.err.contains("spares nothing"), "{}", ended.err);
    let ended = demo.run(&["scan", "--exclude", "**"]);
    assert!(ended.err.contains("spares all"), "{}", ended.err);

    let refused = |place: &str| {
        for command in ["scan", "preview"] {
            let ended = demo.run(&[command]);
            assert_eq!(ended.code, 2, "{}", ended.err);
            assert!(ended.err.contains(place), "{place}: {}", ended.err);
            assert!(ended.out.is_empty());
        }
    };
    write("exclusions.toml", b"[[exclusion]]\npath = \"../outside\"\n");
    refused("exclusions.toml:2:8");
    write("exclusions.toml", b"[[exclusion]]\npath = \"\xff\"\n");
    refused("exclusions.toml:2:9");
    write(
        "exclusions.toml",
        b"[[exclusion]]\npath = \"a\"\n[[exclusion]]\npath = \"a\"\n",
    );
    refused("exclusions.toml:3");
    write("exclusions.toml", b"");
    write("start.toml", b"[class.spent]\nage = \"3 fortnights\"\n");
    refused("start.toml:2:7");
}
