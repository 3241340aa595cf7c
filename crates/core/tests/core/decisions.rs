//! Whatever is decided, the sums are exact, every step can be taken back, and a manifest holds
//! exactly what the decisions take.

use std::collections::{BTreeMap, BTreeSet};

use jolly_core::decide::{
    Decisions, EntryKind, Exclusion, PileDecision, PileState, Selection, make_manifest,
};
use jolly_core::rulebook::{AgeLimit, AgeUnit, Guards};
use jolly_core::scan::{ItemId, PileId, Scan, Sum};
use jolly_core::target::Layout;
use proptest::prelude::*;

use crate::support::{Bench, DAY, arb_tree, build, paths_of};

fn arb_limit() -> impl Strategy<Value = Option<AgeLimit>> {
    let units = vec![AgeUnit::Hour, AgeUnit::Day, AgeUnit::Week, AgeUnit::Month];
    prop::option::of((1_u32..60, prop::sample::select(units)))
        .prop_map(|some| some.and_then(|(count, unit)| AgeLimit::new(count, unit).ok()))
}

/// One thing that somebody may do to the decisions.
#[derive(Clone, Debug)]
enum Deed {
    Decide(usize, bool, Option<AgeLimit>),
    Undo,
    Redo,
}

fn arb_deed() -> impl Strategy<Value = Deed> {
    prop_oneof![
        5 => (any::<usize>(), any::<bool>(), arb_limit()).prop_map(|(at, take, limit)| Deed::Decide(at, take, limit)),
        2 => Just(Deed::Undo),
        1 => Just(Deed::Redo),
    ]
}

fn arb_exclusions() -> impl Strategy<Value = Vec<Exclusion>> {
    let patterns = vec!["*.tmp", "var/tmp", "a", "home/ada/.cache/**", "tmp/*/b.tmp"];
    prop::collection::vec(prop::sample::select(patterns), 0..3).prop_map(|all| {
        all.iter()
            .filter_map(|pattern| Exclusion::new(pattern, Layout::Linux).ok())
            .collect()
    })
}

/// Whether an item goes, asked of that item alone.
fn goes(scan: &Scan, decisions: &Decisions, exclusions: &[Exclusion], item: ItemId) -> bool {
    let decision = decisions.of(scan.arena.pile(item));
    let path = scan.arena.path(item);
    decision.is_taken
        && decision
            .limit
            .is_none_or(|limit| scan.age(item) >= limit.as_seconds())
        && !exclusions.iter().any(|exclusion| exclusion.spares(&path))
}

/// What goes, added up item by item; bytes of a file with several names only with the last.
fn recount(scan: &Scan, decisions: &Decisions, exclusions: &[Exclusion]) -> Sum {
    let mut names: BTreeMap<(u64, u64), u32> = BTreeMap::new();
    let mut sum = Sum::default();
    for item in scan
        .arena
        .items()
        .filter(|item| goes(scan, decisions, exclusions, *item))
    {
        sum.items += 1;
        let key = scan.arena.key(item);
        let gone = names.entry((key.device, key.inode)).or_default();
        *gone += 1;
        if *gone == scan.arena.links(item).max(1) {
            sum.bytes += scan.arena.allocated(item);
        }
    }
    sum
}

fn apply(scan: &Scan, decisions: &mut Decisions, deed: &Deed) {
    match deed {
        Deed::Undo => drop(decisions.undo(scan)),
        Deed::Redo => drop(decisions.redo(scan)),
        Deed::Decide(at, is_taken, limit) if !scan.piles.is_empty() => {
            let pile = PileId(at % scan.piles.len());
            let new = PileDecision {
                is_taken: *is_taken,
                limit: *limit,
            };
            decisions.decide(scan, "a step", &[(pile, new)]);
        }
        Deed::Decide(..) => {}
    }
}

fn all_of(scan: &Scan, decisions: &Decisions) -> Vec<PileDecision> {
    (0..scan.piles.len())
        .map(|at| decisions.of(PileId(at)))
        .collect()
}

