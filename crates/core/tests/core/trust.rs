//! What a disk, another user, a name or a date says decides nothing that deletes.

use std::collections::BTreeSet;
use std::os::unix::fs::{PermissionsExt as _, chown, symlink};
use std::path::Path;
use std::process::Command;
use std::sync::Arc;

use jolly_core::computer::Target;
use jolly_core::dustpan::{RoomError, find_room};
use jolly_demo::{Fault, FaultyDisk, skipped};
use jolly_disk::RealDisk;
use proptest::prelude::*;

use crate::support::{Bench, DAY, manifest_of, now, paths_of, run, run_id, scan_on};
use jolly_core::CancelToken;

const TAG: &str = "Signature: 8a477f597d28d172789f06886806bc55";

/// A rule that sets aside whatever lies in the folders for temporary files.
const ASIDE: &str = "[[rule]]\nid = \"all\"\ntitle = \"All\"\nclass = \"ask\"\nabout = \"a\"\n\
                     after = \"b\"\nin = [\"{temp}\"]\n";

/// A computer whose home is in use, so that it is not swept as one that nobody uses.
fn used() -> Bench {
    let bench = Bench::new();
    bench
        .tree
        .text("home/ada/.profile", b"export LANG=C", 60)
        .unwrap();
    bench
}

fn taken(bench: &Bench) -> BTreeSet<Vec<u8>> {
    paths_of(&manifest_of(&bench.scan(), true))
}

fn below(paths: &BTreeSet<Vec<u8>>, folder: &str) -> Vec<String> {
    let found = paths
        .iter()
        .filter(|path| path.starts_with(folder.as_bytes()));
    found
        .map(|path| String::from_utf8_lossy(path).into_owned())
        .collect()
}

/// Things that nobody wants to lose, by kind and not by yesterday's names.
fn precious() -> impl Strategy<Value = (String, Vec<u8>)> {
    let stem = "[a-z]{1,6}";
    let ends = prop::sample::select(vec![
        "kdbx",
        "kdb",
        "kwl",
        "ppk",
        "psafe3",
        "p12",
        "gpg",
        "ost",
        "pst",
        "nst",
        "agilekeychain/x",
    ]);
    let whole = prop::sample::select(vec![
        "logins.json",
        "key4.db",
        "key4.db (copy)",
        "places.sqlite.corrupt",
        "Login Data",
        "wallet.dat",
        ".git-credentials",
        "mbox",
        "id_ed25519_sk",
        "id_rsa",
        "autofill-profiles.json",
        "Bookmarks",
        "m/cur/1700000000.M1P1.host:2,S",
        ".ssh/config",
        ".gnupg/pubring.kbx",
        "keyrings/login.keyring",
    ]);
    prop_oneof![
        (stem, ends).prop_map(|(stem, end)| (format!("{stem}.{end}"), b"precious".to_vec())),
        whole.prop_map(|name| (name.to_owned(), b"precious".to_vec())),
    ]
}

/// Where a hostile or careless home has things lie about.
fn holder() -> impl Strategy<Value = String> {
    let folders = vec![
        "home/ada/.cache",
        "home/ada/.cache/x/y",
        "home/ada/.config/app",
        "home/ada/Downloads",
        "home/ada/build",
        "home/ada/.local/share/Trash/files",
        "tmp",
        "tmp/job",
        "var/tmp",
        "home/ada/.cache/thumbnails/large",
        "home/ada/.var/app/x/cache",
        "var/crash",
        "home/ada/.npm/_cacache",
    ];
    prop::sample::select(folders).prop_map(str::to_owned)
}

