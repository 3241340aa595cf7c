//! Job sheets on the command line: kept, named, carried to another bench, and swept by without a person.

use std::collections::BTreeSet;
use std::path::Path;
use std::process::{Command, Stdio};
use std::time::Duration;

use serde_json::Value;

use crate::support::{Demo, PROGRAM};

/// A demo that was visited once, and its sheet's id.
fn visited() -> (Demo, String) {
    let demo = Demo::new();
    let swept = demo.run(&["sweep", "--class", "regrows", "--yes"]);
    assert!([0, 3].contains(&swept.code), "{}", swept.err);
    let sheets = demo.run(&["sheet", "list", "--json"]).lines();
    assert_eq!(sheets.len(), 1);
    let id = sheets[0]["sheet"].as_str().unwrap().to_owned();
    (demo, id)
}

/// What a scan would take, by class and pile.
fn piles(demo: &Demo) -> Vec<Value> {
    demo.run(&["scan", "--json"]).json()["piles"]
        .as_array()
        .unwrap()
        .clone()
}

#[test]
fn a_visit_is_kept_named_and_carried_to_another_bench() {
    let (demo, id) = visited();
    let named = demo.run(&[
        "sheet",
        "name",
        &id[..5],
        "Otter Quay, till",
        "--note",
        "asks for pia",
    ]);
    assert_eq!(named.code, 0, "{}", named.err);
    let shown = demo.run(&["sheet", "show", &id, "--json"]).json();
    assert_eq!(
        (shown["format"].as_str(), shown["name"].as_str()),
        (Some("jolly-broom/sheet"), Some("Otter Quay, till"))
    );
    let visit = &shown["visits"][0];
    let went: u64 = visit["runs"][0]["went"]
        .as_array()
        .unwrap()
        .iter()
        .map(|went| went["sum"]["bytes"].as_u64().unwrap())
        .sum();
    assert!(went > 1 << 20 && !visit["piles"].as_array().unwrap().is_empty());
    let text = demo.run(&["sheet", "show", &id]).out;
    assert!(
        text.contains("asks for pia") && text.contains("swept"),
        "{text}"
    );
    let file = demo.root().with_file_name("till.json");
    let file = file.to_str().unwrap();
    assert_eq!(demo.run(&["sheet", "export", &id, "--out", file]).code, 0);
    assert_eq!(
        demo.run(&["sheet", "export", &id, "--out", file]).code,
        1,
        "it is there"
    );
    let other = Demo::new();
    assert_eq!(other.run(&["sheet", "show", &id]).code, 2);
    assert_eq!(other.run(&["sheet", "import", file]).code, 0);
    let again = other.run(&["sheet", "import", file, file]);
    assert!(again.err.contains("0 new visits"), "{}", again.err);
    assert_eq!(
        other.run(&["sheet", "show", &id, "--json"]).json()["visits"],
        shown["visits"]
    );
    // What is no sheet leaves everything as it is.
    std::fs::write(file, "{\"format\":\"jolly-broom/run\",\"version\":1}").unwrap();
    assert_eq!(other.run(&["sheet", "import", file]).code, 2);
    // A damaged store is refused with a way out, and stays.
    let store = other.state().join("sheets.sqlite");
    std::fs::write(&store, b"not a store").unwrap();
    let refused = other.run(&["scan"]);
    assert_eq!(refused.code, 2, "{}", refused.err);
    assert!(
        refused.err.contains("sheets.sqlite") && refused.err.contains("move that file away"),
        "{}",
        refused.err
    );
    assert_eq!(std::fs::read(&store).unwrap(), b"not a store");
}

