//! The name of a list's entry: the address of its document, as one part of a path below its list.
//!
//! A slash can't stand in a part of a path; U+2215, which looks like it, stands for it. An address that has that letter
//! itself is written with its percent signs, which means the same (RFC 3987).

use crate::format::Printable;
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
pub(crate) fn shown_document(name: &[u8]) -> String {
    let address = address_of(name);
    let path = local_path(&address);
    Printable(path.as_deref().unwrap_or(address.as_bytes())).to_string()
}
