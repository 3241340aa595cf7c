//! The volumes mounted on this machine, by `/proc/self/mountinfo` (proc(5)).

use std::collections::HashSet;
use std::path::{Path, PathBuf};

use crate::host::in_use::device_number;

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
    /// The kernel's number of the volume: the same for all mounts of it.
    pub volume: String,
    /// Of a Btrfs volume, the number of the part that is mounted.
    pub part: Option<u64>,
}

/// File systems that hold no disk of the bench: the kernel's own, views of others, and those of
/// other machines, which may not answer.
const NO_DISKS: &[&str] = words! {
    "9p" "afs" "ceph" "cifs" "davfs" "fuse.sshfs" "glusterfs" "nfs" "nfs4" "smb3" "autofs" "binfmt_misc" "bpf"
    "cgroup" "cgroup2" "configfs" "debugfs" "devpts" "devtmpfs" "efivarfs" "fuse.gvfsd-fuse" "fuse.portal" "fusectl"
    "hugetlbfs" "mqueue" "nsfs" "proc" "pstore" "ramfs" "rpc_pipefs" "securityfs" "squashfs" "sysfs" "tracefs"
};

/// Every mounted volume; none when the kernel doesn't tell.
pub(crate) fn mounts() -> Vec<Mount> {
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
            volume: mount.majmin,
            part: (mount.super_options.get("subvolid").cloned().flatten())
                .and_then(|number| number.parse().ok()),
        })
        .collect()
}

/// The mounted volumes that may be a disk on the bench: each place once, and not this machine's own root.
pub(crate) fn mounted_disks() -> Vec<Mount> {
    let mut known: HashSet<PathBuf> = HashSet::new();
    let mut mounts = mounts();
    mounts.retain(|mount| {
        let is_own = mount.point == Path::new("/");
        !is_own && !NO_DISKS.contains(&&*mount.kind) && known.insert(mount.point.clone())
    });
    mounts
}

/// The mount that a path of this machine lies on: of those above it the deepest, of several at one
/// place the last.
pub fn mount_of(path: &Path) -> Option<Mount> {
    let above = mounts()
        .into_iter()
        .filter(|mount| path.starts_with(&mount.point));
    above.max_by_key(|mount| mount.point.components().count())
}

/// Whether a path lies on a disk of the running system's own: not on a removable one, not in an image,
/// not on what another program or another computer serves, and not at a mount point itself.
pub(crate) fn is_on_own_disk(path: &Path) -> bool {
    let Some(mount) = mount_of(path) else {
        return false;
    };
    let is_served = mount.kind.starts_with("fuse") || NO_DISKS.contains(&&*mount.kind);
    let device = mount.source.strip_prefix("/dev/").unwrap_or_default();
    let is_image = device.starts_with("loop") || device.starts_with("nbd");
    mount.point != path && !is_served && !is_image && !is_removable(device)
}

/// Whether the kernel says of a device, or of the disk that it is a part of, that it can be taken out,
/// or that it hangs on a bus for such.
fn is_removable(device: &str) -> bool {
    if device.is_empty() || device.contains('/') {
        return false;
    }
    let Ok(place) = Path::new("/sys/class/block").join(device).canonicalize() else {
        return false;
    };
    let says_so = |place: &Path| {
        std::fs::read(place.join("removable")).is_ok_and(|text| text.starts_with(b"1"))
    };
    let is_by_usb = || {
        let mut parts = place.components();
        parts.any(|part| part.as_os_str().to_string_lossy().starts_with("usb"))
    };
    place.ancestors().take(2).any(says_so) || is_by_usb()
}

/// The identifier of the volume on a device, as the device manager lists it in
/// `/dev/disk/by-uuid`; `device` is major and minor number as a file's key holds them.
pub(crate) fn volume_id(device: u64) -> Option<String> {
    use std::os::unix::fs::MetadataExt as _;
    let entries = std::fs::read_dir("/dev/disk/by-uuid").ok()?;
    entries.flatten().find_map(|entry| {
        let number = std::fs::metadata(entry.path()).ok()?.rdev();
        (device_number(number) == device).then(|| entry.file_name().to_string_lossy().into_owned())
    })
}
