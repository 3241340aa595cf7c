//! Files that a technician edits by hand: what is written reads back, what somebody else wrote
//! stays, and every mistake is told at its place.

use jolly_core::computer::{Layout, TargetPath};
use jolly_core::decide::{
    Exclusion, Scope, Spares, Spot, Start, StartLimit, Starts, change_exclusions, change_starts,
    read_exclusions, read_starts,
};
use jolly_core::rule::{AgeLimit, AgeUnit, Class, NewPlace, Removal, Rulebook, add_place};
use jolly_core::state::{KeptError, read_text, write_whole};
use proptest::prelude::*;

fn arb_limit() -> impl Strategy<Value = AgeLimit> {
    let units = vec![AgeUnit::Hour, AgeUnit::Day, AgeUnit::Year];
    (1_u32..100, prop::sample::select(units))
        .prop_map(|(count, unit)| AgeLimit::new(count, unit).unwrap())
}

fn arb_spot() -> impl Strategy<Value = Spot> {
    let name = prop::collection::vec(
        any::<u8>().prop_filter("a plain byte", |byte| *byte != 0 && *byte != b'/'),
        1..6,
    );
    let path = prop::collection::vec(name, 1..4).prop_filter_map("a plain path", |names| {
        TargetPath::new(names.join(&b'/')).ok()
    });
    let pattern = "[a-z*?.\"'# ]{1,8}(/[a-z*]{1,4})?";
    prop_oneof![
        path.prop_map(Spot::Path),
        pattern
            .prop_filter("a pattern", |text| Spares::pattern(text).is_ok())
            .prop_map(Spot::Pattern),
    ]
}

fn arb_exclusion() -> impl Strategy<Value = Exclusion> {
    let owner = (
        prop::option::of("[a-z]{1,5}/[a-z-]{1,8}"),
        prop::option::of("[a-zé \"]{1,6}"),
    );
    let figures = (
        prop::option::of(any::<u64>()),
        prop::option::of(arb_limit()),
    );
    let said = (
        "[a-zA-Zäß'\"#= ]{0,12}",
        prop::option::of(-400_i32..40_000),
        any::<bool>(),
    );
    (prop::option::of(arb_spot()), owner, figures, said)
        .prop_map(
            |(spot, (rule, account), (larger_than, younger_than), (why, days, is_suspended))| {
                Exclusion {
                    spares: Spares {
                        spot,
                        rule,
                        account,
                        larger_than,
                        younger_than,
                    },
                    why,
                    since: days
                        .map(|days| jiff::civil::date(2000, 1, 1) + jiff::Span::new().days(days)),
                    scope: Scope::Computer,
                    is_suspended,
                }
            },
        )
        .prop_filter("it says something", |one| one.spares != Spares::default())
}

/// Exclusions that differ in what they spare.
fn arb_exclusions() -> impl Strategy<Value = Vec<Exclusion>> {
    prop::collection::vec(arb_exclusion(), 0..6).prop_map(|all| {
        let mut list: Vec<Exclusion> = Vec::new();
        for one in all {
            if list.iter().all(|known| known.spares != one.spares) {
                list.push(one);
            }
        }
        list
    })
}

fn read(text: &str) -> Vec<Exclusion> {
    read_exclusions("exclusions.toml", text, Scope::Computer).unwrap()
}

proptest! {
    #![proptest_config(ProptestConfig { cases: 256, ..ProptestConfig::default() })]

    #[test]
    fn prop_exclusions_survive_their_file_and_what_others_wrote_survives_a_change(
        first in arb_exclusions(),
        second in arb_exclusions(),
        by_hand in arb_exclusion(),
    ) {
        let fresh = change_exclusions("x.toml", None, &[], &first).unwrap();
        prop_assert_eq!(read(&fresh), first.clone());
        // Somebody writes a line by hand, and the program then knows nothing of it.
        prop_assume!(first.iter().chain(&second).all(|one| one.spares != by_hand.spares));
        let both: Vec<_> = first.iter().cloned().chain([by_hand.clone()]).collect();
        let edited = change_exclusions("x.toml", Some(&fresh), &first, &both).unwrap() + "# mine\n";
        let changed = change_exclusions("x.toml", Some(&edited), &first, &second).unwrap();
        prop_assert!(changed.contains("# mine") && changed.contains("# What Jolly Broom spares."));
        let mut left = read(&changed);
        let at = left.iter().position(|one| *one == by_hand);
        prop_assert!(at.is_some(), "{changed}");
        left.remove(at.unwrap());
        let sorted = |mut all: Vec<Exclusion>| { all.sort_by_key(|one| format!("{one:?}")); all };
        prop_assert_eq!(sorted(left), sorted(second));
    }

    #[test]
    fn prop_the_shops_start_survives_its_file(
        classes in prop::collection::btree_map(prop::sample::select(Class::ALL.to_vec()), (prop::option::of(any::<bool>()), prop::option::of(arb_limit())), 0..4),
        rules in prop::collection::btree_map("[a-z]{1,4}/[a-z-]{1,6}", (prop::option::of(any::<bool>()), prop::option::of(prop::option::of(arb_limit())), prop::option::of(prop::sample::select(vec![Removal::Remove, Removal::SetAside, Removal::Overwrite]))), 0..4),
    ) {
        let mut starts = Starts::default();
        for (class, (is_taken, limit)) in classes {
            starts.set_class(class, Start { is_taken, limit: limit.map(StartLimit::From), by: None });
        }
        for (id, (is_taken, limit, by)) in rules {
            starts.set_rule(&id, Start { is_taken, limit: limit.map(StartLimit::from), by });
        }
        let text = change_starts("start.toml", None, &Starts::default(), &starts).unwrap();
        prop_assert_eq!(read_starts("start.toml", &text).unwrap(), starts.clone(), "{}", text);
        let back = change_starts("start.toml", Some(&text), &starts, &Starts::default()).unwrap();
        prop_assert_eq!(read_starts("start.toml", &back).unwrap(), Starts::default());
    }

    #[test]
    fn prop_no_text_breaks_the_readers(text in "(\\[\\[exclusion\\]\\]\n|path = |\"a\"|[a-z=\\[\\]\n\"]{0,9}){0,8}") {
        drop(read_exclusions("x", &text, Scope::Computer));
        drop(read_starts("x", &text));
    }
}

