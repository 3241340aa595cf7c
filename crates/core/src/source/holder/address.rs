//! The name of a holder's item, as one part of a path below it: of a list's entry the address of its document, of a row its
//! table, its number there and its site, such as `cookies 1204 tides.example`; of a registry's key its path, and of a
//! value that and its name behind two backslashes.
//!
//! A slash can't stand in a part of a path; U+2215, which looks like it, stands for it. An address that has that letter
//! itself is written with its percent signs, which means the same (RFC 3987).

use crate::format::{Printable, Site};
use crate::rule::ListFormat;
use crate::source::recognise::local_path;

const SLASH: &str = "\u{2215}";
const WRITTEN: &str = "%E2%88%95";

/// The name of the entry with an address.
pub(crate) fn name_of(address: &str) -> String {
    address.replace(SLASH, WRITTEN).replace('/', SLASH)
}

/// The address that an entry's name stands for.
pub(crate) fn address_of(name: &[u8]) -> String {
    String::from_utf8_lossy(name).replace(SLASH, "/")
}

/// The document that an entry's name stands for, for people: its path where it has one here, else its address.
fn shown_document(name: &[u8]) -> String {
    let address = address_of(name);
    let path = local_path(&address);
    Printable(path.as_deref().unwrap_or(address.as_bytes())).to_string()
}

/// The name of a key or value of a registry by its path; none where it has the letter that stands for a slash.
pub(crate) fn key_name(path: &str) -> Option<String> {
    (!path.contains(SLASH)).then(|| path.replace('/', SLASH))
}

/// A key or value of a registry by its own name first, which is what tells it from others, then where it lies. All of it
/// was harmless when it was named.
pub(crate) fn shown_key(name: &[u8]) -> String {
    let path = address_of(name);
    match path.split_once("\\\\").or_else(|| {
        let (parent, name) = path.rsplit_once('\\')?;
        Some((parent, name))
    }) {
        Some((key, "")) => format!("(default) in {key}"),
        Some((key, own)) => format!("{own} in {key}"),
        None => path,
    }
}

/// Which program opens which kind of files, by the name of that entry.
pub(crate) fn shown_opener(name: &[u8]) -> String {
    let name = address_of(name);
    let words: Vec<&str> = name.splitn(3, ' ').collect();
    match words[..] {
        ["default", kind, entry] => format!("{entry} opens {kind}"),
        [_, kind, entry] => format!("{entry} may open {kind}"),
        _ => name,
    }
}

/// What an item of a holder is called, for people.
pub(crate) fn shown_item(format: ListFormat, name: &[u8]) -> String {
    match format {
        ListFormat::Xbel => shown_document(name),
        ListFormat::Registry => shown_key(name),
        ListFormat::MimeApps => shown_opener(name),
        ListFormat::Snapshots => Printable(name).to_string(),
        ListFormat::Rows => match site_of(name) {
            Some(site) => {
                let site = Site::of_host(site).map_or_else(|| site.to_owned(), |site| site.shown());
                Printable(format!("{site}, {}", row_of(name)).as_bytes()).to_string()
            }
            None => Printable(name).to_string(),
        },
    }
}

/// The table in a row's name.
pub(crate) fn table_of(name: &[u8]) -> Option<&str> {
    let end = name.iter().position(|byte| *byte == b' ')?;
    std::str::from_utf8(name.get(..end)?).ok()
}

/// Table and number in a row's name, as they are listed.
pub(crate) fn row_of(name: &[u8]) -> String {
    let mut words = name.splitn(3, |byte| *byte == b' ');
    let both: Vec<&[u8]> = words.by_ref().take(2).collect();
    String::from_utf8_lossy(&both.join(&b' ')).into_owned()
}

/// The site in a row's name.
pub(crate) fn site_of(name: &[u8]) -> Option<&str> {
    let site = name.splitn(3, |byte| *byte == b' ').nth(2)?;
    std::str::from_utf8(site).ok()
}
