//! Property lists, the settings files of macOS: in XML, binary or the old text form.

use std::collections::HashMap;
use std::io::Cursor;

use plist::stream::{AsciiReader, BinaryReader, Event, OwnedEvent, XmlReader};

/// The most that is read of one; settings of programs stay far below.
pub(crate) const MOST: u64 = 16 * 1024 * 1024;

/// How deep one may nest, and how many parts it may unfold to: a few bytes of a binary list can
/// stand for billions.
const DEEPEST: usize = 64;
const MOST_PARTS: usize = 200_000;

/// Texts and keys longer than this are no names and no paths.
const LONGEST: usize = 4_096;

/// The most that is kept of one, keys and texts together, in bytes: every text is kept with all the keys
/// that lead to it, and a binary list may say one long key many times.
const MOST_KEPT: usize = 32 * 1024 * 1024;

/// The texts and bytes of a property list by the keys that lead to them, divided by `/`; entries of an array
/// count from 0.
#[derive(Clone, Debug, Default, PartialEq, Eq)]
pub(crate) struct PropertyList {
    texts: HashMap<String, String>,
    data: HashMap<String, Vec<u8>>,
}

/// Why some bytes are not a property list.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub(crate) enum Unreadable {
    /// They are none.
    Broken,
    /// They are more than anybody needs, so nothing is said of them.
    TooMuch,
}

/// Where the reader stands in the list.
enum Level {
    Dictionary(Option<String>),
    Array(usize),
}

impl Level {
    /// How long what it adds to a path is, in bytes.
    fn len(&self) -> usize {
        match self {
            Self::Dictionary(key) => 1 + key.as_ref().map_or(0, String::len),
            Self::Array(_) => 8,
        }
    }
}

impl PropertyList {
    /// Reads one.
    pub(crate) fn read(bytes: &[u8]) -> Result<Self, Unreadable> {
        let mut list = Self::default();
        let mut levels: Vec<Level> = Vec::new();
        let (mut parts, mut kept, mut is_begun) = (0_usize, 0_usize, false);
        for event in events(bytes) {
            let event = event.ok().ok_or(Unreadable::Broken)?;
            parts += 1;
            if parts > MOST_PARTS || levels.len() > DEEPEST {
                return Err(Unreadable::TooMuch);
            }
            is_begun = true;
            if let (Some(Level::Dictionary(key @ None)), Event::String(text)) =
                (levels.last_mut(), &event)
            {
                if text.len() > LONGEST {
                    return Err(Unreadable::TooMuch);
                }
                *key = Some(text.to_string());
                continue;
            }
            match event {
                Event::StartArray(_) => levels.push(Level::Array(0)),
                Event::StartDictionary(_) => levels.push(Level::Dictionary(None)),
                Event::EndCollection => {
                    levels.pop();
                    step(&mut levels);
                }
                Event::String(text) if text.len() <= LONGEST => {
                    kept += text.len() + levels.iter().map(Level::len).sum::<usize>();
                    if kept > MOST_KEPT {
                        return Err(Unreadable::TooMuch);
                    }
                    list.texts.insert(path(&levels), text.into_owned());
                    step(&mut levels);
                }
                Event::Data(data) if data.len() <= LONGEST => {
                    kept += data.len() + levels.iter().map(Level::len).sum::<usize>();
                    if kept > MOST_KEPT {
                        return Err(Unreadable::TooMuch);
                    }
                    list.data.insert(path(&levels), data.into_owned());
                    step(&mut levels);
                }
                Event::Date(date) => {
                    list.texts.insert(path(&levels), date.to_xml_format());
                    step(&mut levels);
                }
                _ => step(&mut levels),
            }
        }
        // What ends in the middle has lost its rest.
        if is_begun && levels.is_empty() {
            Ok(list)
        } else {
            Err(Unreadable::Broken)
        }
    }

    /// The text at a path of keys.
    pub(crate) fn text(&self, path: &str) -> Option<&str> {
        self.texts.get(path).map(String::as_str)
    }

    /// The bytes at a path of keys.
    pub(crate) fn data(&self, path: &str) -> Option<&[u8]> {
        self.data.get(path).map(Vec::as_slice)
    }

    /// The texts of an array at a path of keys, from its first on.
    pub(crate) fn texts<'a>(&'a self, path: &'a str) -> impl Iterator<Item = &'a str> {
        (0..).map_while(move |number: usize| self.text(&format!("{path}/{number}")))
    }
}

