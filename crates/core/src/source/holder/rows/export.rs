//! A row as it is written into a dustpan: itself, what goes with it, and what has to be there for it.

use std::collections::HashSet;
use std::sync::atomic::Ordering;

use rusqlite::Connection;
use serde::{Deserialize, Serialize};
use serde_json::Value as Json;

use crate::format::known_tables::{Child, Parent, Pointer};
use crate::source::Fingerprint;
use crate::source::holder::HolderError;
use crate::source::holder::rows::Rows;
use crate::source::holder::rows::schema::{Schema, quoted};
use crate::source::holder::rows::value::RowValues;

/// What an exported row begins with, and which form of it this is.
const FORMAT: &str = "jolly-broom/row";
const VERSION: u32 = 1;

/// What was written into the dustpan of a database already.
#[derive(Debug, Default)]
pub(super) struct Exporter {
    /// Parents whose own rows are in, by table and key.
    parents: HashSet<(String, i64)>,
}

/// A row in a dustpan.
#[derive(Debug, Serialize, Deserialize)]
#[serde(deny_unknown_fields)]
pub(super) struct ExportedRow {
    format: String,
    version: u32,
    #[serde(flatten)]
    pub part: RowPart,
}

/// A row, and the rows around it.
#[derive(Debug, Serialize, Deserialize)]
pub(super) struct RowPart {
    pub table: String,
    /// Its number in the table; none in a table without numbers.
    #[serde(default, skip_serializing_if = "Option::is_none")]
    pub key: Option<i64>,
    /// Of a row that belongs to the one around it, the column that says so; of one that the other belongs to, the column
    /// there.
    #[serde(default, skip_serializing_if = "String::is_empty")]
    pub by: String,
    /// Its values by column.
    pub row: Json,
    /// What it belongs to.
    #[serde(default, skip_serializing_if = "Vec::is_empty")]
    pub parents: Vec<RowPart>,
    /// What belongs to it and goes with it.
    #[serde(default, skip_serializing_if = "Vec::is_empty")]
    pub children: Vec<RowPart>,
    /// What belongs to it and may go though it stays.
    #[serde(default, skip_serializing_if = "Vec::is_empty")]
    pub fading: Vec<RowPart>,
    /// Rows that point to it.
    #[serde(default, skip_serializing_if = "Vec::is_empty")]
    pub pointers: Vec<PointingRow>,
}

/// A row that points to another.
#[derive(Debug, Serialize, Deserialize)]
pub(super) struct PointingRow {
    pub table: String,
    pub column: String,
    pub key: i64,
}

impl ExportedRow {
    /// Reads one; nothing where it is none.
    pub(super) fn read(bytes: &[u8]) -> Option<Self> {
        let row: Self = serde_json::from_slice(bytes).ok()?;
        (row.format == FORMAT && row.version == VERSION && row.part.values().is_some())
            .then_some(row)
    }

    pub(super) fn fingerprint(&self) -> Fingerprint {
        let values = self.part.values();
        values.map_or_else(
            || Fingerprint::of(b""),
            |values| values.fingerprint(&self.part.table),
        )
    }
}

impl RowPart {
    /// Its values; nothing where they are no row's.
    pub(super) fn values(&self) -> Option<RowValues> {
        RowValues::from_json(&self.row)
    }
}

impl Rows {
    /// A row in the form in which it waits in a dustpan.
    pub(super) fn export_row(&mut self, at: usize) -> Result<Vec<u8>, HolderError> {
        let (Some(item), Some(key)) = (self.items.get(at), self.keys.get(at).copied()) else {
            return Err(HolderError::NotAsMeant);
        };
        let table = item.table().ok_or(HolderError::NotAsMeant)?.to_owned();
        if self.is_spent {
            return Err(HolderError::NotAsMeant);
        }
        let mut exporter = match self.exporter.take() {
            Some(exporter) => exporter,
            None => self.begin_export()?,
        };
        let graph = self.graph(&table);
        let mut reading = Reading {
            connection: &self.connection,
            schema: &self.schema,
            exporter: &mut exporter,
        };
        let part = reading.row(&table, key)?;
        let Some((mut part, values)) = part else {
            return Err(HolderError::NotAsMeant);
        };
        reading.surround(
            &mut part,
            &values,
            key,
            &graph.children,
            graph.parents,
            graph.pointers,
        )?;
        self.exporter = Some(exporter);
        let exported = ExportedRow {
            format: FORMAT.to_owned(),
            version: VERSION,
            part,
        };
        let mut line = serde_json::to_vec(&exported).map_err(HolderError::Json)?;
        line.push(b'\n');
        Ok(line)
    }

    /// Sees to it that what belongs to a row is found at once: this copy is never written back.
    fn begin_export(&self) -> Result<Exporter, HolderError> {
        self.connection.set_prepared_statement_cache_capacity(64);
        self.may_copy.store(true, Ordering::Relaxed);
        let mut made = Ok(());
        for table in self.tables() {
            let graph = self.graph(&table);
            let mut columns = Vec::new();
            gather_columns(&graph.children, graph.parents, graph.pointers, &mut columns);
            for (number, (table, column)) in columns.iter().enumerate() {
                if self.schema.has(&format!("{table}.{column}")) {
                    let (on, column) = (quoted(table), quoted(column));
                    let name = quoted(&format!("to export {table} {number}"));
                    let sql = format!("CREATE INDEX IF NOT EXISTS main.{name} ON {on}({column})");
                    made = made.and_then(|()| self.connection.execute_batch(&sql));
                }
            }
        }
        self.may_copy.store(false, Ordering::Relaxed);
        made?;
        Ok(Exporter::default())
    }
}

