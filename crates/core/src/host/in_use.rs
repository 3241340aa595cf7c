//! Which files are in use on this machine, and by which program.

use std::collections::HashMap;
use std::ffi::OsStr;
use std::os::unix::ffi::OsStrExt as _;
use std::os::unix::fs::MetadataExt as _;
use std::path::Path;

use jolly_disk::FileKey;

use crate::format::Printable;
use crate::host::close::started;

/// A program that holds a file.
#[derive(Clone, Debug, PartialEq, Eq)]
pub struct RunningProgram {
    /// Its process number; 0 for the system itself.
    pub process: u32,
    /// Its name, made harmless.
    pub program: String,
    /// When it began, in ticks since this machine started: with the number it tells a process from any
    /// other. 0 where that isn't known.
    pub started: u64,
}

impl std::fmt::Display for RunningProgram {
    fn fmt(&self, out: &mut std::fmt::Formatter<'_>) -> std::fmt::Result {
        match self.process {
            0 => out.write_str(&self.program),
            process => write!(out, "{} (pid {process})", self.program),
        }
    }
}

/// The files that programs on this machine hold: open descriptors, mapped files, executables,
/// working folders. An ordinary person sees only what their own programs hold.
#[derive(Clone, Debug, Default)]
pub struct InUse {
    users: HashMap<FileKey, RunningProgram>,
    /// Who locks an inode of a file system whose device has no number of its own: there the kernel's lists
    /// name another device than a look at the file.
    locked: HashMap<u64, RunningProgram>,
    /// Every program that runs, with the number of the account that it runs for.
    programs: Vec<(RunningProgram, u32)>,
}

impl InUse {
    /// Whether this machine tells at all what its programs hold.
    pub fn can_be_read() -> bool {
        Path::new("/proc/self").exists()
    }

    /// Reads `/proc` (proc(5)); processes that end meanwhile or can't be read are left out.
    pub fn read() -> Self {
        let mut users = mounted_images();
        let mut programs = Vec::new();
        let own = std::process::id();
        let Ok(processes) = std::fs::read_dir("/proc") else {
            return Self {
                users,
                ..Self::default()
            };
        };
        for process in processes.flatten() {
            let name = process.file_name();
            let Some(number) = name.to_str().and_then(|text| text.parse::<u32>().ok()) else {
                continue;
            };
            let folder = process.path();
            let mut keys = Vec::new();
            let mut look = |path: &Path| {
                if let Ok(metadata) = std::fs::metadata(path)
                    && (metadata.is_file() || metadata.is_dir())
                {
                    keys.push(key_of(&metadata));
                }
            };
            if number != own {
                look(&folder.join("exe"));
                look(&folder.join("cwd"));
            }
            if let Ok(descriptors) = std::fs::read_dir(folder.join("fd")) {
                for descriptor in descriptors.flatten() {
                    // What we have open to read is being looked at or packed, which is no reason to
                    // spare it.
                    let is_ours = number == own;
                    if !is_ours || is_open_to_write(&folder, &descriptor.file_name()) {
                        look(&descriptor.path());
                    }
                }
            }
            if let Ok(maps) = std::fs::read(folder.join("maps")) {
                keys.extend(mapped_files(&maps, &folder.join("map_files")));
            }
            let program = std::fs::read(folder.join("comm")).unwrap_or_default();
            let program = Printable(program.trim_ascii()).to_string();
            let program = RunningProgram {
                process: number,
                program,
                started: started(number).unwrap_or(0),
            };
            for key in keys {
                let by = users.entry(key).or_insert_with(|| program.clone());
                // Somebody else says more of a file than that we hold it, too.
                if by.process == own {
                    by.clone_from(&program);
                }
            }
            if let Ok(metadata) = std::fs::metadata(&folder) {
                programs.push((program, metadata.uid()));
            }
        }
        let locked = take_locks(&programs, &mut users);
        Self {
            users,
            locked,
            programs,
        }
    }

    /// Who holds the file, if anybody is seen to.
    pub fn user_of(&self, key: FileKey) -> Option<&RunningProgram> {
        let by_lock = || {
            let may_be = is_numberless(key.device);
            may_be.then(|| self.locked.get(&key.inode)).flatten()
        };
        self.users.get(&key).or_else(by_lock)
    }

    /// Who holds a file that was removed: its bytes are not free before that program lets go.
    pub fn deleted(&self, key: FileKey) -> Option<&RunningProgram> {
        self.user_of(key).filter(|program| program.process > 0)
    }

    /// The program that runs as a process.
    pub(crate) fn process(&self, number: u32) -> Option<&RunningProgram> {
        let mut programs = self.programs.iter().map(|(program, _)| program);
        programs.find(|program| program.process == number)
    }

    /// A program of that name, of one account or of anybody.
    pub(crate) fn program(&self, name: &str, user: Option<u32>) -> Option<&RunningProgram> {
        let mut programs = self.programs.iter();
        let found = programs.find(|(program, of)| {
            // The kernel keeps the first 15 bytes of a name.
            let is_name = program.program == name
                || (program.program.len() == 15 && name.starts_with(&program.program));
            is_name && user.is_none_or(|user| user == *of)
        });
        found.map(|(program, _)| program)
    }
}