#[test]
fn mistakes_are_told_at_their_place() {
    let said = |text: &str| {
        read_exclusions("ex.toml", text, Scope::Computer)
            .unwrap_err()
            .to_string()
    };
    let entry = "[[exclusion]]\n";
    for (text, place, words) in [
        ("path = \"../etc\"\n", "ex.toml:2:8", "below"),
        ("path = \"/\"\n", "ex.toml:", "root"),
        ("path-base64 = \"%%\"\n", "ex.toml:2:15", "base64"),
        ("pattern = \"[a\"\n", "ex.toml:2:11", "not a pattern"),
        ("pattern = \"a\"\npath = \"b\"\n", "ex.toml:", "only once"),
        (
            "younger-than = \"0 days\"\n",
            "ex.toml:2:16",
            "at least 1 hour",
        ),
        (
            "younger-than = \"3 fortnights\"\n",
            "ex.toml:2:16",
            "no known unit",
        ),
        ("larger-than = \"much\"\n", "ex.toml:2:15", "not a size"),
        ("path = \"a\"\nsince = \"monday\"\n", "ex.toml:3:9", ""),
        (
            "path = \"a\"\nwhy = \"two\\nlines\"\n",
            "ex.toml:3:7",
            "line break",
        ),
        (
            "path = \"a\"\nwhere = \"b\"\n",
            "ex.toml:3:1",
            "unknown field",
        ),
        ("why = \"nothing\"\n", "ex.toml:", "says nothing"),
        (
            "path = \"a\"\n[[exclusion]]\npath = \"/a/\"\n",
            "ex.toml:3",
            "line 1 spares the same already",
        ),
    ] {
        let told = said(&format!("{entry}{text}"));
        assert!(
            told.contains(place) && told.contains(words),
            "{text}: {told}"
        );
    }
    let start = |text: &str| read_starts("start.toml", text).unwrap_err().to_string();
    assert!(start("[class.mine]\nstarts = \"left\"\n").contains("start.toml:1:8"));
    assert!(start("[class.ask]\nstarts = \"maybe\"\n").contains("start.toml:2:10"));
    assert!(start("[class.ask]\nby = \"remove\"\n").contains("not for a class"));
    assert!(start("[rule.temp]\nage = \"-3\"\n").contains("start.toml:2:7"));
}

#[test]
fn bytes_that_are_no_text_are_refused_and_a_failed_write_leaves_the_old_file() {
    let dir = tempfile::tempdir().unwrap();
    let path = dir.path().join("deep/exclusions.toml");
    assert!(read_text(&path).unwrap().is_none());
    write_whole(&path, "one").unwrap();
    assert_eq!(read_text(&path).unwrap().as_deref(), Some("one"));
    std::fs::write(&path, b"[[exclusion]]\npath = \"a\xff\"\n").unwrap();
    let Err(KeptError::Document(error)) = read_text(&path) else {
        panic!("it was read");
    };
    assert!(
        error.to_string().contains("exclusions.toml:2:10"),
        "{error}"
    );
    std::fs::write(&path, "kept").unwrap();
    let below_a_file = path.join("x.toml");
    assert!(write_whole(&below_a_file, "new").is_err());
    assert_eq!(std::fs::read_to_string(&path).unwrap(), "kept");
}

#[test]
fn a_place_becomes_a_rule_that_reads_and_what_is_guarded_does_not() {
    let place = |folder: &str, class| NewPlace {
        folder: TargetPath::new(folder).unwrap(),
        title: "Exports".to_owned(),
        class,
        limit: "6 months".parse().ok(),
    };
    let add =
        |text: Option<&str>, place: &NewPlace| add_place("own.toml", text, Layout::Linux, place);
    let (text, id) = add(None, &place("home/pia/Tide [old] exports", Class::Spent)).unwrap();
    assert_eq!(id, "this-computer/tide--old--exports");
    let (text, second) = add(
        Some(&(text + "# mine\n")),
        &place("home/pia/tide {old} exports", Class::Ask),
    )
    .unwrap();
    assert_eq!(second, "this-computer/tide--old--exports-2");
    assert!(text.contains("# mine"));
    let (book, _) = Rulebook::parse("own.toml", &text).unwrap();
    assert_eq!(book.rules.len(), 2);
    assert_eq!(book.rules[0].age.limit, "6 months".parse().ok());
    for (folder, class) in [("home/pia/.ssh", Class::Spent), ("usr/bin", Class::Spent)] {
        let refused = add(None, &place(folder, class)).unwrap_err().to_string();
        assert!(refused.contains("guarded"), "{folder}: {refused}");
    }
    let bytes = NewPlace {
        folder: TargetPath::new(b"home/pia/\xff".to_vec()).unwrap(),
        ..place("x", Class::Ask)
    };
    assert!(
        add(None, &bytes)
            .unwrap_err()
            .to_string()
            .contains("isn't text")
    );
}
