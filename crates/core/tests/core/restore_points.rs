//! Restore points on a real Btrfs volume: listed, kept, let go of, and what may never go as one.

use std::collections::BTreeMap;
use std::path::Path;
use std::process::Command;

use jolly_core::CancelToken;
use jolly_core::computer::{
    Layout, TargetPath, let_go_of_point, make_point, may_make_point, point_before,
};
use jolly_core::packing::PackError;
use jolly_core::plan::{Manifest, Outcome};
use jolly_core::run::{Packing, RunSummary, bring_back_from_point};

use crate::support::{Bench, manifest_of, now, run, run_id, settle_as_dead};
use crate::volumes::{Mounted, mount, works};

const BOOK: &str = r#"
[[rule]]
id = "points"
title = "Restore points"
class = "ask"
about = "x"
after = "x"
in = ["{root}"]
spare = ["kept/**"]
entries = "snapshots"
keep-newest = { count = 2, per = "source" }
by = "remove"
starts = "taken"

[[rule]]
id = "all"
title = "Everything else"
class = "spent"
about = "x"
after = "x"
in = ["{root}/.snapshots"]
take = ["**/snapshot/**"]
"#;

/// A computer on a volume of its own, which is unmounted first.
struct OnVolume {
    _mounted: Mounted,
    bench: Bench,
}

impl OnVolume {
    fn new() -> Option<Self> {
        let bench = Bench::bare(Layout::Linux).with_book(BOOK);
        let image = tempfile::tempdir().unwrap();
        match mount(image.path(), "btrfs", &["mkfs.btrfs", "-f", "-q"]) {
            Ok(mounted) => {
                let mut bind = Command::new("mount");
                works(bind.arg("--bind").arg(&mounted.point).arg(bench.root())).unwrap();
                // What stays mounted is the bench's own folder.
                drop(mounted);
                let mounted = Mounted {
                    point: bench.root(),
                };
                let own = Self {
                    _mounted: mounted,
                    bench,
                };
                for folder in ["etc", "home/ada/.cache", "home/ada/Documents"] {
                    std::fs::create_dir_all(own.bench.root().join(folder)).unwrap();
                }
                Some(own)
            }
            Err(why) => {
                jolly_demo::skipped(&format!("no test of restore points, because {why}"));
                None
            }
        }
    }

    fn btrfs(&self, words: &[&str]) {
        let mut command = Command::new("btrfs");
        works(command.args(words).current_dir(self.bench.root())).unwrap();
    }

    /// What keepers make: a number, a read-only snapshot in it, and a note.
    fn keep(&self, number: u32) {
        let root = self.bench.root();
        let own = format!(".snapshots/{number}");
        std::fs::create_dir_all(root.join(&own)).unwrap();
        let film = root.join("home/ada/film");
        std::fs::write(&film, vec![7; 3 << 20]).unwrap();
        self.btrfs(&[
            "subvolume",
            "snapshot",
            "-r",
            ".",
            &format!("{own}/snapshot"),
        ]);
        std::fs::write(root.join(&own).join("info.xml"), "<snapshot/>").unwrap();
        works(Command::new("rm").arg(film)).unwrap();
        works(Command::new("sync").arg("-f").arg(&root)).unwrap();
    }

    fn sweep(&self, manifest: &Manifest, name: &str) -> RunSummary {
        let scan = self.bench.scan();
        run(&self.bench, &scan, manifest, name, &CancelToken::default()).unwrap()
    }

    fn has(&self, path: &str) -> bool {
        std::fs::symlink_metadata(self.bench.root().join(path)).is_ok()
    }
}

fn listed(manifest: &Manifest) -> BTreeMap<String, u64> {
    let points = manifest.items.iter().filter(|item| item.entry.is_some());
    points
        .map(|item| (item.shown(), item.bytes >> 20))
        .collect()
}

