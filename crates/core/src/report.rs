//! A run told to people and to other programs: as sentences, as a table, as one object, as what the customer reads.

pub(crate) mod advice;
pub(crate) mod ages;
pub(crate) mod causes;
pub(crate) mod customer;
mod fleet;
mod form;
pub(crate) mod notices;
pub(crate) mod regrowth;
mod space;
pub(crate) mod visit;

pub use advice::{Advice, SweepEnd, advise};
pub use ages::{AgesRow, ages_rows};
pub use causes::{Cause, explain};
pub use customer::{CustomerPage, LeftPile, RuleWords, WentOfClass, customer_page};
pub use fleet::{Fleet, FleetComputer, UnreadSheet, read_fleet, write_fleet};
pub use form::{Form, ReportError, write_report};
pub use notices::{Notice, NoticedPile, Unnoticed, class_turn, notices};
pub use regrowth::{Forecast, LittleFree, Regrown, Regrowth, forecast, regrown, regrown_at_last};
pub use space::{note_of_look, read_look, space_rows, write_space};
pub use visit::{decided, in_words, take_up, told, unattended, visit_run, visit_scan};
