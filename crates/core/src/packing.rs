//! What stays, packed into an archive that anybody can open: beside itself, or on another volume.
//!
//! An archive counts only once it was read back and compared with what lies there; what lies there goes only while it is
//! what was compared. What comes out of an archive is built where nobody else can reach it, compared, and named in one
//! step. A new way to pack goes here; runs that pack are in `run/packing.rs`.

mod compare;
mod error;
mod gain;
mod home;
mod may_pack;
mod remove;
mod tree;
mod unpack;
mod write;

pub(crate) use compare::{ArchiveComparison, Compared, compare, compare_all};
pub use error::PackError;
pub use gain::Gain;
pub(crate) use gain::gain_of;
pub use home::{HomeContents, HomeSort, HomeSum, home_contents};
pub(crate) use may_pack::may_pack;
pub(crate) use remove::{remove_own, remove_tree, still_as};
pub(crate) use tree::{SourceTree, TreeRoot, Unfit, look};
pub use unpack::top_of;
pub(crate) use unpack::{Trust, archive_name, unpack};
pub(crate) use write::{read_archive, write_archive};

/// Room that is left on a volume, in bytes: nobody gets a full disk from us.
pub(crate) const RESERVE: u64 = 16 << 20;
