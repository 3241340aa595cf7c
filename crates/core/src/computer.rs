//! The computer that is worked on: its root, layout, accounts, places and volume.
//!
//! All paths are bytes below the root, and each is opened part by part without following a link out of it. A new layout
//! or place goes here.

mod accounts;
mod asleep;
mod entry_kind;
mod layout;
mod opened;
mod path;
mod places;
mod presence;
mod read_small;
mod running;
mod systems;
mod volume;

pub use accounts::account::Account;
pub use accounts::account_name::AccountName;
pub use accounts::personal::Personal;
pub(crate) use asleep::is_asleep;
pub use entry_kind::EntryKind;
pub(crate) use layout::fold;
pub use layout::{Layout, UnknownLayout};
pub use opened::{Dates, Target, TargetError};
pub use path::{PathError, TargetPath, WrittenPath};
pub(crate) use places::find::{
    anything_noting as find_noting, folders as find_folders, is_pattern,
};
pub use places::{Place, Places};
pub(crate) use presence::{FoldedNames, Presence, find_by_drive, presence, presence_by_drive};
pub(crate) use read_small::{read_small, read_whole};
pub(crate) use running::running;
pub use systems::mounted_systems;
pub use volume::Volume;
pub use volume::identity::Identity;
pub(crate) use volume::mount_list::mount_folders;
pub(crate) use volume::restore_points::BTRFS_TOOL;
pub(crate) use volume::restore_points::{
    HeldBytes, btrfs, delete_point, listed_points, number_of, open_part, settle_volume,
    what_it_holds,
};
pub use volume::restore_points::{
    RestorePoint, let_go_of_point, make_point, may_make_point, point_before, restore_points,
};

/// The most folders one in the other that are looked into.
pub const MOST_DEPTH: usize = 4096;
