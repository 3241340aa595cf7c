//! Walking all of a target, by several threads.

use std::collections::{BTreeMap, HashSet};
use std::ffi::{CStr, CString};
use std::io;
use std::num::NonZeroUsize;
use std::ops::ControlFlow;
use std::sync::atomic::{AtomicU32, AtomicU64, Ordering};
use std::sync::{Arc, Mutex, OnceLock, PoisonError};
use std::time::Duration;

use jolly_disk::{FileKey, Kind, Stat};

use crate::cancel::CancelToken;
use crate::computer::{MOST_DEPTH, Target, TargetPath};
use crate::format::Printable;
use crate::walk::tree::{FileTree, Shard, TreeFolder};
use crate::walk::{Gatherer, WorkQueue, unread};

/// The longest time between two pieces of news.
const NEWS_EVERY: Duration = Duration::from_millis(100);

/// Names that a thread looks at before it asks whether all was stopped.
const ASKED_EVERY: u64 = 64;

/// The longest path that is walked, in bytes.
const MOST_PATH: usize = 64 * 1024;

/// How far a walk is.
#[derive(Clone, Debug, Default, PartialEq, Eq)]
pub struct TreeNews {
    /// Names that it looked at.
    pub looked_at: u64,
    /// The folders right in the root, with what is known of them to hold, in bytes.
    pub top: Vec<(String, u64)>,
}

/// What is counted of one folder right in the root.
struct Top {
    name: String,
    bytes: AtomicU64,
}

/// A folder that was seen and not yet walked.
struct Pending {
    number: u32,
    path: TargetPath,
    /// The folder right in the root that it lies in.
    top: usize,
}

/// What the threads share.
struct Walk<'a> {
    target: &'a Target,
    device: u64,
    cancel: &'a CancelToken,
    queue: WorkQueue<Pending>,
    next: AtomicU32,
    looked_at: AtomicU64,
    top: OnceLock<Vec<Top>>,
    /// Folders that were walked: one that is moved meanwhile isn't walked again.
    walked: Mutex<HashSet<FileKey>>,
}

/// What one thread gathered.
#[derive(Default)]
struct Gathered {
    number: u16,
    shard: Shard,
    folders: Vec<(u32, TreeFolder)>,
    /// What became known of folders that another thread may have seen.
    walked: Vec<(u32, Opened)>,
    unread: Gatherer,
    apart: Vec<TargetPath>,
    is_partial: bool,
}

/// What a folder was when it was walked.
struct Opened {
    files: (u16, u32, u32),
    held: u64,
    modified: i64,
}

/// Walks a target, or what lies below some folders of it. `sink` hears how far it is.
pub fn walk_tree(
    target: &Target,
    below: &[TargetPath],
    cancel: &CancelToken,
    sink: &dyn Fn(TreeNews),
) -> FileTree {
    let disk = target.disk();
    let device = disk
        .stat_folder(target.root())
        .map_or(0, |stat| stat.key.device);
    let mut first = Gathered::default();
    let next = AtomicU32::new(0);
    let pending = begin(&mut first, &next, below);
    let workers = std::thread::available_parallelism().map_or(1, NonZeroUsize::get);
    let walk = Walk {
        target,
        device,
        cancel,
        queue: WorkQueue::new(workers, pending),
        next,
        looked_at: AtomicU64::new(0),
        top: OnceLock::new(),
        walked: Mutex::default(),
    };
    // The first shard has the folders that it begins with.
    let work =
        |number: usize| Worker::new(&walk, u16::try_from(number + 1).unwrap_or(u16::MAX)).work();
    let mut gathered = vec![first];
    gathered.extend(walk.queue.run(NEWS_EVERY, &work, &mut || sink(walk.news())));
    sink(walk.news());
    put_together(gathered)
}

