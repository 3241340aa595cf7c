//! Packing what is kept and rescuing a home: by the program itself, in the interface, and killed in the middle.

use std::collections::BTreeMap;
use std::fs;
use std::path::Path;
use std::process::Command;
use std::time::{Duration, Instant};

use crate::interface::{open, to_weigh};
use crate::support::Demo;

/// The bytes of every file below a folder, by path.
fn contents(top: &Path) -> BTreeMap<String, Vec<u8>> {
    let mut found = BTreeMap::new();
    let mut waiting = vec![top.to_owned()];
    while let Some(path) = waiting.pop() {
        if path.is_dir() {
            waiting.extend(
                fs::read_dir(&path)
                    .unwrap()
                    .map(|entry| entry.unwrap().path()),
            );
        } else if path.is_file() {
            let name = path
                .strip_prefix(top)
                .unwrap()
                .to_string_lossy()
                .into_owned();
            found.insert(name, fs::read(&path).unwrap());
        }
    }
    found
}

/// Starts the program, and kills it after a while.
fn killed(demo: &Demo, arguments: &[&str], after: Duration) {
    let mut program = demo.begin(arguments);
    std::thread::sleep(after);
    program.kill().unwrap();
    program.wait().unwrap();
}

/// Fifty times killed at another moment: what was packed is there or in its archive, whole, and nothing beside; of a rescue
/// there is an archive that is whole, or none, and the home is as it was.
#[test]
fn who_is_killed_while_packing_or_rescuing_loses_nothing() {
    let demo = Demo::new();
    let home = demo.root().join("home/joss/letters");
    fs::create_dir(&home).unwrap();
    for number in 0..40 {
        let text = format!("low water at {number}\n").repeat(9_000);
        fs::write(home.join(format!("{number}.txt")), text).unwrap();
    }
    let was = contents(&home);
    let (thing, archive) = ("home/joss/letters", "home/joss/letters.tar.zst");
    let took = |arguments: &[&str]| {
        let began = Instant::now();
        let ended = demo.run(arguments);
        assert_eq!(ended.code, 0, "{}", ended.err);
        began.elapsed()
    };
    let (packs, unpacks) = (took(&["pack", thing]), took(&["unpack", archive]));
    let to = demo.dir().join("stick");
    fs::create_dir(&to).unwrap();
    let rescue = ["rescue", "joss", "--to", to.to_str().unwrap(), "letters"];
    let rescues = took(&rescue);
    for round in 0..50_u32 {
        let part = |whole: Duration| whole * (round % 25 + 1) / 26;
        match round % 3 {
            0 => killed(&demo, &rescue, part(rescues)),
            _ if home.exists() => killed(&demo, &["pack", thing], part(packs)),
            _ => killed(&demo, &["unpack", archive], part(unpacks)),
        }
        let settled = demo.run(&["log", "recover", "--same-computer"]);
        assert_eq!(settled.code, 0, "{round}: {}", settled.err);
        let names: Vec<String> = fs::read_dir(home.parent().unwrap())
            .unwrap()
            .map(|entry| entry.unwrap().file_name().to_string_lossy().into_owned())
            .filter(|name| name.starts_with("letters") || name.starts_with(".jolly-broom"))
            .collect();
        assert_eq!(names.len(), 1, "{round}: {names:?}");
        if home.exists() {
            assert_eq!(contents(&home), was, "{round}");
        }
    }
    if !home.exists() {
        took(&["unpack", archive]);
    }
    assert_eq!(contents(&home), was);
    // Whatever has its name is whole.
    for archive in fs::read_dir(&to).unwrap() {
        let archive = archive.unwrap().path();
        let name = archive.file_name().unwrap().to_string_lossy().into_owned();
        if name.ends_with(".tar.zst") && !name.starts_with('.') {
            let out = demo.dir().join("out");
            fs::create_dir_all(&out).unwrap();
            let mut tar = Command::new("tar");
            tar.arg("--zstd")
                .arg("-xf")
                .arg(&archive)
                .arg("-C")
                .arg(&out);
            assert!(tar.status().unwrap().success(), "{name}");
            assert_eq!(contents(&out.join("joss/letters")), was, "{name}");
        }
    }
}

#[test]
fn a_home_is_rescued_and_a_folder_packed_where_it_is_looked_at() {
    let demo = Demo::new();
    let to = demo.dir().join("stick");
    fs::create_dir(&to).unwrap();
    let boats = demo.root().join("home/joss/boats");
    let was = contents(&boats);
    let term = open(&demo, (142, 44), &[], &[]);
    to_weigh(&term);
    term.text("/");
    term.text("unused homes");
    term.keys(&["Enter"]);
    term.wait_text("`userdel wren` removes it there");
    term.text("z");
    let shown = term.wait_text("chosen: 12 files");
    assert!(shown.contains("keys, passwords or mail: .ssh"), "{shown}");
    term.text(to.to_str().unwrap());
    term.keys(&["Enter"]);
    term.wait_text("The home is as it was.");
    term.keys(&["Enter"]);
    term.wait("the patch gone", |screen| {
        !screen.contains("The home is as it was.")
    });
    let names: Vec<_> = fs::read_dir(&to).unwrap().collect();
    assert_eq!(names.len(), 2, "{names:?}");
    // Where the space is: a folder is packed, and its archive taken out again.
    term.text("D");
    term.wait_text("what lies here");
    for part in ["home/", "joss/"] {
        term.text("/");
        term.text(part.trim_end_matches('/'));
        term.keys(&["Enter", "Enter"]);
        term.wait("one folder further in", |screen| {
            screen.lines().any(|line| {
                line.contains("Where the space is") && line.contains(part.trim_end_matches('/'))
            })
        });
    }
    term.text("/");
    term.text("boats");
    term.keys(&["Enter"]);
    term.wait_text("home/joss/boats: ");
    term.text("z");
    term.wait_text("become about");
    term.keys(&["Enter"]);
    term.wait_text("takes it out again");
    assert!(!boats.exists() && boats.with_extension("tar.zst").is_file());
    term.keys(&["Enter"]);
    term.wait_text("what lies here");
    let back = demo.run(&["unpack", "home/joss/boats.tar.zst"]);
    assert_eq!(back.code, 0, "{}", back.err);
    assert_eq!(contents(&boats), was);
    let logged = demo.run(&["log", "list", "--json"]).lines();
    assert_eq!(logged.len(), 3, "{logged:?}");
    term.text("q");
}
