//! Where the space is: what is counted equals what anybody else counts, and shelves show just that.

use std::collections::{BTreeMap, HashSet};
use std::os::unix::fs::MetadataExt as _;
use std::path::Path;
use std::process::Command;

use jolly_core::CancelToken;
use jolly_core::computer::TargetPath;
use jolly_core::report::{note_of_look, read_look};
use jolly_core::survey::{Belongs, Likely, Part, Space, inventory, lying, space};
use jolly_core::walk::{FolderNumber, walk_tree};
use proptest::prelude::*;

use crate::support::{Bench, DAY, NOW, now};

fn looked_at(bench: &Bench) -> Space {
    let target = bench.target();
    let tree = walk_tree(&target, &[], &CancelToken::default(), &|_| {});
    space(&target, tree)
}

/// Bytes, files and last use of each folder, counted without any of it: names in order, each inode once.
fn recount(root: &Path) -> BTreeMap<String, (u64, u64, i64)> {
    fn count(
        at: &Path,
        root: &Path,
        seen: &mut HashSet<u64>,
        all: &mut BTreeMap<String, (u64, u64, i64)>,
    ) -> (u64, u64, i64) {
        let mut sum = (at.symlink_metadata().unwrap().blocks() * 512, 0, i64::MIN);
        let entries = std::fs::read_dir(at).unwrap();
        let mut paths: Vec<_> = entries.map(|entry| entry.unwrap().path()).collect();
        paths.sort();
        for path in paths {
            let stat = path.symlink_metadata().unwrap();
            if stat.is_dir() {
                let below = count(&path, root, seen, all);
                sum = (sum.0 + below.0, sum.1 + below.1, sum.2.max(below.2));
                continue;
            }
            let bytes = if seen.insert(stat.ino()) {
                stat.blocks() * 512
            } else {
                0
            };
            sum = (
                sum.0 + bytes,
                sum.1 + 1,
                sum.2.max(stat.atime().max(stat.mtime())),
            );
        }
        let path = at.strip_prefix(root).unwrap();
        all.insert(path.to_string_lossy().into_owned(), sum);
        sum
    }
    let mut all = BTreeMap::new();
    count(root, root, &mut HashSet::new(), &mut all);
    all
}

#[derive(Clone, Debug)]
struct Made {
    folder: usize,
    size: u64,
    age: i64,
    /// The file that it is another name of.
    same_as: Option<usize>,
}

const FOLDERS: [&str; 6] = ["a", "a/b", "a/b/c", "d", "d/e e", "d/é"];

fn made() -> impl Strategy<Value = Vec<Made>> {
    let one = (
        0..FOLDERS.len(),
        prop_oneof![Just(0_u64), 1_u64..200_000],
        0_i64..2_000,
        prop::option::weighted(0.25, 0_usize..40),
    );
    let one = one.prop_map(|(folder, size, age, same_as)| Made {
        folder,
        size,
        age,
        same_as,
    });
    proptest::collection::vec(one, 0..40)
}