/// The folders to begin with: each with those on the way to it.
fn begin(first: &mut Gathered, next: &AtomicU32, below: &[TargetPath]) -> Vec<Pending> {
    let root = TreeFolder {
        parent: 0,
        name: (0, 0),
        files: (0, 0, 0),
        held: 0,
        modified: 0,
    };
    let mut known = BTreeMap::from([(TargetPath::root(), next.fetch_add(1, Ordering::Relaxed))]);
    first.folders.push((0, root));
    let mut tops: Vec<&TargetPath> = below.iter().collect();
    let root_path = TargetPath::root();
    if tops.is_empty() {
        tops.push(&root_path);
    }
    tops.sort_by_key(|path| (path.parts().count(), (*path).clone()));
    let mut pending: Vec<Pending> = Vec::new();
    for path in tops {
        let is_below = |one: &Pending| path.below(&one.path).is_some();
        if pending.iter().any(|one| one.path == *path || is_below(one)) {
            continue;
        }
        let (mut at, mut parent) = (TargetPath::root(), 0);
        for part in path.parts() {
            let Ok(deeper) = at.join(part) else { break };
            at = deeper;
            parent = *known.entry(at.clone()).or_insert_with(|| {
                let number = next.fetch_add(1, Ordering::Relaxed);
                let name = first.shard.note_name(at.as_name()).unwrap_or_default();
                let folder = TreeFolder {
                    parent,
                    name: (0, name),
                    ..root
                };
                first.folders.push((number, folder));
                number
            });
        }
        pending.push(Pending {
            number: parent,
            path: at,
            top: usize::MAX,
        });
    }
    pending
}

impl Walk<'_> {
    fn news(&self) -> TreeNews {
        let top = self.top.get().map_or(&[][..], Vec::as_slice);
        let told = |top: &Top| (top.name.clone(), top.bytes.load(Ordering::Relaxed));
        TreeNews {
            looked_at: self.looked_at.load(Ordering::Relaxed),
            top: top.iter().map(told).collect(),
        }
    }

    fn is_new(&self, key: FileKey) -> bool {
        let mut walked = self.walked.lock().unwrap_or_else(PoisonError::into_inner);
        walked.insert(key)
    }
}

/// One thread of a walk.
struct Worker<'a> {
    walk: &'a Walk<'a>,
    local: Vec<Pending>,
    gathered: Gathered,
}

impl<'a> Worker<'a> {
    fn new(walk: &'a Walk<'a>, number: u16) -> Self {
        Self {
            walk,
            local: Vec::new(),
            gathered: Gathered {
                number,
                ..Gathered::default()
            },
        }
    }

    fn work(mut self) -> Gathered {
        while let Some(pending) = self.local.pop().or_else(|| self.walk.queue.next()) {
            if self.walk.cancel.is_cancelled() {
                self.gathered.is_partial = true;
                continue;
            }
            self.walk_folder(&pending);
            // The older half lies higher up and leads to more.
            if self.local.len() > 1 && self.walk.queue.has_idle() {
                let half = self.local.len() / 2;
                self.walk.queue.push(self.local.drain(..half));
            }
        }
        self.gathered
    }

    fn miss(&mut self, path: &TargetPath, reason: &str) {
        self.gathered.unread.add(path.to_string(), reason, 1);
    }

    fn walk_folder(&mut self, pending: &Pending) {
        let walk = self.walk;
        let disk = &**walk.target.disk();
        let opened = disk
            .open_folder(walk.target.root(), pending.path.as_bytes())
            .and_then(|folder| Ok((disk.stat_folder(&folder)?, Arc::new(folder))));
        let (stat, folder) = match opened {
            Ok(opened) => opened,
            Err(error) if error.kind() == io::ErrorKind::NotFound => return,
            Err(error) if error.kind() == io::ErrorKind::CrossesDevices => {
                return self.gathered.apart.push(pending.path.clone());
            }
            Err(error) => return self.miss(&pending.path, &unread::reason(&error)),
        };
        if stat.key.device != self.walk.device {
            return self.gathered.apart.push(pending.path.clone());
        }
        if !self.walk.is_new(stat.key) {
            return;
        }
        let start = self.gathered.shard.files.len();
        let (mut held, mut looked_at) = (stat.allocated, 0);
        let mut tops = Vec::new();
        let listed = disk.list(&folder, &mut |entry| {
            looked_at += 1;
            if looked_at % ASKED_EVERY == 0 && self.walk.cancel.is_cancelled() {
                self.gathered.is_partial = true;
                return ControlFlow::Break(());
            }
            match disk.stat(&folder, entry.name) {
                Ok(stat) if stat.kind == Kind::Folder => {
                    self.found(pending, entry.name, &stat, &mut tops);
                }
                Ok(stat) => {
                    held += stat.allocated;
                    let noted = self
                        .gathered
                        .shard
                        .note_file(pending.number, entry.name, &stat);
                    self.gathered.is_partial |= noted.is_none();
                }
                // It went meanwhile.
                Err(error) if error.kind() == io::ErrorKind::NotFound => {}
                Err(error) => self.miss(&pending.path, &unread::reason(&error)),
            }
            ControlFlow::Continue(())
        });
        if let Err(error) = listed {
            self.miss(&pending.path, &unread::reason(&error));
        }
        self.walk.looked_at.fetch_add(looked_at, Ordering::Relaxed);
        if pending.path.is_root() {
            self.begin_tops(tops);
        } else if let Some(top) = self.walk.top.get().and_then(|top| top.get(pending.top)) {
            top.bytes.fetch_add(held, Ordering::Relaxed);
        }
        let number = |count: usize| u32::try_from(count).unwrap_or(u32::MAX);
        let end = number(self.gathered.shard.files.len());
        let opened = Opened {
            files: (self.gathered.number, number(start), end),
            held: stat.allocated,
            modified: stat.modified.seconds,
        };
        self.gathered.walked.push((pending.number, opened));
    }

