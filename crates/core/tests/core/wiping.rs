//! Writing over what is free, and over whole images: what was deleted is nowhere afterwards, what is kept is there, and
//! nothing stays filled.

use std::cell::Cell;
use std::io::Write as _;
use std::path::Path;
use std::process::Command;

use jolly_core::CancelToken;
use jolly_core::host::{NoWholeDisk, whole_disk};
use jolly_core::run::Pause;
use jolly_core::state::StateFolder;
use jolly_core::wiping::{
    Fill, WipeEnd, WipeError, WipeProgress, WipeState, Wiping, list_wipes, read_wipe,
    volume_to_wipe, wipe_disk, wipe_free,
};
use jolly_disk::{Disk as _, RealDisk};

use crate::support::{now, run_id};
use crate::volumes::{mount, works};

const MARKER: &[u8] = b"what pia wrote to nobody else. ";

/// Whether the marker is anywhere on an image.
fn holds_marker(image: &Path) -> bool {
    let mut command = Command::new("grep");
    let marker = std::str::from_utf8(MARKER).unwrap();
    command.args(["--quiet", "--text", "--fixed-strings", marker]);
    command.arg(image).status().unwrap().success()
}

/// Fills a file with the marker until there is no more room.
fn fill(path: &Path) {
    let mut file = std::fs::File::create(path).unwrap();
    let some = MARKER.repeat(1 << 15);
    while file.write_all(&some).is_ok() {}
    drop(file.sync_all());
}

fn gone(path: &Path) {
    use std::os::unix::ffi::OsStrExt as _;
    let folder = RealDisk.open_root(path.parent().unwrap()).unwrap();
    let name = std::ffi::CString::new(path.file_name().unwrap().as_bytes()).unwrap();
    RealDisk.unlink(&folder, &name).unwrap();
}

struct Asked {
    state: StateFolder,
    cancel: CancelToken,
    /// After how many bytes it is stopped.
    stop_at: u64,
    fill: Fill,
    passes: u64,
}

impl Asked {
    fn new(dir: &Path) -> Self {
        Self {
            state: StateFolder::new(dir.join("state")),
            cancel: CancelToken::default(),
            stop_at: u64::MAX,
            fill: Fill::Random,
            passes: 1,
        }
    }

