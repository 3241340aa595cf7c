//! The volumes mounted on this machine, by `/proc/self/mountinfo` (proc(5)).

use std::path::{Path, PathBuf};

use jolly_disk::Disk;

use crate::target::in_use::device_number;
use crate::target::{Layout, Target};

/// One mounted volume.
#[derive(Clone, Debug, PartialEq, Eq)]
pub struct Mount {
    /// Where it is mounted.
    pub point: PathBuf,
    /// The kind of its file system: ext4, ntfs3, fuseblk.
    pub kind: String,
    /// What is mounted: mostly a device.
    pub source: String,
    /// Whether nothing on it can be changed.
    pub is_read_only: bool,
}

/// File systems that hold no disk of the bench: the kernel's own, views of others, and those of
/// other machines, which may not answer.
const NO_DISKS: [&str; 34] = [
    "9p",
    "afs",
    "ceph",
    "cifs",
    "davfs",
    "fuse.sshfs",
    "glusterfs",
    "nfs",
    "nfs4",
    "smb3",
    "autofs",
    "binfmt_misc",
    "bpf",
    "cgroup",
    "cgroup2",
    "configfs",
    "debugfs",
    "devpts",
    "devtmpfs",
    "efivarfs",
    "fuse.gvfsd-fuse",
    "fuse.portal",
    "fusectl",
    "hugetlbfs",
    "mqueue",
    "nsfs",
    "proc",
    "pstore",
    "ramfs",
    "rpc_pipefs",
    "securityfs",
    "squashfs",
    "sysfs",
    "tracefs",
];

/// Every mounted volume; none when the kernel doesn't tell.
fn mounts() -> Vec<Mount> {
    let told = procfs::process::Process::myself().and_then(|own| own.mountinfo());
    let Ok(told) = told else {
        return Vec::new();
    };
    told.into_iter()
        .map(|mount| Mount {
            point: mount.mount_point,
            kind: mount.fs_type,
            source: mount.mount_source.unwrap_or_default(),
            is_read_only: mount.mount_options.contains_key("ro"),
        })
        .collect()
}

/// The mount that a path of this machine lies on: of those above it the deepest, of several at one
/// place the last.
pub fn mount_of(path: &Path) -> Option<Mount> {
    let above = mounts()
        .into_iter()
        .filter(|mount| path.starts_with(&mount.point));
    above.max_by_key(|mount| mount.point.components().count())
}

/// The mounted volumes on which a system is recognised, but for this machine's own root.
pub fn mounted_systems(disk: &dyn Disk) -> Vec<(Mount, Layout)> {
    let mut found: Vec<(Mount, Layout)> = Vec::new();
    for mount in mounts() {
        let is_own = mount.point == Path::new("/");
        let is_known = found.iter().any(|(known, _)| known.point == mount.point);
        if is_own || is_known || NO_DISKS.contains(&&*mount.kind) {
            continue;
        }
        if let Some(layout) = Target::layout_at(disk, &mount.point) {
            found.push((mount, layout));
        }
    }
    found
}

/// The identifier of the volume on a device, as the device manager lists it in
/// `/dev/disk/by-uuid`; `device` is major and minor number as a file's key holds them.
pub(super) fn volume_id(device: u64) -> Option<String> {
    use std::os::unix::fs::MetadataExt as _;
    let entries = std::fs::read_dir("/dev/disk/by-uuid").ok()?;
    entries.flatten().find_map(|entry| {
        let number = std::fs::metadata(entry.path()).ok()?.rdev();
        (device_number(number) == device).then(|| entry.file_name().to_string_lossy().into_owned())
    })
}
