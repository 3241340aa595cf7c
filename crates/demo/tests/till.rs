//! The till computer holds what the rules and the promises speak of, the same every time.

#![allow(
    clippy::unwrap_used,
    reason = "a test that can't go on says so, and tells its story in one piece"
)]

use std::collections::BTreeMap;
use std::os::unix::ffi::OsStrExt as _;
use std::os::unix::fs::{FileTypeExt as _, MetadataExt as _};
use std::path::{Path, PathBuf};

use jolly_demo::{DemoError, DemoLayout, Program, build, make_removable};

/// The moment of building.
const NOW: i64 = 1_790_000_000;

struct Till {
    _dir: tempfile::TempDir,
    root: PathBuf,
    next_door: PathBuf,
}

/// An ordinary person can't throw the demo's locked folder away as it stands.
impl Drop for Till {
    fn drop(&mut self) {
        drop(make_removable(&self.root));
    }
}

fn till() -> Till {
    let dir = tempfile::tempdir().unwrap();
    let root = dir.path().join("till");
    let next_door = build(&root, DemoLayout::Linux, NOW).unwrap();
    Till {
        _dir: dir,
        root,
        next_door,
    }
}

/// Every path with its length, blocks and age; the moment of building is fixed, so all of it is.
fn facts(root: &Path) -> BTreeMap<PathBuf, (u64, u64, i64)> {
    let mut facts = BTreeMap::new();
    let mut waiting = vec![root.to_owned()];
    while let Some(folder) = waiting.pop() {
        let entries = match std::fs::read_dir(&folder) {
            // What nobody may read is closed to an ordinary person here, too.
            Err(error) if error.kind() == std::io::ErrorKind::PermissionDenied => continue,
            entries => entries.unwrap(),
        };
        for entry in entries {
            let path = entry.unwrap().path();
            let metadata = path.symlink_metadata().unwrap();
            if metadata.is_dir() {
                waiting.push(path);
            } else {
                let below = path.strip_prefix(root).unwrap().to_owned();
                // A link's length is that of the path it holds, which lies elsewhere each time.
                let size = if metadata.is_symlink() {
                    0
                } else {
                    metadata.len()
                };
                facts.insert(below, (size, metadata.blocks(), metadata.mtime()));
            }
        }
    }
    facts
}

#[test]
fn it_is_the_same_every_time_but_for_where_it_stands() {
    let (one, other) = (till(), till());
    let (one, other) = (facts(&one.root), facts(&other.root));
    assert_eq!(one.len(), other.len());
    for (path, (size, _, time)) in &one {
        // A big file in many pieces may need a block more to keep account of them.
        let same = other.get(path).map(|(size, _, time)| (*size, *time));
        assert_eq!(same, Some((*size, *time)), "{}", path.display());
    }
}

#[test]
fn its_bytes_are_real_and_its_ages_spread_from_minutes_to_years() {
    let till = till();
    let facts = facts(&till.root);
    let held: u64 = facts.values().map(|(_, blocks, _)| blocks * 512).sum();
    assert!((1_200..1_800).contains(&(held >> 20)), "{} MiB", held >> 20);
    let day = 86_400;
    let ages: Vec<i64> = facts.values().map(|(_, _, time)| NOW - time).collect();
    for (young, old) in [
        (0, day),
        (day, 7 * day),
        (7 * day, 90 * day),
        (90 * day, 365 * day),
    ] {
        let count = ages
            .iter()
            .filter(|age| (young..old).contains(*age))
            .count();
        assert!(count > 50, "{count} between {young} and {old}");
    }
    assert!(ages.iter().any(|age| *age > 5 * 365 * day));
    assert!(ages.iter().all(|age| *age >= 0), "nothing is of the future");
}

#[test]
fn it_holds_every_awkward_case() {
    let till = till();
    let look = |path: &str| till.root.join(path).symlink_metadata().unwrap();
    assert!(look("tmp/next-door").is_symlink());
    let out = till.root.join("tmp/next-door").canonicalize().unwrap();
    assert_eq!(out, till.next_door.canonicalize().unwrap());
    assert!(
        !out.starts_with(&till.root),
        "the link points out of the tree"
    );
    assert!(out.join("boat-licences.txt").exists());
    assert_eq!(
        look("tmp/pair-one.dat").ino(),
        look("var/tmp/pair-two.dat").ino()
    );
    assert_eq!(look("tmp/season-plan.bak").nlink(), 2);
    let sparse = look("tmp/disk-image.raw");
    assert!(sparse.blocks() * 512 < sparse.len() / 100);
    assert!(look("tmp/tidewatch.pipe").file_type().is_fifo());
    assert_eq!(look("var/tmp/locked").mode() & 0o777, 0);
    let names: Vec<Vec<u8>> = std::fs::read_dir(till.root.join("tmp"))
        .unwrap()
        .map(|entry| entry.unwrap().file_name().as_bytes().to_vec())
        .collect();
    assert!(names.iter().any(|name| std::str::from_utf8(name).is_err()));
    assert!(names.iter().any(|name| name.contains(&b'\n')));
    assert!(names.iter().any(|name| name.contains(&0x1b)));
    assert!(names.iter().any(|name| name.starts_with(b"=")));
    let tag = std::fs::read(till.root.join("home/joss/.cache/lanternfish/CACHEDIR.TAG")).unwrap();
    assert!(tag.starts_with(b"Signature: 8a477f597d28d172789f06886806bc55"));
    make_removable(&till.root).unwrap();
    assert_eq!(look("var/tmp/locked").mode() & 0o777, 0o700);
}

