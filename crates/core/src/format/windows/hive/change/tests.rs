//! Hives changed in any way, against a plain model, and read back by a reader that isn't ours.

use std::collections::BTreeMap;

use proptest::prelude::*;
use regf::{DataType, HiveBuilder, KeyTreeNode, KeyTreeValue, RegistryHive};

use super::*;
use crate::format::windows::hive::{BASE, NONE, PIECE, number, sum};
use crate::fuzz::config;

type Values = BTreeMap<String, (u32, Vec<u8>)>;

/// What a hive means: the path of each key in capitals, and its values by name.
type Model = BTreeMap<String, Values>;

fn build(model: &Model) -> Vec<u8> {
    let mut tree = KeyTreeNode::new("root");
    for (path, values) in model.iter().filter(|(path, _)| !path.is_empty()) {
        let key = tree.get_or_create_path(path);
        key.values = values
            .iter()
            .map(|(name, (_, data))| KeyTreeValue {
                name: name.clone(),
                data_type: DataType::Binary,
                data: data.clone(),
            })
            .collect();
    }
    HiveBuilder::from_tree(tree).unwrap().build().unwrap()
}

/// What the reader of another makes of it.
fn read_by_another(bytes: &[u8]) -> Model {
    let hive = RegistryHive::from_bytes(bytes.to_vec()).unwrap();
    assert!(!hive.is_dirty());
    let mut model = Model::new();
    let mut waiting = vec![(hive.root_key().unwrap(), String::new())];
    while let Some((key, path)) = waiting.pop() {
        let values = key.values().unwrap().into_iter().map(|value| {
            let said = (value.raw_data_type(), value.raw_data().unwrap());
            (value.name(), said)
        });
        model.insert(path.clone(), values.collect());
        for below in key.subkeys().unwrap() {
            let path = format!("{path}\\{}", below.name());
            waiting.push((below, path.trim_start_matches('\\').to_owned()));
        }
    }
    // Each key is also found where its order in the list says it is; of very many, some.
    for path in model.keys().step_by(model.len() / 64 + 1) {
        hive.open_key(path).unwrap();
    }
    model
}

fn name() -> impl Strategy<Value = String> {
    prop_oneof![
        "[A-Z]{1,3}",
        "[\u{c0}-\u{d6}]{1,2}",
        "[\u{4e00}-\u{4e08}]{1,2}"
    ]
}

fn path() -> impl Strategy<Value = String> {
    prop::collection::vec(name(), 1..4).prop_map(|parts| parts.join("\\"))
}

fn value() -> impl Strategy<Value = (u32, Vec<u8>)> {
    let data = prop_oneof![
        prop::collection::vec(any::<u8>(), 0..40),
        (16_340_usize..40_000).prop_map(|long| vec![7; long]),
        // About where a piece ends.
        (1_usize..3, 0_usize..16).prop_map(|(pieces, more)| vec![7; pieces * PIECE - 8 + more]),
    ];
    data.prop_map(|data| (3, data))
}

fn model() -> impl Strategy<Value = Model> {
    let values = prop::collection::btree_map(name(), value(), 0..4);
    prop::collection::btree_map(path(), values, 1..12).prop_map(|keys| {
        let mut model = Model::from([(String::new(), Values::new())]);
        for (path, values) in keys {
            let mut above = String::new();
            for part in path.split('\\') {
                above = format!("{above}\\{part}")
                    .trim_start_matches('\\')
                    .to_owned();
                model.entry(above.clone()).or_default();
            }
            model.insert(path, values);
        }
        model
    })
}

#[derive(Clone, Debug)]
enum Wish {
    RemoveValue(prop::sample::Index, prop::sample::Index),
    RemoveKey(prop::sample::Index),
    Set(prop::sample::Index, String, (u32, Vec<u8>)),
    /// A key that was taken out goes back.
    PutBack(prop::sample::Index),
}

fn wish() -> impl Strategy<Value = Wish> {
    use prop::sample::Index;
    prop_oneof![
        (any::<Index>(), any::<Index>()).prop_map(|(key, at)| Wish::RemoveValue(key, at)),
        any::<Index>().prop_map(Wish::RemoveKey),
        (any::<Index>(), name(), value()).prop_map(|(key, name, it)| Wish::Set(key, name, it)),
        any::<Index>().prop_map(Wish::PutBack),
    ]
}

fn is_below(path: &str, above: &str) -> bool {
    path == above
        || path
            .strip_prefix(above)
            .is_some_and(|rest| rest.starts_with('\\'))
}

/// What was taken out, and can go back.
#[derive(Default)]
struct Out(Vec<(String, KeyTree, Model)>);

