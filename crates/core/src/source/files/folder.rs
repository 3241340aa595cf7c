//! One thread of a walk: folder by folder, and in a folder of very many names batch by batch.

use std::ffi::CStr;
use std::io;
use std::ops::ControlFlow;
use std::sync::Arc;
use std::sync::atomic::Ordering;

use jolly_disk::{Folder, Kind, Stat};

use crate::computer::{MOST_DEPTH, TargetPath};
use crate::rule::{Detect, Spelling};
use crate::source::files::job::{Admitted, FolderNames, Job, PendingFolder, Visited};
use crate::source::files::{FolderNote, Gathered, Walk};
use crate::source::folder_matcher::FolderMatchers;
use crate::source::news::Counted;
use crate::source::{FolderId, FolderRecord, PileId};
use crate::walk::{PlaceId, unread};

/// Names that a thread looks at before it tells how many.
const TOLD_EVERY: u64 = 64;

/// The longest path that is walked, in bytes.
const MOST_PATH: usize = 64 * 1024;

/// A folder's last change has to lie so many seconds back to tell the next change from it: clocks
/// of file systems stand still for up to two.
const SETTLED: i64 = 3;

/// A folder that has just been opened.
struct OpenedFolder {
    at: Arc<Visited>,
    folder: Arc<Folder>,
    stat: Stat,
    /// The pile that may remove it once it is empty, and the time its age counts from.
    empty_folder_pile: Option<(PileId, i64)>,
    /// Whether it is the topmost folder that a cache tag marks.
    is_tag_root: bool,
}

/// One thread of a walk.
pub(crate) struct Worker<'a> {
    pub(crate) walk: &'a Walk<'a>,
    pub(crate) matchers: FolderMatchers<'a>,
    /// Folders that this thread has found; the last is walked next.
    local: Vec<Job>,
    names: FolderNames,
    small: Vec<u8>,
    pub(crate) takers: Vec<usize>,
    pub(crate) gathered: Gathered,
    pub(crate) counted: Counted,
    /// What is noted of the folder being walked.
    pub(crate) note: FolderNote,
}

impl<'a> Worker<'a> {
    pub(crate) fn new(walk: &'a Walk<'a>) -> Self {
        Self {
            walk,
            matchers: FolderMatchers::new(walk.context),
            local: Vec::new(),
            names: FolderNames::default(),
            small: Vec::new(),
            takers: Vec::new(),
            gathered: Gathered::default(),
            counted: Counted::default(),
            note: FolderNote::of(FolderId(0)),
        }
    }

    /// Works until nothing is left.
    pub(crate) fn work(mut self) -> Gathered {
        while let Some(job) = self.local.pop().or_else(|| self.walk.queue.next()) {
            match job {
                Job::Folder(waiting) => {
                    let place = waiting.place;
                    if self.walk.cancel.is_cancelled() {
                        self.gathered.is_broken = true;
                        self.leave_unclear(&waiting);
                    } else {
                        self.walk_folder(waiting);
                    }
                    self.end(place);
                }
                Job::FolderNames(at, folder, names) => {
                    self.note = FolderNote::of(at.id);
                    self.look_at_all(&at, &folder, &names);
                    self.close_note();
                    self.end(at.place);
                }
            }
            self.share();
        }
        self.gathered
    }

    fn end(&mut self, place: PlaceId) {
        self.tell(place);
        self.walk.tally.done(place);
    }

    fn tell(&mut self, place: PlaceId) {
        self.walk
            .tally
            .add(place, std::mem::take(&mut self.counted));
    }

    /// Gives half of what is left to do away when somebody waits: the older half, which lies
    /// higher up and leads to more.
    fn share(&mut self) {
        if self.local.len() > 1 && self.walk.queue.has_idle() {
            let half = self.local.len() / 2;
            self.walk.queue.push(self.local.drain(..half));
        }
    }

