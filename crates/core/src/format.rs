//! Foreign formats, each read alone: what other programs write, and what we print for them.
//!
//! Nothing here opens a file of a target or knows what a rule is: bytes go in, facts come out. A new format is a new
//! file, with the standard that it follows named at its head.

pub(crate) mod bookmark_file;
mod diagnostic;
pub(crate) mod known_tables;
pub(crate) mod program_records;
mod property_list;
mod random_access;
mod site;
pub(crate) mod sqlite;
pub(crate) mod startup_files;
pub(crate) mod text;
pub(crate) mod windows;
pub(crate) mod xbel;

pub use diagnostic::{DocumentError, Problem};
pub use known_tables::Family;
pub use program_records::universal::ProcessorPart;
pub(crate) use property_list::{MOST as PROPERTY_LIST_MOST, PropertyList, Unreadable};
pub use random_access::RandomAccess;
pub use site::{Site, host_of_address};
pub(crate) use text::harmless_json;
pub use text::{Printable, age, bytes, count, counted, is_harmless, json_text, write_json};
pub(crate) use windows::recycled::{MOST as RECYCLED_MOST, Recycled};
