//! Files by which systems start things: read, and changed in the one thing that turns something off.

pub(crate) mod crontab;
pub(crate) mod launchd;
