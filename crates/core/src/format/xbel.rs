//! Lists in XBEL 1.0 (the XML bookmark exchange language), as the desktop bookmark specification of freedesktop.org
//! uses it for documents that were opened last: read, and made anew without some entries or with some more.
//!
//! Whatever stays keeps its exact bytes: entries are cut out of the text, and put into it.

pub(crate) mod applications;

use std::collections::{BTreeMap, BTreeSet};
use std::ops::Range;

use jiff::Timestamp;
use quick_xml::events::{BytesStart, Event};
use quick_xml::{Reader, XmlVersion};

/// Elements within each other at most.
const MOST_DEPTH: usize = 64;

/// Entries in one list at most.
pub(crate) const MOST_ENTRIES: usize = 1 << 16;

/// The longest address of an entry, in bytes.
const MOST_ADDRESS: usize = 4096;

/// What the prefixes stand for that the specification's entries use.
const PREFIXES: [(&str, &str); 2] = [
    (
        "bookmark",
        "http://www.freedesktop.org/standards/desktop-bookmarks",
    ),
    (
        "mime",
        "http://www.freedesktop.org/standards/shared-mime-info",
    ),
];

/// A list without entries.
pub(crate) const EMPTY: &str = "<?xml version=\"1.0\" encoding=\"UTF-8\"?>\n<xbel version=\"1.0\"\n      \
    xmlns:bookmark=\"http://www.freedesktop.org/standards/desktop-bookmarks\"\n      \
    xmlns:mime=\"http://www.freedesktop.org/standards/shared-mime-info\"\n>\n</xbel>\n";

/// Why a list can't be used.
#[derive(Clone, Debug, PartialEq, Eq, thiserror::Error)]
pub(crate) enum XbelError {
    #[error("it is not UTF-8 text")]
    NotUtf8,
    #[error("it is not a list in XBEL")]
    NotXbel,
    #[error("it declares names of its own for text, which nobody needs in such a list")]
    Entities,
    #[error("its elements lie more than {MOST_DEPTH} deep in each other")]
    TooDeep,
    #[error("it has more than {MOST_ENTRIES} entries")]
    TooMany,
    #[error("it is no well-formed XML at byte {at}: {message}")]
    Malformed { at: u64, message: String },
    #[error("its entries use the prefix \"{0}\", which the list doesn't know")]
    UnknownPrefix(String),
}

/// One entry: all that the list says of one address.
#[derive(Clone, Debug, PartialEq, Eq)]
pub(crate) struct XbelEntry {
    /// The address of its document, as the list has it.
    pub address: String,
    /// The latest of what the list says of it: added, modified, visited; seconds since 1970.
    pub time: Option<i64>,
    /// Its elements: usually one, of an address that stands twice all of them.
    elements: Vec<Element>,
}

impl XbelEntry {
    /// By how much its list is shorter without it, in bytes.
    pub(crate) fn length(&self) -> u64 {
        let elements = self.elements.iter();
        let lengths = elements.map(|element| element.text.end - element.from);
        lengths.sum::<usize>() as u64
    }
}

/// Where an element lies in the text.
#[derive(Clone, Debug, PartialEq, Eq)]
struct Element {
    /// Without the blanks before it.
    text: Range<usize>,
    /// Where these begin.
    from: usize,
}

/// How the root element begins.
#[derive(Clone, Debug, PartialEq, Eq)]
struct Root {
    tag: Range<usize>,
    /// Whether it has no end tag of its own.
    is_closed: bool,
    prefixes: BTreeSet<String>,
}

/// A list that was read.
#[derive(Clone, Debug, PartialEq, Eq)]
pub(crate) struct Xbel {
    text: String,
    entries: Vec<XbelEntry>,
    /// Elements that name no document, or one with a longer address than any has.
    unnamed: u64,
    root: Root,
    /// Behind the last thing in the root element.
    end: usize,
}