    fn close_note(&mut self) {
        let note = std::mem::replace(&mut self.note, FolderNote::of(FolderId(0)));
        self.gathered.guarded += note.guarded;
        if note.says_something() {
            self.gathered.notes.push(note);
        }
    }

    /// Notes of a folder's parent that it could not be walked.
    pub(crate) fn miss(&mut self, waiting: &PendingFolder, reason: &str) {
        let place = self.walk.tally.name(waiting.place);
        self.gathered.unread.add(place, reason, 1);
        self.leave_unclear(waiting);
    }

    /// Notes of a folder's parent that what is known of it lacks this one, so that the next scan
    /// doesn't take it for all there is.
    fn leave_unclear(&mut self, waiting: &PendingFolder) {
        if let Some(parent) = &waiting.parent {
            self.gathered.notes.push(FolderNote {
                is_unclear: true,
                ..FolderNote::of(parent.id)
            });
        }
    }

    pub(crate) fn missed(&mut self, place: PlaceId, error: &io::Error) {
        let place = self.walk.tally.name(place);
        self.gathered.unread.add(place, &unread::reason(error), 1);
        self.note.is_unclear = true;
    }

    fn walk_folder(&mut self, waiting: PendingFolder) {
        let Some(opened) = self.open(&waiting) else {
            return;
        };
        let OpenedFolder {
            at,
            folder,
            stat,
            empty_folder_pile,
            is_tag_root,
        } = opened;
        self.note = FolderNote::of(at.id);
        let record = FolderRecord {
            parent: waiting.parent.as_ref().map(|parent| parent.id),
            name: waiting.name,
            key: stat.key,
            changed: stat.changed,
            entries: 0,
            guarded: 0,
            allocated: stat.allocated,
            empty_folder_pile: empty_folder_pile.map(|(pile, _)| pile),
            time: empty_folder_pile.map_or(stat.modified.seconds, |(_, time)| time),
            is_tag_root,
            is_whole: false,
            is_lasting: false,
            holder: None,
        };
        let row = self.gathered.shard.add_folder(at.id, record);
        let (entries, is_whole) = match self.remembered(&at, &folder, &stat) {
            Some(entries) => (entries, true),
            None => self.list(&at, &folder),
        };
        let now = self.walk.context.now.as_second();
        let is_settled = stat.changed.seconds.saturating_add(SETTLED) <= now;
        let is_lasting =
            is_whole && is_settled && at.matcher.is_by_name && self.walk.context.keeps_changes;
        if let Some(record) = self.gathered.shard.folder_mut(row) {
            (record.entries, record.is_whole) = (entries, is_whole);
            record.is_lasting = is_lasting;
        }
        self.close_note();
    }

    /// Opens a folder and finds out what is to be done in it; nothing when that is nothing.
    fn open(&mut self, waiting: &PendingFolder) -> Option<OpenedFolder> {
        let path = match &waiting.parent {
            Some(parent) => parent.path.join(&waiting.name).ok()?,
            None => TargetPath::new(waiting.name.to_vec()).ok()?,
        };
        let held = (waiting.parent.as_ref()).and_then(|parent| parent.held.as_ref());
        let (stat, folder) = match self.walk.context.open_folder(held, &path) {
            Ok(opened) => opened,
            Err(error) => {
                self.miss(waiting, &unread::reason(&error));
                return None;
            }
        };
        let admitted = self.admit(waiting, &path, &stat)?;
        self.look_for_undated(&path);
        Some(self.describe(waiting, path, (stat, folder), admitted))
    }

