//! The disks of this machine, by what the kernel tells in `/sys` (sysfs(5)): their kind, their health as
//! far as it is known without asking the disk itself, and the volumes that aren't mounted.

use std::collections::HashSet;
use std::fs;
use std::path::Path;

use crate::format::Printable;
use crate::host::Mount;
use crate::host::mounts::mounts;

/// Where a volume comes from.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub enum VolumeKind {
    /// A disk built into the machine.
    Fixed,
    /// A disk that can be pulled out.
    Removable,
    /// A file that is mounted as a disk.
    Image,
    /// Another machine's.
    Network,
    /// The memory.
    Memory,
}

impl VolumeKind {
    /// In words.
    pub fn words(self) -> &'static str {
        match self {
            Self::Fixed => "fixed disk",
            Self::Removable => "removable disk",
            Self::Image => "disk image",
            Self::Network => "network share",
            Self::Memory => "in memory",
        }
    }
}

/// A disk of this machine.
#[derive(Clone, Debug, PartialEq, Eq)]
pub struct HostDisk {
    /// Its device: sda.
    pub device: String,
    /// What its maker calls it, made harmless; empty where nobody says.
    pub model: String,
    /// In bytes.
    pub size: u64,
    /// Whether it turns.
    pub is_rotating: bool,
    /// Failed commands that the kernel counted, and errors that its file systems recorded; none where
    /// neither is told.
    pub errors: Option<u64>,
}

/// A volume that is there and not mounted.
#[derive(Clone, Debug, PartialEq, Eq)]
pub struct UnmountedVolume {
    /// Its device: sdb2.
    pub device: String,
    /// In bytes.
    pub size: u64,
    /// Where it comes from.
    pub kind: VolumeKind,
    /// Its file system and its label, made harmless, where the system has noted them.
    pub holds: String,
}

/// Smaller ones hold no system.
const LEAST: u64 = 1 << 30;

/// The sector that sysfs counts in, in bytes.
const SECTOR: u64 = 512;

/// Where a mounted volume comes from.
pub fn volume_kind(mount: &Mount) -> VolumeKind {
    kind_in(Path::new("/sys"), mount)
}

fn kind_in(sys: &Path, mount: &Mount) -> VolumeKind {
    const NETWORK: &[&str] = words! {
        "nfs" "nfs4" "cifs" "smb3" "9p" "ceph" "fuse.sshfs" "glusterfs" "davfs"
    };
    if NETWORK.contains(&mount.kind.as_str()) {
        return VolumeKind::Network;
    }
    if matches!(mount.kind.as_str(), "tmpfs" | "ramfs") {
        return VolumeKind::Memory;
    }
    let device = mount.source.rsplit('/').next().unwrap_or_default();
    device_kind(sys, device)
}

pub(super) fn device_kind(sys: &Path, device: &str) -> VolumeKind {
    if device.starts_with("loop") || device.starts_with("nbd") {
        return VolumeKind::Image;
    }
    let own = sys.join("class/block").join(device);
    let path = fs::canonicalize(&own).unwrap_or(own);
    // A partition lies below its disk.
    let is_removable = [path.as_path(), path.parent().unwrap_or(&path)]
        .iter()
        .any(|disk| number(&disk.join("removable")) == Some(1));
    let is_usb = path
        .iter()
        .any(|part| part.as_encoded_bytes().starts_with(b"usb"));
    if is_removable || is_usb {
        VolumeKind::Removable
    } else {
        VolumeKind::Fixed
    }
}

/// The disks of this machine.
pub fn host_disks() -> Vec<HostDisk> {
    disks_in(Path::new("/sys"))
}

fn disks_in(sys: &Path) -> Vec<HostDisk> {
    let mut disks: Vec<HostDisk> = names(&sys.join("block"))
        .into_iter()
        .filter(|device| !is_virtual(device))
        .filter_map(|device| {
            let own = sys.join("block").join(&device);
            let size = number(&own.join("size"))? * SECTOR;
            let model = fs::read(own.join("device/model")).unwrap_or_default();
            Some(HostDisk {
                model: Printable(model.trim_ascii()).to_string(),
                is_rotating: number(&own.join("queue/rotational")) == Some(1),
                errors: errors(sys, &own, &device),
                size,
                device,
            })
        })
        .filter(|disk| disk.size > 0)
        .collect();
    disks.sort_by(|one, other| one.device.cmp(&other.device));
    disks
}

/// Errors of a disk and of the file systems on it.
fn errors(sys: &Path, own: &Path, device: &str) -> Option<u64> {
    // Counted in hex (the kernel's scsi_sysfs.c).
    let failed = fs::read_to_string(own.join("device/ioerr_cnt")).ok();
    let failed =
        failed.and_then(|text| u64::from_str_radix(text.trim().trim_start_matches("0x"), 16).ok());
    let noted = names(&sys.join("fs/ext4"))
        .into_iter()
        .filter(|volume| is_part(volume, device))
        .filter_map(|volume| number(&sys.join("fs/ext4").join(volume).join("errors_count")));
    let noted = noted.reduce(u64::saturating_add);
    match (failed, noted) {
        (None, None) => None,
        (failed, noted) => Some(failed.unwrap_or(0).saturating_add(noted.unwrap_or(0))),
    }
}

