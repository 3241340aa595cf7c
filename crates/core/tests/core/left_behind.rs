//! Taking what removed programs left: only what was found and chosen, asked again before it goes.

use std::collections::BTreeSet;

use jolly_core::CancelToken;
use jolly_core::computer::TargetPath;
use jolly_core::decide::{
    Choice, Decisions, Extent, PileDecision, PileState, Selection, left_behind,
};
use jolly_core::pile::{Scan, ScanOrder, scan};
use jolly_core::plan::{Manifest, Outcome, make_manifest};
use jolly_core::rule::{AgeLimit, AgeUnit, Class, Survey, resolve};
use jolly_core::source::PileId;
use jolly_core::survey::{Belongs, Grade, Leftover, inventory, leftovers, searches_of_leftovers};
use proptest::prelude::*;

use crate::leftovers::{Labelled, SETS, grades};
use crate::support::{Bench, DAY, now, paths_of, run};

fn found_on(bench: &Bench) -> Vec<Leftover> {
    let (target, cancel) = (bench.target(), CancelToken::default());
    let belongs = Belongs::built_in();
    let inventory = inventory(&target, &belongs, &cancel);
    leftovers(&target, (&inventory, &belongs), now(), &cancel)
}

fn scan_with(bench: &Bench, leftovers: Vec<Leftover>) -> Scan {
    let (target, rules) = (bench.target(), bench.rules());
    let order = ScanOrder {
        leftovers: leftovers.into(),
        ..ScanOrder::new(&target, &rules, now())
    };
    scan(&order, &CancelToken::default(), &|_| {})
}

fn survey_piles(scan: &Scan) -> Vec<PileId> {
    let piles = (0..scan.piles.len()).map(PileId);
    piles
        .filter(|id| scan.survey_of(*id) == Some(Survey::LeftBehind))
        .collect()
}

fn all_taken(scan: &Scan, selection: Selection) -> Manifest {
    let selection = Selection {
        takes_all: true,
        ..selection
    };
    make_manifest(scan, &Decisions::new(scan, &selection).unwrap())
}

fn texts(manifest: &Manifest) -> BTreeSet<String> {
    let of_survey = |rule: &str| rule == "survey/left-behind";
    let own = manifest.items.iter().filter(|item| of_survey(&item.rule));
    own.map(|item| item.path.to_string()).collect()
}

/// A package of each state: knotbook is there, ferrylog and kedge were removed with their settings kept.
fn bench() -> Bench {
    let bench = Bench::new();
    let package = |name: &str, status: &str| {
        format!("Package: {name}\nStatus: {status}\nArchitecture: all\nVersion: 1\n\n")
    };
    let status = package("knotbook", "install ok installed")
        + &package("ferrylog", "deinstall ok config-files")
        + &package("kedge", "deinstall ok config-files");
    bench.tree.text("var/lib/dpkg/status", status, DAY).unwrap();
    for (path, days) in [
        ("etc/ferrylog/ferry.conf", 900),
        ("etc/ferrylog/parts/a.conf", 900),
        ("etc/knotbook/knot.conf", 900),
        ("etc/ssh/sshd_config", 900),
        ("home/ada/.config/ferrylog/x", 900),
        ("home/ada/.config/ferrylog.d/x", 900),
        ("home/ada/.config/knotbook/x", 900),
        // Against it speaks that it changed lately.
        ("home/ada/.config/kedge/x", 3),
        ("home/ada/.config/kedge/old", 900),
    ] {
        bench.tree.text(path, "x", days * DAY).unwrap();
    }
    let empty = bench.tree.folder("home/ada/.local/share/ferrylog").unwrap();
    bench.tree.age(&empty, 900 * DAY).unwrap();
    bench
}

