//! Items: looked at, guarded, aged, kept.

use std::ffi::{CStr, CString};
use std::io;

use jolly_disk::{Folder, Kind, Stat};

use crate::rule::{AgeBy, Ownership, Spelling};
use crate::source::arena::shard::NewItem;
use crate::source::files::folder::Worker;
use crate::source::files::job::Visited;
use crate::source::previous::PreviousScan;
use crate::source::{ItemId, ItemKind, families, recognise};

/// The bytes that a name is told with while the walk goes: of a file with several names each counts
/// its share.
pub(crate) fn share(stat: &Stat) -> u64 {
    stat.allocated / u64::from(stat.links.max(1))
}

impl Worker<'_> {
    /// Looks at a file or link, when a rule takes it: names decide before files are looked at.
    pub(crate) fn look_at_item(
        &mut self,
        at: &Visited,
        folder: &Folder,
        (name, spelling): (&CStr, Spelling<'_>),
        mut known: Option<Stat>,
        kind: Kind,
    ) {
        let context = self.walk.context;
        let owned = self.owner(at, folder, (name, spelling, kind), &mut known, None);
        let owner = match owned {
            Ownership::Owned(search) => search,
            Ownership::Nobodys => match self.kept_by(at) {
                Some(search) => search,
                None => return,
            },
            Ownership::Guarded(..) => {
                self.note.guarded += 1;
                return;
            }
            Ownership::Unseen(..) | Ownership::Spared(_) => return,
        };
        let is_owned = !matches!(owned, Ownership::Nobodys);
        let search = context.search(owner);
        let rule = &context.rule(owner).rule;
        if let Some(format) = rule.entries {
            return self.look_into_holder(at, folder, (name, spelling), format);
        }
        let stat = match &known {
            Some(stat) => stat,
            None => match context.target.disk().stat(folder, name) {
                Ok(stat) => known.insert(stat),
                Err(error) => return self.missed(at.place, &error),
            },
        };
        let Some(kind) = self.item_kind(at, stat) else {
            return;
        };
        // Only a date of trashing is told by the path.
        let own_path = (rule.age.by == AgeBy::Trashed)
            .then(|| at.path.join(name.to_bytes()).ok())
            .flatten();
        let path = own_path.as_ref().unwrap_or(&at.path);
        let Some(time) = self.walk.recogniser.time(rule, search, path, stat) else {
            let reason = "no date of trashing is known, so it stays";
            let place = search.root.to_string();
            self.gathered.unread.add(place, reason, 1);
            return;
        };
        let pile = context.pile_of(owner);
        if let Some(keep) = rule.keep_newest {
            self.gathered.families.push(families::FamilyCandidate {
                folder: at.id,
                device: at.device,
                place: at.place,
                name: CString::from(name),
                kind,
                stat: *stat,
                time,
                pile,
                keep,
                is_owned,
            });
            return;
        }
        self.add(
            at,
            &NewItem {
                folder: at.id,
                device: at.device,
                name: name.to_bytes(),
                kind,
                stat,
                time,
                pile,
                entry: None,
            },
        );
    }

    /// The search whose rule keeps the newest of a family, and counts a name as one of it that its recogniser
    /// leaves: the one just asked about.
    fn kept_by(&self, at: &Visited) -> Option<usize> {
        let context = self.walk.context;
        let mut searches = self
            .takers
            .iter()
            .map(|taker| at.matcher.states[*taker].search);
        searches.find(|search| {
            let rule = &context.rule(*search).rule;
            rule.keep_newest.is_some() && rule.detect.is_some()
        })
    }

    /// What an item is, if it is one: something else may have taken its place since its name was
    /// read, or be mounted on it.
    fn item_kind(&mut self, at: &Visited, stat: &Stat) -> Option<ItemKind> {
        if stat.is_mount {
            self.missed(at.place, &io::ErrorKind::CrossesDevices.into());
            return None;
        }
        match stat.kind {
            Kind::File => Some(ItemKind::File),
            Kind::Link => Some(ItemKind::Link),
            Kind::Folder | Kind::Other => {
                self.note.is_unclear = true;
                None
            }
        }
    }

    pub(crate) fn add(&mut self, at: &Visited, new: &NewItem<'_>) {
        if self.gathered.shard.add_item(new) {
            self.counted.items += 1;
            self.counted.bytes = self.counted.bytes.saturating_add(share(new.stat));
        } else {
            let place = self.walk.tally.name(at.place);
            let reason = "more items than fit into one scan";
            self.gathered.unread.add(place, reason, 1);
        }
    }

    /// Looks again at an item of the scan before, whose name is known to be there still.
    pub(crate) fn look_again(
        &mut self,
        at: &Visited,
        folder: &Folder,
        memory: &PreviousScan<'_>,
        item: ItemId,
    ) {
        let (name, kind, pile) = memory.item(item);
        let Ok(written) = CString::new(name) else {
            return;
        };
        let looked = self.walk.context.target.disk().stat(folder, &written);
        let stat = match looked {
            Ok(stat) => stat,
            Err(error) => return self.missed(at.place, &error),
        };
        let Some(rule) = self.walk.context.rule_of_pile(pile) else {
            return;
        };
        if self.item_kind(at, &stat) != Some(kind) {
            self.note.is_unclear = true;
            return;
        }
        let time =
            recognise::time_of_itself(rule.rule.age.by, self.walk.context.target.dates, &stat);
        self.add(
            at,
            &NewItem {
                folder: at.id,
                device: at.device,
                name,
                kind,
                stat: &stat,
                time,
                pile,
                entry: None,
            },
        );
    }
}
