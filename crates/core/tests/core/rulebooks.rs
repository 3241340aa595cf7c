//! A rulebook says what it means, its examples hold, and no book talks its way past a guard.

use jolly_core::computer::{Layout, Place};
use jolly_core::rule::{
    AgeBy, AgeLimit, AgeRule, AgeUnit, Class, Detect, Example, Family, FileKind, KeepNewest,
    ListFormat, Need, ReferenceKind, Removal, Rule, RuleSet, Rulebook, Section, Verdict, Within,
    builtin, run_examples,
};
use proptest::prelude::*;

use crate::support::{Bench, DAY, manifest_of, paths_of};

#[test]
fn every_built_in_rule_has_examples_and_all_of_them_hold() {
    let book = builtin(Layout::Linux);
    let rules = RuleSet::compile(std::slice::from_ref(&book)).unwrap();
    let (count, failures) = run_examples(&rules, &book.0);
    assert_eq!(failures, []);
    assert!(count >= 30);
    let mut classes = Vec::new();
    for (_, rule) in rules.iter() {
        assert!(!rule.rule.examples.is_empty(), "{} has no example", rule.id);
        assert!(
            rule.rule.after.ends_with('.') && rule.rule.about.ends_with('.'),
            "{}",
            rule.id
        );
        classes.push(rule.rule.class);
    }
    assert!(Class::ALL.iter().all(|class| classes.contains(class)));
}

#[test]
fn an_example_that_does_not_hold_is_told() {
    let text = "rulebook = \"mine\"\nlayout = \"linux\"\n[[rule]]\nid = \"one\"\ntitle = \"One\"\n\
        class = \"spent\"\nabout = \"a\"\nafter = \"b\"\nin = [\"{cache}/one\"]\nage = { limit = \"2 days\" }\n\
        [[rule.example]]\npath = \"home/ada/.cache/one/x\"\naged = \"1 day\"\nverdict = \"taken\"\n\
        [[rule.example]]\npath = \"home/ada/.cache/two/x\"\nverdict = \"not-mine\"\n";
    let rules = RuleSet::compile(&[("mine.toml".to_owned(), text.to_owned())]).unwrap();
    let (count, failures) = run_examples(&rules, "mine.toml");
    assert_eq!(count, 2);
    assert_eq!(failures.len(), 1);
    assert_eq!(failures[0].found, Verdict::Young);
}

#[test]
fn the_first_rule_that_fits_owns_a_file_and_the_technicians_books_come_first() {
    let bench = Bench::new();
    bench
        .tree
        .of_kind(
            "home/ada/.cache/thumbnails/large/a.png",
            "png",
            4096,
            400 * DAY,
        )
        .unwrap();
    bench
        .tree
        .file("home/ada/.cache/ferrylog/a.txt", 4096, 400 * DAY)
        .unwrap();
    let owner = |bench: &Bench, name: &str| {
        let scan = bench.scan();
        let item = scan
            .arena
            .items()
            .find(|item| scan.arena.name(*item) == name.as_bytes());
        let pile = scan.pile(scan.arena.pile(item.unwrap()));
        scan.rules.rule(pile.rule).id.clone()
    };
    assert_eq!(owner(&bench, "a.png"), "linux/picture-thumbnails");
    assert_eq!(owner(&bench, "a.txt"), "linux/other-caches");
    let mut theirs = Bench::new();
    theirs
        .tree
        .of_kind(
            "home/ada/.cache/thumbnails/large/a.png",
            "png",
            4096,
            400 * DAY,
        )
        .unwrap();
    let book = "rulebook = \"shop\"\nlayout = \"linux\"\n[[rule]]\nid = \"all\"\ntitle = \"All\"\n\
        class = \"ask\"\nabout = \"a\"\nafter = \"b\"\nin = [\"{cache}\"]\n";
    theirs
        .books
        .insert(0, ("shop.toml".to_owned(), book.to_owned()));
    assert_eq!(owner(&theirs, "a.png"), "shop/all");
}

