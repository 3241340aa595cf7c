//! What a run did reaches other programs whole: whatever bytes names are made of, tables and objects
//! give them back exactly, and nothing in them breaks a line, steers a terminal or is run as a formula.

use std::collections::BTreeSet;

use jolly_core::CancelToken;
use jolly_core::computer::{TargetPath, WrittenPath};
use jolly_core::report::{Form, ReportError, write_report};
use jolly_core::state::LogError;
use proptest::prelude::*;

use crate::support::{Bench, DAY, logged_as_gone, manifest_of, paths_of, run, run_id};

fn decoded(cell: &str) -> Vec<u8> {
    let mut parts = cell.split('%');
    let mut bytes = parts.next().unwrap_or_default().as_bytes().to_vec();
    for part in parts {
        bytes.push(u8::from_str_radix(&part[..2], 16).unwrap());
        bytes.extend_from_slice(&part.as_bytes()[2..]);
    }
    bytes
}

/// Writes a run in both forms, and reads the paths of what went back from each.
fn written(bench: &Bench, name: &str) -> [BTreeSet<Vec<u8>>; 2] {
    let write = |form: Form| {
        let mut out = Vec::new();
        write_report(&bench.state(), &run_id(name), form, &mut out).unwrap();
        String::from_utf8(out).unwrap()
    };
    let text = write(Form::Table);
    let is_quiet = |letter: char| matches!(letter, '\r' | '\n') || !letter.is_control();
    assert!(text.chars().all(is_quiet), "{text:?}");
    let mut rows = csv::Reader::from_reader(text.as_bytes());
    let mut from_table = BTreeSet::new();
    for row in rows.records() {
        let row = row.unwrap();
        assert!(
            row.iter()
                .all(|cell| !cell.starts_with(['=', '+', '-', '@']))
        );
        assert_eq!(&row[4], "removed");
        from_table.insert(decoded(&row[3]));
    }
    // One line an item, and one with the names of the columns.
    assert_eq!(text.matches("\r\n").count(), from_table.len() + 1);
    let object: serde_json::Value = serde_json::from_str(&write(Form::Object)).unwrap();
    let items = object["items"].as_array().unwrap().iter();
    let path = |item: &serde_json::Value| {
        let path: WrittenPath = serde_json::from_value(item.clone()).unwrap();
        TargetPath::try_from(&path).unwrap().as_bytes().to_vec()
    };
    assert_eq!(
        object["outcomes"]["removed"]["items"],
        items.len(),
        "{object}"
    );
    [from_table, items.map(path).collect()]
}

fn names() -> impl Strategy<Value = BTreeSet<Vec<u8>>> {
    let byte = prop_oneof![
        3 => any::<u8>(),
        2 => prop::sample::select(&b"=+-@,;\"'\n\r\t\x1b% "[..]),
    ];
    let byte = byte.prop_map(|byte| if matches!(byte, 0 | b'/') { b'=' } else { byte });
    let name = prop::collection::vec(byte, 1..24)
        .prop_filter("a name", |name| name != b"." && name != b"..");
    prop::collection::btree_set(name, 1..12)
}

proptest! {
    #![proptest_config(ProptestConfig::with_cases(24))]
    #[test]
    fn prop_any_names_come_back_exactly_from_the_log_the_table_and_the_object(names in names()) {
        let book = "[[rule]]\nid = \"heap\"\ntitle = \"Heap\"\nclass = \"spent\"\nin = [\"{root}/=heap\"]\n\
            take = [\"**\"]\nabout = \"A heap.\"\nafter = \"Nothing.\"\n";
        let bench = Bench::new().with_book(book);
        for name in &names {
            bench.tree.file([&b"=heap/"[..], name].concat(), 10, 60 * DAY).unwrap();
        }
        let scan = bench.scan();
        let manifest = manifest_of(&scan, true);
        let listed = paths_of(&manifest);
        prop_assert_eq!(listed.len(), names.len());
        run(&bench, &scan, &manifest, "one", &CancelToken::default()).unwrap();
        prop_assert_eq!(&logged_as_gone(&bench, "one"), &listed);
        for told in written(&bench, "one") {
            prop_assert_eq!(&told, &listed);
        }
    }
}

#[test]
fn what_cannot_be_told_truly_is_not_told() {
    let bench = Bench::demo();
    let scan = bench.scan();
    let manifest = manifest_of(&scan, false);
    run(&bench, &scan, &manifest, "one", &CancelToken::default()).unwrap();
    let mut out = Vec::new();
    let mut write = |name: &str| {
        write_report(&bench.state(), &run_id(name), Form::Table, &mut out).unwrap_err()
    };
    let error = write("two");
    assert!(
        matches!(error, ReportError::Log(LogError::NoSuchRun { .. })),
        "{error}"
    );
    let log = bench.state().log(&run_id("one"));
    let text = std::fs::read_to_string(&log).unwrap();
    std::fs::write(&log, text.replacen("removed", "gone", 1)).unwrap();
    let error = write("one");
    assert!(
        matches!(error, ReportError::Log(LogError::Altered { .. })),
        "{error}"
    );
    assert!(out.is_empty());
}