    /// What is known of a folder before its names are read.
    fn describe(
        &self,
        waiting: &PendingFolder,
        path: TargetPath,
        (stat, folder): (Stat, Arc<Folder>),
        admitted: Admitted,
    ) -> OpenedFolder {
        let Admitted {
            matcher,
            guards,
            closed,
            leads_on,
        } = admitted;
        let parent = waiting.parent.as_deref();
        let empty_folder_pile = self.empty_folder_pile(parent, &path, guards, &stat);
        let above = parent.and_then(|parent| parent.tagged);
        let tagged = above.or_else(|| self.own_tag(&matcher, (&path, &folder)));
        let before = match parent {
            Some(_) => waiting.before,
            None => (self.walk.context.memory.as_ref()).and_then(|memory| memory.top(&path)),
        };
        let mut visited = Visited {
            id: FolderId(self.walk.next_folder.fetch_add(1, Ordering::Relaxed)),
            path,
            device: stat.key.device,
            matcher,
            guards,
            closed,
            place: waiting.place,
            tagged,
            leads_on,
            before,
            depth: parent.map_or(0, |parent| parent.depth + 1),
            held: parent.and_then(|parent| parent.held.clone()),
        };
        visited.hold(&folder);
        OpenedFolder {
            at: Arc::new(visited),
            folder,
            stat,
            empty_folder_pile,
            is_tag_root: above.is_none() && tagged.is_some(),
        }
    }

    /// Tells what a trash that starts here doesn't know the date of.
    fn look_for_undated(&mut self, path: &TargetPath) {
        let context = self.walk.context;
        let starts = context.starts_at(path);
        let is_of_trash = |at: &usize| context.rule(*at).rule.detect == Some(Detect::Trash);
        if starts.iter().any(is_of_trash) {
            let undated = self.walk.recogniser.undated(path);
            if undated > 0 {
                let reason = "a note of the trash can't be read, so what it describes stays";
                self.gathered.unread.add(path.to_string(), reason, undated);
            }
        }
    }

    /// Reads a folder's names and looks at them; gives how many there were and whether all were
    /// told.
    fn list(&mut self, at: &Arc<Visited>, folder: &Arc<Folder>) -> (u64, bool) {
        let walk = self.walk;
        let (disk, cancel) = (walk.context.target.disk(), walk.cancel);
        let is_ordered = walk.context.has_to_seek;
        let mut names = std::mem::take(&mut self.names);
        names.clear();
        let mut entries = 0;
        let listed = disk.list(folder, &mut |entry| {
            entries += 1;
            // Names are only gathered when somebody waits for them, or to be put in order.
            if !is_ordered && names.is_empty() && !walk.queue.has_idle() {
                self.counted.looked_at += 1;
                self.look(at, folder, entry.name, entry.kind);
                if self.counted.looked_at >= TOLD_EVERY {
                    self.tell(at.place);
                    self.share();
                }
            } else {
                names.push(entry);
                if names.is_full(is_ordered) {
                    if is_ordered {
                        names.put_in_order();
                    }
                    self.pass_on(at, folder, &mut names);
                }
            }
            if cancel.is_cancelled() {
                ControlFlow::Break(())
            } else {
                ControlFlow::Continue(())
            }
        });
        if is_ordered {
            names.put_in_order();
        }
        self.look_at_all(at, folder, &names);
        self.names = names;
        if let Err(error) = &listed {
            self.missed(at.place, error);
        }
        let is_cut = cancel.is_cancelled();
        self.gathered.is_broken |= is_cut;
        (entries, listed.is_ok() && !is_cut)
    }

    /// Looks at a full batch of names, or hands it to somebody who waits.
    fn pass_on(&mut self, at: &Arc<Visited>, folder: &Arc<Folder>, names: &mut FolderNames) {
        self.share();
        if self.walk.queue.has_idle() {
            let full = std::mem::take(names);
            self.walk.tally.wait(at.place, 1);
            let job = Job::FolderNames(Arc::clone(at), Arc::clone(folder), full);
            self.walk.queue.push(std::iter::once(job));
        } else {
            self.look_at_all(at, folder, names);
            names.clear();
            self.tell(at.place);
        }
    }

