//! The whole job on the command line, and the shapes that other tools rely on.

use std::collections::BTreeSet;

use serde_json::Value;

use crate::support::Demo;

fn keys(value: &Value) -> BTreeSet<&str> {
    value
        .as_object()
        .unwrap()
        .keys()
        .map(String::as_str)
        .collect()
}

fn sum(items: &[Value], key: &str) -> u64 {
    items.iter().map(|item| item[key].as_u64().unwrap()).sum()
}

#[test]
fn the_job_from_scan_to_log_removes_exactly_what_preview_listed() {
    let demo = Demo::new();
    let scan = demo.run(&["scan", "--json"]);
    assert_eq!(scan.code, 0, "{}", scan.err);
    let scan = scan.json();
    assert_eq!(scan["format"], "jolly-broom/scan");
    assert_eq!(scan["target"]["label"], "till computer");
    assert_eq!(
        scan["accounts"],
        serde_json::json!(["joss", "pia", "root", "wren"])
    );
    for pile in scan["piles"].as_array().unwrap() {
        let bands = pile["bands"].as_array().unwrap();
        assert_eq!(bands.len(), 12);
        let found: u64 = bands.iter().map(|band| band.as_u64().unwrap()).sum();
        assert_eq!(pile["found"]["bytes"].as_u64(), Some(found));
    }

    let plan = demo.dir().join("plan.jsonl");
    let plan = plan.to_str().unwrap();
    let preview = demo.run(&["preview", "--json", "--plan", plan]);
    assert_eq!(preview.code, 0, "{}", preview.err);
    let lines = preview.lines();
    let (header, items) = lines.split_first().unwrap();
    assert_eq!(
        header["totals"], scan["totals"]["takes"],
        "scan and preview agree"
    );
    assert_eq!(
        Some(sum(items, "bytes")),
        header["totals"]["bytes"].as_u64()
    );
    let expected = [
        "account", "by", "bytes", "kind", "path", "rule", "size", "time",
    ];
    assert!(keys(&items[0]).is_superset(&BTreeSet::from(expected)));

    let before = demo.names();
    let asked = demo.run(&["sweep", "--plan", plan]);
    assert_eq!(
        (asked.code, demo.names()),
        (0, before),
        "without --yes nothing goes"
    );
    let rehearsed = demo
        .run(&["sweep", "--plan", plan, "--rehearse", "--json"])
        .json();
    assert_eq!(demo.names(), before);
    let swept = demo.run(&["sweep", "--plan", plan, "--yes", "--json"]);
    assert_eq!(swept.code, 0, "{}", swept.err);
    let swept = swept.json();
    assert_eq!(swept["format"], "jolly-broom/run");
    assert_eq!(swept["outcomes"], rehearsed["outcomes"], "as rehearsed");
    assert_eq!(swept["free"]["after"], swept["free"]["predicted"]);
    let bytes = |outcome: &str| swept["outcomes"][outcome]["bytes"].as_u64().unwrap();
    assert_eq!(
        Some(bytes("removed") + bytes("set-aside")),
        header["totals"]["bytes"].as_u64()
    );
    assert_eq!(before - demo.names(), items.len());
    for item in items
        .iter()
        .filter(|item| item.get("path_base64").is_none())
    {
        let path = demo.root().join(item["path"].as_str().unwrap());
        assert!(
            path.symlink_metadata().is_err(),
            "{} is still there",
            path.display()
        );
    }

    let run = swept["run"].as_str().unwrap();
    assert!(std::path::Path::new(swept["log"].as_str().unwrap()).is_file());
    let verified = demo.run(&["log", "verify", run]);
    assert_eq!(verified.code, 0, "{}", verified.err);
    let shown = demo.run(&["log", "show", run, "--json"]).lines();
    let of = |items: &[Value]| -> BTreeSet<String> {
        items.iter().map(|item| item["path"].to_string()).collect()
    };
    assert_eq!(of(&shown), of(items));
    let is_gone = |item: &Value| item["outcome"] == "removed" || item["outcome"] == "set-aside";
    assert!(shown.iter().all(is_gone));
    for (ending, code) in [("csv", 0), ("json", 0), ("pdf", 0), ("svg", 0), ("doc", 2)] {
        let file = demo.dir().join(format!("run.{ending}"));
        let ended = demo.run(&["report", run, "--out", file.to_str().unwrap()]);
        assert_eq!(
            (ended.code, file.exists()),
            (code, code == 0),
            "{}",
            ended.err
        );
    }
    a_report_is_whole_or_not_there(&demo, run);
    let table = std::fs::read_to_string(demo.dir().join("run.csv")).unwrap();
    assert_eq!(table.lines().count(), items.len() + 1);
    let listed = demo.run(&["log", "list", "--json"]).lines();
    assert_eq!(listed.len(), 1);
    assert_eq!(
        (&listed[0]["state"], listed[0]["run"].as_str()),
        (&"finished".into(), Some(run))
    );

    let again = demo.run(&["scan", "--json"]).json();
    assert_eq!(again["totals"]["takes"]["items"], 0);
    assert!(demo.dir().join("till-next-door/boat-licences.txt").exists());
    for kept in [
        "home/pia/.ssh/id_ed25519",
        "home/pia/Documents/tax-2025.pdf",
        "tmp/key4.db",
    ] {
        assert!(demo.root().join(kept).exists(), "{kept}");
    }
}