#[test]
fn the_newest_stay_and_the_others_go_with_their_notes() {
    let Some(own) = OnVolume::new() else { return };
    (1..=4).for_each(|number| own.keep(number));
    // None of these is one: it can be written to, it is spared, it isn't a snapshot at all.
    own.btrfs(&["subvolume", "snapshot", ".", "writable"]);
    std::fs::create_dir(own.bench.root().join("kept")).unwrap();
    own.btrfs(&["subvolume", "create", "home/own"]);
    let manifest = manifest_of(&own.bench.scan(), false);
    let wanted = [(".snapshots/1/snapshot", 3), (".snapshots/2/snapshot", 3)];
    let wanted = wanted.map(|(path, held)| (path.to_owned(), held));
    assert_eq!(listed(&manifest), wanted.into());
    // A folder of a restore point is never walked as files, whatever a rule says.
    let is_inside = |path: &str| path.contains("/snapshot/");
    assert!(!manifest.items.iter().any(|item| is_inside(&item.shown())));
    let free = || own.bench.target().measure().unwrap().free;
    let before = free();
    let summary = own.sweep(&manifest, "one");
    let outcome = |outcome| summary.outcomes.get(&outcome).map(|sum| sum.items);
    assert!(
        outcome(Outcome::Removed) >= Some(2),
        "{:?}",
        summary.outcomes
    );
    assert!(free() >= before + (5 << 20), "{before} {}", free());
    assert!(!own.has(".snapshots/1") && !own.has(".snapshots/2"));
    for stays in [
        ".snapshots/3/snapshot/etc",
        ".snapshots/4/info.xml",
        "writable/etc",
        "home/own",
    ] {
        assert!(own.has(stays), "{stays}");
    }
    assert!(listed(&manifest_of(&own.bench.scan(), false)).is_empty());
}

#[test]
fn what_changed_since_it_was_shown_stays() {
    let Some(own) = OnVolume::new() else { return };
    (1..=5).for_each(|number| own.keep(number));
    let manifest = manifest_of(&own.bench.scan(), false);
    assert_eq!(listed(&manifest).len(), 3);
    // Another one has the name of the first; somebody starts from the second, and two newer ones are gone, so that
    // the third is one of the newest.
    own.btrfs(&["subvolume", "delete", ".snapshots/1/snapshot"]);
    own.btrfs(&[
        "subvolume",
        "snapshot",
        "-r",
        "home/..",
        ".snapshots/1/snapshot",
    ]);
    let mounted = own.bench.folder().join("elsewhere");
    std::fs::create_dir(&mounted).unwrap();
    let bind = |from: &Path| {
        let device = Command::new("findmnt")
            .args(["-no", "SOURCE"])
            .arg(own.bench.root())
            .output()
            .unwrap();
        let device = String::from_utf8(device.stdout).unwrap();
        let device = device.trim().split('[').next().unwrap().to_owned();
        let part = format!("subvol={}", from.display());
        let mut command = Command::new("mount");
        works(command.args(["-o", &part, &device]).arg(&mounted)).unwrap();
        Mounted {
            point: mounted.clone(),
        }
    };
    let held = bind(Path::new(".snapshots/2/snapshot"));
    for gone in [4, 5] {
        own.btrfs(&[
            "subvolume",
            "delete",
            &format!(".snapshots/{gone}/snapshot"),
        ]);
    }
    let summary = own.sweep(&manifest, "one");
    let points = |outcome| summary.outcomes.get(&outcome).map_or(0, |sum| sum.items);
    assert_eq!(
        points(Outcome::Changed) + points(Outcome::Refused),
        3,
        "{:?}",
        summary.stayed
    );
    for stays in 1..=3 {
        assert!(
            own.has(&format!(".snapshots/{stays}/snapshot/etc")),
            "{stays}"
        );
    }
    drop(held);
}

#[test]
fn a_run_that_died_is_settled_by_looking_at_the_volume() {
    let Some(own) = OnVolume::new() else { return };
    (1..=4).for_each(|number| own.keep(number));
    let manifest = manifest_of(&own.bench.scan(), false);
    own.sweep(&manifest, "one");
    settle_as_dead(&own.bench, "one");
    let gone = crate::support::logged_as_gone(&own.bench, "one");
    assert!(gone.contains(&b".snapshots/1/snapshot"[..]), "{gone:?}");
    assert!(gone.contains(&b".snapshots/2/snapshot"[..]), "{gone:?}");
}

