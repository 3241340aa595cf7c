//! The walker: each tree once, for all rules, by several threads.

mod admit;
mod folder;
mod holder;
mod item;
mod job;
mod owner;
mod points;

use std::collections::HashSet;
use std::num::NonZeroUsize;
use std::sync::atomic::AtomicU32;
use std::sync::{Arc, Mutex, PoisonError};
use std::time::Duration;

use jolly_disk::FileKey;

use crate::cancel::CancelToken;
use crate::computer::TargetPath;
use crate::rule::Search;
use crate::source::arena::shard::{NewItem, Shard};
use crate::source::context::WalkContext;
use crate::source::files::job::{Job, PendingFolder};
use crate::source::news::{Counted, WalkNews, WalkTally};
use crate::source::{Arena, FolderId, Owner, Recogniser, families};
use crate::walk::{Gatherer, ScanEvent, WorkQueue};

/// The longest time between two pieces of news.
const NEWS_EVERY: Duration = Duration::from_millis(40);

/// What a walk gathered.
pub(crate) struct Walked {
    pub arena: Arena,
    pub piles: Vec<Owner>,
    pub guarded: u64,
    pub counted: Counted,
    pub is_partial: bool,
}

/// What the threads of one walk share.
struct Walk<'a> {
    context: &'a WalkContext<'a>,
    cancel: &'a CancelToken,
    queue: WorkQueue<Job>,
    tally: &'a WalkTally,
    recogniser: Recogniser<'a>,
    next_folder: AtomicU32,
    /// Folders that have been walked: one that is moved meanwhile is not walked again.
    walked: [Mutex<HashSet<FileKey>>; 16],
}

impl Walk<'_> {
    /// Whether a folder hasn't been walked yet; from now on it has.
    fn is_new(&self, key: FileKey) -> bool {
        // The lowest bits of an inode number differ most.
        let part = usize::try_from(key.inode % 16).unwrap_or(0);
        self.walked.get(part).is_none_or(|walked| {
            let mut walked = walked.lock().unwrap_or_else(PoisonError::into_inner);
            walked.insert(key)
        })
    }
}

/// What one thread has gathered.
#[derive(Default)]
struct Gathered {
    shard: Shard,
    unread: Gatherer,
    families: Vec<families::FamilyCandidate>,
    /// What became known of folders that another thread may have.
    notes: Vec<FolderNote>,
    guarded: u64,
    is_broken: bool,
}

/// Something to add to what is known of a folder.
struct FolderNote {
    folder: FolderId,
    guarded: u64,
    /// Not every name in it was told.
    is_torn: bool,
    /// Something in it could not be looked at, so what is known of it is not to be used again.
    is_unclear: bool,
}

/// Walks the roots of all searches with so many threads.
pub(crate) fn walk(
    context: &WalkContext<'_>,
    workers: NonZeroUsize,
    cancel: &CancelToken,
    sink: &dyn Fn(ScanEvent),
    unread: &mut Gatherer,
) -> Walked {
    let places = context.searches.iter().map(|search| search.root.clone());
    let tally = WalkTally::new(places.collect());
    let mut news = WalkNews::new(&tally, sink);
    let jobs = topmost(context.searches)
        .into_iter()
        .map(|top| {
            let place = tally.place(&top).unwrap_or_default();
            tally.wait(place, 1);
            Job::Folder(PendingFolder::top(&top, place))
        })
        .collect();
    let walk = Walk {
        context,
        cancel,
        queue: WorkQueue::new(workers.get(), jobs),
        tally: &tally,
        recogniser: Recogniser::with(
            context.target,
            context.now,
            cancel,
            Arc::clone(&context.accounts),
        ),
        next_folder: AtomicU32::new(0),
        walked: Default::default(),
    };
    let work = |_: usize| folder::Worker::new(&walk).work();
    let gathered = walk.queue.run(NEWS_EVERY, &work, &mut || news.tell(false));
    let walked = put_together(context, gathered, &tally, unread);
    news.tell(!walked.is_partial);
    walked
}

/// The roots that lie below no other root: walking them walks everything, once.
fn topmost(searches: &[Search]) -> Vec<TargetPath> {
    let mut roots: Vec<&TargetPath> = searches.iter().map(|search| &search.root).collect();
    roots.sort_by_key(|root| (root.parts().count(), (*root).clone()));
    roots.dedup();
    let mut tops: Vec<TargetPath> = Vec::new();
    let mut known: HashSet<TargetPath> = HashSet::new();
    for root in roots {
        let mut above = Some(root.clone());
        let mut is_covered = false;
        while let Some(path) = above.filter(|_| !is_covered) {
            is_covered = known.contains(&path);
            above = path.parent();
        }
        if !is_covered {
            known.insert(root.clone());
            tops.push(root.clone());
        }
    }
    // The last is taken first.
    tops.sort();
    tops.reverse();
    tops
}

/// Puts together what the threads gathered.
fn put_together(
    context: &WalkContext<'_>,
    gathered: Vec<Gathered>,
    tally: &WalkTally,
    unread: &mut Gatherer,
) -> Walked {
    let (mut shards, mut notes, mut families) = (Vec::new(), Vec::new(), Vec::new());
    let (mut guarded, mut is_partial) = (0, false);
    for part in gathered {
        shards.push(part.shard);
        notes.extend(part.notes);
        families.extend(part.families);
        unread.extend(part.unread);
        guarded += part.guarded;
        is_partial |= part.is_broken;
    }
    let mut records = shards
        .iter_mut()
        .flat_map(Shard::folders_mut)
        .collect::<Vec<_>>();
    records.sort_unstable_by_key(|(id, _)| *id);
    for note in notes {
        if let Ok(at) = records.binary_search_by_key(&note.folder, |(id, _)| *id)
            && let Some((_, record)) = records.get_mut(at)
        {
            record.guarded += note.guarded;
            record.is_whole &= !note.is_torn;
            record.is_lasting &= !note.is_torn && !note.is_unclear;
        }
    }
    let whole = |folder: FolderId| {
        let at = records.binary_search_by_key(&folder, |(id, _)| *id).ok();
        at.and_then(|at| records.get(at))
            .is_some_and(|(_, record)| record.is_whole)
    };
    let going = families::going(families, &whole);
    let mut counted = Counted::default();
    let mut kept = Shard::default();
    for item in going {
        let has_room = kept.add_item(&NewItem {
            folder: item.folder,
            device: item.device,
            name: item.name.to_bytes(),
            kind: item.kind,
            stat: &item.stat,
            time: item.time,
            pile: item.pile,
            entry: None,
        });
        if has_room {
            counted.items = 1;
            counted.bytes = item::share(&item.stat);
            tally.add(item.place, counted);
        }
    }
    shards.push(kept);
    let (arena, lost) = Arena::of(shards);
    if lost > 0 {
        unread.add("/".to_owned(), "more items than fit into one scan", lost);
    }
    let owners = context.owners.iter();
    Walked {
        arena,
        piles: owners.map(|owner| Owner { ..*owner }).collect(),
        guarded,
        counted: tally.in_all(),
        is_partial,
    }
}

impl FolderNote {
    /// Nothing yet.
    pub(crate) fn of(folder: FolderId) -> Self {
        Self {
            folder,
            guarded: 0,
            is_torn: false,
            is_unclear: false,
        }
    }

    fn says_something(&self) -> bool {
        self.guarded > 0 || self.is_torn || self.is_unclear
    }
}