#[test]
fn what_may_be_somebodys_own_is_left_unless_asked_for_and_then_set_aside() {
    let demo = Demo::new();
    let trash = demo.root().join("home/pia/.local/share/Trash/files");
    let before = std::fs::read_dir(&trash).unwrap().count();
    assert_eq!(demo.run(&["sweep", "--yes"]).code, 0);
    assert_eq!(std::fs::read_dir(&trash).unwrap().count(), before);
    let swept = demo
        .run(&["sweep", "--yes", "--json", "--all", "--only", "linux/trash"])
        .json();
    assert!(swept["outcomes"]["set-aside"]["items"].as_u64().unwrap() > 30);
    let left: BTreeSet<String> = std::fs::read_dir(&trash)
        .unwrap()
        .map(|entry| entry.unwrap().file_name().to_string_lossy().into_owned())
        .collect();
    let young = ["blurred.jpg", "undated.txt", "wrong-invoice.pdf"].map(str::to_owned);
    assert_eq!(
        left,
        BTreeSet::from(young),
        "the young and the undated stay"
    );
    let run = swept["run"].as_str().unwrap();
    assert!(demo.state().join(format!("dustpan/{run}.tar.zst")).exists());

    // One of them comes back, as it is written on the target or on this machine; then the rest.
    let one = "home/pia/.local/share/Trash/files/";
    let shown = demo.run(&["log", "show", run, "--json"]).lines();
    let is_there = |item: &&Value| item["path"].as_str().unwrap().starts_with(one);
    let path = shown.iter().find(is_there).unwrap()["path"]
        .as_str()
        .unwrap();
    assert!(shown.iter().all(|item| {
        let reason = item["reason"].as_str().unwrap();
        item["outcome"] != "set-aside" || reason.starts_with("in the dustpan until ")
    }));
    let back = demo.run(&["restore", run, path, "--json"]);
    assert_eq!(back.code, 0, "{}", back.err);
    assert_eq!(back.lines()[0]["outcome"], "brought-back");
    assert!(demo.root().join(path).exists());
    let on_machine = demo.root().join(path);
    let twice = demo.run(&["restore", run, on_machine.to_str().unwrap(), "--json"]);
    assert_eq!(
        (twice.code, &twice.lines()[0]["outcome"]),
        (3, &"exists".into())
    );
    let rest = demo.run(&["restore", run, "--json"]);
    let count = |outcome: &str| {
        rest.lines()
            .iter()
            .filter(|item| item["outcome"] == outcome)
            .count()
    };
    assert_eq!(rest.code, 3, "{}", rest.err);
    assert_eq!(count("exists") + count("brought-back"), rest.lines().len());
    assert_eq!(std::fs::read_dir(&trash).unwrap().count(), before);
    for (arguments, words) in [
        (
            &["restore", "no-such-run"][..],
            "set nothing aside, or is not known",
        ),
        (
            &["restore", "../x"][..],
            "set nothing aside, or is not known",
        ),
        (
            &["restore", run, "etc/passwd"][..],
            "did not set etc/passwd aside",
        ),
        (
            &["restore", run, "../../etc"][..],
            "is not a path below the target",
        ),
    ] {
        let refused = demo.run(arguments);
        assert_eq!(refused.code, 2, "{}", refused.err);
        assert!(refused.err.contains(words), "{}", refused.err);
    }
}