#[test]
fn by_class_only_what_is_sure_goes_set_aside_and_with_its_folders() {
    let bench = bench();
    let scan = scan_with(&bench, found_on(&bench));
    let manifest = all_taken(&scan, Selection::default());
    let wanted = [
        "etc/ferrylog",
        "etc/ferrylog/ferry.conf",
        "etc/ferrylog/parts",
        "etc/ferrylog/parts/a.conf",
        "home/ada/.config/ferrylog",
        "home/ada/.config/ferrylog/x",
        "home/ada/.local/share/ferrylog",
    ];
    assert!(texts(&manifest).iter().eq(wanted), "{:?}", texts(&manifest));
    assert!(manifest.is_surveyed);
    // Of another class nothing goes, nor where ages ask for more.
    for selection in [
        Selection {
            classes: vec![Class::Spent, Class::Regrows, Class::Felt],
            ..Selection::default()
        },
        Selection {
            older_than: AgeLimit::new(5, AgeUnit::Year).ok(),
            ..Selection::default()
        },
    ] {
        assert_eq!(texts(&all_taken(&scan, selection)), BTreeSet::new());
    }
    let none = Decisions::new(&scan, &Selection::default()).unwrap();
    assert_eq!(texts(&make_manifest(&scan, &none)), BTreeSet::new());
    let summary = run(&bench, &scan, &manifest, "one", &CancelToken::default()).unwrap();
    assert!(!summary.has_stayed(), "{:?}", summary.stayed);
    assert_eq!(summary.sum(Outcome::SetAside).items, wanted.len() as u64);
    let root = bench.root();
    for (path, is_there) in [
        ("etc/ferrylog", false),
        ("etc/knotbook/knot.conf", true),
        ("etc/ssh/sshd_config", true),
        ("home/ada/.config/ferrylog", false),
        ("home/ada/.config/ferrylog.d/x", true),
        ("home/ada/.config/kedge/old", true),
    ] {
        assert_eq!(root.join(path).exists(), is_there, "{path}");
    }
}

#[test]
fn a_pile_of_leftovers_is_taken_as_far_as_it_is_sure_and_one_by_one() {
    let bench = bench();
    let scan = scan_with(&bench, found_on(&bench));
    let mut decisions = Decisions::new(&scan, &Selection::default()).unwrap();
    let portions = left_behind(&scan);
    let named = |name: &str| {
        scan.leftovers
            .iter()
            .position(|one| one.name == name)
            .unwrap()
    };
    let (ferrylog, kedge) = (named("ferrylog"), named("kedge"));
    let chosen = |decisions: &Decisions, at: usize| {
        let each = portions[at].iter().map(|one| one.is_chosen(decisions));
        each.reduce(Extent::with).unwrap()
    };
    let piles = survey_piles(&scan);
    let taken = |decisions: &Decisions, is_taken: bool| -> Vec<(PileId, PileDecision)> {
        let new = |id: &PileId| {
            (
                *id,
                PileDecision {
                    is_taken,
                    ..decisions.of(*id)
                },
            )
        };
        piles.iter().map(new).collect()
    };
    let wanted = taken(&decisions, true);
    assert!(decisions.decide(&scan, "taken", &wanted));
    assert_eq!(
        (chosen(&decisions, ferrylog), chosen(&decisions, kedge)),
        (Extent::All, Extent::Nothing)
    );
    // All of the system's is sure, and one thing of ada's isn't.
    let states = piles.iter().map(|id| decisions.state(&scan, *id));
    assert!(states.eq([PileState::Taken, PileState::Part]));
    let nodes: Vec<_> = portions[kedge]
        .iter()
        .flat_map(|one| one.nodes.clone())
        .collect();
    assert!(decisions.choose_all(&scan, "kedge", &nodes, Choice::Take));
    let with_kedge = texts(&make_manifest(&scan, &decisions));
    assert!(
        with_kedge.contains("home/ada/.config/kedge/x"),
        "{with_kedge:?}"
    );
    assert_eq!(decisions.undo(&scan).as_deref(), Some("kedge"));
    assert_eq!(chosen(&decisions, kedge), Extent::Nothing);
    let wanted = taken(&decisions, false);
    assert!(decisions.decide(&scan, "left", &wanted));
    assert_eq!(texts(&make_manifest(&scan, &decisions)), BTreeSet::new());
}

