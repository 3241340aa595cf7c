//! The bare loop: read the names, look at each, add up the sizes, keep nothing.

use std::ffi::{CStr, CString};
use std::os::fd::OwnedFd;
use std::path::Path;
use std::sync::{Arc, Condvar, Mutex, PoisonError};

use rustix::fs::{AtFlags, FileType, Mode, OFlags, RawDir, StatxFlags, open, openat, statx};

use crate::Failure;

enum Job {
    Folder(CString),
    /// Names in an open folder, each with its NUL.
    Names(Arc<OwnedFd>, Vec<u8>),
}

#[derive(Default)]
struct Shared {
    jobs: Vec<Job>,
    idle: usize,
    is_over: bool,
}

struct Loop {
    shared: Mutex<Shared>,
    wake: Condvar,
    threads: usize,
    root: OwnedFd,
}

/// Walks a tree with so many threads; gives the number of names.
pub(crate) fn walk(root: &Path, threads: usize) -> Result<u64, Failure> {
    let flags = OFlags::RDONLY | OFlags::DIRECTORY | OFlags::CLOEXEC;
    let all = Loop {
        shared: Mutex::new(Shared {
            jobs: vec![Job::Folder(CString::from(c"tmp"))],
            ..Shared::default()
        }),
        wake: Condvar::new(),
        threads,
        root: open(root, flags, Mode::empty())?,
    };
    let sums: Vec<(u64, u64)> = std::thread::scope(|scope| {
        let threads: Vec<_> = (0..threads).map(|_| scope.spawn(|| all.work())).collect();
        threads
            .into_iter()
            .map(|thread| thread.join().unwrap_or_default())
            .collect()
    });
    let (names, bytes) = sums
        .into_iter()
        .fold((0, 0), |sum, one| (sum.0 + one.0, sum.1 + one.1));
    std::hint::black_box(bytes);
    Ok(names)
}

impl Loop {
    fn next(&self) -> Option<Job> {
        let mut shared = self.shared.lock().unwrap_or_else(PoisonError::into_inner);
        shared.idle += 1;
        while shared.jobs.is_empty() && !shared.is_over {
            if shared.idle == self.threads {
                shared.is_over = true;
                self.wake.notify_all();
                return None;
            }
            shared = (self.wake.wait(shared)).unwrap_or_else(PoisonError::into_inner);
        }
        shared.idle -= 1;
        shared.jobs.pop()
    }

    fn push(&self, job: Job) {
        let mut shared = self.shared.lock().unwrap_or_else(PoisonError::into_inner);
        shared.jobs.push(job);
        if shared.idle > 0 {
            self.wake.notify_one();
        }
    }

    fn has_idle(&self) -> bool {
        let shared = self.shared.lock().unwrap_or_else(PoisonError::into_inner);
        shared.idle > shared.jobs.len()
    }

    fn work(&self) -> (u64, u64) {
        let (mut names, mut bytes) = (0, 0);
        let mut look = |folder: &OwnedFd, name: &CStr| {
            let flags = AtFlags::SYMLINK_NOFOLLOW | AtFlags::STATX_DONT_SYNC;
            if let Ok(stat) = statx(folder, name, flags, StatxFlags::BASIC_STATS) {
                bytes += stat.stx_size;
            }
        };
        let mut buffer: Vec<u8> = Vec::with_capacity(64 * 1024);
        while let Some(job) = self.next() {
            match job {
                Job::Names(folder, given) => {
                    for name in given.split_inclusive(|byte| *byte == 0) {
                        if let Ok(name) = CStr::from_bytes_with_nul(name) {
                            look(&folder, name);
                        }
                    }
                }
                Job::Folder(path) => {
                    let flags = OFlags::RDONLY | OFlags::DIRECTORY | OFlags::CLOEXEC;
                    let Ok(folder) = openat(&self.root, &path, flags, Mode::empty()) else {
                        continue;
                    };
                    let folder = Arc::new(folder);
                    let mut batch: Vec<u8> = Vec::new();
                    let mut entries = RawDir::new(&*folder, buffer.spare_capacity_mut());
                    while let Some(Ok(entry)) = entries.next() {
                        let name = entry.file_name();
                        if name == c"." || name == c".." {
                            continue;
                        }
                        names += 1;
                        if entry.file_type() == FileType::Directory {
                            let below = [path.to_bytes(), b"/", name.to_bytes()].concat();
                            self.push(Job::Folder(CString::new(below).unwrap_or_default()));
                            continue;
                        }
                        batch.extend_from_slice(name.to_bytes_with_nul());
                        if batch.len() > 32 * 1024 {
                            let full = std::mem::take(&mut batch);
                            if self.has_idle() {
                                self.push(Job::Names(Arc::clone(&folder), full));
                            } else {
                                for name in full.split_inclusive(|byte| *byte == 0) {
                                    if let Ok(name) = CStr::from_bytes_with_nul(name) {
                                        look(&folder, name);
                                    }
                                }
                            }
                        }
                    }
                    for name in batch.split_inclusive(|byte| *byte == 0) {
                        if let Ok(name) = CStr::from_bytes_with_nul(name) {
                            look(&folder, name);
                        }
                    }
                }
            }
        }
        (names, bytes)
    }
}
