//! Targets on real file systems: images made here, mounted, scanned, swept and looked at again.
//!
//! What this machine can't make or mount is said on the error output, past the test runner's
//! capture, so that nobody takes a skipped file system for a tested one.

use std::collections::BTreeMap;
use std::os::fd::AsFd as _;
use std::os::unix::fs::MetadataExt as _;
use std::path::{Path, PathBuf};
use std::process::Command;
use std::sync::Arc;

use jolly_core::CancelToken;
use jolly_core::computer::{Layout, Target, TargetPath, mounted_systems};
use jolly_core::dustpan::{Dustpan, NewDustpan};
use jolly_core::host::mount_of;
use jolly_core::plan::Outcome;
use jolly_core::rule::{Removal, RuleSet, builtin};
use jolly_core::run::{Pause, Real, RunSummary, sweep};
use jolly_core::state::{Journal, StateFolder};
use jolly_core::survey::{ChosenCopy, MeantTheSame, copies, snapshots, space};
use jolly_core::walk::walk_tree;
use jolly_demo::{DemoLayout, TreeBuilder};
use jolly_disk::{Attribute, Disk as _, Metadata, RealDisk};

use crate::copies::{list_by, scan_of};
use crate::registries::{RUN, keys, references, run_hive};
use crate::support::{NOW, context, manifest_of, now, run_id, scan_on};

/// Large enough for every file system's least; the file is sparse.
const SIZE: u64 = 400 << 20;

/// A mounted image, unmounted when it goes.
pub(crate) struct Mounted {
    pub(crate) point: PathBuf,
}

impl Drop for Mounted {
    fn drop(&mut self) {
        let unmounted = Command::new("umount").arg(&self.point).status();
        // A panic here would hide what went wrong before.
        drop(unmounted);
    }
}

pub(crate) fn works(command: &mut Command) -> Result<(), String> {
    let program = command.get_program().to_string_lossy().into_owned();
    match command.output() {
        Err(error) => Err(format!("{program}: {error}")),
        Ok(output) if output.status.success() => Ok(()),
        Ok(output) => {
            let told = String::from_utf8_lossy(&output.stderr).trim().to_owned();
            Err(format!("{program}: {told}"))
        }
    }
}

/// Makes an image of a file system and mounts it.
pub(crate) fn mount(dir: &Path, kind: &str, make: &[&str]) -> Result<Mounted, String> {
    let image = dir.join(format!("{kind}.img"));
    std::fs::File::create(&image)
        .and_then(|file| file.set_len(SIZE))
        .map_err(|error| error.to_string())?;
    let (program, options) = make.split_first().unwrap();
    works(Command::new(program).args(options).arg(&image))?;
    let point = dir.join(kind);
    std::fs::create_dir_all(&point).map_err(|error| error.to_string())?;
    if kind == "ntfs" {
        works(Command::new("ntfs-3g").arg(&image).arg(&point))?;
    } else {
        works(
            Command::new("mount")
                .args(["-o", "loop"])
                .arg(&image)
                .arg(&point),
        )?;
    }
    Ok(Mounted { point })
}

#[test]
fn targets_on_real_file_systems_are_told_scanned_and_swept() {
    let kinds: [(&str, &[&str], Layout, DemoLayout); 4] = [
        (
            "ntfs",
            &["mkntfs", "-F", "-f", "-q"],
            Layout::Windows,
            DemoLayout::Windows,
        ),
        (
            "ext4",
            &["mkfs.ext4", "-F", "-q"],
            Layout::Linux,
            DemoLayout::Linux,
        ),
        (
            "xfs",
            &["mkfs.xfs", "-f", "-q"],
            Layout::Macos,
            DemoLayout::Macos,
        ),
        (
            "btrfs",
            &["mkfs.btrfs", "-f", "-q"],
            Layout::Linux,
            DemoLayout::Linux,
        ),
    ];
    let dir = tempfile::tempdir().unwrap();
    for (kind, make, layout, demo) in kinds {
        match mount(dir.path(), kind, make) {
            Ok(mounted) => on_volume(&mounted.point, kind, layout, demo),
            Err(why) => {
                jolly_demo::skipped(&format!("no test on {kind}, because {why}"));
            }
        }
    }
}