#[test]
fn without_a_person_only_what_is_allowed_goes_and_never_what_may_be_somebodys_own() {
    let (demo, id) = visited();
    let refused = demo.run(&["sweep", "--sheet", &id, "--yes"]);
    assert_eq!(refused.code, 2);
    assert!(refused.err.contains("sheet allow"), "{}", refused.err);
    for wrong in [
        &["--class", "ask"][..],
        &["--class", "spent,ask"],
        &["--class", "all"],
        &[],
    ] {
        let refused = demo.run(&[&["sheet", "allow", &id][..], wrong].concat());
        assert_eq!(refused.code, 2, "{wrong:?}");
    }
    // With room enough nothing is done; of more than may go at once nothing goes in part.
    let allow = |more: &[&str]| {
        let allowed = demo.run(
            &[
                &["sheet", "allow", &id, "--class", "spent,regrows,felt"][..],
                more,
            ]
            .concat(),
        );
        assert_eq!(allowed.code, 0, "{}", allowed.err);
        let preview = demo.run(&["sweep", "--sheet", &id]);
        assert_eq!(preview.code, 0, "{}", preview.err);
        preview.out + &preview.err
    };
    let said = allow(&["--below", "20"]);
    assert!(said.contains("below 20 % it is swept"), "{said}");
    let said = allow(&["--below", "99", "--at-most", "1B"]);
    assert!(said.starts_with("0 items would go for good: 0 B"), "{said}");
    let said = allow(&["--below", "99"]);
    assert!(!said.starts_with("0 items would go for good"), "{said}");
    assert_eq!(
        demo.run(&["sheet", "allow", &id, "--class", "spent"]).code,
        0
    );
    let before = piles(&demo);
    let swept = demo.run(&["sweep", "--sheet", &id, "--yes", "--json"]);
    assert!([0, 3].contains(&swept.code), "{}", swept.err);
    let run = swept.json()["run"].as_str().unwrap().to_owned();
    let rules: BTreeSet<String> = demo
        .run(&["log", "show", &run, "--json"])
        .lines()
        .iter()
        .map(|item| item["rule"].as_str().unwrap().to_owned())
        .collect();
    let class_of = |rule: &str| {
        let mut all = before.iter();
        let pile = all.find(|pile| pile["rule"] == rule).unwrap();
        pile["class"].as_str().unwrap().to_owned()
    };
    assert!(
        !rules.is_empty() && rules.iter().all(|rule| class_of(rule) == "spent"),
        "{rules:?}"
    );
    // Of another computer nothing goes by this sheet.
    let other = Demo::new();
    let root = other.root();
    let state = demo.state();
    let strange = demo.bare(&[
        "sweep",
        "--sheet",
        &id,
        "--yes",
        "--target",
        root.to_str().unwrap(),
        "--state",
        state.to_str().unwrap(),
    ]);
    assert_eq!(strange.code, 2, "{}", strange.err);
    assert_eq!(
        demo.run(&["sheet", "allow", &id, "--class", "none"]).code,
        0
    );
    assert_eq!(demo.run(&["sweep", "--sheet", &id, "--yes"]).code, 2);
}

#[test]
fn what_is_scheduled_is_sound_and_does_what_it_says() {
    let (demo, id) = visited();
    assert_eq!(
        demo.run(&["schedule", "--sheet", &id]).code,
        2,
        "nothing is allowed yet"
    );
    assert_eq!(
        demo.run(&["sheet", "allow", &id, "--class", "spent"]).code,
        0
    );
    let printed = demo.run(&["schedule", "--sheet", &id]);
    assert_eq!(printed.code, 0, "{}", printed.err);
    let dir = tempfile::tempdir().unwrap();
    let mut parts = printed
        .out
        .split("# /etc/")
        .skip(1)
        .map(|part| part.split_once('\n').unwrap());
    let mut files = Vec::new();
    let (mut service, mut cron) = (String::new(), String::new());
    for (path, text) in parts.by_ref() {
        let name = path.rsplit('/').next().unwrap();
        match path {
            path if path.ends_with(".service") => service = text.to_owned(),
            path if path.starts_with("cron.d/") => {
                cron = text.to_owned();
                continue;
            }
            _ => {}
        }
        let file = dir.path().join(name);
        std::fs::write(&file, text).unwrap();
        files.push(file);
    }
    assert_eq!(files.len(), 2, "{}", printed.out);
    // An unknown key is only a word on stderr to it.
    let checked = Command::new("systemd-analyze")
        .args(["verify", "--man=no"])
        .args(&files)
        .output();
    match checked {
        Ok(checked) => {
            let said = String::from_utf8_lossy(&checked.stderr).into_owned();
            assert!(checked.status.success() && said.is_empty(), "{said}");
        }
        Err(_) => jolly_demo::skipped("systemd-analyze is not here, so units were not verified"),
    }
    // As the timer and cron would run it.
    let line = service
        .lines()
        .find_map(|line| line.strip_prefix("ExecStart="))
        .unwrap();
    assert!(cron.contains(line), "{cron}");
    let mut words = line.split(' ');
    let ran = Command::new(words.next().unwrap())
        .args(words)
        .output()
        .unwrap();
    let code = ran.status.code().unwrap();
    assert!(
        [0, 3].contains(&code),
        "{}",
        String::from_utf8_lossy(&ran.stderr)
    );
    let runs = demo.run(&["log", "list", "--json"]).lines();
    assert_eq!(runs.len(), 2);
}