#[test]
fn one_is_made_before_a_sweep_and_let_go_of_again() {
    let Some(own) = OnVolume::new() else { return };
    let kept = own.bench.root().join("home/ada/kept");
    std::fs::write(&kept, vec![7; 4 << 20]).unwrap();
    let target = own.bench.target();
    if !may_make_point(&target) {
        jolly_demo::skipped(
            "no test of restore points before a sweep: that takes the administrator",
        );
        return;
    }
    let path = make_point(&target, "20260921-120000-001-7").unwrap();
    works(Command::new("rm").arg(&kept)).unwrap();
    works(Command::new("sync").arg("-f").arg(own.bench.root())).unwrap();
    assert!(own.has(&format!("{path}/home/ada/kept")));
    let held = target.measure().unwrap().free;
    let point = point_before(&target, "20260921-120000-001-7")
        .unwrap()
        .unwrap();
    assert_eq!(point.path, path);
    // One of that name which can be written to is somebody's own.
    own.btrfs(&["subvolume", "snapshot", ".", ".jolly-broom-other"]);
    assert_eq!(point_before(&target, "other").unwrap(), None);
    let_go_of_point(&target, &point).unwrap();
    assert!(!own.has(&path.to_string()) && own.has(".jolly-broom-other"));
    assert!(target.measure().unwrap().free >= held + (3 << 20));
}

/// What went for good comes back from the restore point exactly as it was, onto nothing that is there; one that died is
/// cleared up by the next, and the point stays as it is.
#[test]
fn a_single_thing_comes_back_from_the_point_that_was_made_before() {
    let Some(own) = OnVolume::new() else { return };
    let target = own.bench.target();
    if !may_make_point(&target) {
        return jolly_demo::skipped("nothing came back from a point: that takes the administrator");
    }
    let home = own.bench.root().join("home/ada");
    let letters = home.join("letters");
    std::fs::create_dir_all(letters.join("old")).unwrap();
    std::fs::write(letters.join("old/one.txt"), "low water at nine\n").unwrap();
    std::fs::write(letters.join("two.txt"), vec![7; 300_000]).unwrap();
    std::os::unix::fs::symlink("/etc/shadow", letters.join("link")).unwrap();
    works(
        Command::new("chown")
            .args(["-Rh", "1001:1001"])
            .arg(&letters),
    )
    .unwrap();
    works(
        Command::new("chmod")
            .arg("600")
            .arg(letters.join("two.txt")),
    )
    .unwrap();
    let told = |at: &Path| {
        let mut command = Command::new("find");
        command
            .arg(".")
            .args(["-printf", "%p %y %m %U:%G %T@ %s %l\n"]);
        let output = command.current_dir(at).output().unwrap();
        let text = String::from_utf8(output.stdout).unwrap();
        let mut lines: Vec<String> = text.lines().map(str::to_owned).collect();
        lines.sort();
        lines
    };
    let was = told(&letters);
    let point = make_point(&target, "one").unwrap();
    let run = run_id("one");
    let state = own.bench.state();
    let work = Packing {
        target: &target,
        state: &state,
        run: &run,
        own: &[],
        cancel: &CancelToken::default(),
        clock: &now,
        moved: &|_| {},
    };
    let path = |path: &str| TargetPath::new(path).unwrap();
    let back = |name: &str| bring_back_from_point(&work, &point, &path(name));
    let there = back("home/ada/letters/two.txt");
    assert!(matches!(there, Err(PackError::Exists { .. })), "{there:?}");
    works(Command::new("rm").arg("-r").arg(&letters)).unwrap();
    assert!(
        back("home/ada/letters/two.txt").is_err(),
        "its folder is gone"
    );
    assert!(back("home/ada/never").is_err());
    // One that was stopped leaves nothing.
    let stopped = CancelToken::default();
    stopped.cancel();
    let dying = Packing {
        cancel: &stopped,
        ..work
    };
    assert!(bring_back_from_point(&dying, &point, &path("home/ada/letters")).is_err());
    back("home/ada/letters").unwrap();
    assert_eq!(told(&letters), was);
    assert_eq!(
        std::fs::read(letters.join("two.txt")).unwrap(),
        vec![7; 300_000]
    );
    let names = std::fs::read_dir(&home).unwrap();
    let names = names.map(|entry| entry.unwrap().file_name());
    let own_names = names.filter(|name| name.as_encoded_bytes().starts_with(b".jolly"));
    assert_eq!(own_names.count(), 0, "nothing of ours lies there");
    works(Command::new("rm").arg(letters.join("two.txt"))).unwrap();
    back("home/ada/letters/two.txt").unwrap();
    assert_eq!(
        std::fs::read(letters.join("two.txt")).unwrap(),
        vec![7; 300_000]
    );
    assert!(own.has(&format!("{point}/home/ada/letters/old/one.txt")));
}
