//! Carrying a confirmed manifest out, and being able to tell what became of each thing.

mod airlock;
mod batch;
mod check;
mod compare;
mod course;
mod dustpan;
mod explain;
mod hands;
mod journal;
mod last_guard;
mod left_over;
mod log;
mod outcome;
mod overwrite;
mod packer;
mod pause;
mod recorder;
mod recover;
mod rehearse;
mod remove;
mod restore;
mod run;
mod state_folder;
mod tally;
mod target_lock;
mod unit;

pub use compare::{Comparison, Difference, Predictions, Rehearsed, forget_rehearsals};
pub use dustpan::{
    Dustpan, DustpanError, Emptied, EmptyError, KEPT_DAYS, NewDustpan, ON_TARGET, Pan, PanItem,
    Room, RoomError, empty, estimate_packed, find_room, is_dustpan_on_target,
};
pub use explain::{Cause, explain};
pub use journal::{Journal, JournalError, Sink};
pub use left_over::{LeftOver, interrupted, left_over};
pub use log::{
    LogEntry, LogError, LogItem, LogState, LogSummary, list_logs, read_items, verify_log,
};
pub use outcome::{Outcome, OutcomeSums, Stayed};
pub use overwrite::overwrite_caveat;
pub use pause::Pause;
pub use recover::{RecoverError, recover};
pub use restore::{Back, RestoreError, RestoreOrder, Returned, SameComputer, restore};
pub use run::{Ground, Real, RunSummary, SweepError, SweepEvent, rehearse, sweep};
pub use state_folder::{StateError, StateFolder};