impl Xbel {
    /// Reads a list.
    ///
    /// # Errors
    /// When it isn't one, or one that is too large or too strange.
    pub(crate) fn read(bytes: Vec<u8>) -> Result<Self, XbelError> {
        let text = String::from_utf8(bytes).ok().ok_or(XbelError::NotUtf8)?;
        let mut found = Found::default();
        let mut reader = Reader::from_str(&text);
        let mut at = 0;
        loop {
            let event = reader.read_event().map_err(|error| XbelError::Malformed {
                at: reader.error_position(),
                message: error.to_string(),
            })?;
            let end = usize::try_from(reader.buffer_position()).unwrap_or(usize::MAX);
            if matches!(event, Event::Eof) {
                break;
            }
            found.take(&event, at..end)?;
            at = end;
        }
        let is_whole = found.depth == 0;
        let (Some(root), true) = (found.root, is_whole) else {
            return Err(if is_whole {
                XbelError::NotXbel
            } else {
                XbelError::Malformed {
                    at: text.len() as u64,
                    message: "it ends before its last element does".to_owned(),
                }
            });
        };
        let mut entries: Vec<XbelEntry> = Vec::new();
        let mut known: BTreeMap<String, usize> = BTreeMap::new();
        for (address, time, element) in found.elements {
            if let Some(entry) = known.get(&address).and_then(|at| entries.get_mut(*at)) {
                entry.time = entry.time.max(time);
                entry.elements.push(element);
                continue;
            }
            known.insert(address.clone(), entries.len());
            entries.push(XbelEntry {
                address,
                time,
                elements: vec![element],
            });
        }
        Ok(Self {
            end: found.end.max(root.tag.end),
            text,
            entries,
            unnamed: found.unnamed,
            root,
        })
    }

    /// Its entries, in the order of the list.
    pub(crate) fn entries(&self) -> &[XbelEntry] {
        &self.entries
    }

    /// How many of its elements name no document.
    pub(crate) fn unnamed(&self) -> u64 {
        self.unnamed
    }

    /// The elements of an entry, as they stand in the list.
    pub(crate) fn elements_of(&self, entry: &XbelEntry) -> String {
        let elements = entry.elements.iter();
        elements
            .filter_map(|element| self.text.get(element.text.clone()))
            .collect()
    }

    /// The list without some of its entries.
    pub(crate) fn without(&self, is_out: &dyn Fn(&XbelEntry) -> bool) -> String {
        let out = self.entries.iter().filter(|entry| is_out(entry));
        let mut cuts: Vec<Range<usize>> = out
            .flat_map(|entry| &entry.elements)
            .map(|element| element.from..element.text.end)
            .collect();
        cuts.sort_by_key(|cut| cut.start);
        let mut kept = String::with_capacity(self.text.len());
        let mut from = 0;
        for cut in cuts {
            kept.push_str(self.text.get(from..cut.start).unwrap_or_default());
            from = cut.end;
        }
        kept.push_str(self.text.get(from..).unwrap_or_default());
        kept
    }

