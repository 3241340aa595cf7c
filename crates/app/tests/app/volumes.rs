//! On volumes of their own: wiping from arrive, on the command line, and killed in the middle; and what went for good, back
//! from the restore point that was made before.

use std::fs;
use std::path::{Path, PathBuf};
use std::process::Command;
use std::time::Duration;

use crate::interface::open;
use crate::support::Demo;

/// A volume of its own, mounted where the demo computer would be.
struct Volume {
    demo: Demo,
    image: PathBuf,
}

impl Drop for Volume {
    fn drop(&mut self) {
        // One that is busy for a moment still is let go of as soon as it isn't.
        drop(
            Command::new("umount")
                .arg("-l")
                .arg(self.demo.root())
                .output(),
        );
    }
}

const EXT4: &[&str] = &["mkfs.ext4", "-F", "-q"];

fn works(command: &mut Command) -> bool {
    command.output().is_ok_and(|output| output.status.success())
}

impl Volume {
    /// A small system on an image of so many MiB; none where nothing can be mounted.
    fn mounted(mib: u64, make: &[&str]) -> Option<Self> {
        let demo = Demo::empty();
        let image = demo.dir().join("till.img");
        fs::File::create(&image)
            .unwrap()
            .set_len(mib << 20)
            .unwrap();
        fs::create_dir(demo.root()).unwrap();
        let made = works(Command::new(make[0]).args(&make[1..]).arg(&image))
            && works(
                Command::new("mount")
                    .args(["-o", "loop"])
                    .arg(&image)
                    .arg(demo.root()),
            );
        if !made {
            jolly_demo::skipped("no volume of its own can be mounted here");
            return None;
        }
        let volume = Self { demo, image };
        for folder in ["etc", "home/pia", "tmp", "usr/bin", "var"] {
            fs::create_dir_all(volume.demo.root().join(folder)).unwrap();
        }
        fs::write(volume.demo.root().join("etc/os-release"), "ID=quay\n").unwrap();
        Some(volume)
    }

    /// Free blocks, and every name on it.
    fn look(&self) -> (u64, Vec<String>) {
        let root = self.demo.root();
        let free = Command::new("stat")
            .args(["-f", "-c", "%f"])
            .arg(&root)
            .output()
            .unwrap();
        let free = String::from_utf8(free.stdout).unwrap();
        let mut names: Vec<String> = fs::read_dir(&root)
            .unwrap()
            .map(|entry| entry.unwrap().file_name().into_string().unwrap())
            .collect();
        names.sort();
        (free.trim().parse().unwrap(), names)
    }
}

fn holds(image: &Path, marker: &str) -> bool {
    let mut command = Command::new("grep");
    let found = command.args(["-q", "-a", "-F", marker]).arg(image).status();
    found.unwrap().success()
}

#[test]
fn free_space_is_wiped_from_arrive_with_its_certificate() {
    let Some(volume) = Volume::mounted(96, EXT4) else {
        return;
    };
    let demo = &volume.demo;
    let secret = demo.root().join("home/pia/secret");
    fs::write(&secret, "kept to herself ".repeat(2 << 20)).unwrap();
    assert!(works(&mut Command::new("sync")));
    assert!(works(Command::new("rm").arg(&secret)));
    let term = open(demo, (142, 44), &[], &[]);
    term.wait_text("enter weighs it");
    term.text("F");
    term.wait_text("type wipe to start it");
    term.text("wip");
    term.keys(&["Enter"]);
    term.wait_text("that is not wipe; nothing was written");
    term.text("e");
    term.keys(&["Enter"]);
    let done = term.wait_text("On record as");
    assert!(done.contains("all of it read back and the same"), "{done}");
    term.text("e");
    let page = term.wait_text("Written over, and read back");
    assert!(page.contains("The certificate"), "{page}");
    term.keys(&["Escape"]);
    term.wait_text("enter weighs it");
    term.text("q");
    assert_eq!(term.status(), 0);
    let logs = demo.run(&["log", "list", "--json"]).lines();
    assert_eq!(logs[0]["wiped"]["proven"], true);
    let run = logs[0]["run"].as_str().unwrap();
    let page = demo.dir().join("certificate.pdf");
    let written = demo.run(&["report", run, "--out", page.to_str().unwrap()]);
    assert_eq!(written.code, 0, "{}", written.err);
    let text = Command::new("pdftotext")
        .args([page.to_str().unwrap(), "-"])
        .output();
    let text = String::from_utf8(text.unwrap().stdout).unwrap();
    for words in ["Certificate of wiping", "once, with random bytes", run] {
        assert!(text.contains(words), "{words}: {text}");
    }
    assert!(works(Command::new("umount").arg(demo.root())));
    assert!(!holds(&volume.image, "kept to herself"));
}

