//! A row as it is written into a dustpan: itself, what goes with it, and what has to be there for it.

use std::borrow::Cow;
use std::collections::HashSet;
use std::sync::atomic::Ordering;

use rusqlite::Connection;
use serde::{Deserialize, Serialize};

use crate::source::Fingerprint;
use crate::source::holder::HolderError;
use crate::source::holder::rows::Rows;
use crate::source::holder::rows::around::{
    Around, ChildQuery, ParentQuery, RowQuery, columns_asked,
};
use crate::source::holder::rows::schema::quoted;
use crate::source::holder::rows::value::RowValues;

/// What an exported row begins with, and which form of it this is.
const FORMAT: &str = "jolly-broom/row";
const VERSION: u32 = 1;

/// How the rows of a database are asked for, and what of it was written into the dustpan already.
#[derive(Debug)]
pub(super) struct Exporter {
    tables: Vec<TableQueries>,
    /// Parents whose own rows are in, by the number of their table and their key.
    parents: HashSet<(usize, i64)>,
}

/// How the rows of one table are asked for.
#[derive(Debug)]
struct TableQueries {
    own: RowQuery,
    around: Around,
}

/// A row in a dustpan.
#[derive(Debug, Serialize, Deserialize)]
#[serde(deny_unknown_fields)]
pub(super) struct ExportedRow<'a> {
    format: Cow<'a, str>,
    version: u32,
    #[serde(flatten)]
    pub part: RowPart<'a>,
}

/// A row, and the rows around it.
#[derive(Debug, Serialize, Deserialize)]
pub(super) struct RowPart<'a> {
    pub table: Cow<'a, str>,
    /// Its number in the table; none in a table without numbers.
    #[serde(default, skip_serializing_if = "Option::is_none")]
    pub key: Option<i64>,
    /// Of a row that belongs to the one around it, the column that says so; of one that the other belongs to, the column
    /// there.
    #[serde(default, skip_serializing_if = "str::is_empty")]
    pub by: Cow<'a, str>,
    /// Its values by column.
    pub row: RowValues,
    /// What it belongs to.
    #[serde(default, skip_serializing_if = "Vec::is_empty")]
    pub parents: Vec<Self>,
    /// What belongs to it and goes with it.
    #[serde(default, skip_serializing_if = "Vec::is_empty")]
    pub children: Vec<Self>,
    /// What belongs to it and may go though it stays.
    #[serde(default, skip_serializing_if = "Vec::is_empty")]
    pub fading: Vec<Self>,
    /// Rows that point to it.
    #[serde(default, skip_serializing_if = "Vec::is_empty")]
    pub pointers: Vec<PointingRow<'a>>,
}

/// A row that points to another.
#[derive(Debug, Serialize, Deserialize)]
pub(super) struct PointingRow<'a> {
    pub table: Cow<'a, str>,
    pub column: Cow<'a, str>,
    pub key: i64,
}

impl ExportedRow<'_> {
    /// Reads one; nothing where it is none.
    pub(super) fn read(bytes: &[u8]) -> Option<ExportedRow<'static>> {
        let row: ExportedRow<'static> = serde_json::from_slice(bytes).ok()?;
        (row.format == FORMAT && row.version == VERSION).then_some(row)
    }

    pub(super) fn fingerprint(&self) -> Fingerprint {
        self.part.row.fingerprint(&self.part.table)
    }
}

impl<'a> RowPart<'a> {
    fn new(query: &'a RowQuery, key: Option<i64>, row: RowValues) -> Self {
        Self {
            table: Cow::Borrowed(&query.table),
            key,
            by: Cow::Borrowed(&query.by),
            row,
            parents: Vec::new(),
            children: Vec::new(),
            fading: Vec::new(),
            pointers: Vec::new(),
        }
    }
}

impl Rows {
    /// A row in the form in which it waits in a dustpan.
    pub(super) fn export_row(&mut self, at: usize) -> Result<Vec<u8>, HolderError> {
        let (Some(item), Some(key)) = (self.items.get(at), self.keys.get(at).copied()) else {
            return Err(HolderError::NotAsMeant);
        };
        if self.is_spent {
            return Err(HolderError::NotAsMeant);
        }
        let table = item.table().ok_or(HolderError::NotAsMeant)?;
        let mut exporter = match self.exporter.take() {
            Some(exporter) => exporter,
            None => self.begin_export()?,
        };
        let line = exporter.line(&self.connection, table, key);
        self.exporter = Some(exporter);
        line
    }

    /// Sees to it that what belongs to a row is found at once: this copy is never written back.
    fn begin_export(&self) -> Result<Exporter, HolderError> {
        self.connection.set_prepared_statement_cache_capacity(64);
        self.may_copy.store(true, Ordering::Relaxed);
        let made = self.make_indexes();
        self.may_copy.store(false, Ordering::Relaxed);
        made?;
        let mut parents = Vec::new();
        let tables = self.tables().into_iter().map(|table| TableQueries {
            own: RowQuery::by_number(&self.schema, &table),
            around: Around::of_graph(&self.schema, &self.graph(&table), &mut parents),
        });
        Ok(Exporter {
            tables: tables.collect(),
            parents: HashSet::new(),
        })
    }