/// The change that a wish comes to, with the model after it.
fn change_of(wish: &Wish, bytes: &[u8], model: &mut Model, out: &mut Out) -> Option<Change> {
    let keys: Vec<String> = model.keys().cloned().collect();
    let hive = Hive::read(bytes.to_vec(), &[]).unwrap();
    match wish {
        Wish::RemoveValue(key, at) => {
            let key = key.get(&keys).clone();
            let values = model.get_mut(&key)?;
            let names: Vec<String> = values.keys().cloned().collect();
            let name = names.get(at.index(names.len().max(1)))?;
            values.remove(name);
            let value = hive.value_at(&key, name).unwrap();
            Some(Change::RemoveValue { key, value })
        }
        Wish::RemoveKey(key) => {
            let key = Some(key.get(&keys)).filter(|key| !key.is_empty())?;
            let tree = hive.tree_at(key).unwrap();
            let gone = model.iter().filter(|(path, _)| is_below(path, key));
            let gone: Model = gone.map(|(path, it)| (path.clone(), it.clone())).collect();
            model.retain(|path, _| !is_below(path, key));
            let parent = key
                .rsplit_once('\\')
                .map_or("", |(parent, _)| parent)
                .to_owned();
            out.0.push((parent.clone(), tree.clone(), gone));
            Some(Change::RemoveKey { parent, tree })
        }
        Wish::Set(key, name, value) => {
            let key = key.get(&keys).clone();
            model.get_mut(&key)?.insert(name.clone(), value.clone());
            let (kind, data) = value.clone();
            let name = name.clone();
            Some(Change::SetValue {
                key,
                value: HiveValue { name, kind, data },
            })
        }
        Wish::PutBack(at) => {
            let at = at.index(out.0.len().max(1));
            let (parent, tree, gone) = out.0.get(at)?.clone();
            let is_there = model.keys().any(|path| gone.contains_key(path));
            if is_there || !model.contains_key(&parent) {
                return None;
            }
            model.extend(gone);
            Some(Change::AddKey { parent, tree })
        }
    }
}

proptest! {
    #![proptest_config(ProptestConfig::with_cases(96))]

    #[test]
    fn prop_what_is_changed_is_all_that_is_different_to_another_reader(
        mut model in model(),
        wishes in prop::collection::vec(wish(), 1..16),
    ) {
        let mut bytes = build(&model);
        prop_assert_eq!(&read_by_another(&bytes), &model);
        let mut out = Out::default();
        for wish in wishes {
            let Some(change) = change_of(&wish, &bytes, &mut model, &mut out) else { continue };
            let before = number(&bytes, 4).unwrap();
            bytes = changed(Hive::read(bytes, &[]).unwrap(), &[change], 1 << 57).unwrap();
            prop_assert_eq!(number(&bytes, 4), Some(before + 1));
            prop_assert_eq!(&read_by_another(&bytes), &model);
        }
    }
}

fn of(pairs: &[(&str, usize)]) -> Model {
    let mut model = Model::from([(String::new(), Values::new())]);
    for (path, values) in pairs {
        let values = (0..*values).map(|at| (format!("V{at}"), (3, vec![b'q'; 30 + at])));
        model.insert((*path).to_owned(), values.collect());
    }
    model
}

#[test]
fn what_was_taken_out_is_nowhere_in_the_file_and_its_room_is_used_again() {
    let secret = b"HARBOURKEY-7781";
    let mut model = of(&[("SOFTWARE", 3), ("SOFTWARE\\TIDE", 2)]);
    let values = model.get_mut("SOFTWARE\\TIDE").unwrap();
    values.insert("CODE".to_owned(), (3, secret.to_vec()));
    let bytes = build(&model);
    let holds = |bytes: &[u8]| bytes.windows(secret.len()).any(|part| part == secret);
    assert!(holds(&bytes));
    let tree = Hive::read(bytes.clone(), &[])
        .unwrap()
        .tree_at("Software\\Tide")
        .unwrap();
    let (mut now, length) = (bytes, model.len());
    for _ in 0..40 {
        let parent = "software".to_owned();
        let out = Change::RemoveKey {
            parent: parent.clone(),
            tree: tree.clone(),
        };
        now = changed(Hive::read(now, &[]).unwrap(), &[out], 5).unwrap();
        assert!(!holds(&now));
        assert_eq!(read_by_another(&now).len(), length - 1);
        let back = Change::AddKey {
            parent,
            tree: tree.clone(),
        };
        now = changed(Hive::read(now, &[]).unwrap(), &[back], 6).unwrap();
    }
    assert_eq!(read_by_another(&now), model);
    assert_eq!(now.len(), build(&model).len());
}

