//! The same in two versions: what is told to be the same, which is suggested, and what goes only while the other is there.

use std::collections::BTreeSet;
use std::sync::LazyLock;

use jolly_core::CancelToken;
use jolly_core::plan::Outcome;
use jolly_core::rule::Survey;
use jolly_core::survey::{VersionFacts, VersionGroup, Versions, chosen_versions, versions};
use jolly_core::walk::{FileNumber, FileTree, walk_tree};
use jolly_demo::{SongTags, flac, jpeg, mp3};
use proptest::prelude::*;

use crate::copies::{away, list_of, scan_with};
use crate::support::{Bench, DAY, bring_back, run};

struct Found {
    versions: Versions,
    tree: FileTree,
}

fn look(bench: &Bench) -> Found {
    let target = bench.target();
    let never = CancelToken::default();
    let tree = walk_tree(&target, &[], &never, &|_| {});
    let versions = versions(&target, &tree, &never, &|_| {});
    Found { versions, tree }
}

fn names(found: &Found, group: &VersionGroup) -> Vec<String> {
    let files = group.versions.iter();
    files
        .map(|one| String::from_utf8_lossy(found.tree.file_name(one.file)).into_owned())
        .collect()
}

fn put(bench: &Bench, name: &str, bytes: Vec<u8>) {
    let path = format!("home/ada/Music/{name}");
    bench.tree.text(path, bytes, 90 * DAY).unwrap();
}

const TAGS: SongTags<'_> = SongTags {
    title: "Rope and Tar",
    artist: "The Choir",
};

#[test]
fn recordings_are_the_same_by_what_they_tell_and_the_better_is_suggested_only_where_it_surely_is() {
    let bench = Bench::new();
    let retold = SongTags {
        title: " rope  AND tar",
        artist: "the choir",
    };
    put(&bench, "1.mp3", mp3(1, TAGS, 10, 128));
    put(&bench, "2.flac", flac(2, retold, 11));
    put(&bench, "3.mp3", mp3(3, TAGS, 10, 320));
    // Another length, another title, no words at all, and no recording.
    put(&bench, "long.mp3", mp3(4, TAGS, 16, 320));
    let other = SongTags {
        title: "Nets",
        ..TAGS
    };
    put(&bench, "other.mp3", mp3(5, other, 10, 320));
    let none = SongTags { title: " ", ..TAGS };
    put(&bench, "none.mp3", mp3(6, none, 10, 320));
    put(&bench, "noise.mp3", vec![7; 90_000]);
    put(&bench, "short.flac", b"fLaC".to_vec());
    let found = look(&bench);
    let [group] = found.versions.recordings.as_slice() else {
        panic!("{:?}", found.versions.recordings);
    };
    assert_eq!(names(&found, group), ["2.flac", "3.mp3", "1.mp3"]);
    assert!(group.is_first_better);
    let told: Vec<(&str, bool, Option<u32>)> = (group.versions.iter())
        .map(|one| match &one.facts {
            VersionFacts::Recording(of) => (of.format, of.is_lossless, of.kbps),
            VersionFacts::Picture(_) => panic!("{one:?}"),
        })
        .collect();
    assert_eq!(told[0], ("FLAC", true, told[0].2));
    assert_eq!(
        told[1..],
        [("MP3", false, Some(320)), ("MP3", false, Some(128))]
    );
}

#[test]
fn of_one_camera_and_moment_sizes_are_told_and_none_is_suggested() {
    let bench = Bench::new();
    let taken = ("2025:09:06 17:10:09", "Lanternfish 7");
    let put = |name: &str, bytes: Vec<u8>| {
        let path = format!("home/ada/Pictures/{name}");
        bench.tree.text(path, bytes, 90 * DAY).unwrap();
    };
    put("large.jpg", jpeg(1, (4_000, 3_000), taken, 9_000));
    put("small.jpg", jpeg(2, (1_280, 960), taken, 5_000));
    // A part cut out of it, another moment, another camera, one of a row of two, one that tells nothing.
    put("square.jpg", jpeg(3, (900, 900), taken, 5_000));
    put(
        "later.jpg",
        jpeg(4, (1_280, 960), ("2025:09:06 17:10:10", taken.1), 5_000),
    );
    put(
        "hers.jpg",
        jpeg(5, (1_280, 960), (taken.0, "Squid 2"), 5_000),
    );
    put(
        "row1.jpg",
        jpeg(6, (800, 600), ("2025:09:07 08:00:00", taken.1), 5_000),
    );
    put(
        "row2.jpg",
        jpeg(7, (800, 600), ("2025:09:07 08:00:00", taken.1), 5_000),
    );
    put(
        "never.jpg",
        jpeg(8, (4_000, 3_000), ("0000:00:00 00:00:00", taken.1), 5_000),
    );
    put(
        "never2.jpg",
        jpeg(8, (400, 300), ("0000:00:00 00:00:00", taken.1), 5_000),
    );
    let found = look(&bench);
    let [group] = found.versions.pictures.as_slice() else {
        panic!("{:?}", found.versions.pictures);
    };
    assert_eq!(names(&found, group), ["large.jpg", "small.jpg"]);
    assert!(!group.is_first_better && found.versions.recordings.is_empty());
}

