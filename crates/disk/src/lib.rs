//! Every touch of a target's file system.
//!
//! What this crate guarantees: a path is resolved beneath an open [`Folder`] and nowhere else, no
//! symbolic link is followed, no mount is crossed, and the only calls that remove anything are
//! [`Disk::unlink`] and [`Disk::remove_folder`] of [`RealDisk`]. A disk as a whole is written over through [`open_whole`]
//! alone.

mod beneath;
mod disk;
mod extents;
mod metadata;
mod pieces;
mod real;
mod stat;
mod trusted;
mod wait_share;
mod whole;

pub use disk::{Disk, Entry, Folder, Space};
pub use extents::{Extent, pieces_on_disk, shared_extents, shares_bytes};
pub use metadata::{Attribute, Metadata, NotApplied};
pub use pieces::{Piece, pieces};
pub use real::{RealDisk, read_boot_sector, runner};
pub use stat::{FileKey, Kind, Rights, Stamp, Stat};
pub use trusted::{
    Distrust, make_trusted_folder, read_regular, read_trusted, trusted_file, trusted_folder,
};
pub use wait_share::{WaitMeter, WaitShare};
pub use whole::{FreeSpace, Surface, open_whole};