#[test]
fn a_key_of_thousands_keeps_its_order() {
    let paths: Vec<String> = (0..1800).map(|at| format!("CLSID\\K{at:05}")).collect();
    let mut pairs = vec![("CLSID", 0)];
    pairs.extend(paths.iter().map(|path| (&**path, 1)));
    let mut model = of(&pairs);
    let mut bytes = build(&model);
    let hive = Hive::read(bytes.clone(), &[]).unwrap();
    let all: Vec<Change> = paths
        .iter()
        .step_by(9)
        .map(|path| Change::RemoveKey {
            parent: "CLSID".to_owned(),
            tree: hive.tree_at(path).unwrap(),
        })
        .collect();
    bytes = changed(hive, &all, 7).unwrap();
    let whole = model.clone();
    model.retain(|path, _| !paths.iter().step_by(9).any(|gone| gone == path));
    assert_eq!(read_by_another(&bytes), model);
    let back: Vec<Change> = all
        .into_iter()
        .map(|one| match one {
            Change::RemoveKey { parent, tree } => Change::AddKey { parent, tree },
            other => other,
        })
        .collect();
    bytes = changed(Hive::read(bytes, &[]).unwrap(), &back, 8).unwrap();
    assert_eq!(read_by_another(&bytes), whole);
}

#[test]
fn what_is_not_there_as_it_is_said_changes_nothing() {
    let bytes = build(&of(&[("SOFTWARE", 2)]));
    let hive = || Hive::read(bytes.clone(), &[]).unwrap();
    let value = hive().value_at("SOFTWARE", "V0").unwrap();
    let other = HiveValue {
        data: vec![1],
        ..value.clone()
    };
    let tree = hive().tree_at("SOFTWARE").unwrap();
    let key = "SOFTWARE".to_owned();
    for change in [
        Change::RemoveValue {
            key: key.clone(),
            value: other,
        },
        Change::RemoveValue {
            key: "NONE".to_owned(),
            value: value.clone(),
        },
        Change::RemoveKey {
            parent: String::new(),
            tree: KeyTree {
                values: vec![value],
                ..tree.clone()
            },
        },
        Change::AddKey {
            parent: String::new(),
            tree,
        },
    ] {
        assert_eq!(changed(hive(), &[change], 1), Err(HiveError::NotThere));
    }
}

proptest! {
    #![proptest_config(config())]

    /// Whatever of a hive is damaged: what comes out is refused, or sound and read alike by another.
    #[test]
    fn fuzz_changes_of_damaged_hives(
        places in prop::collection::vec((any::<prop::sample::Index>(), any::<[u8; 2]>()), 1..4),
        cut in prop::option::of(any::<prop::sample::Index>()),
        at in 0_usize..4,
    ) {
        let mut bytes = damaged_sample();
        let room = bytes.len() - BASE - 2;
        for (place, with) in places {
            let place = BASE + place.index(room);
            bytes[place..place + 2].copy_from_slice(&with);
        }
        if let Some(cut) = cut {
            bytes.truncate(cut.index(bytes.len()));
        }
        let Ok(hive) = Hive::read(bytes.clone(), &[]) else { return Ok(()) };
        let key = "SOFTWARE\\TIDE".to_owned();
        let change = match at {
            0 => hive.value_at(&key, "V0").map(|value| Change::RemoveValue { key, value }),
            1 => hive.tree_at(&key).map(|tree| Change::RemoveKey { parent: "SOFTWARE".to_owned(), tree }),
            2 => Some(Change::SetValue {
                key,
                value: HiveValue { name: "V9".to_owned(), kind: 3, data: vec![9; 40] },
            }),
            _ => hive.tree_at("SOFTWARE\\QUAY").map(|tree| Change::AddKey { parent: key, tree }),
        };
        let Some(change) = change else { return Ok(()) };
        if let Ok(made) = changed(hive, &[change], 3) {
            let again = Hive::read(made, &[]).unwrap();
            prop_assert!(again.contents().is_ok());
        }
    }
}

/// Cells one after the other in one bin, as a hive.
#[derive(Default)]
struct Cells(Vec<u8>);

impl Cells {
    fn add(&mut self, bytes: &[u8]) -> u32 {
        let at = u32::try_from(self.0.len() + 32).unwrap();
        let size = (bytes.len() + 4).next_multiple_of(8);
        self.0
            .extend(u32::try_from(size).unwrap().wrapping_neg().to_le_bytes());
        self.0.extend(bytes);
        self.0.resize(at as usize - 32 + size, 0);
        at
    }

    /// A key without anything below it.
    fn key(&mut self, parent: u32, security: u32, name: &str) -> u32 {
        let mut record = b"nk\x20\0".to_vec();
        record.extend([0; 12]);
        for word in [
            parent, 0, 0, NONE, NONE, 0, NONE, security, NONE, 0, 0, 0, 0, 0,
        ] {
            record.extend(word.to_le_bytes());
        }
        record.extend(u16::try_from(name.len()).unwrap().to_le_bytes());
        record.extend([0, 0]);
        record.extend(name.as_bytes());
        self.add(&record)
    }

