//! Files by which systems start things, and what stands in them: read, and changed in the one thing that turns something off.

pub(crate) mod alias_record;
pub(crate) mod crontab;
pub(crate) mod launchd;
