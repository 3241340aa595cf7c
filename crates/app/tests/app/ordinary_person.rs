//! What somebody without the administrator's rights sees and can do, and the running machine.

use std::os::unix::fs::PermissionsExt as _;
use std::os::unix::process::CommandExt as _;
use std::path::PathBuf;
use std::process::Command;

use serde_json::Value;

use crate::support::{Demo, PROGRAM};

/// A number that owns nothing.
const NOBODY: u32 = 65534;

/// Copies the program to where everybody may run it.
fn program_for_all(demo: &Demo) -> PathBuf {
    let everybody = std::fs::Permissions::from_mode(0o755);
    std::fs::set_permissions(demo.dir(), everybody.clone()).unwrap();
    let program = demo.dir().join("program");
    std::fs::copy(PROGRAM, &program).unwrap();
    std::fs::set_permissions(&program, everybody).unwrap();
    program
}

/// Runs the program as nobody; none where this test may not become somebody else.
fn as_nobody(demo: &Demo, arguments: &[&str]) -> Option<(i32, String, String)> {
    let state = demo.dir().join("theirs");
    if !state.exists() {
        std::fs::create_dir(&state).unwrap();
        if std::os::unix::fs::chown(&state, Some(NOBODY), Some(NOBODY)).is_err() {
            jolly_demo::skipped("only root can become somebody else, so rights were not tested");
            return None;
        }
    }
    let mut command = Command::new(program_for_all(demo));
    command
        .args(arguments)
        .arg("--state")
        .arg(&state)
        .env_clear()
        .env("HOME", demo.dir())
        .uid(NOBODY)
        .gid(NOBODY);
    let output = loop {
        match command.output() {
            // A test beside this one that begins a program just now holds the copy open for a moment.
            Err(error) if error.kind() == std::io::ErrorKind::ExecutableFileBusy => {
                std::thread::sleep(std::time::Duration::from_millis(20));
            }
            output => break output.unwrap(),
        }
    };
    let text = |bytes: Vec<u8>| String::from_utf8_lossy(&bytes).into_owned();
    Some((
        output.status.code().unwrap_or(-1),
        text(output.stdout),
        text(output.stderr),
    ))
}

#[test]
fn what_needs_the_administrator_is_said_and_what_is_denied_stays() {
    let demo = Demo::new();
    let root = demo.root();
    let on = ["--target", root.to_str().unwrap()];
    let names = demo.names();
    let Some((code, out, _)) = as_nobody(&demo, &[&["scan", "--json"], &on[..]].concat()) else {
        return;
    };
    assert_eq!(code, 0);
    let scan: Value = serde_json::from_str(&out).unwrap();
    let unread = scan["unread"].as_array().unwrap();
    let locked = unread
        .iter()
        .find(|unread| unread["place"] == "var/tmp")
        .unwrap();
    assert_eq!(locked["reason"], "needs the administrator");
    let piles = scan["piles"].as_array().unwrap();
    let logs = piles
        .iter()
        .find(|pile| pile["rule"] == "linux/old-logs")
        .unwrap();
    assert_eq!(
        (&logs["state"], &logs["takes"]["items"]),
        (&"blocked".into(), &0.into())
    );
    assert_eq!(logs["blocked_by"], "needs the administrator");

    // For nobody it is a folder like any other: what it says of its volume and its dates doesn't count.
    let volume = &scan["volume"];
    assert_ne!(volume["size"], 4_u64 << 30);
    let young = scan["totals"]["takes"]["items"].as_u64().unwrap();
    let dated = ["--aged-by", "modified"];
    let arguments = [&["sweep", "--yes", "--json"], &dated[..], &on[..]].concat();
    let (code, out, err) = as_nobody(&demo, &arguments).unwrap();
    assert_eq!(code, 3, "{err}");
    let run: Value = serde_json::from_str(&out).unwrap();
    assert_eq!(run["outcomes"]["removed"]["items"], 0);
    let denied = run["outcomes"]["denied"]["items"].as_u64().unwrap();
    assert!(
        denied > young + 500,
        "{denied}, and without their dates only {young}"
    );
    assert_eq!(demo.names(), names, "every file is still there");
}

#[test]
fn a_target_that_cannot_be_read_is_refused_with_what_to_do() {
    let demo = Demo::new();
    let shut = demo.dir().join("shut");
    std::fs::create_dir(&shut).unwrap();
    std::fs::set_permissions(&shut, std::fs::Permissions::from_mode(0o700)).unwrap();
    let arguments = ["scan", "--target", shut.to_str().unwrap()];
    let Some((code, _, err)) = as_nobody(&demo, &arguments) else {
        return;
    };
    assert_eq!(code, 2);
    assert!(
        err.contains("cannot open") && err.contains("administrator"),
        "{err}"
    );
}

#[test]
fn the_running_machine_is_told_truly_and_untouched() {
    let demo = Demo::new();
    let probe = tempfile::Builder::new()
        .prefix("jolly-probe-")
        .tempdir_in("/var/tmp")
        .unwrap();
    let file = probe.path().join("old.tmp");
    std::fs::write(&file, vec![1_u8; 40_960]).unwrap();
    let state = demo.state();
    let ended = demo.bare(&[
        "scan",
        "--json",
        "--all",
        "--state",
        state.to_str().unwrap(),
    ]);
    assert_eq!(ended.code, 0, "{}", ended.err);
    let scan = ended.json();
    assert_eq!(scan["target"]["root"], "/");
    let volume = &scan["volume"];
    let number = |key: &str| volume[key].as_u64().unwrap();
    // What files occupy, as `df` says it; the file system may reserve the rest.
    let told = Command::new("df")
        .args(["-B1", "--output=size,used", "/"])
        .output();
    let told = String::from_utf8(told.unwrap().stdout).unwrap();
    let told: Vec<u64> = (told.lines().last().unwrap().split_whitespace())
        .map(|figure| figure.parse().unwrap())
        .collect();
    assert_eq!(number("size"), told[0]);
    // Others write meanwhile.
    assert!(
        number("used").abs_diff(told[1]) < told[0] / 50,
        "{volume} {told:?}"
    );
    assert!(number("used") + number("free") <= number("size"));
    let found: u64 = scan["piles"]
        .as_array()
        .unwrap()
        .iter()
        .map(|pile| pile["found"]["bytes"].as_u64().unwrap())
        .sum();
    assert_eq!(scan["totals"]["found"]["bytes"].as_u64(), Some(found));
    let explained = demo
        .bare(&["rules", "explain", file.to_str().unwrap(), "--json"])
        .json();
    assert_eq!(
        (&explained["rule"], &explained["verdict"]),
        (&"linux/long-temp".into(), &"young".into())
    );
    let later = [
        "preview",
        "--json",
        "--only",
        "long-temp",
        "--now",
        "2040-01-01T00:00:00Z",
    ];
    let listed = demo
        .bare(&[&later[..], &["--state", state.to_str().unwrap()]].concat())
        .lines();
    let path = file.strip_prefix("/").unwrap().to_str().unwrap();
    let line = listed
        .iter()
        .find(|line| line["path"] == path)
        .expect("the old file is listed");
    assert_eq!(line["bytes"], 40_960);
    assert!(file.exists());
    assert!(!state.exists(), "looking leaves no state behind");
}
