//! Carrying a confirmed list out, and being able to tell what became of each thing.
//!
//! Between the word and the first unlink: `sweep` opens log and locks, `pipeline` cuts the list into batches and has
//! them recorded ahead, `workers` check each thing once more and touch it.

mod check;
mod log;
pub(crate) mod packing;
mod pipeline;
pub(crate) mod recover;
pub(crate) mod rehearse;
pub(crate) mod restore;
mod sums;
mod sweep;
pub(crate) mod switch;
mod tally;
mod workers;

pub(crate) use log::command::record_asking;
pub use log::command::{
    CommandEnd, CommandError, CommandLog, CommandOrder, list_commands, read_command, run_command,
};
pub use log::forget::{ForgetError, files_of, forget_files};
pub use log::{LogEntry, LogItem, LogState, LogSummary, list_logs, read_items, verify_log};
pub use packing::{
    PackSummary, Packing, RescueOrder, RescueSummary, bring_back_from_point, pack, pack_in_place,
    rescue, unpack, weigh_packing,
};
pub use recover::left_over::{LeftOver, interrupted, left_over};
pub use recover::{RecoverError, recover};
pub use rehearse::compare::{Comparison, Difference, Predictions, Rehearsed, forget_rehearsals};
pub use restore::empty::{Emptied, EmptyError, empty};
pub use restore::{RestoreError, RestoreOrder, RestoreSummary, SameComputer, restore};
pub use sums::{Large, RunSums, Went};
pub use sweep::{
    ClassProgress, Real, RunContext, RunSummary, SweepError, SweepEvent, rehearse, sweep,
};
pub use switch::{SwitchError, Switching, switch_back, switch_off, switch_on};
pub(crate) use workers::overwrite::caveat_at;
pub use workers::overwrite::overwrite_caveat;
pub use workers::pause::Pause;