/// Whenever it is killed, the volume is as free as it was, nothing lies there, and the record says that it broke off.
#[test]
fn who_is_killed_while_wiping_leaves_nothing_filled() {
    let Some(volume) = Volume::mounted(600, EXT4) else {
        return;
    };
    let demo = &volume.demo;
    assert!(works(&mut Command::new("sync")));
    let before = volume.look();
    let root = demo.root();
    let wipe = ["wipe", "free", root.to_str().unwrap(), "--yes"];
    for round in 0..20_u64 {
        let mut program = demo.begin(&wipe);
        std::thread::sleep(Duration::from_millis(60 * round));
        program.kill().unwrap();
        program.wait().unwrap();
        assert!(works(&mut Command::new("sync")));
        let (free, names) = volume.look();
        assert_eq!(names, before.1, "round {round}");
        // A block or two of the file system's own tables may have come into use.
        assert!(
            free + 16 >= before.0,
            "round {round}: {free} of {}",
            before.0
        );
    }
    let listed = demo.run(&["log", "list", "--json"]);
    assert_eq!(listed.code, 0, "{}", listed.err);
    let broken = listed.lines();
    let broken = broken.iter().find(|log| log["state"] == "interrupted");
    let broken = broken.expect("one was killed before its end");
    let run = broken["run"].as_str().unwrap();
    assert_eq!(broken["wiped"]["proven"], false);
    assert_eq!(demo.run(&["log", "verify", run]).code, 1);
    let shown = demo.run(&["log", "show", run]);
    assert!(shown.out.contains("it broke off"), "{}", shown.out);
}

/// A disk is only ever written over when its own word was typed, and never one of this machine's own.
#[test]
fn what_is_not_meant_is_never_written_over() {
    let demo = Demo::empty();
    let image = demo.dir().join("stick.img");
    fs::write(&image, vec![7; 1 << 20]).unwrap();
    let letter = demo.dir().join("letter.txt");
    fs::write(&letter, "dear harbour master\n".repeat(500)).unwrap();
    let path = image.to_str().unwrap();
    let told = demo.bare(&["wipe", "disk", path]);
    assert_eq!(told.code, 0, "{}", told.err);
    assert!(told.err.contains("--yes image:1048576"), "{}", told.err);
    let state = demo.state();
    let state = state.to_str().unwrap();
    for word in ["", "yes", "image:1", "none:1048576", "image:1048576 "] {
        let refused = demo.bare(&["wipe", "disk", path, "--state", state, "--yes", word]);
        assert_eq!(refused.code, 2, "{word}: {}", refused.err);
    }
    for device in [
        letter.to_str().unwrap(),
        "/dev/null",
        "/dev/zero",
        "/",
        "/nowhere",
    ] {
        let refused = demo.bare(&[
            "wipe",
            "disk",
            device,
            "--state",
            state,
            "--yes",
            "image:10000",
        ]);
        assert_eq!(refused.code, 2, "{device}: {}", refused.err);
    }
    assert_eq!(fs::read(&image).unwrap(), vec![7; 1 << 20]);
    assert!(!demo.state().join("wipes").exists(), "nothing was begun");
    let done = demo.bare(&[
        "wipe",
        "disk",
        path,
        "--state",
        state,
        "--yes",
        "image:1048576",
        "--json",
    ]);
    assert_eq!(done.code, 0, "{}", done.err);
    let told = done.json();
    assert_eq!(
        (&told["state"], &told["proven"]),
        (&"finished".into(), &true.into())
    );
    assert_ne!(fs::read(&image).unwrap(), vec![7; 1 << 20]);
}

