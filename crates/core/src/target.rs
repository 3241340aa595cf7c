//! What is worked on: the root, its layout, accounts, places and volume.

mod account;
mod accounts;
mod find;
mod in_use;
mod layout;
mod locate;
mod mounted;
mod opened;
mod path;
mod place;
mod presence;
mod printable;
mod profile;
mod property_list;
mod recycled;
mod running;
mod user_dirs;
mod volume;

pub use account::Account;
pub(crate) use find::{anything_noting as find_noting, folders as find_folders, is_pattern};
pub(crate) use in_use::device_number;
pub use in_use::{Holder, InUse};
pub(crate) use layout::fold;
pub use layout::{Layout, UnknownLayout};
use mounted::volume_id;
pub use mounted::{Mount, mount_of, mounted_systems};
pub(crate) use opened::read_small;
pub use opened::{Target, TargetError};
pub use path::{PathError, TargetPath, WrittenPath};
pub use place::{Place, Places};
pub(crate) use presence::{Presence, presence};
pub use printable::{Printable, is_harmless};
pub(crate) use property_list::{MOST as PROPERTY_LIST_MOST, PropertyList, Unreadable};
pub(crate) use recycled::{MOST as RECYCLED_MOST, Recycled};
pub(crate) use running::running;
pub use volume::Volume;