#[test]
fn a_sweep_after_a_rehearsal_is_compared_with_it_item_by_item() {
    let demo = Demo::new();
    let plan = demo.dir().join("plan");
    let plan = plan.to_str().unwrap();
    let made = demo.run(&[
        "preview",
        "--all",
        "--skip",
        "linux/installers",
        "--plan",
        plan,
    ]);
    assert_eq!(made.code, 0, "{}", made.err);
    let names = demo.names();
    let rehearsed = demo
        .run(&["sweep", "--rehearse", "--json", "--plan", plan])
        .json();
    assert_eq!(demo.names(), names);
    let id = rehearsed["rehearsed"].as_str().unwrap();
    assert_eq!(demo.run(&["log", "verify", id]).code, 0);
    assert!(
        demo.run(&["log", "list", "--json"]).lines().is_empty(),
        "it is no run"
    );
    let swept = demo
        .run(&["sweep", "--yes", "--json", "--plan", plan])
        .json();
    assert_eq!(swept["outcomes"], rehearsed["outcomes"]);
    let compared = &swept["compared"];
    assert_eq!(compared["differ"], 0, "{compared}");
    let kept = demo.run(&["log", "show", id, "--json"]).lines().len();
    assert_eq!(compared["same"].as_u64(), Some(kept as u64));
}

#[test]
fn options_spare_and_narrow() {
    let demo = Demo::new();
    let takes = |more: &[&str]| {
        let ended = demo.run(&[&["scan", "--json"], more].concat());
        assert_eq!(ended.code, 0, "{}", ended.err);
        ended.json()["totals"]["takes"]["items"].as_u64().unwrap()
    };
    let all = takes(&[]);
    assert!(takes(&["--class", "regrows"]) + takes(&["--class", "spent"]) == all);
    assert!(takes(&["--account", "pia"]) < all);
    let thumbnails = takes(&["--only", "picture-thumbnails"]);
    assert_eq!(
        takes(&["--skip", "linux/picture-thumbnails"]),
        all - thumbnails
    );
    let lost = takes(&["--only", "lost-thumbnails"]);
    assert_eq!(
        takes(&["--exclude", "home/pia/.cache/thumbnails"]),
        // A preview that isn't a whole picture lies there, too, and is any program's.
        all - thumbnails - lost - 1
    );
    assert!(takes(&["--older-than", "1 year"]) < all / 2);
    assert!(takes(&["--all"]) > all);
    let later = takes(&["--now", "2040-01-01T00:00:00Z"]);
    assert!(later > all, "everything is old in 2040");
}

#[test]
fn a_kept_site_keeps_its_cookies_whatever_a_book_takes() {
    let demo = Demo::new();
    let book = demo.dir().join("mine.toml");
    let text = "rulebook = \"mine\"\nlayout = \"linux\"\n[[rule]]\nid = \"cookies\"\n\
        title = \"Cookies\"\nclass = \"felt\"\nabout = \"a\"\nafter = \"b\"\n\
        in = [\"{profile.chromium}\", \"{profile.gecko}\"]\n\
        take = [\"Cookies\", \"cookies.sqlite\"]\n";
    std::fs::write(&book, text).unwrap();
    let all = [
        "scan",
        "--json",
        "--all",
        "--only",
        "mine/cookies",
        "--rulebook",
    ];
    let with = |more: &[&str]| demo.run(&[&all[..], &[book.to_str().unwrap()], more].concat());
    let takes = |more: &[&str]| with(more).json()["totals"]["takes"]["items"].as_u64();
    assert_eq!(takes(&[]), Some(4));
    assert_eq!(takes(&["--keep-site", "tides.example"]), Some(0));
    assert_eq!(with(&["--keep-site", "a/b"]).code, 2);
}

