//! The one door to a file system keeps its promises on a real one.

#![allow(
    clippy::unwrap_used,
    reason = "a test that can't go on says so, and tells its story in one piece"
)]

use std::collections::BTreeSet;
use std::ffi::CString;
use std::io::{ErrorKind, Read as _};
use std::ops::ControlFlow;
use std::os::unix::ffi::OsStrExt as _;
use std::os::unix::fs::{FileTypeExt as _, MetadataExt as _, symlink};
use std::path::Path;
use std::time::{Duration, SystemTime};

use jolly_disk::{Disk as _, Folder, Kind, RealDisk};

fn bench() -> (tempfile::TempDir, Folder) {
    let dir = tempfile::tempdir().unwrap();
    std::fs::create_dir_all(dir.path().join("a/b")).unwrap();
    std::fs::write(dir.path().join("a/file"), b"twelve bytes").unwrap();
    symlink("file", dir.path().join("a/link")).unwrap();
    rustix::fs::mknodat(
        rustix::fs::CWD,
        dir.path().join("a/pipe"),
        rustix::fs::FileType::Fifo,
        rustix::fs::Mode::RUSR,
        0,
    )
    .unwrap();
    let root = RealDisk.open_root(dir.path()).unwrap();
    (dir, root)
}

fn names(folder: &Folder) -> BTreeSet<(Vec<u8>, Kind)> {
    let mut found = BTreeSet::new();
    RealDisk
        .list(folder, &mut |entry| {
            let kind = RealDisk.stat(folder, entry.name).unwrap().kind;
            if let Some(told) = entry.kind {
                assert_eq!(told, kind, "the folder and the look agree");
            }
            assert!(found.insert((entry.name.to_bytes().to_vec(), kind)));
            ControlFlow::Continue(())
        })
        .unwrap();
    found
}

fn access_time(path: &Path) -> (i64, i64) {
    let metadata = std::fs::symlink_metadata(path).unwrap();
    (metadata.atime(), metadata.atime_nsec())
}

#[test]
fn a_listing_tells_every_name_once_whatever_its_bytes_are() {
    let (dir, root) = bench();
    let mut expected: BTreeSet<Vec<u8>> = BTreeSet::new();
    for number in 0..3000_u32 {
        let mut name = format!("{number}-").into_bytes();
        name.extend((0..number % 240).map(|at| match (number + at) % 256 {
            0 | 47 => b'x',
            byte => u8::try_from(byte).unwrap(),
        }));
        std::fs::write(
            dir.path()
                .join("a/b")
                .join(std::ffi::OsStr::from_bytes(&name)),
            b"",
        )
        .unwrap();
        expected.insert(name);
    }
    let folder = RealDisk.open_folder(&root, b"a/b").unwrap();
    let told: BTreeSet<Vec<u8>> = names(&folder).into_iter().map(|(name, _)| name).collect();
    assert_eq!(told, expected);
    assert_eq!(names(&folder).len(), 3000, "a second listing starts anew");
    let mut seen = 0;
    RealDisk
        .list(&folder, &mut |_| {
            seen += 1;
            if seen == 7 {
                ControlFlow::Break(())
            } else {
                ControlFlow::Continue(())
            }
        })
        .unwrap();
    assert_eq!(seen, 7);
}

#[test]
fn a_look_tells_what_the_kernel_keeps_and_follows_nothing() {
    let (dir, root) = bench();
    let folder = RealDisk.open_folder(&root, b"a").unwrap();
    let kinds: Vec<Kind> = names(&folder).into_iter().map(|(_, kind)| kind).collect();
    assert_eq!(kinds, [Kind::Folder, Kind::File, Kind::Link, Kind::Other]);
    let stat = RealDisk.stat(&folder, c"file").unwrap();
    let metadata = std::fs::metadata(dir.path().join("a/file")).unwrap();
    assert_eq!((stat.size, stat.allocated), (12, metadata.blocks() * 512));
    assert_eq!(
        (stat.key.inode, u64::from(stat.links)),
        (metadata.ino(), metadata.nlink())
    );
    assert_eq!(
        (stat.user, stat.group, stat.mode),
        (metadata.uid(), metadata.gid(), metadata.mode() & 0o7777)
    );
    assert_eq!(stat.modified.seconds, metadata.mtime());
    assert_eq!(i64::from(stat.changed.nanos), metadata.ctime_nsec());
    assert_ne!(RealDisk.stat(&folder, c"link").unwrap().key, stat.key);
    assert_eq!(RealDisk.read_link(&folder, c"link").unwrap(), b"file");
    let missing = RealDisk.stat(&folder, c"none").unwrap_err();
    assert_eq!(missing.kind(), ErrorKind::NotFound);
}