#[test]
fn a_clever_book_takes_nothing_that_is_guarded() {
    let rule = |id: &str, within: &str, take: &str| {
        format!(
            "[[rule]]\nid = \"{id}\"\ntitle = \"T\"\nclass = \"spent\"\nabout = \"a\"\nafter = \"b\"\n\
             in = [{within}]\ntake = [{take}]\n"
        )
    };
    let book = [
        rule(
            "parts",
            "\"{home}/[.]*\", \"{home}/{.ssh,.config}\", \"{home}/Doc*\"",
            "\"**\"",
        ),
        rule(
            "wide",
            "\"{root}/etc\", \"{root}/var/*\", \"{home}/Pictures\", \"{home}/Mail\"",
            "\"**/*\"",
        ),
        rule(
            "names",
            "\"{home}\"",
            "\"**/id_*\", \"**/[l]ogins.json\", \"**/*.{odt,txt}\"",
        ),
    ]
    .concat();
    let bench = Bench::new().with_book(&book);
    let guarded = [
        "home/ada/.ssh/id_ed25519",
        "home/ada/.ssh/notes.txt",
        "home/ada/Documents/letter.odt",
        "home/ada/.config/heron/Default/logins.json",
        "usr/lib/libx.so",
        "etc/fstab",
        "home/ada/.config/heron/Default/Login Data",
        "home/ada/Pictures/a.txt",
        "home/ada/.local/share/keyrings/login",
        "var/lib/x/db",
        "home/ada/Mail/inbox.txt",
    ];
    for path in guarded {
        bench.tree.file(path, 4096, 400 * DAY).unwrap();
    }
    bench
        .tree
        .file("home/ada/loose.txt", 4096, 400 * DAY)
        .unwrap();
    std::os::unix::fs::symlink("../.ssh", bench.root().join("home/ada/.config/way")).unwrap();
    let scan = bench.scan();
    let taken = paths_of(&manifest_of(&scan, true));
    for path in guarded {
        assert!(!taken.contains(path.as_bytes()), "{path} is taken");
    }
    assert!(
        taken.contains(&b"home/ada/loose.txt"[..]),
        "the rules do take what is not guarded"
    );
    for root in [
        "home",
        "home/ada",
        "home/ada/.config",
        "tmp",
        "etc",
        "home/ada/.ssh",
    ] {
        assert!(!taken.contains(root.as_bytes()), "{root} is taken");
    }
}

#[test]
fn only_a_rule_that_asks_and_names_it_reaches_a_personal_folder() {
    let book = |class: &str| {
        format!(
            "[[rule]]\nid = \"one\"\ntitle = \"T\"\nclass = \"{class}\"\nabout = \"a\"\nafter = \"b\"\n\
             in = [\"{{home}}/Pictures/cut\", \"{{home}}/tmp\"]\n"
        )
    };
    for (class, expected) in [("ask", 2), ("spent", 1)] {
        let bench = Bench::new().with_book(&book(class));
        bench
            .tree
            .file("home/ada/Pictures/cut/a.raw", 4096, 9 * DAY)
            .unwrap();
        bench.tree.file("home/ada/tmp/b", 4096, 9 * DAY).unwrap();
        assert_eq!(bench.scan().arena.item_count(), expected, "{class}");
    }
}

fn word() -> impl Strategy<Value = String> {
    "[a-z][a-z0-9-]{0,8}"
}

fn text() -> impl Strategy<Value = String> {
    "[A-Za-zäé\"'\\\\ .,]{1,24}".prop_filter("a title is not blank", |text| !text.trim().is_empty())
}

fn pattern() -> impl Strategy<Value = String> {
    prop_oneof![
        Just("**/*.tmp".to_owned()),
        Just("*.{a,b}".to_owned()),
        Just("x[0-9]?/**".to_owned()),
        word(),
    ]
}

fn limit() -> impl Strategy<Value = AgeLimit> {
    let units = vec![
        AgeUnit::Hour,
        AgeUnit::Day,
        AgeUnit::Week,
        AgeUnit::Month,
        AgeUnit::Year,
    ];
    (1_u32..100, prop::sample::select(units)).prop_map(|(n, unit)| AgeLimit::new(n, unit).unwrap())
}

