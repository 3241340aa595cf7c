//! What we keep for ourselves: the state folder, its locks, job sheets, and files that a technician edits.
//!
//! Only files that this person or the administrator owns are believed. What such a file says is read in the room whose
//! words it uses.

mod folder;
pub(crate) mod journal;
mod run_id;
mod sheet;
mod target_lock;
pub(crate) mod user_file;

pub(crate) use folder::archive_of;
pub use folder::{StateError, StateFolder};
pub(crate) use journal::each_line;
pub use journal::{Journal, JournalError, LogError, Sink};
pub use run_id::{NoRunId, RunId};
pub use sheet::exchange::{ImportError, export_sheet, import_sheets, read_sheets};
pub use sheet::store::{SheetError, SheetStore};
pub use sheet::{
    Allowance, Decided, FileChange, Kept, Noticed, Sheet, SheetId, SwitchedOff, Told, ValueData,
    Visit, VisitFact, VisitLook, VisitPile, VisitRun, VisitScan, VisitSign, WentOf,
};
pub use target_lock::LockError;
pub(crate) use target_lock::{TargetLock, lock};
pub use user_file::{KeptError, MOST_BYTES, read_text, shown_name, write_whole};
