//! stub
use crate::{cli::{SharedOptions, Looks}, exit::{Exit, Refusal}};
pub(crate) fn open(_: &SharedOptions, _: &Looks) -> Result<Exit, Refusal> { Ok(Exit::Done) }
