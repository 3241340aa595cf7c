//! A run killed at any moment can be told to the last item, and the next one finishes the rest.
//!
//! The long version, 200 runs killed while they sweep, runs with `JOLLY_BROOM_LONG=1`.

use std::collections::BTreeSet;
use std::os::unix::ffi::OsStrExt as _;
use std::path::Path;
use std::process::{Child, Command, Stdio};
use std::time::{Duration, Instant};

use serde_json::Value;

use crate::support::{Demo, PROGRAM};

fn kills() -> u64 {
    if std::env::var_os("JOLLY_BROOM_LONG").is_some() {
        200
    } else {
        5
    }
}

/// What the killed sweeps take: all but the biggest of what is set aside, for time's sake.
const TAKEN: [&str; 7] = [
    "sweep",
    "--yes",
    "--all",
    "--skip",
    "linux/installers",
    "--exclude",
    "regatta.mp4",
];

/// Waits until the run has a log, and then for so long, or until the run has ended.
fn wait_into(demo: &Demo, time: Duration, child: &mut Child) {
    let logs = demo.state().join("logs");
    let has_log = || std::fs::read_dir(&logs).is_ok_and(|mut logs| logs.next().is_some());
    while child.try_wait().unwrap().is_none() && !has_log() {
        std::thread::sleep(Duration::from_millis(1));
    }
    std::thread::sleep(time);
}

/// The names in a dustpan, as far as it can be read: a killed run leaves its last frame open.
fn stored(demo: &Demo, run: &str) -> BTreeSet<Vec<u8>> {
    let path = demo.state().join(format!("dustpan/{run}.tar.zst"));
    let mut names = BTreeSet::new();
    let Ok(file) = std::fs::File::open(path) else {
        return names;
    };
    let Ok(decoder) = zstd::Decoder::new(file) else {
        return names;
    };
    let mut archive = tar::Archive::new(decoder);
    for entry in archive.entries().unwrap() {
        let Ok(mut entry) = entry else { break };
        let name = entry.path_bytes().into_owned();
        if std::io::copy(&mut entry, &mut std::io::sink()).is_err() {
            break;
        }
        names.insert(name.strip_suffix(b"/").unwrap_or(&name).to_vec());
    }
    names
}

/// The exact path of an item that a log shows.
fn path_of(item: &Value) -> Vec<u8> {
    use base64::Engine as _;
    match item.get("path_base64") {
        Some(text) => base64::engine::general_purpose::STANDARD
            .decode(text.as_str().unwrap())
            .unwrap(),
        None => item["path"].as_str().unwrap().as_bytes().to_vec(),
    }
}

/// Nothing of what is taken is left, and nothing of ours either.
fn finished(demo: &Demo) {
    let left = demo
        .run(&[&["scan", "--json"], &TAKEN[2..]].concat())
        .json();
    assert_eq!(left["totals"]["takes"]["items"], 0);
    assert!(demo.dir().join("till-next-door/boat-licences.txt").exists());
    let names = std::fs::read_dir(demo.root()).unwrap().flatten();
    let is_ours = |name: &std::ffi::OsStr| name.as_bytes().starts_with(b".jolly-broom");
    assert_eq!(names.filter(|entry| is_ours(&entry.file_name())).count(), 0);
}

/// Whether a database is whole and has a row, told as table and number.
fn has_row(database: &Path, row: &str) -> bool {
    let dir = tempfile::tempdir().unwrap();
    let copy = dir.path().join("copy");
    std::fs::copy(database, &copy).unwrap();
    let db = rusqlite::Connection::open(&copy).unwrap();
    let ok: String = db
        .query_row("PRAGMA integrity_check", [], |row| row.get(0))
        .unwrap();
    assert_eq!(ok, "ok");
    let (table, number) = row.split_once(' ').unwrap();
    let sql = format!("SELECT 1 FROM {table} WHERE rowid = {number}");
    db.prepare(&sql).unwrap().exists([]).unwrap()
}

