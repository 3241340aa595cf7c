//! A table whose rows may go, with all that has to stay consistent with them.

use crate::format::known_tables::{Child, KnownTable, Parent, Pointer, known_table};
use crate::rule::RecordSet;

/// What a rule says of a table, and what is known of it beside that.
#[derive(Debug)]
pub(crate) struct Graph<'a> {
    pub table: &'a str,
    pub known: Option<&'static KnownTable>,
    pub children: Vec<Child<'a>>,
    pub parents: &'static [Parent<'static>],
    pub pointers: &'static [Pointer<'static>],
}

impl<'a> Graph<'a> {
    /// That of a table by what is known of it alone.
    pub(crate) fn known(table: &'a str) -> Self {
        let known = known_table(table);
        Self {
            table,
            known,
            children: known.map_or_else(Vec::new, |known| known.children.to_vec()),
            parents: known.map_or(&[], |known| known.parents),
            pointers: known.map_or(&[], |known| known.pointers),
        }
    }

    /// The same, with what rules say of it.
    pub(crate) fn of(table: &'a str, sets: impl Iterator<Item = &'a RecordSet>) -> Self {
        let mut graph = Self::known(table);
        for also in sets.flat_map(|set| &set.also) {
            let is_known = |child: &Child<'_>| {
                child.table.eq_ignore_ascii_case(&also.table)
                    && child.column.eq_ignore_ascii_case(&also.column)
            };
            if !graph.children.iter().any(is_known) {
                graph.children.push(Child::plain(&also.table, &also.column));
            }
        }
        graph
    }

    /// The columns of its own rows that point to others, each with the table that it points to.
    pub(crate) fn own_pointers(&self) -> Vec<(Pointer<'a>, &'a str)> {
        let mut found = Vec::new();
        let own = |pointer: &&Pointer<'a>| pointer.table.eq_ignore_ascii_case(self.table);
        found.extend(self.pointers.iter().filter(own).map(|it| (*it, self.table)));
        for parent in self.parents {
            found.extend(
                parent
                    .pointers
                    .iter()
                    .filter(own)
                    .map(|it| (*it, parent.table)),
            );
            for child in parent.children {
                found.extend(
                    child
                        .pointers
                        .iter()
                        .filter(own)
                        .map(|it| (*it, child.table)),
                );
            }
        }
        found
    }
}