    fn run<T>(&self, name: &str, with: impl FnOnce(&Wiping<'_>) -> T) -> T {
        let heard = Cell::new(0);
        with(&Wiping {
            state: &self.state,
            run: &run_id(name),
            fill: self.fill,
            passes: self.passes,
            cancel: &self.cancel,
            pause: &Pause::default(),
            clock: &now,
            heard: &|progress: WipeProgress| {
                let (done, of) = progress.gone_over();
                assert!(done >= heard.get() && progress.read <= progress.written);
                assert!(of > 0);
                heard.set(done);
                if progress.written >= self.stop_at {
                    self.cancel.cancel();
                }
            },
        })
    }
}

fn free(folder: &Path) -> u64 {
    let folder = RealDisk.open_root(folder).unwrap();
    RealDisk.space(&folder).unwrap().free
}

#[test]
fn what_was_deleted_is_nowhere_on_the_volume_and_what_is_kept_is_there() {
    let kinds: [(&str, &[&str]); 4] = [
        ("ext4", &["mkfs.ext4", "-F", "-q"]),
        ("ntfs", &["mkntfs", "-F", "-f", "-q"]),
        ("btrfs", &["mkfs.btrfs", "-f", "-q"]),
        ("xfs", &["mkfs.xfs", "-f", "-q"]),
    ];
    for (kind, make) in kinds {
        let dir = tempfile::tempdir().unwrap();
        let mounted = match mount(dir.path(), kind, make) {
            Ok(mounted) => mounted,
            Err(why) => {
                jolly_demo::skipped(&format!("nothing wiped on {kind}, because {why}"));
                continue;
            }
        };
        let (kept, secret) = (mounted.point.join("kept"), mounted.point.join("secret"));
        std::fs::write(&kept, b"letters").unwrap();
        let before = free(&mounted.point);
        fill(&secret);
        let image = dir.path().join(format!("{kind}.img"));
        assert!(holds_marker(&image), "{kind}");
        gone(&secret);
        let mut asked = Asked::new(dir.path());
        asked.passes = if kind == "btrfs" { 2 } else { 1 };
        let volume = volume_to_wipe(&mounted.point).unwrap();
        let (end, log) = asked.run("wipe", |work| wipe_free(work, &volume)).unwrap();
        assert!(
            end.is_proven() && end.written > 250 << 20,
            "{kind}: {end:?}"
        );
        let after = free(&mounted.point);
        assert!(after >= before - before / 20, "{kind}: {before} {after}");
        assert_eq!(std::fs::read(&kept).unwrap(), b"letters");
        let left = std::fs::read_dir(&mounted.point).unwrap();
        let left = left.filter(|name| {
            let name = name.as_ref().unwrap().file_name();
            name != "kept" && name != "lost+found"
        });
        assert_eq!(left.count(), 0, "{kind}");
        let read = read_wipe(&asked.state, &run_id("wipe")).unwrap();
        assert_eq!((read.end, &*read.what), (end, "free"));
        assert!(log.is_file());
        drop(mounted);
        assert!(!holds_marker(&image), "{kind}");
    }
}

#[test]
fn a_stop_gives_everything_back_and_is_told() {
    let dir = tempfile::tempdir().unwrap();
    let mounted = match mount(dir.path(), "ext4", &["mkfs.ext4", "-F", "-q"]) {
        Ok(mounted) => mounted,
        Err(why) => return jolly_demo::skipped(&format!("no stop was tried, because {why}")),
    };
    let before = free(&mounted.point);
    let mut asked = Asked::new(dir.path());
    asked.stop_at = 20 << 20;
    let volume = volume_to_wipe(&mounted.point).unwrap();
    let (end, _) = asked.run("stop", |work| wipe_free(work, &volume)).unwrap();
    assert_eq!(
        (end.state, end.verified),
        (WipeState::Stopped, 0),
        "{end:?}"
    );
    assert!(end.written < 40 << 20 && !end.is_proven(), "{end:?}");
    assert_eq!(free(&mounted.point), before);
    let bad = volume_to_wipe(Path::new("/proc"));
    assert!(matches!(bad, Err(WipeError::MayNot { .. })));
}

#[test]
fn an_image_is_written_over_only_when_it_is_the_one_and_nobody_has_it() {
    let dir = tempfile::tempdir().unwrap();
    let image = dir.path().join("stick.img");
    let mut file = std::fs::File::create(&image).unwrap();
    file.set_len(40 << 20).unwrap();
    file.write_all(&MARKER.repeat(1 << 16)).unwrap();
    drop(file);
    let was = std::fs::read(&image).unwrap();
    let asked = Asked::new(dir.path());
    let try_it = |name: &str, path: &Path, word: &str| -> Result<WipeEnd, WipeError> {
        asked
            .run(name, |work| wipe_disk(work, (path, word)))
            .map(|(end, _)| end)
    };
    for word in ["", "image:", "image:41943041", "none:41943040", "41943040"] {
        let refused = try_it("other", &image, word);
        assert!(
            matches!(refused, Err(WipeError::OtherWord { .. })),
            "{word}"
        );
    }
    let word = whole_disk(&image).unwrap().word();
    let twin = dir.path().join("twin.img");
    std::fs::hard_link(&image, &twin).unwrap();
    assert!(matches!(
        try_it("twin", &image, &word),
        Err(WipeError::NoDisk(NoWholeDisk::OtherName { .. }))
    ));
    gone(&twin);
    attached(dir.path(), &image, &|path, word| {
        let refused = try_it("held", path, word);
        assert!(
            matches!(refused, Err(WipeError::NoDisk(NoWholeDisk::InUse { .. }))),
            "{refused:?}"
        );
    });
    assert_eq!(std::fs::read(&image).unwrap(), was, "nothing was written");
    assert!(list_wipes(&asked.state).unwrap().is_empty());

    let end = try_it("image", &image, &word).unwrap();
    assert!(
        end.is_proven() && end.written + end.holes == 40 << 20,
        "{end:?}"
    );
    assert!(
        end.holes > 30 << 20,
        "what is a hole takes no room afterwards"
    );
    assert!(!holds_marker(&image));
    let other = try_it("rewipe", &image, &word).unwrap();
    assert_eq!(other.written, end.written);
}

/// Attaches an image as a device, whole, and tries something while it is, on the device while it is mounted.
fn attached(dir: &Path, image: &Path, with: &dyn Fn(&Path, &str)) {
    let output = Command::new("losetup")
        .args(["-f", "--show"])
        .arg(image)
        .output();
    let device = match output {
        Ok(output) if output.status.success() => output.stdout,
        _ => return jolly_demo::skipped("no image can be attached here"),
    };
    let device = String::from_utf8(device).unwrap().trim().to_owned();
    let word = format!("image:{}", image.metadata().unwrap().len());
    with(image, &word);
    let renamed = dir.join("renamed.img");
    std::fs::rename(image, &renamed).unwrap();
    with(&renamed, &word);
    std::fs::rename(&renamed, image).unwrap();
    works(Command::new("losetup").args(["-d", &device])).unwrap();
    // The same, mounted: on a copy, for mounting writes to it.
    let copy = dir.join("mounted.img");
    std::fs::copy(image, &copy).unwrap();
    works(Command::new("mkfs.ext4").args(["-F", "-q"]).arg(&copy)).unwrap();
    let point = dir.join("point");
    std::fs::create_dir(&point).unwrap();
    works(
        Command::new("mount")
            .args(["-o", "loop"])
            .arg(&copy)
            .arg(&point),
    )
    .unwrap();
    let source = Command::new("findmnt")
        .args(["-no", "SOURCE"])
        .arg(&point)
        .output();
    let source = String::from_utf8(source.unwrap().stdout).unwrap();
    with(Path::new(source.trim()), &word);
    with(&copy, &word);
    works(Command::new("umount").arg(&point)).unwrap();
}