/// The labelled sets, swept: what is sure goes, whole, past both looks of the guards; nothing else of them does.
#[test]
fn what_is_sure_of_the_labelled_sets_goes_and_nothing_else() {
    for (layout, text) in SETS {
        let set = Labelled::build(layout, text);
        let found = found_on(&set.bench);
        let grades = grades(&found);
        let scan = scan_with(&set.bench, found);
        let only = scan.rules.by_id("survey/left-behind").into_iter().collect();
        let manifest = all_taken(
            &scan,
            Selection {
                only,
                ..Selection::default()
            },
        );
        let summary = run(&set.bench, &scan, &manifest, "one", &CancelToken::default()).unwrap();
        assert!(!summary.has_stayed(), "{layout:?}: {:?}", summary.stayed);
        let items = scan.arena.items();
        let others: Vec<String> = items
            .filter(|item| scan.survey_of(scan.arena.pile(*item)).is_none())
            .map(|item| scan.arena.path(item).to_string())
            .collect();
        let mut gone = 0;
        for (answer, path) in &set.answers {
            let is_sure = grades.get(path) == Some(&Grade::Sure);
            assert!(!is_sure || answer == "left", "{path}");
            // Other rules own caches and logs; what is left to the survey goes.
            let held = set.bench.root().join(path);
            let is_there = held.exists();
            assert!(is_sure || is_there, "{path}");
            let is_others = others
                .iter()
                .any(|other| other.starts_with(&format!("{path}/")));
            assert!(
                !is_sure || !is_there || is_others,
                "{layout:?}: {path} stays"
            );
            gone += usize::from(!is_there);
        }
        assert!(gone > 15, "{layout:?}: {gone}");
    }
}

/// Between the plan and the sweep somebody installs the program again.
#[test]
fn what_the_survey_finds_no_longer_stays() {
    let bench = bench();
    let scan = scan_with(&bench, found_on(&bench));
    let manifest = all_taken(&scan, Selection::default());
    let many = texts(&manifest).len() as u64;
    let again =
        "Package: ferrylog\nStatus: install ok installed\nArchitecture: all\nVersion: 2\n\n";
    bench.tree.text("var/lib/dpkg/status", again, DAY).unwrap();
    let (mut searches, _) = resolve(&scan.target, &scan.rules);
    searches.extend(searches_of_leftovers(&found_on(&bench), &scan.rules));
    let mut later = scan_with(&bench, Vec::new());
    later.searches = searches;
    let summary = run(&bench, &later, &manifest, "one", &CancelToken::default()).unwrap();
    assert_eq!(
        summary.sum(Outcome::Refused).items,
        many,
        "{:?}",
        summary.stayed
    );
    assert!(bench.root().join("etc/ferrylog/parts/a.conf").exists());
}

proptest! {
    #![proptest_config(ProptestConfig::with_cases(32))]

    /// Names that are patterns, or begin as others do: each is taken alone.
    #[test]
    fn prop_a_leftover_is_taken_and_nothing_beside_it(
        names in prop::collection::btree_set("[ab\\[\\]*?{},!\\\\é-]{1,5}", 2..8),
        picked in any::<prop::sample::Index>(),
    ) {
        let bench = Bench::new();
        let names: Vec<String> = names.into_iter().collect();
        for name in &names {
            bench.tree.text(format!("home/ada/.config/{name}/deep/x"), "x", 900 * DAY).unwrap();
        }
        let name = &names[picked.index(names.len())];
        let found = found_on(&bench);
        let only = |one: &Leftover| {
            let folders = one.folders.iter().filter(|folder| folder.path.name() == name.as_bytes());
            Leftover { folders: folders.cloned().collect(), ..one.clone() }
        };
        let found: Vec<Leftover> = found.iter().map(only).collect();
        let is_found = found.iter().any(|one| !one.folders.is_empty());
        let scan = scan_with(&bench, found);
        let mut decisions = Decisions::new(&scan, &Selection::default()).unwrap();
        for portion in left_behind(&scan).iter().flatten() {
            decisions.choose_all(&scan, "it", &portion.nodes, Choice::Take);
        }
        let manifest = make_manifest(&scan, &decisions);
        let inside = TargetPath::new(format!("home/ada/.config/{name}")).unwrap();
        for path in paths_of(&manifest) {
            let path = TargetPath::new(&*path).unwrap();
            prop_assert!(path.below(&inside).is_some(), "{path} beside {inside}");
        }
        prop_assert_eq!(manifest.items.is_empty(), !is_found);
        if is_found {
            let summary = run(&bench, &scan, &manifest, "one", &CancelToken::default()).unwrap();
            prop_assert!(!summary.has_stayed(), "{:?}", summary.stayed);
        }
        for other in &names {
            let stays = bench.root().join("home/ada/.config").join(other).exists();
            prop_assert_eq!(stays, other != name || !is_found, "{}", other);
        }
    }
}
