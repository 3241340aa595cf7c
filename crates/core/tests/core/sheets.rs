//! Job sheets: what is kept of visits, taken from bench to bench, held against what is there now.

use std::collections::BTreeSet;

use jiff::Timestamp;
use jolly_core::CancelToken;
use jolly_core::computer::Volume;
use jolly_core::decide::{Decisions, Selection};
use jolly_core::report::{
    RuleWords, customer_page, forecast, regrown, told, visit_run, visit_scan,
};
use jolly_core::rule::Class;
use jolly_core::run::verify_log;
use jolly_core::state::{
    Kept, Sheet, SheetId, SheetStore, Told, Visit, VisitFact, VisitLook, VisitPile, VisitRun,
    VisitScan, VisitSign, WentOf, export_sheet, import_sheets,
};
use proptest::prelude::*;

use crate::support::{Bench, DAY, NOW, manifest_of, run, run_id};

fn at(days: i64) -> Timestamp {
    Timestamp::from_second(NOW + days * DAY).unwrap()
}

fn pile(rule: &str, account: Option<&str>, bytes: u64) -> VisitPile {
    VisitPile {
        rule: rule.to_owned(),
        title: rule.to_uppercase(),
        class: "regrows".to_owned(),
        account: account.map(str::to_owned),
        found: Kept { items: 1, bytes },
        takes: Kept::default(),
        state: "taken".to_owned(),
        bands: vec![0; 12],
    }
}

fn scan_of(free: u64, piles: Vec<VisitPile>) -> VisitScan {
    VisitScan {
        volume: Volume {
            size: 1000,
            used: 1000 - free,
            free,
        },
        is_whole: true,
        piles,
    }
}

fn run_of(days: i64, free: u64, went: &[(&str, Option<&str>, u64)]) -> VisitRun {
    let went = went.iter().map(|(rule, account, bytes)| WentOf {
        rule: (*rule).to_owned(),
        account: account.map(str::to_owned),
        sum: Kept {
            items: 1,
            bytes: *bytes,
        },
    });
    VisitRun {
        run: format!("run-{days}"),
        ended: at(days),
        free,
        went: went.collect(),
        told: Told::default(),
    }
}

#[test]
fn a_computer_is_known_again_with_its_visits() {
    let bench = Bench::demo();
    let (target, state) = (bench.target(), bench.state());
    let identity = target.identity().as_str();
    assert!(SheetStore::open_existing(&state).unwrap().is_none());
    let mut store = SheetStore::open(&state).unwrap();
    assert_eq!(store.of_computer(identity).unwrap(), None);
    let off = BTreeSet::from(["linux/trash".to_owned()]);
    store.set_rules_off(&target, &off).unwrap();
    let part = VisitScan {
        is_whole: false,
        ..scan_of(500, vec![pile("a/part", None, 1)])
    };
    store.note_scan(&target, (at(0), at(0)), &part).unwrap();
    // A part gives way to the whole; what was found first stays after that.
    store
        .note_scan(
            &target,
            (at(0), at(0)),
            &scan_of(400, vec![pile("a/b", Some("pia"), 70)]),
        )
        .unwrap();
    store
        .note_scan(&target, (at(0), at(0)), &scan_of(300, Vec::new()))
        .unwrap();
    let look = VisitLook {
        facts: vec![VisitFact {
            name: "system".into(),
            value: "quay".into(),
        }],
        signs: vec![VisitSign {
            says: "Volume 90 % full".into(),
            gives: 3,
        }],
    };
    store.note_look(&target, at(0), &look).unwrap();
    // Whoever closes the program and opens it again within hours is at the same visit, until something is swept.
    let soon = Timestamp::from_second(NOW + 3_600).unwrap();
    store
        .note_run(&target, soon, &run_of(0, 460, &[("a/b", Some("pia"), 60)]))
        .unwrap();
    let later = Timestamp::from_second(NOW + 7_200).unwrap();
    store
        .note_scan(&target, (later, later), &scan_of(455, Vec::new()))
        .unwrap();
    let sheet = store.of_computer(identity).unwrap().unwrap();
    assert_eq!((sheet.rules_off.clone(), sheet.visits.len()), (off, 2));
    let first = &sheet.visits[0];
    assert_eq!(
        (first.free, first.free_after(), first.found(), first.swept()),
        (400, 460, 70, 60)
    );
    assert_eq!((&first.facts, &first.signs), (&look.facts, &look.signs));
    // It is called as the technician says, by an id that says nothing.
    let id = SheetId::of(identity);
    store
        .set_name(&id, "Otter Quay, till", Some("asks for pia"))
        .unwrap();
    assert_eq!(
        store.find(&id[..6]).unwrap().shown_name(),
        "Otter Quay, till"
    );
    assert!(store.find("").is_err() && store.find("zz").is_err());
    assert_eq!(store.all().unwrap().len(), 1);
    // Of very many visits the oldest are dropped.
    for day in 10..530 {
        store
            .note_run(&target, at(day), &run_of(day, 1, &[]))
            .unwrap();
    }
    assert_eq!(
        store.of_computer(identity).unwrap().unwrap().visits.len(),
        500
    );
}

