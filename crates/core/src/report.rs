//! A run told to other programs: as a table, and as one object.

mod cell;
mod form;
mod object;
mod table;

pub use form::{Form, ReportError, write_report};