    fn make_indexes(&self) -> rusqlite::Result<()> {
        for table in self.tables() {
            let graph = self.graph(&table);
            for (number, (table, column)) in columns_asked(&graph).iter().enumerate() {
                if self.schema.has(&format!("{table}.{column}")) {
                    let (on, column) = (quoted(table), quoted(column));
                    let name = quoted(&format!("to export {table} {number}"));
                    let sql = format!("CREATE INDEX IF NOT EXISTS main.{name} ON {on}({column})");
                    self.connection.execute_batch(&sql)?;
                }
            }
        }
        Ok(())
    }
}

impl Exporter {
    /// A row and what is around it, as a line.
    fn line(
        &mut self,
        connection: &Connection,
        table: &str,
        key: i64,
    ) -> Result<Vec<u8>, HolderError> {
        let mut tables = self.tables.iter();
        let queries = tables.find(|it| it.own.table.eq_ignore_ascii_case(table));
        let Some(queries) = queries else {
            return Err(HolderError::NotAsMeant);
        };
        let mut reading = Reading {
            connection,
            parents: &mut self.parents,
        };
        let Some(mut part) = reading.row(&queries.own, key)? else {
            return Err(HolderError::NotAsMeant);
        };
        reading.surround(&mut part, key, &queries.around, Reach::All)?;
        let exported = ExportedRow {
            format: Cow::Borrowed(FORMAT),
            version: VERSION,
            part,
        };
        let mut line = serde_json::to_vec(&exported).map_err(HolderError::Json)?;
        line.push(b'\n');
        Ok(line)
    }
}

/// What of what is around a row is asked for.
#[derive(Clone, Copy, PartialEq, Eq)]
enum Reach {
    All,
    /// What it belongs to, and nothing that belongs to it.
    Parents,
}

struct Reading<'r> {
    connection: &'r Connection,
    parents: &'r mut HashSet<(usize, i64)>,
}

impl Reading<'_> {
    /// A row by its number.
    fn row<'q>(&self, query: &'q RowQuery, key: i64) -> rusqlite::Result<Option<RowPart<'q>>> {
        let mut statement = self.connection.prepare_cached(&query.sql)?;
        let mut rows = statement.query([key])?;
        let Some(row) = rows.next()? else {
            return Ok(None);
        };
        let values = RowValues::of(row, &query.columns)?;
        Ok(Some(RowPart::new(query, Some(key), values)))
    }

    /// Adds what is around a row.
    fn surround<'q>(
        &mut self,
        part: &mut RowPart<'q>,
        key: i64,
        around: &'q Around,
        reach: Reach,
    ) -> rusqlite::Result<()> {
        if reach == Reach::All {
            for pointer in &around.pointers {
                let mut statement = self.connection.prepare_cached(&pointer.sql)?;
                let mut keys = statement.query([key])?;
                while let Some(row) = keys.next()? {
                    part.pointers.push(PointingRow {
                        table: Cow::Borrowed(&pointer.table),
                        column: Cow::Borrowed(&pointer.column),
                        key: row.get(0)?,
                    });
                }
            }
            for child in &around.children {
                self.children(child, key, &mut part.children)?;
            }
        }
        for parent in &around.parents {
            let found = self.parent(parent, &part.row)?;
            part.parents.extend(found);
        }
        Ok(())
    }

    fn children<'q>(
        &mut self,
        child: &'q ChildQuery,
        key: i64,
        found: &mut Vec<RowPart<'q>>,
    ) -> rusqlite::Result<()> {
        let from = found.len();
        {
            let mut statement = self.connection.prepare_cached(&child.rows.sql)?;
            let mut rows = statement.query([key])?;
            while let Some(row) = rows.next()? {
                let values = RowValues::of(row, &child.rows.columns)?;
                found.push(RowPart::new(&child.rows, values.number(&child.key), values));
            }
        }
        for part in found.iter_mut().skip(from) {
            let own = part.key.unwrap_or(0);
            let reach = if own == 0 { Reach::Parents } else { Reach::All };
            self.surround(part, own, &child.around, reach)?;
        }
        Ok(())
    }

    fn parent<'q>(
        &mut self,
        parent: &'q ParentQuery,
        values: &RowValues,
    ) -> rusqlite::Result<Option<RowPart<'q>>> {
        let Some(key) = values.number(&parent.row.by) else {
            return Ok(None);
        };
        let Some(mut part) = self.row(&parent.row, key)? else {
            return Ok(None);
        };
        // What belongs to it stands with the first row that does.
        let reach = if self.parents.insert((parent.number, key)) {
            for fading in &parent.fading {
                self.children(fading, key, &mut part.fading)?;
            }
            Reach::All
        } else {
            Reach::Parents
        };
        self.surround(&mut part, key, &parent.around, reach)?;
        Ok(Some(part))
    }
}
