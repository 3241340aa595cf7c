//! Where items come from: the files of a target, and what makes one of them an item.
//!
//! An item is one thing with an age that frees something. Columns are in `arena`, the walk of the files in `files`, what
//! no pattern can say in `recognise`. Items that aren't files come from a `holder`.

pub(crate) mod arena;
pub(crate) mod context;
pub(crate) mod families;
pub(crate) mod files;
mod folder_matcher;
pub(crate) mod hard_links;
pub(crate) mod holder;
pub(crate) mod moved;
mod news;
mod previous;
pub(crate) mod recognise;
mod units;

pub(crate) use arena::Owner;
pub use arena::{Arena, FolderId, FolderRecord, ItemId, ItemKind, PileId};
pub(crate) use families::counted;
pub use hard_links::LinkGroup;
pub use holder::site_storage::{is_of_site, sites_of_origin};
pub use holder::{Fingerprint, HolderItem};
pub(crate) use previous::PreviousScan;
pub use recognise::account::AccountAges;
pub use recognise::cache_tag::{is_below_tag, is_tag, may_be_tagged, tag_owner};
pub(crate) use recognise::language::language_of;
pub(crate) use recognise::launcher::is_program_gone;
pub use recognise::trash::{TrashNotes, described, oldest_in_trash, together};
pub(crate) use recognise::unpacked::archive_ending;
pub use recognise::{Candidate, Finding, Reason, Recogniser, looks_like, time_of_itself};
pub use units::{Unit, Units};
