//! What is worked on: the root, its layout, accounts, places and volume.

mod account;
mod accounts;
mod boot;
mod boot_sector;
mod find;
mod identity;
mod in_use;
mod layout;
mod locate;
mod mounted;
mod opened;
mod path;
mod personal;
mod place;
mod presence;
mod printable;
mod profile;
mod profile_note;
mod property_list;
mod recycled;
mod running;
mod user_dirs;
mod volume;

/// The most folders one in the other that are looked into.
pub const MOST_DEPTH: usize = 4096;

pub use account::Account;
pub use boot::boot;
pub(crate) use find::{anything_noting as find_noting, folders as find_folders, is_pattern};
pub use identity::Identity;
pub(crate) use in_use::device_number;
pub(crate) use in_use::users_locking;
pub use in_use::{Holder, InUse};
pub(crate) use layout::fold;
pub use layout::{Layout, UnknownLayout};
use mounted::volume_id;
pub use mounted::{Mount, mount_of, mounted_systems};
pub(crate) use opened::read_small;
pub use opened::{Dates, Target, TargetError};
pub use path::{PathError, TargetPath, WrittenPath};
pub use personal::Personal;
pub use place::{Place, Places};
pub(crate) use presence::{Presence, presence};
pub use printable::{Printable, is_harmless};
pub(crate) use property_list::{MOST as PROPERTY_LIST_MOST, PropertyList, Unreadable};
pub(crate) use recycled::{MOST as RECYCLED_MOST, Recycled};
pub(crate) use running::running;
pub use volume::Volume;