#[test]
fn only_regular_files_open_and_a_pipe_does_not_hang_us() {
    let (dir, root) = bench();
    let folder = RealDisk.open_folder(&root, b"a").unwrap();
    assert!(
        dir.path()
            .join("a/pipe")
            .metadata()
            .unwrap()
            .file_type()
            .is_fifo()
    );
    for name in [c"pipe", c"link", c"b", c"none"] {
        assert!(RealDisk.open_file(&folder, name).is_err(), "{name:?}");
    }
    let mut text = String::new();
    RealDisk
        .open_file(&folder, c"file")
        .unwrap()
        .read_to_string(&mut text)
        .unwrap();
    assert_eq!(text, "twelve bytes");
}

#[test]
fn looking_leaves_no_trace_in_the_access_times() {
    let (dir, root) = bench();
    let long_ago = SystemTime::UNIX_EPOCH + Duration::from_secs(1_000_000_000);
    for path in ["a", "a/file"] {
        let file = std::fs::File::open(dir.path().join(path)).unwrap();
        file.set_times(std::fs::FileTimes::new().set_accessed(long_ago))
            .unwrap();
    }
    let before = ["a", "a/file"].map(|path| access_time(&dir.path().join(path)));
    let folder = RealDisk.open_folder(&root, b"a").unwrap();
    names(&folder);
    let mut bytes = Vec::new();
    RealDisk
        .open_file(&folder, c"file")
        .unwrap()
        .read_to_end(&mut bytes)
        .unwrap();
    let after = ["a", "a/file"].map(|path| access_time(&dir.path().join(path)));
    assert_eq!(before, after);
}

#[test]
fn removal_takes_one_name_and_never_a_folder_that_holds_something() {
    let (dir, root) = bench();
    let folder = RealDisk.open_folder(&root, b"a").unwrap();
    assert!(
        RealDisk.unlink(&folder, c"b").is_err(),
        "a folder is no file"
    );
    assert!(
        RealDisk.remove_folder(&folder, c"file").is_err(),
        "a file is no folder"
    );
    assert!(
        RealDisk.remove_folder(&folder, c"link").is_err(),
        "a link is no folder"
    );
    let full = RealDisk.remove_folder(&root, c"a").unwrap_err();
    assert_eq!(full.kind(), ErrorKind::DirectoryNotEmpty);
    RealDisk.unlink(&folder, c"link").unwrap();
    assert!(
        dir.path().join("a/file").exists(),
        "what the link pointed to stays"
    );
    RealDisk.remove_folder(&folder, c"b").unwrap();
    assert!(!dir.path().join("a/b").exists());
}

#[test]
fn an_open_folder_stays_the_same_one_whatever_its_name_does() {
    let (dir, root) = bench();
    let folder = RealDisk.open_folder(&root, b"a").unwrap();
    std::fs::rename(dir.path().join("a"), dir.path().join("moved")).unwrap();
    std::fs::create_dir(dir.path().join("a")).unwrap();
    std::fs::write(dir.path().join("a/file"), b"another").unwrap();
    RealDisk.unlink(&folder, c"file").unwrap();
    assert!(dir.path().join("a/file").exists());
    assert!(!dir.path().join("moved/file").exists());
}

#[test]
fn space_rights_and_locks_are_those_of_the_folder() {
    let (dir, root) = bench();
    let space = RealDisk.space(&root).unwrap();
    assert!(space.size >= space.free && space.size > 0);
    assert!(RealDisk.may_change(&root));
    let (one, other) = (
        RealDisk.open_root(dir.path()).unwrap(),
        RealDisk.open_root(dir.path()).unwrap(),
    );
    RealDisk.lock(&one).unwrap();
    assert_eq!(
        RealDisk.lock(&other).unwrap_err().kind(),
        ErrorKind::WouldBlock
    );
    drop(one);
    RealDisk.lock(&other).unwrap();
    let sealed = RealDisk.open_root(Path::new("/proc")).unwrap();
    assert!(
        RealDisk
            .unlink(&sealed, &CString::new("version").unwrap())
            .is_err()
    );
}