#[test]
fn a_monitoring_system_is_told_in_its_own_codes() {
    let (demo, id) = visited();
    let well = demo.run(&["status", "--sheet", &id]);
    assert_eq!(well.code, 0, "{}", well.out);
    assert!(
        well.out
            .starts_with("JOLLY-BROOM OK - Otter Quay Boat Hire: ")
            && well.out.contains("| free="),
        "{}",
        well.out
    );
    assert_eq!(well.out.lines().count(), 1);
    assert_eq!(
        demo.run(&["sheet", "allow", &id, "--class", "spent", "--below", "99"])
            .code,
        0
    );
    let warned = demo.run(&["status", "--sheet", &id]);
    assert_eq!(warned.code, 1, "{}", warned.out);
    for (id, target) in [("nobody", None), (&*id, Some("/nowhere"))] {
        let state = demo.state();
        let mut words = vec!["status", "--sheet", id, "--state", state.to_str().unwrap()];
        words.extend(target.iter().flat_map(|target| ["--target", target]));
        let unknown = demo.bare(&words);
        assert_eq!(unknown.code, 3, "{}", unknown.out);
        assert!(
            unknown.out.starts_with("JOLLY-BROOM UNKNOWN - "),
            "{}",
            unknown.out
        );
    }
}

/// A program that is killed while it takes sheets in has taken in all of a file, or nothing.
#[test]
fn killed_while_it_writes_the_store_is_whole() {
    let (demo, id) = visited();
    let sheet = demo.run(&["sheet", "export", &id]).json();
    let state = demo.state();
    let many = 400;
    let file = demo.root().with_file_name("many.json");
    let mut text = String::new();
    for number in 0..many {
        let mut other = sheet.clone();
        other["identity"] = format!("made up {number}").into();
        text.push_str(&other.to_string());
    }
    std::fs::write(&file, text).unwrap();
    let take_in = |state: &Path| {
        Command::new(PROGRAM)
            .args(["sheet", "import", file.to_str().unwrap(), "--state"])
            .arg(state)
            .stderr(Stdio::null())
            .spawn()
            .unwrap()
    };
    let count = |state: &Path| {
        let listed = Command::new(PROGRAM)
            .args(["sheet", "list", "--json", "--state"])
            .arg(state)
            .output()
            .unwrap();
        assert!(
            listed.status.success(),
            "{}",
            String::from_utf8_lossy(&listed.stderr)
        );
        String::from_utf8_lossy(&listed.stdout).lines().count()
    };
    let mut cut_short = 0;
    for wait in 0..20 {
        let mut child = take_in(&state);
        std::thread::sleep(Duration::from_millis(wait * 12));
        child.kill().unwrap();
        child.wait().unwrap();
        let there = count(&state);
        assert!([1, many + 1].contains(&there), "{there}");
        cut_short += u32::from(there == 1);
    }
    assert!(cut_short > 0, "none was killed in time");
    assert!(take_in(&state).wait().unwrap().success());
    assert_eq!(count(&state), many + 1);
}