#[test]
fn rules_are_listed_checked_and_explained() {
    let demo = Demo::new();
    let rules = demo.run(&["rules", "list", "--json"]).lines();
    assert!(rules.len() >= 10);
    let expected = [
        "age", "book", "by", "class", "in", "rule", "section", "title",
    ];
    assert_eq!(keys(&rules[0]), BTreeSet::from(expected));
    let explain = |path: &str| demo.run(&["rules", "explain", path, "--json"]).json();
    let found = explain("tmp/dump-4411.bin");
    assert_eq!(
        (&found["verdict"], &found["rule"]),
        (&"taken".into(), &"linux/system-temp".into())
    );
    assert!(found["line"].as_u64().unwrap() > 10);
    assert_eq!(explain("/tmp/key4.db")["verdict"], "guarded");
    assert_eq!(explain("tmp/.X0-lock")["verdict"], "spared");
    assert_eq!(
        explain("home/pia/Documents/tax-2025.pdf")["verdict"],
        "not-mine"
    );
    assert_eq!(explain("tmp/knotbook-new.tmp")["exists"], false);
    let built_in = concat!(env!("CARGO_MANIFEST_DIR"), "/../../rulebooks/linux.toml");
    let checked = demo.bare(&["rules", "check", built_in]);
    assert_eq!(checked.code, 0, "{}", checked.err);
    assert!(checked.out.contains(" 0 failed") && checked.out.contains("hostile home 0 would go"));
    // A careless book of a technician is found out, by what it would take.
    let careless = demo.dir().join("careless.toml");
    let text = "rulebook = \"shop\"\nlayout = \"linux\"\n[[rule]]\nid = \"logs\"\ntitle = \"Logs\"\n\
        section = \"logs\"\nclass = \"ask\"\nabout = \"a\"\nafter = \"b\"\nin = [\"{data}\"]\n\
        take = [\"*/logs/**\"]\n";
    std::fs::write(&careless, text).unwrap();
    let checked = demo.bare(&["rules", "check", "--json", careless.to_str().unwrap()]);
    assert_eq!(checked.code, 2);
    assert!(
        checked
            .err
            .contains("shop/logs would take home/pia/.local/share/")
    );
    assert!(checked.json()["hostile-home"]["taken"].as_u64() > Some(0));
}

#[test]
fn nothing_printed_can_break_a_terminal() {
    let demo = Demo::new();
    // Names that a hostile disk could give its people and itself.
    let mallory = demo.root().join("home/\u{1b}[2Jmallory/.cache/x");
    std::fs::create_dir_all(&mallory).unwrap();
    std::fs::write(mallory.join("y"), b"z").unwrap();
    let descriptor = "label = \"a\\u001b[2Jb\"\nowner = \"c\\nd\"\nlayout = \"linux\"\n\
        capacity = 4294967296\n";
    std::fs::write(demo.root().join(".otter-quay.toml"), descriptor).unwrap();
    let book = demo.dir().join("x.toml");
    let text = "rulebook = \"\\u001b[2J\"\nlayout = \"\\u001b[2J\"\n";
    std::fs::write(&book, text).unwrap();
    let check = ["rules", "check", book.to_str().unwrap()];
    let exclude = ["scan", "--exclude", "[\u{1b}[2J"];
    let only = ["scan", "--only", "\u{1b}[2J"];
    let listed = ["preview", "--all"];
    let swept = ["sweep", "--yes", "--all"];
    for command in [&check[..], &exclude, &only, &["scan"], &listed, &swept] {
        let ended = demo.run(command);
        let text = format!("{}{}", ended.out, ended.err);
        let broken = text
            .chars()
            .find(|letter| letter.is_control() && *letter != '\n');
        assert_eq!(broken, None, "{command:?}");
    }
    let run = demo.run(&["log", "list", "--json"]).lines()[0]["run"]
        .as_str()
        .unwrap()
        .to_owned();
    let shown = demo.run(&["log", "show", &run]).out;
    assert!(shown.contains(r"line\u{a}break.tmp") && shown.contains(r"\xff\xfe"));
}

#[test]
fn other_layouts_are_scanned_and_explained_whatever_the_case() {
    let demo = Demo::of_layout("macos");
    let scan = demo.run(&["scan", "--json"]).json();
    assert_eq!(scan["target"]["layout"], "macos");
    assert_eq!(scan["accounts"], serde_json::json!(["joss", "pia", "wren"]));
    let explain = |path: &str| demo.run(&["rules", "explain", path, "--json"]).json();
    let broken = explain("users/WREN/library/launchagents/example.ferrylog.sync.plist");
    assert_eq!(broken["rule"], "macos/broken-launchers");
    let reason = broken["reason"].as_str().unwrap();
    assert!(
        reason.contains("/opt/ferrylog/sync, which is not there"),
        "{reason}"
    );
    let trashed = explain("Users/pia/.Trash/regatta.mov");
    let reason = trashed["reason"].as_str().unwrap();
    assert!(
        reason.contains("thrown away from Users/pia/Desktop/"),
        "{reason}"
    );
    let working = explain("Library/LaunchDaemons/example.tidewatch.plist");
    assert_eq!(working["verdict"], "not-mine");
    let excluded = demo.run(&["preview", "--exclude", "USERS/*/library", "--json"]);
    assert!(!excluded.out.contains("\"path\":\"Users/pia/Library"));
}