/// What shares its blocks with another file is no copy; what was copied byte by byte is.
#[test]
fn files_that_share_extents_are_no_copies() {
    let dir = tempfile::tempdir().unwrap();
    for (kind, make) in [
        ("xfs", &["mkfs.xfs", "-f", "-q"][..]),
        ("btrfs", &["mkfs.btrfs", "-f", "-q"]),
    ] {
        let mounted = match mount(dir.path(), kind, make) {
            Ok(mounted) => mounted,
            Err(why) => {
                jolly_demo::skipped(&format!("no test on {kind}, because {why}"));
                continue;
            }
        };
        let point = &mounted.point;
        for (path, bytes) in [
            ("etc/os-release", "ID=x\n"),
            ("etc/passwd", "ada:x:1001:1001::/home/ada:/bin/sh\n"),
        ] {
            std::fs::create_dir_all(point.join(path).parent().unwrap()).unwrap();
            std::fs::write(point.join(path), bytes).unwrap();
        }
        let home = point.join("home/ada/Music");
        std::fs::create_dir_all(&home).unwrap();
        let bytes: Vec<u8> = (0..600_000_u32).flat_map(u32::to_le_bytes).collect();
        std::fs::write(home.join("song"), &bytes).unwrap();
        works(Command::new("sync").arg("-f").arg(point)).unwrap();
        let found = || {
            let target = Target::open(Arc::new(RealDisk), point, None, &|_| None).unwrap();
            let never = CancelToken::default();
            let tree = walk_tree(&target, &[], &never, &|_| {});
            let meant = MeantTheSame::default();
            let found = copies(&target, &tree, (&[], &meant), &never, &|_| {});
            let groups = found.groups.iter();
            groups.map(|group| group.files.len()).collect::<Vec<_>>()
        };
        let copy = |way: &str, name: &str| {
            let (song, copy) = (home.join("song"), home.join(name));
            works(Command::new("cp").arg(way).arg(song).arg(copy)).unwrap();
            works(Command::new("sync").arg("-f").arg(point)).unwrap();
        };
        copy("--reflink=always", "clone");
        copy("--reflink=always", "clone too");
        assert!(found().is_empty(), "{kind}");
        copy("--reflink=never", "copy");
        assert_eq!(
            found(),
            [2],
            "{kind}: one of those that share, and the copy"
        );
        copy_becomes_a_clone(point, kind);
    }
}

/// Sweeps the copy of a song so that it keeps its name; what came of it, and what was promised.
fn share(target: &Arc<Target>, by: Removal, kind: &str) -> (RunSummary, u64) {
    let rules = Arc::new(RuleSet::compile(&[builtin(Layout::Linux)]).unwrap());
    let path = |name: &str| TargetPath::new(format!("home/ada/Music/{name}")).unwrap();
    let chosen = vec![ChosenCopy::same(path("copy"), path("song"))];
    let scan = scan_of(target, &rules, chosen);
    let manifest = list_by(&scan, false, by);
    let state = tempfile::tempdir().unwrap();
    let state = StateFolder::new(state.path().join("state"));
    let mut journal = Journal::create(&state, &run_id(kind)).unwrap();
    let real = Real {
        run: &run_id(kind),
        state: &state,
        journal: &mut journal,
        dustpan: None,
        started: now(),
        pause: Pause::default(),
        predictions: None,
    };
    let (confirmed, never) = (manifest.clone().confirm(), CancelToken::default());
    let swept = sweep(&context(&scan), &confirmed, real, &never, &now, &|_| {});
    (swept.unwrap(), manifest.takes.bytes)
}