proptest! {
    #![proptest_config(ProptestConfig { cases: 60, ..ProptestConfig::default() })]

    #[test]
    fn prop_a_home_with_all_of_it_at_once_loses_nothing_precious(
        things in prop::collection::vec((holder(), precious()), 1..12),
        tags in prop::collection::vec(prop::sample::select(vec![
            "home/ada", "home", "", "home/ada/build", "home/ada/Documents", "home/ada/.config", "tmp",
        ]), 0..4),
        user_dirs in prop::option::of(prop::sample::select(vec![
            &b"XDG_DOCUMENTS_DIR=\"$HOME/\"\n"[..], b"XDG_DOCUMENTS_DIR=\"$HOME/B\xfcro\"\n", b"XDG_DOWNLOAD_DIR=\"$HOME\"\n",
            b"XDG_DOCUMENTS_DIR=\"/\"\n", b"",
        ])),
        is_link in any::<bool>(),
        work in prop::collection::vec(prop::sample::select(vec![
            "Documents/core.2-figures.tar", "Documents/letter.odt", "core.1.svg", "core.2024-thesis.odt", "B\u{fc}ro/plan.ods",
            "Desktop/todo.txt", "Pictures/IMG_1.jpg", "thesis.tex", "core.7",
        ]), 0..6),
    ) {
        let bench = used();
        let mut kept = BTreeSet::new();
        for (folder, (name, bytes)) in &things {
            let path = format!("{folder}/{name}");
            if bench.tree.text(&path, bytes, 900 * DAY).is_ok() {
                if name.starts_with("m/cur/") {
                    // What makes a mail folder one.
                    bench.tree.folder(format!("{folder}/m/new")).unwrap();
                    bench.tree.folder(format!("{folder}/m/tmp")).unwrap();
                }
                kept.insert(path.into_bytes());
            }
        }
        for path in &work {
            let path = format!("home/ada/{path}");
            bench.tree.text(&path, b"a year of work", 900 * DAY).unwrap();
            kept.insert(path.into_bytes());
        }
        for folder in tags {
            drop(bench.tree.text(format!("{folder}/CACHEDIR.TAG").trim_start_matches('/'), TAG, 900 * DAY));
        }
        if let Some(text) = user_dirs {
            if is_link {
                bench.tree.text("home/ada/settings/dirs", text, 900 * DAY).unwrap();
                bench.tree.link("home/ada/.config/user-dirs.dirs", Path::new("../settings/dirs"), 900 * DAY).unwrap();
            } else {
                bench.tree.text("home/ada/.config/user-dirs.dirs", text, 900 * DAY).unwrap();
            }
        }
        let scan = bench.scan();
        let manifest = manifest_of(&scan, true);
        let taken = paths_of(&manifest);
        let lost: Vec<_> = taken.intersection(&kept).map(|path| String::from_utf8_lossy(path)).collect();
        prop_assert!(lost.is_empty(), "{:?}", lost);
        run(&bench, &scan, &manifest, "all", &CancelToken::default()).unwrap();
        prop_assert!(kept.is_subset(&bench.paths()));
    }
}

#[test]
fn a_core_is_a_core_by_what_it_is_and_not_by_its_name() {
    let bench = used();
    for name in ["core.2-figures.tar", "core.1.svg", "core.12", "core"] {
        bench
            .tree
            .text(format!("home/ada/{name}"), b"work", 900 * DAY)
            .unwrap();
    }
    bench
        .tree
        .of_kind("home/ada/core.4711", "core-dump", 1 << 16, 900 * DAY)
        .unwrap();
    let found = taken(&bench);
    assert_eq!(below(&found, "home/ada/core"), ["home/ada/core.4711"]);
}

#[test]
fn what_arrived_a_moment_ago_is_young_whatever_date_it_brings_along() {
    let bench = Bench::new();
    for path in [
        "tmp/unpacked/readme",
        "tmp/driver.bin",
        "home/ada/.cache/x/y",
    ] {
        bench.tree.file(path, 4096, 4000 * DAY).unwrap();
    }
    let dated = taken(&bench);
    assert!(below(&dated, "tmp/unpacked").len() == 2, "{dated:?}");
    let target = Target::open(Arc::new(RealDisk), &bench.root(), None, &|_| None).unwrap();
    let scan = scan_on(&Arc::new(target), &bench.rules());
    assert_eq!(
        below(&paths_of(&manifest_of(&scan, true)), "tmp/"),
        Vec::<String>::new()
    );
}

