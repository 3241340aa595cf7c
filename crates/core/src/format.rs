//! Foreign formats, each read alone: what other programs write, and what we print for them.
//!
//! Nothing here opens a file of a target or knows what a rule is: bytes go in, facts come out. A new format is a new
//! file, with the standard that it follows named at its head.

pub(crate) mod bookmark_file;
mod diagnostic;
mod json;
pub(crate) mod known_tables;
mod printable;
mod property_list;
mod random_access;
mod site;
pub(crate) mod sqlite;
pub(crate) mod text_id;
pub(crate) mod windows;
pub(crate) mod xbel;

pub use diagnostic::{DocumentError, Problem};
pub(crate) use json::harmless_json;
pub use json::{json_text, write_json};
pub use known_tables::Family;
pub use printable::{Printable, is_harmless};
pub(crate) use property_list::{MOST as PROPERTY_LIST_MOST, PropertyList, Unreadable};
pub use random_access::RandomAccess;
pub use site::{Site, host_of_address};
pub(crate) use windows::recycled::{MOST as RECYCLED_MOST, Recycled};
