//! Keys and values in the registry's own text form (version 5.00): UTF-16 with its mark, a key in brackets, a value a line.
//!
//! What that form has no words for stands in comments, which its own program skips: when a key was written last, what it
//! is besides, its class, and who may do what with it.

use crate::format::windows::hive::tree::{HiveValue, KeyTree, is_plain};

const HEAD: &str = "Windows Registry Editor Version 5.00";

/// What a text is about.
#[derive(Clone, Debug, PartialEq, Eq)]
pub(crate) enum Exported {
    /// One value of a key.
    Value {
        /// The path of its key.
        key: String,
        /// What it is.
        value: HiveValue,
    },
    /// A key with all below it.
    Key {
        /// The path of the key that it lies in.
        parent: String,
        /// What it is.
        tree: KeyTree,
    },
}

/// The types of values that have a way of writing of their own.
const TEXT: u32 = 1;
const BYTES: u32 = 3;
const WORD: u32 = 4;

/// Keys within each other at most.
const DEPTH: usize = 64;

/// Writes something down; `root` is what the registry calls the place of its hive.
pub(crate) fn write(root: &str, exported: &Exported) -> Vec<u8> {
    let mut text = format!("{HEAD}\r\n");
    match exported {
        Exported::Value { key, value } => {
            write_path(&mut text, root, key);
            write_value(&mut text, value);
        }
        Exported::Key { parent, tree } => {
            text.push_str("\r\n;whole\r\n");
            write_key(&mut text, root, parent, tree);
        }
    }
    let mut bytes = b"\xff\xfe".to_vec();
    bytes.extend(text.encode_utf16().flat_map(u16::to_le_bytes));
    bytes
}

fn write_path(text: &mut String, root: &str, path: &str) {
    let dash = if path.is_empty() { "" } else { "\\" };
    text.extend(["\r\n[", root, dash, path, "]\r\n"]);
}

fn write_key(text: &mut String, root: &str, parent: &str, tree: &KeyTree) {
    let dash = if parent.is_empty() { "" } else { "\\" };
    let path = format!("{parent}{dash}{}", tree.name);
    write_path(text, root, &path);
    let said = [
        ("time", tree.time.to_string()),
        ("flags", tree.flags.to_string()),
        ("class", hex(&tree.class)),
        ("security", hex(&tree.security)),
    ];
    for (word, value) in said {
        text.extend([";", word, "=", &value, "\r\n"]);
    }
    for value in &tree.values {
        write_value(text, value);
    }
    for below in &tree.keys {
        write_key(text, root, &path, below);
    }
}

fn write_value(text: &mut String, value: &HiveValue) {
    let name = match &*value.name {
        "" => "@".to_owned(),
        name => format!("\"{}\"", escaped(name)),
    };
    let data = match (value.kind, &value.data[..]) {
        (TEXT, data) => plain_text(data).map(|text| format!("\"{}\"", escaped(&text))),
        (WORD, [one, two, three, four]) => {
            let word = u32::from_le_bytes([*one, *two, *three, *four]);
            Some(format!("dword:{word:08x}"))
        }
        (BYTES, data) => Some(format!("hex:{}", hex(data))),
        _ => None,
    };
    let data = data.unwrap_or_else(|| format!("hex({:x}):{}", value.kind, hex(&value.data)));
    text.extend([&*name, "=", &data, "\r\n"]);
}

fn escaped(text: &str) -> String {
    text.replace('\\', "\\\\").replace('"', "\\\"")
}

/// Text that ends with its only zero and has no letter that breaks a line; any other stands as bytes.
fn plain_text(data: &[u8]) -> Option<String> {
    let (words, []) = data.as_chunks::<2>() else {
        return None;
    };
    let letters: Vec<u16> = words.iter().map(|word| u16::from_le_bytes(*word)).collect();
    let (0, letters) = letters.split_last()? else {
        return None;
    };
    String::from_utf16(letters)
        .ok()
        .filter(|text| is_plain(text))
}

fn hex(bytes: &[u8]) -> String {
    let mut text = String::with_capacity(bytes.len() * 3);
    for (at, byte) in bytes.iter().enumerate() {
        let comma = if at == 0 { "" } else { "," };
        text.push_str(comma);
        text.extend(
            [byte >> 4, byte & 15].map(|half| char::from_digit(half.into(), 16).unwrap_or('0')),
        );
    }
    text
}

fn bytes_of(text: &str) -> Option<Vec<u8>> {
    if text.is_empty() {
        return Some(Vec::new());
    }
    let byte = |pair: &str| (pair.len() == 2).then(|| u8::from_str_radix(pair, 16).ok())?;
    text.split(',').map(byte).collect()
}