/// Errors that the file system of a volume recorded since it was last checked (the kernel's sysfs-fs-ext4); none where it
/// tells nothing. `device` is major and minor number as a file's key holds them.
pub(crate) fn recorded_errors(device: u64) -> Option<u64> {
    recorded_in(Path::new("/sys"), device)
}

fn recorded_in(sys: &Path, device: u64) -> Option<u64> {
    let (major, minor) = (device >> 32, device & 0xffff_ffff);
    let place = fs::canonicalize(sys.join(format!("dev/block/{major}:{minor}"))).ok()?;
    let volume = sys.join("fs/ext4").join(place.file_name()?);
    number(&volume.join("errors_count"))
}

/// Whether a volume is the disk or a partition of it: sda1 of sda, not sdab1; nvme0n1p2 of nvme0n1.
fn is_part(volume: &str, device: &str) -> bool {
    let Some(number) = volume.strip_prefix(device) else {
        return false;
    };
    let number = number.strip_prefix('p').unwrap_or(number);
    number.bytes().all(|digit| digit.is_ascii_digit())
}

/// Whether the disk turns that a device is, is a part of, or is made of; `device` is major and minor number as a file's key
/// holds them. None where nobody says.
pub(crate) fn is_rotating(device: u64) -> Option<bool> {
    let (major, minor) = (device >> 32, device & 0xffff_ffff);
    let own = Path::new("/sys/dev/block").join(format!("{major}:{minor}"));
    queue_says(&own, "rotational", 0).map(|turns| turns == 1)
}

/// What the queue of a device says; of a partition that of its disk, of what is made of others that of the first.
fn queue_says(own: &Path, file: &str, depth: usize) -> Option<u64> {
    const DEEPEST: usize = 8;
    let place = fs::canonicalize(own).ok()?;
    let below = names(&place.join("slaves")).into_iter().next();
    if let Some(below) = below.filter(|_| depth < DEEPEST) {
        return queue_says(&place.join("slaves").join(below), file, depth + 1);
    }
    let said = number(&place.join("queue").join(file));
    said.or_else(|| number(&place.join("../queue").join(file)))
}

/// Where volumes are mounted whose disks want to be told what is empty: those that don't turn and say so (sysfs,
/// `queue/discard_max_bytes`).
pub(crate) fn trimmed_volumes() -> Vec<String> {
    let mut known = HashSet::new();
    let wanted = mounts().into_iter().filter(|mount| {
        let own = Path::new("/sys/dev/block").join(&mount.volume);
        let wants = queue_says(&own, "discard_max_bytes", 0).is_some_and(|most| most > 0);
        let turns = queue_says(&own, "rotational", 0);
        let is_image = mount.source.starts_with("/dev/loop");
        wants && turns == Some(0) && !is_image && !mount.is_read_only
    });
    let wanted = wanted.filter(|mount| known.insert(mount.volume.clone()));
    wanted
        .filter_map(|mount| Some(mount.point.to_str()?.to_owned()))
        .collect()
}

/// The volumes that may hold a system and aren't mounted.
pub fn unmounted_volumes() -> Vec<UnmountedVolume> {
    let mounted: HashSet<String> = mounts()
        .into_iter()
        .filter_map(|mount| Some(mount.source.strip_prefix("/dev/")?.to_owned()))
        .collect();
    unmounted_in(Path::new("/sys"), Path::new("/run/udev/data"), &mounted)
}

fn unmounted_in(sys: &Path, notes: &Path, mounted: &HashSet<String>) -> Vec<UnmountedVolume> {
    let mut found = Vec::new();
    for device in names(&sys.join("class/block")) {
        let own = sys.join("class/block").join(&device);
        let is_partition = own.join("partition").exists();
        let has_holders = !names(&own.join("holders")).is_empty();
        let Some(size) = number(&own.join("size")).map(|sectors| sectors * SECTOR) else {
            continue;
        };
        let is_noted = mounted.contains(&device) || has_holders || size < LEAST;
        if !is_partition || is_noted {
            continue;
        }
        let number = fs::read_to_string(own.join("dev")).unwrap_or_default();
        let note =
            fs::read_to_string(notes.join(format!("b{}", number.trim()))).unwrap_or_default();
        let says = |key: &str| {
            let line = note.lines().find_map(|line| {
                line.strip_prefix("E:")?
                    .strip_prefix(key)?
                    .strip_prefix('=')
            });
            line.map(|says| Printable(says.as_bytes()).to_string())
        };
        let holds = [says("ID_FS_TYPE"), says("ID_FS_LABEL")];
        let holds: Vec<String> = holds.into_iter().flatten().collect();
        if holds.first().is_some_and(|kind| kind == "swap") {
            continue;
        }
        found.push(UnmountedVolume {
            size,
            kind: device_kind(sys, &device),
            holds: holds.join(", "),
            device,
        });
    }
    found.sort_by(|one, other| one.device.cmp(&other.device));
    found
}

