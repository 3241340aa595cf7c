//! Packing what is kept, taking it out again, and rescuing a home: exactly, or not at all.

use std::collections::BTreeMap;
use std::ffi::CStr;
use std::io::Write as _;
use std::os::unix::ffi::OsStrExt as _;
use std::os::unix::fs::{MetadataExt as _, PermissionsExt as _};
use std::path::{Path, PathBuf};
use std::sync::Arc;

use jolly_core::CancelToken;
use jolly_core::computer::{Target, TargetPath};
use jolly_core::packing::{PackError, home_contents};
use jolly_core::rule::Removal;
use jolly_core::run::{PackSummary, Packing, RescueOrder, pack, rescue, unpack};
use jolly_core::state::RunId;
use jolly_demo::{Fault, FaultyDisk};
use jolly_disk::Disk;

use crate::support::{Bench, DAY, now, run_id, settle_as_dead, succeeds};

const THING: &str = "home/ada/boats";

/// A folder with what is hard to keep: holes, links, times before 1970, closed folders, odd names.
fn bench() -> Bench {
    let bench = Bench::new();
    bench.tree.folder("home/ada/.config").unwrap();
    let text = "high water at the quay\n".repeat(900);
    for number in 0..6 {
        let path = format!("{THING}/deep/er/table {number}");
        bench.tree.text(path, &text, number * DAY).unwrap();
    }
    let own = bench.root().join(THING);
    std::fs::create_dir(own.join("empty")).unwrap();
    std::os::unix::fs::symlink("../nowhere", own.join("link")).unwrap();
    std::fs::write(own.join(std::ffi::OsStr::from_bytes(b"a\nb\\\xff")), &text).unwrap();
    let holes = std::fs::File::create(own.join("holes")).unwrap();
    holes.set_len(9 << 20).unwrap();
    std::os::unix::fs::FileExt::write_all_at(&holes, text.as_bytes(), 5 << 20).unwrap();
    let long_ago = std::time::UNIX_EPOCH - std::time::Duration::new(4_000, 1);
    holes.set_modified(long_ago).unwrap();
    let closed = std::fs::Permissions::from_mode(0o500);
    std::fs::set_permissions(own.join("deep/er"), closed).unwrap();
    bench
}

type Look = BTreeMap<PathBuf, (u32, u32, i64, i64, Vec<u8>)>;

/// All that is to be the same afterwards.
fn look(top: &Path) -> Look {
    let mut found = Look::new();
    let mut waiting = vec![top.to_owned()];
    while let Some(path) = waiting.pop() {
        let Ok(data) = path.symlink_metadata() else {
            continue;
        };
        let bytes = if data.is_symlink() {
            std::fs::read_link(&path)
                .unwrap()
                .as_os_str()
                .as_bytes()
                .to_vec()
        } else if data.is_file() {
            std::fs::read(&path).unwrap()
        } else if data.is_dir() {
            let entries = std::fs::read_dir(&path).unwrap();
            waiting.extend(entries.map(|entry| entry.unwrap().path()));
            Vec::new()
        } else {
            Vec::new()
        };
        let own = (
            data.mode(),
            data.uid(),
            data.mtime(),
            data.mtime_nsec(),
            bytes,
        );
        found.insert(path.strip_prefix(top).unwrap().to_owned(), own);
    }
    found
}