/// Where names can't be exchanged, as on NTFS through FUSE, a disk on the bench is served all the same.
#[test]
fn a_copy_becomes_one_more_name_where_names_cannot_be_exchanged() {
    let dir = tempfile::tempdir().unwrap();
    let mounted = match mount(dir.path(), "ntfs", &["mkntfs", "-F", "-f", "-q"]) {
        Ok(mounted) => mounted,
        Err(why) => {
            jolly_demo::skipped(&format!("no hard links on ntfs, because {why}"));
            return;
        }
    };
    let point = &mounted.point;
    let home = point.join("home/ada/Music");
    std::fs::create_dir_all(&home).unwrap();
    std::fs::create_dir(point.join("etc")).unwrap();
    std::fs::write(point.join("etc/os-release"), "ID=x\n").unwrap();
    let people = "ada:x:1001:1001::/home/ada:/bin/sh\n";
    std::fs::write(point.join("etc/passwd"), people).unwrap();
    let bytes: Vec<u8> = (0..90_000_u32).flat_map(u32::to_le_bytes).collect();
    for name in ["song", "copy"] {
        std::fs::write(home.join(name), &bytes).unwrap();
    }
    settle(point);
    // For so long the kernel tells what it knew of a file on such a volume.
    std::thread::sleep(std::time::Duration::from_millis(1_200));
    let target = Target::open(Arc::new(RealDisk), point, None, &|_| None).unwrap();
    let (summary, _) = share(&Arc::new(target), Removal::HardLink, "ntfs");
    assert_eq!(
        summary.sum(Outcome::Shared).items,
        1,
        "{:?}",
        summary.stayed
    );
    let inode = |name: &str| home.join(name).metadata().unwrap().ino();
    assert_eq!(inode("song"), inode("copy"));
    assert_eq!(std::fs::read(home.join("copy")).unwrap(), bytes);
    assert_eq!(std::fs::read_dir(&home).unwrap().count(), 2);
}

/// The copy gives its room back, keeps all that is kept about it, and is changed for itself alone.
fn copy_becomes_a_clone(point: &Path, kind: &str) {
    let home = point.join("home/ada/Music");
    for name in ["clone", "clone too"] {
        std::fs::rename(home.join(name), point.join(format!("etc/{name}"))).unwrap();
    }
    let copy = home.join("copy");
    let none = rustix::fs::XattrFlags::empty();
    rustix::fs::setxattr(&copy, "user.origin", b"a stick", none).unwrap();
    let mode = std::os::unix::fs::PermissionsExt::from_mode(0o640);
    std::fs::set_permissions(&copy, mode).unwrap();
    rustix::fs::chown(&copy, Some(rustix::fs::Uid::from_raw(1001)), None).unwrap();
    let kept = |path: &Path| {
        let stat = path.metadata().unwrap();
        let mut value = [0; 16];
        let len = rustix::fs::getxattr(path, "user.origin", &mut value[..]).unwrap();
        let about = (stat.mode(), stat.uid(), stat.mtime(), stat.mtime_nsec());
        (about, value[..len].to_vec(), std::fs::read(path).unwrap())
    };
    let before = kept(&copy);
    settle(point);
    let target = Target::open(Arc::new(RealDisk), point, None, &|_| None).unwrap();
    assert!(target.can_clone, "{kind}");
    let target = Arc::new(target);
    let free = target.measure().unwrap().free;
    let (summary, promised) = share(&target, Removal::Clone, kind);
    let shared = summary.sum(Outcome::Shared);
    assert_eq!(
        (shared.items, shared.bytes),
        (1, promised),
        "{kind}: {:?}",
        summary.stayed
    );
    settle(point);
    // Within a few of the file system's own blocks.
    let came_back = target.measure().unwrap().free.saturating_sub(free);
    let is_promised = came_back.abs_diff(shared.bytes) < 256 << 10;
    assert!(is_promised, "{kind}: {came_back} of {}", shared.bytes);
    assert_eq!(kept(&copy), before, "{kind}");
    let song = std::fs::read(home.join("song")).unwrap();
    std::fs::write(&copy, "new words").unwrap();
    assert_eq!(std::fs::read(home.join("song")).unwrap(), song, "{kind}");
}

