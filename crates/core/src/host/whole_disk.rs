//! Whole disks and images of them: what one is, what it is called, and whether anything of it is in use.

use std::fs;
use std::os::unix::fs::{FileTypeExt as _, MetadataExt as _};
use std::path::{Path, PathBuf};

use jolly_disk::FileKey;

use crate::format::Printable;
use crate::host::disks::{VolumeKind, device_kind, number};
use crate::host::in_use::key_of;
use crate::host::mounts::mounts;
use crate::host::{InUse, Tool, device_number};

/// A whole disk, or a file that holds the image of one.
#[derive(Clone, Debug, PartialEq, Eq)]
pub struct WholeDisk {
    /// Its path, without links on the way.
    pub path: PathBuf,
    /// Where it comes from.
    pub kind: VolumeKind,
    /// What its maker calls it, made harmless; empty where nobody says.
    pub model: String,
    /// Its serial number, made harmless: what stands on most disks, too. None where it has none.
    pub serial: Option<String>,
    /// In bytes.
    pub size: u64,
    /// Whether it turns; none where nobody says.
    pub is_rotating: Option<bool>,
    /// Which file or device it is.
    identity: (u64, u64, u64),
}

impl WholeDisk {
    /// Whether a file that was opened is this one, as large as it was and with no other name.
    pub(crate) fn is_still(&self, file: &fs::File) -> bool {
        use std::io::{Seek as _, SeekFrom};
        let mut at_end = file;
        file.metadata()
            .is_ok_and(|facts| identity_of(&facts) == self.identity && facts.nlink() <= 1)
            && at_end
                .seek(SeekFrom::End(0))
                .is_ok_and(|size| size == self.size)
    }

    /// What is typed to say that this one is meant: its serial number and its size in bytes. An image has no number of its own.
    pub fn word(&self) -> String {
        let serial = match (self.kind, &self.serial) {
            (VolumeKind::Image, _) => "image",
            (_, Some(serial)) => serial,
            (_, None) => "none",
        };
        format!("{serial}:{}", self.size)
    }
}

/// Why something isn't a disk that may be written over as a whole.
#[derive(Debug, thiserror::Error)]
#[expect(missing_docs, reason = "the message names the fields")]
pub enum NoWholeDisk {
    #[error("{} can't be looked at", path.display())]
    Look {
        path: PathBuf,
        source: std::io::Error,
    },
    #[error("{} is neither a disk nor an image of one", path.display())]
    Neither { path: PathBuf },
    #[error("{} is a part of the disk {disk}", path.display())]
    Part { path: PathBuf, disk: String },
    #[error("{} is made of other disks", path.display())]
    Composed { path: PathBuf },
    #[error("{} is built into this machine: only a disk that can be pulled out is wiped, or an image", path.display())]
    Fixed { path: PathBuf },
    #[error("{} is in use: {by}", path.display())]
    InUse { path: PathBuf, by: String },
    #[error("{} has another name, too", path.display())]
    OtherName { path: PathBuf },
}

/// The disks that can be pulled out, and attached images, in use or not.
pub fn removable_disks() -> Vec<WholeDisk> {
    let names = fs::read_dir("/sys/block").into_iter().flatten().flatten();
    let sys = Path::new("/sys");
    let found = names.map(|name| (Path::new("/dev").join(name.file_name()), name.path()));
    let disks = found.filter_map(|(path, own)| disk(&path, &own, sys).ok());
    let mut disks: Vec<WholeDisk> = disks.filter(|disk| disk.size > 0).collect();
    disks.sort_by(|one, other| one.path.cmp(&other.path));
    disks
}

