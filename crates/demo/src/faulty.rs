//! A disk that fails when told to.

use std::ffi::CStr;
use std::fmt;
use std::fs::File;
use std::io;
use std::ops::ControlFlow;
use std::os::fd::BorrowedFd;
use std::path::Path;
use std::sync::Mutex;
use std::sync::atomic::{AtomicU64, Ordering};
use std::time::Duration;

use jolly_disk::{
    Attribute, Disk, Entry, Folder, Metadata, NotApplied, RealDisk, Rights, Space, Stamp, Stat,
};

/// What happens at which call.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub enum Fault {
    /// Nothing.
    None,
    /// The n-th call, counted from 1, fails with an I/O error.
    FailAt(u64),
    /// Every call takes so long.
    Stall(Duration),
}

/// The real disk with a fault in it, counting its calls and remembering what it removed.
#[derive(Debug)]
pub struct FaultyDisk {
    calls: AtomicU64,
    armed_for: AtomicU64,
    /// The call from which on all fail.
    dead_from: AtomicU64,
    /// How long every call takes, in microseconds.
    stall: AtomicU64,
    listings: AtomicU64,
    /// What every file is said to hold, in bytes; nought for the truth.
    lie: AtomicU64,
    removed: Mutex<Vec<Vec<u8>>>,
    meddler: Mutex<Option<Meddler>>,
}

/// What somebody does to a name in the moment before it leaves.
struct Meddler(Box<dyn Fn(&CStr) + Send>);

impl fmt::Debug for Meddler {
    fn fmt(&self, out: &mut fmt::Formatter<'_>) -> fmt::Result {
        out.write_str("Meddler")
    }
}

impl FaultyDisk {
    /// A disk with this fault.
    pub fn new(fault: Fault) -> Self {
        let armed_for = match fault {
            Fault::FailAt(call) => call,
            Fault::None | Fault::Stall(_) => u64::MAX,
        };
        let disk = Self {
            calls: AtomicU64::new(0),
            armed_for: AtomicU64::new(armed_for),
            dead_from: AtomicU64::new(u64::MAX),
            stall: AtomicU64::new(0),
            listings: AtomicU64::new(0),
            lie: AtomicU64::new(0),
            removed: Mutex::default(),
            meddler: Mutex::default(),
        };
        if let Fault::Stall(time) = fault {
            disk.stall(time);
        }
        disk
    }

    /// Makes every call from now on take so long.
    pub fn stall(&self, time: Duration) {
        let time = u64::try_from(time.as_micros()).unwrap_or(u64::MAX);
        self.stall.store(time, Ordering::SeqCst);
    }

    /// Says from now on of every file that it is so large and holds as much on the disk.
    pub fn lie_about_sizes(&self, bytes: u64) {
        self.lie.store(bytes, Ordering::SeqCst);
    }

    /// How many folders were listed.
    pub fn listings(&self) -> u64 {
        self.listings.load(Ordering::SeqCst)
    }

    /// Makes the n-th call from now on fail, counted from 1.
    pub fn fail_at(&self, call: u64) {
        self.armed_for.store(self.calls() + call, Ordering::SeqCst);
    }

    /// Makes the n-th call from now on and all after it fail, counted from 1, as if whoever calls had died.
    pub fn die_at(&self, call: u64) {
        self.dead_from.store(self.calls() + call, Ordering::SeqCst);
    }

    /// How many calls there were.
    pub fn calls(&self) -> u64 {
        self.calls.load(Ordering::SeqCst)
    }

    /// The names that were removed, in order.
    pub fn removed(&self) -> Vec<Vec<u8>> {
        self.removed
            .lock()
            .map(|names| names.clone())
            .unwrap_or_default()
    }

    fn pass(&self) -> io::Result<()> {
        let call = self.calls.fetch_add(1, Ordering::SeqCst) + 1;
        let stall = self.stall.load(Ordering::SeqCst);
        if stall > 0 {
            std::thread::sleep(Duration::from_micros(stall));
        }
        if call == self.armed_for.load(Ordering::SeqCst)
            || call >= self.dead_from.load(Ordering::SeqCst)
        {
            return Err(io::Error::from_raw_os_error(5));
        }
        Ok(())
    }

    /// Lets somebody act in the moment before each name leaves: after the last look at it, which is when
    /// it hurts most.
    pub fn meddle(&self, act: impl Fn(&CStr) + Send + 'static) {
        if let Ok(mut meddler) = self.meddler.lock() {
            *meddler = Some(Meddler(Box::new(act)));
        }
    }

    fn disturb(&self, name: &CStr) {
        if let Ok(meddler) = self.meddler.lock()
            && let Some(Meddler(act)) = &*meddler
        {
            act(name);
        }
    }

    fn note(&self, name: &CStr) {
        if let Ok(mut names) = self.removed.lock() {
            names.push(name.to_bytes().to_vec());
        }
    }
}

impl Disk for FaultyDisk {
    fn open_root(&self, path: &Path) -> io::Result<Folder> {
        self.pass().and_then(|()| RealDisk.open_root(path))
    }

    fn open_folder(&self, base: &Folder, path: &[u8]) -> io::Result<Folder> {
        self.pass().and_then(|()| RealDisk.open_folder(base, path))
    }