#[test]
fn a_tag_marks_only_what_its_owner_could_have_marked_and_whole_or_not_at_all() {
    let bench = Bench::new();
    let tag = |folder: &str| {
        bench
            .tree
            .text(format!("{folder}/CACHEDIR.TAG"), TAG, 900 * DAY)
            .unwrap()
    };
    for folder in [
        "home/ada",
        "home",
        "home/ada/mine",
        "home/ada/theirs",
        "home/ada/open",
        "home/ada/fresh",
    ] {
        tag(folder);
    }
    for folder in ["mine", "theirs", "open", "fresh"] {
        bench
            .tree
            .file(format!("home/ada/{folder}/part"), 4096, 900 * DAY)
            .unwrap();
    }
    for folder in ["mine", "theirs", "open", "fresh"] {
        let folder = bench.root().join("home/ada").join(folder);
        bench.tree.age(&folder, 900 * DAY).unwrap();
    }
    // One part that is in use makes all of it young.
    bench.tree.file("home/ada/fresh/today", 4096, 60).unwrap();
    bench
        .tree
        .mode("home/ada/open/CACHEDIR.TAG", 0o666)
        .unwrap();
    let theirs = bench.root().join("home/ada/theirs/CACHEDIR.TAG");
    if chown(&theirs, Some(4711), Some(4711)).is_err() {
        skipped("only root gives files away, so another's tag was not tried");
        return;
    }
    let found = taken(&bench);
    assert_eq!(below(&found, "home/ada/"), ["home/ada/mine/part"]);
}

/// Makes an image of a file system.
fn image(dir: &Path, name: &str, make: &[&str]) -> Result<std::path::PathBuf, String> {
    let path = dir.join(name);
    let file = std::fs::File::create(&path).map_err(|error| error.to_string())?;
    file.set_len(300 << 20).map_err(|error| error.to_string())?;
    let (program, options) = make.split_first().ok_or("nothing")?;
    works(Command::new(program).args(options).arg(&path))?;
    Ok(path)
}

fn works(command: &mut Command) -> Result<(), String> {
    let output = command
        .output()
        .map_err(|error| format!("{command:?}: {error}"))?;
    let told = String::from_utf8_lossy(&output.stderr).into_owned();
    output
        .status
        .success()
        .then_some(())
        .ok_or(format!("{command:?}: {told}"))
}

/// Something mounted, until it is let go of.
struct Mounted<'a>(&'a Path);

impl<'a> Mounted<'a> {
    fn new(image: &Path, point: &'a Path, is_ntfs: bool) -> Result<Self, String> {
        let mut command = if is_ntfs {
            Command::new("ntfs-3g")
        } else {
            let mut mount = Command::new("mount");
            mount.args(["-o", "loop"]);
            mount
        };
        works(command.arg(image).arg(point))?;
        Ok(Self(point))
    }
}

impl Drop for Mounted<'_> {
    fn drop(&mut self) {
        drop(Command::new("umount").arg(self.0).status());
    }
}