/// Whether a descriptor of a process is open for writing: the last digit of its flags, in octal
/// (proc(5), `fdinfo`), is not that of reading alone.
fn is_open_to_write(process: &Path, descriptor: &OsStr) -> bool {
    let info = std::fs::read_to_string(process.join("fdinfo").join(descriptor));
    let flags = info.ok().and_then(|info| {
        let line = info.lines().find_map(|line| line.strip_prefix("flags:"))?;
        u32::from_str_radix(line.trim(), 8).ok()
    });
    flags.is_some_and(|flags| flags & 0o3 != 0)
}

/// Files that are mounted as volumes: nobody has them open, and yet they are in use.
fn mounted_images() -> HashMap<FileKey, RunningProgram> {
    let mut images = HashMap::new();
    let Ok(devices) = std::fs::read_dir("/sys/block") else {
        return images;
    };
    for device in devices.flatten() {
        let backing = std::fs::read(device.path().join("loop/backing_file"));
        let Ok(path) = backing else { continue };
        let path = OsStr::from_bytes(path.trim_ascii_end()).to_owned();
        if let Ok(metadata) = std::fs::metadata(path) {
            let program = format!("mounted as {}", Printable(device.file_name().as_bytes()));
            let program = RunningProgram {
                process: 0,
                program,
                started: 0,
            };
            images.insert(key_of(&metadata), program);
        }
    }
    images
}

pub(super) fn key_of(metadata: &std::fs::Metadata) -> FileKey {
    FileKey {
        device: device_number(metadata.dev()),
        inode: metadata.ino(),
    }
}

/// A kernel's device number as a file's key holds it.
pub(crate) fn device_number(device: u64) -> u64 {
    u64::from(major_of(device)) << 32 | u64::from(minor_of(device))
}

/// The major number inside a Linux `dev_t` (glibc's `gnu_dev_major`).
fn major_of(device: u64) -> u32 {
    let number = ((device >> 8) & 0xfff) | ((device >> 32) & 0xffff_f000);
    u32::try_from(number).unwrap_or(u32::MAX)
}

/// The minor number inside a Linux `dev_t` (glibc's `gnu_dev_minor`).
fn minor_of(device: u64) -> u32 {
    let number = (device & 0xff) | ((device >> 12) & 0xffff_ff00);
    u32::try_from(number).unwrap_or(u32::MAX)
}

/// The files in the text of `/proc/locks` (proc(5)), and by which process:
/// `1: POSIX ADVISORY WRITE process major:minor:inode start end`, devices in hex. A lock that belongs
/// to an open file and not to a process has process -1, here 0; who only waits for one has an arrow.
/// Takes the locks into account, which are told of everybody's programs, also to an ordinary person; those by
/// their inode alone where its device has no number of its own.
fn take_locks(
    programs: &[(RunningProgram, u32)],
    users: &mut HashMap<FileKey, RunningProgram>,
) -> HashMap<u64, RunningProgram> {
    let locks = std::fs::read("/proc/locks").unwrap_or_default();
    let mut locked = HashMap::new();
    let running: HashMap<u32, &RunningProgram> = programs
        .iter()
        .map(|(program, _)| (program.process, program))
        .collect();
    for (key, process) in locked_files(&locks) {
        let unnamed = || RunningProgram {
            process: 0,
            program: "a program that locked it".to_owned(),
            started: 0,
        };
        let known = running.get(&process).copied();
        let program = known.cloned().unwrap_or_else(unnamed);
        if is_numberless(key.device) {
            locked.entry(key.inode).or_insert_with(|| program.clone());
        }
        users.entry(key).or_insert(program);
    }
    locked
}

fn locked_files(locks: &[u8]) -> Vec<(FileKey, u32)> {
    let line = |line: &[u8]| {
        let fields: Vec<&str> = std::str::from_utf8(line).ok()?.split_whitespace().collect();
        let [_, _, _, _, process, file, ..] = fields.as_slice() else {
            return None;
        };
        let mut numbers = file.split(':');
        let major = u64::from_str_radix(numbers.next()?, 16).ok()?;
        let minor = u64::from_str_radix(numbers.next()?, 16).ok()?;
        let key = FileKey {
            device: major << 32 | minor,
            inode: numbers.next()?.parse().ok()?,
        };
        Some((key, process.parse().unwrap_or(0)))
    };
    let lines = locks.split(|byte| *byte == b'\n');
    lines.filter_map(line).collect()
}

