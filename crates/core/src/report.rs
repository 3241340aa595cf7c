//! A run told to people and to other programs: as sentences, as a table, as one object.

pub(crate) mod advice;
pub(crate) mod causes;
mod cell;
mod form;
mod object;
pub(crate) mod regrowth;
mod table;
pub(crate) mod visit;

pub use advice::{Advice, SweepEnd, advise};
pub use causes::{Cause, explain};
pub use form::{Form, ReportError, write_report};
pub use regrowth::{Forecast, Regrown, Regrowth, forecast, little_free, regrown};
pub use visit::{decided, unattended, visit_run, visit_scan};