#[test]
fn what_went_for_good_comes_back_from_the_restore_point_before_it() {
    let Some(volume) = Volume::mounted(400, &["mkfs.btrfs", "-f", "-q"]) else {
        return;
    };
    let demo = &volume.demo;
    let temp = demo.root().join("var/tmp");
    fs::create_dir_all(temp.join("deep")).unwrap();
    fs::write(temp.join("dump-1.tmp"), "the dump of the till").unwrap();
    fs::write(temp.join("deep/two.tmp"), "two").unwrap();
    let late = ["--now", "2032-01-01T00:00:00Z"];
    let swept = demo.run(&[&["sweep", "--restore-point", "--yes", "--json"], &late[..]].concat());
    assert_eq!(swept.code, 0, "{}", swept.err);
    let run = swept.json()["run"].as_str().unwrap().to_owned();
    assert!(!temp.join("dump-1.tmp").exists() && !temp.join("deep").exists());
    // Neither names the target: it is known from the log.
    let state = demo.state();
    let state = ["--state", state.to_str().unwrap()];
    let bare = |words: &[&str]| demo.bare(&[words, &state[..]].concat());
    for path in ["var/tmp/dump-1.tmp", "var/tmp/deep"] {
        let back = bare(&["restore", &run, path]);
        assert_eq!(back.code, 0, "{}", back.err);
    }
    let text = fs::read_to_string(temp.join("dump-1.tmp")).unwrap();
    assert_eq!(text, "the dump of the till");
    assert_eq!(
        fs::read_to_string(temp.join("deep/two.tmp")).unwrap(),
        "two"
    );
    assert_eq!(bare(&["restore", &run, "var/tmp/deep"]).code, 1);
    assert_eq!(bare(&["restore", &run, "var/never"]).code, 1);
    let gone = bare(&["dustpan", "empty", &run, "--yes"]);
    assert_eq!(gone.code, 0, "{}", gone.err);
    let names = volume.look().1;
    assert!(
        !names.iter().any(|name| name.starts_with(".jolly")),
        "{names:?}"
    );
    assert_eq!(bare(&["restore", &run, "var/tmp/deep"]).code, 2);
}

/// What the file system packs in place reads as before and gives room back; what a restore point has, too, is left.
#[test]
fn what_is_packed_in_place_reads_as_before_and_gives_room_back() {
    let Some(volume) = Volume::mounted(400, &["mkfs.btrfs", "-f", "-q"]) else {
        return;
    };
    let demo = &volume.demo;
    let season = demo.root().join("home/pia/season");
    fs::create_dir(&season).unwrap();
    let text = "low water at nine\n".repeat(1 << 20);
    fs::write(season.join("tides.csv"), &text).unwrap();
    std::os::unix::fs::symlink("/etc/passwd", season.join("link")).unwrap();
    assert!(works(&mut Command::new("sync")));
    let before = volume.look().0;
    let packed = demo.run(&["pack", "--in-place", "home/pia/season", "--json"]);
    assert_eq!(packed.code, 0, "{}", packed.err);
    let told = packed.json();
    assert!(
        told["after"].as_u64() < told["before"].as_u64().map(|it| it / 2),
        "{told}"
    );
    assert!(volume.look().0 > before + 2000);
    assert_eq!(fs::read_to_string(season.join("tides.csv")).unwrap(), text);
    let letter = demo.root().join("home/pia/letter.txt");
    fs::write(&letter, &text).unwrap();
    let clone = Command::new("cp")
        .args(["--reflink=always", "letter.txt", "copy.txt"])
        .current_dir(demo.root().join("home/pia"))
        .status();
    assert!(clone.unwrap().success() && works(&mut Command::new("sync")));
    let refused = demo.run(&["pack", "--in-place", "home/pia/letter.txt"]);
    assert_eq!(refused.code, 2, "{}", refused.err);
    assert_eq!(fs::read_to_string(&letter).unwrap(), text);
}