#[test]
fn two_disks_at_one_place_are_two_computers() {
    let dir = tempfile::tempdir().unwrap();
    let point = dir.path().join("bench");
    std::fs::create_dir(&point).unwrap();
    let kinds: [&[&str]; 4] = [
        &["mkntfs", "-F", "-f", "-q"],
        &["mkfs.btrfs", "-f", "-q"],
        &["mkfs.xfs", "-f", "-q"],
        &["mkfs.ext4", "-F", "-q"],
    ];
    for make in kinds {
        let is_ntfs = make[0] == "mkntfs";
        let made = ["one", "other"].map(|name| image(dir.path(), name, make));
        let [one, other] = match made {
            [Ok(one), Ok(other)] => [one, other],
            failed => {
                skipped(&format!("no two disks of {}, because {failed:?}", make[0]));
                continue;
            }
        };
        let look = |image: &Path, is_new: bool| -> Result<(String, bool), String> {
            let mounted = Mounted::new(image, &point, is_ntfs)?;
            if is_new {
                std::fs::create_dir_all(point.join("Windows/System32/config")).unwrap();
                std::fs::create_dir_all(point.join("Users/pia")).unwrap();
            }
            let target = Target::open(Arc::new(RealDisk), &point, None, &|_| None).unwrap();
            let identity = target.identity();
            let told = (identity.as_str().to_owned(), identity.is_by_path());
            drop((target, mounted));
            Ok(told)
        };
        let looks = [look(&one, true), look(&other, true), look(&one, false)];
        let [Ok(first), Ok(second), Ok(again)] = looks else {
            skipped(&format!("no two disks of {}, because {looks:?}", make[0]));
            continue;
        };
        assert!(
            !first.1 && !second.1,
            "{}: known by its path alone",
            make[0]
        );
        assert_ne!(first.0, second.0, "{}", make[0]);
        assert_eq!(first.0, again.0, "{}", make[0]);
    }
}

#[test]
fn a_part_of_a_btrfs_volume_that_lies_apart_is_a_boundary() {
    let dir = tempfile::tempdir().unwrap();
    let point = dir.path().join("bench");
    std::fs::create_dir(&point).unwrap();
    let mounted = image(dir.path(), "btrfs", &["mkfs.btrfs", "-f", "-q"])
        .and_then(|image| Mounted::new(&image, &point, false));
    let _mounted = match mounted {
        Ok(mounted) => mounted,
        Err(why) => return skipped(&format!("no btrfs, because {why}")),
    };
    let tree = jolly_demo::TreeBuilder::new(&point, now().as_second()).unwrap();
    tree.text("etc/os-release", "ID=x\n", 900 * DAY).unwrap();
    tree.folder("usr/bin").unwrap();
    tree.file("tmp/old", 4096, 900 * DAY).unwrap();
    works(
        Command::new("btrfs")
            .args(["subvolume", "create"])
            .arg(point.join("tmp/apart")),
    )
    .unwrap();
    tree.file("tmp/apart/theirs", 4096, 900 * DAY).unwrap();
    works(
        Command::new("btrfs")
            .args(["subvolume", "snapshot"])
            .arg(&point)
            .arg(point.join("tmp/before")),
    )
    .unwrap();
    let mut target = Target::open(Arc::new(RealDisk), &point, None, &|_| None).unwrap();
    target.dates = jolly_core::computer::Dates::Written;
    let scan = scan_on(&Arc::new(target), &Bench::new().rules());
    let found = paths_of(&manifest_of(&scan, true));
    assert_eq!(below(&found, "tmp"), ["tmp/old"]);
    let told: Vec<(&str, u64, bool)> = scan
        .unread
        .iter()
        .map(|unread| {
            (
                unread.place.as_str(),
                unread.count,
                unread.reason.contains("apart"),
            )
        })
        .collect();
    assert_eq!(told, [("tmp", 2, true)], "{told:?}");
}

#[test]
fn where_files_have_no_owners_nothing_is_set_aside() {
    let bench = Bench::new().with_book(ASIDE);
    bench.tree.file("tmp/old", 4096, 900 * DAY).unwrap();
    let manifest = manifest_of(&bench.scan(), true);
    let dir = tempfile::tempdir().unwrap();
    let point = dir.path().join("stick");
    std::fs::create_dir(&point).unwrap();
    let mounted = image(dir.path(), "ntfs", &["mkntfs", "-F", "-f", "-q"])
        .and_then(|image| Mounted::new(&image, &point, true));
    let _mounted = match mounted {
        Ok(mounted) => mounted,
        Err(why) => return skipped(&format!("no ntfs, because {why}")),
    };
    let room = find_room(&bench.state(), &bench.target(), &manifest, Some(&point));
    assert!(matches!(room, Err(RoomError::Ownerless { .. })), "{room:?}");
}

/// Builds so many of something.
type Build<'a> = &'a dyn Fn(&Bench, u64);