#[test]
fn what_a_real_visit_finds_and_sweeps_is_kept() {
    let bench = Bench::demo();
    let scan = bench.scan();
    let decisions = Decisions::new(&scan, &Selection::default()).unwrap();
    let manifest = manifest_of(&scan, false);
    let summary = run(&bench, &scan, &manifest, "one", &CancelToken::default()).unwrap();
    let mut store = SheetStore::open(&bench.state()).unwrap();
    store
        .note_scan(&scan.target, (at(0), at(0)), &visit_scan(&scan, &decisions))
        .unwrap();
    let ran = visit_run(&run_id("one"), at(0), &summary, told(&summary, &scan.rules));
    store.note_run(&scan.target, at(0), &ran).unwrap();
    let sheet = store.all().unwrap().remove(0);
    let visit = sheet.last_visit().unwrap();
    assert_eq!(visit.found(), decisions.found_in_all().bytes);
    the_customers_page_adds_up(&bench, &sheet);
    let went: u64 = summary.went.values().map(|sum| sum.bytes).sum();
    assert!(went > 0);
    assert_eq!(
        (visit.swept(), visit.free_after()),
        (went, summary.free_after)
    );
    // Each pile's sums are told apart, and what went of one is no more than was found.
    for pile in &visit.piles {
        let swept = visit.swept_of(&pile.rule, pile.account.as_deref());
        assert!(
            swept <= pile.found.bytes + (1 << 20),
            "{} {swept}",
            pile.rule
        );
    }
}

#[test]
fn benches_bring_their_sheets_together() {
    let (one, other) = (Bench::demo(), Bench::new());
    let mut here = SheetStore::open(&one.state()).unwrap();
    here.note_scan(
        &one.target(),
        (at(0), at(0)),
        &scan_of(400, vec![pile("a/b", None, 7)]),
    )
    .unwrap();
    here.note_run(&one.target(), at(0), &run_of(0, 450, &[("a/b", None, 7)]))
        .unwrap();
    let sheet = here.all().unwrap().remove(0);
    let text = format!("{}\n{}", export_sheet(&sheet), export_sheet(&sheet));
    let read = import_sheets(&text).unwrap();
    assert_eq!(read, [sheet.clone(), sheet.clone()]);
    let mut there = SheetStore::open(&other.state()).unwrap();
    assert_eq!(there.take_in(&read).unwrap(), 1);
    // Twice is no more than once, and what is said here stays.
    there.set_name(&sheet.sheet, "ours", None).unwrap();
    let renamed = Sheet {
        name: "theirs".to_owned(),
        ..sheet.clone()
    };
    assert_eq!(there.take_in(&[renamed]).unwrap(), 0);
    let known = there.find(&sheet.sheet).unwrap();
    assert_eq!((&known.visits, &*known.name), (&sheet.visits, "ours"));
    // Whatever id a file gives, the identity counts.
    let forged = Sheet {
        identity: "somebody else's".into(),
        ..sheet.clone()
    };
    there.take_in(&[forged]).unwrap();
    assert_eq!(there.all().unwrap().len(), 2);
    assert_eq!(there.find(&sheet.sheet).unwrap().identity, sheet.identity);
    let whole = export_sheet(&sheet).to_string();
    for wrong in [
        "{}".to_owned(),
        "[1".to_owned(),
        whole.replace("\"version\":1", "\"version\":2"),
        whole.replace("jolly-broom/sheet", "jolly-broom/run"),
        whole.replace("\"label\"", "\"lable\""),
    ] {
        assert!(import_sheets(&wrong).is_err(), "{wrong}");
    }
}