    /// The list with some more elements behind its last one.
    ///
    /// # Errors
    /// When they use prefixes that neither the list nor the specification explains.
    pub(crate) fn with(&self, elements: &[String]) -> Result<String, XbelError> {
        let Root {
            tag,
            is_closed,
            prefixes,
        } = &self.root;
        let mut declared = String::new();
        for prefix in elements
            .iter()
            .map(|text| undeclared(text))
            .collect::<Result<Vec<_>, _>>()?
            .into_iter()
            .flatten()
            .collect::<BTreeSet<_>>()
        {
            if prefixes.contains(&prefix) {
                continue;
            }
            let known = PREFIXES.iter().find(|(known, _)| *known == prefix);
            let (_, means) = known.ok_or(XbelError::UnknownPrefix(prefix.clone()))?;
            declared.extend([" xmlns:", &prefix, "=\"", means, "\""]);
        }
        let part = |range: Range<usize>| self.text.get(range).unwrap_or_default();
        let closing = if *is_closed { 2 } else { 1 };
        let tag_text = part(tag.start..tag.end.saturating_sub(closing));
        let mut made = if *is_closed || !declared.is_empty() {
            [part(0..tag.start), tag_text.trim_end(), &declared, ">"].concat()
        } else {
            part(0..tag.end).to_owned()
        };
        if !*is_closed {
            made.push_str(part(tag.end..self.end));
        }
        for element in elements {
            made.push_str("\n  ");
            made.push_str(element);
        }
        if *is_closed {
            made.push_str("\n</xbel>");
            made.push_str(part(tag.end..self.text.len()));
        } else {
            let rest = part(self.end..self.text.len());
            if !rest.starts_with(['\n', '\r']) {
                made.push('\n');
            }
            made.push_str(rest);
        }
        Ok(made)
    }
}

/// An entry that is being read.
struct OpenEntry {
    address: Option<String>,
    time: Option<i64>,
    /// Where it begins, and the blanks before it.
    start: usize,
    from: usize,
}

/// What was found so far while a list is read.
#[derive(Default)]
struct Found {
    depth: usize,
    root: Option<Root>,
    elements: Vec<(String, Option<i64>, Element)>,
    unnamed: u64,
    /// Behind the last thing in the root element that isn't blank.
    end: usize,
    open: Option<OpenEntry>,
    /// Where the blanks begin that stand right before what comes.
    blanks: Option<usize>,
}

impl Found {
    fn take(&mut self, event: &Event<'_>, at: Range<usize>) -> Result<(), XbelError> {
        let malformed = |message: &str| XbelError::Malformed {
            at: at.start as u64,
            message: message.to_owned(),
        };
        let is_over = self.depth == 0 && self.root.is_some();
        let blanks = self.blanks.take();
        match event {
            Event::Start(tag) => {
                if is_over {
                    return Err(malformed("something stands behind its last element"));
                }
                self.begin(tag, &at, blanks, false)?;
                self.depth += 1;
                if self.depth > MOST_DEPTH {
                    return Err(XbelError::TooDeep);
                }
            }
            Event::Empty(tag) => {
                if is_over {
                    return Err(malformed("something stands behind its last element"));
                }
                self.begin(tag, &at, blanks, true)?;
                self.finish(&at);
            }
            Event::End(_) => {
                self.depth = self.depth.saturating_sub(1);
                self.finish(&at);
            }
            Event::Text(text) => {
                let is_blank = text.bytes().all(|byte| byte.is_ascii_whitespace());
                if !is_blank && self.depth == 0 && &**text != "\u{feff}" {
                    return Err(malformed("text stands outside of its elements"));
                }
                if is_blank {
                    self.blanks = Some(at.start);
                } else if self.depth == 1 {
                    self.end = at.end;
                }
            }
            Event::CData(_) | Event::GeneralRef(_) if self.depth == 0 => {
                return Err(malformed("text stands outside of its elements"));
            }
            Event::GeneralRef(name) if !is_known(name) => {
                return Err(malformed("it uses a name for text that nobody explains"));
            }
            Event::DocType(text) => {
                if text.contains('[') {
                    return Err(XbelError::Entities);
                }
                if self.root.is_some() {
                    return Err(malformed("its kind is said too late"));
                }
            }
            Event::Decl(declaration) => {
                let encoding = declaration.encoding();
                let is_utf8 = |name: &str| name.eq_ignore_ascii_case("utf-8");
                match encoding {
                    None => {}
                    Some(Ok(name)) if is_utf8(&name) => {}
                    Some(_) => return Err(XbelError::NotUtf8),
                }
            }
            Event::CData(_) | Event::GeneralRef(_) | Event::Comment(_) | Event::PI(_) => {
                if self.depth == 1 {
                    self.end = at.end;
                }
            }
            Event::Eof => {}
        }
        Ok(())
    }