    fn put(&mut self, cell: u32, below: usize, word: u32) {
        let at = cell as usize - 32 + 4 + below;
        self.0[at..at + 4].copy_from_slice(&word.to_le_bytes());
    }

    /// A list of keys, as one of lists where they are many.
    fn list(&mut self, keys: &[u32]) -> u32 {
        let mut lists = Vec::new();
        for chunk in keys.chunks(500) {
            let mut leaf = b"li".to_vec();
            leaf.extend(u16::try_from(chunk.len()).unwrap().to_le_bytes());
            leaf.extend(chunk.iter().flat_map(|key| key.to_le_bytes()));
            lists.push(self.add(&leaf));
        }
        let mut list = b"ri".to_vec();
        list.extend(u16::try_from(lists.len()).unwrap().to_le_bytes());
        list.extend(lists.iter().flat_map(|leaf| leaf.to_le_bytes()));
        self.add(&list)
    }

    fn hive(mut self, root: u32) -> Vec<u8> {
        let length = (self.0.len() + 32 + 8).next_multiple_of(4096);
        let free = length - 32 - self.0.len();
        self.0.extend(u32::try_from(free).unwrap().to_le_bytes());
        let mut bytes = b"regf".to_vec();
        bytes.resize(BASE, 0);
        for (at, word) in [
            (20, 1),
            (24, 5),
            (32, 1),
            (36, root),
            (40, u32::try_from(length).unwrap()),
        ] {
            bytes[at..at + 4].copy_from_slice(&word.to_le_bytes());
        }
        let sum = sum(&bytes).unwrap();
        bytes[508..512].copy_from_slice(&sum.to_le_bytes());
        bytes.extend(b"hbin\0\0\0\0");
        bytes.extend(u32::try_from(length).unwrap().to_le_bytes());
        bytes.extend([0; 20]);
        bytes.extend(self.0);
        bytes.resize(BASE + length, 0);
        bytes
    }
}

/// As large as they come: two million keys in one, and half a gigabyte.
#[test]
#[ignore = "takes gigabytes; docs/testing.md has the command"]
fn the_largest_hives_are_read_changed_and_proven() {
    use std::time::Instant;
    for (many, each) in [(2_000_000_u32, 0), (20_000, 24_000)] {
        let mut cells = Cells::default();
        let mut ring = b"sk\0\0".to_vec();
        ring.extend([0; 16]);
        let security = cells.add(&ring);
        cells.put(security, 4, security);
        cells.put(security, 8, security);
        cells.put(security, 12, many + 2);
        let root = cells.key(0, security, "root");
        let top = cells.key(root, security, "CLSID");
        let mut keys = Vec::new();
        for number in 0..many {
            let key = cells.key(top, security, &format!("{{{number:08X}}}"));
            keys.push(key);
            if each > 0 {
                let data = cells.add(&vec![7; each]);
                let mut value = b"vk\0\0".to_vec();
                for word in [u32::try_from(each).unwrap(), data, 3, 1] {
                    value.extend(word.to_le_bytes());
                }
                let value = cells.add(&value);
                let list = cells.add(&value.to_le_bytes());
                cells.put(key, 36, 1);
                cells.put(key, 40, list);
            }
        }
        for (above, below) in [(top, keys), (root, vec![top])] {
            let list = cells.list(&below);
            cells.put(above, 20, u32::try_from(below.len()).unwrap());
            cells.put(above, 28, list);
        }
        let bytes = cells.hive(root);
        let size = bytes.len() >> 20;
        let start = Instant::now();
        let hive = Hive::read(bytes, &[]).unwrap();
        let tree = hive.tree_at("CLSID\\{00000009}").unwrap();
        let found = start.elapsed();
        let parent = "clsid".to_owned();
        let made = changed(hive, &[Change::RemoveKey { parent, tree }], 1).unwrap();
        let took = start.elapsed().saturating_sub(found);
        println!("{many} keys, {size} MiB: found in {found:?}, changed in {took:?}");
        assert_eq!(made.len() >> 20, size);
        assert!(
            Hive::read(made, &[])
                .unwrap()
                .tree_at("CLSID\\{00000009}")
                .is_none()
        );
    }
}

fn damaged_sample() -> Vec<u8> {
    use std::sync::OnceLock;
    static SAMPLE: OnceLock<Vec<u8>> = OnceLock::new();
    let built = || {
        let mut model = of(&[
            ("SOFTWARE", 1),
            ("SOFTWARE\\TIDE", 3),
            ("SOFTWARE\\QUAY", 1),
        ]);
        let tide = model.get_mut("SOFTWARE\\TIDE").unwrap();
        tide.insert("LONG".to_owned(), (3, vec![3; 17_000]));
        build(&model)
    };
    SAMPLE.get_or_init(built).clone()
}
