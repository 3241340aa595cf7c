//! The machine that we run on: its mounts, when it was started, which programs hold which files, its own tools.
//!
//! What is learnt here is about now and about this machine alone. Another fact that the kernel tells goes here.

pub(crate) mod boot;
mod close;
mod disk_health;
mod disks;
mod in_use;
pub(crate) mod mounts;
mod package_manager;
mod processes;
mod service_manager;
mod tool;
mod volume_manager;
mod whole_disk;

pub use boot::boot;
pub use close::{Asked, ask_to_close};
pub(crate) use disk_health::failing_disk;
pub(crate) use disks::recorded_errors;
pub use disks::{
    HostDisk, UnmountedVolume, VolumeKind, host_disks, unmounted_volumes, volume_kind,
};
pub(crate) use disks::{is_rotating, trimmed_volumes};
pub use in_use::{InUse, RunningProgram};
pub(crate) use in_use::{device_number, users_locking};
pub(crate) use mounts::mounted_disks;
pub(crate) use mounts::mounts;
pub(crate) use mounts::volume_id;
pub use mounts::{Mount, mount_of};
pub use package_manager::{ManagerError, PackageManager};
pub use processes::Running;
pub(crate) use processes::running;
pub use service_manager::reload_units;
pub use tool::{Answer, Talk, Tool};
pub(crate) use volume_manager::volume_snapshots;
pub use whole_disk::{NoWholeDisk, WholeDisk, removable_disks, whole_disk};