    fn begin(
        &mut self,
        tag: &BytesStart<'_>,
        at: &Range<usize>,
        blanks: Option<usize>,
        is_closed: bool,
    ) -> Result<(), XbelError> {
        let malformed = |message: String| XbelError::Malformed {
            at: at.start as u64,
            message,
        };
        let mut attributes: BTreeMap<String, String> = BTreeMap::new();
        for attribute in tag.attributes() {
            let attribute = attribute.map_err(|error| malformed(error.to_string()))?;
            let value = attribute
                .normalized_value(XmlVersion::Implicit1_0)
                .map_err(|error| malformed(error.to_string()))?;
            attributes.insert(attribute.key.as_ref().to_owned(), value.into_owned());
        }
        if self.depth == 0 {
            if tag.name().as_ref() != "xbel" {
                return Err(XbelError::NotXbel);
            }
            let prefixes = attributes.keys();
            self.root = Some(Root {
                tag: at.clone(),
                is_closed,
                prefixes: prefixes
                    .filter_map(|key| Some(key.strip_prefix("xmlns:")?.to_owned()))
                    .collect(),
            });
        } else if self.depth == 1 && tag.name().as_ref() == "bookmark" {
            if self.elements.len() >= MOST_ENTRIES {
                return Err(XbelError::TooMany);
            }
            let time = ["added", "modified", "visited"]
                .iter()
                .filter_map(|key| time_of(attributes.get(*key)?))
                .max();
            let address = attributes.remove("href");
            let address = address.filter(|it| !it.is_empty() && it.len() <= MOST_ADDRESS);
            self.open = Some(OpenEntry {
                address,
                time,
                start: at.start,
                from: blanks.unwrap_or(at.start),
            });
        }
        Ok(())
    }

    /// Ends what lies right in the root element, when it ends here.
    fn finish(&mut self, at: &Range<usize>) {
        if self.depth != 1 {
            return;
        }
        self.end = at.end;
        let Some(open) = self.open.take() else { return };
        let Some(address) = open.address else {
            self.unnamed += 1;
            return;
        };
        let element = Element {
            text: open.start..at.end,
            from: open.from,
        };
        self.elements.push((address, open.time, element));
    }
}

/// Whether a reference is one that XML itself explains: a character's number, or one of five names.
fn is_known(name: &str) -> bool {
    name.starts_with('#') || ["amp", "lt", "gt", "apos", "quot"].contains(&name)
}

/// A time as XBEL writes it (ISO 8601), seconds since 1970.
fn time_of(text: &str) -> Option<i64> {
    Some(text.parse::<Timestamp>().ok()?.as_second())
}

/// The prefixes that elements use and don't explain themselves.
fn undeclared(elements: &str) -> Result<BTreeSet<String>, XbelError> {
    let mut reader = Reader::from_str(elements);
    let (mut used, mut declared) = (BTreeSet::new(), BTreeSet::from(["xml".to_owned()]));
    loop {
        let malformed = |error: &dyn std::fmt::Display| XbelError::Malformed {
            at: 0,
            message: error.to_string(),
        };
        let event = reader.read_event().map_err(|error| malformed(&error))?;
        let tag = match &event {
            Event::Start(tag) | Event::Empty(tag) => tag,
            Event::Eof => break,
            _ => continue,
        };
        let prefix = |name: &str| Some(name.split_once(':')?.0.to_owned());
        used.extend(prefix(tag.name().as_ref()));
        for attribute in tag.attributes() {
            let attribute = attribute.map_err(|error| malformed(&error))?;
            let key = attribute.key.as_ref();
            match key.strip_prefix("xmlns:") {
                Some(name) => {
                    declared.insert(name.to_owned());
                }
                None => used.extend(prefix(key)),
            }
        }
    }
    Ok(used.difference(&declared).cloned().collect())
}

#[cfg(test)]
mod tests;