#[test]
fn two_programs_write_at_once_and_nothing_is_lost() {
    let bench = Bench::demo();
    let (target, state) = (bench.target(), bench.state());
    std::thread::scope(|scope| {
        for writer in 0..4_i64 {
            let (target, state) = (&target, &state);
            scope.spawn(move || {
                for number in 0..12 {
                    let day = writer * 100 + number;
                    let mut store = SheetStore::open(state).unwrap();
                    store
                        .note_run(target, at(day), &run_of(day, 1, &[]))
                        .unwrap();
                }
            });
        }
    });
    let sheet = SheetStore::open(&state).unwrap().all().unwrap().remove(0);
    assert_eq!(sheet.visits.len(), 48);
}

/// What the page says went, was left and was spared is what the log and the sheet say.
fn the_customers_page_adds_up(bench: &Bench, sheet: &Sheet) {
    let log = verify_log(&bench.state(), &run_id("one")).unwrap();
    let nobody = |_: &str| None;
    let page = customer_page(&log, Some(sheet), &nobody, None);
    let went: u64 = log.sums.went().iter().map(|went| went.sum.bytes).sum();
    let classes: u64 = page.went.iter().map(|class| class.sum.bytes).sum();
    let kinds = page.went.iter().flat_map(|class| &class.kinds);
    let kinds: u64 = kinds.map(|(_, sum)| sum.bytes).sum();
    assert_eq!((classes, kinds), (went, went));
    let visit = sheet.last_visit().unwrap();
    let left: u64 = page.left.iter().map(|pile| pile.bytes).sum();
    assert_eq!(left + page.spared + went, visit.found());
    assert!(left > 0 && page.spared > 0 && page.visit == Some(1));
    assert!(page.went.iter().all(|class| !class.kinds.is_empty()));
    assert!(!page.noticed.is_empty(), "a cache grows again");
    assert_eq!(
        (page.name.as_str(), page.freed()),
        ("Otter Quay Boat Hire", visit.free_after() - visit.free)
    );
    // Without the sheet the rules in force say what it was; without those it may have been somebody's.
    let spent = |_: &str| {
        Some(RuleWords {
            title: "Old things".to_owned(),
            class: Class::Spent,
        })
    };
    let known = customer_page(&log, None, &spent, None);
    assert_eq!((known.went.len(), known.went[0].kinds.len()), (1, 1));
    assert_eq!(known.went[0].kinds[0].0, "Old things");
    let unknown = customer_page(&log, None, &nobody, None);
    assert_eq!(unknown.went[0].class, Class::Ask);
    assert_eq!(
        (unknown.size, unknown.visit, unknown.left.len()),
        (None, None, 0)
    );
}

/// A sheet with visits that began on these days with so much free, and ended with so much.
fn sheet_of(visits: &[(i64, u64, u64, Vec<VisitPile>)]) -> Sheet {
    let visit = |(day, free, after, piles): &(i64, u64, u64, Vec<VisitPile>)| Visit {
        started: at(*day),
        seconds: 0,
        size: 1000,
        used: 1000 - free,
        free: *free,
        is_whole: true,
        facts: Vec::new(),
        signs: Vec::new(),
        piles: piles.clone(),
        runs: vec![run_of(*day, *after, &[("a/b", Some("pia"), 60)])],
        decided: Vec::new(),
    };
    Sheet {
        sheet: SheetId::of("x"),
        identity: "x".into(),
        label: "till".into(),
        layout: jolly_core::computer::Layout::Linux,
        root: None,
        switched: Vec::new(),
        name: String::new(),
        note: String::new(),
        rules_off: BTreeSet::new(),
        allowed: None,
        decided: Vec::new(),
        visits: visits.iter().map(visit).collect(),
    }
}