    fn look_at_all(&mut self, at: &Arc<Visited>, folder: &Folder, names: &FolderNames) {
        for (name, kind) in names.iter() {
            if self.walk.cancel.is_cancelled() {
                self.gathered.is_broken = true;
                self.note.is_torn = true;
                return;
            }
            self.counted.looked_at += 1;
            self.look(at, folder, name, kind);
            if self.counted.looked_at >= TOLD_EVERY {
                self.tell(at.place);
            }
        }
    }

    /// Looks at one name of a folder.
    fn look(&mut self, at: &Arc<Visited>, folder: &Folder, name: &CStr, kind: Option<Kind>) {
        let mut known = None;
        let kind = match kind {
            Some(kind) => kind,
            None => match self.walk.context.target.disk().stat(folder, name) {
                Ok(stat) => known.insert(stat).kind,
                Err(error) => return self.missed(at.place, &error),
            },
        };
        let mut small = std::mem::take(&mut self.small);
        small.clear();
        small.extend_from_slice(name.to_bytes());
        small.make_ascii_lowercase();
        let spelling = Spelling {
            exact: name.to_bytes(),
            small: &small,
        };
        match kind {
            Kind::Other => {}
            Kind::Folder => self.see_folder(at, spelling),
            Kind::File | Kind::Link => self.look_at_item(at, folder, (name, spelling), known, kind),
        }
        self.small = small;
    }

    /// Keeps a folder to be walked later, when something in it could be a rule's.
    fn see_folder(&mut self, at: &Arc<Visited>, name: Spelling<'_>) {
        let context = self.walk.context;
        if context.has_points && self.see_point(at, name) {
            return;
        }
        let path = || at.path.join(name.exact).unwrap_or_default();
        let matcher = self.matchers.below(&at.matcher, name, at.leads_on, &path);
        let own_path = at.leads_on.then(path);
        let leads_on = own_path.as_ref().is_some_and(|path| context.leads_on(path));
        if matcher.states.is_empty() && !leads_on {
            return;
        }
        // Every folder holds its whole path while it is walked: a tree without end must not take all memory.
        let length = at.path.as_bytes().len() + name.exact.len();
        if at.depth >= MOST_DEPTH || length > MOST_PATH {
            let place = self.walk.tally.name(at.place);
            let reason = "deeper than 4,096 folders, or than a path of 64 KiB";
            self.gathered.unread.add(place, reason, 1);
            self.note.is_unclear = true;
            return;
        }
        let place = own_path.and_then(|path| self.walk.tally.place(&path));
        let place = place.unwrap_or(at.place);
        let memory = context.memory.as_ref();
        let before = memory.zip(at.before);
        self.walk.tally.wait(place, 1);
        self.local.push(Job::Folder(PendingFolder {
            parent: Some(Arc::clone(at)),
            name: name.exact.into(),
            matcher: Some(matcher),
            place,
            before: before.and_then(|(memory, before)| memory.child(before, name.exact)),
        }));
    }

    /// Takes a folder's names and whose they are from the scan before, when the folder has not
    /// changed since; gives how many names it holds.
    fn remembered(&mut self, at: &Arc<Visited>, folder: &Folder, stat: &Stat) -> Option<u64> {
        let memory = self.walk.context.memory.as_ref()?;
        let before = at.before?;
        let record = memory.lasting(before, stat)?;
        if !at.matcher.is_by_name {
            return None;
        }
        self.counted.looked_at += record.entries;
        self.counted.remembered += record.entries;
        self.note.guarded += record.guarded;
        for item in memory.items_in(before) {
            if self.walk.cancel.is_cancelled() {
                self.gathered.is_broken = true;
                self.note.is_torn = true;
                break;
            }
            self.look_again(at, folder, memory, *item);
        }
        for child in memory.children_in(before) {
            let small = memory.name_of(*child).to_ascii_lowercase();
            self.see_folder(
                at,
                Spelling {
                    exact: memory.name_of(*child),
                    small: &small,
                },
            );
        }
        Some(record.entries)
    }
}