proptest! {
    #![proptest_config(ProptestConfig::with_cases(24))]

    #[test]
    fn prop_every_folder_holds_what_a_naive_count_says(made in made(), width in 1_u64..300, least in 1_u64..4) {
        let bench = Bench::new();
        for (number, one) in made.iter().enumerate() {
            let path = |at: usize, folder: usize| format!("home/ada/{}/{at:02}", FOLDERS[folder]);
            let own = path(number, one.folder);
            match one.same_as.filter(|other| *other < number) {
                Some(other) => bench.tree.hard_link(path(other, made[other].folder), own).unwrap(),
                None => drop(bench.tree.file(own, one.size, one.age * DAY).unwrap()),
            }
        }
        bench.tree.link("home/ada/leads-out", Path::new("/"), DAY).unwrap();
        bench.tree.pipe("home/ada/pipe", DAY).unwrap();
        let space = looked_at(&bench);
        let counted = recount(&bench.root());
        let mut folders = 0;
        for folder in space.tree.folders() {
            let part = Part::Folder(folder);
            let held = space.held(part);
            let path = space.path(part);
            let path = String::from_utf8(path.as_bytes().to_vec()).unwrap();
            let (bytes, files, touched) = counted[&path];
            prop_assert_eq!((held.bytes, held.files), (bytes, files), "{}", path);
            prop_assert_eq!(held.touched.unwrap_or(i64::MIN), touched, "{}", path);
            folders += 1;
        }
        prop_assert_eq!(folders, counted.len());
        let whole = space.whole();
        prop_assert_eq!((whole.size(), whole.unexplained, whole.shared), (whole.counted, 0, 0));

        // Shelves: below their folder, side by side, wide as what they hold but for a unit.
        let shelves = space.shelves(FolderNumber::ROOT, (width, 5), least);
        let all = space.held(Part::Folder(FolderNumber::ROOT)).bytes;
        for shelf in &shelves {
            prop_assert!(shelf.from <= shelf.to && shelf.to <= width);
            if shelf.level == 0 {
                prop_assert_eq!((shelf.from, shelf.to), (0, width));
                continue;
            }
            prop_assert!(shelf.to - shelf.from >= least);
            let parent = Part::Folder(space.parent(shelf.part).unwrap());
            let above = shelves.iter().find(|it| it.part == parent).unwrap();
            prop_assert!(above.level + 1 == shelf.level && above.from <= shelf.from && shelf.to <= above.to);
            let share = space.held(shelf.part).bytes as f64 * width as f64 / all as f64;
            prop_assert!(((shelf.to - shelf.from) as f64 - share).abs() <= 5.0);
            let beside = shelves.iter().filter(|it| it.level == shelf.level && it.part != shelf.part);
            for other in beside {
                prop_assert!(other.to <= shelf.from || shelf.to <= other.from);
            }
        }

        // What nobody used for a year stands once in the list, at its topmost folder.
        let moment = NOW - 365 * DAY;
        let unused = space.unused_since(moment, 1_000);
        let is_below = |part: &Part| {
            let path = space.path(*part);
            unused.iter().any(|other| other != part && path.below(&space.path(*other)).is_some())
        };
        for part in &unused {
            prop_assert!(space.held(*part).touched.unwrap() < moment && !is_below(part));
        }
        let listed: u64 = unused.iter().map(|part| space.held(*part).files).sum();
        let old = made.iter().filter(|one| one.same_as.is_none() && one.age > 366).count() as u64;
        prop_assert!(listed >= old, "{listed} of {old}");
    }
}

/// The demo computer as its own tools count it, and a walk below one folder alone.
#[test]
fn a_whole_computer_holds_what_du_says_and_a_part_of_it_is_walked_alone() {
    let bench = Bench::demo();
    let space = looked_at(&bench);
    let du = |path: &Path| {
        let said = Command::new("du").args(["-xsB1"]).arg(path).output();
        let said = String::from_utf8(said.unwrap().stdout).unwrap();
        said.split_whitespace()
            .next()
            .unwrap()
            .parse::<u64>()
            .unwrap()
    };
    let root = Part::Folder(FolderNumber::ROOT);
    assert_eq!(space.held(root).bytes, du(&bench.root()));
    let whole = space.whole();
    let volume = space.volume.unwrap();
    assert_eq!(
        (whole.size(), whole.unexplained),
        (volume.size, 0),
        "the demo is a disk of its own"
    );

    let target = bench.target();
    let place = |path: &str| TargetPath::new(path).unwrap();
    let below = [place("home/pia/.cache"), place("home/pia"), place("var")];
    let part = walk_tree(&target, &below, &CancelToken::default(), &|_| {});
    let part = jolly_core::survey::space(&target, part);
    for path in ["home/pia", "home/pia/.cache", "var/log"] {
        let find = |space: &Space| Part::Folder(space.tree.find(&place(path)).unwrap());
        assert_eq!(
            part.held(find(&part)).bytes,
            space.held(find(&space)).bytes,
            "{path}"
        );
    }
    assert!(part.tree.find(&place("home/joss")).is_none());

    // What rules found is marked, file by file.
    let scan = bench.scan();
    let mut marked = looked_at(&bench);
    marked.mark(scan.found_by_folder());
    let found = |path: &str| {
        let folder = marked.tree.find(&place(path)).unwrap();
        marked.held(Part::Folder(folder))
    };
    let thumbnails = found("home/pia/.cache/thumbnails/large");
    assert!(thumbnails.found > 0 && thumbnails.found <= thumbnails.bytes);
    assert_eq!(found("usr/share/applications").found, 0);
    let all = marked.held(root);
    assert!(
        all.found < all.bytes && all.bytes == du(&bench.root()),
        "{all:?}"
    );
}