fn arb_rule() -> impl Strategy<Value = Rule> {
    let within = (
        prop::sample::select(vec![
            Place::Cache,
            Place::Temp,
            Place::Downloads,
            Place::GeckoCache,
        ]),
        prop::collection::vec(word(), 1..3),
    )
        .prop_map(|(place, below)| Within { place, below });
    let verdicts = vec![
        Verdict::Taken,
        Verdict::Young,
        Verdict::Guarded,
        Verdict::NotMine,
    ];
    let example = (
        word(),
        prop::option::of(limit()),
        prop::sample::select(verdicts),
    )
        .prop_map(|(path, aged, verdict)| Example {
            path,
            aged,
            contents: None,
            verdict,
        });
    let said = (
        text(),
        text(),
        text(),
        prop::sample::select(Class::ALL.to_vec()),
        prop::option::of(text()),
    );
    let looks = (
        prop::collection::vec(within, 1..3),
        prop::collection::vec(pattern(), 0..3),
        prop::collection::vec(pattern(), 0..3),
    );
    let age = (
        prop::option::of(limit()),
        prop::sample::select(vec![AgeBy::Arrived, AgeBy::Touched, AgeBy::Modified]),
    );
    let choices = (
        any::<bool>(),
        prop::option::of(Just(Need::Administrator)),
        prop::option::of(any::<bool>()),
        prop::option::of(prop::sample::select(vec![
            Removal::Remove,
            Removal::SetAside,
            Removal::Overwrite,
        ])),
        prop::option::of(prop::sample::select(Detect::ALL.to_vec())),
        prop::collection::vec(example, 0..3),
    );
    let more = (
        prop::option::of(1_u64..u64::MAX),
        prop::option::of((1_u32..9, prop::sample::select(Family::ALL.to_vec()))),
        prop::collection::vec(word(), 0..3),
        (
            prop::collection::vec(prop::sample::select(FileKind::ALL.to_vec()), 0..3),
            any::<bool>(),
        ),
    );
    (said, looks, age, choices, more).prop_map(|(said, looks, age, choices, more)| Rule {
        entries: None,
        values: None,
        records: None,
        id: String::new(),
        title: said.0,
        section: Some(Section::ALL[usize::from(choices.0)]),
        about: said.1,
        after: said.2,
        class: said.3,
        within: looks.0,
        take: looks.1,
        spare: looks.2,
        age: AgeRule {
            limit: age.0,
            by: age.1,
        },
        empty_folders: choices.0,
        only_seen: said.4,
        needs: choices.1,
        starts_taken: choices.2,
        by: choices.3,
        detect: choices.4,
        looks_like: more.3.0,
        whole: more.3.1,
        larger_than: more.0,
        keep_newest: more.1.map(|(count, per)| KeepNewest { count, per }),
        busy: more.2,
        survey: None,
        examples: choices.5,
    })
}

/// Only of entries can be said that their document is gone, and much else only of files.
fn make_it_of_lists(rule: &mut Rule) {
    rule.entries = Some(ListFormat::Xbel);
    rule.age.by = AgeBy::Row;
    rule.by = rule.by.filter(|by| *by != Removal::Overwrite);
    rule.empty_folders = false;
    rule.looks_like.clear();
    rule.whole = false;
    rule.larger_than = None;
    rule.keep_newest = None;
}

proptest! {
    #[test]
    fn prop_a_printed_book_reads_back_as_it_was(
        id in word(), about in text(), mut rules in prop::collection::vec(arb_rule(), 0..5),
    ) {
        for (number, rule) in rules.iter_mut().enumerate() {
            rule.id = format!("rule-{number}");
            if rule.detect == Some(Detect::DocumentGone) {
                make_it_of_lists(rule);
            }
            if rule.detect == Some(Detect::ReferenceGone) {
                make_it_of_lists(rule);
                rule.entries = Some(ListFormat::Registry);
                rule.values = Some(ReferenceKind::ALL[number % ReferenceKind::ALL.len()]);
                rule.class = Class::Ask;
            }
            if rule.keep_newest.is_some_and(|keep| keep.per == Family::Source) {
                let keep = rule.keep_newest;
                make_it_of_lists(rule);
                (rule.entries, rule.keep_newest) = (Some(ListFormat::Snapshots), keep);
                (rule.class, rule.by, rule.detect) = (Class::Ask, Some(Removal::Remove), None);
                rule.values = None;
            }
        }
        let book = Rulebook { id, layout: Layout::Linux, about, rules };
        let printed = book.to_string();
        let (read, lines) = Rulebook::parse("printed.toml", &printed)
            .map_err(|error| TestCaseError::fail(format!("{error}\n{printed}")))?;
        prop_assert_eq!(lines.len(), book.rules.len());
        prop_assert_eq!(read, book);
    }

    #[test]
    fn prop_no_text_makes_the_reader_panic(
        start in 0_usize..9000, length in 0_usize..40, noise in ".{0,20}",
    ) {
        let (_, mut text) = builtin(Layout::Linux);
        let from = (start..text.len()).find(|at| text.is_char_boundary(*at)).unwrap_or(text.len());
        let to = (from + length..=text.len()).find(|at| text.is_char_boundary(*at)).unwrap_or(text.len());
        text.replace_range(from..to, &noise);
        if let Err(error) = Rulebook::parse("cut.toml", &text) {
            prop_assert!(!error.problems.is_empty());
            prop_assert!(error.to_string().contains("cut.toml"));
        }
    }
}