#[test]
fn work_grows_with_what_is_there_and_not_with_its_square() {
    let calls = |build: Build<'_>, many: u64| {
        let bench = Bench::new();
        build(&bench, many);
        let disk = Arc::new(FaultyDisk::new(Fault::None));
        let target = bench.target_on(Arc::<FaultyDisk>::clone(&disk));
        let scan = scan_on(&target, &bench.rules());
        assert!(scan.looked_at > 0);
        disk.calls()
    };
    let accounts = |bench: &Bench, many: u64| {
        let lines = (0..many).map(|at| format!("u{at}:x:{}:1::/home/u{at}:/bin/sh\n", 2000 + at));
        bench
            .tree
            .text("etc/passwd", lines.collect::<String>(), 900 * DAY)
            .unwrap();
        for at in 0..many / 4 {
            bench.tree.folder(format!("home/u{at}/.cache")).unwrap();
        }
    };
    let nested = |bench: &Bench, many: u64| {
        let path = format!("tmp{}", "/d".repeat(usize::try_from(many).unwrap()));
        let mut at = bench.root().join("tmp");
        std::fs::create_dir_all(&at).unwrap();
        for _ in path.matches("/d") {
            at.push("d");
            std::fs::create_dir(&at).unwrap();
        }
    };
    let mounts = |bench: &Bench, many: u64| {
        let lines = (0..many).map(|at| format!("/dev/x{at} /mnt/m{at} ext4 defaults 0 0\n"));
        bench
            .tree
            .text("etc/fstab", lines.collect::<String>(), 900 * DAY)
            .unwrap();
    };
    let builds: [(&str, Build<'_>, u64); 3] = [
        ("accounts", &accounts, 400),
        ("nested folders", &nested, 300),
        ("mounts", &mounts, 4000),
    ];
    for (what, build, many) in builds {
        let (few, more) = (calls(build, many), calls(build, 4 * many));
        assert!(
            more <= 5 * few,
            "{what}: {few} calls, of four times as many {more}"
        );
    }
}

#[test]
fn a_link_and_a_folder_of_somebody_else_come_to_nobody_through_a_restore() {
    let bench = Bench::new().with_book(ASIDE);
    bench.tree.file("tmp/job/a", 4096, 900 * DAY).unwrap();
    bench
        .tree
        .link("tmp/job/way", Path::new("a"), 900 * DAY)
        .unwrap();
    let scan = bench.scan();
    let manifest = manifest_of(&scan, true);
    run(&bench, &scan, &manifest, "one", &CancelToken::default()).unwrap();
    // Whoever may write there swaps each name in the moment before it gets its own.
    let disk = Arc::new(FaultyDisk::new(Fault::None));
    let (root, outside) = (bench.root(), bench.outside());
    std::fs::create_dir(&outside).unwrap();
    std::fs::set_permissions(&outside, std::fs::Permissions::from_mode(0o700)).unwrap();
    disk.meddle({
        let outside = outside.clone();
        move |_| {
            let job = root.join("tmp/job");
            if std::fs::rename(&job, root.join("tmp/aside")).is_ok() {
                symlink(&outside, &job).unwrap();
            }
        }
    });
    let target = bench.target_on(disk);
    let pan = jolly_core::dustpan::Pan::read(&bench.state(), &run_id("one"))
        .unwrap()
        .unwrap();
    let order = jolly_core::run::RestoreOrder {
        state: &bench.state(),
        pan: &pan,
        target: &target,
        when: now(),
        same: jolly_core::run::SameComputer::MustBeKnown,
    };
    let back = jolly_core::run::restore(&order, &|_| true, &CancelToken::default(), &|_, _| {});
    back.unwrap();
    assert_eq!(
        std::fs::read_dir(&outside).unwrap().count(),
        0,
        "nothing came through the link"
    );
    let mode = std::fs::metadata(&outside).unwrap().permissions().mode();
    assert_eq!(
        mode & 0o7777,
        0o700,
        "and nothing was given to what it leads to"
    );
}