#[test]
fn a_technicians_books_come_before_the_built_in_one_from_the_option_or_the_folder() {
    let demo = Demo::new();
    let book = |id: &str, layout: &str| {
        format!(
            "rulebook = \"{id}\"\nlayout = \"{layout}\"\n[[rule]]\nid = \"dumps\"\ntitle = \"Dumps\"\n\
             class = \"ask\"\nabout = \"a\"\nafter = \"b\"\nin = [\"{{temp}}\"]\ntake = [\"*.bin\"]\n"
        )
    };
    let folder = demo.dir().join(".config/jolly-broom/rulebooks");
    std::fs::create_dir_all(&folder).unwrap();
    std::fs::write(folder.join("b.toml"), book("second", "linux")).unwrap();
    std::fs::write(folder.join("c.toml"), book("other", "windows")).unwrap();
    std::fs::write(folder.join("notes.txt"), "not a book").unwrap();
    let owner = |more: &[&str]| {
        let path = ["rules", "explain", "tmp/dump-4411.bin", "--json"];
        demo.run(&[&path[..], more].concat()).json()["rule"].clone()
    };
    assert_eq!(owner(&[]), "second/dumps");
    let named = demo.dir().join("named.toml");
    std::fs::write(&named, book("first", "linux")).unwrap();
    assert_eq!(
        owner(&["--rulebook", named.to_str().unwrap()]),
        "first/dumps"
    );
    let many = demo.run(&["rules", "list", "--json"]).lines();
    assert!(
        many.iter()
            .all(|rule| !rule["rule"].as_str().unwrap().starts_with("other/"))
    );

    // A book of another layout that is named, and one in the folder that is broken, are told.
    std::fs::write(&named, book("first", "windows")).unwrap();
    let wrong = demo.run(&["scan", "--rulebook", named.to_str().unwrap()]);
    assert_eq!(wrong.code, 2);
    assert!(
        wrong
            .err
            .contains("is for windows, and this target is linux"),
        "{}",
        wrong.err
    );
    std::fs::write(folder.join("a.toml"), "rulebook = 3").unwrap();
    let broken = demo.run(&["scan"]);
    assert_eq!(broken.code, 2);
    assert!(broken.err.contains("a.toml:1:"), "{}", broken.err);
}

#[test]
fn help_shows_what_a_command_uses_and_no_terminal_is_told_what_to_use() {
    let demo = Demo::new();
    let help = |arguments: &[&str]| {
        let ended = demo.bare(arguments);
        assert_eq!(ended.code, 0, "{arguments:?}: {}", ended.err);
        ended.out
    };
    for (arguments, has, has_not) in [
        (
            &["scan", "--help"][..],
            &["--only", "--json", "--quiet", "Example: "][..],
            &["--plain", "--dustpan"][..],
        ),
        (
            &["log", "show", "-h"],
            &["<RUN>", "--state", "Example: "],
            &["--only", "--ascii"],
        ),
        (&["help", "restore"], &["--in", "Example: "], &["--exclude"]),
        (
            &["--json", "rules", "explain", "--help"],
            &["--rulebook", "Example: "],
            &["--yes", "--all "],
        ),
        (&["--help"], &["--plain", "--exclude", "Exit codes"], &[]),
    ] {
        let text = help(arguments);
        assert!(
            has.iter().all(|word| text.contains(word)),
            "{arguments:?}: {text}"
        );
        assert!(
            !has_not.iter().any(|word| text.contains(word)),
            "{arguments:?}: {text}"
        );
    }
    // What isn't shown is taken all the same: scripts hand every command the same options.
    let root = demo.root();
    let root = root.to_str().unwrap();
    assert_eq!(demo.run(&["log", "list", "--all"]).code, 0);
    for arguments in [&["demo"][..], &["--target", root]] {
        let ended = demo.bare(arguments);
        assert_eq!(ended.code, 1);
        assert!(
            ended.err.contains("jolly-broom scan") && !ended.err.contains("os error"),
            "{}",
            ended.err
        );
    }
    let told = demo.run(&["sweep", "-q"]);
    assert!(told.code == 0 && told.err.is_empty(), "{}", told.err);
    assert!(demo.run(&["sweep"]).err.contains("add --yes"));
}