#[test]
fn a_sweep_killed_at_any_moment_is_accounted_for() {
    let mut interrupted = 0;
    // How long one takes that nobody kills, from its first line on.
    let longest = {
        let demo = Demo::new();
        let mut child = demo.begin(&TAKEN);
        wait_into(&demo, Duration::ZERO, &mut child);
        let began = Instant::now();
        assert!(child.wait().unwrap().success());
        began.elapsed()
    };
    // Some are quicker than their kill; so many more are tried that enough are not.
    for turn in 0..kills() * 2 {
        if interrupted == kills() {
            break;
        }
        let demo = Demo::new();
        let root = demo.root();
        let mut child = demo.begin(&TAKEN);
        // Spread over what a sweep of the demo takes, by the golden ratio.
        let share = (turn as f64 * 0.618_034).fract();
        wait_into(&demo, longest.mul_f64(share), &mut child);
        child.kill().unwrap();
        child.wait().unwrap();

        let runs = demo.run(&["log", "list", "--json"]).lines();
        let Some(run) = runs
            .first()
            .map(|run| run["run"].as_str().unwrap().to_owned())
        else {
            continue;
        };
        let was_interrupted = runs[0]["state"] == "interrupted";
        interrupted += u64::from(was_interrupted);
        if turn % 3 == 2 {
            // Nobody settles it by hand: the next sweep does, before it looks.
            let rest = demo.run(&TAKEN);
            assert_eq!(rest.code, 0, "{}", rest.err);
            assert_eq!(
                rest.err.contains("is settled now"),
                was_interrupted,
                "{}",
                rest.err
            );
            finished(&demo);
            continue;
        }
        let recovered = demo.run(&["log", "recover"]);
        assert_eq!(recovered.code, 0, "{}", recovered.err);
        assert_eq!(demo.run(&["log", "verify", &run]).code, 0);
        let items = demo.run(&["log", "show", &run, "--json"]).lines();
        let safe = stored(&demo, &run);
        for item in &items {
            let mut path = path_of(item);
            let whole = root.join(std::ffi::OsStr::from_bytes(&path));
            let is_there = match item["in"].as_str() {
                None => whole.symlink_metadata().is_ok(),
                Some(row) if item["kind"] == "row" => {
                    let site = item["site"].as_str();
                    let site = site.map_or_else(String::new, |site| format!(" {site}"));
                    path.extend_from_slice(format!("/{row}{site}").as_bytes());
                    has_row(&whole, row)
                }
                // An entry is there while its list names it.
                Some(address) => {
                    path.extend_from_slice(format!("/{}", address.replace('/', "∕")).as_bytes());
                    let list = std::fs::read_to_string(&whole).unwrap();
                    if whole.ends_with("mimeapps.list") {
                        // Its group, the kind of files, and the program.
                        let words: Vec<&str> = address.split(' ').collect();
                        let mut lines = list.lines().filter(|line| line.starts_with(words[1]));
                        let is_named = lines.any(|line| line.contains(words[2]));
                        assert!(list.starts_with("[Default Applications]\n"), "{list}");
                        if item["outcome"] == "set-aside" {
                            assert!(safe.contains(&path), "{item} is lost");
                        }
                        assert_eq!(is_named, item["outcome"] == "refused", "{item}: {list}");
                        continue;
                    }
                    list.trim_end().ends_with("</xbel>") && list.contains(&format!("\"{address}\""))
                }
            };
            match item["outcome"].as_str().unwrap() {
                "removed" => assert!(!is_there, "{item} is told as removed and is there"),
                "set-aside" => {
                    assert!(!is_there, "{item} is told as set aside and is there");
                    assert!(safe.contains(&path), "{item} is lost");
                }
                _ => assert!(is_there, "{item} is told as there and is gone"),
            }
        }
        let rest = demo.run(&TAKEN);
        assert_eq!(rest.code, 0, "{}", rest.err);
        finished(&demo);
    }
    println!("{interrupted} runs were killed while they swept");
    assert!(
        interrupted > 0,
        "no kill came in time; the test says nothing"
    );
}

#[test]
fn two_sweeps_of_one_target_exclude_each_other() {
    let demo = Demo::new();
    let held = std::fs::File::open(demo.root()).unwrap();
    held.lock().unwrap();
    let names = demo.names();
    let refused = demo.run(&["sweep", "--yes"]);
    assert_eq!(refused.code, 1);
    assert!(refused.err.contains("another sweep"), "{}", refused.err);
    assert_eq!(demo.names(), names);
    let listed = demo.run(&["log", "list", "--json"]);
    assert_eq!(
        (listed.code, listed.out.as_str()),
        (0, ""),
        "a refused sweep is no run"
    );
    drop(held);
    assert_eq!(demo.run(&["sweep", "--yes"]).code, 0);
}

#[test]
fn an_interrupt_stops_a_sweep_with_its_own_exit_code_and_a_true_log() {
    let demo = Demo::new();
    let many = demo.root().join("var/tmp/many");
    for folder in 0..40 {
        let folder = many.join(folder.to_string());
        std::fs::create_dir_all(&folder).unwrap();
        for file in 0..500 {
            std::fs::write(folder.join(file.to_string()), b"").unwrap();
        }
    }
    let mut child = Command::new(PROGRAM)
        .args([
            "sweep",
            "--yes",
            "--json",
            "--now",
            "2040-01-01T00:00:00Z",
            "--target",
        ])
        .arg(demo.root())
        .arg("--state")
        .arg(demo.state())
        .stdout(Stdio::piped())
        .spawn()
        .unwrap();
    let logs = demo.state().join("logs");
    while std::fs::read_dir(&logs).map_or(0, Iterator::count) == 0 {
        std::thread::sleep(Duration::from_millis(5));
    }
    std::thread::sleep(Duration::from_millis(150));
    let id = child.id().to_string();
    assert!(
        Command::new("kill")
            .args(["-INT", &id])
            .status()
            .unwrap()
            .success()
    );
    let code = child.wait().unwrap().code();
    assert_eq!(code, Some(130));
    let runs = demo.run(&["log", "list", "--json"]).lines();
    assert_eq!(runs[0]["state"], "stopped");
    let run = runs[0]["run"].as_str().unwrap();
    assert_eq!(demo.run(&["log", "verify", run]).code, 0);
}
