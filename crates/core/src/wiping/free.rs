//! What is free of a volume.

use std::io;
use std::path::{Path, PathBuf};
use std::time::Duration;

use jolly_disk::{Disk as _, Folder, FreeSpace, Piece, RealDisk, Surface};

use crate::cancel::CancelToken;
use crate::host::{Mount, Tool, VolumeKind, mount_of, volume_kind};
use crate::run::caveat_at;
use crate::wiping::pass::{PIECE, is_full};
use crate::wiping::passes::go_over;
use crate::wiping::pattern::Pattern;
use crate::wiping::record::{Recorded, Subject};
use crate::wiping::{WipeEnd, WipeError, WipeState, Wiping};

/// Free bytes that are left until the end, and then written for a moment.
const RESERVE: u64 = 1 << 20;

/// The most that a file is given: what FAT can hold, and what any other file system can.
const MOST_ON_FAT: u64 = (1 << 32) - (1 << 20);
const MOST: u64 = 1 << 38;

/// How long a disk may take to be told what is empty.
const PATIENCE: Duration = Duration::from_mins(10);

/// How often, and how long apart, it is looked whether what filled a volume was given back.
const LOOKS: u32 = 50;
const LOOK: Duration = Duration::from_millis(200);

/// How often room is looked for once more.
const COMMITS: u32 = 3;

/// A volume whose free space can be written over.
#[derive(Clone, Debug, PartialEq, Eq)]
pub struct VolumeToWipe {
    /// The folder that was named.
    pub folder: PathBuf,
    /// Where it is mounted.
    pub point: PathBuf,
    /// Its file system and what it lies on.
    pub kind: String,
    /// What it lies on: a device.
    pub source: String,
    /// Free bytes, with those that only the administrator may fill.
    pub free: u64,
    /// What can't be promised.
    pub caveats: Vec<String>,
}

/// The volume that a folder lies on, if its free space can be written over.
///
/// # Errors
/// Why it can't.
pub fn volume_to_wipe(folder: &Path) -> Result<VolumeToWipe, WipeError> {
    let failed = |verb| {
        let path = folder.to_owned();
        move |source| WipeError::Disk { path, verb, source }
    };
    let may_not = |why| WipeError::MayNot {
        path: folder.to_owned(),
        why,
    };
    let real = std::fs::canonicalize(folder).map_err(failed("looked at"))?;
    let opened = RealDisk.open_root(&real).map_err(failed("opened"))?;
    let mount = mount_of(&real).ok_or_else(|| may_not("nothing tells what it is mounted from"))?;
    match volume_kind(&mount) {
        VolumeKind::Memory => return Err(may_not("it lies in memory, which forgets by itself")),
        VolumeKind::Network => return Err(may_not("it is another machine's: wipe it there")),
        VolumeKind::Fixed | VolumeKind::Removable | VolumeKind::Image => {}
    }
    if mount.is_read_only {
        return Err(may_not("it is read-only"));
    }
    if mount.kind == "overlay" || (mount.kind.starts_with("fuse.") && !is_ntfs(&mount)) {
        return Err(may_not(
            "it only shows what lies on another volume: wipe that one",
        ));
    }
    if RealDisk.space(&opened).map_err(failed("measured"))?.size == 0 {
        return Err(may_not(
            "it is no disk: the kernel makes up what lies there",
        ));
    }
    Ok(VolumeToWipe {
        folder: real.clone(),
        point: mount.point.clone(),
        free: free_of(&opened).map_err(failed("measured"))?,
        caveats: caveats(&mount, &real),
        kind: mount.kind,
        source: mount.source,
    })
}

fn is_ntfs(mount: &Mount) -> bool {
    mount.kind.contains("ntfs")
}

