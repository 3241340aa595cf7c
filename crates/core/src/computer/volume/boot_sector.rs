//! The number of a volume in its boot sector, for file systems whose own look at it tells none: NTFS and the
//! FAT family, whose layout Microsoft has published.

use std::os::unix::fs::MetadataExt as _;
use std::path::Path;

use crate::host::mount_of;

/// The kinds of mounts that may be one of them; what a program serves names itself as it likes.
const KINDS: [&str; 5] = ["ntfs", "ntfs3", "vfat", "msdos", "exfat"];

/// The number of the volume that is mounted at a path, as the device manager writes it, as far as this process
/// may read what is mounted there.
pub(crate) fn volume_number(point: &Path) -> Option<String> {
    let mount = mount_of(point).filter(|mount| mount.point == point)?;
    if !mount.kind.starts_with("fuse") && !KINDS.contains(&&*mount.kind) {
        return None;
    }
    let source = Path::new(&mount.source);
    let number = of_sector(&jolly_disk::read_boot_sector(source).ok()?)?;
    // An image can be copied, number and all: it is the file that it is, too.
    let image = std::fs::metadata(source)
        .ok()
        .filter(std::fs::Metadata::is_file);
    Some(image.map_or_else(
        || number.clone(),
        |image| format!("{number} in image {}:{}", image.dev(), image.ino()),
    ))
}

fn of_sector(sector: &[u8]) -> Option<String> {
    let at = |from: usize, len: usize| sector.get(from..from + len);
    let short = |from: usize| -> Option<String> {
        let number = u32::from_le_bytes(at(from, 4)?.try_into().ok()?);
        Some(format!("{:04X}-{:04X}", number >> 16, number & 0xffff))
    };
    match at(3, 8)? {
        b"NTFS    " => {
            let number = u64::from_le_bytes(at(0x48, 8)?.try_into().ok()?);
            Some(format!("{number:016X}"))
        }
        b"EXFAT   " => short(0x64),
        _ if at(0x52, 5)? == b"FAT32" => short(0x43),
        _ if at(0x36, 3)? == b"FAT" => short(0x27),
        _ => None,
    }
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn each_kind_has_its_number_where_its_description_says() {
        let sector = |marks: &[(usize, &[u8])]| {
            let mut sector = vec![0; 512];
            for (at, bytes) in marks {
                sector[*at..*at + bytes.len()].copy_from_slice(bytes);
            }
            of_sector(&sector)
        };
        let number = [0x70, 0x4c, 0x79, 0x5a, 0x91, 0x1e, 0xa8, 0x17];
        let told = [
            sector(&[(3, b"NTFS    "), (0x48, &number)]),
            sector(&[(3, b"EXFAT   "), (0x64, &number)]),
            sector(&[(0x52, b"FAT32   "), (0x43, &number)]),
            sector(&[(0x36, b"FAT16   "), (0x27, &number)]),
            sector(&[]),
            of_sector(b"NTFS"),
        ];
        let told = told.map(Option::unwrap_or_default);
        assert_eq!(
            told,
            [
                "17A81E915A794C70",
                "5A79-4C70",
                "5A79-4C70",
                "5A79-4C70",
                "",
                ""
            ]
        );
    }
}