/// Reads what was written down below that root; nothing when it is anything else.
pub(crate) fn read(root: &str, bytes: &[u8]) -> Option<Exported> {
    let (words, []) = bytes.strip_prefix(b"\xff\xfe")?.as_chunks::<2>() else {
        return None;
    };
    let letters: Vec<u16> = words.iter().map(|word| u16::from_le_bytes(*word)).collect();
    let text = String::from_utf16(&letters).ok()?;
    let mut lines = text.split("\r\n").filter(|line| !line.is_empty());
    (lines.next()? == HEAD).then_some(())?;
    let lines: Vec<&str> = lines.collect();
    match &lines[..] {
        [";whole", lines @ ..] => {
            let (path, tree) = read_keys(root, lines)?;
            let (parent, _) = path.rsplit_once('\\').unwrap_or(("", &path));
            let parent = parent.to_owned();
            Some(Exported::Key { parent, tree })
        }
        [path, value] => Some(Exported::Value {
            key: path_of(root, path)?,
            value: value_of(value)?,
        }),
        _ => None,
    }
}

/// A key with all below it, and its path.
fn read_keys(root: &str, lines: &[&str]) -> Option<(String, KeyTree)> {
    // The keys on the way to the one that is read, each within the one before it.
    let mut open: Vec<(String, KeyTree)> = Vec::new();
    for line in lines {
        if line.starts_with('[') {
            let path = path_of(root, line)?;
            while open
                .last()
                .is_some_and(|(above, _)| !is_right_below(&path, above))
            {
                close(&mut open)?;
            }
            (open.len() < DEPTH).then_some(())?;
            let name = path.rsplit_once('\\').map_or(&*path, |(_, name)| name);
            let tree = KeyTree {
                name: name.to_owned(),
                time: 0,
                flags: 0,
                class: Vec::new(),
                security: Vec::new(),
                values: Vec::new(),
                keys: Vec::new(),
            };
            open.push((path, tree));
            continue;
        }
        let (_, tree) = open.last_mut()?;
        match line.strip_prefix(';').map(|said| said.split_once('=')) {
            None => tree.values.push(value_of(line)?),
            Some(Some(("time", said))) => tree.time = said.parse().ok()?,
            Some(Some(("flags", said))) => tree.flags = said.parse().ok()?,
            Some(Some(("class", said))) => tree.class = bytes_of(said)?,
            Some(Some(("security", said))) => tree.security = bytes_of(said)?,
            Some(_) => return None,
        }
    }
    while open.len() > 1 {
        close(&mut open)?;
    }
    open.pop()
}

/// Puts the innermost key into the one around it; the outermost has none.
fn close(open: &mut Vec<(String, KeyTree)>) -> Option<()> {
    let (_, tree) = open.pop()?;
    open.last_mut()?.1.keys.push(tree);
    Some(())
}

fn is_right_below(path: &str, above: &str) -> bool {
    let rest = path.strip_prefix(above);
    let name = rest.and_then(|rest| rest.strip_prefix('\\'));
    name.is_some_and(|name| !name.contains('\\'))
}

fn path_of(root: &str, line: &str) -> Option<String> {
    let path = line.strip_prefix('[')?.strip_suffix(']')?;
    let below = path.strip_prefix(root)?;
    let below = below.strip_prefix('\\').or(below.is_empty().then_some(""));
    below.map(str::to_owned)
}

fn value_of(line: &str) -> Option<HiveValue> {
    let (name, rest) = if let Some(rest) = line.strip_prefix("@=") {
        (String::new(), rest)
    } else {
        let (name, rest) = unescaped(line)?;
        (name, rest.strip_prefix('=')?)
    };
    let (kind, data) = if rest.starts_with('"') {
        let (text, rest) = unescaped(rest)?;
        rest.is_empty().then_some(())?;
        let letters = text.encode_utf16().chain([0]);
        (TEXT, letters.flat_map(u16::to_le_bytes).collect())
    } else if let Some(word) = rest.strip_prefix("dword:") {
        let word = u32::from_str_radix(word, 16).ok()?;
        (WORD, word.to_le_bytes().to_vec())
    } else if let Some(bytes) = rest.strip_prefix("hex:") {
        (BYTES, bytes_of(bytes)?)
    } else {
        let (kind, bytes) = rest.strip_prefix("hex(")?.split_once("):")?;
        (u32::from_str_radix(kind, 16).ok()?, bytes_of(bytes)?)
    };
    Some(HiveValue { name, kind, data })
}

