use std::os::unix::fs::{PermissionsExt as _, symlink};

use super::*;

fn mode(path: &Path, mode: u32) {
    std::fs::set_permissions(path, std::fs::Permissions::from_mode(mode)).unwrap();
}

#[test]
fn what_others_may_write_to_is_doubted_at_every_step_of_the_way() {
    let dir = tempfile::tempdir().unwrap();
    let file = dir.path().join("a/b/book.toml");
    std::fs::create_dir_all(file.parent().unwrap()).unwrap();
    std::fs::write(&file, "x").unwrap();
    for path in [&*file, file.parent().unwrap(), &dir.path().join("a")] {
        let before = path.metadata().unwrap().permissions().mode();
        assert_eq!(read_trusted(&file, 9).unwrap().unwrap(), b"x");
        for wrong in [0o777, 0o757] {
            mode(path, wrong);
            assert!(read_trusted(&file, 9).unwrap_err().is_doubt(), "{path:?}");
        }
        mode(path, before);
    }
    assert!(matches!(
        read_trusted(&file, 0),
        Err(Distrust::TooLong { .. })
    ));
    assert!(
        read_trusted(&dir.path().join("a/none"), 9)
            .unwrap()
            .is_none()
    );
}

#[test]
fn nothing_is_made_through_a_link_and_no_pipe_is_opened() {
    let dir = tempfile::tempdir().unwrap();
    symlink(dir.path().join("nowhere"), dir.path().join("link")).unwrap();
    for way in ["link", "link/state"] {
        assert!(make_trusted_folder(&dir.path().join(way)).is_err(), "{way}");
    }
    assert!(!dir.path().join("nowhere").exists());
    let made = dir.path().join("a/b");
    make_trusted_folder(&made).unwrap();
    assert_eq!(made.metadata().unwrap().permissions().mode() & 0o777, 0o700);
    let pipe = dir.path().join("pipe");
    rustix::fs::mknodat(rustix::fs::CWD, &pipe, FileType::Fifo, Mode::RWXU, 0).unwrap();
    assert!(matches!(
        trusted_file(&pipe),
        Err(Distrust::NotAFile { .. })
    ));
    assert!(matches!(
        read_regular(&pipe, 9),
        Err(Distrust::NotAFile { .. })
    ));
    let zero = Path::new("/dev/zero");
    assert!(matches!(
        read_regular(zero, 9),
        Err(Distrust::NotAFile { .. })
    ));
    mode(dir.path(), 0o1777);
    symlink("a", dir.path().join("theirs")).unwrap();
    assert!(trusted_folder(&dir.path().join("theirs/b")).is_err());
}

#[test]
fn a_group_is_private_only_when_nobody_else_is_in_it() {
    let people = b"root:x:0:0::/:\npia:x:1001:1001::/home/pia:\njoss:x:1002:100::/home/joss:\n";
    let private = |groups: &[u8]| private_group(people, groups, 1001, 1001);
    assert!(private(b"pia:x:1001:\n"));
    assert!(private(b"pia:x:1001:pia\n"));
    assert!(!private(b"pia:x:1001:pia,joss\n"));
    assert!(!private(b"users:x:100:\n"));
    assert!(!private_group(people, b"users:x:100:\n", 100, 1001));
}