/// A book with one rule that asks for rows, with these keys.
fn of_rows(rule: &str, records: &str) -> String {
    format!(
        "rulebook = \"mine\"\nlayout = \"linux\"\n[[rule]]\nid = \"rows\"\ntitle = \"Rows\"\nclass = \"felt\"\nabout = \"a\"\nafter = \"b\"\n{rule}\n\
         [rule.records]\n{records}\n"
    )
}

#[test]
fn rows_are_asked_for_in_plain_words_and_never_of_what_is_guarded() {
    let time = "time = { column = \"t\", epoch = \"1970\", unit = \"s\" }";
    let wrong = |rule: &str, records: &str| {
        let error = Rulebook::parse("mine.toml", &of_rows(rule, records)).unwrap_err();
        let told = error.problems.iter().map(|problem| problem.message.clone());
        told.collect::<Vec<_>>().join("; ")
    };
    let cookies = "database = \"{profile.chromium}/Cookies\"\ntable = \"cookies\"";
    for (rule, records, why) in [
        // Bookmarks, sign-ins and form entries, under any name of a file.
        (
            "",
            format!(
                "database = \"{{profile.gecko}}/places.sqlite\"\ntable = \"moz_bookmarks\"\n{time}"
            ),
            "guarded",
        ),
        (
            "",
            format!("database = \"{{profile.chromium}}/Login Data\"\ntable = \"logins\"\n{time}"),
            "guarded",
        ),
        (
            "",
            format!("database = \"{{profile.chromium}}/History\"\ntable = \"LOGINS\"\n{time}"),
            "guarded",
        ),
        (
            "",
            format!("database = \"{{profile.chromium}}/Web Data\"\ntable = \"visits\"\n{time}"),
            "guarded",
        ),
        (
            "",
            format!(
                "database = \"{{profile.gecko}}/places.sqlite\"\ntable = \"moz_historyvisits\"\n{time}\n\
            also = [{{ table = \"moz_keywords\", column = \"id\" }}]"
            ),
            "guarded",
        ),
        (
            "",
            format!(
                "database = \"{{profile.chromium}}/Cookies\"\ntable = \"a; DROP TABLE b\"\n{time}"
            ),
            "not a name of a table",
        ),
        (
            "",
            format!(
                "database = \"{{profile.chromium}}/Cookies\"\ntable = \"sqlite_schema\"\n{time}"
            ),
            "not a name of a table",
        ),
        (
            "",
            format!("database = \"Cookies\"\ntable = \"cookies\"\n{time}"),
            "not a database",
        ),
        (
            "",
            format!("database = \"{{profile.chromium}}/../Cookies\"\ntable = \"cookies\"\n{time}"),
            "pattern",
        ),
        (
            "",
            format!("table = \"cookies\"\n{time}"),
            "missing field `in`",
        ),
        (
            "in = [\"{profile.chromium}\"]",
            format!("{cookies}\n{time}"),
            "says already",
        ),
        (
            "detect = \"document-gone\"",
            format!("{cookies}\n{time}"),
            "only files have",
        ),
        (
            "by = \"overwrite\"",
            format!("{cookies}\n{time}"),
            "only files have",
        ),
        (
            "age = { by = \"arrived\" }",
            format!("{cookies}\n{time}"),
            "only files have",
        ),
        (
            "",
            format!("{cookies}\ntime = {{ column = \"t\", epoch = \"1900\", unit = \"s\" }}"),
            "not a known epoch",
        ),
    ] {
        let told = wrong(rule, &records);
        assert!(told.contains(why), "{records}: {told}");
    }
    // What is read and written again is the same book.
    for layout in [Layout::Linux, Layout::Windows, Layout::Macos] {
        let (file, text) = builtin(layout);
        let (book, _) = Rulebook::parse(&file, &text).unwrap();
        let (again, _) = Rulebook::parse(&file, &book.to_string()).unwrap();
        assert_eq!(book, again);
        assert!(
            book.rules
                .iter()
                .filter(|rule| rule.records.is_some())
                .count()
                >= 8
        );
    }
}
