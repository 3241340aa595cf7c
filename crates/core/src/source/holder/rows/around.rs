//! How the rows around a row are asked for: every statement is put together once, and only what a database has is asked.

use crate::format::known_tables::{Child, Parent, Pointer};
use crate::source::holder::rows::graph::Graph;
use crate::source::holder::rows::schema::{Schema, quoted};
use crate::source::holder::rows::value::Columns;

/// A question for whole rows of a table, by one number.
#[derive(Debug)]
pub(super) struct RowQuery {
    pub table: String,
    /// The column that ties them to the row around, here or there.
    pub by: String,
    pub sql: String,
    pub columns: Columns,
}

/// What is asked for around a row.
#[derive(Debug, Default)]
pub(super) struct Around {
    pub pointers: Vec<PointerQuery>,
    pub children: Vec<ChildQuery>,
    pub parents: Vec<ParentQuery>,
}

/// Rows that point to it.
#[derive(Debug)]
pub(super) struct PointerQuery {
    pub table: String,
    pub column: String,
    pub sql: String,
}

/// Rows that belong to it.
#[derive(Debug)]
pub(super) struct ChildQuery {
    pub rows: RowQuery,
    /// The column of their own key.
    pub key: String,
    pub around: Around,
}

/// What it belongs to.
#[derive(Debug)]
pub(super) struct ParentQuery {
    /// Which table this is among all parents.
    pub number: usize,
    pub row: RowQuery,
    pub fading: Vec<ChildQuery>,
    pub around: Around,
}

impl RowQuery {
    /// For the row of a table with a number.
    pub(super) fn by_number(schema: &Schema, table: &str) -> Self {
        Self::new(schema, table, "", "rowid = ?1")
    }

    fn new(schema: &Schema, table: &str, by: &str, condition: &str) -> Self {
        Self {
            table: table.to_owned(),
            by: by.to_owned(),
            sql: format!("SELECT * FROM main.{} WHERE {condition}", quoted(table)),
            columns: Columns::of(schema.columns(table)),
        }
    }
}

impl Around {
    /// Around a row of a graph's table; `tables` are the parents that have a number already.
    pub(super) fn of_graph(schema: &Schema, graph: &Graph<'_>, tables: &mut Vec<String>) -> Self {
        let rows = (graph.table, &graph.children[..], graph.parents);
        Self::of(schema, rows, graph.pointers, tables)
    }

    fn of(
        schema: &Schema,
        (table, children, parents): (&str, &[Child<'_>], &[Parent<'_>]),
        pointers: &[Pointer<'_>],
        tables: &mut Vec<String>,
    ) -> Self {
        let has =
            |pointer: &&Pointer<'_>| schema.has(&format!("{}.{}", pointer.table, pointer.column));
        Self {
            pointers: pointers.iter().filter(has).map(PointerQuery::of).collect(),
            children: children
                .iter()
                .filter_map(|child| ChildQuery::of(schema, child, "1", tables))
                .collect(),
            parents: parents
                .iter()
                .filter(|parent| schema.has_parent(table, parent))
                .map(|parent| ParentQuery::of(schema, parent, tables))
                .collect(),
        }
    }
}

impl PointerQuery {
    fn of(pointer: &Pointer<'_>) -> Self {
        Self {
            table: pointer.table.to_owned(),
            column: pointer.column.to_owned(),
            sql: format!(
                "SELECT rowid FROM main.{} WHERE {} = ?1",
                quoted(pointer.table),
                quoted(pointer.column)
            ),
        }
    }
}

impl ChildQuery {
    /// None where there is no such table; `which` says of their columns which of them.
    fn of(
        schema: &Schema,
        child: &Child<'_>,
        which: &str,
        tables: &mut Vec<String>,
    ) -> Option<Self> {
        if !schema.has(child.table) {
            return None;
        }
        let condition = format!("{} = ?1 AND ({which})", quoted(child.column));
        let rows = (child.table, child.children, child.parents);
        Some(Self {
            rows: RowQuery::new(schema, child.table, child.column, &condition),
            key: child.key.to_owned(),
            around: Around::of(schema, rows, child.pointers, tables),
        })
    }
}

impl ParentQuery {
    fn of(schema: &Schema, parent: &Parent<'_>, tables: &mut Vec<String>) -> Self {
        let known = tables.iter().position(|table| table == parent.table);
        let number = known.unwrap_or_else(|| {
            tables.push(parent.table.to_owned());
            tables.len() - 1
        });
        let fading = parent.fading.iter();
        let fading =
            fading.filter_map(|fading| ChildQuery::of(schema, &fading.rows, fading.of, tables));
        let fading = fading.collect();
        let rows = (parent.table, parent.children, parent.parents);
        Self {
            number,
            row: RowQuery::new(schema, parent.table, parent.via, "rowid = ?1"),
            fading,
            around: Around::of(schema, rows, parent.pointers, tables),
        }
    }
}

/// Every column by which rows are looked for, with its table.
pub(super) fn columns_asked<'a>(graph: &Graph<'a>) -> Vec<(&'a str, &'a str)> {
    let mut columns = Vec::new();
    gather_columns(&graph.children, graph.parents, graph.pointers, &mut columns);
    columns
}

fn gather_columns<'a>(
    children: &[Child<'a>],
    parents: &[Parent<'a>],
    pointers: &[Pointer<'a>],
    columns: &mut Vec<(&'a str, &'a str)>,
) {
    columns.extend(
        pointers
            .iter()
            .map(|pointer| (pointer.table, pointer.column)),
    );
    for child in children {
        columns.push((child.table, child.column));
        gather_columns(child.children, child.parents, child.pointers, columns);
    }
    for parent in parents {
        columns.extend(
            parent
                .fading
                .iter()
                .map(|it| (it.rows.table, it.rows.column)),
        );
        gather_columns(parent.children, parent.parents, parent.pointers, columns);
    }
}
