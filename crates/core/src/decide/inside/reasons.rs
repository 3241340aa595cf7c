//! Why the recogniser of a pile found its things: what each points to that is not there.

use std::collections::HashMap;

use jolly_disk::Kind;

use crate::cancel::CancelToken;
use crate::computer::TargetPath;
use crate::decide::{Entry, EntryId, Inside};
use crate::pile::Scan;
use crate::rule::{Detect, Search};
use crate::source::holder::{self, Holder, Wanted};
use crate::source::{Candidate, Finding, HolderItem, ItemKind, Recogniser};

/// Things of one pile that are asked about at most.
const MOST: usize = 500;

/// Whether a recogniser says of each thing where it leads.
fn tells(detect: Detect) -> bool {
    matches!(
        detect,
        Detect::BrokenLauncher | Detect::BrokenLink | Detect::DocumentGone | Detect::ReferenceGone
    )
}

/// The holder that was read last: the things of one follow each other.
#[derive(Default)]
struct Last(Option<(TargetPath, Option<Box<dyn Holder>>)>);

impl Last {
    /// The item of that name in the holder at a path, if it is there still.
    fn item(
        &mut self,
        scan: &Scan,
        wanted: Option<Wanted<'_>>,
        path: &TargetPath,
        cancel: &CancelToken,
    ) -> Option<HolderItem> {
        let at = path.parent()?;
        if self.0.as_ref().is_none_or(|(known, _)| *known != at) {
            let disk = scan.target.disk();
            let folder = disk.open_folder(scan.target.root(), at.folder_bytes());
            let read = folder.ok().zip(wanted).and_then(|(folder, wanted)| {
                holder::read(&scan.target, (&folder, at.as_name()), wanted, cancel).ok()
            });
            self.0 = Some((at, read.map(|read| read.holder)));
        }
        let holder = self.0.as_ref()?.1.as_ref()?;
        let mut items = holder.items().iter();
        items.find(|item| item.name == path.name()).cloned()
    }
}

/// Asks about each thing of a pile, if its rule's recogniser tells where it leads.
pub(super) fn reasons(
    inside: &Inside,
    scan: &Scan,
    cancel: &CancelToken,
) -> HashMap<EntryId, String> {
    let mut found = HashMap::new();
    let pile = scan.pile(inside.pile);
    let rule = &scan.rules.rule(pile.rule).rule;
    let Some(detect) = rule.detect.filter(|detect| tells(*detect)) else {
        return found;
    };
    let recogniser = Recogniser::new(&scan.target, scan.now, cancel);
    let wanted = rule.entries.map(|format| Wanted::of(format, &[]));
    let mut last = Last::default();
    let first = inside.folders.len();
    for id in (first..first + inside.positions.len().min(MOST)).map(EntryId::new) {
        let Some(Entry::Item(item)) = inside.entry(scan, id) else {
            continue;
        };
        if cancel.is_cancelled() {
            break;
        }
        let path = scan.arena.path(item);
        let entry = match scan.arena.kind(item) {
            ItemKind::Entry => last.item(scan, wanted, &path, cancel),
            ItemKind::File | ItemKind::Link => None,
        };
        let file = match &entry {
            Some(_) => path.parent().unwrap_or_default(),
            None => path,
        };
        let disk = scan.target.disk();
        let Ok(folder) = disk.open_folder(scan.target.root(), file.folder_bytes()) else {
            continue;
        };
        let search = Search {
            rule: pile.rule,
            account: pile.account,
            root: file.parent().unwrap_or_default(),
            naming: None,
            twins: None,
            points: None,
        };
        let candidate = Candidate {
            search: &search,
            path: &file,
            folder: &folder,
            name: file.as_name(),
            kind: match scan.arena.kind(item) {
                ItemKind::Link => Kind::Link,
                ItemKind::File | ItemKind::Entry => Kind::File,
            },
            entry: entry.as_ref(),
        };
        if let Finding::Is(reason) = recogniser.look(rule, detect, &candidate) {
            found.insert(id, reason.to_string());
        }
    }
    found
}
