//! The items of a manifest, wherever they lie: in columns, or in the plan that is carried out.

pub(crate) mod columns;
pub(crate) mod stored;

use std::ops::Range;
use std::sync::Arc;

use crate::plan::ManifestItem;
use crate::plan::items::columns::{Columns, ItemView, Views};
use crate::plan::items::stored::StoredItems;

/// The items of a manifest, in the order in which they go.
///
/// # Invariants
/// Of a plan that is no longer what it was, nothing more is given, and [`Self::failure`] says why.
#[derive(Clone, Debug)]
pub struct Items(Kept);

#[derive(Clone, Debug)]
enum Kept {
    Columns(Box<Columns>),
    Stored(Arc<StoredItems>),
}

impl From<Columns> for Items {
    fn from(columns: Columns) -> Self {
        Self(Kept::Columns(Box::new(columns)))
    }
}

impl Items {
    /// Those of a plan that was read through.
    pub(crate) fn stored(items: StoredItems) -> Self {
        Self(Kept::Stored(Arc::new(items)))
    }

    /// How many there are.
    pub fn len(&self) -> usize {
        match &self.0 {
            Kept::Columns(columns) => columns.len(),
            Kept::Stored(stored) => stored.len(),
        }
    }

    /// Whether there are none.
    pub fn is_empty(&self) -> bool {
        self.len() == 0
    }

    /// Why they could not all be given, when they couldn't.
    pub fn failure(&self) -> Option<&str> {
        match &self.0 {
            Kept::Columns(_) => None,
            Kept::Stored(stored) => stored.failure(),
        }
    }

    /// One of them.
    pub fn get(&self, number: usize) -> Option<ManifestItem> {
        match &self.0 {
            Kept::Columns(columns) => columns.get(number),
            Kept::Stored(stored) => {
                let (first, columns) = stored.block_of(number)?;
                columns.get(number - first)
            }
        }
    }

    /// All of them.
    pub fn iter(&self) -> ItemsIter<'_> {
        self.range(0..self.len())
    }

    /// Some of them.
    pub fn range(&self, range: Range<usize>) -> ItemsIter<'_> {
        ItemsIter(match &self.0 {
            Kept::Columns(columns) => Source::Columns(columns.views(range)),
            Kept::Stored(stored) => Source::Stored {
                stored,
                numbers: range.start.min(stored.len())..range.end.min(stored.len()),
                block: None,
            },
        })
    }

    /// Goes through all of them as they lie in columns, each with its number.
    pub(crate) fn each_view(&self, each: &mut dyn FnMut(usize, &ItemView<'_>)) {
        let mut next = 0;
        while next < self.len() {
            let (first, many) = match &self.0 {
                Kept::Columns(columns) => {
                    each_of(columns, 0, each);
                    (0, columns.len())
                }
                Kept::Stored(stored) => {
                    let Some((first, columns)) = stored.block_of(next) else {
                        return;
                    };
                    each_of(&columns, first, each);
                    (first, columns.len())
                }
            };
            next = first + many;
        }
    }
}

fn each_of(columns: &Columns, first: usize, each: &mut dyn FnMut(usize, &ItemView<'_>)) {
    for (number, view) in (first..).zip(columns.views(0..columns.len())) {
        each(number, &view);
    }
}

/// Items one after the other, each made when it is asked for.
pub struct ItemsIter<'a>(Source<'a>);

enum Source<'a> {
    Columns(Views<'a>),
    Stored {
        stored: &'a StoredItems,
        numbers: Range<usize>,
        /// The block of the next one, and the number of the first in it.
        block: Option<(usize, Arc<Columns>)>,
    },
}

impl Iterator for ItemsIter<'_> {
    type Item = ManifestItem;

    fn next(&mut self) -> Option<ManifestItem> {
        match &mut self.0 {
            Source::Columns(views) => views.next().map(|view| view.item()),
            Source::Stored {
                stored,
                numbers,
                block,
            } => {
                let number = numbers.next()?;
                let is_in = |(first, columns): &(usize, Arc<Columns>)| {
                    (*first..*first + columns.len()).contains(&number)
                };
                if !block.as_ref().is_some_and(is_in) {
                    *block = stored.block_of(number);
                }
                let (first, columns) = block.as_ref()?;
                columns.get(number - first)
            }
        }
    }

    fn size_hint(&self) -> (usize, Option<usize>) {
        match &self.0 {
            Source::Columns(views) => views.size_hint(),
            Source::Stored { numbers, .. } => (0, Some(numbers.len())),
        }
    }
}

impl<'a> IntoIterator for &'a Items {
    type Item = ManifestItem;
    type IntoIter = ItemsIter<'a>;

    fn into_iter(self) -> ItemsIter<'a> {
        self.iter()
    }
}

impl PartialEq for Items {
    fn eq(&self, other: &Self) -> bool {
        self.len() == other.len() && self.iter().eq(other.iter())
    }
}