/// What a path leads to, if it may be written over as a whole: a disk that can be pulled out, or an image, nothing of which is
/// in use.
///
/// # Errors
/// Why it may not.
pub fn whole_disk(path: &Path) -> Result<WholeDisk, NoWholeDisk> {
    let look = |source| NoWholeDisk::Look {
        path: path.to_owned(),
        source,
    };
    let path = fs::canonicalize(path).map_err(look)?;
    let facts = fs::metadata(&path).map_err(look)?;
    if facts.file_type().is_block_device() {
        // By its number: anybody may call a device anything.
        let number = device_number(facts.rdev());
        let (major, minor) = (number >> 32, number & 0xffff_ffff);
        let sys = Path::new("/sys");
        let own = sys.join(format!("dev/block/{major}:{minor}"));
        let disk = disk(&path, &own, sys)?;
        return match user_of_disk(&own) {
            Some(by) => Err(NoWholeDisk::InUse { path, by }),
            None => Ok(disk),
        };
    }
    if !facts.is_file() || !is_image(&path, facts.len()) {
        return Err(NoWholeDisk::Neither { path });
    }
    // Its bytes are somebody else's, too.
    if facts.nlink() > 1 {
        return Err(NoWholeDisk::OtherName { path });
    }
    let key = key_of(&facts);
    if let Some(by) = user_of_image(&path, key) {
        return Err(NoWholeDisk::InUse { path, by });
    }
    Ok(WholeDisk {
        path,
        kind: VolumeKind::Image,
        model: String::new(),
        serial: None,
        size: facts.len(),
        is_rotating: None,
        identity: identity_of(&facts),
    })
}

/// What the kernel tells of a device in `own`, a place of its own below `sys`.
fn disk(path: &Path, own: &Path, sys: &Path) -> Result<WholeDisk, NoWholeDisk> {
    let path = path.to_owned();
    let Ok(own) = fs::canonicalize(own) else {
        return Err(NoWholeDisk::Neither { path });
    };
    if own.join("partition").exists() {
        let above = own.parent().and_then(Path::file_name).unwrap_or_default();
        let disk = above.to_string_lossy().into_owned();
        return Err(NoWholeDisk::Part { path, disk });
    }
    let name = own.file_name().unwrap_or_default().to_string_lossy();
    if has_entries(&own.join("slaves")) || name.starts_with("dm-") || name.starts_with("md") {
        return Err(NoWholeDisk::Composed { path });
    }
    let kind = device_kind(sys, &name);
    if !matches!(kind, VolumeKind::Removable | VolumeKind::Image) {
        return Err(NoWholeDisk::Fixed { path });
    }
    let model = fs::read(own.join("device/model")).unwrap_or_default();
    Ok(WholeDisk {
        kind,
        model: Printable(model.trim_ascii()).to_string(),
        serial: serial(&own).filter(|_| kind == VolumeKind::Removable),
        size: number(&own.join("size")).unwrap_or(0) * 512,
        is_rotating: number(&own.join("queue/rotational")).map(|turns| turns == 1),
        identity: fs::metadata(&path)
            .map(|facts| identity_of(&facts))
            .unwrap_or_default(),
        path,
    })
}

/// The serial number of a disk, as its driver tells it, or the device that it hangs on by USB (sysfs-bus-usb).
fn serial(own: &Path) -> Option<String> {
    let device = fs::canonicalize(own.join("device")).ok()?;
    let told = |path: PathBuf| {
        let text = fs::read(path).ok()?;
        let text = Printable(text.trim_ascii()).to_string();
        // It is typed, so it is one word.
        (!text.is_empty() && !text.contains([' ', ':'])).then_some(text)
    };
    let above = device.ancestors().take(8);
    above
        .into_iter()
        .find_map(|place| told(place.join("serial")))
}

/// What has a disk, or a part of it: a mount, another volume, the memory that is swapped out.
fn user_of_disk(own: &Path) -> Option<String> {
    let own = fs::canonicalize(own).ok()?;
    let parts = fs::read_dir(&own).into_iter().flatten().flatten();
    let parts = parts
        .map(|part| part.path())
        .filter(|part| part.join("partition").exists());
    let places: Vec<PathBuf> = std::iter::once(own.clone()).chain(parts).collect();
    let mounts = mounts();
    places.iter().find_map(|own| {
        let name = own.file_name().unwrap_or_default().to_string_lossy();
        let number = fs::read_to_string(own.join("dev")).unwrap_or_default();
        let device = format!("/dev/{name}");
        let is_of_it =
            |mount: &&crate::host::Mount| mount.volume == number.trim() || mount.source == device;
        if let Some(mount) = mounts.iter().find(is_of_it) {
            let point = Printable(mount.point.as_os_str().as_encoded_bytes());
            return Some(format!("{name} is mounted at {point}"));
        }
        if has_entries(&own.join("holders")) {
            return Some(format!("{name} is part of another volume"));
        }
        is_swapped_to(Path::new(&device)).then(|| format!("memory is swapped out to {name}"))
    })
}