#[test]
fn a_path_is_explained_by_what_becomes_of_it_and_not_by_its_rule_alone() {
    let demo = Demo::new();
    let config = demo.dir().join(".config/jolly-broom");
    std::fs::create_dir_all(&config).unwrap();
    let explain = |path: &str| demo.run(&["rules", "explain", path]).out;
    let dump = "tmp/dump-4411.bin";
    assert!(explain(dump).starts_with("tmp/dump-4411.bin: taken, "));
    let text =
        "[[exclusion]]\npath = \"tmp\"\nwhy = \"the bookings\"\nyounger-than = \"2 years\"\n";
    std::fs::write(config.join("exclusions.toml"), text).unwrap();
    let told = explain(dump);
    assert!(
        told.starts_with("tmp/dump-4411.bin: stays: excluded on all computers: "),
        "{told}"
    );
    assert!(
        told.contains("because: the bookings") && told.contains("by its rule taken"),
        "{told}"
    );
    std::fs::write(
        config.join("exclusions.toml"),
        text.replace("2 years", "3 days"),
    )
    .unwrap();
    assert!(
        explain(dump).contains(": taken, "),
        "it is older than what is spared"
    );
    std::fs::write(
        config.join("exclusions.toml"),
        text.to_owned() + "suspended = true\n",
    )
    .unwrap();
    assert!(explain(dump).contains(": taken, "), "it rests");
    let program = std::fs::File::open(demo.root().join(dump)).unwrap();
    let mut child = std::process::Command::new("sleep")
        .arg("60")
        .stdin(program)
        .spawn()
        .unwrap();
    let held = explain(dump);
    child.kill().unwrap();
    child.wait().unwrap();
    assert!(held.contains("stays: open in sleep"), "{held}");
    let trash = "home/pia/.local/share/Trash/files/regatta.mp4";
    assert!(explain(trash).contains("stays: it starts left"));
    std::fs::write(
        config.join("start.toml"),
        "[class.ask]\nstarts = \"taken\"\n",
    )
    .unwrap();
    assert!(explain(trash).contains(": taken, "), "{}", explain(trash));
    assert!(explain("srv/nothing").contains("(it is not there): no rule takes it"));
}

/// What is there is replaced only when that is said; a header that can't be used is told, and nothing is written.
fn a_report_is_whole_or_not_there(demo: &Demo, run: &str) {
    let page = demo.dir().join("run.pdf");
    let written = std::fs::read(&page).unwrap();
    assert!(written.starts_with(b"%PDF-"));
    let report = |file: &std::path::Path, more: &[&str]| {
        let file = file.to_str().unwrap();
        demo.run(&[&["report", run, "--out", file][..], more].concat())
    };
    let there = report(&page, &[]);
    assert_eq!(there.code, 2);
    assert!(there.err.contains("--force"), "{}", there.err);
    assert_eq!(report(&page, &["--force"]).code, 0);
    assert_eq!(std::fs::read(&page).unwrap(), written, "the same bytes");
    let nowhere = report(&demo.dir().join("nowhere/run.pdf"), &[]);
    assert_eq!(nowhere.code, 1);
    assert!(nowhere.err.contains("can be written"), "{}", nowhere.err);
    let config = demo.dir().join(".config/jolly-broom");
    std::fs::create_dir_all(&config).unwrap();
    let shop = |text: &str| std::fs::write(config.join("shop.toml"), text).unwrap();
    let new = demo.dir().join("new.pdf");
    std::fs::write(config.join("logo.png"), "<svg/>").unwrap();
    for (text, says) in [
        ("picture = \"logo.png\"", "no whole PNG"),
        ("picture = \"gone.png\"", "gone.png"),
        ("picture = \"/dev/zero\"", "no file"),
        ("little-free = 95", "from 1 to 90"),
        ("nmae = \"x\"", "nmae"),
    ] {
        shop(text);
        let refused = report(&new, &[]);
        assert_eq!((refused.code, new.exists()), (2, false), "{text}");
        assert!(refused.err.contains(says), "{text}: {}", refused.err);
        assert!(refused.err.contains("shop.toml"), "{}", refused.err);
    }
    shop("name = \"Reed Street Computers\"\nlines = [\"Reed Street 4\"]");
    assert_eq!(report(&new, &[]).code, 0);
    assert_ne!(std::fs::read(&new).unwrap(), written);
    std::fs::rename(&config, demo.dir().join("no-settings")).unwrap();
}

