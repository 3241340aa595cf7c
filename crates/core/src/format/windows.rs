//! Formats of Windows: its shell's, and its registry's.

pub(crate) mod filetime;
pub(crate) mod hive;
pub(crate) mod recycled;
pub(crate) mod registry_text;
pub(crate) mod shell_link;