/// Devices that are no disk of their own.
fn is_virtual(device: &str) -> bool {
    ["loop", "ram", "zram", "dm-", "md", "sr", "fd", "nbd"]
        .iter()
        .any(|start| device.starts_with(start))
}

pub(super) fn number(path: &Path) -> Option<u64> {
    fs::read_to_string(path).ok()?.trim().parse().ok()
}

fn names(folder: &Path) -> Vec<String> {
    let entries = fs::read_dir(folder).into_iter().flatten().flatten();
    entries
        .filter_map(|entry| entry.file_name().into_string().ok())
        .collect()
}

#[cfg(test)]
mod tests {
    use std::path::PathBuf;

    use super::*;

    fn write(path: &Path, text: &str) {
        fs::create_dir_all(path.parent().unwrap()).unwrap();
        fs::write(path, text).unwrap();
    }

    /// A disk with one partition, as the kernel shows them.
    fn disk(sys: &Path, own: &Path, name: &str, model: &str, (turns, number): (&str, &str)) {
        write(&own.join("size"), "976773168\n");
        write(&own.join("device/model"), model);
        write(&own.join("queue/rotational"), turns);
        write(&own.join("removable"), "0");
        let part = own.join(format!("{name}1"));
        write(&part.join("size"), "900000000");
        write(&part.join("partition"), "1");
        write(&part.join("dev"), number);
        for (folder, own, device) in [
            ("block", own, name.to_owned()),
            ("class/block", &part, format!("{name}1")),
        ] {
            fs::create_dir_all(sys.join(folder)).unwrap();
            std::os::unix::fs::symlink(own, sys.join(folder).join(device)).unwrap();
        }
    }

    #[test]
    fn disks_and_volumes_are_told_as_the_kernel_lists_them() {
        let dir = tempfile::tempdir().unwrap();
        let sys = dir.path().join("sys");
        let usb = sys.join("devices/usb2/2-1/block/sdb");
        let fixed = sys.join("devices/pci0/ata1/block/sda");
        disk(&sys, &usb, "sdb", "Dock\u{7}ing", ("0", "8:17"));
        disk(&sys, &fixed, "sda", "Keel 465 ", ("1", "8:1"));
        write(&fixed.join("device/ioerr_cnt"), "0x1f\n");
        write(&sys.join("fs/ext4/sda1/errors_count"), "2\n");
        write(&sys.join("fs/ext4/sdaa1/errors_count"), "70\n");
        fs::create_dir_all(sys.join("dev/block")).unwrap();
        std::os::unix::fs::symlink(fixed.join("sda1"), sys.join("dev/block/8:1")).unwrap();
        assert_eq!(recorded_in(&sys, 0x0008_0000_0001), Some(2));
        assert_eq!(recorded_in(&sys, 0x0008_0000_0011), None);
        fs::create_dir_all(sys.join("block/loop0")).unwrap();
        let notes = dir.path().join("notes");
        write(
            &notes.join("b8:17"),
            "E:ID_FS_TYPE=ntfs\nE:ID_FS_LABEL=Office\n",
        );
        let disks = disks_in(&sys);
        assert_eq!(disks.len(), 2);
        assert_eq!(
            (
                disks[0].model.as_str(),
                disks[0].is_rotating,
                disks[0].errors
            ),
            ("Keel 465", true, Some(33))
        );
        assert!(!disks[1].model.contains('\u{7}') && disks[1].errors.is_none());
        let mounted = HashSet::from(["sda1".to_owned()]);
        let free = unmounted_in(&sys, &notes, &mounted);
        assert_eq!(free.len(), 1);
        assert_eq!(
            (
                free[0].device.as_str(),
                free[0].kind,
                free[0].holds.as_str()
            ),
            ("sdb1", VolumeKind::Removable, "ntfs, Office")
        );
        let mount = |kind: &str, source: &str| Mount {
            volume: "8:1".to_owned(),
            part: None,
            point: PathBuf::from("/mnt"),
            kind: kind.to_owned(),
            source: source.to_owned(),
            is_read_only: false,
        };
        for (kind, source, expected) in [
            ("ext4", "/dev/sda1", VolumeKind::Fixed),
            ("ntfs3", "/dev/sdb1", VolumeKind::Removable),
            ("ext4", "/dev/loop3", VolumeKind::Image),
            ("fuse.sshfs", "till:/", VolumeKind::Network),
            ("tmpfs", "tmpfs", VolumeKind::Memory),
        ] {
            assert_eq!(kind_in(&sys, &mount(kind, source)), expected, "{source}");
        }
    }
}