impl Eq for Items {}

impl FromIterator<ManifestItem> for Items {
    fn from_iter<T: IntoIterator<Item = ManifestItem>>(items: T) -> Self {
        let mut columns = Columns::default();
        for item in items {
            columns.push(&item);
        }
        columns.into()
    }
}

#[cfg(test)]
mod tests {
    use proptest::prelude::*;

    use jolly_disk::{FileKey, Stamp};

    use super::*;
    use crate::computer::{EntryKind, TargetPath};
    use crate::format::RandomAccess;
    use crate::plan::file::line::{FolderLine, add_line};
    use crate::plan::items::stored::Blocks;
    use crate::plan::{FileIdentity, ListEntry};
    use crate::rule::ListFormat;
    use crate::rule::Removal;
    use crate::source::Fingerprint;

    prop_compose! {
        fn any_item()(
            path in "[ab]{0,2}(/[ab.]{1,3}){0,2}",
            (account, rule, after, unit) in ("[ij]?", "[rs]", "[xy]?", "[uv]?"),
            (bytes, held, size, device) in (0..3_u64, 0..3_u64, 0..(1_u64 << 40), 0..2_u64),
            (time, nanos, links, kind) in (any::<i64>(), 0..1_000_000_000_u32, any::<u32>(), 0..4_u8),
        ) -> ManifestItem {
            let kinds = [EntryKind::File, EntryKind::Link, EntryKind::Folder, EntryKind::ListEntry];
            let kind = kinds[usize::from(kind)];
            let entry = ListEntry { list: ListFormat::Xbel, entry: Fingerprint::of(path.as_bytes()) };
            let path_of = |text: &str| TargetPath::new(text).unwrap_or_default();
            let some_path = |text: String| (!text.is_empty()).then(|| path_of(&text));
            let stamp = |seconds| Stamp { seconds, nanos };
            ManifestItem {
                rule: rule.as_str().into(),
                account: (!account.is_empty()).then(|| account.as_str().into()),
                kind,
                path: path_of(&harmless(&path)),
                entry: (kind == EntryKind::ListEntry).then_some(entry),
                by: if links.is_multiple_of(2) { Removal::Remove } else { Removal::SetAside },
                bytes,
                held,
                size,
                time,
                identity: FileIdentity {
                    key: FileKey { device, inode: size },
                    size: match kind {
                        EntryKind::Folder => 0,
                        EntryKind::ListEntry => size + held,
                        EntryKind::File | EntryKind::Link => size,
                    },
                    modified: stamp(time),
                    changed: stamp(time.wrapping_add(1)),
                    links,
                },
                after: some_path(after),
                unit: some_path(unit).map(Arc::new),
            }
        }
    }

    /// A path of a target: down, and nowhere else.
    fn harmless(text: &str) -> String {
        let parts = text
            .split('/')
            .filter(|part| !matches!(*part, "" | "." | ".."));
        parts.collect::<Vec<_>>().join("/")
    }

    /// Items that lie in lines, each line a block of its own.
    fn stored(lines: &[Vec<u8>]) -> Items {
        let mut blocks = Blocks::default();
        let mut plan = Vec::new();
        for line in lines {
            let line = [&line[..], b"\n"].concat();
            let mut its = Columns::default();
            add_line(&line, &mut its).unwrap();
            blocks.note_line((plan.len() as u64, &line), its.len());
            blocks.close();
            plan.extend_from_slice(&line);
        }
        Items::stored(blocks.end(RandomAccess::Memory(plan)))
    }

    proptest! {
        #[test]
        fn prop_wherever_items_lie_they_are_what_was_put_in_from_any_place_on(
            items in proptest::collection::vec(any_item(), 0..200), from in 0..220_usize,
        ) {
            let columns: Items = items.iter().cloned().collect();
            let mut lines = Vec::new();
            let mut waiting = items.iter().cloned().peekable();
            while let Some(first) = waiting.next() {
                let line = FolderLine::beginning(&first, &mut waiting);
                lines.push(serde_json::to_vec(&line).unwrap());
            }
            let stored = stored(&lines);
            for kept in [&columns, &stored] {
                prop_assert_eq!(kept.len(), items.len());
                prop_assert!(kept.iter().eq(items.iter().cloned()));
                let rest = items.get(from.min(items.len())..).unwrap_or_default();
                prop_assert!(kept.range(from..items.len()).eq(rest.iter().cloned()));
                prop_assert_eq!(kept.get(from), items.get(from).cloned());
                let mut seen = 0;
                kept.each_view(&mut |number, view| {
                    let item = view.item();
                    assert_eq!(Some(&item), items.get(number));
                    assert_eq!(view.path_pieces().concat(), item.path.as_bytes());
                    seen += 1;
                });
                prop_assert_eq!(seen, items.len());
                prop_assert_eq!(kept.failure(), None);
            }
        }
    }
}
