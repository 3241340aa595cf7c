//! A run told to people and to other programs: as sentences, as a table, as one object.

pub(crate) mod causes;
mod cell;
mod form;
mod object;
mod table;

pub use causes::{Cause, explain};
pub use form::{Form, ReportError, write_report};