/// The users of the programs that hold a lock on a file or folder, by `/proc/locks`; none for one whose
/// user can't be told. Where a file system tells programs another device than the kernel's own, only the
/// inode is compared.
pub(crate) fn users_locking(key: FileKey) -> Vec<Option<u32>> {
    let locks = std::fs::read("/proc/locks").unwrap_or_default();
    let user = |process: u32| {
        let metadata = std::fs::metadata(format!("/proc/{process}")).ok()?;
        (process != 0).then(|| metadata.uid())
    };
    let locked = locked_files(&locks).into_iter();
    locked
        .filter(|(known, _)| known.inode == key.inode)
        .map(|(_, process)| user(process))
        .collect()
}

/// Whether a device is none of a disk (its major number is 0): of such a file system the kernel's lists may
/// name another one than a look at the file does, as for the parts of a Btrfs volume.
fn is_numberless(device: u64) -> bool {
    device >> 32 == 0
}

/// The files in a `maps` text: `address perms offset major:minor inode path`, numbers in hex but
/// for the inode. Where the device is none of a disk, the file itself is looked at through `map_files`
/// (proc(5)), as far as this process may.
fn mapped_files(maps: &[u8], map_files: &Path) -> Vec<FileKey> {
    let mut keys = Vec::new();
    let mut looked = std::collections::HashSet::new();
    for line in maps.split(|byte| *byte == b'\n') {
        let mut fields = line
            .split(|byte| *byte == b' ')
            .filter(|field| !field.is_empty());
        let text = |field: Option<&[u8]>| Some(std::str::from_utf8(field?).ok()?.to_owned());
        let range = text(fields.next());
        let device = text(fields.nth(2));
        let inode = text(fields.next());
        let key = || {
            let device = device?;
            let (major, minor) = device.split_once(':')?;
            let major = u64::from_str_radix(major, 16).ok()?;
            let minor = u64::from_str_radix(minor, 16).ok()?;
            let inode: u64 = inode?.parse().ok()?;
            (inode != 0).then_some(FileKey {
                device: major << 32 | minor,
                inode,
            })
        };
        let Some(key) = key() else { continue };
        keys.push(key);
        if is_numberless(key.device)
            && looked.insert(key)
            && let Ok(metadata) = std::fs::metadata(map_files.join(range.unwrap_or_default()))
        {
            keys.push(key_of(&metadata));
        }
    }
    keys.dedup();
    keys
}

#[cfg(test)]
mod tests {
    use super::*;
    use jolly_disk::{Disk, RealDisk};

    #[test]
    fn an_open_file_is_seen_with_its_program_and_what_we_read_is_nobodys() {
        let dir = tempfile::tempdir().unwrap();
        for name in ["held", "ours", "idle"] {
            std::fs::write(dir.path().join(name), b"x").unwrap();
        }
        let held = std::fs::File::open(dir.path().join("held")).unwrap();
        let ours = std::fs::File::open(dir.path().join("ours")).unwrap();
        let written = std::fs::File::create(dir.path().join("written")).unwrap();
        let mut program = std::process::Command::new("sleep")
            .arg("60")
            .stdin(held)
            .spawn()
            .unwrap();
        let root = RealDisk.open_root(dir.path()).unwrap();
        let in_use = InUse::read();
        program.kill().unwrap();
        program.wait().unwrap();
        let key = |name| RealDisk.stat(&root, name).unwrap().key;
        assert_eq!(in_use.user_of(key(c"held")).unwrap().process, program.id());
        assert_eq!(in_use.user_of(key(c"ours")), None);
        assert_eq!(in_use.user_of(key(c"idle")), None);
        let own = std::process::id();
        assert_eq!(in_use.user_of(key(c"written")).unwrap().process, own);
        drop((ours, written));
        let exe = std::fs::metadata("/proc/self/exe").unwrap();
        let maps = std::fs::read("/proc/self/maps").unwrap();
        assert!(mapped_files(&maps, Path::new("/proc/self/map_files")).contains(&key_of(&exe)));
    }

    #[test]
    fn locks_are_read_with_who_has_them() {
        let text =
            b"1: POSIX  ADVISORY  WRITE 812 fe:01:4711 0 EOF\n1: -> POSIX ADVISORY READ 9 x\n\
                     2: OFDLCK ADVISORY  READ -1 08:1f:12 128 128\n3: broken\n";
        let key = |device, inode| FileKey { device, inode };
        let found = locked_files(text);
        assert_eq!(
            found,
            [
                (key(0xfe << 32 | 1, 4711), 812),
                (key(8 << 32 | 0x1f, 12), 0)
            ]
        );
    }

    proptest::proptest! {
        #![proptest_config(crate::fuzz::config())]

        #[test]
        fn fuzz_kernel_lists(bytes in crate::fuzz::foreign(&[
            b"1: POSIX  ADVISORY  WRITE 1234 fe:00:5678 0 EOF\n",
            b"7f0000000000-7f0000001000 r--p 00000000 fe:00 5678   /usr/lib/x (deleted)\n",
        ])) {
            let lines = bytes.split(|byte| *byte == b'\n').count();
            proptest::prop_assert!(locked_files(&bytes).len() <= lines);
            proptest::prop_assert!(mapped_files(&bytes, Path::new("/nowhere")).len() <= 2 * lines);
        }
    }
}