fn on_volume(point: &Path, kind: &str, layout: Layout, demo: DemoLayout) {
    jolly_demo::build_examples(point, demo, NOW).unwrap();
    let target = Target::open(Arc::new(RealDisk), point, None, &|_| None).unwrap();
    assert_eq!(target.layout, layout, "{kind}");
    assert!(
        target.accounts.iter().any(|account| account.name == "pia"),
        "{kind}"
    );
    let told = mount_of(point).unwrap();
    assert_eq!(told.point, point);
    assert!(
        told.kind
            .contains(if kind == "ntfs" { "fuse" } else { kind }),
        "{told:?}"
    );
    let on_bench = mounted_systems(&RealDisk);
    assert!(
        on_bench
            .iter()
            .any(|(mount, of)| mount.point == point && *of == layout)
    );

    // Some allocate only when they write.
    settle(point);
    let before = target.measure().unwrap();
    assert!(before.size <= SIZE && before.used + before.free <= before.size);
    let target = Arc::new(target);
    let rules = Arc::new(RuleSet::compile(&[builtin(layout)]).unwrap());
    let scan = scan_on(&target, &rules);
    let found: u64 = scan.piles.iter().map(|pile| pile.found().items).sum();
    assert!(found > 30, "{kind}: {found}");
    for item in scan.arena.items() {
        let path = point.join(scan.arena.path(item).to_string());
        let metadata = path.symlink_metadata().unwrap();
        let blocks = std::os::unix::fs::MetadataExt::blocks(&metadata);
        assert_eq!(
            scan.arena.allocated(item),
            blocks * 512,
            "{kind}: {}",
            path.display()
        );
    }
    let manifest = manifest_of(&scan, true);
    let state = tempfile::tempdir().unwrap();
    let state = StateFolder::new(state.path().join("state"));
    let mut journal = Journal::create(&state, &run_id(kind)).unwrap();
    let new = NewDustpan {
        run: &run_id(kind),
        started: now(),
        target: &scan.target,
        folder: None,
    };
    let mut dustpan = Dustpan::create(&state, &new).unwrap();
    let mode = Real {
        run: &run_id(kind),
        state: &state,
        journal: &mut journal,
        dustpan: Some(&mut dustpan),
        started: now(),
        pause: Pause::default(),
        predictions: None,
    };
    let confirmed = manifest.clone().confirm();
    let cancel = CancelToken::default();
    let summary = sweep(&context(&scan), &confirmed, mode, &cancel, &now, &|_| {}).unwrap();
    dustpan.finish().unwrap();
    assert!(!summary.has_stayed(), "{kind}: {:?}", summary.stayed);
    let gone = summary.sum(Outcome::Removed).items + summary.sum(Outcome::SetAside).items;
    assert_eq!(gone, manifest.items.len() as u64, "{kind}");
    for item in &manifest.items {
        let path = point.join(item.path.to_string());
        assert!(
            path.symlink_metadata().is_err(),
            "{kind}: {}",
            path.display()
        );
    }
    assert!(
        manifest_of(&scan_on(&target, &rules), true)
            .items
            .is_empty(),
        "{kind}"
    );
    settle(point);
    let after = target.measure().unwrap();
    assert!(after.free > before.free, "{kind}: {before:?} {after:?}");
}

/// On the volume of a windows system, whose driver can't exchange names: the rights and attributes of a hive are kept.
#[test]
fn a_registry_on_its_own_kind_of_volume_is_changed_and_keeps_what_lies_beside_its_bytes() {
    let dir = tempfile::tempdir().unwrap();
    let mounted = match mount(dir.path(), "ntfs", &["mkntfs", "-F", "-f", "-q"]) {
        Ok(mounted) => mounted,
        Err(why) => return jolly_demo::skipped(&format!("no test on ntfs, because {why}")),
    };
    let root = mounted.point.join("root");
    let tree = TreeBuilder::new(&root, NOW).unwrap();
    tree.folder("Windows/System32").unwrap();
    let names = ["Buoylist", "Buoylist Update"];
    tree.text("Users/pia/NTUSER.DAT", run_hive(&names), 86_400)
        .unwrap();
    let hive = root.join("Users/pia/NTUSER.DAT");
    let beside = || {
        let file = std::fs::File::open(&hive).unwrap();
        let found = RealDisk.attributes(file.as_fd()).unwrap();
        let found = found.into_iter().map(|one| (one.name, one.value));
        found.collect::<BTreeMap<Vec<u8>, Vec<u8>>>()
    };
    // Hidden and of the system, as such a file is.
    let mut attributes = beside();
    let flags = attributes.get_mut(&b"system.ntfs_attrib_be"[..]).unwrap();
    assert_eq!(flags.len(), 4);
    flags[3] |= 0x06;
    let given = attributes.into_iter();
    let given = given.map(|(name, value)| Attribute { name, value });
    let metadata = Metadata {
        mode: 0o777,
        attributes: given.collect(),
        ..Metadata::default()
    };
    let file = std::fs::File::open(&hive).unwrap();
    let lacks = RealDisk.apply_metadata(file.as_fd(), &metadata);
    assert!(lacks.is_empty(), "{lacks:?}");
    let was = beside();
    assert!(was.len() >= 3 && was[&b"system.ntfs_attrib_be"[..]][3] & 0x06 == 0x06);
    let target = Target::open(Arc::new(RealDisk), &root, None, &|_| None).unwrap();
    let target = Arc::new(target);
    let rules = Arc::new(RuleSet::compile(&[builtin(Layout::Windows)]).unwrap());
    let scan = scan_on(&target, &rules);
    let manifest = references(&scan);
    assert_eq!(manifest.items.len(), 2);
    let state = tempfile::tempdir().unwrap();
    let state = StateFolder::new(state.path().join("state"));
    let mut journal = Journal::create(&state, &run_id("ntfs")).unwrap();
    let run = run_id("ntfs");
    let new = NewDustpan {
        run: &run,
        started: now(),
        target: &scan.target,
        folder: None,
    };
    let mut dustpan = Dustpan::create(&state, &new).unwrap();
    let mode = Real {
        run: &run,
        state: &state,
        journal: &mut journal,
        dustpan: Some(&mut dustpan),
        started: now(),
        pause: Pause::default(),
        predictions: None,
    };
    let cancel = CancelToken::default();
    let summary = sweep(
        &context(&scan),
        &manifest.confirm(),
        mode,
        &cancel,
        &now,
        &|_| {},
    )
    .unwrap();
    dustpan.finish().unwrap();
    assert!(!summary.has_stayed(), "{:?}", summary.stayed);
    assert_eq!(beside(), was);
    assert!(keys(std::fs::read(&hive).unwrap())[RUN].is_empty());
}

