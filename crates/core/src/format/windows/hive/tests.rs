//! Hives of another writer read, and any that are damaged.

use proptest::prelude::*;
use regf::{DataType, HiveBuilder, KeyTreeNode, KeyTreeValue};

use super::*;
use crate::fuzz::{config, foreign};

/// Keys by their path, each with its values.
type Keys = Vec<(Vec<String>, Vec<(String, Vec<u8>)>)>;

fn built(keys: &Keys) -> Vec<u8> {
    let mut tree = KeyTreeNode::new("root");
    for (path, values) in keys {
        let key = tree.get_or_create_path(&path.join("\\"));
        for (name, data) in values {
            key.values
                .retain(|known| !known.name.eq_ignore_ascii_case(name));
            key.values.push(KeyTreeValue {
                name: name.clone(),
                data_type: DataType::Binary,
                data: data.clone(),
            });
        }
    }
    HiveBuilder::from_tree(tree).unwrap().build().unwrap()
}

fn name() -> impl Strategy<Value = String> {
    prop_oneof![
        "[a-z]{1,8}",
        "[\u{e0}-\u{ff}]{1,4}",
        "[\u{4e00}-\u{4e20}]{1,4}"
    ]
}

fn keys() -> impl Strategy<Value = Keys> {
    let data = prop_oneof![
        prop::collection::vec(any::<u8>(), 0..40),
        (16_340_usize..40_000).prop_map(|long| vec![7; long]),
    ];
    let values = prop::collection::vec((name(), data), 0..4);
    prop::collection::vec((prop::collection::vec(name(), 1..4), values), 0..12)
}

proptest! {
    #![proptest_config(ProptestConfig::with_cases(64))]

    #[test]
    fn prop_what_was_written_is_read(keys in keys()) {
        let hive = Hive::read(built(&keys), &[]).unwrap();
        for (path, values) in &keys {
            let key = hive.key(&path.join("\\").to_uppercase()).unwrap();
            let read = hive.values(key);
            for (name, _) in values {
                // Of several with one name the last counts, also where another path is the same but for its case.
                let same = |it: &&(Vec<String>, Vec<(String, Vec<u8>)>)| {
                    it.0.join("\\").to_uppercase() == path.join("\\").to_uppercase()
                };
                let mut all = keys.iter().filter(same).flat_map(|it| &it.1);
                let last = all.rfind(|(known, _)| known.eq_ignore_ascii_case(name));
                let found = read.iter().find(|(known, _)| known.eq_ignore_ascii_case(name));
                prop_assert_eq!(hive.data(found.unwrap().1), last.map(|it| it.1.clone()));
            }
        }
        prop_assert_eq!(hive.broken(), 0);
    }
}

/// Every key and value that can be reached, within bounds.
fn walk(hive: &Hive) {
    let mut waiting: Vec<(Key, usize)> = hive
        .key("Software")
        .map(|key| (key, 0))
        .into_iter()
        .collect();
    let mut seen = 0;
    while let Some((key, depth)) = waiting.pop() {
        seen += 1;
        for (_, value) in hive.values(key) {
            drop(hive.data(value));
        }
        if depth < 4 && seen < 1000 {
            waiting.extend(
                hive.subkeys(key)
                    .into_iter()
                    .map(|(_, key)| (key, depth + 1)),
            );
        }
    }
}

fn sample() -> Vec<u8> {
    let value = |name: &str| (name.to_owned(), vec![1; 20_000]);
    built(&vec![
        (
            vec!["Software".to_owned(), "Tide".to_owned()],
            vec![value("a"), value("b")],
        ),
        (
            vec!["Software".to_owned(), "Quay".to_owned()],
            vec![("c".to_owned(), vec![2])],
        ),
    ])
}

proptest! {
    #![proptest_config(config())]

    #[test]
    fn fuzz_hives(bytes in foreign(&[&sample()])) {
        // What is damaged behind the first block is met while it is walked.
        if let Ok(hive) = Hive::read(bytes.clone(), &[bytes]) {
            walk(&hive);
        }
    }

    #[test]
    fn fuzz_cells(at in 4096_usize..60_000, with in any::<[u8; 4]>()) {
        let mut bytes = sample();
        let at = at % bytes.len().saturating_sub(4).max(1);
        if let Some(place) = bytes.get_mut(at.max(4096)..at.max(4096) + 4) {
            place.copy_from_slice(&with);
        }
        if let Ok(hive) = Hive::read(bytes, &[]) {
            walk(&hive);
        }
    }
}
