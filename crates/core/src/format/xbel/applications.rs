//! Which programs opened documents last, as a list in XBEL notes it (the desktop bookmark specification of freedesktop.org).

use jiff::Timestamp;
use quick_xml::events::Event;
use quick_xml::{Reader, XmlVersion};

/// Programs in one list at most; each document names each program that opened it.
const MOST: usize = 1 << 18;

/// A program that opened a document.
#[derive(Clone, Debug, PartialEq, Eq)]
pub(crate) struct XbelApplication {
    /// What it calls itself.
    pub name: String,
    /// Its file, without folders and arguments.
    pub file: String,
    /// When, in seconds since 1970.
    pub when: i64,
}

/// The programs that a list names; what comes before something broken counts.
pub(crate) fn applications(text: &str) -> Vec<XbelApplication> {
    let mut reader = Reader::from_str(text);
    let mut found = Vec::new();
    while let Ok(event) = reader.read_event() {
        let element = match &event {
            Event::Eof => break,
            Event::Empty(element) | Event::Start(element) => element,
            _ => continue,
        };
        if element.name().as_ref() != "bookmark:application" || found.len() >= MOST {
            continue;
        }
        let attribute = |name: &str| {
            let written = element.try_get_attribute(name).ok()??;
            let value = written.normalized_value(XmlVersion::Implicit1_0).ok()?;
            Some(value.into_owned())
        };
        let when = attribute("modified").and_then(|text| text.parse::<Timestamp>().ok());
        if let (Some(name), Some(when)) = (attribute("name"), when) {
            found.push(XbelApplication {
                name,
                file: file_of(&attribute("exec").unwrap_or_default()),
                when: when.as_second(),
            });
        }
    }
    found
}

/// The file of a command such as `'/usr/bin/knotbook %u'`.
fn file_of(command: &str) -> String {
    let words = command.trim().trim_matches(['\'', '"']);
    let program = words.split_whitespace().next().unwrap_or_default();
    program.rsplit('/').next().unwrap_or_default().to_owned()
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn programs_are_told_with_their_last_use_as_far_as_the_list_is_sound() {
        let text = "<xbel version=\"1.0\"><bookmark href=\"file:///a\"><info><metadata><bookmark:applications>\
             <bookmark:application name=\"Knot &amp; Book\" exec=\"&apos;/usr/bin/knotbook %u&apos;\" \
             modified=\"2025-06-24T14:36:35Z\" count=\"3\"/>\
             <bookmark:application name=\"no time\" exec=\"x\"/>\
             </bookmark:applications></metadata></info></bookmark><broken";
        let found = applications(text);
        let wanted = XbelApplication {
            name: "Knot & Book".to_owned(),
            file: "knotbook".to_owned(),
            when: 1_750_775_795,
        };
        assert_eq!(found, [wanted]);
        assert_eq!(applications("no list"), []);
    }
}
