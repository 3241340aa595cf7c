//! What a file is by its bytes.

use std::ffi::CStr;
use std::fs::File;
use std::io;
use std::os::unix::fs::FileExt as _;

use jolly_disk::{Disk, Folder};

use crate::rule::FileKind;

/// What is read of a file's beginning, in bytes.
const HEAD: usize = 512;

/// Where a CD image names itself: behind sixteen sectors of 2,048 bytes and one more (ECMA-119).
const DISC_NAME_AT: u64 = 32_769;

/// How far before its end a macOS disk image names itself, in bytes.
const TRAILER: u64 = 512;

/// Whether a file is of one of these kinds.
///
/// # Errors
/// When it can't be opened or read, or is no regular file.
pub(crate) fn is_one_of(
    disk: &dyn Disk,
    folder: &Folder,
    name: &CStr,
    kinds: &[FileKind],
) -> io::Result<bool> {
    let file = disk.open_file(folder, name)?;
    let mut head = [0; HEAD];
    let read = read_at(&file, &mut head, 0)?;
    let head = head.get(..read).unwrap_or_default();
    for kind in kinds {
        if is_kind(*kind, head, &file)? {
            return Ok(true);
        }
    }
    Ok(false)
}

fn is_kind(kind: FileKind, head: &[u8], file: &File) -> io::Result<bool> {
    let begins = |marks: &[&[u8]]| marks.iter().any(|mark| head.starts_with(mark));
    Ok(match kind {
        FileKind::CoreDump => elf_type(head) == Some(4),
        FileKind::ElfProgram => matches!(elf_type(head), Some(2 | 3)),
        FileKind::WindowsProgram => begins(&[b"MZ"]),
        FileKind::CompoundFile => begins(&[b"\xd0\xcf\x11\xe0\xa1\xb1\x1a\xe1"]),
        FileKind::Zip => begins(&[b"PK\x03\x04", b"PK\x05\x06"]),
        FileKind::DebianPackage => begins(&[b"!<arch>\n"]),
        FileKind::RpmPackage => begins(&[b"\xed\xab\xee\xdb"]),
        FileKind::Squashfs => begins(&[b"hsqs", b"sqsh"]),
        FileKind::DiscImage => bytes_at::<5>(file, DISC_NAME_AT)? == *b"CD001",
        FileKind::BootSector => head.get(510..512) == Some(b"\x55\xaa"),
        FileKind::AppleDiskImage => {
            let len = file.metadata()?.len();
            let at = len.checked_sub(TRAILER);
            at.is_some_and(|at| bytes_at::<4>(file, at).is_ok_and(|bytes| bytes == *b"koly"))
        }
        FileKind::Xar => begins(&[b"xar!"]),
        FileKind::FlatpakRef => begins(&[b"[Flatpak Ref]", b"[Flatpak Repo]"]),
        FileKind::Script => begins(&[b"#!"]),
        FileKind::Png => begins(&[b"\x89PNG\r\n\x1a\n"]),
    })
}

/// The type that an ELF file names in its head.
fn elf_type(head: &[u8]) -> Option<u16> {
    let bytes: [u8; 2] = head.get(16..18)?.try_into().ok()?;
    head.starts_with(b"\x7fELF").then_some(())?;
    match head.get(5)? {
        1 => Some(u16::from_le_bytes(bytes)),
        2 => Some(u16::from_be_bytes(bytes)),
        _ => None,
    }
}

fn bytes_at<const MANY: usize>(file: &File, at: u64) -> io::Result<[u8; MANY]> {
    let mut bytes = [0; MANY];
    read_at(file, &mut bytes, at)?;
    Ok(bytes)
}

fn read_at(file: &File, bytes: &mut [u8], at: u64) -> io::Result<usize> {
    let mut read = 0;
    while let Some(rest) = bytes.get_mut(read..).filter(|rest| !rest.is_empty()) {
        match file.read_at(rest, at + read as u64) {
            Ok(0) => break,
            Ok(some) => read += some,
            Err(error) if error.kind() == io::ErrorKind::Interrupted => {}
            Err(error) => return Err(error),
        }
    }
    Ok(read)
}
