//! Holders that a walk comes to: read where they lie, each entry asked about by itself.

use std::ffi::CStr;
use std::sync::Arc;
use std::sync::atomic::Ordering;

use jolly_disk::{Folder, Kind, Stat};

use crate::rule::{ListFormat, Ownership, RecordSet, Spelling};
use crate::source::arena::shard::NewItem;
use crate::source::files::folder::Worker;
use crate::source::files::job::Visited;
use crate::source::holder::{HolderError, Wanted};
use crate::source::{FolderId, FolderRecord, HolderItem, ItemKind, holder};

/// A holder that a walk has come to.
struct ReadHolder<'n> {
    at: &'n Visited,
    folder: &'n Folder,
    name: (&'n CStr, Spelling<'n>),
    stat: Stat,
    format: ListFormat,
}

/// What is told of the items of a holder that stay.
struct Words {
    all_stay: &'static str,
    unreadable: &'static str,
    undated: &'static str,
}

impl Words {
    fn of(format: ListFormat) -> Self {
        match format {
            ListFormat::Xbel => Self {
                all_stay: "its entries stay",
                unreadable: "an entry names no document, so it stays",
                undated: "an entry has no date, so it stays",
            },
            ListFormat::MimeApps => Self {
                all_stay: "its entries stay",
                unreadable: "an entry can't be read, so it stays",
                undated: "an entry has no date, so it stays",
            },
            ListFormat::Rows => Self {
                all_stay: "its rows stay",
                unreadable: "a bookmark needs it, so it stays",
                undated: "a row has no date, so it stays",
            },
            ListFormat::Registry | ListFormat::Snapshots => Self {
                all_stay: "its keys and values stay",
                unreadable: "some of its keys and values can't be read",
                undated: "a value has no date, so it stays",
            },
        }
    }
}

/// From so many items on what was read of a holder is let go of beside the walk.
const LARGE: usize = 100_000;

impl Worker<'_> {
    /// Reads a holder that a rule wants entries of, and adds those that are a rule's. It stands among the folders, as
    /// what its entries lie in.
    pub(crate) fn look_into_holder(
        &mut self,
        at: &Visited,
        folder: &Folder,
        name: (&CStr, Spelling<'_>),
        format: ListFormat,
    ) {
        let sets = match format {
            ListFormat::Rows => self.record_sets(at, name.1),
            ListFormat::Xbel | ListFormat::MimeApps | ListFormat::Registry => Vec::new(),
            // What is called as a restore point and is a file is nobody's.
            ListFormat::Snapshots => return,
        };
        let target = self.walk.context.target;
        let path = at.path.join(name.0.to_bytes()).unwrap_or_default();
        let mut leave = |reason: &str, many| {
            self.gathered.unread.add(path.to_string(), reason, many);
        };
        let wanted = Wanted::of(format, &sets);
        let words = Words::of(format);
        let (stat, holder) = match holder::read(target, (folder, name.0), wanted, self.walk.cancel)
        {
            Ok(read) => (read.stat, read.holder),
            Err(HolderError::Empty) => return,
            Err(_) if self.walk.cancel.is_cancelled() => {
                self.gathered.is_broken = true;
                return;
            }
            Err(error) => return leave(&format!("{}: {error}", words.all_stay), 1),
        };
        if holder.unreadable() > 0 {
            leave(words.unreadable, holder.unreadable());
        }
        // One that was moved while its folders were walked is read once.
        if !self.walk.is_new(stat.key) {
            return;
        }
        let id = FolderId(self.walk.next_folder.fetch_add(1, Ordering::Relaxed));
        let record = FolderRecord {
            parent: Some(at.id),
            name: name.0.to_bytes().into(),
            key: stat.key,
            changed: stat.changed,
            entries: holder.items().len() as u64,
            guarded: 0,
            allocated: stat.allocated,
            empty_folder_pile: None,
            time: stat.modified.seconds,
            is_tag_root: false,
            is_whole: false,
            is_lasting: false,
            holder: Some(Box::new(stat)),
        };
        self.gathered.shard.add_folder(id, record);
        let read = ReadHolder {
            at,
            folder,
            name,
            stat,
            format,
        };
        let undated = holder.items().iter().filter(|item| item.time.is_none());
        let undated = undated.count() as u64;
        if undated > 0 {
            self.gathered
                .unread
                .add(path.to_string(), words.undated, undated);
        }
        self.look_at_entries(&read, id, holder.items());
        if holder.items().len() >= LARGE {
            // It takes its time to let go of, and nobody has to wait for that; where no thread can be had it goes here.
            drop(std::thread::Builder::new().spawn(move || drop(holder)));
        }
    }

    fn look_at_entries(&mut self, read: &ReadHolder<'_>, id: FolderId, items: &[HolderItem]) {
        // All rows of a set are one rule's: they differ in nothing that a rule asks about.
        let mut of_set: Option<(Arc<RecordSet>, Option<usize>)> = None;
        for item in items {
            if self.walk.cancel.is_cancelled() {
                self.gathered.is_broken = true;
                return;
            }
            let known = of_set.as_ref().filter(|(set, _)| {
                let own = item.set.as_ref();
                own.is_some_and(|own| Arc::ptr_eq(own, set))
            });
            let owner = match known {
                Some((_, owner)) => *owner,
                None => self.owner_of_entry(read, item),
            };
            if let Some(set) = &item.set
                && known.is_none()
            {
                of_set = Some((Arc::clone(set), owner));
            }
            if let Some(owner) = owner {
                self.add_entry(read, id, item, owner);
            }
        }
    }

    /// The search whose rule has an entry.
    fn owner_of_entry(&mut self, read: &ReadHolder<'_>, item: &HolderItem) -> Option<usize> {
        let (name, spelling) = read.name;
        let asked = (name, spelling, Kind::File);
        let owned = self.owner(
            read.at,
            read.folder,
            asked,
            &mut Some(read.stat),
            Some(item),
        );
        let Ownership::Owned(owner) = owned else {
            return None;
        };
        // Another rule may want the file as a whole: then what is left of it is nobody's.
        let rule = &self.walk.context.rule(owner).rule;
        (rule.entries == Some(read.format)).then_some(owner)
    }

    fn add_entry(&mut self, read: &ReadHolder<'_>, id: FolderId, item: &HolderItem, owner: usize) {
        let (at, stat) = (read.at, read.stat);
        let Some(time) = item.time else { return };
        let context = self.walk.context;
        let entry = Stat {
            size: item.size,
            allocated: item.size,
            ..stat
        };
        self.add(
            at,
            &NewItem {
                folder: id,
                device: stat.key.device,
                name: &item.name,
                kind: ItemKind::Entry,
                stat: &entry,
                time,
                pile: context.pile_of(owner),
                entry: Some(item.fingerprint),
            },
        );
    }
}
