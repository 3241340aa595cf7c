//! What launchd (`launchd.plist(5)`) reads: agents and daemons, and the list of those that are turned off.

use std::io::Cursor;

use plist::{Dictionary, Value};

use crate::format::{PropertyList, Unreadable};

/// An agent or a daemon.
#[derive(Debug, Default, PartialEq, Eq)]
pub(crate) struct Agent {
    /// Its label.
    pub label: String,
    /// What it starts.
    pub program: Option<String>,
    /// The same with its arguments.
    pub command: String,
    /// Whether it says itself that it is turned off; the list of those that are says more.
    pub is_disabled: bool,
}

/// Reads a property list whose size and depth are those of a real one.
fn dictionary(bytes: &[u8]) -> Result<Dictionary, Unreadable> {
    PropertyList::read(bytes)?;
    let value = Value::from_reader(Cursor::new(bytes));
    let value = value.ok().ok_or(Unreadable::Broken)?;
    value.into_dictionary().ok_or(Unreadable::Broken)
}

impl Agent {
    /// Reads one.
    pub(crate) fn read(bytes: &[u8]) -> Result<Self, Unreadable> {
        let list = dictionary(bytes)?;
        let text = |key: &str| list.get(key).and_then(Value::as_string).map(str::to_owned);
        let arguments = list.get("ProgramArguments").and_then(Value::as_array);
        let arguments = arguments.map_or(&[][..], |all| all);
        let words: Vec<&str> = arguments.iter().filter_map(Value::as_string).collect();
        let program = text("Program").or_else(|| words.first().map(|word| (*word).to_owned()));
        let command = match (text("Program"), words.is_empty()) {
            (Some(program), true) => program,
            _ => words.join(" "),
        };
        Ok(Self {
            label: text("Label").unwrap_or_default(),
            program,
            command,
            is_disabled: list.get("Disabled").and_then(Value::as_boolean) == Some(true),
        })
    }
}

/// What a list says of a label: whether it is turned off; nothing where it isn't named.
pub(crate) fn is_off(bytes: &[u8], label: &str) -> Result<Option<bool>, Unreadable> {
    Ok(dictionary(bytes)?.get(label).and_then(Value::as_boolean))
}

/// The list with a label turned off or on; in the form that it had. Nothing but that changes in what it says.
pub(crate) fn marked(bytes: Option<&[u8]>, label: &str, off: bool) -> Result<Vec<u8>, Unreadable> {
    let mut list = bytes.map_or_else(|| Ok(Dictionary::new()), dictionary)?;
    list.insert(label.to_owned(), Value::Boolean(off));
    let value = Value::Dictionary(list);
    let mut made = Vec::new();
    let is_binary = bytes.is_some_and(|bytes| bytes.starts_with(b"bplist"));
    let written = if is_binary {
        value.to_writer_binary(&mut made)
    } else {
        value.to_writer_xml(&mut made)
    };
    written.ok().ok_or(Unreadable::Broken)?;
    Ok(made)
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn a_label_is_marked_and_all_others_stay_in_both_forms() {
        let xml = marked(None, "example.tide", true).unwrap();
        let xml = marked(Some(&xml), "example.gull", false).unwrap();
        assert_eq!(is_off(&xml, "example.tide"), Ok(Some(true)));
        assert_eq!(is_off(&xml, "example.gull"), Ok(Some(false)));
        assert_eq!(is_off(&xml, "example.none"), Ok(None));
        let mut binary = Vec::new();
        let value = Value::from_reader(Cursor::new(&xml)).unwrap();
        value.to_writer_binary(&mut binary).unwrap();
        let off = marked(Some(&binary), "example.gull", true).unwrap();
        assert!(off.starts_with(b"bplist"));
        assert_eq!(is_off(&off, "example.gull"), Ok(Some(true)));
        assert_eq!(is_off(&off, "example.tide"), Ok(Some(true)));
        assert_eq!(
            marked(Some(b"bplist00 no"), "x", true),
            Err(Unreadable::Broken)
        );
    }

    proptest::proptest! {
        #![proptest_config(crate::fuzz::config())]

        #[test]
        fn fuzz_agents(bytes in crate::fuzz::foreign(&[
            b"<?xml version=\"1.0\"?><plist version=\"1.0\"><dict><key>Label</key><string>a</string><key>Disabled</key><true/><key>ProgramArguments</key><array><string>/opt/a</string></array></dict></plist>",
        ])) {
            drop(Agent::read(&bytes));
            if let Ok(made) = marked(Some(&bytes), "a", true) {
                proptest::prop_assert_eq!(is_off(&made, "a"), Ok(Some(true)));
            }
        }
    }
}