/// The parts of a list in whichever form it has; the crate's own guess takes any text for the old
/// form, also what is left of another.
fn events(bytes: &[u8]) -> Box<dyn Iterator<Item = Result<OwnedEvent, plist::Error>> + '_> {
    let text = bytes.strip_prefix(b"\xef\xbb\xbf").unwrap_or(bytes);
    match text.trim_ascii_start() {
        _ if bytes.starts_with(b"bplist00") => Box::new(BinaryReader::new(Cursor::new(bytes))),
        [b'<', b'?' | b'!' | b'p', ..] => Box::new(XmlReader::new(Cursor::new(text))),
        [b'{' | b'(' | b'"' | b'/' | b'<', ..] => Box::new(AsciiReader::new(Cursor::new(text))),
        _ => Box::new(std::iter::empty()),
    }
}

/// A value has been read: the next one has another key or number.
fn step(levels: &mut [Level]) {
    match levels.last_mut() {
        Some(Level::Dictionary(key)) => *key = None,
        Some(Level::Array(number)) => *number += 1,
        None => {}
    }
}

fn path(levels: &[Level]) -> String {
    let parts: Vec<String> = levels
        .iter()
        .map(|level| match level {
            Level::Dictionary(key) => key.clone().unwrap_or_default(),
            Level::Array(number) => number.to_string(),
        })
        .collect();
    parts.join("/")
}

#[cfg(test)]
mod tests {
    use super::*;
    use proptest::prelude::*;

    const LIST: &str = r#"<?xml version="1.0"?><plist version="1.0"><dict>
        <key>Label</key><string>example.tides</string>
        <key>Deep</key><dict><key>Inner</key><string>x</string><key>N</key><integer>3</integer></dict>
        <key>ProgramArguments</key><array><string>/opt/tides</string><string>-d</string></array>
        </dict></plist>"#;

    #[test]
    fn texts_are_found_by_their_keys() {
        let list = PropertyList::read(LIST.as_bytes()).unwrap();
        assert_eq!(list.text("Label"), Some("example.tides"));
        assert_eq!(list.text("Deep/Inner"), Some("x"));
        let arguments: Vec<&str> = list.texts("ProgramArguments").collect();
        assert_eq!(arguments, ["/opt/tides", "-d"]);
        assert_eq!(list.text("Deep/N"), None);
    }

    #[test]
    fn a_cut_or_bloated_list_is_refused_and_quick() {
        assert_eq!(PropertyList::read(b""), Err(Unreadable::Broken));
        for cut in [20, 60, 120, LIST.len() - 12] {
            assert_eq!(
                PropertyList::read(&LIST.as_bytes()[..cut]),
                Err(Unreadable::Broken),
                "cut at {cut}"
            );
        }
        let deep = format!("<plist version=\"1.0\">{}", "<array>".repeat(100_000));
        assert_eq!(
            PropertyList::read(deep.as_bytes()),
            Err(Unreadable::TooMuch)
        );
        assert_eq!(PropertyList::read(&doubling(40)), Err(Unreadable::TooMuch));
    }

    /// A binary list of arrays that each hold the next one twice.
    fn doubling(levels: u8) -> Vec<u8> {
        let mut bytes = b"bplist00".to_vec();
        let mut offsets = Vec::new();
        for level in 0..levels {
            offsets.push(u8::try_from(bytes.len()).unwrap());
            bytes.extend([0xa2, level + 1, level + 1]);
        }
        offsets.push(u8::try_from(bytes.len()).unwrap());
        bytes.push(0x09);
        let table = u64::try_from(bytes.len()).unwrap();
        bytes.extend(&offsets);
        bytes.extend([0; 6]);
        bytes.extend([1, 1]);
        bytes.extend(u64::from(levels + 1).to_be_bytes());
        bytes.extend(0_u64.to_be_bytes());
        bytes.extend(table.to_be_bytes());
        bytes
    }

    proptest! {
        #[test]
        fn prop_arbitrary_bytes_never_panic(tail in proptest::collection::vec(any::<u8>(), 0..300), head in 0_usize..3) {
            let head: &[u8] = [&b"bplist00"[..], b"<?xml version=\"1.0\"?><plist><dict>", b""][head];
            let bytes = [head, &tail].concat();
            // Whatever it says, it says it.
            drop(PropertyList::read(&bytes));
        }
    }

    proptest::proptest! {
        #![proptest_config(crate::fuzz::config())]

        #[test]
        fn fuzz_property_lists(bytes in crate::fuzz::foreign(&[
            b"<?xml version=\"1.0\"?><plist version=\"1.0\"><dict><key>a</key><array><string>x</string></array></dict></plist>",
            b"bplist00\xd1\x01\x02SkeyUvalue\x08\x0b\x0f\0\0\0\0\0\0\x01\x01\0\0\0\0\0\0\0\x03\0\0\0\0\0\0\0\0\0\0\0\0\0\0\0\x15",
            b"{ a = (1, \"two\"); }",
        ])) {
            let read = PropertyList::read(&bytes);
            let kept = read.map_or(0, |list| list.texts.iter().map(|(key, text)| key.len() + text.len()).sum());
            proptest::prop_assert!(kept <= MOST_KEPT);
        }
    }
}