fn with<T>(
    (bench, target): (&Bench, &Target),
    name: &str,
    act: impl FnOnce(&Packing<'_>) -> T,
) -> T {
    let (state, run): (_, RunId) = (bench.state(), run_id(name));
    act(&Packing {
        target,
        state: &state,
        run: &run,
        own: &[],
        cancel: &CancelToken::default(),
        clock: &now,
        moved: &|_| {},
    })
}

fn pack_on(
    bench: &Bench,
    target: &Target,
    path: &str,
    name: &str,
) -> Result<PackSummary, PackError> {
    let path = TargetPath::new(path).unwrap();
    with((bench, target), name, |work| {
        if path.name().ends_with(b".tar.zst") {
            unpack(work, &path)
        } else {
            pack(work, &path)
        }
    })
}

fn names(bench: &Bench) -> Vec<String> {
    let entries = std::fs::read_dir(bench.root().join("home/ada")).unwrap();
    let names = entries.map(|entry| entry.unwrap().file_name().to_string_lossy().into_owned());
    let mut names: Vec<String> = names.filter(|name| name != ".config").collect();
    names.sort();
    names
}

#[test]
fn what_is_packed_comes_back_exactly_and_any_tar_reads_it() {
    let bench = bench();
    let own = bench.root().join(THING);
    let was = look(&own);
    let packed = pack_on(&bench, &bench.target(), THING, "one").unwrap();
    assert!(
        packed.note.is_none() && packed.after * 4 < packed.before,
        "{packed:?}"
    );
    assert_eq!(names(&bench), ["boats.tar.zst"]);
    let out = bench.folder().join("out");
    std::fs::create_dir(&out).unwrap();
    let out_text = out.to_str().unwrap();
    let archive = own.with_extension("tar.zst");
    assert!(succeeds(
        "tar",
        &["--zstd", "-C", out_text, "-xpf"],
        &archive
    ));
    assert_eq!(look(&out.join("boats")), was);
    let back = pack_on(&bench, &bench.target(), "home/ada/boats.tar.zst", "two").unwrap();
    assert!(back.note.is_none());
    assert_eq!(names(&bench), ["boats"]);
    assert_eq!(look(&own), was);
}

/// Packing or unpacking with a fault at every call of the disk, or one that is dead from there on: each thing is in what
/// lies there or in the archive, and a run that died is settled to one of the two.
fn at_every_call(by: Removal, has_died: bool) {
    let is_packing = by == Removal::Pack;
    let mut call = 1;
    loop {
        let bench = bench();
        let own = bench.root().join(THING);
        let was = look(&own);
        if !is_packing {
            pack_on(&bench, &bench.target(), THING, "before").unwrap();
        }
        let disk = Arc::new(FaultyDisk::new(Fault::None));
        let target = bench.target_on(Arc::clone(&disk) as Arc<dyn Disk>);
        let path = if is_packing {
            THING
        } else {
            "home/ada/boats.tar.zst"
        };
        let calls = disk.calls();
        if has_died {
            disk.die_at(call);
        } else {
            disk.fail_at(call);
        }
        let done = pack_on(&bench, &target, path, "one");
        let is_over = disk.calls() < calls + call;
        let is_begun = bench.state().log(&run_id("one")).is_file();
        if has_died && is_begun {
            settle_as_dead(&bench, "one");
        }
        let mut left = names(&bench);
        if !has_died {
            // Where the one call failed that takes it away, an empty folder stays.
            let home = bench.root().join("home/ada");
            let is_empty = |name: &String| {
                name.starts_with(".jolly-broom")
                    && std::fs::read_dir(home.join(name)).unwrap().count() == 0
            };
            left.retain(|name| !is_empty(name));
        }
        let context = format!("call {call}: {done:?} {left:?}");
        if has_died || done.is_err() {
            assert_eq!(left.len(), 1, "{context}");
        }
        if left.iter().any(|name| name == "boats.tar.zst") {
            drop(make_writable(&own));
            drop(std::fs::rename(&own, bench.folder().join("aside")));
            pack_on(&bench, &bench.target(), "home/ada/boats.tar.zst", "after").unwrap();
        }
        assert_eq!(look(&own), was, "{context}");
        if is_over {
            assert!(done.is_ok(), "{context}");
            return;
        }
        // Near calls are alike; every seventh and the last ones tell.
        call += if call < 12 { 1 } else { 7 };
    }
}

fn make_writable(path: &Path) -> std::io::Result<()> {
    std::fs::set_permissions(path.join("deep/er"), std::fs::Permissions::from_mode(0o700))
}

#[test]
fn a_fault_at_any_call_loses_nothing() {
    at_every_call(Removal::Pack, false);
    at_every_call(Removal::Unpack, false);
}

#[test]
fn death_at_any_call_is_settled_to_the_thing_or_its_archive() {
    at_every_call(Removal::Pack, true);
    at_every_call(Removal::Unpack, true);
}

#[test]
fn what_cannot_come_back_exactly_is_left() {
    let bench = bench();
    let root = bench.root();
    let refused = |path: &str, name: &str| {
        let error = pack_on(&bench, &bench.target(), path, name).unwrap_err();
        assert!(!root.join(format!("{path}.tar.zst")).exists(), "{path}");
        jolly_core::error_chain(&error)
    };
    std::fs::hard_link(root.join(THING).join("holes"), root.join("home/ada/other")).unwrap();
    assert!(refused(THING, "links").contains("other names"));
    assert!(succeeds("rm", &[], &root.join("home/ada/other")));
    for (path, why) in [
        ("home/ada", "place"),
        ("home", "home"),
        ("etc", "system"),
        ("home/ada/.ssh", "keys"),
        ("home/ada/nothing", "looked at"),
    ] {
        drop(std::fs::create_dir(root.join("home/ada/.ssh")));
        let said = refused(path, "refused");
        assert!(said.contains(why), "{path}: {said}");
    }
    std::fs::write(root.join("home/ada/noise"), noise(300_000)).unwrap();
    assert!(refused("home/ada/noise", "noise").contains("worth"));
    // What begins well need not go on so.
    let middle = [vec![0; 100_000], noise(3_000_000), vec![0; 100_000]].concat();
    std::fs::write(root.join("home/ada/middle"), middle).unwrap();
    assert!(refused("home/ada/middle", "middle").contains("worth"));
    let program = crate::support::Program::holding(&root.join(THING).join("deep/er/table 1"));
    assert!(refused(THING, "open").contains("open in"));
    drop(program);
    std::fs::write(root.join("home/ada/boats.tar.zst"), "mine").unwrap();
    let error = pack_on(&bench, &bench.target(), THING, "there").unwrap_err();
    assert!(matches!(error, PackError::Exists { .. }));
    assert_eq!(
        std::fs::read(root.join("home/ada/boats.tar.zst")).unwrap(),
        b"mine"
    );
}

fn noise(bytes: usize) -> Vec<u8> {
    let mut state = 7_u64;
    let next = || {
        state = state
            .wrapping_mul(6_364_136_223_846_793_005)
            .wrapping_add(1);
        state.to_be_bytes()[0]
    };
    std::iter::repeat_with(next).take(bytes).collect()
}

#[test]
fn what_changes_while_it_is_packed_stays_with_the_change() {
    let bench = bench();
    let own = bench.root().join(THING);
    let disk = Arc::new(FaultyDisk::new(Fault::None));
    // Somebody writes to a file in the moment before the archive gets its name.
    let late = own.join("deep/er/table 3");
    disk.meddle(move |name: &CStr| {
        if name.to_bytes() == b"part" && late.exists() {
            let mut file = std::fs::OpenOptions::new()
                .append(true)
                .open(&late)
                .unwrap();
            file.write_all(b"late").unwrap();
        }
    });
    let target = bench.target_on(disk);
    let error = pack_on(&bench, &target, THING, "one").unwrap_err();
    assert!(matches!(error, PackError::Changed { .. }), "{error:?}");
    assert_eq!(names(&bench), ["boats"]);
    assert!(
        std::fs::read(own.join("deep/er/table 3"))
            .unwrap()
            .ends_with(b"late")
    );
}

/// An entry of a tar: a path, a kind of entry, an owner, a mode, where it leads.
type TarEntry<'a> = (&'a str, u8, u32, u32, &'a str);

fn tar_of(entries: &[TarEntry<'_>]) -> Vec<u8> {
    let mut archive = Vec::new();
    for (path, kind, user, mode, to) in entries {
        let mut header = [0_u8; 512];
        let mut put = |at: usize, text: &str| {
            header[at..at + text.len()].copy_from_slice(text.as_bytes());
        };
        put(0, path);
        put(100, &format!("{mode:07o}"));
        put(108, &format!("{user:07o}"));
        put(116, &format!("{user:07o}"));
        put(124, "00000000000");
        put(136, "00000000000");
        put(148, "        ");
        put(156, std::str::from_utf8(&[*kind]).unwrap());
        put(157, to);
        put(257, "ustar  ");
        let sum: u32 = header.iter().map(|byte| u32::from(*byte)).sum();
        header[148..155].copy_from_slice(format!("{sum:06o}\0").as_bytes());
        archive.extend_from_slice(&header);
    }
    archive.extend_from_slice(&[0; 1024]);
    zstd::bulk::compress(&archive, 1).unwrap()
}

#[test]
fn a_hostile_archive_takes_nothing_anywhere_else() {
    let me = rustix::process::getuid().as_raw();
    let folder = ("x", b'5', me, 0o755, "");
    let archives: &[&[TarEntry<'_>]] = &[
        &[("../evil", b'0', me, 0o644, "")],
        &[("/etc/evil", b'0', me, 0o644, "")],
        &[("y/evil", b'0', me, 0o644, "")],
        &[("xevil", b'0', me, 0o644, "")],
        &[folder, ("x/../../evil", b'0', me, 0o644, "")],
        &[
            folder,
            ("x/out", b'2', me, 0o777, "../../../outside"),
            ("x/out/evil", b'0', me, 0o644, ""),
        ],
        &[
            ("x", b'2', me, 0o777, "../../outside"),
            ("x/evil", b'0', me, 0o644, ""),
        ],
        &[folder, ("x/hard", b'1', me, 0o644, "../../../etc/passwd")],
        &[folder, ("x/null", b'3', me, 0o666, "")],
        &[folder, ("x/pipe", b'6', me, 0o666, "")],
        &[
            folder,
            ("x/twice", b'0', me, 0o644, ""),
            ("x/twice", b'0', me, 0o644, ""),
        ],
        &[("x/early", b'0', me, 0o644, ""), folder],
        &[],
    ];
    for (number, entries) in archives.iter().enumerate() {
        let bench = Bench::new();
        bench.tree.folder("home/ada/deep").unwrap();
        std::fs::create_dir_all(bench.outside()).unwrap();
        let archive = bench.root().join("home/ada/deep/x.tar.zst");
        std::fs::write(&archive, tar_of(entries)).unwrap();
        let before = bench.paths();
        let done = pack_on(&bench, &bench.target(), "home/ada/deep/x.tar.zst", "one");
        assert!(done.is_err(), "{number}: {done:?}");
        assert_eq!(bench.paths(), before, "{number}");
        assert_eq!(
            std::fs::read_dir(bench.outside()).unwrap().count(),
            0,
            "{number}"
        );
    }
    // What its own owner wrote gives nobody else's files, and no rights.
    if me != 0 {
        return;
    }
    let bench = Bench::new();
    let archive = bench.root().join("home/ada/x.tar.zst");
    for (user, mode, is_fine) in [(0, 0o755, false), (1001, 0o644, true), (1002, 0o644, false)] {
        std::fs::write(&archive, tar_of(&[("x", b'0', user, mode, "")])).unwrap();
        std::os::unix::fs::chown(&archive, Some(1001), Some(1001)).unwrap();
        let done = pack_on(
            &bench,
            &bench.target(),
            "home/ada/x.tar.zst",
            &format!("n{user}"),
        );
        assert_eq!(done.is_ok(), is_fine, "{user}: {done:?}");
    }
}

#[test]
fn a_rescue_holds_what_was_chosen_with_hashes_that_anybody_checks() {
    let bench = bench();
    let root = bench.root();
    assert!(succeeds("mkfifo", &[], &root.join(THING).join("pipe")));
    std::fs::write(root.join("home/ada/boats.txt"), "all of them").unwrap();
    let target = bench.target();
    let was = look(&root);
    let account = target
        .accounts
        .iter()
        .find(|one| &*one.name == "ada")
        .unwrap();
    let contents = home_contents(&target, account, &CancelToken::default()).unwrap();
    assert_eq!(contents.whole.files, 9);
    let to = bench.folder().join("stick");
    std::fs::create_dir(&to).unwrap();
    let thing = TargetPath::new(THING).unwrap();
    let order = RescueOrder {
        account,
        // Between a folder and what lies in it may stand something else by name.
        paths: &[
            thing.clone(),
            TargetPath::new("home/ada/boats.txt").unwrap(),
            thing.join(b"deep").unwrap(),
        ],
        to: &to,
        owner: None,
    };
    // What a rescue left that was killed is no obstacle.
    std::fs::write(to.join(".ada-2026-09-21.tar.zst.part"), "half").unwrap();
    let rescued = with((&bench, &target), "one", |work| rescue(work, &order)).unwrap();
    assert_eq!((rescued.files, rescued.left.len()), (9, 1), "{rescued:?}");
    assert_eq!(look(&root), was);
    assert!(succeeds(
        "tar",
        &["--zstd", "-C", to.to_str().unwrap(), "-xpf"],
        &rescued.archive
    ));
    let mut unpacked = look(&to.join("ada/boats"));
    let mut there = look(&root.join(THING));
    there.retain(|path, _| path != Path::new("pipe"));
    // The times of the topmost folder moved when the pipe came.
    for top in [&mut unpacked, &mut there] {
        top.remove(Path::new(""));
    }
    assert_eq!(unpacked, there);
    let mut check = std::process::Command::new("sha256sum");
    check.args(["--check", "--quiet"]).arg(&rescued.hashes);
    assert!(check.current_dir(&to).status().unwrap().success());
    // A second one of the same day has a name of its own; one that can't be written leaves nothing.
    let again = with((&bench, &target), "two", |work| rescue(work, &order)).unwrap();
    assert_ne!(again.archive, rescued.archive);
    let order = RescueOrder {
        to: &bench.folder().join("nowhere"),
        ..order
    };
    assert!(with((&bench, &target), "three", |work| rescue(work, &order)).is_err());
    drop(make_writable(&root.join(THING)));
    drop(make_writable(&to.join("ada/boats")));
}