/// Whether the kernel swaps memory out to a disk or file (proc(5), `/proc/swaps`).
fn is_swapped_to(path: &Path) -> bool {
    let swaps = fs::read("/proc/swaps").unwrap_or_default();
    let mut lines = swaps.split(|byte| *byte == b'\n');
    lines.any(|line| {
        line.split(u8::is_ascii_whitespace).next() == Some(path.as_os_str().as_encoded_bytes())
    })
}

/// What has an image: a device that it is attached as, or a program that holds it open.
fn user_of_image(path: &Path, key: FileKey) -> Option<String> {
    if is_swapped_to(path) {
        return Some("memory is swapped out to it".to_owned());
    }
    if let Some(device) = attached_as(key) {
        return Some(format!("it is attached as {device}"));
    }
    let user = InUse::read();
    user.user_of(key).map(|program| match program.process {
        0 => program.to_string(),
        _ => format!("{program} has it open"),
    })
}

/// The device that an image is attached as, by the system's own tool, which knows the file itself; [`InUse`] knows it by name.
fn attached_as(key: FileKey) -> Option<String> {
    let words = ["--noheadings", "--raw", "-O", "NAME,BACK-INO,BACK-MAJ:MIN"];
    let answer = Tool::at(&["/usr/sbin/losetup", "/sbin/losetup"], &words)?.ask();
    let wanted = (
        key.inode.to_string(),
        format!("{}:{}", key.device >> 32, key.device & 0xffff_ffff),
    );
    answer.ok()?.text.lines().find_map(|line| {
        let fields: Vec<&str> = line.split_whitespace().collect();
        let [name, inode, device] = fields[..] else {
            return None;
        };
        ((inode, device) == (&*wanted.0, &*wanted.1)).then(|| name.to_owned())
    })
}

/// Endings of images.
const ENDINGS: [&str; 11] = [
    "img", "raw", "dd", "iso", "bin", "image", "qcow2", "vhd", "vhdx", "vmdk", "vdi",
];

/// What an image begins with, and where: boot sectors, tables of parts, file systems, volumes, containers of images (by their
/// own specifications).
const MAGIC: [(u64, &[u8]); 14] = [
    (510, b"\x55\xaa"),
    (512, b"EFI PART"),
    (1080, b"\x53\xef"),
    (65_600, b"_BHRfS_M"),
    (0, b"XFSB"),
    (3, b"NTFS    "),
    (3, b"EXFAT   "),
    (32, b"NXSB"),
    (1024, b"H+"),
    (0, b"LUKS\xba\xbe"),
    (536, b"LVM2 001"),
    (4086, b"SWAPSPACE2"),
    (32_769, b"CD001"),
    (0, b"QFI\xfb"),
];

/// Whether a file is the image of a disk: by its ending, or by what it begins with.
fn is_image(path: &Path, size: u64) -> bool {
    use std::io::Read as _;
    let ending = path.extension().unwrap_or_default().to_string_lossy();
    let by_name = ENDINGS.contains(&&*ending.to_ascii_lowercase());
    if size == 0 {
        return false;
    }
    let mut begins = Vec::new();
    let read = fs::File::open(path).and_then(|file| file.take(1 << 17).read_to_end(&mut begins));
    let has = |(at, magic): &(u64, &[u8])| {
        let from = usize::try_from(*at).ok();
        from.and_then(|from| begins.get(from..from + magic.len())) == Some(magic)
    };
    by_name || (read.is_ok() && size.is_multiple_of(512) && MAGIC.iter().any(has))
}

/// Device, inode, and of a device its own number.
fn identity_of(facts: &fs::Metadata) -> (u64, u64, u64) {
    (facts.dev(), facts.ino(), facts.rdev())
}

fn has_entries(folder: &Path) -> bool {
    fs::read_dir(folder).is_ok_and(|mut names| names.next().is_some())
}

#[cfg(test)]
mod tests {
    use super::*;