/// Every column by which rows are looked for.
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

struct Reading<'a> {
    connection: &'a Connection,
    schema: &'a Schema,
    exporter: &'a mut Exporter,
}

impl Reading<'_> {
    /// A row by its number.
    fn row(&self, table: &str, key: i64) -> rusqlite::Result<Option<(RowPart, RowValues)>> {
        let columns = self.schema.columns(table);
        let sql = format!("SELECT * FROM main.{} WHERE rowid = ?1", quoted(table));
        let mut statement = self.connection.prepare_cached(&sql)?;
        let mut rows = statement.query([key])?;
        let Some(row) = rows.next()? else {
            return Ok(None);
        };
        let values = RowValues::of(row, columns, 0)?;
        Ok(Some((part_of(table, Some(key), "", &values), values)))
    }

    /// Adds what is around a row.
    fn surround(
        &mut self,
        part: &mut RowPart,
        values: &RowValues,
        key: i64,
        children: &[Child<'_>],
        parents: &[Parent<'_>],
        pointers: &[Pointer<'_>],
    ) -> rusqlite::Result<()> {
        for pointer in pointers {
            let need = format!("{}.{}", pointer.table, pointer.column);
            if self.schema.has(&need) {
                self.pointing(part, pointer, key)?;
            }
        }
        for child in children {
            let found = self.children(child, key, "1")?;
            part.children.extend(found);
        }
        for parent in parents {
            if self.schema.has_parent(&part.table, parent) {
                let found = self.parent(parent, values)?;
                part.parents.extend(found);
            }
        }
        Ok(())
    }

    fn pointing(
        &self,
        part: &mut RowPart,
        pointer: &Pointer<'_>,
        key: i64,
    ) -> rusqlite::Result<()> {
        let (table, column) = (pointer.table, pointer.column);
        let sql = format!(
            "SELECT rowid FROM main.{} WHERE {} = ?1",
            quoted(table),
            quoted(column)
        );
        let mut statement = self.connection.prepare_cached(&sql)?;
        let keys = statement.query_map([key], |row| row.get(0))?;
        for key in keys {
            part.pointers.push(PointingRow {
                table: table.to_owned(),
                column: column.to_owned(),
                key: key?,
            });
        }
        Ok(())
    }

    fn children(
        &mut self,
        child: &Child<'_>,
        key: i64,
        of: &str,
    ) -> rusqlite::Result<Vec<RowPart>> {
        let mut found = Vec::new();
        if !self.schema.has(child.table) {
            return Ok(found);
        }
        let columns = self.schema.columns(child.table);
        let sql = format!(
            "SELECT * FROM main.{} WHERE {} = ?1 AND ({of})",
            quoted(child.table),
            quoted(child.column)
        );
        let mut all = Vec::new();
        {
            let mut statement = self.connection.prepare_cached(&sql)?;
            let mut rows = statement.query([key])?;
            while let Some(row) = rows.next()? {
                all.push(RowValues::of(row, columns, 0)?);
            }
        }
        for values in all {
            let own = values.number(child.key);
            let mut part = part_of(child.table, own, child.column, &values);
            let (own, parents) = (own.unwrap_or(0), child.parents);
            let children = if own == 0 { &[][..] } else { child.children };
            let pointers = if own == 0 { &[][..] } else { child.pointers };
            self.surround(&mut part, &values, own, children, parents, pointers)?;
            found.push(part);
        }
        Ok(found)
    }

    fn parent(
        &mut self,
        parent: &Parent<'_>,
        values: &RowValues,
    ) -> rusqlite::Result<Option<RowPart>> {
        let Some(key) = values.number(parent.via) else {
            return Ok(None);
        };
        let Some((mut part, own)) = self.row(parent.table, key)? else {
            return Ok(None);
        };
        parent.via.clone_into(&mut part.by);
        // What belongs to it stands with the first row that does.
        let is_first = self.exporter.parents.insert((parent.table.to_owned(), key));
        if is_first {
            for fading in parent.fading {
                let found = self.children(&fading.rows, key, fading.of)?;
                part.fading.extend(found);
            }
        }
        let (children, pointers) = if is_first {
            (parent.children, parent.pointers)
        } else {
            (&[][..], &[][..])
        };
        self.surround(&mut part, &own, key, children, parent.parents, pointers)?;
        Ok(Some(part))
    }
}

fn part_of(table: &str, key: Option<i64>, by: &str, values: &RowValues) -> RowPart {
    RowPart {
        table: table.to_owned(),
        key,
        by: by.to_owned(),
        row: values.to_json(),
        parents: Vec::new(),
        children: Vec::new(),
        fading: Vec::new(),
        pointers: Vec::new(),
    }
}