/// What stands in quotes at the beginning of a text, and the rest.
fn unescaped(text: &str) -> Option<(String, &str)> {
    let mut inside = String::new();
    let mut letters = text.strip_prefix('"')?.chars();
    loop {
        match letters.next()? {
            '"' => return Some((inside, letters.as_str())),
            '\\' => inside.push(letters.next()?),
            letter => inside.push(letter),
        }
    }
}

#[cfg(test)]
mod tests {
    use proptest::prelude::*;

    use super::*;
    use crate::fuzz::{config, foreign};

    fn name() -> impl Strategy<Value = String> {
        "[ -\\[\\]-~\u{e0}-\u{ff}\u{4e00}-\u{4e08}\u{1f40f}]{1,9}"
    }

    fn value() -> impl Strategy<Value = HiveValue> {
        let data = prop_oneof![
            prop::collection::vec(any::<u8>(), 0..9),
            ".{0,9}".prop_map(|text: String| {
                text.encode_utf16()
                    .chain([0])
                    .flat_map(u16::to_le_bytes)
                    .collect()
            }),
        ];
        let named = prop_oneof![Just(String::new()), name(), "[\\\\\"=]{1,4}"];
        (named, 0_u32..12, data).prop_map(|(name, kind, data)| HiveValue { name, kind, data })
    }

    fn tree() -> impl Strategy<Value = KeyTree> {
        let bytes = || prop::collection::vec(any::<u8>(), 0..5);
        let key = (name(), any::<u64>(), any::<u16>(), bytes(), bytes());
        let leaf = (key, prop::collection::vec(value(), 0..4)).prop_map(|(key, values)| KeyTree {
            name: key.0,
            time: key.1,
            flags: key.2,
            class: key.3,
            security: key.4,
            values,
            keys: Vec::new(),
        });
        leaf.prop_recursive(4, 12, 3, |below| {
            (below.clone(), prop::collection::vec(below, 0..3))
                .prop_map(|(tree, keys)| KeyTree { keys, ..tree })
        })
    }

    proptest! {
        #[test]
        fn prop_what_was_written_is_read(
            tree in tree(),
            value in value(),
            path in prop::collection::vec(name(), 0..3),
        ) {
            let path = path.join("\\");
            let root = "HKEY_LOCAL_MACHINE\\SOFTWARE";
            for exported in [
                Exported::Key { parent: path.clone(), tree },
                Exported::Value { key: path, value },
            ] {
                prop_assert_eq!(read(root, &write(root, &exported)), Some(exported));
            }
        }
    }

    #[test]
    fn a_value_is_written_as_the_registry_itself_does() {
        let text = |text: &str| {
            text.encode_utf16()
                .chain([0])
                .flat_map(u16::to_le_bytes)
                .collect()
        };
        let value = |name: &str, kind, data| HiveValue {
            name: name.to_owned(),
            kind,
            data,
        };
        let exported = Exported::Key {
            parent: "Microsoft".to_owned(),
            tree: KeyTree {
                name: "Tide".to_owned(),
                time: 5,
                flags: 0,
                class: Vec::new(),
                security: vec![1, 2],
                values: vec![
                    value("", 1, text("C:\\Tide\\tide.exe \"-q\"")),
                    value("Start", 4, vec![2, 0, 0, 0]),
                    value("Mark", 3, vec![3, 255]),
                    value("Path", 2, text("%x%")),
                ],
                keys: Vec::new(),
            },
        };
        let written = write("HKEY_LOCAL_MACHINE\\SOFTWARE", &exported);
        let (words, _) = written[2..].as_chunks::<2>();
        let letters: Vec<u16> = words.iter().map(|word| u16::from_le_bytes(*word)).collect();
        assert_eq!(
            String::from_utf16(&letters).unwrap().replace("\r\n", "\n"),
            "Windows Registry Editor Version 5.00\n\n;whole\n\n\
             [HKEY_LOCAL_MACHINE\\SOFTWARE\\Microsoft\\Tide]\n\
             ;time=5\n;flags=0\n;class=\n;security=01,02\n\
             @=\"C:\\\\Tide\\\\tide.exe \\\"-q\\\"\"\n\"Start\"=dword:00000002\n\
             \"Mark\"=hex:03,ff\n\"Path\"=hex(2):25,00,78,00,25,00,00,00\n"
        );
    }

    proptest! {
        #![proptest_config(config())]

        #[test]
        fn fuzz_texts(bytes in foreign(&[&write("R", &Exported::Value {
            key: "A\\B".to_owned(),
            value: HiveValue { name: "c".to_owned(), kind: 3, data: vec![1, 2] },
        })])) {
            drop(read("R", &bytes));
        }
    }
}