/// Waits until the volume has done what it was asked to: some give space back later.
fn settle(point: &Path) {
    works(Command::new("sync").arg("-f").arg(point)).unwrap();
}

/// What snapshots alone hold is told apart from what nothing explains; a part of the volume that is none stays somebody's own.
#[test]
fn what_snapshots_hold_is_told_apart() {
    let dir = tempfile::tempdir().unwrap();
    let mounted = match mount(dir.path(), "btrfs", &["mkfs.btrfs", "-f", "-q"]) {
        Ok(mounted) => mounted,
        Err(why) => {
            jolly_demo::skipped(&format!("no test of snapshots, because {why}"));
            return;
        }
    };
    let point = &mounted.point;
    let btrfs = |arguments: &[&str]| {
        let mut command = Command::new("btrfs");
        works(command.args(arguments).current_dir(point)).unwrap();
    };
    let put = |path: &str, megabytes: u8| {
        let bytes = vec![megabytes; usize::from(megabytes) << 20];
        std::fs::create_dir_all(point.join(path).parent().unwrap()).unwrap();
        std::fs::write(point.join(path), bytes).unwrap();
    };
    let away = |path: &str| {
        let mut out = Command::new("rm");
        works(out.arg(point.join(path))).unwrap();
    };
    std::fs::create_dir_all(point.join("etc")).unwrap();
    std::fs::write(point.join("etc/os-release"), "ID=x\n").unwrap();
    put("home/ada/film", 30);
    put("home/ada/kept", 20);
    btrfs(&["subvolume", "create", "home/own part"]);
    put("home/own part/notes", 8);
    std::fs::create_dir(point.join(".snapshots")).unwrap();
    settle(point);
    btrfs(&["subvolume", "snapshot", "-r", ".", ".snapshots/1"]);
    away("home/ada/film");
    put("home/ada/late", 5);
    btrfs(&["subvolume", "snapshot", "-r", ".", ".snapshots/2"]);
    away("home/ada/late");
    settle(point);
    let target = Target::open(Arc::new(RealDisk), point, None, &|_| None).unwrap();
    let never = CancelToken::default();
    let found = space(&target, walk_tree(&target, &[], &never, &|_| {}));
    let before = found.whole();
    assert!(found.may_have_snapshots() && before.snapshots == 0);
    let known = snapshots(&target, &found.tree, &never);
    let told: Vec<(String, u64)> = (known.all.iter())
        .map(|one| (one.path.to_string(), one.alone >> 20))
        .collect();
    let wanted = [(".snapshots/1", 30), (".snapshots/2", 5)];
    assert_eq!(told, wanted.map(|(path, held)| (path.to_owned(), held)));
    assert_eq!(known.unknown, 0);
    found.note_snapshots(known);
    let whole = found.whole();
    assert_eq!(whole.snapshots, 35 << 20);
    assert_eq!(whole.unexplained, before.unexplained - whole.snapshots);
    assert_eq!(whole.size(), target.measure().unwrap().size);
    // What is left is the part of its own, and what the file system keeps for itself.
    assert!(whole.unexplained >= 8 << 20);
    assert!(!found.may_have_snapshots());
}
