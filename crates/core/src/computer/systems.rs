//! Systems on the disks that are mounted on this machine.

use jolly_disk::Disk;

use crate::computer::{Layout, Target};
use crate::host::{Mount, mounted_disks};

/// The mounted volumes on which a system is recognised, but for this machine's own root.
pub fn mounted_systems(disk: &dyn Disk) -> Vec<(Mount, Layout)> {
    let mounts = mounted_disks().into_iter();
    mounts
        .filter_map(|mount| Target::layout_at(disk, &mount.point).map(|layout| (mount, layout)))
        .collect()
}