proptest! {
    #![proptest_config(ProptestConfig { cases: 48, failure_persistence: None, ..ProptestConfig::default() })]

    #[test]
    fn prop_the_sums_follow_every_decision_and_the_manifest_holds_just_that(
        tree in arb_tree(),
        deeds in prop::collection::vec(arb_deed(), 0..12),
        exclusions in arb_exclusions(),
    ) {
        let bench = Bench::new();
        build(&bench, &tree);
        let scan = bench.scan();
        let selection = Selection { exclusions: exclusions.clone(), ..Selection::default() };
        let mut decisions = Decisions::new(&scan, &selection);
        for deed in &deeds {
            apply(&scan, &mut decisions, deed);
            prop_assert_eq!(decisions.takes_in_all(), recount(&scan, &decisions, &exclusions));
        }
        let manifest = make_manifest(&scan, &decisions);
        let files: Vec<_> =
            manifest.items.iter().filter(|item| item.kind != EntryKind::Folder).collect();
        let expected: BTreeSet<Vec<u8>> = scan.arena.items()
            .filter(|item| goes(&scan, &decisions, &exclusions, *item))
            .map(|item| scan.arena.path(item).as_bytes().to_vec())
            .collect();
        let listed: BTreeSet<Vec<u8>> =
            files.iter().map(|item| item.path.as_bytes().to_vec()).collect();
        prop_assert_eq!(files.len(), listed.len(), "a path stands in it twice");
        prop_assert_eq!(&listed, &expected);
        prop_assert_eq!(files.iter().map(|item| item.bytes).sum::<u64>(), manifest.takes.bytes);
        prop_assert_eq!(manifest.takes, decisions.takes_in_all());

        // Nothing guarded, nothing excluded, no place's root; a folder only when all in it goes.
        let mut guards = Guards::new(&scan.target.places, Vec::new());
        scan.searches.iter().for_each(|search| guards.add_root(search.root.clone()));
        let all = paths_of(&manifest);
        for item in &manifest.items {
            let rule = scan.rules.rule(scan.rules.by_id(&item.rule).unwrap());
            let root = scan.searches.iter()
                .map(|search| &search.root).find(|root| item.path.below(root).is_some()).unwrap();
            prop_assert!(guards.root(&item.path).is_none());
            prop_assert!(guards.path(&item.path, &rule.rule, root).is_none());
            prop_assert!(!exclusions.iter().any(|exclusion| exclusion.spares(&item.path)));
            if item.kind == EntryKind::Folder {
                use std::os::unix::ffi::OsStrExt as _;
                let folder = bench.root().join(std::ffi::OsStr::from_bytes(item.path.as_bytes()));
                for entry in std::fs::read_dir(folder).unwrap() {
                    let name = entry.unwrap().file_name();
                    let below = item.path.join(name.as_bytes()).unwrap();
                    prop_assert!(all.contains(below.as_bytes()), "{} stays in {}", below, item.path);
                }
            }
        }
    }

    #[test]
    fn prop_undoing_everything_gives_the_start_and_redoing_gives_the_end(
        tree in arb_tree(),
        deeds in prop::collection::vec(arb_deed(), 0..20),
    ) {
        let bench = Bench::new();
        build(&bench, &tree);
        let scan = bench.scan();
        let mut decisions = Decisions::new(&scan, &Selection::default());
        let start = (all_of(&scan, &decisions), decisions.takes_in_all());
        for deed in deeds.iter().filter(|deed| matches!(deed, Deed::Decide(..))) {
            apply(&scan, &mut decisions, deed);
        }
        let end = (all_of(&scan, &decisions), decisions.takes_in_all());
        while decisions.undo(&scan).is_some() {}
        prop_assert_eq!((all_of(&scan, &decisions), decisions.takes_in_all()), start);
        while decisions.redo(&scan).is_some() {}
        prop_assert_eq!((all_of(&scan, &decisions), decisions.takes_in_all()), end);
    }
}

#[test]
fn a_pile_with_something_spared_is_taken_in_part_and_its_folder_stays() {
    let bench = Bench::new();
    for name in ["job/keep.me", "job/go", "rest/go"] {
        bench
            .tree
            .file(format!("tmp/{name}"), 4096, 60 * DAY)
            .unwrap();
    }
    let scan = bench.scan();
    let exclusions = vec![Exclusion::new("keep.*", Layout::Linux).unwrap()];
    let decisions = Decisions::new(
        &scan,
        &Selection {
            exclusions,
            ..Selection::default()
        },
    );
    let pile = scan
        .pile_of(scan.rules.by_id("linux/system-temp").unwrap(), None)
        .unwrap();
    assert_eq!(decisions.state(&scan, pile), PileState::Part);
    assert_eq!(
        decisions.takes(pile),
        Sum {
            items: 2,
            bytes: 8192
        }
    );
    let paths = paths_of(&make_manifest(&scan, &decisions));
    let expected = [&b"tmp/job/go"[..], b"tmp/rest", b"tmp/rest/go"].map(<[u8]>::to_vec);
    assert_eq!(paths, BTreeSet::from(expected));
}

#[test]
fn options_narrow_and_raise_but_never_hand_a_file_to_another_rule() {
    let bench = Bench::new();
    bench
        .tree
        .file("home/ada/.cache/thumbnails/large/a.png", 4096, 100 * DAY)
        .unwrap();
    bench
        .tree
        .file("home/ada/.cache/x/b", 4096, 100 * DAY)
        .unwrap();
    let scan = bench.scan();
    let number = |id: &str| scan.rules.by_id(id).unwrap();
    let items = |selection: Selection| {
        make_manifest(&scan, &Decisions::new(&scan, &selection))
            .takes
            .items
    };
    assert_eq!(items(Selection::default()), 2);
    assert_eq!(
        items(Selection {
            only: vec![number("program-caches")],
            ..Selection::default()
        }),
        1
    );
    assert_eq!(
        items(Selection {
            skip: vec![number("picture-thumbnails")],
            ..Selection::default()
        }),
        1
    );
    let older_than = "4 months".parse().ok();
    assert_eq!(
        items(Selection {
            older_than,
            ..Selection::default()
        }),
        0
    );
    assert_eq!(
        items(Selection {
            accounts: vec![9],
            ..Selection::default()
        }),
        0
    );
}

#[test]
fn a_spared_thing_of_a_trash_keeps_what_describes_it() {
    let bench = Bench::new();
    let trash = "home/ada/.local/share/Trash";
    for name in ["mine", "rubbish"] {
        bench
            .tree
            .file(format!("{trash}/files/{name}"), 4096, 60 * DAY)
            .unwrap();
        let info = format!("[Trash Info]\nPath={name}\nDeletionDate=2026-01-01T00:00:00\n");
        bench
            .tree
            .text(format!("{trash}/info/{name}.trashinfo"), info, 60 * DAY)
            .unwrap();
    }
    let scan = bench.scan();
    let exclusions = vec![Exclusion::new("mine", Layout::Linux).unwrap()];
    let selection = Selection {
        exclusions,
        takes_all: true,
        ..Selection::default()
    };
    let manifest = make_manifest(&scan, &Decisions::new(&scan, &selection));
    let paths = paths_of(&manifest);
    assert_eq!(paths.len(), 2, "{paths:?}");
    assert!(
        paths
            .iter()
            .all(|path| String::from_utf8_lossy(path).contains("rubbish"))
    );
}