    fn write(path: &Path, text: &str) {
        fs::create_dir_all(path.parent().unwrap()).unwrap();
        fs::write(path, text).unwrap();
    }

    /// A disk as the kernel shows it, below this place in the tree of devices.
    fn disk_at(sys: &Path, place: &str, name: &str) -> PathBuf {
        let own = sys.join("devices").join(place).join("block").join(name);
        write(&own.join("size"), "2000\n");
        write(&own.join("queue/rotational"), "0\n");
        let device = sys.join("devices").join(place);
        write(&device.join("model"), " Pebble\u{7} 2 \n");
        std::os::unix::fs::symlink(&device, own.join("device")).unwrap();
        let listed = sys.join("class/block");
        fs::create_dir_all(&listed).unwrap();
        std::os::unix::fs::symlink(&own, listed.join(name)).unwrap();
        own
    }

    #[test]
    fn only_a_whole_disk_that_can_be_pulled_out_is_one() {
        let dir = tempfile::tempdir().unwrap();
        let sys = dir.path();
        let listed = sys.join("class/block");
        let stick = disk_at(sys, "usb2/2-1/host6/target6", "sdb");
        write(&sys.join("devices/usb2/2-1/serial"), "4C53100\n");
        write(&stick.join("sdb1/partition"), "1");
        std::os::unix::fs::symlink(stick.join("sdb1"), listed.join("sdb1")).unwrap();
        disk_at(sys, "pci0/ata1", "sda");
        let joined = disk_at(sys, "usb3/3-1", "sdc");
        write(&joined.join("slaves/sdd"), "");
        let found = disk(Path::new("/dev/sdb"), &listed.join("sdb"), sys).unwrap();
        assert_eq!(
            (
                found.word(),
                found.model.contains('\u{7}'),
                found.is_rotating
            ),
            ("4C53100:1024000".to_owned(), false, Some(false))
        );
        let why = |name: &str| disk(Path::new("/dev/it"), &listed.join(name), sys).unwrap_err();
        assert!(matches!(why("sdb1"), NoWholeDisk::Part { disk, .. } if disk == "sdb"));
        assert!(matches!(why("sda"), NoWholeDisk::Fixed { .. }));
        assert!(matches!(why("sdc"), NoWholeDisk::Composed { .. }));
        assert!(matches!(why("sdz"), NoWholeDisk::Neither { .. }));
        // A volume that was made of one of its parts has all of it.
        assert_eq!(user_of_disk(&stick), None);
        write(&stick.join("sdb1/holders/dm-0"), "");
        assert!(user_of_disk(&stick).unwrap().contains("sdb1"));
    }

    #[test]
    fn a_file_is_an_image_by_its_name_or_its_beginning_and_only_while_nobody_has_it() {
        let dir = tempfile::tempdir().unwrap();
        let photo = dir.path().join("boat.jpg");
        fs::write(&photo, vec![1; 4096]).unwrap();
        assert!(matches!(
            whole_disk(&photo),
            Err(NoWholeDisk::Neither { .. })
        ));
        let (plain, named) = (dir.path().join("copy"), dir.path().join("stick.img"));
        let mut bytes = vec![0; 4096];
        bytes[510..512].copy_from_slice(b"\x55\xaa");
        fs::write(&plain, &bytes).unwrap();
        fs::write(&named, vec![7; 4096]).unwrap();
        for path in [&plain, &named] {
            assert_eq!(whole_disk(path).unwrap().word(), "image:4096");
        }
        let mut holder = std::process::Command::new("sleep")
            .arg("60")
            .stdin(fs::File::open(&plain).unwrap())
            .spawn()
            .unwrap();
        let found = whole_disk(&plain);
        holder.kill().unwrap();
        holder.wait().unwrap();
        assert!(matches!(found, Err(NoWholeDisk::InUse { .. })));
        fs::hard_link(&named, dir.path().join("twin")).unwrap();
        assert!(matches!(
            whole_disk(&named),
            Err(NoWholeDisk::OtherName { .. })
        ));
        assert!(matches!(
            whole_disk(dir.path()),
            Err(NoWholeDisk::Neither { .. })
        ));
    }
}