/// What grew since the last look: told by the deepest folder or file that most of it is in, and by nothing that shrank.
#[test]
fn what_grew_since_the_last_look_is_told_where_it_lies() {
    let bench = Bench::new();
    let file = |path: &str, size: u64| drop(bench.tree.file(path, size, DAY).unwrap());
    file("home/ada/Videos/regatta.mkv", 4 << 20);
    file("home/ada/Mail/inbox", 1 << 20);
    file("home/ada/Music/song", 1 << 20);
    for number in 0..20 {
        file(&format!("home/ada/Photos/{number}"), 40_000);
    }
    let first = looked_at(&bench);
    let note = note_of_look(&first, now()).unwrap();
    file("home/ada/Mail/inbox", 3 << 20);
    file("home/ada/Music/song", 10_000);
    file("home/ada/new/image.iso", 2 << 20);
    for number in 20..60 {
        file(&format!("home/ada/Photos/{number}"), 4_000);
    }
    let mut second = looked_at(&bench);
    assert!(second.grown(10).is_empty(), "nothing is known of before");
    second.before = read_look(&note);
    let before = second.before.clone().unwrap();
    assert_eq!(before.when, now());
    let grown = second.grown(10);
    let told: Vec<String> = grown
        .iter()
        .map(|part| second.path(*part).to_string())
        .collect();
    assert_eq!(
        told,
        [
            "home/ada/Mail/inbox",
            "home/ada/new/image.iso",
            "home/ada/Photos"
        ]
    );
    let inbox = grown[0];
    assert_eq!(second.grew(inbox), Some(2 << 20));
    let music = second
        .tree
        .find(&TargetPath::new("home/ada/Music").unwrap());
    assert_eq!(second.grew(Part::Folder(music.unwrap())), None);
    // Such a note decides nothing: what is none tells nothing.
    let of_another = note.replace("\"version\":1", "\"version\":2");
    for wrong in ["", "{}", &note[..note.len() / 2], of_another.as_str()] {
        assert_eq!(read_look(wrong), None, "{wrong:?}");
    }
    let climbs = note.replace("home/ada/Videos", "../../Videos");
    assert_eq!(read_look(&climbs), None);
}

/// What lies in downloads and on the desktop is told by its name and by what lies beside it, and nothing is read.
#[test]
fn downloads_are_told_by_what_they_likely_are() {
    let bench = Bench::new();
    let status =
        "Package: tidewatch\nStatus: install ok installed\nArchitecture: all\nVersion: 1\n\n";
    bench.tree.text("var/lib/dpkg/status", status, DAY).unwrap();
    let launcher = "[Desktop Entry]\nType=Application\nName=Tidewatch\nExec=tidewatch\n";
    bench
        .tree
        .text("usr/share/applications/tidewatch.desktop", launcher, DAY)
        .unwrap();
    let names: [(&str, Likely); 9] = [
        ("Downloads/film.mkv.part", Likely::Torn),
        (
            "Downloads/tidewatch_2.1_amd64.deb",
            Likely::Installed("Tidewatch".to_owned()),
        ),
        (
            "Downloads/charts.tar.gz",
            Likely::Unpacked("charts".to_owned()),
        ),
        ("Downloads/Setup-Other.EXE", Likely::Installer),
        ("Desktop/live.iso", Likely::DiskImage),
        ("Downloads/empty.zip", Likely::Archive),
        ("Desktop/song.flac", Likely::Recording),
        ("Desktop/bill.pdf", Likely::Document),
        ("Downloads/what is this", Likely::Other),
    ];
    for (name, _) in &names {
        bench
            .tree
            .file(format!("home/ada/{name}"), 9_000, 40 * DAY)
            .unwrap();
    }
    bench
        .tree
        .file("home/ada/Downloads/charts/bay.bin", 9_000, DAY)
        .unwrap();
    bench.tree.folder("home/ada/Downloads/empty").unwrap();
    let space = looked_at(&bench);
    let known = inventory(
        &bench.target(),
        &Belongs::built_in(),
        &CancelToken::default(),
    );
    let told = lying(&bench.target(), &space, &known);
    let told: Vec<(String, Likely)> = told
        .into_iter()
        .map(|one| (space.path(one.part).to_string(), one.likely))
        .filter(|(_, likely)| *likely != Likely::Folder)
        .collect();
    let wanted = names.map(|(name, likely)| (format!("home/ada/{name}"), likely));
    assert_eq!(told, wanted);
}