/// What its user took away since it was turned off is told once, and then forgotten.
#[test]
fn what_was_turned_off_and_then_taken_away_leaves_the_list() {
    let demo = Demo::new();
    let id = "autostart:pia:tidewatch.desktop";
    assert_eq!(demo.run(&["startup", "off", id]).code, 0);
    let entry = demo
        .root()
        .join("home/pia/.config/autostart/tidewatch.desktop");
    let away = entry.with_extension("away");
    std::fs::rename(&entry, &away).unwrap();
    let is_listed = || {
        let rows = demo.run(&["startup", "--json"]).lines();
        rows.iter().any(|row| row["id"] == id)
    };
    assert!(is_listed());
    let told = demo.run(&["startup", "on", id]);
    assert_eq!(told.code, 3, "{}", told.err);
    assert!(told.err.contains("was taken away since"), "{}", told.err);
    assert!(!is_listed());
    // What is there again is turned on as it is.
    std::fs::rename(&away, &entry).unwrap();
    let told = demo.run(&["startup", "on", id]);
    assert_eq!(told.code, 0, "{}", told.err);
    let text = std::fs::read_to_string(&entry).unwrap();
    assert!(!text.contains("Hidden=true"), "{text}");
}

/// What occupies the space, down to a thousandth, as lines and as files; and what is there twice.
#[test]
fn space_and_copies_are_told_for_programs_and_as_pictures() {
    let demo = Demo::new();
    let rows = demo.run(&["space", "--json"]).lines();
    let whole = rows[0]["bytes"].as_u64().unwrap();
    assert_eq!(
        (rows[0]["path"].as_str(), rows[0]["kind"].as_str()),
        (Some("/"), Some("folder"))
    );
    assert!(
        rows.iter()
            .all(|row| row["bytes"].as_u64().unwrap() * 1_000 >= whole)
    );
    let find = |path: &str| rows.iter().find(|row| row["path"] == path).unwrap();
    let iso = find("home/joss/Downloads/quay-12.4-live.iso");
    assert_eq!(
        (iso["kind"].as_str(), iso["files"].as_u64()),
        (Some("file"), Some(1))
    );
    let below = demo.run(&["space", "home/joss", "--json"]).lines();
    assert_eq!(below[0]["path"], "home/joss");
    assert_eq!(below[0]["bytes"], find("home/joss")["bytes"]);
    let folder = tempfile::tempdir().unwrap();
    for (ending, begins) in [
        ("svg", "<svg"),
        ("pdf", "%PDF"),
        ("csv", "path,kind"),
        ("json", "{\"path\""),
    ] {
        let file = folder.path().join(format!("space.{ending}"));
        let file = file.to_str().unwrap();
        let done = demo.run(&["space", "--out", file]);
        assert_eq!(done.code, 0, "{}", done.err);
        let written = std::fs::read(file).unwrap();
        assert!(written.starts_with(begins.as_bytes()), "{ending}");
        assert_eq!(
            demo.run(&["space", "--out", file]).code,
            2,
            "it stays as it is"
        );
    }
    assert_eq!(demo.run(&["space", "home/nobody"]).code, 2);
    assert_eq!(demo.run(&["space", "--out", "space.txt"]).code, 2);

    let pairs = demo.run(&["copies", "--json"]).lines();
    let pair = pairs
        .iter()
        .find(|row| row["a"] == "home/joss/Documents/stick again")
        .unwrap();
    assert_eq!(pair["b"], "home/joss/Downloads/stick");
    assert_eq!(
        (
            pair["shared"]["files"].as_u64(),
            pair["only_a"].as_u64(),
            pair["only_b"].as_u64()
        ),
        (Some(34), Some(0), Some(6))
    );
    assert_eq!(pair["stays"], "b");
    let inside = demo
        .run(&["copies", "home/joss/Downloads", "--json"])
        .lines();
    assert!(
        inside
            .iter()
            .all(|row| row["b"] != "home/pia/Pictures/regatta"),
        "{inside:?}"
    );
}