/// What writing over the free space of a volume can't promise.
fn caveats(mount: &Mount, folder: &Path) -> Vec<String> {
    let elsewhere = caveat_at(folder);
    let mut told = vec![
        "names of files that are gone, and the last bytes of the blocks of files that are there, aren't reached".to_owned(),
    ];
    if is_ntfs(mount) || mount.kind == "fuseblk" {
        told.push("what the smallest files held lies in the file system's own table".to_owned());
    }
    told.extend(elsewhere.map(str::to_owned));
    if mount.point == Path::new("/") {
        told.push(
            "at the end nothing else can write to it for a moment: close what is open first"
                .to_owned(),
        );
    }
    if ["btrfs", "zfs", "bcachefs"].contains(&&*mount.kind) {
        told.push("restore points hold what they hold; let go of them first".to_owned());
    }
    told
}

/// What is free of a volume in all, with what only the administrator may fill.
fn free_of(folder: &Folder) -> io::Result<u64> {
    let space = RealDisk.space(folder)?;
    Ok(space.size.saturating_sub(space.used))
}

/// Writes over what is free of a volume, reads it back, gives all of it back and records it.
///
/// # Errors
/// When it can't be begun; nothing was written then.
pub fn wipe_free(
    work: &Wiping<'_>,
    volume: &VolumeToWipe,
) -> Result<(WipeEnd, PathBuf), WipeError> {
    let failed = |verb| {
        let path = volume.folder.clone();
        move |source| WipeError::Disk { path, verb, source }
    };
    let folder = RealDisk
        .open_root(&volume.folder)
        .map_err(failed("opened"))?;
    // What was deleted a moment ago may be free only with the next commit.
    drop(RealDisk.sync_volume(&folder));
    let free = free_of(&folder).map_err(failed("measured"))?;
    let size = RealDisk.space(&folder).map_err(failed("measured"))?.size;
    // That it can be written at all is seen before anything is recorded.
    let most = if volume.kind.contains("fat") {
        MOST_ON_FAT
    } else {
        MOST
    };
    let mut filling = UpToReserve {
        free: FreeSpace::of(&folder, most),
        folder: &folder,
        before: free,
        most: size,
    };
    match filling.free.write(0, &[0]) {
        Err(error) if !is_full(&error) => return Err(failed("written to")(error)),
        _ => {}
    }
    let subject = Subject {
        what: "free",
        path: &volume.point,
        model: &volume.source,
        serial: None,
        size: free,
        told: &volume.caveats,
    };
    let mut record = Recorded::begin(work, &subject)?;
    // More than is free is asked for, because others may let go of some meanwhile: its end is where there is no more.
    let all = [Piece { at: 0, len: size }];
    let mut end = go_over(work, (&mut filling, &all, free), &mut record);
    if end.state == WipeState::Finished {
        let lent = LentReserve::of(volume, &folder);
        end.unreached = fill_the_rest(work, &mut filling, &folder, end.written);
        drop(lent);
    }
    drop(filling);
    await_given_back(&folder, free);
    if end.state == WipeState::Finished {
        end.trimmed = trim(&volume.point, work.cancel);
    }
    let log = record.end((work.clock)(), &end)?;
    Ok((end, log))
}

/// Writes to what is free until only the reserve is left.
struct UpToReserve<'a> {
    free: FreeSpace<'a>,
    folder: &'a Folder,
    /// What was free before.
    before: u64,
    /// A file system that packs what it is given never becomes full.
    most: u64,
}

impl Surface for UpToReserve<'_> {
    fn write(&mut self, at: u64, bytes: &[u8]) -> io::Result<()> {
        let is_low = free_of(self.folder)? < RESERVE + bytes.len() as u64;
        if is_low || at.saturating_add(bytes.len() as u64) > self.most {
            return Err(io::ErrorKind::StorageFull.into());
        }
        match self.free.write(at, bytes) {
            Err(error) if is_full(&error) => self.write_after_commit(at, bytes),
            written => written,
        }
    }

    fn read(&mut self, at: u64, bytes: &mut [u8]) -> io::Result<()> {
        self.free.read(at, bytes)
    }

    fn flush(&mut self) -> io::Result<()> {
        self.free.flush()
    }

    fn start_over(&mut self) {
        self.free.start_over();
        await_given_back(self.folder, self.before);
    }
}

