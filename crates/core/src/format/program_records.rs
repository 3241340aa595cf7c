//! What systems and package managers note of the programs on them.

pub(crate) mod apk;
pub(crate) mod control;
pub(crate) mod desktop_entry;
pub(crate) mod mime_apps;
pub(crate) mod pacman;
pub(crate) mod rpm;
pub(crate) mod universal;
