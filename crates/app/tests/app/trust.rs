//! What the program is told must deserve it: state, settings, plans and the environment.

use std::os::unix::fs::{PermissionsExt as _, chown, symlink};
use std::os::unix::process::CommandExt as _;
use std::path::Path;
use std::process::Command;
use std::time::{Duration, Instant};

use jolly_demo::skipped;
use serde_json::Value;

use crate::support::{Demo, PROGRAM};

/// Every way in which a state folder could be believed; RUN stands for a run that is in it.
const WAYS: [&str; 10] = [
    "scan",
    "preview",
    "sweep --yes",
    "log list",
    "log show RUN",
    "log verify RUN",
    "report RUN --out -",
    "dustpan list",
    "dustpan empty RUN --yes",
    "restore RUN",
];

#[test]
fn a_state_folder_of_somebody_else_is_believed_on_no_way_in() {
    let demo = Demo::new();
    let names = demo.names();
    let ran = demo.run(&["sweep", "--yes", "--all", "--only", "linux/trash", "--json"]);
    assert!(ran.code == 0 || ran.code == 3, "{}", ran.err);
    let run = ran.json()["run"].as_str().unwrap_or_default().to_owned();
    let state = demo.state();
    let victim = demo.dir().join("victim.tar.zst");
    std::fs::write(&victim, b"mine").unwrap();
    let told = |way: &'static str| -> Vec<&str> {
        let words = way.split(' ');
        words
            .map(|word| if word == "RUN" { &*run } else { word })
            .collect()
    };
    for way in ["log show RUN", "log verify RUN", "dustpan list"] {
        assert_eq!(demo.run(&told(way)).code, 0, "{way}");
    }
    if chown(state.join("dustpan"), Some(4711), Some(4711)).is_err() {
        return skipped("only root gives folders away, so those of others were not tried");
    }
    let refused = |why: &str| {
        for way in WAYS {
            let ended = demo.run(&told(way));
            assert_eq!(ended.code, 2, "{why}: {way}: {}{}", ended.out, ended.err);
            assert!(!ended.err.contains("Usage"), "{way}: {}", ended.err);
        }
        assert!(victim.exists(), "{why}");
    };
    refused("a folder in it belongs to another");
    chown(state.join("dustpan"), Some(0), Some(0)).unwrap();
    let open = |path: &Path, mode: u32| {
        std::fs::set_permissions(path, std::fs::Permissions::from_mode(mode)).unwrap();
    };
    open(&state.join("logs"), 0o777);
    refused("others may write to a folder in it");
    open(&state.join("logs"), 0o700);
    open(&state, 0o770);
    chown(&state, None, Some(4711)).unwrap();
    refused("a group of others may write to it");
    open(&state, 0o700);
    let kept = demo.dir().join("kept");
    std::fs::rename(&state, &kept).unwrap();
    symlink(&kept, &state).unwrap();
    std::os::unix::fs::lchown(&state, Some(4711), Some(4711)).unwrap();
    refused("a link of somebody else leads to it");
    std::fs::rename(&state, demo.dir().join("link-of-theirs")).unwrap();
    std::fs::rename(&kept, &state).unwrap();
    // A record of ours that names another archive, and one that names another run.
    for (from, to) in [
        (format!("{run}.tar.zst"), "../../victim.tar.zst".to_owned()),
        (format!("\"{run}\""), "\"other\"".to_owned()),
    ] {
        let record = std::fs::read_dir(state.join("dustpan")).unwrap().flatten();
        let mut records = record.map(|entry| entry.path());
        let path = records
            .find(|path| path.extension().is_some_and(|it| it == "jsonl"))
            .unwrap();
        let text = std::fs::read_to_string(&path).unwrap();
        let forged = text.replace(&from, &to);
        assert_ne!(forged, text);
        std::fs::write(&path, forged).unwrap();
        for way in ["restore RUN", "dustpan empty RUN --yes"] {
            let ended = demo.run(&told(way));
            assert_ne!(ended.code, 0, "{way}");
            assert!(!ended.err.contains("Usage"), "{way}: {}", ended.err);
        }
        assert!(victim.exists());
        std::fs::write(&path, text).unwrap();
    }
    assert!(demo.names() <= names);
}