#[test]
fn what_comes_back_is_reckoned_by_hand() {
    let piles = vec![pile("a/b", Some("pia"), 100), pile("a/c", None, 50)];
    let sheet = sheet_of(&[(-42, 300, 400, piles)]);
    // Six weeks on: 40 were left of the first pile, and 340 are there.
    let now = [
        pile("a/b", Some("pia"), 340),
        pile("a/b", Some("joss"), 12),
        pile("a/c", None, 20),
        pile("a/new", None, 900),
    ];
    let found = regrown(&sheet, at(0), &now).unwrap();
    let told: Vec<(&str, Option<&str>, u64, u64)> = (found.piles.iter())
        .map(|one| (&*one.rule, one.account.as_deref(), one.grown(), one.weekly))
        .collect();
    assert_eq!(
        told,
        [("a/b", Some("pia"), 300, 50), ("a/b", Some("joss"), 12, 2)]
    );
    assert_eq!((found.grown(), found.weekly_of("a/c", None)), (312, None));
    // On the same day, before the first visit, or without one nothing is said.
    assert_eq!(regrown(&sheet, at(-42), &now), None);
    assert_eq!(regrown(&sheet, at(-50), &now), None);
    assert_eq!(regrown(&sheet_of(&[]), at(0), &now), None);
}

#[test]
fn a_forecast_is_reckoned_by_hand_and_honest_without_visits() {
    // 400 were left, 330 are free ten weeks on: seven a week; over 100 there are 230.
    let sheet = sheet_of(&[(-70, 300, 400, Vec::new())]);
    let told = forecast(&sheet, (at(0), 330), 100).unwrap();
    assert_eq!((told.intervals, told.over, told.weekly), (1, 70 * DAY, 7));
    let weeks = (told.falls.unwrap().as_second() - NOW) / (7 * DAY);
    assert_eq!(weeks, 32);
    // Two intervals: (400 → 330 in ten weeks, 500 → 440 in ten).
    let sheet = sheet_of(&[(-140, 300, 400, Vec::new()), (-70, 330, 500, Vec::new())]);
    let told = forecast(&sheet, (at(0), 440), 100).unwrap();
    assert_eq!((told.intervals, told.weekly), (2, 6));
    // It empties; it is too little already; it is too far off; nobody knows.
    let empties = forecast(&sheet_of(&[(-70, 1, 300, Vec::new())]), (at(0), 400), 100).unwrap();
    assert!(empties.weekly < 0 && empties.falls.is_none());
    let low = forecast(&sheet, (at(0), 90), 100).unwrap();
    assert_eq!(low.falls, Some(at(0)));
    let slow = forecast(&sheet_of(&[(-7000, 1, 402, Vec::new())]), (at(0), 400), 100).unwrap();
    assert_eq!(slow.falls, None);
    assert_eq!(forecast(&sheet_of(&[]), (at(0), 400), 100), None);
    // A clock that went backwards teaches nothing.
    assert_eq!(
        forecast(&sheet_of(&[(30, 1, 500, Vec::new())]), (at(0), 400), 100),
        None
    );
}

proptest! {
    #![proptest_config(ProptestConfig::with_cases(200))]

    #[test]
    fn prop_no_series_of_visits_breaks_the_reckoning(
        visits in prop::collection::vec((-20_000_i64..20_000, any::<u64>(), any::<u64>()), 0..9),
        now in -20_000_i64..20_000,
        free in any::<u64>(),
        threshold in any::<u64>(),
        bytes in any::<u64>(),
    ) {
        let visits: Vec<_> = visits
            .into_iter()
            .map(|(day, free, after)| (day, free % 1000, after, vec![pile("a/b", None, after)]))
            .collect();
        let sheet = sheet_of(&visits);
        if let Some(found) = regrown(&sheet, at(now), &[pile("a/b", None, bytes)]) {
            prop_assert!(found.passed >= DAY && found.grown() <= bytes);
        }
        if let Some(told) = forecast(&sheet, (at(now), free), threshold) {
            prop_assert!(told.intervals > 0 && told.over >= DAY);
            prop_assert!(told.falls.is_none_or(|falls| falls >= at(now)));
        }
    }
}