    /// Notes which folders lie right in the root, before anybody walks them.
    fn begin_tops(&mut self, names: Vec<CString>) {
        let top = names.into_iter().map(|name| Top {
            name: Printable(name.as_bytes()).to_string(),
            bytes: AtomicU64::new(0),
        });
        // Only one thread walks the root.
        drop(self.walk.top.set(top.collect()));
    }

    /// Notes a folder that lies in another.
    fn found(&mut self, holding: &Pending, name: &CStr, stat: &Stat, tops: &mut Vec<CString>) {
        let Ok(path) = holding.path.join(name.to_bytes()) else {
            return;
        };
        if stat.is_mount || stat.key.device != self.walk.device {
            return self.gathered.apart.push(path);
        }
        if path.parts().count() > MOST_DEPTH || path.as_bytes().len() > MOST_PATH {
            return self.miss(&path, "it lies too deep");
        }
        let Some(at) = self.gathered.shard.note_name(name) else {
            self.gathered.is_partial = true;
            return;
        };
        // Numbers have no gaps: they are positions.
        let number = self.walk.next.fetch_add(1, Ordering::Relaxed);
        let folder = TreeFolder {
            parent: holding.number,
            name: (self.gathered.number, at),
            files: (0, 0, 0),
            held: 0,
            modified: stat.modified.seconds,
        };
        self.gathered.folders.push((number, folder));
        let top = if holding.path.is_root() {
            tops.push(name.to_owned());
            tops.len() - 1
        } else {
            holding.top
        };
        self.local.push(Pending { number, path, top });
    }
}

/// Makes one tree of what all threads gathered.
fn put_together(mut gathered: Vec<Gathered>) -> FileTree {
    gathered.sort_by_key(|part| part.number);
    let mut tree = FileTree::default();
    let (mut folders, mut walked, mut unread) = (Vec::new(), Vec::new(), Gatherer::default());
    let count = gathered
        .last()
        .map_or(0, |part| usize::from(part.number) + 1);
    tree.shards.resize_with(count, Shard::default);
    for part in gathered {
        folders.extend(part.folders);
        walked.extend(part.walked);
        unread.extend(part.unread);
        tree.apart.extend(part.apart);
        tree.is_partial |= part.is_partial;
        if let Some(shard) = tree.shards.get_mut(usize::from(part.number)) {
            *shard = part.shard;
        }
    }
    folders.sort_unstable_by_key(|(number, _)| *number);
    tree.folders = folders.into_iter().map(|(_, folder)| folder).collect();
    for (number, opened) in walked {
        let at = usize::try_from(number).unwrap_or(usize::MAX);
        if let Some(folder) = tree.folders.get_mut(at) {
            folder.files = opened.files;
            folder.held = opened.held;
            folder.modified = opened.modified;
        }
    }
    tree.apart.sort();
    tree.unread = unread.into_list();
    tree.list_children();
    tree.count_links_once();
    tree
}