    fn list(
        &self,
        folder: &Folder,
        each: &mut dyn FnMut(Entry<'_>) -> ControlFlow<()>,
    ) -> io::Result<()> {
        self.pass()?;
        self.listings.fetch_add(1, Ordering::SeqCst);
        RealDisk.list(folder, each)
    }

    fn stat(&self, folder: &Folder, name: &CStr) -> io::Result<Stat> {
        self.pass()?;
        let mut stat = RealDisk.stat(folder, name)?;
        let lie = self.lie.load(Ordering::SeqCst);
        if lie > 0 && stat.kind == jolly_disk::Kind::File {
            (stat.size, stat.allocated) = (lie, lie);
        }
        Ok(stat)
    }

    fn stat_folder(&self, folder: &Folder) -> io::Result<Stat> {
        self.pass().and_then(|()| RealDisk.stat_folder(folder))
    }

    fn open_file(&self, folder: &Folder, name: &CStr) -> io::Result<File> {
        self.pass().and_then(|()| RealDisk.open_file(folder, name))
    }

    fn open_to_overwrite(&self, folder: &Folder, name: &CStr) -> io::Result<File> {
        self.pass()
            .and_then(|()| RealDisk.open_to_overwrite(folder, name))
    }

    fn read_link(&self, folder: &Folder, name: &CStr) -> io::Result<Vec<u8>> {
        self.pass().and_then(|()| RealDisk.read_link(folder, name))
    }

    fn unlink(&self, folder: &Folder, name: &CStr) -> io::Result<()> {
        self.pass()?;
        self.disturb(name);
        RealDisk.unlink(folder, name)?;
        self.note(name);
        Ok(())
    }

    fn remove_folder(&self, folder: &Folder, name: &CStr) -> io::Result<()> {
        self.pass()?;
        RealDisk.remove_folder(folder, name)?;
        self.note(name);
        Ok(())
    }

    fn attributes(&self, of: BorrowedFd<'_>) -> io::Result<Vec<Attribute>> {
        self.pass().and_then(|()| RealDisk.attributes(of))
    }

    fn make_folder(&self, folder: &Folder, name: &CStr) -> io::Result<()> {
        self.pass()
            .and_then(|()| RealDisk.make_folder(folder, name))
    }

    fn make_file(&self, folder: &Folder, name: &CStr) -> io::Result<File> {
        self.pass().and_then(|()| RealDisk.make_file(folder, name))
    }

    fn make_link(&self, folder: &Folder, name: &CStr, to: &[u8]) -> io::Result<()> {
        self.pass()
            .and_then(|()| RealDisk.make_link(folder, name, to))
    }

    fn add_name(&self, from: &Folder, name: &CStr, to: &Folder, new: &CStr) -> io::Result<()> {
        self.pass()?;
        self.disturb(name);
        RealDisk.add_name(from, name, to, new)
    }

    fn may_clone(&self, folder: &Folder) -> bool {
        RealDisk.may_clone(folder)
    }

    fn clone_bytes(&self, from: &File, to: &File) -> io::Result<()> {
        self.pass().and_then(|()| RealDisk.clone_bytes(from, to))
    }

    fn move_name(&self, from: &Folder, name: &CStr, to: &Folder, new: &CStr) -> io::Result<()> {
        self.pass()?;
        self.disturb(name);
        RealDisk.move_name(from, name, to, new)
    }

    fn move_folder(&self, from: &Folder, name: &CStr, to: &Folder, new: &CStr) -> io::Result<()> {
        self.pass()?;
        self.disturb(name);
        RealDisk.move_folder(from, name, to, new)
    }

    fn replace_name(&self, from: (&Folder, &CStr), to: (&Folder, &CStr)) -> io::Result<()> {
        self.pass()?;
        self.disturb(to.1);
        RealDisk.replace_name(from, to)
    }

    fn exchange_names(&self, one: (&Folder, &CStr), other: (&Folder, &CStr)) -> io::Result<()> {
        self.pass()?;
        self.disturb(other.1);
        RealDisk.exchange_names(one, other)
    }

    fn apply_metadata(&self, of: BorrowedFd<'_>, metadata: &Metadata) -> Vec<NotApplied> {
        match self.pass() {
            Ok(()) => RealDisk.apply_metadata(of, metadata),
            Err(error) => vec![NotApplied {
                what: "its owner",
                error,
            }],
        }
    }

    fn apply_link_metadata(
        &self,
        folder: &Folder,
        name: &CStr,
        metadata: &Metadata,
    ) -> Vec<NotApplied> {
        RealDisk.apply_link_metadata(folder, name, metadata)
    }

    fn keeps_changes(&self, folder: &Folder) -> bool {
        RealDisk.keeps_changes(folder)
    }

    fn keeps_owners(&self, folder: &Folder) -> bool {
        RealDisk.keeps_owners(folder)
    }

    fn birth(&self, folder: &Folder) -> Option<Stamp> {
        RealDisk.birth(folder)
    }

    fn volume_number(&self, folder: &Folder) -> Option<u64> {
        RealDisk.volume_number(folder)
    }

    fn may_change(&self, folder: &Folder) -> bool {
        RealDisk.may_change(folder)
    }

    fn others_may_change(&self, folder: &Folder) -> bool {
        self.pass()
            .map_or(true, |()| RealDisk.others_may_change(folder))
    }

    fn is_private(&self, folder: &Folder) -> bool {
        self.pass().is_ok_and(|()| RealDisk.is_private(folder))
    }

    fn set_rights(&self, folder: &Folder, rights: Rights) -> io::Result<()> {
        self.pass()
            .and_then(|()| RealDisk.set_rights(folder, rights))
    }

    fn may_remove(&self, folder: &Folder, stat: &Stat) -> io::Result<()> {
        self.pass().and_then(|()| RealDisk.may_remove(folder, stat))
    }

    fn sync_volume(&self, folder: &Folder) -> io::Result<()> {
        self.pass().and_then(|()| RealDisk.sync_volume(folder))
    }

    fn space(&self, folder: &Folder) -> io::Result<Space> {
        self.pass().and_then(|()| RealDisk.space(folder))
    }

    fn lock(&self, folder: &Folder) -> io::Result<()> {
        self.pass().and_then(|()| RealDisk.lock(folder))
    }
}
