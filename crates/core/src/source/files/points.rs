//! Restore points that a walk comes to: folders that the file system made of another one, each a single item.

use jolly_disk::{FileKey, Kind, Stamp, Stat};

use crate::computer::{HeldBytes, RestorePoint, number_of, open_part, what_it_holds};
use crate::rule::Spelling;
use crate::source::arena::shard::NewItem;
use crate::source::files::folder::Worker;
use crate::source::files::job::Visited;
use crate::source::{Fingerprint, ItemKind};

/// Bytes in a block as the kernel counts them.
const BLOCK: u64 = 512;

impl Worker<'_> {
    /// Adds a folder that a rule asks for as a restore point; whether it is one.
    pub(crate) fn see_point(&mut self, at: &Visited, name: Spelling<'_>) -> bool {
        let context = self.walk.context;
        let starting = context.starts_at(&at.path).iter().copied();
        let mut named = starting.filter_map(|at| {
            let points = context.search(at).points.as_ref()?;
            Some((at, points.get(name.exact)?))
        });
        let Some((search, point)) = named.next() else {
            return false;
        };
        let rule = &context.rule(search).rule;
        let guard = at.guards.file(context.guards, &at.path, rule, name);
        if guard.is_some() {
            self.note.guarded += 1;
            return true;
        }
        let cancel = self.walk.cancel;
        // The list names some by another folder than the root: what lies there may be something else.
        let part = open_part(context.target, &point.path).ok();
        let number = part.as_ref().map(|part| number_of(part, cancel));
        let Some((part, Ok(_))) = part.zip(
            number.filter(|number| number.as_ref().is_ok_and(|number| *number == point.number)),
        ) else {
            return false;
        };
        let held = match what_it_holds(&part, cancel) {
            Ok(held) => held,
            Err(error) => {
                let reason = format!("how much a restore point holds isn't known: {error}");
                let place = point.path.to_string();
                self.gathered.unread.add(place, &reason, 1);
                HeldBytes::default()
            }
        };
        let stat = stat_of(point, held, at.device);
        self.add(
            at,
            &NewItem {
                folder: at.id,
                device: at.device,
                name: name.exact,
                kind: ItemKind::Entry,
                stat: &stat,
                time: point.made,
                pile: context.pile_of(search),
                entry: Some(Fingerprint::of(point.uuid.as_bytes())),
            },
        );
        true
    }
}

/// What a restore point is taken for in place of a look at a file: its number, when it was made, and what grows with
/// every change of it.
fn stat_of(point: &RestorePoint, held: HeldBytes, device: u64) -> Stat {
    let made = Stamp {
        seconds: point.made,
        nanos: 0,
    };
    Stat {
        key: FileKey {
            device,
            inode: point.number,
        },
        kind: Kind::Folder,
        is_mount: false,
        is_fixed: false,
        size: held.whole,
        // Files that lie in the tables themselves hold no whole block.
        allocated: held.alone.next_multiple_of(BLOCK),
        links: 1,
        user: 0,
        group: 0,
        mode: 0,
        accessed: made,
        modified: made,
        changed: Stamp {
            seconds: point.generation.cast_signed(),
            nanos: 0,
        },
        born: None,
    }
}
