//! A target is what its own files say, and bad ones are refused with a reason.

use std::os::unix::fs::MetadataExt as _;
use std::path::Path;
use std::sync::Arc;

use jolly_core::computer::{AccountName, Place, Target, TargetError, TargetPath};
use jolly_core::rule::Guards;
use jolly_disk::RealDisk;

use crate::support::{Bench, DAY};

fn open(path: &Path) -> Result<Target, TargetError> {
    Target::open(Arc::new(RealDisk), path, None, &|_| None)
}

#[test]
fn what_is_no_target_is_refused_with_its_reason() {
    let dir = tempfile::tempdir().unwrap();
    std::fs::write(dir.path().join("file"), b"x").unwrap();
    std::fs::create_dir(dir.path().join("empty")).unwrap();
    assert!(matches!(
        open(&dir.path().join("none")),
        Err(TargetError::Absent { .. })
    ));
    assert!(matches!(
        open(&dir.path().join("file")),
        Err(TargetError::NotAFolder { .. })
    ));
    assert!(matches!(
        open(&dir.path().join("empty")),
        Err(TargetError::NotRecognised { .. })
    ));
    std::fs::write(
        dir.path().join("empty/.otter-quay.toml"),
        b"capacity = \"much\"",
    )
    .unwrap();
    // A description that isn't one is a file like any other.
    assert!(matches!(
        open(&dir.path().join("empty")),
        Err(TargetError::NotRecognised { .. })
    ));
}

#[test]
fn accounts_come_from_the_account_file_and_from_homes_it_forgot() {
    let bench = Bench::new();
    bench.tree.folder("home/gone-years-ago/.config").unwrap();
    // What lies beside the homes is nobody's home for that.
    for other in [
        "home/lost+found",
        "home/git/shop.git",
        "home/ada.bak/.config",
        "home/backup/ada/.config",
        "home/empty",
    ] {
        bench.tree.folder(other).unwrap();
    }
    let names: Vec<AccountName> = bench
        .target()
        .accounts
        .iter()
        .map(|account| account.name.clone())
        .collect();
    assert_eq!(names, ["ada", "gone-years-ago"]);
}

#[test]
fn places_follow_the_persons_own_files_but_never_out_of_the_home() {
    let bench = Bench::new();
    let dirs = "XDG_DOWNLOAD_DIR=\"$HOME/in box\"\nXDG_DOCUMENTS_DIR=\"/home/ada/papers\"\n\
        XDG_DESKTOP_DIR=\"$HOME/../../etc\"\n";
    bench
        .tree
        .text("home/ada/.config/user-dirs.dirs", dirs, DAY)
        .unwrap();
    bench.tree.folder("home/ada/in box").unwrap();
    let target = bench.target();
    let of = |place: Place| -> Vec<String> {
        target
            .places
            .of(place)
            .map(|(_, path)| path.to_string())
            .collect()
    };
    assert_eq!(of(Place::Downloads), ["home/ada/in box"]);
    assert!(of(Place::Desktop).is_empty());
    let guards = Guards::new(&target.places, Vec::new());
    let is_personal = |path: &str| guards.is_personal(&TargetPath::new(path).unwrap());
    assert!(is_personal("home/ada/papers"));
    assert!(is_personal("home/ada/Documents"), "the usual names stay");
    // Where the desktop is isn't known, so whatever ada sees is hers.
    assert!(is_personal("home/ada/boats/x") && !is_personal("home/ada/.cache"));
    assert!(!target.is_live);
}

#[test]
fn the_stand_in_volume_is_its_capacity_less_what_is_really_allocated() {
    let bench = Bench::demo();
    let target = bench.target();
    let before = target.measure().unwrap();
    assert_eq!(before.size, 4 << 30);
    assert_eq!(before.used + before.free, before.size);
    let disk_usage = std::process::Command::new("du")
        .args(["-s", "-B1"])
        .arg(bench.root())
        .output();
    let text = String::from_utf8(disk_usage.unwrap().stdout).unwrap();
    let used: u64 = text.split_whitespace().next().unwrap().parse().unwrap();
    assert_eq!(before.used, used, "the same as du says");
    bench.tree.file("tmp/more", 5 << 20, DAY).unwrap();
    let held = std::fs::metadata(bench.root().join("tmp/more"))
        .unwrap()
        .blocks()
        * 512;
    assert!(held >= 5 << 20);
    assert_eq!(target.measure().unwrap().free, before.free - held);
    assert_eq!(target.owner.as_deref(), Some("Otter Quay Boat Hire"));
}
