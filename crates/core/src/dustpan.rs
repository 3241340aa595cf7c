//! What was set aside: packed into an archive, recorded beside it, and put back.
//!
//! An archive is a tar in zstd frames that any tar reads. It is trusted no more than the target is.

pub(crate) mod archive;
mod entry;
mod estimate;
mod frames;
mod proof;
mod put_back;
mod record;
mod replace;
mod restore_outcome;
mod room;
mod sparse;
mod staging;

pub(crate) use archive::source::{
    PIECE, SourceError, SourceRead, metadata_of, open_source, write_entry,
};
pub use archive::{Dustpan, DustpanError, KEPT_DAYS, NewDustpan};
pub(crate) use archive::{Verifier, Writer};
pub(crate) use entry::bytes::{contents, hash_bytes, write_bytes};
pub(crate) use entry::{ArchiveEntry, Body, each_entry, write_end};
pub use estimate::estimate_packed;
pub(crate) use frames::{Frame, MOST_STORED, read_frame};
pub(crate) use proof::Stoppable;
pub(crate) use put_back::PutBack;
pub(crate) use record::Line;
pub use record::{Pan, PanItem};
pub(crate) use replace::{
    LeftBeside, ReplaceError, Replaced, build, clear_up, replace, settle_log, swap_in,
};
pub use restore_outcome::RestoreOutcome;
pub use room::{ON_TARGET, Room, RoomError, find_room, is_dustpan_on_target};
pub(crate) use staging::{PART, Staging};
