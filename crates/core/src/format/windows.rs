//! Formats of Windows' shell.

pub(crate) mod recycled;
pub(crate) mod shell_link;