impl UpToReserve<'_> {
    /// Tries once more what there seemed to be no room for: some file systems find it with their next commit (Btrfs).
    fn write_after_commit(&mut self, at: u64, bytes: &[u8]) -> io::Result<()> {
        let mut written = Err(io::ErrorKind::StorageFull.into());
        for _ in 0..COMMITS {
            RealDisk.sync_volume(self.folder)?;
            std::thread::sleep(LOOK);
            written = self.free.write(at, bytes);
            if !written.as_ref().is_err_and(is_full) {
                break;
            }
        }
        written
    }
}

/// What ext4 keeps back for its own emergencies (the kernel's sysfs-fs-ext4, `reserved_clusters`), lent for the moment in
/// which the last of a volume is filled: never that of the running system, whose programs may need it.
struct LentReserve {
    path: PathBuf,
    before: Vec<u8>,
}

impl LentReserve {
    fn of(volume: &VolumeToWipe, folder: &Folder) -> Option<Self> {
        if volume.kind != "ext4" || volume.point == Path::new("/") {
            return None;
        }
        let device = RealDisk.stat_folder(folder).ok()?.key.device;
        let number = format!("{}:{}", device >> 32, device & 0xffff_ffff);
        let own = std::fs::canonicalize(Path::new("/sys/dev/block").join(number)).ok()?;
        let path = Path::new("/sys/fs/ext4")
            .join(own.file_name()?)
            .join("reserved_clusters");
        let before = std::fs::read(&path).ok()?;
        std::fs::write(&path, b"0").ok()?;
        Some(Self { path, before })
    }
}

impl Drop for LentReserve {
    fn drop(&mut self) {
        // The next mount sets it anew in any case.
        drop(std::fs::write(&self.path, self.before.trim_ascii()));
    }
}

/// Fills what is left, for as long as that takes; what even then stays free, in bytes.
fn fill_the_rest(
    work: &Wiping<'_>,
    filling: &mut UpToReserve<'_>,
    folder: &Folder,
    mut at: u64,
) -> u64 {
    let Ok(mut pattern) = Pattern::new(work.fill) else {
        return free_of(folder).unwrap_or_default();
    };
    let mut bytes = vec![0; PIECE];
    let mut len = PIECE;
    let end = at.saturating_add(4 * RESERVE + (32 << 20));
    while len >= 512 && at < end && !work.cancel.is_cancelled() {
        let some = bytes.get_mut(..len).unwrap_or_default();
        pattern.fill(at, some);
        match filling.free.write(at, some) {
            Ok(()) => at += len as u64,
            Err(_) => len /= 2,
        }
    }
    // What can't be brought to the disk wasn't reached.
    drop(filling.flush());
    free_of(folder).unwrap_or_default()
}

/// Waits until a volume has back what filled it: some file systems give it back with their next commit (Btrfs).
fn await_given_back(folder: &Folder, before: u64) {
    for _ in 0..LOOKS {
        // What the file system says of it shows in what is free.
        drop(RealDisk.sync_volume(folder));
        if free_of(folder).is_ok_and(|free| free >= before - before / 20) {
            return;
        }
        std::thread::sleep(LOOK);
    }
}

/// Tells a flash disk that what is free is empty: there it is the real answer. What its tool says, where it does.
fn trim(point: &Path, cancel: &CancelToken) -> Option<String> {
    let words = ["-v", &*point.to_string_lossy()];
    let tool = Tool::at(&["/usr/sbin/fstrim", "/sbin/fstrim"], &words)?;
    let answer = tool.ask_until(cancel, PATIENCE).ok()?;
    if !answer.status.success() {
        return None;
    }
    // `/mnt/till: 2.9 GiB (3094056960 bytes) trimmed` (fstrim(8))
    let told = answer.text.rsplit(": ").next()?.split('(').next()?.trim();
    let told = told.to_owned();
    (!told.is_empty() && !told.starts_with("0 B")).then_some(told)
}