#[test]
fn a_plan_spares_what_was_excluded_or_turned_young_since() {
    let demo = Demo::new();
    let plan = demo.dir().join("plan");
    let plan = plan.to_str().unwrap();
    assert_eq!(demo.run(&["preview", "--plan", plan]).code, 0);
    let preview = demo.run(&["preview", "--json"]).lines();
    let path = |item: &Value| item["path"].as_str().map(str::to_owned);
    let listed: Vec<String> = preview.iter().filter_map(path).collect();
    let in_temp = listed.iter().find(|path| path.starts_with("tmp/")).unwrap();
    let config = demo.dir().join(".config/jolly-broom");
    std::fs::create_dir_all(&config).unwrap();
    let text = format!("[[exclusion]]\npath = \"/{in_temp}\"\n");
    std::fs::write(config.join("exclusions.toml"), text).unwrap();
    let ended = demo.run(&["sweep", "--yes", "--json", "--plan", plan]);
    assert_eq!(ended.code, 3, "{}", ended.err);
    assert!(demo.root().join(in_temp).symlink_metadata().is_ok());
    assert_eq!(ended.json()["outcomes"]["changed"]["items"], 1);
}

#[test]
fn what_never_ends_or_never_begins_keeps_nobody_waiting() {
    let demo = Demo::new();
    let pipe = demo.dir().join("pipe");
    let made = Command::new("mkfifo").arg(&pipe).status().unwrap();
    assert!(made.success());
    let pipe = pipe.to_str().unwrap();
    for file in [pipe, "/dev/zero", "/dev/full", "/dev"] {
        let ways: [&[&str]; 3] = [
            &["sweep", "--yes", "--plan", file],
            &["rules", "check", file],
            &["scan", "--rulebook", file],
        ];
        for way in ways {
            let began = Instant::now();
            let ended = demo.run(way);
            assert!(
                ended.code == 1 || ended.code == 2,
                "{way:?}: {} {}",
                ended.code,
                ended.err
            );
            assert!(began.elapsed() < Duration::from_mins(1), "{way:?}");
        }
    }
    // A lock that anybody may take on a folder that anybody may open.
    let root = demo.root();
    let everybody = std::fs::Permissions::from_mode(0o755);
    std::fs::set_permissions(demo.dir(), everybody.clone()).unwrap();
    std::fs::set_permissions(&root, everybody).unwrap();
    let holder = Command::new("flock")
        .arg(&root)
        .args(["sleep", "60"])
        .uid(65534)
        .gid(65534)
        .spawn();
    let Ok(mut holder) = holder else {
        return skipped("only root becomes somebody else, so a lock of others was not tried");
    };
    std::thread::sleep(Duration::from_millis(200));
    let ended = demo.run(&["sweep", "--yes", "--only", "linux/system-temp"]);
    holder.kill().unwrap();
    holder.wait().unwrap();
    assert!(ended.code == 0 || ended.code == 3, "{}", ended.err);
    // A plan is written where it was asked for, and to nothing that a link there leads to.
    let theirs = demo.dir().join("theirs");
    std::fs::write(&theirs, b"theirs").unwrap();
    let link = demo.dir().join("link");
    symlink(&theirs, &link).unwrap();
    demo.run(&["preview", "--plan", link.to_str().unwrap()]);
    assert_eq!(std::fs::read(&theirs).unwrap(), b"theirs");
}

#[test]
fn no_variable_makes_a_disk_or_a_home_a_cache() {
    let home = tempfile::tempdir_in(env!("CARGO_TARGET_TMPDIR")).unwrap();
    let letter = home.path().join("letter.odt");
    std::fs::write(&letter, b"work").unwrap();
    let explain = |path: &Path, variable: Option<(&str, &str)>| -> Value {
        let output = Command::new(PROGRAM)
            .args(["rules", "explain", "--json"])
            .arg(path)
            .arg("--state")
            .arg(home.path().join("state"))
            .env_clear()
            .env("HOME", home.path())
            .envs(variable)
            .output()
            .unwrap();
        serde_json::from_slice(&output.stdout).unwrap()
    };
    let values = [
        "/",
        "/usr",
        "/usr/bin",
        "/etc",
        "/home",
        home.path().to_str().unwrap(),
    ];
    let variables = [
        "XDG_CACHE_HOME",
        "XDG_CONFIG_HOME",
        "XDG_DATA_HOME",
        "XDG_STATE_HOME",
        "TMPDIR",
    ];
    for path in [
        Path::new("/usr/bin/env"),
        Path::new("/etc/hostname"),
        &letter,
    ] {
        let plain = explain(path, None);
        assert_ne!(plain["verdict"], "taken");
        for variable in variables {
            for value in values {
                let told = explain(path, Some((variable, value)));
                assert_eq!(told, plain, "{variable}={value} {}", path.display());
            }
        }
    }
}