/// A version goes while the other one is as it was, and comes back; it stays when that one changed, went, or goes, too.
#[test]
fn a_version_goes_only_while_the_other_is_as_it_was() {
    type Attack<'a> = (&'a str, &'a dyn Fn(&Bench), u64);
    let better = |bench: &Bench| bench.root().join("home/ada/Music/1.flac");
    let attacks: [Attack<'_>; 5] = [
        ("nothing", &|_| {}, 2),
        ("gone", &|bench| away(&better(bench)), 1),
        (
            "shorter",
            &|bench| {
                let bytes = std::fs::read(better(bench)).unwrap();
                std::fs::write(better(bench), &bytes[..9_000]).unwrap();
            },
            1,
        ),
        (
            "another name of the one that goes",
            &|bench| {
                away(&better(bench));
                let worse = bench.root().join("home/ada/Music/1.mp3");
                std::fs::hard_link(worse, better(bench)).unwrap();
            },
            1,
        ),
        (
            "a link",
            &|bench| {
                away(&better(bench));
                std::os::unix::fs::symlink("2.flac", better(bench)).unwrap();
            },
            1,
        ),
    ];
    for (name, attack, goes) in attacks {
        let bench = Bench::new();
        for (number, title) in (1..).zip(["Rope and Tar", "Nets"]) {
            let tags = SongTags { title, ..TAGS };
            put(&bench, &format!("{number}.flac"), flac(number, tags, 9));
            put(&bench, &format!("{number}.mp3"), mp3(number, tags, 9, 128));
        }
        let found = look(&bench);
        let worse: BTreeSet<FileNumber> = (found.versions.recordings.iter())
            .filter_map(|group| Some(group.versions.get(1)?.file))
            .collect();
        let chosen = chosen_versions(&found.versions, &found.tree, &worse);
        assert_eq!(chosen.len(), 2);
        let scan = scan_with(&bench, chosen);
        let manifest = list_of(&scan, false);
        assert!(
            manifest
                .items
                .iter()
                .all(|item| *item.rule == *Survey::Versions.rule_id())
        );
        attack(&bench);
        let before = bench.paths();
        let summary = run(&bench, &scan, &manifest, "one", &CancelToken::default()).unwrap();
        assert_eq!(
            summary.sum(Outcome::SetAside).items,
            goes,
            "{name}: {:?}",
            summary.stayed
        );
        let back = bring_back(&bench, &scan, &|_| true);
        assert!(back.items.iter().all(|(_, back)| back.is_back()));
        assert_eq!(bench.paths(), before, "{name}");
    }
}

#[test]
fn of_a_group_one_version_stays_whatever_is_chosen() {
    let bench = Bench::new();
    for (number, kbps) in (1..).zip([320, 192, 128]) {
        put(&bench, &format!("{number}.mp3"), mp3(number, TAGS, 9, kbps));
    }
    let found = look(&bench);
    let all: Vec<FileNumber> = (found.versions.recordings[0].versions.iter())
        .map(|version| version.file)
        .collect();
    for choice in 0..8_usize {
        let goes: BTreeSet<FileNumber> = (all.iter().enumerate())
            .filter(|(at, _)| choice >> at & 1 == 1)
            .map(|(_, file)| *file)
            .collect();
        let chosen = chosen_versions(&found.versions, &found.tree, &goes);
        assert_eq!(chosen.len(), goes.len().min(2));
        let goes: BTreeSet<_> = chosen.iter().map(|one| &one.goes).collect();
        assert!(chosen.iter().all(|one| !goes.contains(&one.stays)));
    }
}

/// A recording or picture of which some bytes are others, or the end is gone.
fn damaged(
    which: usize,
    cut: prop::sample::Index,
    damage: &[(prop::sample::Index, u8)],
) -> (&'static str, Vec<u8>) {
    static WHOLE: LazyLock<[(&str, Vec<u8>); 3]> = LazyLock::new(|| {
        let taken = ("2025:09:06 17:10:09", "Lanternfish 7");
        [
            ("mp3", mp3(1, TAGS, 1, 128)),
            ("flac", flac(2, TAGS, 1)),
            ("jpg", jpeg(3, (4_000, 3_000), taken, 4_000)),
        ]
    });
    let (ending, mut bytes) = WHOLE[which].clone();
    // Most of what matters stands at the beginning.
    let head = bytes.len().min(400);
    for (at, byte) in damage {
        bytes[at.index(head)] = *byte;
    }
    if damage.len().is_multiple_of(2) {
        bytes.truncate(cut.index(bytes.len()) + 1);
    }
    (ending, bytes)
}

proptest! {
    #![proptest_config(ProptestConfig::with_cases(100))]

    /// Whatever is broken in files breaks those files alone.
    #[test]
    fn prop_damaged_files_are_told_as_nothing_or_as_themselves(
        all in proptest::collection::vec(
            (
                0..3_usize,
                any::<prop::sample::Index>(),
                proptest::collection::vec((any::<prop::sample::Index>(), any::<u8>()), 0..12),
            ),
            100,
        )
    ) {
        let bench = Bench::new();
        for (number, (which, cut, damage)) in all.iter().enumerate() {
            let (ending, bytes) = damaged(*which, *cut, damage);
            put(&bench, &format!("{number}.{ending}"), bytes);
        }
        put(&bench, "whole.mp3", mp3(1, TAGS, 9, 128));
        put(&bench, "whole.flac", flac(1, TAGS, 9));
        let found = look(&bench);
        prop_assert!(!found.versions.is_partial);
        let groups = found.versions.recordings.iter();
        let has_whole = groups.filter(|group| names(&found, group).contains(&"whole.flac".to_owned()));
        prop_assert_eq!(has_whole.count(), 1);
    }
}
