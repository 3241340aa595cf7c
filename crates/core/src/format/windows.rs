//! Formats of Windows: its shell's, and its registry's.

pub(crate) mod hive;
pub(crate) mod recycled;
pub(crate) mod shell_link;