#[test]
fn many_computers_stand_on_one_page_and_what_cannot_be_read_is_named() {
    let (demo, id) = visited();
    let folder = demo.dir().join("sheets");
    std::fs::create_dir(&folder).unwrap();
    let file = |name: &str| folder.join(name).to_str().unwrap().to_owned();
    assert_eq!(
        demo.run(&["sheet", "export", &id, "--out", &file("till.json")])
            .code,
        0
    );
    let till: Value = serde_json::from_slice(&std::fs::read(file("till.json")).unwrap()).unwrap();
    let write = |name: &str, sheet: &Value| std::fs::write(file(name), sheet.to_string()).unwrap();
    // The same computer once more, from a bench that saw it earlier.
    let mut earlier = till.clone();
    earlier["visits"][0]["started"] = "2020-02-02T10:00:00Z".into();
    earlier["name"] = "as it was".into();
    write("earlier.json", &earlier);
    // One that is nearly full, whose name would steer a terminal and a spreadsheet, and at which something failed.
    let mut full = till.clone();
    full["sheet"] = "0badc0ffee00".into();
    full["identity"] = "machine-another".into();
    full["name"] = "=cmd\u{1b}[2J<b>".into();
    full["visits"][0]["runs"][0]["free"] = 1024.into();
    full["visits"][0]["runs"][0]["told"]["failed"] = "3 items could not go".into();
    write("full.json", &full);
    // One that says what no calendar and no disk holds.
    let mut forged = full.clone();
    forged["sheet"] = "f0f0f0f0f0f0".into();
    let mut early = forged["visits"][0].clone();
    early["started"] = "-009990-01-01T00:00:00Z".into();
    early["seconds"] = i64::MAX.into();
    early["size"] = u64::MAX.into();
    early["free"] = u64::MAX.into();
    let mut late = early.clone();
    late["started"] = "9999-01-01T00:00:00Z".into();
    late["runs"] = Value::Array(Vec::new());
    forged["visits"] = Value::Array(vec![late.clone(), early.clone(), late, early]);
    write("forged.json", &forged);
    std::fs::write(file("broken.json"), "{\"format\":\"jolly-broom/sheet\",").unwrap();
    std::fs::write(file("notes.txt"), "not asked").unwrap();
    rustix::fs::mkfifoat(rustix::fs::CWD, file("pipe.json"), 0o600.into()).unwrap();

    let waits = Demo::empty().bare(&["sheet", "import", &file("pipe.json")]);
    assert_eq!(waits.code, 2, "a pipe is not waited for: {}", waits.err);

    let out = demo.dir().join("fleet.json");
    let report = |out: &Path| {
        let fleet = folder.to_str().unwrap();
        demo.run(&["report", "--fleet", fleet, "--out", out.to_str().unwrap()])
    };
    let told = report(&out);
    assert_eq!(told.code, 0, "{}", told.err);
    for unread in ["broken.json", "pipe.json"] {
        assert!(told.err.contains(unread), "{}", told.err);
    }
    let written: Value = serde_json::from_slice(&std::fs::read(&out).unwrap()).unwrap();
    let computers = written["computers"].as_array().unwrap();
    assert_eq!(
        (computers.len(), written["unread"].as_array().unwrap().len()),
        (3, 2)
    );
    assert_eq!(computers[0]["is_full"], true);
    assert_eq!(computers[0]["failed"], "3 items could not go");
    assert_ne!(computers[1]["name"], "as it was");
    assert_eq!(report(&out).code, 2, "what is there stays without --force");
    let table = out.with_extension("csv");
    assert_eq!(report(&table).code, 0);
    let table = std::fs::read_to_string(table).unwrap();
    assert!(table.lines().count() == 4 && table.contains("%3Dcmd") && !table.contains('\u{1b}'));
    for ending in ["svg", "pdf"] {
        let page = out.with_extension(ending);
        assert_eq!(report(&page).code, 0);
        let page = std::fs::read(page).unwrap();
        assert!(page.len() > 1000 && !page.contains(&0x1b) || ending == "pdf");
    }
    let empty = demo.dir().join("empty");
    std::fs::create_dir(&empty).unwrap();
    for fleet in [empty.to_str().unwrap(), "/nowhere"] {
        let refused = demo.run(&["report", "--fleet", fleet, "--out", "x.pdf"]);
        assert_eq!(refused.code, 2, "{}", refused.err);
    }
}

#[test]
fn a_computer_is_forgotten_with_its_logs_taken_along_and_not_while_something_waits() {
    let (demo, id) = visited();
    let swept = demo.run(&["sweep", "--only", "linux/trash", "--all", "--yes", "-q"]);
    assert_eq!(swept.code, 0, "{}", swept.err);
    let along = demo.dir().join("along");
    std::fs::create_dir(&along).unwrap();
    let forget = || demo.run(&["forget", &id[..4], "--to", along.to_str().unwrap()]);
    let refused = forget();
    assert_eq!(refused.code, 2, "{}", refused.err);
    assert!(refused.err.contains("still waits"), "{}", refused.err);
    assert_eq!(std::fs::read_dir(&along).unwrap().count(), 0);
    let pans = demo.run(&["dustpan", "list", "--json"]).lines();
    for pan in &pans {
        let run = pan["run"].as_str().unwrap();
        assert_eq!(demo.run(&["dustpan", "empty", run, "--yes"]).code, 0);
    }
    std::fs::write(demo.state().join("notes.txt"), "the technician's").unwrap();
    let logs = demo.run(&["log", "list", "--json"]).lines();
    let forgotten = forget();
    assert_eq!(forgotten.code, 0, "{}", forgotten.err);
    let folder = along.join(format!("jolly-broom-{id}"));
    assert!(folder.join("sheet.json").is_file());
    for log in &logs {
        let log = folder
            .join("logs")
            .join(format!("{}.jsonl", log["run"].as_str().unwrap()));
        assert!(log.is_file(), "{log:?}");
    }
    // Nothing of ours is left, and what isn't ours is.
    let left: Vec<_> = std::fs::read_dir(demo.state())
        .unwrap()
        .map(|it| it.unwrap().file_name())
        .collect();
    assert_eq!(left, ["notes.txt"]);
    // The sheet that was taken along is one that another bench takes in.
    let other = Demo::empty();
    let taken = other.bare(&[
        "sheet",
        "import",
        folder.join("sheet.json").to_str().unwrap(),
    ]);
    assert_eq!(taken.code, 0, "{}", taken.err);
}