#[test]
fn its_databases_thumbnails_and_trash_follow_their_standards() {
    let till = till();
    let open = |path: &str| rusqlite::Connection::open(till.root.join(path)).unwrap();
    let count =
        |path: &str, sql: &str| -> i64 { open(path).query_row(sql, [], |row| row.get(0)).unwrap() };
    let cookies = "home/pia/.config/heron/Default/Cookies";
    let history = "home/pia/.config/heron/Default/History";
    let places = "home/pia/.config/bramble/profiles/x8k2.till/places.sqlite";
    let many = "SELECT count(*) FROM";
    assert!(count(cookies, &format!("{many} cookies")) > 50);
    let elsewhere = format!("{many} cookies WHERE host_key NOT LIKE '%.example'");
    assert_eq!(count(cookies, &elsewhere), 0);
    for (path, visits, page, pages) in [
        (history, "visits", "url", "urls"),
        (places, "moz_historyvisits", "place_id", "moz_places"),
    ] {
        let checked: String = open(path)
            .query_row("PRAGMA integrity_check", [], |row| row.get(0))
            .unwrap();
        assert_eq!(checked, "ok");
        assert!(count(path, &format!("{many} {visits}")) > 200);
        let orphans = format!("{many} {visits} WHERE {page} NOT IN (SELECT id FROM {pages})");
        assert_eq!(count(path, &orphans), 0, "{path}");
    }
    let years = "SELECT (max(visit_time) - min(visit_time)) / 86400000000 FROM visits";
    assert!(count(history, years) > 2 * 365);
    let bookmarked = format!("{many} moz_bookmarks JOIN moz_places ON moz_places.id = fk");
    assert_eq!(count(places, &bookmarked), 3);

    let (mut gone, mut there) = (0, 0);
    for entry in std::fs::read_dir(till.root.join("home/pia/.cache/thumbnails/large")).unwrap() {
        let path = entry.unwrap().path();
        let file = std::io::BufReader::new(std::fs::File::open(&path).unwrap());
        let reader = png::Decoder::new(file).read_info().unwrap();
        let texts = &reader.info().uncompressed_latin1_text;
        let text = |key: &str| {
            texts
                .iter()
                .find(|text| text.keyword == key)
                .unwrap()
                .text
                .clone()
        };
        let uri = text("Thumb::URI");
        let name = format!("{:x}.png", md5::compute(&uri));
        assert_eq!(path.file_name().unwrap().to_str(), Some(name.as_str()));
        assert!(text("Thumb::MTime").parse::<i64>().is_ok());
        let picture = till.root.join(uri.strip_prefix("file:///").unwrap());
        if picture.exists() {
            there += 1;
        } else {
            gone += 1;
        }
    }
    assert_eq!((there, gone), (160, 700));

    let info = till
        .root
        .join("home/pia/.local/share/Trash/info/regatta.mp4.trashinfo");
    let text = std::fs::read_to_string(info).unwrap();
    let lines: Vec<&str> = text.lines().collect();
    assert_eq!(
        lines[..2],
        ["[Trash Info]", "Path=/home/pia/Desktop/regatta.mp4"]
    );
    assert!(lines[2].starts_with("DeletionDate=2026-"));
}

#[test]
fn it_is_never_built_over_something() {
    let dir = tempfile::tempdir().unwrap();
    std::fs::write(dir.path().join("own"), b"x").unwrap();
    let refused = build(dir.path(), DemoLayout::Linux, NOW);
    assert!(matches!(refused, Err(DemoError::NotEmpty { .. })));
    assert_eq!(std::fs::read_dir(dir.path()).unwrap().count(), 1);
}

/// What the processes are called that hold a file.
fn holders(file: &Path) -> Vec<String> {
    let processes = std::fs::read_dir("/proc").unwrap().flatten();
    let holds = |process: &PathBuf| {
        let descriptors = std::fs::read_dir(process.join("fd")).into_iter().flatten();
        let mut targets = descriptors
            .flatten()
            .map(|it| std::fs::read_link(it.path()));
        targets.any(|to| to.is_ok_and(|to| to == file))
    };
    let processes = processes.map(|process| process.path()).filter(holds);
    let called = |process: PathBuf| std::fs::read_to_string(process.join("comm"));
    let called = processes.filter_map(|process| called(process).ok());
    called.map(|name| name.trim().to_owned()).collect()
}

#[test]
fn a_program_of_its_own_holds_a_file_until_it_is_over() {
    let till = till();
    let stage = tempfile::tempdir().unwrap();
    let file = till.root.join("tmp/knotbook-session.tmp");
    let program = Program::start(&till.root, stage.path()).unwrap().unwrap();
    assert_eq!(holders(&file), ["knotbook"]);
    drop(program);
    assert!(holders(&file).is_empty());
    let nothing = Program::start(stage.path(), stage.path()).unwrap();
    assert!(nothing.is_none(), "only the till has one");
}
